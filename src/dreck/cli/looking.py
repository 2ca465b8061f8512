"""The commands that look and change nothing: survey, outline, census."""

import os
import sys
from collections.abc import Iterable
from pathlib import Path
from typing import Any

import click

from dreck.cli import completing
from dreck.cli.printing import config_of, print_json
from dreck.cli.progress import progress_bar
from dreck.errors import DreckError

_FILE = click.Path(path_type=Path, dir_okay=False)
_MUCH = 40
"""The tangle that a review is told of, where nobody says how much is allowed."""


@click.command()
@click.argument("paths", nargs=-1, required=True, shell_complete=completing.targets)
@click.option("--top", type=click.IntRange(1), help="Show the N most tangled functions (default: 20 on a terminal).")
@click.option("--since", metavar="REV", help="Only functions that are new or changed since REV in git.")
@click.option(
    "--most", type=click.IntRange(0), metavar="TANGLE", help="Exit with 1 when a function has more than this."
)
@click.option("--after", is_flag=True, help="Work out the tangle left by `untangle`, and by the best of `offer`.")
@click.option("--csv", "csv_file", type=click.Path(path_type=Path), help="Write all rows to FILE as CSV.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON (see docs/json.md).")
@click.option("--json-lines", is_flag=True, help="Print each function as a line of JSON, as soon as it is measured.")
@click.option(
    "--sarif", "sarif_file", type=_FILE, metavar="FILE", help="Write what is over --most (or 40) as SARIF 2.1.0."
)
@click.option(
    "--ratchet",
    "ratchet_file",
    type=_FILE,
    metavar="FILE",
    help="No function may be worse than it is in FILE, which is written anew when things get better.",
)
@click.option("--jobs", type=click.IntRange(1), default=os.cpu_count() or 1, help="Processes to use.")
@click.option("--no-cache", is_flag=True, help="Measure every file anew, and keep nothing.")
def survey(
    paths: tuple[str, ...],
    top: int | None,
    since: str | None,
    most: int | None,
    after: bool,
    csv_file: Path | None,
    as_json: bool,
    json_lines: bool,
    sarif_file: Path | None,
    ratchet_file: Path | None,
    jobs: int,
    no_cache: bool,
) -> int:
    """Functions ranked by tangle, with depth, ways through, longest test, and the steps that apply.

    Runs none of the target's code.
    """
    from dreck.workbench.queries.survey import survey as run

    if json_lines:
        others = {"--top": top, "--since": since, "--after": after, "--csv": csv_file, "--json": as_json}
        others |= {"--sarif": sarif_file, "--ratchet": ratchet_file, "--most": most}
        return _line_by_line(paths, jobs, not no_cache, [name for name, given in others.items() if given])
    most = config_of(paths[0]).most if most is None else most
    with progress_bar() as told:
        found = run(paths, jobs=jobs, since=since, after=after, told=told, cache=not no_cache)
    if csv_file is not None:
        from dreck.report.tables import write_csv

        write_csv(csv_file, found)
    if sarif_file is not None:
        from dreck.report.sarif import of_survey, write_sarif

        write_sarif(sarif_file, of_survey(found, _MUCH if most is None else most))
    if as_json:
        print_json(found.as_json(top))
    else:
        allowed = None if ratchet_file else most
        if sys.stdout.isatty():
            from dreck.report.terminal import show_survey

            show_survey(found, top or 20, allowed)
        else:
            from dreck.report.plain_rows import write_survey

            write_survey(found, top, allowed)
    if ratchet_file is not None:
        return _ratcheted(ratchet_file, found.rows, most or 0, paths)
    return 1 if most is not None and found.over(most) else 0


def _line_by_line(paths: tuple[str, ...], jobs: int, cache: bool, others: list[str]) -> int:
    """Rows as they are found; nothing waits for the last of them."""
    import json
    from dataclasses import asdict

    from dreck.workbench.queries.row import Row
    from dreck.workbench.queries.survey import as_found

    if others:
        raise DreckError(f"--json-lines prints rows as they are found: it cannot go with {', '.join(others)}")
    for found in as_found(paths, jobs, cache):
        if isinstance(found, Row):
            sys.stdout.write(json.dumps({**asdict(found), "steps": list(found.steps)}) + "\n")
        else:
            click.echo(f"left out: {found[0]}: {found[1].removeprefix(f'{found[0]}: ')}", err=True)
    return 0


def _ratcheted(file: Path, rows: Any, most: int, paths: Iterable[str | Path]) -> int:
    from dreck.workbench.queries.ratchet import held

    worse = held(file, rows, most, paths)
    for one in worse:
        told = f"has tangle {one.tangle}, {one.allowed} are allowed"
        click.echo(f"worse: {one.function} {told}; straighten it, or take {file} away to begin anew", err=True)
    return 1 if worse else 0


@click.command()
@click.argument("targets", nargs=-1, required=True, metavar="TARGET...", shell_complete=completing.targets)
@click.option("--top", type=click.IntRange(1), default=10, show_default=True, help="Show the N best offers.")
@click.option("--show", "shown", type=click.IntRange(1), metavar="N", help="Show where offer N stands in its function.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON (see docs/json.md).")
def offer(targets: tuple[str, ...], top: int, shown: int | None, as_json: bool) -> int:
    """What could be done in TARGET, best first: gain, evidence, what it needs from a person, what to type.

    Runs none of the target's code.
    """
    from dreck.workbench.queries.offer import offer as run

    with progress_bar() as told:
        found = run(targets, told)
    if as_json:
        print_json(found.as_json(top))
        return 0
    from dreck.report.offers import show_offer, show_offers

    if shown is None:
        show_offers(found, top)
        return 0
    if shown > len(found):
        raise DreckError(f"--show {shown}: there are {len(found)} offers")
    show_offer(found.offers[shown - 1], shown)
    return 0


@click.command()
@click.argument("targets", nargs=-1, required=True, metavar="TARGET...", shell_complete=completing.targets)
@click.option("--through", default="", metavar="'TEST'", help="Only the ways on which TEST may hold at the start.")
@click.option("--examples", is_flag=True, help="Put a real input beside each row: runs the code, in a cage.")
@click.option("--all", "whole", is_flag=True, help="Each row of a table, however many.")
@click.option("--csv", "csv_file", type=click.Path(path_type=Path), help="Write the ways to FILE as CSV.")
@click.option("--sarif", "sarif_file", type=_FILE, metavar="FILE", help="Write the notes below as SARIF 2.1.0.")
@click.option("--jobs", type=click.IntRange(1), default=os.cpu_count() or 1, help="Processes to use.")
@click.option("--no-cache", is_flag=True, help="Look into every file anew, and keep nothing.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON (see docs/json.md).")
def outline(
    targets: tuple[str, ...],
    through: str,
    examples: bool,
    whole: bool,
    csv_file: Path | None,
    sarif_file: Path | None,
    jobs: int,
    no_cache: bool,
    as_json: bool,
) -> int:
    """Every way through TARGET as a row; below: holes, overlaps, tests that are already decided.

    TARGET is a function, a class, a file or a folder: one table a function.

    Runs none of the target's code, unless --examples are asked for.
    """
    from dreck.workbench.queries.outline import outlines

    found = [one for t in targets for one in outlines(t, through, examples, jobs, cache=not no_cache)]
    if csv_file is not None:
        from dreck.report.tables import write_ways

        write_ways(csv_file, found)
    if sarif_file is not None:
        from dreck.report.sarif import of_outlines, write_sarif

        write_sarif(sarif_file, of_outlines(found))
    if as_json:
        print_json({"functions": [one.as_json() for one in found]})
    else:
        from dreck.report.decisions import show_outline

        for one in found:
            show_outline(one, whole)
    return 0


@click.command()
@click.argument("paths", nargs=-1, required=True, shell_complete=completing.targets)
@click.option("--sarif", "sarif_file", type=_FILE, metavar="FILE", help="Write forgotten kinds as SARIF 2.1.0.")
@click.option("--jobs", type=click.IntRange(1), default=os.cpu_count() or 1, help="Processes to use.")
@click.option("--no-cache", is_flag=True, help="Look into every file anew, and keep nothing.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON (see docs/json.md).")
def census(paths: tuple[str, ...], sarif_file: Path | None, jobs: int, no_cache: bool, as_json: bool) -> int:
    """Every switch on the same thing side by side; kinds that a place forgets are marked.

    Runs none of the target's code.
    """
    from dreck.workbench.queries.census import census as run

    with progress_bar() as told:
        found = run(paths, jobs, told, cache=not no_cache)
    if sarif_file is not None:
        from dreck.report.sarif import of_census, write_sarif

        write_sarif(sarif_file, of_census(found))
    if as_json:
        print_json(found.as_json())
    else:
        from dreck.report.decisions import show_census

        show_census(found)
    return 0
