"""For reviews, pipelines and editors: files beside what is printed, and text that comes in on standard input."""

import sys
from pathlib import Path

from dreck.cli.printing import print_json
from dreck.errors import DreckError
from dreck.workbench.compare.comparison import Comparison
from dreck.workbench.engine.request import Request


def write_for_review(
    found: Comparison, target: str, least: str, markdown: Path | None, sarif: Path | None, junit: Path | None
) -> None:
    """The files that were asked for."""
    from dreck.report.reviews import write_junit, write_markdown
    from dreck.report.sarif import of_comparison, write_sarif

    if markdown is not None:
        write_markdown(markdown, found)
    if junit is not None:
        write_junit(junit, found, least)
    if sarif is not None:
        write_sarif(sarif, of_comparison(found, target.partition("::")[0], _lines(found, target)))


def _lines(found: Comparison, target: str) -> dict[str, int]:
    """Where the functions of a comparison stand in the new version, as far as that can be read."""
    from dreck.source.files import read
    from dreck.source.functions import functions_in, parse

    lines: dict[str, int] = {}
    by_file: dict[Path, dict[str, int]] = {}
    moved = dict(found.moved)
    for name, _ in found.functions:
        path, mark, own = moved.get(name, name).partition("::")
        place = Path(path) if mark else Path(target.partition("::")[0])
        place = place if place.exists() else Path(target.partition("::")[0]) / path
        if place not in by_file:
            try:
                text = read(place).text
                by_file[place] = {f.name: f.node.lineno for f in functions_in(parse(text, place), text)}
            except DreckError:
                by_file[place] = {}
        lines[name] = by_file[place].get(own if mark else path, 1)
    return lines


def untangle_input(
    targets: tuple[str, ...], place: Path | None, request: Request, as_json: bool, gate: bool, asking: bool
) -> int:
    """Text in on standard input, new text out on standard output."""
    from dreck.source.files import instead_of, read
    from dreck.source.targets import Target
    from dreck.workbench.engine.untangle import untangle

    if targets != ("-",) or place is None:
        raise DreckError("text on standard input is read with `-` as the only target and --path FILE for what it is")
    if request.write or asking:
        raise DreckError("what comes in on standard input goes out on standard output: --write and --ask do not fit it")
    data = sys.stdin.buffer.read()
    with instead_of(place, data):
        result = untangle([Target(place)], request)
        if as_json:
            print_json(result.as_json())
        else:
            file = result.files[0]
            sys.stdout.buffer.write(read(place).encoded(file.new))
            sys.stdout.buffer.flush()
    if gate:
        return 1 if result.steps else 0
    return 1 if request.steps and not result.steps else 0
