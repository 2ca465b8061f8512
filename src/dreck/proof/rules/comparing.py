"""Comparisons: identity, equality, order, membership, each in one form for both versions."""

from typing import Any

from dreck.model.ir.operations import Op
from dreck.model.ir.terms import Term
from dreck.model.narrowing import Member
from dreck.proof.assumptions import COMPARISONS, FAMILIES, HASHABLE, ORDER
from dreck.proof.classes.say.wilful import CONSTANT
from dreck.proof.conditions import class_names, is_constant_display, is_fixed_display
from dreck.proof.lockstep.prover import Prover
from dreck.proof.rules.common import At, by_the_table, observed, quietly, unmet
from dreck.proof.state import Event, Gives, Result


def compare(at: At) -> Result:
    left, right = at.values
    op = str(at.node.payload)
    if op in ("Is", "IsNot"):
        return _identity(at, left, right, op == "Is")
    if left.op == right.op == "const":
        folded = _fold(op, left.value, right.value)
        if folded is not None:
            return Gives(at.p.terms.const(folded))
    match op:
        case "In" | "NotIn":
            return _membership(at, left, right, op == "In")
        case "Eq" | "NotEq":
            return _equality(at, left, right, op == "Eq")
    return _ordering(at, op, left, right)


# --- identity ------------------------------------------------------------------------------------------


def _identity(at: At, left: Term, right: Term, wanted: bool) -> Result:
    """Decided only for None, True, False, Ellipsis, members of plain enums, and what surely is one object."""
    p = at.p
    if left.op == "const" and right.op != "const":
        left, right = right, left
    if is_singleton(right):
        outcome = is_that(at, left, right)
        if outcome is not None:
            return Gives(p.terms.const(outcome is wanted))
        return Gives(at.make("bool", at.make("is", left, right), wanted))
    # What stands by itself is no tuple, number, text or method made anew: the answer is the same wherever it is asked.
    by_itself = "global" in (p.shape(left), p.shape(right))
    if not by_itself and not (_is_fixed(at, left) and _is_fixed(at, right)):
        return unmet(at)
    if left is right:
        return Gives(p.terms.const(wanted)) if p.is_one_object(left) else unmet(at)
    if left.number > right.number:
        left, right = right, left
    return Gives(at.make("bool", at.make("is", left, right), wanted))


def is_singleton(term: Term) -> bool:
    return term.op == "const" and (term.value is None or term.value is ... or isinstance(term.value, bool | Member))


def is_that(at: At, value: Term, constant: Term) -> bool | None:
    """Whether a value is the one object `constant`, when its kind alone tells."""
    if value.op == "const":
        return value is constant
    kinds = at.p.kinds(value)
    if kinds and str(constant.args[0]) not in kinds:
        return False
    return False if at.p.is_something(at.which, value) else None


def _is_fixed(at: At, value: Term) -> bool:
    """Whether the identity of a value is the same wherever its term stands.

    An attribute read twice may be two bound methods; read once in each function it is one object.
    """
    if at.p.is_one_object(value):
        return True
    return value.op == "attr" and not at.side.frames and at.p.attributes_read.get(str(value.args[1]), 2) <= 1


# --- equality and order --------------------------------------------------------------------------------


def _equality(at: At, left: Term, right: Term, wanted: bool) -> Result:
    p = at.p
    shapes = {p.shape(left), p.shape(right)}
    if shapes == {"type", "global"} and COMPARISONS in p.allowed:
        kind = left if left.op == "global" else right
        if all(kin.is_class(str(kind.args[0])) for kin in p.classes):
            p.note(COMPARISONS)
            return _identity(at, left, right, wanted)
    written = at.make("eq" if wanted else "ne", left, right)
    known = p.is_scalar(left) and p.is_scalar(right)
    what = CONSTANT if any(map(_is_of_builtins, (left, right))) else "eq"
    if not known and not _is_plain(at, what, left, right):
        return by_the_table(at) if wanted else _turned_round(at, left, right)
    if left.op == "const" or (right.op != "const" and left.number > right.number):
        left, right = right, left
    lasts = known or right.op == "const" or "valued" in shapes
    test = at.make("eq", left, right) if lasts else at.timed("eq", left, right)
    return _tested(at, test, wanted, known, COMPARISONS, written)


def _turned_round(at: At, left: Term, right: Term) -> Event:
    """`x != y` where `==` may do anything: the same act as `x == y`, and the opposite of what comes of that."""
    p = at.p
    asks_plainly = all("truth" not in k.taken_back().comparisons or k.equality_is_a_bool() for k in p.classes)
    if COMPARISONS not in p.allowed or not asks_plainly or not all(kin.inverts_equality() for kin in p.classes):
        return by_the_table(at)
    p.note(COMPARISONS)
    return Event(at.make(Op.COMPARE, "Eq", left, right), at.node.source, opposite=True)


def _is_of_builtins(value: Term) -> bool:
    """A number, a text, `None`: a constant that is no member of a class of the files."""
    return value.op == "const" and not isinstance(value.value, Member)


def _is_plain(at: At, what: str, *values: Term) -> bool:
    return COMPARISONS in at.p.allowed and at.p.compares_quietly(what, at.state, *values)


def _ordering(at: At, op: str, left: Term, right: Term) -> Result:
    p = at.p
    written = at.make(op, left, right)
    typed = p.are_total(left, right)
    if not typed and not _is_plain(at, "order", left, right):
        return by_the_table(at)
    wanted, turned = True, False
    if op in ("Gt", "GtE"):
        left, right, op = right, left, {"Gt": "Lt", "GtE": "LtE"}[op]
    if op == "LtE" and (typed or ORDER in p.allowed):
        left, right, op, wanted, turned = right, left, "Lt", False, not typed
    lasts = typed or "const" in (left.op, right.op)
    name = "lt" if op == "Lt" else "le"
    test = at.make(name, left, right) if lasts else at.timed(name, left, right)
    if not typed:
        (p.turned if turned else p.straight).add(test)
    alone = COMPARISONS if _was_compared_alike(at, left, right) else ""
    return _tested(at, test, wanted, typed, alone, written)


def _was_compared_alike(at: At, left: Term, right: Term) -> bool:
    """Whether the same value has been ordered against a constant of this sort before, which did not raise."""
    subject, constant = (left, right) if right.op == "const" else (right, left)
    if constant.op != "const" or subject.op == "const":
        return False
    for fact in at.state.facts.about.get(subject, ()):
        if fact.op in ("lt", "le") and any(_is_of_a_sort(other, constant) for other in fact.args[:2]):
            at.p.trail.append(("fact", fact, at.state.facts.known[fact]))
            return True
    return False


def _is_of_a_sort(other: Any, constant: Term) -> bool:
    if not isinstance(other, Term) or other.op != "const":
        return False
    both = (other.value, constant.value)
    return all(isinstance(v, int | float) for v in both) or all(isinstance(v, str) for v in both)


# --- membership ----------------------------------------------------------------------------------------


def _membership(at: At, left: Term, right: Term, wanted: bool) -> Result:
    p = at.p
    written = at.make("in" if wanted else "not in", left, right)
    p.shape(right)
    constants, fixed = is_constant_display(right), is_fixed_display(right)
    known = constants and p.is_scalar(left)
    if not fixed and not p.is_scalar(right) and not quietly(at):
        return by_the_table(at)  # an iterator is used up by being asked
    what = CONSTANT if constants and all(map(_is_of_builtins, right.args)) else "eq"
    among = right.args if fixed else ()
    plain = _is_plain(at, what, left, *among) and _is_plain(at, "in", right) and _is_plain(at, "hash", left)
    if not known and not plain:
        return by_the_table(at)
    alone = (COMPARISONS if right.op == "tuple" else HASHABLE) if fixed else ""
    test = at.make("in", left, right) if fixed else at.timed("in", left, right)
    return _tested(at, test, wanted, known, alone, written)


def _tested(at: At, test: Term, wanted: bool, known: bool, alone: str, written: Term) -> Result:
    """A comparison: nothing at all for known types, else an event that happens once."""
    p, state = at.p, at.state
    result = at.make("bool", test, wanted)
    if known:
        return Gives(result)
    if test in state.done or test in state.lasting:
        p.trail.append(("done", test, True))
        p.note(COMPARISONS)
        p.note_order(test)
        p.note_time(test, state)
        return Gives(result)
    return Event(
        test,
        at.node.source,
        result,
        harmless=alone or quietly(at),
        keeps=COMPARISONS,
        once=True,
        lasts=not any(a is state.epoch for a in test.args),
        moves_time=False,
        written=written,
    )


def note_spelling(p: Prover, old: Event, new: Event) -> None:
    """Both sides make the same comparison, spelt otherwise (`==` and `not !=`): that rests on an assumption."""
    p.note(COMPARISONS)
    if old.written is None or new.written is None:
        return
    strict = {"Lt", "Gt"}
    if (old.written.op in strict) != (new.written.op in strict):
        p.note(ORDER)


# --- classes -------------------------------------------------------------------------------------------


def is_instance(at: At, name: str, value: Term, kinds: Term) -> Result | None:
    """`isinstance`, `issubclass`, a class pattern without parts: of classes that are known it cannot fail."""
    p = at.p
    if not _names_classes(kinds) or p.may_change_classes:
        return None
    p.shape(kinds)
    known = all(_is_known_class(at, kind) for kind in class_names(kinds))
    if not known and any("isinstance" in kin.taken_back().comparisons for kin in p.classes):
        return None
    if name == "isinstance":
        kinds = _meant(at, kinds)
    if COMPARISONS not in p.allowed:
        return Event(at.make("asked", name, value, kinds), at.node.source, real_bool=True)
    result = at.make("bool", at.make(name, value, kinds), True)
    return observed(at, at.make("asked", name, value, kinds), COMPARISONS, result, alone=known)


def _is_known_class(at: At, kind: str) -> bool:
    """Whether a name means a class of the ordinary kind: in both versions, or in the one that alone has it."""
    mine, other = at.p.classes[at.which], at.p.classes[1 - at.which]
    return mine.is_class(kind) and (other.is_class(kind) or mine.is_own(kind))


def _names_classes(term: Term) -> bool:
    parts = term.args if term.op == "tuple" else (term,)
    return bool(parts) and all(part.op == "global" for part in parts)


def _meant(at: At, kinds: Term) -> Term:
    """The classes both versions know that an `isinstance` asks for."""
    names = [str(a.args[0]) for a in (kinds.args if kinds.op == "tuple" else (kinds,)) if a.op == "global"]
    if FAMILIES not in at.p.allowed:
        return kinds
    meant = [at.p.classes[at.which].meant(name) for name in names]
    if any(found is None for found in meant):
        return kinds
    known = [kind for found in meant for kind in found or ()]
    if known == names or not known:
        return kinds
    at.p.note(FAMILIES)
    terms = [at.make("global", name) for name in dict.fromkeys(known)]
    return terms[0] if len(terms) == 1 else at.make("tuple", *terms)


def _fold(op: str, left: Any, right: Any) -> bool | None:
    try:
        match op:
            case "Eq":
                return bool(left == right)
            case "NotEq":
                return bool(left != right)
            case "Lt":
                return bool(left < right)
            case "LtE":
                return bool(left <= right)
            case "Gt":
                return bool(left > right)
            case "GtE":
                return bool(left >= right)
            case "In":
                return left in right
            case "NotIn":
                return left not in right
    except TypeError:
        return None
    return None
