"""Terminal views of what functions decide: the outline of one, the census of switches in many."""

from rich.console import Console
from rich.table import Table
from rich.text import Text

from dreck.model.views.ways import Way, Ways
from dreck.report.terminal import BAD, DOUBT, GOOD, console, count, plain
from dreck.workbench.census import DEFAULT, HANDLED, Census, Group
from dreck.workbench.outline import Outline

_MARK = {True: ("yes", GOOD), False: ("no", BAD), None: ("any", "")}
_NAMES = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"
_MOST_ROWS = 40


def show_outline(outline: Outline) -> None:
    """The signature, a table for the function and one for each loop, the notes."""
    out = console()
    out.print(Text.assemble((outline.function, "bold"), f"  line {outline.line}"))
    out.print(plain(outline.signature), soft_wrap=True)
    for table in outline.tables:
        out.print()
        _table(out, table)
    if outline.notes:
        out.print()
    for note in outline.notes:
        style = BAD if note.kind in ("hole", "overlap") else DOUBT
        out.print(Text.assemble((f"{note.kind}", style), f"  line {note.line}: {note.text}"), soft_wrap=True)
    out.print()


def _table(out: Console, ways: Ways) -> None:
    if ways.title:
        out.print(Text(f"in [{ways.title}]", "bold"))
    if not ways.ways:
        many = f"about {ways.count}" if ways.count else "no"
        out.print(plain(f"  {many} ways: too many to show; --through 'TEST' shows those on which TEST holds"))
        return
    letters = {condition: _letter(i) for i, condition in enumerate(ways.conditions)}
    for condition, letter in letters.items():
        out.print(plain(f"  {letter}  {condition}"), soft_wrap=True)
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="bold")
    table.add_column("", justify="right", no_wrap=True)
    for letter in letters.values():
        table.add_column(letter, no_wrap=True)
    table.add_column("what happens", overflow="fold")
    table.add_column("exit", overflow="fold")
    for number, way in enumerate(ways.ways[:_MOST_ROWS], 1):
        table.add_row(f"{number}", *_cells(way, letters), plain(_acts(way)), plain(way.exit))
    out.print(table)
    if len(ways.ways) > _MOST_ROWS:
        out.print(plain(f"  and {len(ways.ways) - _MOST_ROWS} more ways (--csv FILE for all)"))


def _letter(number: int) -> str:
    around, rest = divmod(number, len(_NAMES))
    return _NAMES[rest] + (str(around + 1) if around else "")


def _cells(way: Way, letters: dict[str, str]) -> list[Text]:
    outcomes = dict(way.asked)
    return [Text(*_MARK[outcomes[code]]) if code in outcomes else Text("·") for code in letters]


def _acts(way: Way) -> str:
    told = "; ".join(way.acts)
    return told if len(told) <= 160 else told[:157] + "..."


def show_census(census: Census) -> None:
    """One matrix for each thing switched on: kinds down, places across."""
    out = console()
    for group in census.groups:
        _group(out, group)
    for path, reason in census.skipped:
        out.print(plain(f"left out: {reason if reason.startswith(path) else f'{path}: {reason}'}"), style=DOUBT)
    missing = sum(group.missing for group in census.groups)
    places = sum(len(group.places) for group in census.groups)
    told = f"{count(places, 'switch', 'switches')} on {count(len(census.groups), 'thing')}; "
    out.print(Text(f"{told}{count(missing, 'kind')} missing somewhere", "bold"))


def _group(out: Console, group: Group) -> None:
    out.print(Text.assemble((group.discriminant, "bold"), f"  by {group.by}"))
    for number, place in enumerate(group.places, 1):
        rest = {"": "nothing takes the rest"}.get(place.default, f"the rest: {place.default}")
        out.print(plain(f"  {number}  {place.function}:{place.line}  {place.form}, {rest}"), soft_wrap=True)
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="bold")
    table.add_column("  kind", overflow="fold")
    for number in range(1, len(group.places) + 1):
        table.add_column(str(number), no_wrap=True)
    for kind, row in zip(group.kinds, group.cells, strict=True):
        table.add_row(plain(f"  {kind}"), *map(_cell, row))
    out.print(table)
    out.print()


def _cell(cell: str) -> Text:
    if cell == HANDLED:
        return Text("yes", GOOD)
    return Text("default", DOUBT) if cell == DEFAULT else Text("MISSING", f"bold {BAD}")
