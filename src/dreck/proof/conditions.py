"""Facts known on a path: which tests came out true or false, and what follows from that.

What follows is worked out only from comparisons with constants. It is sound for values whose comparisons
behave like those of the built-in types (the assumption `plain-comparisons`); that "not less" means
"greater or equal" is used only where both types are known or `total-order` is assumed.
"""

from collections.abc import Iterator
from typing import Any

from dreck.model.ir.terms import Term
from dreck.proof.classes.hierarchy import Member

_SCALARS = (bool, int, float, str, bytes, Member)
_MIRRORED = {"<": ">", "<=": ">=", ">": "<", ">=": "<=", "==": "=="}


class Facts:
    """A set of decided tests, copied when a path splits."""

    __slots__ = ("about", "known", "same")

    def __init__(self) -> None:
        self.known: dict[Term, bool] = {}
        self.about: dict[Term, tuple[Term, ...]] = {}
        self.same: dict[Term, Term] = {}

    def copy(self) -> "Facts":
        twin = Facts()
        twin.known = dict(self.known)
        twin.about = dict(self.about)
        twin.same = dict(self.same)
        return twin

    def assume(self, test: Term, outcome: bool) -> None:
        self.known[test] = outcome
        for subject in test.args[:2]:
            if isinstance(subject, Term) and subject.op != "const":
                self.about[subject] = (*self.about.get(subject, ()), test)
        if test.op == "is" and outcome:
            left, right = test.args
            if right.op == "const":
                self.same[left] = right

    def decide(self, test: Term, total: bool) -> tuple[bool, tuple[Term, ...]] | None:
        """The outcome of `test`, if known or implied, with the facts it rests on.

        `total` says whether "not less" may be read as "greater or equal" for its subject.
        """
        outcome = self.known.get(test)
        if outcome is not None:
            return outcome, (test,)
        if test.op == "in":
            return self._membership(test, total)
        if test.op == "isinstance":
            return self._instance(test)
        asked = _relation(test)
        if asked is None:
            return None
        subject, relation, constant = asked
        for fact in self.about.get(subject, ()):
            outcome = _implied(fact, self.known[fact], subject, relation, constant, total)
            if outcome is not None:
                return outcome, (fact,)
        return self._last_member(subject, constant) if relation == "==" else None

    def _last_member(self, subject: Term, constant: Any) -> tuple[bool, tuple[Term, ...]] | None:
        """One of several it is, and all others are ruled out."""
        about = self.about.get(subject, ())
        for fact in about:
            if fact.op != "in" or not self.known[fact] or fact.args[0] is not subject:
                continue
            container = fact.args[1]
            if container.op not in ("tuple", "members") or any(m.op != "const" for m in container.args):
                continue
            ruled_out = [f for f in about if f.op == "eq" and not self.known[f]]
            gone = [a.value for f in ruled_out for a in f.args[:2] if isinstance(a, Term) and a.op == "const"]
            left = [m.value for m in container.args if m.value not in gone]
            if len(left) == 1 and left[0] == constant and isinstance(constant, _SCALARS):
                return True, (fact, *ruled_out)
        return None

    def _membership(self, test: Term, total: bool) -> tuple[bool, tuple[Term, ...]] | None:
        subject, container = test.args[:2]
        if container.op not in ("tuple", "members") or any(m.op != "const" for m in container.args):
            return None
        ruled_out: list[Term] = []
        for member in container.args:
            found = self._equal(subject, member.value, total)
            if found is None:
                return None
            if found[0]:
                return True, found[1]
            ruled_out += found[1]
        return False, tuple(ruled_out)

    def _equal(self, subject: Term, constant: Any, total: bool) -> tuple[bool, tuple[Term, ...]] | None:
        for fact in self.about.get(subject, ()):
            outcome = _implied(fact, self.known[fact], subject, "==", constant, total)
            if outcome is not None:
                return outcome, (fact,)
        return None

    def _instance(self, test: Term) -> tuple[bool, tuple[Term, ...]] | None:
        subject, kinds = test.args
        wanted = set(kinds.args) if kinds.op == "tuple" else {kinds}
        ruled_out: list[Term] = []
        for fact in self.about.get(subject, ()):
            if fact.op != "isinstance" or fact.args[0] is not subject:
                continue
            had = set(fact.args[1].args) if fact.args[1].op == "tuple" else {fact.args[1]}
            if self.known[fact] and had <= wanted:
                return True, (fact,)
            if not self.known[fact]:
                wanted -= had
                ruled_out.append(fact)
        return (False, tuple(ruled_out)) if not wanted else None


def _relation(test: Term) -> tuple[Term, str, Any] | None:
    """A test as subject, relation, constant; None when it compares no subject with one constant."""
    match test.op:
        case "truth":
            return test.args[0], "truth", None
        case "is" | "eq" | "lt" | "le":
            left, right = test.args[:2]
            relation = {"is": "is", "eq": "==", "lt": "<", "le": "<="}[test.op]
            if right.op == "const" and left.op != "const":
                return left, relation, right.value
            if left.op == "const" and right.op != "const":
                return right, _MIRRORED.get(relation, relation), left.value
    return None


def _implied(fact: Term, holds: bool, subject: Term, relation: str, constant: Any, total: bool) -> bool | None:
    """What a decided test says about `subject relation constant`."""
    if fact.op == "in" and fact.args[0] is subject:
        return _from_membership(fact, holds, relation, constant)
    known = _relation(fact)
    if known is None or known[0] is not subject:
        return None
    for had, value in _as_true(known[1], known[2], holds, total):
        outcome = _follows(had, value, relation, constant)
        if outcome is not None:
            return outcome
    return _contradicts(known[1], known[2], holds, relation, constant)


def _as_true(relation: str, constant: Any, holds: bool, total: bool) -> Iterator[tuple[str, Any]]:
    if holds:
        yield relation, constant
    elif relation == "truth":
        yield "not truth", None
    elif total and relation in ("<", "<=", ">", ">="):
        yield {"<": ">=", "<=": ">", ">": "<=", ">=": "<"}[relation], constant


def _contradicts(had: str, value: Any, holds: bool, relation: str, constant: Any) -> bool | None:
    """A test that, if true, would make a false fact true, is false."""
    if holds or relation in ("is", "truth"):
        return None
    return False if _follows(relation, constant, had, value) else None


def _follows(had: str, value: Any, relation: str, constant: Any) -> bool | None:
    """Whether `x had value` settles `x relation constant`."""
    try:
        match had:
            case "is":
                return _from_value(value, relation, constant)
            case "==":
                if relation == "is" and not isinstance(value, Member):
                    return False if constant is None and value is not None else None
                return _from_value(value, relation, constant) if isinstance(value, _SCALARS) else None
            case "truth":
                if relation == "is":
                    return False if not constant else None
                return False if relation == "==" and isinstance(constant, _SCALARS) and not constant else None
            case "not truth":
                return False if relation == "==" and isinstance(constant, _SCALARS) and constant else None
            case "<" | "<=" | ">" | ">=":
                return _from_order(had, value, relation, constant)
    except TypeError:
        return None
    return None


def _from_value(value: Any, relation: str, constant: Any) -> bool | None:
    match relation:
        case "is":
            if value is None or constant is None or isinstance(value, bool) or isinstance(constant, bool):
                return value is constant
            if isinstance(value, Member) and isinstance(constant, Member):
                return value == constant
            return None
        case "truth":
            return bool(value)
        case "==":
            return bool(value == constant)
        case "<":
            return bool(value < constant)
        case "<=":
            return bool(value <= constant)
        case ">":
            return bool(value > constant)
        case ">=":
            return bool(value >= constant)
    return None


def _from_order(had: str, value: Any, relation: str, constant: Any) -> bool | None:
    if relation == "is":
        return False if constant is None else None
    if relation == "truth":
        if not isinstance(value, int | float):
            return None
        positive = (had == ">" and value >= 0) or (had == ">=" and value > 0)
        negative = (had == "<" and value <= 0) or (had == "<=" and value < 0)
        return True if positive or negative else None
    if had in (">", ">="):
        had, relation = _MIRRORED[had], _MIRRORED[relation]
        return _upper(had, value, relation, constant, lambda a, b: a > b)
    return _upper(had, value, relation, constant, lambda a, b: a < b)


def _upper(had: str, value: Any, relation: str, constant: Any, before: Any) -> bool | None:
    """`x < value` (or `<=`), read along the order `before`, against `x relation constant`."""
    strict = had == "<"
    reaches = before(value, constant) or (value == constant)
    if not reaches and not before(constant, value):
        return None  # NaN, or values without an order
    match relation:
        case "<":
            return True if before(value, constant) or (strict and value == constant) else None
        case "<=":
            return True if reaches else None
        case ">":
            return False if reaches else None
        case ">=" | "==":
            beyond = before(value, constant) or (strict and value == constant)
            return False if beyond else None
    return None


def _from_membership(fact: Term, holds: bool, relation: str, constant: Any) -> bool | None:
    container = fact.args[1]
    if container.op not in ("tuple", "members") or any(m.op != "const" for m in container.args):
        return None
    values = [m.value for m in container.args]
    if not holds:
        return False if relation == "==" and any(v == constant for v in values) else None
    outcomes = {_follows("==", value, relation, constant) for value in values}
    return outcomes.pop() if len(outcomes) == 1 else None
