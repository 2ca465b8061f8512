"""Conditions however they are spelt: by De Morgan, mirrored, spaced; and those that are the other way round."""

import ast
from functools import lru_cache
from typing import TypeAlias

Normal: TypeAlias = tuple[object, ...]
"""`("and", ...)`, `("or", ...)` or `("asks", what, which way)`; what stands in it is hashable."""

_OPPOSITE: dict[type[ast.cmpop], type[ast.cmpop]] = {ast.NotEq: ast.Eq, ast.IsNot: ast.Is, ast.NotIn: ast.In}
_MIRRORED: dict[type[ast.cmpop], type[ast.cmpop]] = {ast.Gt: ast.Lt, ast.GtE: ast.LtE}
_TURNED: dict[type[ast.cmpop], type[ast.cmpop]] = {ast.Lt: ast.LtE, ast.LtE: ast.Lt}


@lru_cache(maxsize=1024)
def normal(code: str) -> Normal | None:
    """One form for all spellings of a condition that come to the same truth, operands in their order; None for no code.

    `not a < b` counts as `b <= a` here: what is found by it is a wish, not a proof.
    """
    try:
        return _normal(ast.parse(code.strip(), mode="eval").body, True)
    except (SyntaxError, ValueError):
        return None


def opposite(code: str) -> Normal | None:
    """The form of what is true when `code` is not."""
    try:
        return _normal(ast.parse(code.strip(), mode="eval").body, False)
    except (SyntaxError, ValueError):
        return None


def parts(form: Normal) -> frozenset[object]:
    """What a condition asks, whichever way round."""
    if form[0] == "asks":
        return frozenset({form[1]})
    return frozenset().union(*(parts(inner) for inner in form[1:] if isinstance(inner, tuple)))


def _normal(e: ast.expr, wanted: bool) -> Normal:
    match e:
        case ast.UnaryOp(op=ast.Not(), operand=operand):
            return _normal(operand, not wanted)
        case ast.BoolOp(op=op, values=values):
            word = "and" if isinstance(op, ast.And) is wanted else "or"
            inner: list[object] = []
            for value in values:
                found = _normal(value, wanted)
                inner += found[1:] if found[0] == word else [found]
            return (word, *inner)
        case ast.Compare(left=left, ops=[op], comparators=[right]):
            return _compared(left, type(op), right, wanted)
    return ("asks", ast.dump(e), wanted)


def _compared(left: ast.expr, op: type[ast.cmpop], right: ast.expr, wanted: bool) -> Normal:
    if op in _OPPOSITE:
        op, wanted = _OPPOSITE[op], not wanted
    if op in _MIRRORED:
        left, op, right = right, _MIRRORED[op], left
    if op in _TURNED and not wanted:
        left, op, right, wanted = right, _TURNED[op], left, True
    sides = [ast.dump(left), ast.dump(right)]
    if op in (ast.Eq, ast.Is):
        sides.sort()
    return ("asks", (op.__name__, *sides), wanted)
