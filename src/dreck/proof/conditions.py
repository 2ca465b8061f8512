"""Facts known on a path: which tests came out true or false, and what follows from that.

What follows is worked out only from comparisons with constants. It is sound for values whose comparisons
behave like those of the built-in types (the assumption `plain-comparisons`); that "not less" means
"greater or equal" is used only where both types are known or `total-order` is assumed.
"""

from typing import Any

from dreck.model.ir.terms import Term
from dreck.model.narrowing import MIRRORED, SCALARS, Member, follows, implied


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
        if test.op in ("eq", "in"):
            found = self._of_valued(test)
            if found is not None:
                return found
        if test.op == "in":
            return self._membership(test, total)
        if test.op == "isinstance":
            return self._instance(test)
        asked = relation_of(test)
        if asked is None:
            return None
        subject, relation, constant = asked
        for fact in self.about.get(subject, ()):
            outcome = _implied(fact, self.known[fact], subject, relation, constant, total)
            if outcome is not None:
                return outcome, (fact,)
        return self._last_member(subject, constant) if relation == "==" else None

    def _of_valued(self, test: Term) -> tuple[bool, tuple[Term, ...]] | None:
        """What tests for members of one enum over numbers or texts, which are all different, say of each other."""
        for subject in (a for a in test.args[:2] if isinstance(a, Term)):
            asked = _members_asked(test, subject)
            if not asked:
                continue
            told = [(f, m) for f in self.about.get(subject, ()) if (m := _members_asked(f, subject))]
            told = [(f, m) for f, m in told if {v.args[0] for v in m} == {v.args[0] for v in asked}]
            may_be: list[Term | None] = [*dict.fromkeys(v for _, m in ((test, asked), *told) for v in m), None]
            left = [v for v in may_be if all((v in m) is self.known[f] for f, m in told)]
            outcomes = {v in asked for v in left}
            if told and len(outcomes) == 1:
                return outcomes.pop(), tuple(f for f, _ in told)
        return None

    def _last_member(self, subject: Term, constant: Any) -> tuple[bool, tuple[Term, ...]] | None:
        """One of several it is, and all others are ruled out."""
        about = self.about.get(subject, ())
        for fact in about:
            if fact.op != "in" or not self.known[fact] or fact.args[0] is not subject:
                continue
            container = fact.args[1]
            if not is_constant_display(container):
                continue
            ruled_out = [f for f in about if f.op == "eq" and not self.known[f]]
            gone = [a.value for f in ruled_out for a in f.args[:2] if isinstance(a, Term) and a.op == "const"]
            left = [m.value for m in container.args if m.value not in gone]
            if len(left) == 1 and left[0] == constant and isinstance(constant, SCALARS):
                return True, (fact, *ruled_out)
        return None

    def _membership(self, test: Term, total: bool) -> tuple[bool, tuple[Term, ...]] | None:
        subject, container = test.args[:2]
        if not is_constant_display(container):
            return None
        among = [f for f in self.about.get(subject, ()) if self._is_among(f, subject, container)]
        if among:
            return True, (among[0],)
        ruled_out: list[Term] = []
        for member in container.args:
            found = self._equal(subject, member.value, total)
            if found is None:
                return None
            if found[0]:
                return True, found[1]
            ruled_out += found[1]
        return False, tuple(ruled_out)

    def _is_among(self, fact: Term, subject: Term, container: Term) -> bool:
        """Whether a fact says that it is one of some that all stand in the container."""
        if fact.op != "in" or fact.args[0] is not subject or not self.known[fact]:
            return False
        some = fact.args[1]
        return is_constant_display(some) and all(
            any(_are_the_same(m.value, other.value) for other in container.args) for m in some.args
        )

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


def _are_the_same(a: Any, b: Any) -> bool:
    return type(a) is type(b) and isinstance(a, SCALARS) and bool(a == b)


def relation_of(test: Term) -> tuple[Term, str, Any] | None:
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
                return right, MIRRORED.get(relation, relation), left.value
    return None


def _implied(fact: Term, holds: bool, subject: Term, asked: str, constant: Any, total: bool) -> bool | None:
    """What a decided test says about `subject asked constant`."""
    if fact.op == "in" and fact.args[0] is subject:
        return _from_membership(fact, holds, asked, constant)
    known = relation_of(fact)
    if known is None or known[0] is not subject:
        return None
    return implied(known[1], known[2], holds, asked, constant, total)


def _from_membership(fact: Term, holds: bool, asked: str, constant: Any) -> bool | None:
    container = fact.args[1]
    if not is_constant_display(container):
        return None
    values = [m.value for m in container.args]
    if not holds:
        return False if asked == "==" and any(v == constant for v in values) else None
    outcomes = {follows("==", value, asked, constant) for value in values}
    return outcomes.pop() if len(outcomes) == 1 else None


def _members_asked(test: Term, subject: Term) -> tuple[Term, ...]:
    """The members of one enum that a test compares its subject with; none for every other test."""
    left, right = test.args[:2] if test.op in ("eq", "in") else (test, test)
    if test.op == "in":
        among = right.args if left is subject and is_fixed_display(right) else ()
    else:
        among = (right if left is subject else left,) if subject in (left, right) else ()
    valued = bool(among) and subject.op != "valued" and all(v.op == "valued" for v in among)
    return tuple(among) if valued and len({v.args[0] for v in among}) == 1 else ()


def is_fixed_display(container: Term) -> bool:
    """The same, or a tuple in which members of enums over numbers or texts stand, too."""
    fixed = container.op == "tuple" and all(m.op in ("const", "valued") for m in container.args)
    return fixed or is_constant_display(container)


def is_constant_display(container: Term) -> bool:
    """Whether a container is a tuple or set written with constants only."""
    return container.op in ("tuple", "members") and all(m.op == "const" for m in container.args)


def member_in(test: Term) -> Member | None:
    """The member of an enum that a test compares something with."""
    if test.op not in ("eq", "is"):
        return None
    for part in test.args[:2]:
        if isinstance(part, Term) and part.op == "const" and isinstance(part.value, Member):
            return part.value
    return None


def is_a_member(value: Term) -> bool:
    """Whether it is a member of an enum of the files."""
    return value.op == "valued" or (value.op == "const" and isinstance(value.value, Member))


def class_names(kinds: Term) -> set[str]:
    return {str(part.args[0]) for part in (kinds.args if kinds.op == "tuple" else (kinds,))}
