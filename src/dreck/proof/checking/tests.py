"""Tests the checker takes for decided: by what is known, by how classes derive from one another."""

import ast
import builtins
from dataclasses import dataclass

from dreck.model.ir.terms import Term
from dreck.model.narrowing import Member
from dreck.proof.assumptions import COMPARISONS, FAMILIES, ORDER
from dreck.proof.checking.axioms import Axioms
from dreck.proof.checking.comparing import CheckedComparisons
from dreck.proof.checking.entailment import follows, follows_of_valued
from dreck.proof.checking.values import names_in
from dreck.proof.state import Side, State


@dataclass(slots=True)
class CheckedTests(CheckedComparisons):
    """Whether what is known leaves one outcome of a test."""

    def goes(self, state: State, side: Side, value: Term, outcome: bool) -> bool:
        if value.op == "const":
            return bool(value.value) is outcome
        match self.look(value):
            case "bool":
                return self.entails(state, value.args[0], outcome is value.args[1])
            case "tuple":
                return bool(value.args) is outcome
            case "lambda" | "method":
                return outcome
            case "opposite":
                return self.goes(state, side, value.args[0], not outcome)
        if value.op == "global" and self.axioms[side.which].function(str(value.args[0])) is not None:
            return outcome
        if side.answer is not None and state.facts.known.get(side.answer) is outcome:
            return True
        if self.is_scalar(value) and self.entails(state, self.make("truth", value), outcome):
            return True
        asked = self.make("truth", value, state.epoch)
        same = state.facts.same.get(value)
        if same is not None and bool(same.value) is outcome:
            return True
        return asked in state.done and self.entails(state, asked, outcome)

    def entails(self, state: State, test: Term, outcome: bool) -> bool:
        """Whether what is known leaves one outcome of a test."""
        known = state.facts.known
        if test in known:
            return known[test] is outcome
        if COMPARISONS not in self.allowed:
            return False
        if test.op == "isinstance":
            return self._of_class(state, test, outcome)
        subjects = [a for a in test.args[:2] if isinstance(a, Term)]
        about = [(f, known[f]) for s in subjects for f in state.facts.about.get(s, ()) if f.op != "isinstance"]
        if follows(about, test, outcome, total=False) or self._last_member(state, test, outcome):
            return True
        if any(follows_of_valued(about, test, subject, outcome) for subject in subjects):
            return True
        both = len(subjects) == 2 and self.are_total(*subjects)
        if (both or ORDER in self.listed) and follows(about, test, outcome, total=True):
            return True
        found = self.solver.decide(known.items(), test)
        return found is not None and found[0] is outcome and self.axioms[0].by_solver(str(test))

    def _last_member(self, state: State, test: Term, outcome: bool) -> bool:
        members = [a.value for a in test.args[:2] if isinstance(a, Term) and isinstance(a.value, Member)]
        if not outcome or len(members) != 1 or FAMILIES not in self.allowed:
            return False
        subject = next(a for a in test.args[:2] if not isinstance(a.value, Member))
        enum = members[0].enum
        of = state.facts.known.get(self.make("isinstance", subject, self.make("global", enum)))
        gone = {
            a.value.name
            for f in state.facts.about.get(subject, ())
            if f.op in ("eq", "is") and not state.facts.known[f]
            for a in f.args[:2]
            if isinstance(a, Term) and isinstance(a.value, Member)
        }
        node = self.axioms[0].classes.table.classes[enum]
        every = {t.id for s in node.body if isinstance(s, ast.Assign) for t in s.targets if isinstance(t, ast.Name)}
        return (
            of is True
            and every - gone == {members[0].name}
            and all(a.member(enum, members[0].name) for a in self.axioms)
        )

    def _of_class(self, state: State, test: Term, outcome: bool) -> bool:
        subject, asked = test.args[0], names_in(test.args[1])
        exact = self.make("type", subject)
        are: list[set[str]] = []
        are_not: set[str] = set()
        for fact in state.facts.about.get(exact, ()):
            if fact.op == "is" and state.facts.known[fact]:
                kind = next(str(a.args[0]) for a in fact.args[:2] if a is not exact)
                return all(self._is_exactly(a, kind, asked) is outcome for a in self.axioms)
        gone: dict[str, set[str]] = {}
        for fact in state.facts.about.get(subject, ()):
            holds = state.facts.known[fact]
            member = next((a.value for a in fact.args[:2] if isinstance(a, Term) and isinstance(a.value, Member)), None)
            if fact.op == "isinstance" and fact.args[0] is subject:
                (are.append(names_in(fact.args[1])) if holds else are_not.update(names_in(fact.args[1])))
            elif member is not None and holds:
                are.append({member.enum})
            elif member is not None:
                gone.setdefault(member.enum, set()).add(member.name)
        for enum, names in gone.items():
            node = self.axioms[0].classes.table.classes[enum]
            every = {t.id for s in node.body if isinstance(s, ast.Assign) for t in s.targets if isinstance(t, ast.Name)}
            are_not |= {enum} if every <= names else set()
        is_one = any(kinds <= asked or self._is_below(kinds, asked) for kinds in are)
        if is_one or asked <= are_not:
            return outcome is is_one
        return FAMILIES in self.listed and all(a.outcome(asked, are, are_not) is outcome for a in self.axioms)

    def _is_below(self, kinds: set[str], asked: set[str]) -> bool:
        """Whether built-in classes all derive from built-in ones that are asked for: each `bool` is an `int`."""
        if not all(a.names.is_builtin(name) for a in self.axioms for name in kinds):
            return False
        bases = tuple(vars(builtins)[n] for n in asked if all(a.names.is_builtin(n) for a in self.axioms))
        types = [vars(builtins)[n] for n in kinds]
        return all(isinstance(t, type) for t in (*types, *bases)) and all(issubclass(t, bases) for t in types)

    def _is_exactly(self, axioms: Axioms, kind: str, asked: set[str]) -> bool | None:
        """Whether an object of exactly a class is one of others."""
        known = {**vars(builtins), **axioms.skeleton}
        if kind not in known or not all(name in known for name in asked):
            return True if kind in asked else None
        return any(issubclass(known[kind], known[name]) for name in asked)
