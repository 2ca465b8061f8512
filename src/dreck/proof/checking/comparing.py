"""Comparisons and sums the checker accepts: as they are spelt, as they are told, as they come out."""

import operator
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from dreck.model.ir.terms import Term
from dreck.model.narrowing import Member
from dreck.proof.assumptions import COMPARISONS, EXACT, ORDER
from dreck.proof.checking.values import WHOLE, CheckedValues
from dreck.proof.state import Side, State

_PYTHON: dict[str, Callable[[Any, Any], Any]] = {
    "Eq": operator.eq, "NotEq": operator.ne, "Lt": operator.lt, "LtE": operator.le, "Gt": operator.gt,
    "GtE": operator.ge, "In": lambda a, b: a in b, "NotIn": lambda a, b: a not in b,
}  # fmt: skip


_WHOLE_SUMS: dict[str, Callable[[list[int]], int]] = {
    "Add": sum,
    "Sub": lambda p: p[0] - p[1],
    "Mult": lambda p: p[0] * p[1],
    "USub": lambda p: -p[0],
}


@dataclass(slots=True)
class CheckedComparisons(CheckedValues):
    """Whether a comparison or a sum comes to what the prover says."""

    def compared(self, state: State, side: Side, op: str, left: Term, right: Term, value: Term) -> bool:
        if op in ("Is", "IsNot"):
            return self._identical(side, op == "Is", left, right, value)
        if value.op == "const":
            if not left.op == right.op == "const":
                return False
            return bool(_PYTHON[op](left.value, right.value)) is value.value
        if value.op != "bool":
            return False
        test, wanted = value.args
        if test.op == "is":
            classes = {self.look(left), self.look(right)} == {"type", "global"} and COMPARISONS in self.listed
            return classes and op in ("Eq", "NotEq") and set(test.args) == {left, right} and wanted is (op == "Eq")
        if not self.is_spelling(op, left, right, test, wanted):
            return False
        if test in state.done or test in state.lasting:
            return True
        if test.op == "in":
            constants = right.op in ("tuple", "members") and all(m.op == "const" for m in right.args)
            return constants and self.is_scalar(left)
        return self.is_scalar(left) and self.is_scalar(right) and (test.op == "eq" or self.are_total(left, right))

    def is_spelling(self, op: str, left: Term, right: Term, test: Term, wanted: bool) -> bool:
        """Whether a comparison is the one that `test` tells."""
        parts = test.args[:2]
        straight, turned = parts == (left, right), parts == (right, left)
        match op, test.op:
            case "Eq" | "NotEq", "eq":
                return (straight or turned) and wanted is (op == "Eq")
            case "In" | "NotIn", "in":
                return straight and wanted is (op == "In")
            case "Lt", "lt":
                return straight and wanted
            case "Gt", "lt":
                return turned and wanted
            case "LtE", "le":
                return straight and wanted
            case "GtE", "le":
                return turned and wanted
            case "LtE", "lt":
                return turned and not wanted and (ORDER in self.allowed or self.are_total(left, right))
            case "GtE", "lt":
                return straight and not wanted and (ORDER in self.allowed or self.are_total(left, right))
        return False

    def _identical(self, side: Side, wanted: bool, left: Term, right: Term, value: Term) -> bool:
        if left.op == "const" and right.op != "const":
            left, right = right, left
        alone = right.op == "const" and (right.value is None or isinstance(right.value, bool | Member | type(...)))
        if value.op == "const":
            same = value.value is wanted
            if same:
                return left is right and (alone or self.is_object(left))
            if not alone:
                return False
            if left.op == "const":
                return left is not right
            kinds = self.kinds(left)
            made = self.look(left) in ("lambda", "method", "record", "tuple", "type")
            if left.op == "global":
                axioms, name = self.axioms[side.which], str(left.args[0])
                made = axioms.function(name) is not None or axioms.is_class(name)
            return made or bool(kinds and str(right.args[0]) not in kinds)
        if value.op != "bool" or value.args[0].op != "is" or set(value.args[0].args) != {left, right}:
            return False
        if value.args[1] is not wanted or left is right:
            return False
        if alone or "global" in (self.look(left), self.look(right)):
            return True
        return all(self.is_object(v) or (v.op == "attr" and self.read_once(v.args[1])) for v in (left, right))

    # --- arithmetic --------------------------------------------------------------------------------

    def worked_out(self, state: State, op: str, vals: tuple[Term, ...], value: Term) -> bool:
        kinds = [self.kinds(v) for v in vals]
        if any(not k or not k <= {"int", "bool", "float", "str"} for k in kinds):
            return False
        if value is self.make("arith", op, *vals):
            by_number = op in ("FloorDiv", "Mod") and vals[1].op == "const" and vals[1].value != 0
            sure = (op in ("Add", "Sub", "Mult", "USub", "UAdd") or by_number) and all(k <= WHOLE for k in kinds)
            return sure or value in state.lasting
        come_to = self.kinds(value)
        if not all(k <= WHOLE for k in (*kinds, come_to)) or not come_to or op not in ("Add", "Sub", "Mult", "USub"):
            return False
        exact = EXACT in self.listed and value.op == "param" and "int" in come_to
        if "bool" in come_to and not exact:
            return False  # `True + 0` is 1
        # Two polynomials of degree one are the same where they agree on enough points.
        leaves = sorted({leaf for v in (*vals, value) for leaf in _leaves(v)}, key=lambda t: t.number)
        for shift in range(5):
            at = {leaf: (i * 7919 + shift * 104729) % 9973 - 4000 for i, leaf in enumerate(leaves, 1)}
            parts = [_number(v, at) for v in vals]
            if _WHOLE_SUMS[op](parts) != _number(value, at):
                return False
        return True


def _leaves(term: Term) -> set[Term]:
    if term.op == "const":
        return set()
    if term.op == "arith" and term.args[0] == "Linear":
        return {leaf for part in term.args[2::2] for leaf in _leaves(part)}
    return {term}


def _number(term: Term, at: dict[Term, int]) -> int:
    if term.op == "const":
        return int(term.value)
    if term.op == "arith" and term.args[0] == "Linear":
        pairs = zip(term.args[2::2], term.args[3::2], strict=True)
        return int(term.args[1]) + sum(_number(part, at) * int(count) for part, count in pairs)
    return at[term]
