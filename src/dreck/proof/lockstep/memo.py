"""Memory: a pair of places proved once need not be proved again where the same can be seen.

A part of a proof is remembered with the values it began with and with all that it has looked at. It holds for other
values, too, when these can be put in the place of the former so that everything looked at is the same.
"""

from dataclasses import dataclass
from typing import TypeAlias

from dreck.model.ir.graph import Node
from dreck.model.ir.terms import Term
from dreck.proof.lockstep.prover import Prover, is_one_object
from dreck.proof.state import Side, State

Pair: TypeAlias = tuple[tuple[Node, ...], ...]
"""For each side the calls it is inside of, outermost first, and the node it is at."""
Consult: TypeAlias = tuple[str, Term, object]


FIXED = frozenset({"const", "unbound", "maybe", "outside", "global", "lambda", "members", "valued"})
"""Values that the code itself may name: another in their place would not be what it names."""
_MADE_INSIDE = frozenset({"kinds", "one object", "very"})


@dataclass(frozen=True, slots=True)
class Visited:
    """A pair of places proved: with which values, and what the proof looked at."""

    values: tuple[Term, ...]
    epoch: Term
    needed: tuple[Consult, ...]
    lemma: int


def pair_of(state: State) -> Pair:
    return tuple((*(frame.call for frame in side.frames), side.node) for side in state.sides)


def values_of(p: Prover, state: State) -> tuple[Term, ...]:
    """Every value either side may still come upon, in a fixed order for one pair of places."""
    unbound = p.arena.unbound
    found: list[Term] = []
    for side in state.sides:
        for store, live in (*left_behind(side), (side.store, side.node.live)):
            found += [store.get(name, unbound) for name in sorted(live)]
        found += [frame.handled for frame in side.frames]
        found += [side.handled, side.answer if side.answer is not None else unbound]
    return tuple(found)


def left_behind(side: Side) -> list[tuple[dict[str, Term], frozenset[str]]]:
    """What the functions a side will return to still need."""
    found = []
    for frame in side.frames:
        call = frame.call
        live = call.succs[0].live if call.succs else frozenset[str]()
        live = live - {call.dest} if call.dest is not None else live
        live |= call.exc.live - {"%exc"} if call.exc is not None else frozenset()
        found.append((frame.store, live | ({call.handled} if call.handled is not None else set())))
    return found


def holds(p: Prover, consult: Consult, state: State) -> bool:
    what, term, known = consult
    match what:
        case "fact":
            return state.facts.known.get(term) is known
        case "done":
            return term in state.done or term in state.lasting
        case "kinds":
            found = p.kinds_of(term)
            return bool(found) and isinstance(known, frozenset) and found <= known
        case "one object":
            return is_one_object(term)
    return True


def needed_since(p: Prover, entry: State, values: tuple[Term, ...], start: int) -> tuple[Consult, ...]:
    """What the proof since `start` has looked at that was there at its `entry`; the trail is cut down to that."""
    old = set(values)
    kept = []
    for consult in dict.fromkeys(p.trail[start:]):
        what, term, _ = consult
        if term in old if what == "shape" else (what in _MADE_INSIDE or holds(p, consult, entry)):
            kept.append(consult)
    p.trail[start:] = kept
    return tuple(kept)


def covers(p: Prover, visit: Visited, state: State, values: tuple[Term, ...]) -> list[Consult] | None:
    """What `visit` looked at, in terms of `state`; None when it is not all the same there."""
    renamed: dict[Term, Term] = {visit.epoch: state.epoch}
    for had, has in zip(visit.values, values, strict=True):
        if had.op in FIXED or has.op in ("unbound", "maybe"):
            if had is not has:
                return None
        elif renamed.setdefault(had, has) is not has:
            return None
    for had, has in zip(visit.values, values, strict=True):
        _match(had, has, renamed)
    needed: list[Consult] = []
    for what, term, known in visit.needed:
        rebuilt = _rebuilt(p, term, renamed)
        if rebuilt is None:
            if what in _MADE_INSIDE and term not in renamed:
                continue  # of something the part made itself
            return None
        if renamed.get(term, rebuilt) is not rebuilt or (what == "very" and rebuilt is not term):
            return None
        consult = (what, rebuilt, known)
        if not holds(p, consult, state):
            return None
        if what in ("fact", "done"):
            p.note_order(rebuilt)
            p.note_time(rebuilt, state)
        needed.append(consult)
    return needed


def _match(had: Term, has: Term, renamed: dict[Term, Term]) -> None:
    """What values that are made alike are made of in the end may be put in the place of the other, where nothing is.

    Only what is not made of anything: a part that is made itself stands for what its own parts make of it.
    """
    if had.op != has.op or len(had.args) != len(has.args):
        return
    for one, other in zip(had.args, has.args, strict=True):
        if isinstance(one, Term) and isinstance(other, Term):
            if one.op in ("symbol", "param"):
                renamed.setdefault(one, other)
            else:
                _match(one, other, renamed)


def _rebuilt(p: Prover, term: Term, renamed: dict[Term, Term]) -> Term | None:
    """The term of the same structure over the renamed parts."""
    if term.op in ("const", "global"):
        return term
    if term.op in ("symbol", "param", "maybe", "unbound", "outside"):
        return renamed.get(term)
    args: list[object] = []
    for arg in term.args:
        if not isinstance(arg, Term):
            args.append(arg)
            continue
        inner = renamed.get(arg) or _rebuilt(p, arg, renamed)
        if inner is None:
            return None
        args.append(inner)
    return p.terms.make(term.op, *args)
