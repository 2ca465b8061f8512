"""Comparisons that answer with many truths at once: what a function itself says about the objects it compares.

`plain-comparisons` says that a comparison gives a real boolean. Arrays and frames give one of their own kind. Where a
function picks by a comparison (`a[a != 0]`), joins two with `&`, `|`, `^` or `~`, or asks one for an attribute
(`(a == b).all()`), it speaks of such objects, and what it says beats the assumption.
"""

import ast

from dreck.model.names.nodes import once_per_tree
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

_ORDERS_OR_EQUALS = (ast.Eq, ast.NotEq, ast.Lt, ast.LtE, ast.Gt, ast.GtE)
_BY_THE_BIT = (ast.BitAnd, ast.BitOr, ast.BitXor)
_DISPLAYS = (ast.Constant, ast.Tuple, ast.List, ast.Dict, ast.JoinedStr)


@once_per_tree
def speaks_of_masks(function: FunctionNode) -> bool:
    """Whether a function uses what comes of a comparison as no truth value is used."""
    return any(map(_uses_a_mask, walk(function)))


def _uses_a_mask(node: ast.AST) -> bool:
    match node:
        case ast.Subscript(value=value, slice=index) if not isinstance(value, _DISPLAYS):
            return _compares(index)
        case ast.BinOp(left=left, op=op, right=right) if isinstance(op, _BY_THE_BIT):
            return _compares(left) or _compares(right)
        case ast.UnaryOp(op=ast.Invert(), operand=operand) | ast.Attribute(value=operand):
            return _compares(operand)
    return False


def _compares(node: ast.expr) -> bool:
    """A comparison by value, also turned round by `not`."""
    match node:
        case ast.UnaryOp(op=ast.Not(), operand=operand):
            return _compares(operand)
        case ast.Compare(ops=ops):
            return any(isinstance(op, _ORDERS_OR_EQUALS) for op in ops)
    return False
