"""Moves: how an input is changed towards an outcome of a test, given what the test was comparing.

To the constants it compares with and their neighbours, to the very value seen on the other side of the
comparison, along the slope of the difference (one Newton step) where numbers are computed, and a piece at
a time where texts are looked into.
"""

import ast
import contextlib
import datetime
import itertools
import math
import random
import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import Any

from dreck.trial.inputs.asked.texts import mutated
from dreck.trial.inputs.asked.usage import Usages
from dreck.trial.inputs.candidates import Candidates
from dreck.trial.inputs.recipes import Make, general
from dreck.trial.playing.standins import StandIn
from dreck.trial.running.run import Observation, Runner
from dreck.trial.running.watch import AGAIN

Choice = dict[str, Make]
Outcome = tuple[int, int, bool]
_REWORDED = 24
_EDGE_PATHS = 5
_EDGES = 5
_LARGEST = 1e300
"""Slopes are followed among numbers no larger."""
_MEMBERS = 12
_STEPS = 8
_PLACE = re.compile(r"[^\W\d]\w*(\.\w+|\[[^\]]*\]|\(\w*\)|#\d+)*")
_SAMENESS = ("Is", "IsNot", "Eq", "NotEq")
_ORDERS = ("Lt", "LtE", "Gt", "GtE", "Eq", "NotEq")


@dataclass(slots=True)
class Tried:
    """One input with what it reached and what each test was comparing."""

    choice: Choice
    used: dict[str, Make]
    reached: frozenset[Outcome]
    operands: dict[tuple[int, int], list[tuple[str, Any, Any]]]
    alike: bool
    old: Observation
    new: Observation
    trail: tuple[tuple[int, bool], ...] = ()
    """The outcomes in the order the last of the versions asked for them."""
    given: Choice = field(default_factory=dict)
    """What the last of the versions was given: the choice, and all that the first one made of it."""
    met: frozenset[tuple[str, str]] = frozenset()
    """Places of things made up that were asked whether they are equal, and were not."""
    far: tuple[bool, int, int] = (False, 0, 0)
    """How far it got: to the end, outcomes on the way, the line of the old version it died at."""

    def died_of(self, kind: str) -> Iterator[str]:
        """The paths at which something of class `kind` stood that nothing else was asked of."""
        for path, make in self.used.items():
            if _PLACE.fullmatch(path) and _would_be(make, kind) and not self._is_asked(path):
                yield path

    def _is_asked(self, path: str) -> bool:
        return any(other.startswith((f"{path}.", f"{path}[", f"{path}(", f"{path}#")) for other in self.used)


@dataclass(slots=True)
class Moves:
    """Choices that follow from an input tried before. `attempt` runs one of them, or tells what came of it."""

    candidates: Candidates
    usages: Usages
    runners: tuple[Runner, ...]
    pieces: tuple[str, ...]
    attempt: Callable[[Choice], Tried | None]

    def towards(self, parent: Tried, side: int, number: int, test: ast.AST) -> Iterator[Choice]:
        """For one test: the likeliest first."""
        if isinstance(test, ast.ExceptHandler):
            yield from self._faults(parent)
        paths = self._relevant(parent, test)
        operands = parent.operands.get((side, number), [])
        for op, left, right in operands:
            yield from self._matching(parent, paths, op, left, right)
        for path in paths:
            for make in self.candidates.at(path):
                yield {**parent.choice, path: make}
        for op, left, right in operands:
            yield from self._along(parent, paths, side, number, op, left, right)
        yield from self._reworded(parent, paths, operands)
        if len(paths) > 1:
            yield from self.pairs(parent, paths)

    def at_edges(self, parent: Tried, side: int, number: int, test: ast.AST) -> Iterator[Choice]:
        """Where numbers are compared, both sides equal and just beside; where members are, each of them."""
        told = parent.operands.get((side, number), ())
        paths = self._relevant(parent, test)[:_EDGE_PATHS]
        for op, left, right in told:
            if op in ("In", "NotIn"):
                yield from itertools.islice(self._matching(parent, paths, op, left, right), _MEMBERS)
        later = parent.operands.get((side, number + AGAIN), ())
        rounds = [*((number, t) for t in told), *((number + AGAIN, t) for t in later)]
        for asked, (op, left, right) in [r for r in rounds if r[1][0] in _ORDERS]:
            for path in paths:
                along = self._along(parent, [path], side, asked, op, left, right)
                yield from self._closed_in(parent, path, side, asked)
                inside = self._matching(parent, [path], op, left, right) if is_text(parent, path) else iter(())
                yield from (*itertools.islice(along, _EDGES), *itertools.islice(inside, _EDGES))

    def _reworded(self, parent: Tried, paths: list[str], operands: list[tuple[str, Any, Any]]) -> Iterator[Choice]:
        """Texts the test looks at, with pieces the code knows put in, taken out and repeated, and stretched."""
        pick = random.Random(len(parent.choice) + len(parent.trail))
        sizes = [n + d for _, *sides in operands for n in sides if type(n) is int and 0 < n < 200 for d in (0, 1, -1)]
        for path in [p for p in paths if is_text(parent, p)][:3]:
            for size in dict.fromkeys(sizes):
                text = parent.used[path].what
                for longer in ("a" * size, text + "a" * size, text[:1] * size):
                    yield {**parent.choice, path: Make("value", longer)}
            for _ in range(_REWORDED):
                yield {**parent.choice, path: Make("value", mutated(parent.used[path].what, self.pieces, pick))}

    def _faults(self, parent: Tried) -> Iterator[Choice]:
        """Lets one call on a stand-in raise what a handler waits for."""
        for path in parent.used:
            for make in self.candidates.at(path):
                if make.kind == "raise":
                    yield {**parent.choice, path: make}

    def _relevant(self, parent: Tried, test: ast.AST) -> list[str]:
        """The paths a test looks at, and everything below and above them."""
        names = self.usages.depends(test)
        near = [p for p in parent.used if general(p) in names]
        below = [p for p in parent.used if p not in near and any(_touches(general(p), n) for n in names)]
        if any(p.endswith(")") or p.endswith(" given") for p in parent.used):  # what an object was made with
            wholes = {n.partition(".")[0] for n in names if "." in n}
            below += [p for p in parent.used if p.partition("(")[0] in wholes and p not in near + below]
        return near + below or list(parent.used)

    def _matching(self, parent: Tried, paths: list[str], op: str, left: Any, right: Any) -> Iterator[Choice]:
        """Puts what was seen on one side of a comparison where the other side came from."""
        for mine, other in ((left, right), (right, left)):
            if isinstance(mine, StandIn):
                origins = [mine._dreck_path]
            else:
                values = [p for p in paths if parent.used[p].kind == "value" and _PLACE.fullmatch(p)]
                origins = [p for p in values if _same(parent.used[p].what, mine)]
            for path in origins:
                if op in _SAMENESS and (name := self._named(other)):
                    yield {**parent.choice, path: Make("named", name)}
                if isinstance(other, StandIn) and op in _SAMENESS and other._dreck_path in parent.used:
                    yield {**parent.choice, path: Make("same", other._dreck_path)}
                for value in _goals(op, mine, other):
                    yield {**parent.choice, path: Make("value", value)}
            yield from self._inside_texts(parent, paths, op, mine, other)

    def _named(self, value: Any) -> str:
        """The name of one thing of the module that is told from others only by being it, such as a sentinel."""
        if isinstance(value, StandIn | bool | int | float | str | bytes | type(None)):
            return ""
        spaces = [runner.version.namespace for runner in self.runners]
        return next((name for space in spaces for name, known in space.items() if known is value), "")

    def _inside_texts(self, parent: Tried, paths: list[str], op: str, mine: Any, other: Any) -> Iterator[Choice]:
        """A value that was cut out of a text is changed where it stands in that text."""
        paths = [p for p in paths if _PLACE.fullmatch(p)]
        part = str(mine) if isinstance(mine, str | int | float) else ""
        if not part and isinstance(other, str):
            for path in paths:
                whole = parent.used[path].what
                if isinstance(whole, str) and len(whole) < 9:
                    for at in range(len(whole) + 1):
                        yield {**parent.choice, path: Make("value", whole[:at] + other + whole[at:])}
        if not part:
            return
        for path in paths:
            whole = parent.used[path].what
            if isinstance(whole, datetime.date) and isinstance(other, int):
                yield from self._other_dates(parent, path, whole, mine, other)
            if not isinstance(whole, str) or part not in whole or (whole == part and isinstance(mine, str)):
                continue
            for value in _goals(op, mine, other):
                yield {**parent.choice, path: Make("value", whole.replace(part, str(value), 1))}
            if isinstance(other, str) and whole.endswith(part):
                yield {**parent.choice, path: Make("value", whole + other)}

    def _other_dates(self, parent: Tried, path: str, day: datetime.date, mine: Any, other: int) -> Iterator[Choice]:
        for field_name in ("year", "month", "day", "hour", "minute"):
            if getattr(day, field_name, None) == mine:
                for value in (other, other + 1, other - 1):
                    with contextlib.suppress(ValueError):
                        yield {**parent.choice, path: Make("value", day.replace(**{field_name: value}))}

    def _along(
        self, parent: Tried, paths: list[str], side: int, number: int, op: str, left: Any, right: Any
    ) -> Iterator[Choice]:
        """Follows the slope of `left - right` in each number the test is computed from."""
        gap = _difference(left, right)
        if gap is None:
            return
        for path in paths:
            make = parent.used[path]
            if (
                make.kind not in ("value", "list")
                or isinstance(make.what, bool)
                or not isinstance(make.what, int | float)
                or abs(make.what) > _LARGEST
            ):
                continue
            step = {**parent.choice, path: Make(make.kind, make.what + 1)}
            stepped = self.attempt(step)
            if stepped is None:
                continue
            for moved in self._slopes(stepped, side, number, gap, _same(left, make.what)):
                target = make.what - gap / moved
                like = make.what if general(path) in self.candidates.types else 0.5  # any number where none is said
                for value in _whole(target, like):
                    if make.kind == "value" or (type(value) is int and 0 <= value <= 300):
                        yield {**parent.choice, path: Make(make.kind, value)}
            if make.kind == "value":
                for value in (*range(12), 59, 99, 100, 365, 400):
                    yield {**parent.choice, path: Make("value", value)}

    def _closed_in(self, parent: Tried, path: str, side: int, number: int) -> Iterator[Choice]:
        """Where a value computed from a number, or from a date, comes to what it is compared with: step by step."""
        before, gap = parent, _gap(parent, side, number)
        point = scalar(parent.used[path])
        if gap is None or point is None:
            return
        slope, told = 1.0, self.attempt({**parent.choice, path: moved(parent.used[path], 1)})
        for _ in range(_STEPS):
            if told is not None and told is not before and (now := _gap(told, side, number)) is not None:
                at = scalar(told.used[path]) if path in told.used else None
                if at is None or at == point:
                    break
                slope = (now - gap) / (at - point) or slope
                before, gap, point = told, now, at
            if not gap:
                break
            make = moved(before.used[path], round(-gap / slope) or (1 if gap < 0 else -1))
            told = self.attempt({**parent.choice, path: make})
            if told is None:
                break
        if path in before.used:
            for step in (0, 1, -1, 2, -2, 3, -3):
                yield {**parent.choice, path: moved(before.used[path], step)}

    def _slopes(self, stepped: Tried, side: int, number: int, gap: float, is_itself: bool) -> Iterator[float]:
        """How much the difference moves with the number; where one step leads elsewhere, one for one is a guess."""
        told = stepped.operands.get((side, number), ())
        for _, a, b in told[-1:]:
            moved = _difference(a, b)
            if moved is not None and moved != gap:
                yield moved - gap
        if not told:
            yield 1.0 if is_itself else -1.0

    def pairs(self, parent: Tried, paths: list[str]) -> Iterator[Choice]:
        """Two paths at a time, each through the first few things that may stand there."""
        for i, first in enumerate(paths[:5]):
            for second in paths[i + 1 : 5]:
                for a in self.candidates.at(first)[:6]:
                    for b in self.candidates.at(second)[:6]:
                        yield {**parent.choice, first: a, second: b}


def scalar(make: Make) -> float | None:
    """Where on a line of numbers a recipe stands: a number, or a date by its days."""
    if make.kind != "value" or isinstance(make.what, bool):
        return None
    if isinstance(make.what, datetime.date):
        return float(make.what.toordinal())
    if isinstance(make.what, datetime.timedelta):
        return make.what.total_seconds() / 86_400
    number = isinstance(make.what, int | float) and abs(make.what) < 1e15
    return float(make.what) if number and not math.isnan(make.what) else None


def moved(make: Make, step: float) -> Make:
    """The recipe for a value `step` further on: so many days for a date."""
    try:
        days = isinstance(make.what, datetime.date | datetime.timedelta)
        return Make("value", make.what + (datetime.timedelta(days=step) if days else step))
    except (OverflowError, TypeError):
        return make


def _gap(tried: Tried, side: int, number: int) -> float | None:
    told = tried.operands.get((side, number), ())
    return _difference(told[-1][1], told[-1][2]) if told else None


def is_text(tried: Tried, path: str) -> bool:
    """Whether a text stands there that may be reworded."""
    make = tried.used[path]
    is_place = _PLACE.fullmatch(path) is not None and not path.startswith("type(")
    return make.kind == "value" and isinstance(make.what, str) and is_place


def _would_be(make: Make, kind: str) -> bool:
    """Whether what a recipe makes is of the class that an exception names."""
    return make.kind == "stand-in" if kind == "StandIn" else make.kind == "value" and type(make.what).__name__ == kind


def _touches(path: str, name: str) -> bool:
    return (
        path.startswith((f"{name}.", f"{name}[", f"{name}#"))
        or f"({name})" in path
        or path.endswith(f" in {name}")
        or name.startswith((f"{path}.", f"{path}[", f"{path}#"))
    )


def _same(a: Any, b: Any) -> bool:
    return type(a) is type(b) and bool(a == b)


def _goals(op: str, mine: Any, other: Any) -> Iterator[Any]:
    """Values in place of `mine` that make the comparison with `other` come out each way."""
    if isinstance(other, StandIn):
        return
    match op:
        case "In" | "NotIn":
            if isinstance(other, str | list | tuple | set | frozenset | dict) and len(other) < 50:
                yield from list(other)[:6]
        case "startswith" | "endswith" if isinstance(mine, str):
            for text in other if isinstance(other, tuple) else (other,):
                if isinstance(text, str):
                    yield text + mine if op == "startswith" else mine + text
        case "isdigit" | "isalnum":
            yield "12"
        case "isalpha" | "islower":
            yield "text"
        case "isupper":
            yield "TEXT"
        case "isspace":
            yield " "
        case "truth":
            if isinstance(mine, int | float) and not isinstance(mine, bool):
                yield from (0, 1)
        case _ if isinstance(other, int | float) and not isinstance(other, bool):
            yield from (other, other + 1, other - 1)
        case _ if isinstance(other, str | bytes | tuple) or other is None:
            yield other


def _difference(left: Any, right: Any) -> float | None:
    if isinstance(left, datetime.timedelta) and isinstance(right, datetime.timedelta):
        return (left - right) / datetime.timedelta(days=1)
    if isinstance(left, datetime.date) and isinstance(right, datetime.date):
        return float(left.toordinal() - right.toordinal())
    if isinstance(left, int | float) and isinstance(right, int | float):
        gap = float(left) - float(right) if abs(left) < _LARGEST and abs(right) < _LARGEST else math.nan
        return None if math.isnan(gap) or math.isinf(gap) else gap
    return None


def _whole(target: float, like: float) -> Iterator[Any]:
    if math.isnan(target) or math.isinf(target):
        return
    base = math.floor(target)
    yield from (base, base + 1)
    if isinstance(like, float):
        yield target
    yield from (base - 1, base + 2)
    for step in range(3, 13):  # a test before this one may ask for a certain remainder
        yield from (base + step, base - step)
