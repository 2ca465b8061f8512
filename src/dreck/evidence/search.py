"""The search for inputs: guided by the outcome that is still missing, not by luck.

An input that reaches a test is changed in what the test looks at: to the constants it compares with and
their neighbours, to the very value seen on the other side of the comparison, and along the slope of the
difference (one Newton step) where numbers are computed. What reaches further is kept and built on.
"""

import ast
import contextlib
import datetime
import itertools
import math
import random
import re
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import Any

from dreck.evidence.bulk import Bulk
from dreck.evidence.candidates import Candidates
from dreck.evidence.make import Make
from dreck.evidence.mishaps import learned
from dreck.evidence.runs import ENDLESS, RUN_SECONDS, Observation, Runner
from dreck.evidence.standins import StandIn, general
from dreck.evidence.texts import mutated
from dreck.evidence.usage import Usages
from dreck.evidence.world import World

_now = time.monotonic
"""The real clock, whatever the code under trial is told."""

Choice = dict[str, Make]
Outcome = tuple[int, int, bool]


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
    far: tuple[bool, int, int] = (False, 0, 0)
    """How far it got: to the end, outcomes on the way, the line of the old version it died at."""


@dataclass(slots=True)
class Search:
    """Looks for inputs that reach every outcome of every version, and for one on which they differ."""

    runners: tuple[Runner, ...]
    candidates: Candidates
    usages: Usages
    inputs: int = 600
    seconds: float = 1.2
    announce: Callable[[int], None] = lambda number: None
    skipped: frozenset[int] = frozenset()
    pieces: tuple[str, ...] = ("a", "1", " ")
    """What texts are made of here: pieces the code names."""
    starts: tuple[Choice, ...] = ()
    """Recorded calls, tried before anything else."""
    count: int = 0
    reached: set[Outcome] = field(default_factory=set)
    reaching: dict[tuple[int, int], list[Tried]] = field(default_factory=dict)
    different: Tried | None = None
    deaths: set[str] = field(default_factory=set)
    finished: int = 0
    unstable: bool = False
    endless: int = 0
    not_charged: float = 0.0
    expects: Callable[[Choice], bool] | None = None
    """Whether the versions are meant to differ on an input."""
    overlooks: Callable[[Tried], bool] = lambda tried: False
    """Differences that are none for whoever asks."""
    expected: Tried | None = None
    held: int = 0
    in_bulk: int = 0
    all_tried: list[Tried] = field(default_factory=list)
    _seen: dict[str, Tried | None] = field(default_factory=dict)
    _until: float = 0.0

    def run(self) -> None:
        """Searches until everything is reached and a margin of further inputs agrees, or the budget ends."""
        self._until = _now() + self.seconds
        for choice in self.starts:
            self.attempt(choice)
        first = self._first()
        if first is None or self._wavers(first):
            return
        first = self._brought_through(first)
        self._each_alone(first)
        self._guided()
        self._at_edges()
        self._in_bulk()
        self._at_random()
        if self.different is not None:
            self._shrink()

    def _first(self) -> Tried | None:
        """The most plausible input; if the process dies of it, the next one that differs in one parameter."""
        found = self.attempt({})
        if found is not None:
            return found
        for name in self.runners[0].parameters():
            for make in self.candidates.at(name)[1:12]:
                found = self.attempt({name: make})
                if found is not None:
                    return found
        return None

    def once(self, choice: Choice) -> Tried | None:
        """One input, run whatever the budget."""
        self._until = _now() + 5.0
        return self.attempt(choice)

    def wanted(self) -> set[Outcome]:
        return {
            (side, number, outcome)
            for side, runner in enumerate(self.runners)
            for number, outcome in runner.version.watched.outcomes
        }

    # --- phases ------------------------------------------------------------------------------------

    def _wavers(self, first: Tried) -> bool:
        """Whether the old version gives another answer when asked the same again."""
        again, _, _ = self.runners[0].run(self.candidates, first.choice)
        self.unstable = again.result != first.old.result and again.error == first.old.error and not again.shared
        return self.unstable

    def _brought_through(self, first: Tried) -> Tried:
        """Inputs that die of what they are, changed one path at a time to whatever gets further."""
        best = first
        for _ in range(_REPAIRS):
            if best.old.error is None or self._over():
                return best
            further = self._further(best)
            if further is None:
                return best
            best = further
        return best

    def _further(self, best: Tried) -> Tried | None:
        for path in list(best.used):
            for make in self.candidates.at(path)[:8]:
                if self._over():
                    return None
                found = self.attempt({**best.choice, path: make})
                if found is not None and found.far > best.far:
                    return found
        return None

    def _each_alone(self, first: Tried) -> None:
        """Every path once through what may stand there, on the first input that brought it up."""
        explored: set[str] = set()
        parents = [first]
        seen = 0
        while parents and self.count < self.inputs // 3:
            parent = parents.pop(0)
            for path in [p for p in parent.used if general(p) not in explored]:
                explored.add(general(path))
                for make in self.candidates.at(path)[:12]:
                    if self._over():
                        return
                    self.attempt({**parent.choice, path: make})
            parents += [t for t in self.all_tried[seen:] if any(general(p) not in explored for p in t.used)]
            seen = len(self.all_tried)

    def _guided(self) -> None:
        """Rounds over all outcomes that are missing; each gets a few inputs, and more when a round brought nothing."""
        allowed = _MOVES
        while not self._over() and allowed <= _MOST_MOVES:
            missing = sorted(self.wanted() - self.reached)
            if not missing:
                return
            reached, tried = len(self.reached), self.count
            for outcome in missing:
                if outcome not in self.reached:
                    self._towards(outcome, allowed)
                if self._over():
                    return
            if self.count == tried:
                return
            allowed = _MOVES if len(self.reached) > reached else allowed * 3

    def _towards(self, outcome: Outcome, allowed: int) -> None:
        side, number, _ = outcome
        test = self.runners[side].version.watched.tests[number]
        parents = self.reaching.get((side, number)) or self._nearby()
        until = self.count + allowed
        for parent in parents[-4:]:
            for choice in self._moves(parent, side, number, test):
                if self._over() or self.count >= until:
                    return
                self.attempt(choice)
                if outcome in self.reached:
                    return

    def _at_edges(self) -> None:
        """Where numbers are compared: the inputs at which the two sides are equal, and just beside."""
        for (side, number), parents in sorted(self.reaching.items(), key=lambda item: item[0]):
            test = self.runners[side].version.watched.tests[number]
            for parent in (parents[-1], max(parents, key=lambda tried: len(tried.trail))):
                told = parent.operands.get((side, number), ())
                paths = self._relevant(parent, test)[:_EDGE_PATHS]
                for (op, left, right), path in itertools.product([t for t in told if t[0] in _ORDERS], paths):
                    along = self._along(parent, [path], side, number, op, left, right)
                    inside = self._matching(parent, [path], op, left, right) if _is_text(parent, path) else iter(())
                    for choice in (*itertools.islice(along, _EDGES), *itertools.islice(inside, _EDGES)):
                        if self._over():
                            return
                        self.attempt(choice)

    def _nearby(self) -> list[Tried]:
        """Inputs that got far, for outcomes no test leads to, such as a handler."""
        found = [tried for group in self.reaching.values() for tried in group]
        return sorted(found, key=lambda tried: len(tried.reached))[-3:]

    def _in_bulk(self) -> None:
        """Where arguments are plain values: thousands more, at little cost."""
        stopped = self.different is not None or self.unstable or _now() > self._until
        if stopped or self.expects is not None or not self.all_tried:
            return
        tried = max(self.all_tried, key=lambda t: len(t.reached))
        if not Bulk.fits(self.runners, tried.used):
            return
        old, new = self.runners
        bulk = Bulk((old, new), self.candidates, tried.used)
        for choice in bulk.suspects(_BULK, self.seconds / 8):
            self.attempt(choice)
            if self.different is not None:
                break
        self.in_bulk = bulk.count

    def _at_random(self) -> None:
        pick = random.Random(11)
        corpus = [t for group in self.reaching.values() for t in group] or []
        unique = list({id(t): t for t in corpus}.values())
        margin = 200
        for _ in range(margin):
            if self._over() or not unique:
                return
            parent = pick.choice(unique)
            choice = dict(parent.choice)
            paths = list(parent.used)
            if not paths:
                return
            for path in pick.sample(paths, min(len(paths), pick.choice((1, 1, 2, 3)))):
                known = self.candidates.at(path) or [Make("stand-in")]
                text = parent.used[path].what
                if isinstance(text, str) and parent.used[path].kind == "value" and pick.random() < _MUTATED:
                    choice[path] = Make("value", mutated(text, self.pieces, pick))
                else:
                    choice[path] = pick.choice(known)
            self.attempt(choice)

    def _over(self) -> bool:
        return self.different is not None or self.unstable or self.count >= self.inputs or _now() > self._until

    def _shrink(self) -> None:
        """Makes the input that shows the difference smaller: fewer choices, then values nearer to nothing."""
        tries = 0
        changed, end = True, _now() + _SHRINK_SECONDS
        while changed and tries < _SHRINKS and _now() < end:
            changed = False
            assert self.different is not None
            for choice in _smaller(self.different):
                tries += 1
                if tries > _SHRINKS or _now() > end:
                    break
                best, self.different = self.different, None
                found = self.attempt(choice)
                if self.different is None:
                    self.different = best
                elif found is not None:
                    changed = True
                    break

    # --- moves -------------------------------------------------------------------------------------

    def _moves(self, parent: Tried, side: int, number: int, test: ast.AST) -> Iterator[Choice]:
        if isinstance(test, ast.ExceptHandler):
            yield from self._faults(parent)
        paths = self._relevant(parent, test)
        for op, left, right in parent.operands.get((side, number), ()):
            yield from self._matching(parent, paths, op, left, right)
        for path in paths:
            for make in self.candidates.at(path):
                yield {**parent.choice, path: make}
        for op, left, right in parent.operands.get((side, number), ()):
            yield from self._along(parent, paths, side, number, op, left, right)
        if len(paths) > 1:
            yield from self._pairs(parent, paths)
        yield from self._reworded(parent, paths)

    def _reworded(self, parent: Tried, paths: list[str]) -> Iterator[Choice]:
        """Texts the test looks at, with pieces the code knows put in, taken out and repeated."""
        pick = random.Random(len(self.all_tried))
        for path in [p for p in paths if _is_text(parent, p)][:3]:
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
                origins = [p for p in paths if parent.used[p].kind == "value" and _same(parent.used[p].what, mine)]
            for path in origins:
                for value in _goals(op, mine, other):
                    yield {**parent.choice, path: Make("value", value)}
            yield from self._inside_texts(parent, paths, op, mine, other)

    def _inside_texts(self, parent: Tried, paths: list[str], op: str, mine: Any, other: Any) -> Iterator[Choice]:
        """A value that was cut out of a text is changed where it stands in that text."""
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
            ):
                continue
            step = {**parent.choice, path: Make(make.kind, make.what + 1)}
            stepped = self.attempt(step) or self._seen.get(_mark(step))
            if stepped is None:
                continue
            for moved in self._slopes(stepped, side, number, gap, _same(left, make.what)):
                target = make.what - gap / moved
                for value in _whole(target, make.what):
                    if make.kind == "value" or 0 <= value <= 300:
                        yield {**parent.choice, path: Make(make.kind, value)}
            if make.kind == "value":
                for value in (*range(12), 59, 99, 100, 365, 400):
                    yield {**parent.choice, path: Make("value", value)}

    def _slopes(self, stepped: Tried, side: int, number: int, gap: float, is_itself: bool) -> Iterator[float]:
        """How much the difference moves with the number; where one step leads elsewhere, one for one is a guess."""
        told = stepped.operands.get((side, number), ())
        for _, a, b in told[-1:]:
            moved = _difference(a, b)
            if moved is not None and moved != gap:
                yield moved - gap
        if not told:
            yield 1.0 if is_itself else -1.0

    def _pairs(self, parent: Tried, paths: list[str]) -> Iterator[Choice]:
        for i, first in enumerate(paths[:5]):
            for second in paths[i + 1 : 5]:
                for a in self.candidates.at(first)[:6]:
                    for b in self.candidates.at(second)[:6]:
                        yield {**parent.choice, first: a, second: b}

    # --- one input ---------------------------------------------------------------------------------

    def attempt(self, choice: Choice) -> Tried | None:
        """Runs both versions on one input; None when it was tried before or the time is up."""
        mark = _mark(choice)
        if mark in self._seen:
            return None
        self._seen[mark] = None
        self.count += 1
        self.announce(self.count)
        if self.count in self.skipped:
            return None
        seen: list[Observation] = []
        worlds: list[World] = []
        reached: set[Outcome] = set()
        operands: dict[tuple[int, int], list[tuple[str, Any, Any]]] = {}
        for side, runner in enumerate(self.runners):
            begun = _now()
            try:
                observation, world, outcomes = runner.run(self.candidates, choice)
            except (RecursionError, MemoryError):
                return None  # what the input is made of cannot be described
            self._allow_for(observation, _now() - begun)
            seen.append(observation)
            worlds.append(world)
            reached |= {(side, number, outcome) for number, outcome in outcomes}
            operands |= {(side, n): told for n, told in runner.version.watcher.operands.items()}
        used = {path: make for world in reversed(worlds) for path, make in world.used.items()}
        trail = tuple(self.runners[-1].version.watcher.trail)
        alike = seen[0] == seen[-1]
        far = (seen[0].error is None, len(trail), worlds[0].died_at)
        tried = Tried(choice, used, frozenset(reached), operands, alike, seen[0], seen[-1], trail, far)
        self._seen[mark] = tried
        self._keep(tried)
        return tried

    def _confirm(self, tried: Tried) -> None:
        """Asked again the old version has to say the same; and what ran out of time gets more of it."""
        ran_out = ENDLESS in (tried.old.error, tried.new.error)
        seconds = RUN_SECONDS * (8 if ran_out else 1)
        old, new = (runner.run(self.candidates, tried.choice, seconds)[0] for runner in self.runners)
        if ran_out and old == new:
            return
        before = tried.old
        self.unstable = (old.result, old.error, old.environment) != (before.result, before.error, before.environment)
        self.different = None if self.unstable else tried

    def _learn(self, tried: Tried) -> None:
        """An input that died of a value's class says which class is wanted there."""
        unfit, wanted = learned(tried.old.error)
        if not wanted:
            return
        for path, make in tried.used.items():
            if _PLACE.fullmatch(path) and _would_be(make, unfit) and not _is_asked(path, tried.used):
                self.candidates.want(path, wanted)

    def _allow_for(self, observation: Observation, seconds: float) -> None:
        """The first few runs that do not end, or are very slow, are not charged to the search."""
        if (
            (observation.error == ENDLESS or seconds > 0.1)
            and self.endless < 12
            and self.not_charged < 8 * self.seconds
        ):
            self.endless += 1
            self.not_charged += seconds
            self._until += seconds

    def _keep(self, tried: Tried) -> None:
        self.all_tried.append(tried)
        self._learn(tried)
        meant = self.expects is not None and self.expects(tried.choice)
        self.held += meant
        if meant:
            if not tried.alike and self.expected is None:
                self.expected = tried
        elif not tried.alike and self.different is None and not self.overlooks(tried):
            self._confirm(tried)
        self.finished += tried.old.error is None
        self.deaths.add(repr(tried.old.error)[:200] if tried.old.error is not None else "")
        if tried.reached - self.reached:
            for side, number, _ in tried.reached:
                self.reaching.setdefault((side, number), []).append(tried)
        self.reached |= tried.reached


_PLACE = re.compile(r"[^\W\d]\w*(\.\w+|\[[^\]]*\]|\(\w*\)|#\d+)*")
"""A path at which something stands, and no question asked of it."""
_MOVES = 15
_MOST_MOVES = 4_000
_MUTATED = 0.6
_REWORDED = 24
_SHRINKS = 40
_SHRINK_SECONDS = 4.0
_EDGES = 4
_EDGE_PATHS = 5
_REPAIRS = 12
_BULK = 10_000
_ORDERS = ("Lt", "LtE", "Gt", "GtE", "Eq", "NotEq")


def _would_be(make: Make, kind: str) -> bool:
    """Whether what a recipe makes is of the class that an exception names."""
    return make.kind == "stand-in" if kind == "StandIn" else make.kind == "value" and type(make.what).__name__ == kind


def _is_asked(path: str, used: dict[str, Make]) -> bool:
    """Whether something stood there that was asked for its parts."""
    return any(other.startswith((f"{path}.", f"{path}[", f"{path}(")) for other in used)


def _is_text(tried: Tried, path: str) -> bool:
    return isinstance(tried.used[path].what, str)


def _mark(choice: Choice) -> str:
    return repr(sorted(choice.items(), key=lambda item: item[0]))


def _smaller(tried: Tried) -> Iterator[Choice]:
    for path in sorted(tried.choice):
        yield {p: make for p, make in tried.choice.items() if p != path}
    for path, make in sorted(tried.used.items()):
        if make.kind == "list" and make.what > 0:
            yield {**tried.choice, path: Make("list", make.what - 1)}
        if make.kind != "value" or isinstance(make.what, bool):
            continue
        if isinstance(make.what, int | float) and not math.isnan(make.what):
            for value in (0, 1, make.what // 2):
                if abs(value) < abs(make.what):
                    yield {**tried.choice, path: Make("value", value)}
        elif isinstance(make.what, str) and len(make.what) > 1:
            yield {**tried.choice, path: Make("value", make.what[: len(make.what) // 2])}


def _touches(path: str, name: str) -> bool:
    return (
        path.startswith((f"{name}.", f"{name}["))
        or f"({name})" in path
        or path.endswith(f" in {name}")
        or name.startswith((f"{path}.", f"{path}["))
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
    if isinstance(left, int | float) and isinstance(right, int | float):
        gap = float(left) - float(right) if abs(left) < 1e300 and abs(right) < 1e300 else math.nan
        return None if math.isnan(gap) or math.isinf(gap) else gap
    return None


def _whole(target: float, like: float) -> Iterator[Any]:
    if math.isnan(target) or math.isinf(target):
        return
    base = math.floor(target)
    yield from (base, base + 1, base - 1, base + 2)
    if isinstance(like, float):
        yield target
    for step in range(3, 13):  # a test before this one may ask for a certain remainder
        yield from (base + step, base - step)
