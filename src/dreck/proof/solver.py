"""Conditions by a general solver, where one is installed (`pip install dreck[solver]`).

Asked only where facts decide, and only about values that are surely whole numbers or booleans: comparisons, sums,
products, `//` and `%` by a constant, lengths. Python's `//` rounds down and `%` has the sign of the divisor; a bool
counts as 0 or 1; floats and texts are not spoken of. Each question is bounded in effort, not in time; answers are kept.
"""

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

from dreck.model.ir.terms import Term

EFFORT = 2_000_000
"""The most a question may cost, in the solver's own units: by the clock, a busy machine would answer otherwise."""
_MOST_FACTS = 24
Kinds = Callable[[Term], "set[str] | frozenset[str]"]


class NotSpoken(Exception):
    """Something the solver is not asked about."""


@lru_cache(maxsize=1)
def solver_module() -> Any:
    """The solver, or None when it is not installed or cannot be loaded (a native library, in a caged process)."""
    try:
        import z3
    except Exception:
        return None
    return z3


@dataclass(slots=True)
class Solver:
    """Questions about what follows from facts; `kinds` tells the types a value surely has."""

    kinds: Kinds
    _answers: dict[tuple[object, ...], tuple[bool, tuple[Term, ...]] | None] = field(default_factory=dict)
    _numbers: dict[Term, Any] = field(default_factory=dict)
    _told: dict[tuple[Term, bool], Any] = field(default_factory=dict)
    _known_leaves: dict[Term, frozenset[Term] | None] = field(default_factory=dict)

    def decide(self, facts: Iterable[tuple[Term, bool]], test: Term) -> tuple[bool, tuple[Term, ...]] | None:
        """The one outcome of `test` that the facts leave, with those it rests on; None when both may be."""
        leaves = self._leaves(test)
        if not leaves or test.op not in ("lt", "le", "eq", "in", "truth"):
            return None
        about = [(f, holds) for f, holds in facts if (found := self._leaves(f)) and not found.isdisjoint(leaves)]
        # One bare value against constants: what follows from that is known without a solver.
        plain = len(leaves) == 1 and not about and not _has_sums(test)
        z3 = None if plain or len(about) > _MOST_FACTS else solver_module()
        if z3 is None:
            return None
        key = (test, *about)
        if key not in self._answers:
            self._answers[key] = self._asked(z3, self._spoken(about), test)
        return self._answers[key]

    def are_same(self, facts: Iterable[tuple[Term, bool]], one: Term, other: Term) -> tuple[Term, ...] | None:
        """The facts by which two outcomes of tests (`bool` terms) are always the same; None when they may not be."""
        if one.op != "bool" or other.op != "bool" or not self._leaves(one.args[0]) or not self._leaves(other.args[0]):
            return None
        z3 = solver_module()
        if z3 is None:
            return None
        try:
            sides = [self._test(z3, b.args[0]) == z3.BoolVal(b.args[1]) for b in (one, other)]
        except NotSpoken:
            return None
        return self._unsat(z3, self._spoken(facts), sides[0] != sides[1])

    def _leaves(self, term: Term) -> frozenset[Term] | None:
        """The values a test or a number is made from; None when the solver is not asked about it."""
        if term not in self._known_leaves:
            self._known_leaves[term] = None
            self._known_leaves[term] = self._found_leaves(term)
        return self._known_leaves[term]

    def _found_leaves(self, term: Term) -> frozenset[Term] | None:
        if term.op == "const":
            return frozenset() if isinstance(term.value, bool | int) else None
        if term.op in ("lt", "le", "eq", "in", "truth", "tuple", "members"):
            parts = [
                a for a in term.args[: len(term.args) if term.op in ("tuple", "members") else 2] if isinstance(a, Term)
            ]
            parts = parts[:1] if term.op == "truth" else parts
        else:
            kinds = self.kinds(term)
            if not kinds or not kinds <= {"int", "bool"}:
                return None
            if term.op not in ("arith", "bool"):
                return frozenset({term})
            parts = [a for a in term.args if isinstance(a, Term)]
        found = [self._leaves(part) for part in parts]
        return None if None in found else frozenset[Term]().union(*(f for f in found if f is not None))

    def _spoken(self, facts: Iterable[tuple[Term, bool]]) -> list[tuple[Term, bool, Any]]:
        z3 = solver_module()
        found = []
        for fact, holds in facts:
            if (fact, holds) not in self._told:
                self._told[fact, holds] = self._as_claim(z3, fact, holds)
            told = self._told[fact, holds]
            if told is not None:
                found.append((fact, holds, told))
        return found

    def _as_claim(self, z3: Any, fact: Term, holds: bool) -> Any:
        try:
            told = self._test(z3, fact)
        except NotSpoken:
            return None
        return told if holds else z3.Not(told)

    def _asked(self, z3: Any, spoken: list[tuple[Term, bool, Any]], test: Term) -> tuple[bool, tuple[Term, ...]] | None:
        told = self._as_claim(z3, test, True)
        if told is None:
            return None
        for outcome, opposite in ((True, z3.Not(told)), (False, told)):
            rests_on = self._unsat(z3, spoken, opposite)
            if rests_on is not None:
                return outcome, rests_on
        return None

    def _unsat(self, z3: Any, spoken: list[tuple[Term, bool, Any]], claim: Any) -> tuple[Term, ...] | None:
        """The facts with which a claim cannot be; None when it can, or when that is not found with that effort."""
        solver = z3.Solver()
        solver.set("rlimit", EFFORT)
        marks = {}
        for index, (fact, _, told) in enumerate(spoken):
            mark = z3.Bool(f"fact{index}")
            marks[str(mark)] = fact
            solver.add(z3.Implies(mark, told))
        solver.add(claim, *(z3.Not(number < 0) for term, number in self._numbers.items() if term.op == "len"))
        names = [z3.Bool(name) for name in marks]
        if solver.check(*names) != z3.unsat:
            return None
        return tuple(marks[str(mark)] for mark in solver.unsat_core())

    # --- Python as the solver's language -----------------------------------------------------------

    def _test(self, z3: Any, test: Term) -> Any:
        match test.op:
            case "lt":
                return self._number(z3, test.args[0]) < self._number(z3, test.args[1])
            case "le":
                return self._number(z3, test.args[0]) <= self._number(z3, test.args[1])
            case "eq":
                return self._number(z3, test.args[0]) == self._number(z3, test.args[1])
            case "truth":
                return self._number(z3, test.args[0]) != 0
            case "in" if test.args[1].op in ("tuple", "members"):
                subject = self._number(z3, test.args[0])
                return z3.Or(*(subject == self._number(z3, member) for member in test.args[1].args))
        raise NotSpoken

    def _number(self, z3: Any, term: Term) -> Any:
        if term.op == "const" and isinstance(term.value, bool | int):
            return z3.IntVal(int(term.value))
        kinds = self.kinds(term)
        if not kinds or not kinds <= {"int", "bool"}:
            raise NotSpoken
        if term.op == "arith":
            return self._arithmetic(z3, term)
        if term.op == "bool":
            told = self._test(z3, term.args[0])
            return z3.If(told if term.args[1] else z3.Not(told), z3.IntVal(1), z3.IntVal(0))
        if term not in self._numbers:
            self._numbers[term] = z3.Int(f"v{term.number}")
        return self._numbers[term]

    def _arithmetic(self, z3: Any, term: Term) -> Any:
        operator, *parts = term.args
        if operator == "Linear":
            number, *pairs = parts
            found = z3.IntVal(number)
            for part, count in zip(pairs[::2], pairs[1::2], strict=True):
                found = found + self._number(z3, part) * z3.IntVal(count)
            return found
        values = [self._number(z3, part) for part in parts]
        match operator:
            case "Add":
                return values[0] + values[1]
            case "Sub":
                return values[0] - values[1]
            case "Mult":
                return values[0] * values[1]
            case "USub":
                return -values[0]
            case "UAdd":
                return values[0]
            case "FloorDiv" | "Mod":
                return self._divided(z3, operator, values[0], parts[1])
        raise NotSpoken

    def _divided(self, z3: Any, operator: str, value: Any, divisor: Term) -> Any:
        """`//` rounds down; the solver's own division leaves a remainder that is never negative."""
        if divisor.op != "const" or not isinstance(divisor.value, int) or int(divisor.value) == 0:
            raise NotSpoken
        by = int(divisor.value)
        if by > 0:
            return value / z3.IntVal(by) if operator == "FloorDiv" else value % z3.IntVal(by)
        flipped = (-value) / z3.IntVal(-by), (-value) % z3.IntVal(-by)
        return flipped[0] if operator == "FloorDiv" else -flipped[1]


def _has_sums(term: Term) -> bool:
    """Whether a test is about more than a value and a constant: a sum, a length, two values."""
    return any(isinstance(a, Term) and a.op in ("arith", "len", "bool") for a in term.args)
