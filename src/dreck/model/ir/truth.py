"""Expressions whose value was asked for its truth to come to it."""

import ast


def was_asked(e: ast.expr) -> bool:
    """Whether the value of `e` may be one that was asked for its truth to come to it: `a and b`, `a < b < c`."""
    match e:
        case ast.BoolOp() | ast.Compare(ops=[_, _, *_]):
            return True
        case ast.IfExp(body=body, orelse=orelse):
            return was_asked(without_not(body)) or was_asked(without_not(orelse))
        case ast.NamedExpr(value=value):
            return was_asked(value)
    return False


def form_of(e: ast.expr) -> str:
    """How `and`, `or` and chains stand in one another.

    Whether what an inner one gives is asked for its truth once more is up to the version of Python, and to that.
    """
    match e:
        case ast.BoolOp(op=op, values=values):
            return f"{type(op).__name__}({', '.join(map(form_of, values))})"
        case ast.Compare(ops=[_, _, *_] as ops):
            return f"chain of {len(ops)}"
        case ast.IfExp(body=body, orelse=orelse):
            return f"either({form_of(body)}, {form_of(orelse)})"
        case ast.NamedExpr(value=value):
            return f"kept({form_of(value)})"
    return "value"


def without_not(e: ast.expr) -> ast.expr:
    while isinstance(e, ast.UnaryOp) and isinstance(e.op, ast.Not):
        e = e.operand
    return e
