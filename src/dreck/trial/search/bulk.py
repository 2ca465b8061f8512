"""Many inputs at once, where arguments are plain values: both versions in one tight loop, compared as they come.

What looks different here is only suspected: the search runs it again, watched and described in full.
"""

import contextlib
import datetime
import decimal
import enum
import io
import itertools
import math
import os
import random
import sys
import time
from collections.abc import Callable, Iterator
from typing import Any

from dreck.trial.apart.far import FarRunner
from dreck.trial.inputs.candidates import Candidates
from dreck.trial.inputs.recipes import Make
from dreck.trial.playing.world import World
from dreck.trial.running.describe import Describer
from dreck.trial.running.run import Runner
from dreck.trial.running.surroundings import put_back
from dreck.trial.sandbox.cage import TimeUp
from dreck.trial.search.drawn import Row, arguments, is_plain, rows_drawn
from dreck.trial.search.moves import Choice

_SCALARS = (int, float, str, bytes, bool, type(None), enum.Enum, datetime.date, datetime.timedelta, decimal.Decimal)
_CHUNK = 500
_CHUNK_SECONDS = 0.25
_SUSPECTS = 24
_DAYS = (1, -1, 2, 7, -7, 28, 30, 31, -31, 59, 60, 90, 182, 365, 366, -365, 731, 1461)
"""To other days of the week, ends of months, and years of both lengths."""
_FEW = 20_000
_CHUNK_DRAWN, _MOST_DRAWN = 100, 2_000
_MOST_FAR = 2_000
"""Rows that go to another process: so many are done in time also where the machine has other things to do."""
_FIXED = (int, float, str, bytes, bool, type(None))
_BUILT_IN = (list, tuple, set, dict)
_DRAWN = 1_000_000
_now = time.process_time


class Bulk:
    """Draws plain arguments for two versions and runs both. `pools` holds what each parameter may be."""

    def __init__(self, runners: tuple[Runner, Runner], candidates: Candidates, used: dict[str, Make]) -> None:
        self.runners = runners
        self.candidates = candidates
        self.count = 0
        self.names = runners[0].parameters()
        self.pools = _pools(runners, candidates, used) if set(used) <= set(self.names) else []
        """What each parameter may be, where all of them are plain values and nothing else."""

    @classmethod
    def fits(cls, runners: tuple[Runner, ...], used: dict[str, Make]) -> bool:
        """Whether an input is nothing but plain values and containers of them, passed by position."""
        if len(runners) != 2 or any(not runner.is_plain() for runner in runners):
            return False
        names = runners[0].parameters()
        return bool(names) and names == runners[1].parameters() and all(map(is_plain, used.values()))

    def suspects(self, inputs: int, seconds: float) -> Iterator[Choice]:
        """Choices for which the two seem to differ, out of `inputs` drawn at random; stops after `seconds`."""
        is_scalar = bool(self.pools) and all(self.pools)
        rows = self._rows() if is_scalar else self._rows_of_containers()
        most, size = (inputs, _CHUNK) if is_scalar else (min(inputs, _MOST_DRAWN), _CHUNK_DRAWN)
        most = min(most, _MOST_FAR) if isinstance(self.runners[1], FarRunner) else most
        until = _now() + seconds
        while self.count < most and _now() < until:
            chunk = list(itertools.islice(rows, size))
            if not chunk:
                return
            odd = self._odd(chunk)
            if odd is None:
                return
            for row in odd[:_SUSPECTS]:
                yield chunk[row].choice
            if len(odd) > _SUSPECTS:
                return

    def _rows(self) -> Iterator[Row]:
        """Arguments drawn at random, none twice; all there are when they are few."""
        pick = random.Random(5)
        if math.prod(map(len, self.pools)) <= _FEW:
            every = list(itertools.product(*self.pools))
            pick.shuffle(every)
            yield from map(self._row, every)
            return
        seen: set[tuple[int, ...]] = set()
        for _ in range(_DRAWN):
            places = tuple(pick.randrange(len(pool)) for pool in self.pools)
            if places not in seen:
                seen.add(places)
                yield self._row(tuple(pool[at] for pool, at in zip(self.pools, places, strict=True)))

    def _row(self, parts: tuple[tuple[Make, Any, Any], ...]) -> Row:
        choice = {name: make for name, (make, _, _) in zip(self.names, parts, strict=True)}
        return Row(choice, [old for _, old, _ in parts], [new for _, _, new in parts])

    def _rows_of_containers(self) -> Iterator[Row]:
        spaces = self.runners[0].version.namespace, self.runners[1].version.namespace
        near = (spaces[0], spaces[0]) if isinstance(self.runners[1], FarRunner) else spaces
        return rows_drawn(self.candidates, self.names, near, random.Random(9))

    def _odd(self, chunk: list[Row]) -> list[int] | None:
        """The rows that seem to differ; None when the chunk did not end in time or was refused something."""
        other = self.runners[1]
        if isinstance(other, FarRunner):
            return self._odd_in_two_worlds(other, chunk)
        cage, still = self.runners[0].cage, self.runners[0].still
        old, new = (runner.version.plain for runner in self.runners)
        assert old is not None and new is not None
        odd: list[int] = []
        done = 0
        cage.told.clear()
        before = dict(os.environ)
        still.begin()
        with _two_outputs() as outputs, self.runners[0].keeping(), self.runners[1].keeping():
            try:
                with cage.timed(_CHUNK_SECONDS):
                    for row in chunk:
                        sys.stdout = outputs[0]
                        mine = _ended(old, row.old)
                        sys.stdout = outputs[1]
                        theirs = _ended(new, row.new)
                        if not (_alike(mine, theirs) and _left_alike(row)):
                            odd.append(done)
                        done += 1
            except TimeUp:
                return None
        self.count += done
        if put_back(before) or cage.told:
            return None
        same_output = outputs[0].getvalue() == outputs[1].getvalue()
        return odd if same_output else list(range(done))

    def _odd_in_two_worlds(self, new: FarRunner, chunk: list[Row]) -> list[int] | None:
        rows = [row.choice for row in chunk]
        mine = told_rows(self.runners[0], self.candidates, rows)
        theirs = new.call(_TOLD_ROWS, rows) if mine is not None else None
        if mine is None or theirs is None:
            return None
        self.count += len(rows)
        return [i for i, (one, other) in enumerate(zip(mine, theirs, strict=True)) if one != other]


def told_rows(runner: Runner, candidates: Candidates, rows: list[Choice]) -> list[int] | None:
    """What a version comes to on each row of arguments, hashed; None when it did not end in time or was refused."""
    function, names = runner.version.plain, runner.parameters()
    assert function is not None
    found: list[int] = []
    runner.cage.told.clear()
    before = dict(os.environ)
    runner.still.begin()
    with _two_outputs() as outputs, runner.keeping():
        sys.stdout = outputs[0]
        try:
            with runner.cage.timed(_CHUNK_SECONDS):
                for row in rows:
                    given = arguments(candidates, row, names, runner.version.namespace)
                    ended = _ended(function, given), given
                    found.append(hash(repr(Describer().of(ended)) + outputs[0].getvalue()))
                    outputs[0].seek(0)
                    outputs[0].truncate()
        except TimeUp:
            return None
    return None if put_back(before) or runner.cage.told else found


_TOLD_ROWS = "dreck.trial.search.bulk:told_rows"


def _ended(function: Callable[..., Any], args: list[Any]) -> tuple[bool, Any]:
    try:
        return True, function(*args)
    except TimeUp:
        raise
    except BaseException as error:
        return False, error


def _alike(mine: tuple[bool, Any], theirs: tuple[bool, Any]) -> bool:
    (returned, a), (also, b) = mine, theirs
    if returned != also or type(a) is not type(b):
        return _named_alike(a, b) and Describer().of(a) == Describer().of(b)
    if not returned:
        return bool(a.args == b.args) and bool(Describer().of(a) == Describer().of(b))
    kind = type(a)
    if kind is int or kind is str or kind is bool or a is None or kind is bytes:
        return bool(a == b)
    return bool(Describer().of(a) == Describer().of(b))


def _left_alike(row: Row) -> bool:
    """Whether the containers among the arguments are left the same by both."""
    return all(
        (kind := type(mine)) in _FIXED
        or (kind in _BUILT_IN and repr(mine) == repr(theirs))
        or _alike((True, mine), (True, theirs))
        for mine, theirs in zip(row.old, row.new, strict=True)
    )


def _named_alike(a: Any, b: Any) -> bool:
    """Two versions of a module have two classes of one name."""
    return type(a).__qualname__ == type(b).__qualname__


@contextlib.contextmanager
def _two_outputs() -> Iterator[tuple[io.StringIO, io.StringIO]]:
    before = sys.stdout, sys.stderr
    outputs = io.StringIO(), io.StringIO()
    sys.stderr = io.StringIO()
    try:
        yield outputs
    finally:
        sys.stdout, sys.stderr = before


def _pools(
    runners: tuple[Runner, Runner], candidates: Candidates, used: dict[str, Make]
) -> list[list[tuple[Make, Any, Any]]]:
    """For each parameter: recipes, with the value for either version."""
    near = [runners[0] if isinstance(runner, FarRunner) else runner for runner in runners]
    worlds = [World(candidates, {}, runner.version.namespace) for runner in near]
    pools = []
    for name in runners[0].parameters():
        makes = [used[name]] if name in used else []
        makes += [m for m in candidates.at(name) if m.kind in ("value", "named")]
        makes += [Make("value", v) for v in _near([m.what for m in makes if m.kind == "value"])]
        pool = []
        for make in makes:
            values = [world.build(name, make) for world in worlds]
            if all(_is_scalar(v) for v in values):
                pool.append((make, values[0], values[1]))
        pools.append(pool)
    return pools


def _is_scalar(value: Any) -> bool:
    return isinstance(value, _SCALARS) or (isinstance(value, tuple) and all(map(_is_scalar, value)))


def _near(values: list[Any]) -> Iterator[Any]:
    """Numbers around and between those that are plausible; strings put together."""
    pick = random.Random(3)
    numbers = [v for v in values if type(v) in (int, float) and abs(v) < 1e12]
    if numbers:
        top = int(max(abs(v) for v in numbers)) + 3
        yield from (v + d for v in numbers for d in (-2, -1, 1, 2))
        yield from (pick.randint(-top, 2 * top) for _ in range(60))
        yield from range(-3, 14)
        if any(type(v) is float for v in numbers):
            yield from (pick.uniform(-top, 2 * top) for _ in range(20))
    for day in [v for v in values if issubclass(type(v), datetime.date)][:6]:
        with contextlib.suppress(OverflowError):
            yield from [day + datetime.timedelta(d) for d in _DAYS]
    texts = [v for v in values if type(v) is str]
    yield from (a + b for a in texts[:8] for b in texts[:8])
