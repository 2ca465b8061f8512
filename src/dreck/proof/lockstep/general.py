"""What was proved for several values at one pair of places is proved at once for whatever they are."""

from dataclasses import replace

from dreck.model.ir.terms import Term
from dreck.proof.lockstep.memo import FIXED, Visited, left_behind
from dreck.proof.lockstep.prover import Prover
from dreck.proof.state import State

_UNBOUND = ("unbound", "maybe")


def general(p: Prover, state: State, values: tuple[Term, ...], before: list[Visited]) -> State | None:
    """`state` with the values forgotten that were not the same in visits before, but for which of them are equal.

    None where nothing is to be forgotten, or more than registers would be.
    """
    kept = [visit.values for visit in before if not _cannot_be_joined(values, visit.values)]
    apart = {place for one in kept for place in _apart(values, one)}
    if not apart:
        return None
    fresh: dict[tuple[Term, ...], Term] = {}
    found = state.copy()
    for side in found.sides:
        side.frames = tuple(replace(frame, store=dict(frame.store)) for frame in side.frames)
    at = 0
    for side in found.sides:
        for store, live in (*left_behind(side), (side.store, side.node.live)):
            for name in sorted(live):
                if at in apart:
                    together = (values[at], *(one[at] for one in kept))
                    store[name] = fresh.setdefault(together, p.terms.fresh("any"))
                    apart.discard(at)
                at += 1
        at += len(side.frames) + 2
    return found if not apart else None


def _cannot_be_joined(values: tuple[Term, ...], others: tuple[Term, ...]) -> bool:
    return any(a is not b and (a.op in _UNBOUND or b.op in _UNBOUND) for a, b in zip(values, others, strict=True))


def _apart(values: tuple[Term, ...], others: tuple[Term, ...]) -> set[int]:
    """The places at which the one vector of values is none that the other can stand for."""
    found = set[int]()
    renamed: dict[Term, Term] = {}
    for place, (had, has) in enumerate(zip(others, values, strict=True)):
        if had.op in FIXED:
            if had is not has:
                found.add(place)
        elif renamed.setdefault(had, has) is not has:
            found |= {i for i, other in enumerate(others) if other is had}
    return found
