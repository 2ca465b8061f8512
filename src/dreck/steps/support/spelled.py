"""Tests that are put together anew, as code: what stood there before is written as it stood."""

import ast

from dreck.steps.support.sheet import Sheet

OPPOSITE: dict[type[ast.cmpop], type[ast.cmpop]] = {
    ast.NotEq: ast.Eq, ast.IsNot: ast.Is, ast.NotIn: ast.In, ast.LtE: ast.Gt, ast.GtE: ast.Lt,
}  # fmt: skip
"""Comparisons that ask the contrary of others."""
_WORDS = {
    ast.Eq: "==", ast.NotEq: "!=", ast.Lt: "<", ast.LtE: "<=", ast.Gt: ">", ast.GtE: ">=", ast.Is: "is",
    ast.IsNot: "is not", ast.In: "in", ast.NotIn: "not in",
}  # fmt: skip


def straight(e: ast.expr) -> ast.expr:
    """`x != 3` as the test it turns round."""
    if isinstance(e, ast.Compare) and len(e.ops) == 1 and type(e.ops[0]) in OPPOSITE:
        made = ast.Compare(e.left, [OPPOSITE[type(e.ops[0])]()], e.comparators)
        return ast.copy_location(made, e)
    return e


def turned(e: ast.expr) -> ast.expr:
    """The contrary of a test that stands alone."""
    if isinstance(e, ast.Compare) and len(e.ops) == 1:
        for other, same in OPPOSITE.items():
            if isinstance(e.ops[0], same):
                return ast.copy_location(ast.Compare(e.left, [other()], e.comparators), e)
    return ast.UnaryOp(ast.Not(), e)


def as_written(text: str, e: ast.expr) -> str:
    """The code of an expression as it stands in `text`, on one line."""
    code = ast.get_source_segment(text, e) or "\n"
    return ast.unparse(e) if "\n" in code else code


def spelled(sheet: Sheet, e: ast.expr) -> str:
    """The code of a test whose parts come from the sheet; a mix of `and` and `or` is told apart by parentheses."""
    match e:
        case ast.BoolOp(op=op, values=values):
            word = " and " if isinstance(op, ast.And) else " or "
            return word.join(_part(sheet, v, isinstance(v, ast.BoolOp)) for v in values)
        case ast.UnaryOp(op=ast.Not(), operand=operand):
            return f"not {_part(sheet, operand, isinstance(operand, ast.BoolOp))}"
        case ast.Compare(left=left, ops=[op], comparators=[right]):
            return f"{_side(sheet, left)} {_WORDS[type(op)]} {_side(sheet, right)}"
    return _leaf(sheet, e)


def _part(sheet: Sheet, e: ast.expr, held: bool) -> str:
    code = spelled(sheet, e)
    return f"({code})" if held or isinstance(e, ast.IfExp | ast.Lambda | ast.NamedExpr) else code


def _side(sheet: Sheet, e: ast.expr) -> str:
    """With the parentheses it stands in."""
    if not hasattr(e, "lineno"):
        return ast.unparse(e)
    code = sheet.code(sheet.in_parentheses(e))
    return code if "\n" not in code else f"({ast.unparse(e)})"


def _leaf(sheet: Sheet, e: ast.expr) -> str:
    """As it stands, if it does on one line."""
    code = sheet.code(e) if hasattr(e, "lineno") else "\n"
    return code if "\n" not in code else ast.unparse(e)
