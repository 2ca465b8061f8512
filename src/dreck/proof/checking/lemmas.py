"""Lemmas used: what one begins with and needs, found again where it is used; and what all of a check shares."""

from dataclasses import dataclass, field

from dreck.model.ir.graph import Arena
from dreck.model.ir.terms import Term
from dreck.proof.certificate import (
    Certificate,
    Lemma,
)  # fmt: skip
from dreck.proof.checking.acts import CheckedActs
from dreck.proof.state import Side, State
from dreck.proof.subject import Subject

_LEAVES = frozenset({"const", "symbol", "param", "unbound", "maybe", "outside"})
FIXED = frozenset({"const", "unbound", "maybe", "outside", "global", "lambda", "members", "valued"})


class Refused(Exception):
    """A step that the checker cannot accept."""


@dataclass(slots=True)
class CheckedLemmas:
    acts: CheckedActs
    certificate: Certificate
    subjects: tuple[Subject, Subject]
    kept: frozenset[str] = frozenset()
    by_identity: bool = False
    introduced: set[Term] = field(default_factory=set)
    pending: list[int] = field(default_factory=list)
    current: int = -1

    def _need(self, holds: bool, what: str, *about: object) -> None:
        if not holds:
            raise Refused(what.format(*about))

    def _fresh(self, term: Term | None) -> None:
        self._need(term is not None and term.op == "symbol" and term not in self.introduced, "a value that is not new")
        assert term is not None
        self.introduced.add(term)

    def _vals(self, side: Side) -> tuple[Term, ...]:
        unbound = self.acts.arena.unbound
        return tuple(o if isinstance(o, Term) else side.store.get(o, unbound) for o in side.node.operands)

    def _at(self, state: State, which: int, name: str) -> Term:
        return state.sides[which].store.get(name, self.acts.arena.unbound)

    def _same_key(self, state: State, old: Term, new: Term) -> bool:
        if old is new:
            return True
        return (
            old.op == new.op
            and len(old.args) == len(new.args)
            and all(
                self._same(state, a, b) if isinstance(a, Term) and isinstance(b, Term) else a == b
                for a, b in zip(old.args, new.args, strict=True)
            )
        )

    def _same(self, state: State, one: Term | None, other: Term | None) -> bool:
        if one is other:
            return True
        if one is None or other is None:
            return False
        left, right = self._known(state, one), self._known(state, other)
        if left is right:
            return True
        same = self.acts.solver.are_same(state.facts.known.items(), left, right)
        return same is not None and self.acts.axioms[0].by_solver(f"{left} is {right}")

    def _known(self, state: State, term: Term) -> Term:
        """A value, or the constant that what is known makes it."""
        same = state.facts.same.get(term)
        if same is not None:
            return same
        if self.acts.look(term) == "bool":
            test, wanted = term.args
            for outcome in (True, False):
                if self.acts.entails(state, test, outcome):
                    return self.acts.arena.terms.const(outcome is wanted)
        if term.op == "tuple":
            return self.acts.make("tuple", *(self._known(state, a) for a in term.args))
        return term

    def _covers(self, lemma: Lemma, state: State) -> None:
        """What a lemma begins with and needs, found again where it is used."""
        there, here = lemma.state, state
        for one, other in zip(there.sides, here.sides, strict=True):
            self._need(one.node is other.node, "a lemma of another place")
            self._need([f.call for f in one.frames] == [f.call for f in other.frames], "a lemma of another call")
        renamed: dict[Term, Term] = {there.epoch: here.epoch}
        for had, has in zip(values_at(self.acts.arena, there), values_at(self.acts.arena, here), strict=True):
            fixed = had.op in FIXED or has.op in ("unbound", "maybe")
            self._need(had is has if fixed else renamed.setdefault(had, has) is has, "a lemma of other values")
        _add_parts(renamed)
        for what, term, known in lemma.needed:
            found = self._instance(term, renamed)
            self._need(renamed.get(term, found) is found, "a value made in another way")
            match what:
                case "fact":
                    self._need(here.facts.known.get(found) is known, "not known here: {}", found)
                case "done":
                    self._need(found in here.done or found in here.lasting, "not done here: {}", found)
                case "kinds":
                    kinds = self.acts.kinds(found)
                    self._need(bool(kinds) and isinstance(known, frozenset) and kinds <= known, "of another type")
                case "one object":
                    self._need(self.acts.is_object(found), "perhaps two objects")
                case "very":
                    self._need(found is term, "another object")

    def _instance(self, term: Term, renamed: dict[Term, Term]) -> Term:
        if term.op in ("const", "global"):
            return term
        if term.op in _LEAVES:
            return renamed.get(term, term)
        args = [renamed.get(a) or self._instance(a, renamed) if isinstance(a, Term) else a for a in term.args]
        return self.acts.make(term.op, *args)


def _add_parts(renamed: dict[Term, Term]) -> None:
    """The leaves inside of a value go with what stands there in the value in its place, as far as both are made alike.

    Nothing else inside does: what is made has to be made anew of what its leaves go with.
    """
    pending = list(renamed.items())
    while pending:
        had, has = pending.pop(0)
        if (had.op, len(had.args)) != (has.op, len(has.args)):
            continue
        for part, own in zip(had.args, has.args, strict=True):
            if not isinstance(part, Term) or not isinstance(own, Term):
                continue
            if part.op not in _LEAVES:
                pending.append((part, own))
            elif part.op in ("symbol", "param") and part not in renamed:
                renamed[part] = own


def values_at(arena: Arena, state: State) -> list[Term]:
    """Every value either side may still come upon."""
    unbound, found = arena.unbound, []
    for side in state.sides:
        for frame in side.frames:
            call = frame.call
            later = set(call.succs[0].live if call.succs else ()) - {call.dest or ""}
            later |= set(call.exc.live if call.exc is not None else ()) - {"%exc"}
            later |= {call.handled} if call.handled is not None else set()
            found += [frame.store.get(name, unbound) for name in sorted(later)]
        found += [side.store.get(name, unbound) for name in sorted(side.node.live)]
        found += [*(frame.handled for frame in side.frames), side.handled, side.answer or unbound]
    return found
