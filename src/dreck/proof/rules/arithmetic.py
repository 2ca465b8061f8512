"""Arithmetic and formatting of values whose types are known."""

from dreck.model.ir.operations import Op
from dreck.model.ir.terms import Term
from dreck.proof.assumptions import EXACT, QUIET
from dreck.proof.lockstep.sums import NUMBERS, arithmetic_kinds, whole_number
from dreck.proof.rules.common import At, observed, quietly
from dreck.proof.state import Event, Gives, Result

_CANNOT_FAIL = frozenset({"Add", "Sub", "Mult"})


def arithmetic(at: At) -> Result | None:
    p = at.p
    kinds = [p.kinds(v) for v in at.values]
    operator = str(at.node.payload)
    if not arithmetic_kinds(operator, kinds):
        return _of_objects(at, operator)
    summed = whole_number(p.terms, operator, at.values, p.kinds_of, EXACT in p.allowed)
    if summed is not None:
        p.note(*([EXACT] if summed.op == "param" else []))
        return Gives(summed)
    term = at.make("arith", operator, *at.values)
    whole = all(k <= NUMBERS for k in kinds)
    divided = operator in ("FloorDiv", "Mod") and at.values[1].op == "const" and bool(at.values[1].value)
    if (whole and (operator in _CANNOT_FAIL or divided)) or at.node.op is Op.UNARY:
        return Gives(term)
    return _once(at, term)


def _once(at: At, term: Term) -> Result:
    """What only depends on its values, and may raise."""
    if term in at.state.lasting:
        at.p.trail.append(("done", term, True))
        return Gives(term)
    return Event(term, at.node.source, term, once=True, lasts=True, moves_time=False)


def _of_objects(at: At, operator: str) -> Result | None:
    """Arithmetic of values of unknown types that a test asks for: it is taken to be what it is for numbers."""
    if at.node.op is Op.IN_PLACE or not quietly(at):
        return None
    return observed(at, at.timed("worked", operator, *at.values), QUIET, alone=True)


def formatted(at: At) -> Result | None:
    """A value of a known type in an f-string, without a format of its own."""
    if len(at.values) != 1 or not at.p.is_scalar(at.values[0]):
        return None
    value = at.values[0]
    if at.node.payload in (_AS_IT_IS, _AS_TEXT) and value.op == "const" and isinstance(value.value, str):
        return Gives(value)
    term = at.make("formatted", at.node.payload, value)
    if value.op in ("const", "len") or "int" not in at.p.kinds(value):
        return Gives(term)
    return _once(at, term)  # a number of very many digits is not written out (library, `sys.set_int_max_str_digits`)


_AS_IT_IS, _AS_TEXT = -1, ord("s")
"""`f"{x}"`, `f"{x!s}"`."""


def joined(at: At) -> Result:
    """The parts of an f-string; texts that stand beside each other are one."""
    parts: list[Term] = []
    for value in at.values:
        if parts and _is_text(value) and _is_text(parts[-1]):
            parts[-1] = at.p.terms.const(parts[-1].value + value.value)
        elif not (_is_text(value) and not value.value):
            parts.append(value)
    if all(map(_is_text, parts)):
        return Gives(parts[0] if parts else at.p.terms.const(""))
    return Gives(at.make("joined", *parts))


def _is_text(value: Term) -> bool:
    return value.op == "const" and isinstance(value.value, str)


def tuple_of(at: At) -> Result:
    return Gives(_of(at, "tuple"))


def slice_of(at: At) -> Result:
    return Gives(_of(at, "slice"))


def _of(at: At, what: str) -> Term:
    return at.make(what, *at.values)
