"""Terminal views of what functions decide: the outline of one, the census of switches in many."""

from collections import Counter
from dataclasses import dataclass, field, replace

from rich.console import Console
from rich.table import Table
from rich.text import Text

from dreck.model.views.ways import Way, Ways
from dreck.report.lines import BAD, DOUBT, GOOD, console, plain, say
from dreck.report.totals import count
from dreck.workbench.queries.census import DEFAULT, HANDLED, Census, Group
from dreck.workbench.queries.outlined import Outline

_MARK = {True: ("yes", GOOD), False: ("no", BAD), None: ("any", "")}
_NARROW = {True: ("y", GOOD), False: ("n", BAD), None: ("*", "")}
_NAMES = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"
_MOST_ROWS = 40
_LEAST = 44
"""So many columns are left for what happens and the exit, or the cells are made narrow."""
_SHORT = 16
_FOLDS = 3
_FOLDED_EXITS = 3


def show_outline(outline: Outline, whole: bool = False) -> None:
    """The signature, a table for the function and one for each loop and `try`, the notes.

    A table of more than 40 ways is folded, unless the `whole` of it is wanted.
    """
    out = console()
    out.print(Text.assemble((outline.function, "bold"), f"  line {outline.line}"))
    say(out, outline.signature)
    for table in outline.tables:
        out.print()
        _table(out, table, whole)
        if table is outline.tables[0]:
            _examples(out, outline)
    if outline.notes:
        out.print()
    for note in outline.notes:
        style = BAD if note.kind in ("hole", "overlap") else DOUBT
        out.print(Text.assemble((f"{note.kind}", style), f"  line {note.line}: {note.text}"), soft_wrap=True)
    out.print()


def _examples(out: Console, outline: Outline) -> None:
    for row, example in outline.examples:
        say(out, f"  row {row + 1}, say  {example.input}  {example.result}", hang=14)
    if outline.no_examples:
        out.print(plain(f"  no examples: {outline.no_examples}"), style=DOUBT, soft_wrap=True)


def _table(out: Console, ways: Ways, whole: bool) -> None:
    if ways.title:
        out.print(Text(f"in [{ways.title}]", "bold"))
    if not ways.ways:
        many = f"about {ways.count}" if ways.count else "no"
        out.print(plain(f"  {many} ways: too many to show; --through 'TEST' shows those on which TEST holds"))
        return
    letters = {condition: _letter(i) for i, condition in enumerate(ways.conditions)}
    for condition, letter in letters.items():
        say(out, f"  {letter}  {condition}", hang=5)
    shared = _shared_acts(ways.ways)
    if shared:
        out.print(plain(f"  first, on every way: {'; '.join(shared)}"), soft_wrap=True)
    if len(ways.ways) > _MOST_ROWS and not whole:
        _folded(out, ways, letters)
        return
    rows = [replace(way, acts=way.acts[len(shared) :]) for way in ways.ways]
    _rows(out, rows, letters)


def _shared_acts(ways: tuple[Way, ...]) -> tuple[str, ...]:
    """What happens first on all of several ways."""
    if len(ways) < 2:
        return ()
    count = 0
    while all(len(way.acts) > count and way.acts[count] == ways[0].acts[count] for way in ways):
        count += 1
    return ways[0].acts[:count]


def _rows(out: Console, ways: list[Way], letters: dict[str, str]) -> None:
    """One way a row; what is too long for its column stands below, by number."""
    is_narrow = len(letters) * 5 + _LEAST > out.width
    left = out.width - 5 - len(letters) * (2 if is_narrow else 5)
    has_acts = any(way.acts for way in ways)
    wanted = max((len("; ".join(way.acts)) for way in ways), default=0)
    leaving = min(max(len(way.exit) for way in ways) + 2, left * 2 // 5)
    room = min(wanted + 2, left - leaving) if has_acts else 0
    notes = _Notes(max(12, room), max(12, left - room - 2))
    table = Table(box=None, pad_edge=False, padding=(0, 1 if is_narrow else 2, 0, 0), header_style="bold")
    table.add_column("", justify="right", no_wrap=True)
    for letter in letters.values():
        table.add_column(letter, no_wrap=True)
    if has_acts:
        table.add_column("what happens", overflow="fold")
    table.add_column("exit", overflow="fold")
    for number, way in enumerate(ways, 1):
        told = [plain(notes.acts(way)), plain(notes.exit(way))] if has_acts else [plain(notes.exit(way))]
        table.add_row(f"{number}", *_cells(way, letters, is_narrow), *told)
    out.print(table)
    for number, code in enumerate(notes.told, 1):
        say(out, f"  ({number})  {code}", hang=7)


@dataclass
class _Notes:
    """Code too long for a row, told below by its number."""

    room: int
    room_for_exit: int
    told: list[str] = field(default_factory=list)

    def acts(self, way: Way) -> str:
        """What happens on a way: whole where there is room, else the longest parts of it by number."""
        parts = list(way.acts)
        while len("; ".join(parts)) > self.room:
            longest = max(range(len(parts)), key=lambda i: len(parts[i]))
            if len(parts[longest]) <= _SHORT:
                break
            parts[longest] = self._numbered(parts[longest])
        return "; ".join(parts)

    def exit(self, way: Way) -> str:
        word, _, value = way.exit.partition(" ")
        if len(way.exit) <= self.room_for_exit or len(value) <= _SHORT:
            return way.exit
        return f"{word} {self._numbered(value)}"

    def _numbered(self, code: str) -> str:
        if code not in self.told:
            self.told.append(code)
        return f"({self.told.index(code) + 1})"


def _folded(out: Console, ways: Ways, letters: dict[str, str]) -> None:
    """Many ways, by the tests that split them best: a line for each part of them, with how it leaves."""
    groups: list[tuple[dict[str, bool], tuple[Way, ...]]] = [({}, ways.ways)]
    for _ in range(_FOLDS):
        groups = [part for held, some in groups for part in _split(held, some)]
    for held, some in groups:
        told = ", ".join(f"{letters[code]} {'yes' if outcome else 'no'}" for code, outcome in held.items()) or "always"
        exits = Counter(way.exit for way in some)
        first = [f"{code} ({times})" if times > 1 else code for code, times in exits.most_common(_FOLDED_EXITS)]
        more = f", {count(len(exits) - len(first), 'other exit')}" if len(exits) > len(first) else ""
        out.print(Text.assemble((f"  {told}", "bold"), f"  {count(len(some), 'way')}: {', '.join(first)}{more}"))
    out.print(plain(f"  {len(ways.ways)} ways folded: --all shows each, --through 'TEST' those on which TEST holds"))


def _split(held: dict[str, bool], ways: tuple[Way, ...]) -> list[tuple[dict[str, bool], tuple[Way, ...]]]:
    """Ways apart by the condition that comes nearest to halving them; those it is not asked on go to both."""
    if len(ways) <= _MOST_ROWS // 4:
        return [(held, ways)]
    best, parts = "", ((), ())  # type: tuple[str, tuple[tuple[Way, ...], tuple[Way, ...]]]
    for code in dict.fromkeys(code for way in ways for code, _ in way.asked if code not in held):
        sides = tuple(tuple(w for w in ways if dict(w.asked).get(code) is not (not side)) for side in (True, False))
        if not best or max(map(len, sides)) < max(map(len, parts)):
            best, parts = code, (sides[0], sides[1])
    if not best or max(map(len, parts)) == len(ways):
        return [(held, ways)]
    return [({**held, best: True}, parts[0]), ({**held, best: False}, parts[1])]


def _letter(number: int) -> str:
    around, rest = divmod(number, len(_NAMES))
    return _NAMES[rest] + (str(around + 1) if around else "")


def _cells(way: Way, letters: dict[str, str], is_narrow: bool) -> list[Text]:
    outcomes = dict(way.asked)
    marks = _NARROW if is_narrow else _MARK
    return [Text(*marks[outcomes[code]]) if code in outcomes else Text("·") for code in letters]


def show_census(census: Census) -> None:
    """One matrix for each thing switched on: kinds down, places across."""
    out = console()
    for group in census.groups:
        _group(out, group)
    if census.groups:
        told = "yes: a branch of its own; default: the rest takes it; MISSING: no branch, and nothing takes the rest"
        out.print(plain(told), style=DOUBT)
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
