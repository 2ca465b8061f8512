"""Loops: met at their heads, with the values that may change forgotten but for which of them are equal.

A loop is done when it comes back to its head in a state of the kind it began with (a bisimulation up to renaming;
Park 1981). When it comes back with values apart that were taken to be equal, the parts are refined and it is gone
through anew.
"""

from dataclasses import dataclass
from typing import TypeAlias

from dreck.model.ir.terms import Term
from dreck.proof.lockstep.memo import Pair, left_behind
from dreck.proof.lockstep.prover import Prover
from dreck.proof.state import State

Member: TypeAlias = tuple[int, str]
"""A register of one side."""


@dataclass(frozen=True, slots=True)
class Groups:
    """Which changing registers hold equal values at a loop's head, and which of them may be unbound.

    Those in no part hold the constant they came with, each time round.
    """

    parts: tuple[tuple[Member, ...], ...]
    maybe: frozenset[Member] = frozenset()


class Refine(Exception):
    """A loop came back to its head with values apart that were taken to be equal."""

    def __init__(self, pair: Pair, groups: Groups) -> None:
        super().__init__("refine")
        self.pair = pair
        self.groups = groups


class NotAsBefore(Exception):
    """A loop came back to its head in a state that is of no kind."""


def first_groups(p: Prover, state: State) -> Groups:
    """At first: constants stay what they are, everything else may change."""
    changing = [m for m in _changing(state) if not _is_constant(p, state, m)]
    return _grouped(p, state, [tuple(changing)], frozenset())


def at_head(p: Prover, state: State, groups: Groups) -> State:
    """`state` with everything forgotten that the loop may change, but for which of it is equal."""
    head = state.copy()
    for part in groups.parts:
        value = p.terms.fresh("loop")
        if any(member in groups.maybe for member in part):
            value = p.terms.make("maybe", value)
        for which, name in part:
            head.sides[which].store[name] = value
    return head


def come_back(p: Prover, state: State, pair: Pair, head: State, groups: Groups) -> None:
    """The loop is at its head again. Raises Refine when values are apart that were taken to be equal."""
    changing = {member for part in groups.parts for member in part}
    moved: list[Member] = []
    for side, before in zip(state.sides, head.sides, strict=True):
        if side.handled is not before.handled or [f.handled for f in side.frames] != [f.handled for f in before.frames]:
            raise NotAsBefore("a loop is entered again with another exception in flight")
        for (store, live), (was, _) in zip(left_behind(side), left_behind(before), strict=True):
            if any(store.get(name) is not was.get(name) for name in live):
                raise NotAsBefore("a loop in a helper is entered again with other values")
        for name in sorted(side.node.live):
            member = (side.which, name)
            if member not in changing and side.store.get(name) is not before.store.get(name):
                moved.append(member)
    if moved:
        at_first = _grouped(p, head, [tuple(moved)], frozenset())
        groups = Groups(groups.parts + at_first.parts, groups.maybe | at_first.maybe)
        raise Refine(pair, _grouped(p, state, list(groups.parts), groups.maybe))
    again = _grouped(p, state, list(groups.parts), groups.maybe)
    if again != groups:
        raise Refine(pair, again)


def _changing(state: State) -> list[Member]:
    touched = frozenset().union(*(side.node.payload for side in state.sides))
    return [(side.which, name) for side in state.sides for name in sorted(side.node.live) if name in touched]


def _is_constant(p: Prover, state: State, member: Member) -> bool:
    return state.sides[member[0]].store.get(member[1], p.arena.unbound).op in ("const", "unbound")


def _grouped(p: Prover, state: State, parts: list[tuple[Member, ...]], maybe: frozenset[Member]) -> Groups:
    """`parts` split further by the values their members hold now."""
    found: list[tuple[Member, ...]] = []
    loose = set(maybe)
    for part in parts:
        by_value: dict[Term, list[Member]] = {}
        for member in part:
            value = state.sides[member[0]].store.get(member[1], p.arena.unbound)
            by_value.setdefault(value, []).append(member)
        found += [tuple(members) for members in by_value.values()]
        if any(value.op in ("unbound", "maybe") for value in by_value):
            loose.update(part)
    return Groups(tuple(found), frozenset(loose))
