"""Entailment, checked by going through values: does what is known of a subject leave one outcome of a test?

For comparisons with constants it is enough to look at each constant, at what lies between two of them, below and above
all of them, at values that equal none, and, where not every two can be ordered, at one that cannot.
"""

import itertools
import math
import operator
from collections.abc import Callable, Iterable, Iterator
from typing import Any

from dreck.model.ir.terms import Term
from dreck.model.narrowing import Member

_ORDERS: dict[str, Callable[[Any, Any], bool]] = {"lt": operator.lt, "le": operator.le, "eq": operator.eq}


class _Thing:
    """A value that equals no constant; it is as true as it is said to be, and cannot be ordered."""

    def __init__(self, true: bool) -> None:
        self.true = true

    def __bool__(self) -> bool:
        return self.true


def follows(facts: Iterable[tuple[Term, bool]], test: Term, outcome: bool, total: bool) -> bool:
    """Whether `test` comes out as `outcome` for every value of its subject for which the facts hold."""
    for subject in _subjects(test):
        about = [(fact, holds) for fact, holds in facts if any(a is subject for a in fact.args[:2])]
        constants = [v for t in (test, *(fact for fact, _ in about)) for v in _constants(t)]
        found: set[bool] = set()
        for value in _values(constants, total):
            if all(_outcome(fact, subject, value) is holds for fact, holds in about if _speaks_of(fact, subject)):
                asked = _outcome(test, subject, value)
                if asked is not None:
                    found.add(asked)
        if found == {outcome} or not found:
            return True
    return False


def _subjects(test: Term) -> Iterator[Term]:
    for part in test.args[: 1 if test.op == "in" else 2]:
        if isinstance(part, Term) and part.op not in ("const", "members") and _speaks_of(test, part):
            yield part


def _speaks_of(test: Term, subject: Term) -> bool:
    """Whether a test compares the subject with constants alone."""
    if test.op == "truth":
        return test.args[0] is subject
    if test.op not in ("is", "eq", "lt", "le", "in"):
        return False
    left, right = test.args[:2]
    other = right if left is subject else left
    if test.op == "in":
        return left is subject and other.op in ("tuple", "members") and all(m.op == "const" for m in other.args)
    return isinstance(other, Term) and other.op == "const"


def _constants(test: Term) -> Iterator[Any]:
    for part in test.args[:2]:
        if isinstance(part, Term) and part.op == "const":
            yield part.value
        elif isinstance(part, Term) and part.op in ("tuple", "members"):
            yield from (m.value for m in part.args if m.op == "const")


def _values(constants: list[Any], total: bool) -> Iterator[Any]:
    yield from (None, ..., _Thing(True), _Thing(False), True, False, 0, 0.0, 1, 1.0, "", b"")
    numbers = sorted({v for v in constants if isinstance(v, int | float) and v == v})
    yield from numbers
    for one, other in itertools.pairwise(numbers):
        yield _between(one, other)
    if numbers:
        yield numbers[0] - 1 - abs(numbers[0]) / 2
        yield numbers[-1] + 1 + abs(numbers[-1]) / 2
    if not total:
        yield math.nan
    for text in {v for v in constants if isinstance(v, str)}:
        yield from (text, text + "\0")
    for octets in {v for v in constants if isinstance(v, bytes)}:
        yield from (octets, octets + b"\0")
    for member in {v for v in constants if isinstance(v, Member)}:
        yield member
        yield Member(member.enum, "?")


def _between(one: float, other: float) -> float:
    return one + (other - one) / 2


def _outcome(test: Term, subject: Term, value: Any) -> bool | None:
    """What a test comes to for a value; None when it raises."""
    if test.op == "truth":
        return bool(value)
    left, right = test.args[:2]
    try:
        if test.op == "in":
            return any(value is m.value or value == m.value for m in right.args)
        given, wanted = (value, right.value) if left is subject else (left.value, value)
        if test.op == "is":
            return _are_one(given, wanted)
        return bool(_ORDERS[test.op](given, wanted))
    except TypeError:
        return None


def _are_one(one: Any, other: Any) -> bool:
    if isinstance(one, Member) or isinstance(other, Member):
        return bool(one == other)
    return type(one) is type(other) and one is other


# --- members that are numbers or texts -----------------------------------------------------------------


def follows_of_valued(facts: list[tuple[Term, bool]], test: Term, subject: Term, outcome: bool) -> bool:
    """The same where a value is compared with members of one enum: it equals one of them, or none."""
    enums = {enum for enum, _ in _named(test, subject)}
    if len(enums) != 1 or not all(v.op == "valued" for v in _beside(test, subject)):
        return False
    told = [(f, holds) for f, holds in facts if _beside(f, subject) and {e for e, _ in _named(f, subject)} == enums]
    told = [(f, holds) for f, holds in told if all(v.op == "valued" for v in _beside(f, subject))]
    names = {name for f in (test, *(f for f, _ in told)) for _, name in _named(f, subject)}
    found = set()
    for name in (*sorted(names), ""):
        if all((name in {n for _, n in _named(f, subject)}) is holds for f, holds in told):
            found.add(name in {n for _, n in _named(test, subject)})
    return bool(told) and found <= {outcome}


def _beside(test: Term, subject: Term) -> tuple[Term, ...]:
    """What a value is compared with for equality, by a tuple also with several things."""
    if test.op == "in" and test.args[0] is subject and test.args[1].op == "tuple":
        return tuple(test.args[1].args)
    if test.op == "eq" and subject in test.args[:2]:
        return (test.args[1] if test.args[0] is subject else test.args[0],)
    return ()


def _named(test: Term, subject: Term) -> set[tuple[str, str]]:
    return {(str(v.args[0]), str(v.args[1])) for v in _beside(test, subject) if v.op == "valued"}
