"""census: every switch on the same thing side by side, so that a new kind is not forgotten in one of the places."""

import re
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from dreck.errors import BadSource, DreckError
from dreck.model.names.families import Families
from dreck.model.views.switches import Switch, switches, tables_of
from dreck.source.files import read
from dreck.source.functions import functions_in, parse
from dreck.source.targets import resolve
from dreck.workbench import workers
from dreck.workbench.engine.collector import calm
from dreck.workbench.queries.census_kept import found_again, kept_of
from dreck.workbench.store.cache import Cache, key_of

if TYPE_CHECKING:
    from concurrent.futures import Executor

    import pandas

_ENOUGH_FOR_TWO = 40
_SENT_AT_ONCE = 256
"""So many texts are held for the workers of an executor, and no more."""
HANDLED, DEFAULT, MISSING = "handled", "default", "missing"


@dataclass(frozen=True, slots=True)
class Place:
    """One switch: the function it stands in, its line, its form, and what takes the rest."""

    function: str
    line: int
    form: str
    default: str


@dataclass(frozen=True, slots=True)
class Group:
    """All switches on one thing. `cells[i][j]` says what place `j` does with kind `i`."""

    discriminant: str
    by: str
    kinds: tuple[str, ...]
    places: tuple[Place, ...]
    cells: tuple[tuple[str, ...], ...]

    @property
    def missing(self) -> int:
        return sum(cell == MISSING for row in self.cells for cell in row)


@dataclass(frozen=True, slots=True, repr=False)
class Census:
    """Groups of switches, the widest spread first, and the files that could not be read."""

    groups: tuple[Group, ...]
    skipped: tuple[tuple[str, str], ...] = ()

    def __repr__(self) -> str:
        return f"<Census of {len(self.groups)} things switched on>"

    def as_json(self) -> dict[str, Any]:
        """The form documented in docs/json.md."""
        return {
            "groups": [_group_json(group) for group in self.groups],
            "skipped": [{"path": path, "reason": reason} for path, reason in self.skipped],
        }

    def to_frame(self) -> "pandas.DataFrame":
        """One row for each kind and place. Needs the extra `frames`."""
        try:
            import pandas
        except ImportError:
            raise DreckError("to_frame() needs pandas: install dreck[frames]") from None
        rows = [
            {
                "discriminant": g.discriminant,
                "by": g.by,
                "kind": kind,
                "place": p.function,
                "line": p.line,
                "cell": cell,
            }
            for g in self.groups
            for kind, row in zip(g.kinds, g.cells, strict=True)
            for p, cell in zip(g.places, row, strict=True)
        ]
        return pandas.DataFrame(rows, columns=["discriminant", "by", "kind", "place", "line", "cell"])


def _group_json(group: Group) -> dict[str, Any]:
    return {
        "discriminant": group.discriminant,
        "by": group.by,
        "kinds": list(group.kinds),
        "places": [
            {"function": p.function, "line": p.line, "form": p.form, "default": p.default} for p in group.places
        ],
        "cells": [list(row) for row in group.cells],
    }


def census(
    paths: str | Path | Iterable[str | Path],
    jobs: int = 1,
    told: Callable[[int, int, Path], None] = lambda done, total, path: None,
    executor: "Executor | None" = None,
    cache: bool = True,
) -> Census:
    """Every switch on types, enum members or constant codes below `paths`, grouped by what is switched on.

    Classes of one family and members of one enum are one group; other codes are grouped by the last name of
    what is compared (`load.kind` and `kind` are one), when they share most of their codes. With `jobs`, several
    processes share the work; with an `executor` of your own (any `concurrent.futures.Executor`) it does, and gets the
    texts along: its workers need not see the files. What is known of a text from before is not looked for again,
    unless `cache` is false. Raises BadTarget.
    """
    specs = [paths] if isinstance(paths, str | Path) else list(paths)
    files = list(dict.fromkeys(target.path for spec in specs for target in resolve(spec)))
    families = Families()
    every: list[tuple[str, Switch]] = []
    skipped: list[tuple[str, str]] = []
    for done, (path, found_there) in enumerate(zip(files, _with_cache(files, jobs, executor, cache), strict=True), 1):
        told(done, len(files), path)
        if isinstance(found_there, str):
            skipped.append((str(path), found_there))
            continue
        every += found_there[0]
        families.join(found_there[1])
    if len(files) == 1 and skipped:
        raise BadSource(skipped[0][1])
    return Census(tuple(grouped(every, families)), tuple(skipped))


def grouped(every: Iterable[tuple[str, Switch]], families: Families) -> list[Group]:
    """Switches, each with its place, by what they are on; the widest spread first."""
    found: dict[tuple[str, str], list[tuple[str, Switch]]] = {}
    for place, switch in every:
        found.setdefault(_key(switch, families), []).append((place, switch))
    groups = [_group(key, places, families) for key, places in _joined(found).items()]
    groups.sort(key=lambda g: (-len(g.places), -g.missing, g.discriminant))
    return groups


_There = tuple[list[tuple[str, Switch]], Families] | str
"""The switches of a file and its classes; or why it cannot be looked at."""


def _with_cache(files: list[Path], jobs: int, executor: "Executor | None", wanted: bool) -> Iterator[_There]:
    """What is in each file, in their order: known from before, or looked for now."""
    cache = Cache.opened(wanted)
    try:
        keys = [_key_of(path) if cache.is_open else "" for path in files]
        known = [cache.get(key) if key else None for key in keys]
        found = _looked_at([path for path, kept in zip(files, known, strict=True) if kept is None], jobs, executor)
        for path, key, kept in zip(files, keys, known, strict=True):
            if kept is not None:
                yield found_again(path, kept)
                continue
            there = next(found)
            if key and not isinstance(there, str):
                cache.put(key, kept_of(*there))
            yield there
    finally:
        cache.close()


def _key_of(path: Path) -> str:
    """The key of what is in a file; '' for one that cannot be read at once."""
    try:
        return key_of("census", path.read_bytes()) if path.is_file() else ""
    except OSError:
        return ""


def _looked_at(files: list[Path], jobs: int, executor: "Executor | None") -> Iterator[_There]:
    if executor is not None:
        for first in range(0, len(files), _SENT_AT_ONCE):
            yield from executor.map(_in_text, [_with_text(path) for path in files[first : first + _SENT_AT_ONCE]])
    elif jobs < 2 or len(files) < _ENOUGH_FOR_TWO:
        yield from map(_in_text, map(_with_text, files))
    else:
        with workers.pool(jobs) as pool:
            yield from pool.map(_in_file, files, chunksize=8)


_Read = tuple[Path, str, str]
"""A file, its text, and why it has none."""


def _with_text(path: Path) -> _Read:
    try:
        return path, read(path).text, ""
    except BadSource as error:
        return path, "", str(error)


def _in_file(path: Path) -> _There:
    return _in_text(_with_text(path))


def _in_text(found: _Read) -> _There:
    path, text, problem = found
    try:
        with calm():  # trees are not kept: a whole project of them is more than a machine likes to hold
            return problem or switches_in(path, text)
    except BadSource as error:
        return str(error)


def switches_in(path: Path, text: str) -> tuple[list[tuple[str, Switch]], Families]:
    """The switches of a module, each with its place, and its classes. Raises BadSource for what is no Python."""
    tree = parse(text, path)
    tables, found = tables_of(tree), {}
    for f in functions_in(tree, text):  # a function inside another one comes later, and knows its own name
        for switch in switches(f.node, tables):
            if switch.by != "range" and len(switch.kinds) >= 2:
                found[switch.line, switch.subject, switch.form] = (f"{path}::{f.name}", switch)
    return list(found.values()), Families.of([tree])


def _key(switch: Switch, families: Families) -> tuple[str, str]:
    enum = families.enum_of(switch.kinds)
    if enum is not None:
        return enum, "enum"
    if switch.by == "type":
        roots = {families.root(kind) for kind in switch.kinds}
        return (roots.pop() if len(roots) == 1 else switch.subject.rpartition(".")[2]), "type"
    plain = re.fullmatch(r"[\w.]+", switch.subject)
    return (switch.subject.rpartition(".")[2] if plain else switch.subject), "value"


def _joined(found: dict[tuple[str, str], list[tuple[str, Switch]]]) -> dict[tuple[str, str], list[tuple[str, Switch]]]:
    """Codes of one name that share no code are different things: they are told apart by a number."""
    joined: dict[tuple[str, str], list[tuple[str, Switch]]] = {}
    for (name, by), places in found.items():
        if by != "value":
            joined[name, by] = places
            continue
        parts: list[tuple[set[str], list[tuple[str, Switch]]]] = []
        for place in places:
            kinds = set(place[1].kinds)
            touching = [part for part in parts if _are_one(part[0], kinds)]
            rest = [part for part in parts if not any(part is other for other in touching)]
            merged = ({*kinds, *(k for part in touching for k in part[0])}, [p for part in touching for p in part[1]])
            parts = [*rest, (merged[0], [*merged[1], place])]
        for number, (_, inside) in enumerate(parts):
            joined[name if number == 0 else f"{name} ({number + 1})", by] = inside
    return joined


def _are_one(some: set[str], others: set[str]) -> bool:
    """Whether two sets of codes are of one thing: they share two, and half of what the smaller one has."""
    shared = len(some & others)
    return shared >= 2 and 2 * shared >= min(len(some), len(others))


def _group(key: tuple[str, str], places: list[tuple[str, Switch]], families: Families) -> Group:
    name, by = key
    places = sorted(places, key=lambda place: (place[0].partition("::")[0], place[1].line))
    kinds = list(dict.fromkeys(kind for _, switch in places for kind in switch.kinds))
    if by == "enum":
        kinds = [f"{name}.{member}" for member in families.members[name]]
    elif by == "type" and name in families.bases:
        known = {ancestor for kind in kinds for ancestor in families.ancestors(kind)} | set(kinds)
        kinds += [leaf for leaf in families.leaves(name) if leaf not in known]
    rows = tuple(tuple(_cell(kind, switch, families) for _, switch in places) for kind in kinds)
    told = tuple(Place(function, switch.line, switch.form, switch.default) for function, switch in places)
    return Group(name, by, tuple(kinds), told, rows)


def _cell(kind: str, switch: Switch, families: Families) -> str:
    """A subclass of a handled class counts as handled."""
    if families.ancestors(kind) & set(switch.kinds):
        return HANDLED
    if switch.by == "type" and any(kind in families.ancestors(taken) for taken in switch.kinds):
        return HANDLED
    return DEFAULT if switch.default else MISSING
