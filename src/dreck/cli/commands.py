"""The commands that change code, compare it or write about it: each parses its arguments, calls the core and prints."""

import os
from pathlib import Path
from typing import Any

import click

from dreck.cli import completing
from dreck.cli.printing import config_of, print_json, save_json
from dreck.cli.progress import progress_bar
from dreck.errors import BadTarget, DreckError

_FILE = click.Path(path_type=Path, dir_okay=False)


@click.command()
@click.argument("directory", required=False, type=click.Path(path_type=Path))
def demo(directory: Path | None) -> int:
    """Copy the recycling yard to DIRECTORY (default: a new temporary folder) and walk through the job on it."""
    from dreck.demo.tour import tour

    return tour(directory)


@click.command()
@click.argument("targets", nargs=-1, required=True, shell_complete=completing.targets)
@click.option("--write", is_flag=True, help="Save the result.")
@click.option(
    "--step",
    "chosen",
    multiple=True,
    metavar="NAME",
    shell_complete=completing.steps,
    help="Take this step (repeatable).",
)
@click.option(
    "--leave", multiple=True, metavar="NAME", shell_complete=completing.steps, help="Leave this step out (repeatable)."
)
@click.option(
    "--assume",
    multiple=True,
    metavar="NAME",
    shell_complete=completing.assumptions,
    help="Let proofs rest on this assumption (repeatable).",
)
@click.option("--verdict", type=click.Choice(["proved", "tested"]), help="The least evidence wanted [tested].")
@click.option("--check", default="", metavar="'COMMAND'", help="Run this after each step; red drops the step.")
@click.option("--name", "named", multiple=True, metavar="'CODE=NAME'", help="Call this condition, value or name so.")
@click.option(
    "--as",
    "form",
    default="",
    metavar="FORM",
    help="A predicate: variable, function, method, property. A base: protocol. Rows: parameter.",
)
@click.option("--on", "discriminant", default="", metavar="TERM", help="What a switch is on, such as load.kind.")
@click.option("--kinds", default="", metavar="A,B,C", help="Only objects of these classes come here.")
@click.option("--raise", "raising", default="", metavar="'ERROR'", help="What a silent default becomes (loud-default).")
@click.option(
    "--set", "settings", multiple=True, metavar="NAME=VALUE", help="A setting of the step (see dreck steps NAME)."
)
@click.option("--table-file", default="", metavar="FILE", help="Keep the table in this CSV or JSON file.")
@click.option("--inline-callers", is_flag=True, help="Who calls a function that became a method calls the method.")
@click.option("--ask", "asking", is_flag=True, help="Go step by step: take, skip, rename, leave this function, quit.")
@click.option("--far", is_flag=True, help="Go on with the further step that brings most and needs nobody.")
@click.option("--gate", is_flag=True, help="Exit with 1 when there is something to straighten; nothing is written.")
@click.option(
    "--path", "place", type=_FILE, metavar="FILE", help="With `-` as TARGET: the file that standard input is."
)
@click.option("--jobs", type=click.IntRange(1), default=os.cpu_count() or 1, help="Processes to use for folders.")
@click.option("--no-cache", is_flag=True, help="Go through every file anew, and keep nothing.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON (see docs/json.md).")
def untangle(
    targets: tuple[str, ...],
    write: bool,
    chosen: tuple[str, ...],
    leave: tuple[str, ...],
    assume: tuple[str, ...],
    verdict: str | None,
    check: str,
    named: tuple[str, ...],
    form: str,
    discriminant: str,
    kinds: str,
    raising: str,
    settings: tuple[str, ...],
    table_file: str,
    inline_callers: bool,
    asking: bool,
    far: bool,
    gate: bool,
    place: Path | None,
    jobs: int,
    no_cache: bool,
    as_json: bool,
) -> int:
    """Take steps, each with its verdict. Without --write nothing is saved: see the steps and the diff first.

    Runs the target's code, in a cage, where a proof fails, and the commands the project's own settings name (check,
    format); with --verdict proved it runs neither.
    """
    from dreck.proof.assumptions import KINDS
    from dreck.steps.support.scene import Wishes
    from dreck.workbench.engine.request import Request
    from dreck.workbench.engine.untangle import untangle as run

    family = tuple(kind.strip() for kind in kinds.split(",") if kind.strip())
    wishes = Wishes(
        _names(named), form, discriminant, table_file, inline_callers, raising, family, _name_alone(named),
        settings=_settings(settings), only_asked=KINDS in assume,
    )  # fmt: skip
    least = verdict or config_of(targets[0]).verdict or "tested"
    if gate and write:
        raise DreckError("--gate writes nothing: it cannot go with --write")
    request = Request(chosen, leave, assume, least, write, check, jobs, wishes, far, not no_cache)
    if targets == ("-",) or place is not None:
        from dreck.cli.reviewing import untangle_input

        return untangle_input(targets, place, request, as_json, gate, asking)
    if asking:
        from dreck.cli.asking import Asker

        asker = Asker()
        result = run(targets, request, asker.told, asker.ask, asker.name)
    else:
        with progress_bar() as told:
            result = run(targets, request, told)
    if as_json:
        print_json(result.as_json())
    else:
        from dreck.report.terminal import show_result

        show_result(result, write, chosen)
    if gate:
        return 1 if result.steps else 0
    return 1 if chosen and not result.steps else 0


def _names(named: tuple[str, ...]) -> dict[str, str]:
    found = {}
    for wish in named:
        code, mark, name = wish.rpartition("=")
        if not mark:
            continue
        if not code.strip() or not name.strip():
            raise DreckError(f"--name '{wish}': a name is given as 'CODE=NAME'")
        found[code.strip()] = name.strip()
    return found


def _settings(given: tuple[str, ...]) -> dict[str, str]:
    found = {}
    for one in given:
        name, mark, value = one.partition("=")
        if not mark or not name.strip():
            raise DreckError(f"--set '{one}': a setting is given as NAME=VALUE")
        found[name.strip()] = value
    return found


def _name_alone(named: tuple[str, ...]) -> str:
    """`--name NAME`: for the one thing that a step makes."""
    alone = [wish.strip() for wish in named if "=" not in wish]
    if len(alone) > 1 or (alone and not alone[0].isidentifier()):
        raise DreckError(f"--name '{alone[-1]}': a name is given as 'CODE=NAME', or one as NAME alone")
    return alone[0] if alone else ""


@click.command()
@click.argument("sides", nargs=-1, metavar="OLD NEW", shell_complete=completing.targets)
@click.option("--since", metavar="REV", help="Compare what is named, or all, with what it was at REV in git.")
@click.option("--only", multiple=True, metavar="NAME", help="Compare this function only (repeatable).")
@click.option("--expect", default="", metavar="'TEST'", help="Where TEST holds for the arguments they must differ.")
@click.option("--case", "case_file", type=click.Path(path_type=Path, dir_okay=False), help="Write the difference here.")
@click.option("--from", "command", default="", metavar="'COMMAND'", help="Run this, and try the calls that come in.")
@click.option("--check", default="", metavar="'COMMAND'", help="Run the project's own tests, too; red counts.")
@click.option(
    "--assume",
    multiple=True,
    metavar="NAME",
    shell_complete=completing.assumptions,
    help="Let proofs rest on this assumption (repeatable).",
)
@click.option("--open-cage", multiple=True, metavar="EVENT", help="Let trials do this, such as os.mkdir (repeatable).")
@click.option(
    "--verdict",
    type=click.Choice(["proved", "tested"]),
    help="What is asked for: of a whole change only differences count without it. With proved, nothing is run.",
)
@click.option(
    "--certificate",
    "certificate",
    type=click.Path(path_type=Path, dir_okay=False),
    metavar="FILE",
    help="Write what each proof rests on as JSON (see docs/json.md).",
)
@click.option("--markdown", "markdown_file", type=_FILE, metavar="FILE", help="Write a comment for a review.")
@click.option("--sarif", "sarif_file", type=_FILE, metavar="FILE", help="Write what differs or is open as SARIF 2.1.0.")
@click.option("--junit", "junit_file", type=_FILE, metavar="FILE", help="Write a test case a function as JUnit XML.")
@click.option("--jobs", type=click.IntRange(1), default=os.cpu_count() or 1, help="Processes to use for folders.")
@click.option("--no-cache", is_flag=True, help="Make every trial anew, and keep nothing.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON (see docs/json.md).")
def compare(
    sides: tuple[str, ...],
    since: str | None,
    only: tuple[str, ...],
    expect: str,
    case_file: Path | None,
    command: str,
    check: str,
    assume: tuple[str, ...],
    open_cage: tuple[str, ...],
    verdict: str | None,
    certificate: Path | None,
    markdown_file: Path | None,
    sarif_file: Path | None,
    junit_file: Path | None,
    jobs: int,
    no_cache: bool,
    as_json: bool,
) -> int:
    """Are OLD and NEW the same? Two files, targets or folders, or --since REV [PATH...]

    Runs the target's code, in a cage, where a proof fails; with --verdict proved it does not.
    """
    from dreck.workbench.compare.compare import compare_texts
    from dreck.workbench.compare.folders import both_folders, compare_folders, compare_since
    from dreck.workbench.compare.sides import read_text
    from dreck.workbench.compare.wanted import Wanted

    if since is not None and not sides:
        sides = (".",)
    if since is None and len(sides) != 2:
        raise DreckError("compare wants two of them, OLD and NEW, or --since REV and what to look at")
    wanted = Wanted(
        only,
        assume,
        verdict != "proved",
        open_cage,
        expect,
        command,
        check,
        case_file is not None,
        cache=not no_cache,
        certificates=certificate is not None,
    )
    target = sides[-1]
    with progress_bar() as told:
        if since is not None:
            found = compare_since(since, sides, wanted, jobs, told)
        elif both_folders(*sides):
            found = compare_folders(Path(sides[0]), Path(sides[1]), wanted, jobs, told)
        else:
            found = compare_texts(read_text(sides[0]), read_text(sides[1]), wanted)
    if not found.functions and (found.only_old or found.only_new) and not as_json and not Path(target).is_dir():
        raise BadTarget(f"{' and '.join(sides)} have no function in common; name two targets with '::'")
    written = _write_case(target, found, case_file) if case_file is not None else ""
    if certificate is not None:
        save_json(certificate, found.certificates_as_json())
    if markdown_file is not None or sarif_file is not None or junit_file is not None:
        from dreck.cli.reviewing import write_for_review

        write_for_review(found, target, verdict or "tested", markdown_file, sarif_file, junit_file)
    if as_json:
        print_json(found.as_json())
    else:
        from dreck.report.terminal import show_comparison

        show_comparison(found, written)
    is_whole = since is not None or both_folders(*sides)
    return 1 if (found.differs if is_whole and verdict is None else not found.same) else 0


def _write_case(target: str, found: Any, case_file: Path) -> str:
    from dreck.workbench.pinning.pin import write_case

    return write_case(Path(target.partition("::")[0]), found, case_file)


@click.command()
@click.argument("targets", nargs=-1, required=True, metavar="TARGET...", shell_complete=completing.targets)
@click.option(
    "-o", "output", type=click.Path(path_type=Path), help="Write the pytest file here; of a folder, below it."
)
@click.option("--from", "command", default="", metavar="'COMMAND'", help="Run this, watched, and pin what comes in.")
@click.option("--jobs", type=click.IntRange(1), default=os.cpu_count() or 1, help="Processes to use.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON (see docs/json.md).")
def pin(targets: tuple[str, ...], output: Path | None, command: str, jobs: int, as_json: bool) -> int:
    """Pin what TARGET does today as pytest tests, and say how strong they are.

    Without -o the file goes to standard output, what is known of it to standard error. Of a folder, or several
    targets, each module gets a file of its own in the folder -o names: test_pins_MODULE.py.

    Runs the target's code, in a cage.
    """
    from dreck.workbench.pinning.pin import pin as run
    from dreck.workbench.pinning.pin import pin_each

    if len(targets) == 1 and not Path(targets[0]).is_dir():
        with progress_bar() as told:
            found = [(output, run(targets[0], output, command, told, jobs))]
        left_out: tuple[str, ...] = ()
    else:
        with progress_bar() as told:
            found, left_out = pin_each(targets, output, command, told, jobs)
    if as_json:
        answers = [pins.as_json() for _, pins in found]
        print_json(answers[0] if len(answers) == 1 else {"files": answers})
        return 0
    from dreck.report.terminal import show_pins

    for place, pins in found:
        if place is None:
            click.echo(pins.text, nl=False)
        show_pins(pins, place)
    for reason in left_out:
        click.echo(f"left out: {reason}", err=True)
    return 0


@click.command()
@click.argument("targets", nargs=-1, required=True, shell_complete=completing.targets)
@click.option("-o", "output", type=click.Path(path_type=Path, dir_okay=False), help="FILE.html (a page) or FILE.png.")
@click.option(
    "--verdict", type=click.Choice(["proved", "tested"]), default="tested", help="With proved, nothing is run."
)
def report(targets: tuple[str, ...], output: Path | None, verdict: str) -> int:
    """Before and after as one HTML page, or as a PNG figure; of a folder, where its tangle sits.

    Runs the target's code, in a cage, where a proof fails; with --verdict proved it does not.
    """
    from dreck.report.page import write_report

    with progress_bar() as told:
        click.echo(write_report(targets, output or Path("dreck-report.html"), told, verdict))
    return 0


@click.command()
@click.argument("count", type=click.IntRange(1), default=1, metavar="[N]")
@click.option("--list", "listed", is_flag=True, help="Show what could be undone, newest first, and undo nothing.")
def back(count: int, listed: bool) -> int:
    """Undo the last N steps taken with --write (default: the last one).

    Runs none of the target's code.
    """
    from dreck.report.terminal import show_records, show_undone
    from dreck.workbench.store.journal import Journal

    journal = Journal.here()
    if listed:
        show_records(journal.records(), journal.root)
    else:
        show_undone(journal.back(count))
    for told in journal.said:
        click.echo(f"dreck: {told}", err=True)
    return 0


@click.command()
@click.argument("name", required=False)
def steps(name: str | None) -> int:
    """The catalogue of steps; with NAME that step's page: why, when not, an example, its traps."""
    from dreck.report.terminal import show_step, show_steps
    from dreck.steps import all_steps, step_named

    if name is None:
        show_steps(all_steps())
    else:
        show_step(step_named(name))
    return 0


@click.command()
def words() -> int:
    """The words Dreck uses, a line each."""
    from dreck.report.terminal import show_words
    from dreck.report.words import WORDS

    show_words(WORDS)
    return 0
