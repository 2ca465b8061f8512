"""Slips: what a trial would have noticed. Each small wrong change of the region both versions differ in is put into
one of them, and the inputs that were tried are run on it again.

A slip that no input notices is looked for with both in lock-step. What is left is told, with the function so
changed: whether it changes anything at all is for a proof to say.
"""

import ast
import itertools
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

from dreck.source.copying import copied
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk
from dreck.trial.beyond import beyond_members
from dreck.trial.inputs.recipes import Make, general
from dreck.trial.running.instrument import WATCHER
from dreck.trial.running.region import changed_lines
from dreck.trial.running.run import ENDLESS, Observation, Runner
from dreck.trial.search.clock import Clock
from dreck.trial.search.moves import Choice, Tried
from dreck.trial.search.search import Search
from dreck.trial.strength import Change, is_act, slips_in

_MANY = 160
_MOST_AGAIN = 1_500
_FURTHER = 300
_FURTHER_SECONDS = 0.5
_MOST = 400
"""Slips looked at, both versions together; further ones count as left out."""
_MORE = 3
"""So many times as long a search goes on where that may show more."""
_STARTS = 12
_MOST_ASKED, _MOST_PLACES, _VALUES = 60, 3, 3
_LET_ALONE = 6
_ASKED = 10
"""On so many inputs a condition has to come out otherwise, and nothing else be other, to be called no slip at all."""


@dataclass(slots=True)
class Slips:
    """How many slips there are, how many were noticed, and those that were not, each with the function so changed."""

    wanted: int = 0
    noticed: int = 0
    unnoticed: list[dict[str, Any]] = field(default_factory=list)
    left_out: int = 0


def look_for_slips(search: Search, seconds: float) -> Slips:
    """What the inputs of a finished search notice. May find the difference itself, which the search then holds.

    Where one is not noticed, and the time of the search was up before its inputs were, it goes on.
    """
    found = _looked_for(search, seconds, [])
    left = [slip["function"] for slip in found.unnoticed]
    if left and search.further(_MORE * search.seconds) and search.different is None:
        again = _looked_for(search, seconds, left)
        found.noticed += again.noticed
        found.wanted -= len(left) - again.wanted
        found.unnoticed = again.unnoticed
    return found


def _looked_for(search: Search, seconds: float, only: list[str]) -> Slips:
    """All slips, or those that make one of certain functions, by its text."""
    found, now = Slips(), Clock()
    until = now() + seconds
    runners = search.runners
    region = changed_lines(runners[0].version.node, runners[-1].version.node)
    ordered = _plainest_first(search.all_tried)
    settled = _settled(search)
    chosen = list(_chosen(runners, region))
    found.left_out = max(0, len(chosen) - _MOST)
    for side, change in chosen[:_MOST]:
        if search.different is not None:
            return found
        runner = runners[side]
        slip = change.copied()
        if not runner.takes(slip) or _is_settled(change, settled[side]):
            continue
        if only and ast.unparse(slip) not in only:
            continue
        search.announce(search.count)
        if now() > until:
            found.left_out += 1
            continue
        found.wanted += 1
        trial = _Slip(search, side, runner, change, slip, ordered)
        if trial.is_noticed():
            found.noticed += 1
        elif trial.changes_nothing():
            found.wanted -= 1
        elif trial.is_noticed(rest=True) or trial.is_noticed_after_a_search():
            found.noticed += 1
        elif change.is_of_sums and search.different is None:
            found.wanted -= 1
        elif search.different is None:
            told = {"side": side, "line": change.line, "what": change.what, "function": ast.unparse(slip)}
            found.unnoticed.append(told)
    return found


def _settled(search: Search) -> tuple[set[tuple[int, int, bool]], set[tuple[int, int, bool]]]:
    """For each version the places of tests that can only come out one way, and which."""
    found: tuple[set[tuple[int, int, bool]], set[tuple[int, int, bool]]] = set(), set()
    versions = [runner.version for runner in search.runners]
    for side, number, outcome in beyond_members(search, *versions):
        test: Any = versions[side].watched.tests[number]
        found[side].add((test.lineno, test.col_offset, not outcome))
    return found


def _is_settled(change: Change, settled: set[tuple[int, int, bool]]) -> bool:
    """Whether the slip says of a test what it always comes to."""
    test: Any = getattr(change.place, change.field)
    if not (isinstance(change.other, ast.Constant) and isinstance(test, ast.expr)):
        return False
    return (test.lineno, test.col_offset, bool(change.other.value)) in settled


def _chosen(runners: tuple[Runner, ...], region: tuple[frozenset[int], frozenset[int]]) -> Iterator[tuple[int, Change]]:
    """The slips of both versions, in turn, so that a budget that ends leaves out some of either."""
    whole = not (region[0] or region[1])
    nodes = runners[0].version.node, runners[-1].version.node
    mine = [[c for c in slips_in(nodes[side], nodes[not side]) if whole or c.line in region[side]] for side in (0, 1)]
    for i in range(max(map(len, mine))):
        yield from ((side, changes[i]) for side, changes in enumerate(mine) if i < len(changes))


def _plainest_first(tried: list[Tried]) -> list[Tried]:
    """One input of each way through and end, those that come to their end first; then all others that do."""
    firsts: dict[Any, Tried] = {}
    for one in tried:
        firsts.setdefault((one.trail, repr(one.old.error)[:40], repr(one.old.result)[:40]), one)
    ordered = sorted(firsts.values(), key=lambda one: (one.old.error is not None, -len(one.trail)))
    chosen = {id(one) for one in ordered}
    return ordered + [one for one in tried if id(one) not in chosen and one.old.error != ENDLESS]


@dataclass(slots=True)
class _Slip:
    """One slip in one version, held against what that version did before."""

    search: Search
    side: int
    runner: Runner
    change: Change
    slip: FunctionNode
    inputs: list[Tried]

    def is_noticed(self, rest: bool = False) -> bool:
        """Whether an input that was tried comes out otherwise: one of the plainest, or one of the rest."""
        left = iter(self.inputs[_MANY:_MOST_AGAIN] if rest else self.inputs[:_MANY])
        while True:
            with self.runner.doing(self.slip):
                suspect = next((found for tried in left if (found := self._otherwise(tried)) is not None), None)
            if suspect is None:
                return False
            tried, seen = suspect
            again, _, _ = self.runner.run(self.search.candidates, self._input(tried))
            if seen != again:  # else something was done once and for all when it was asked first
                return True

    def _otherwise(self, tried: Tried) -> tuple[Tried, Observation] | None:
        """The input and what was seen on it, where that is other than what was seen before."""
        seen, _, _ = self.runner.run(self.search.candidates, self._input(tried))
        before = self._before(tried)
        alike = seen == before or (self.change.is_of_condition and _stumbles(seen, before))
        return None if alike else (tried, seen)

    def _input(self, tried: Tried) -> Choice:
        return tried.given if self.side else tried.choice

    def _before(self, tried: Tried) -> Observation:
        return tried.new if self.side else tried.old

    def is_noticed_after_a_search(self) -> bool:
        """Looks for an input that notices it; what is found is an input for the two real versions, too."""
        other = self.runner.beside(self.slip)
        if other is None:
            return False
        ways = {tried.trail: tried.used for tried in self.inputs if tried.used}
        alone = self._let_alone(list(ways.values()))
        asked = itertools.islice(self._asked_there([*alone, *ways.values()]), _MOST_ASKED)
        inner = Search(
            (self.runner, other),
            self.search.candidates,
            self.search.usages,
            inputs=_FURTHER,
            seconds=_FURTHER_SECONDS,
            announce=lambda number: self.search.announce(self.search.count),
            pieces=self.search.pieces,
            starts=(*(*alone, *ways.values())[:_STARTS], *asked),
            overlooks=lambda tried: self.change.is_of_condition and _stumbles(tried.old, tried.new),
        )
        inner.beside()
        if inner.different is None:
            return False
        self.search.again(inner.different.used)
        return True

    def _let_alone(self, ways: list[Choice]) -> list[Choice]:
        """Inputs on which nothing is asked for but what the changed line speaks of: each other parameter has its
        default, or is None where the code asks for that."""
        lines = [n for n in walk(self.change.function) if getattr(n, "lineno", None) == self.change.line]
        spoken = {n.id for line in lines for n in walk(line) if isinstance(n, ast.Name)}
        candidates, known = self.search.candidates, self.search.usages.known
        aside: Choice = {}
        for name in self.runner.parameters():
            default = next(iter(candidates.extra.get(name, ())), None)
            nothing = default or (Make("value", None) if known(name).tested_none else None)
            if name not in spoken and nothing is not None:
                aside[name] = nothing
        found = ({p: m for p, m in way.items() if p.split(".")[0] not in aside} | aside for way in ways)
        return [*found][:_LET_ALONE] if aside else []

    def _asked_there(self, ways: list[Choice]) -> Iterator[Choice]:
        """Inputs that differ from others in what the changed line asks: each value there with each of another."""
        lines = [n for n in walk(self.change.function) if getattr(n, "lineno", None) == self.change.line]
        spoken = {getattr(n, "id", getattr(n, "attr", "")) for line in lines for n in walk(line)} - {""}
        for way in ways:
            there = [path for path in way if path.rpartition(".")[2] in spoken][:_MOST_PLACES]
            values = [self.search.candidates.at(general(path))[:_VALUES] for path in there]
            yield from ({**way, **dict(zip(there, each, strict=True))} for each in itertools.product(*values))

    def changes_nothing(self) -> bool:
        """Whether the condition came out otherwise again and again, and nothing that can be seen was other for it."""
        place = _both_asked(self.change)
        if place is None or not self.runner.takes(place):
            return False
        parted = 0
        with self.runner.doing(place):
            for tried in self.inputs[:_MANY]:
                seen, _, _ = self.runner.run(self.search.candidates, self._input(tried))
                if seen != self._before(tried):
                    return False
                parted += self.runner.version.watcher.parted and seen.error is None
                if parted >= _ASKED:
                    return True
        return False


def _stumbles(one: Observation, other: Observation) -> bool:
    """Both die of a type they were never meant for: only Python's words for it differ."""
    kinds = [seen.error[0] if isinstance(seen.error, tuple) else "" for seen in (one, other)]
    return kinds[0] == kinds[1] and kinds[0] in ("TypeError", "AttributeError") and one.log == other.log


def _both_asked(change: Change) -> FunctionNode | None:
    """The function with the condition asked in both forms, where asking it once more can do no harm."""
    place, test = change.place, getattr(change.place, change.field)
    if change.index is not None:
        test = test[change.index]
    if not isinstance(test, ast.expr) or not isinstance(change.other, ast.expr):
        return None
    if isinstance(place, ast.If | ast.While) and any(map(is_act, (*place.body, *place.orelse))):
        return None  # what is done there is done where nobody looks, or it would have been noticed
    harmful = ast.Call | ast.Await | ast.NamedExpr | ast.Yield | ast.YieldFrom | ast.Subscript | ast.Attribute
    if any(isinstance(n, harmful) for n in walk(test)) or isinstance(place, ast.Return):
        return None
    ask = ast.Attribute(ast.Name(WATCHER, ast.Load()), "parts", ast.Load())
    both = ast.Call(ask, [copied(test), copied(change.other)], [])
    return Change(change.line, change.what, change.function, place, change.field, change.index, both).copied()


def as_json(found: Slips) -> dict[str, Any]:
    return {
        "wanted": found.wanted,
        "noticed": found.noticed,
        "unnoticed": found.unnoticed,
        "left_out": found.left_out,
    }
