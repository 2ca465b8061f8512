"""Naming a way through a function by the conditions that lead along it."""

import ast
from collections.abc import Iterable

_OPPOSITE: dict[type[ast.cmpop], ast.cmpop] = {
    ast.Lt: ast.GtE(), ast.GtE: ast.Lt(), ast.Gt: ast.LtE(), ast.LtE: ast.Gt(), ast.Eq: ast.NotEq(),
    ast.NotEq: ast.Eq(), ast.Is: ast.IsNot(), ast.IsNot: ast.Is(), ast.In: ast.NotIn(), ast.NotIn: ast.In(),
}  # fmt: skip
_LONG = 72


def way_name(trail: Iterable[tuple[int, bool]], tests: dict[int, ast.AST]) -> str:
    """The conditions that held, and the last one that was asked; in the order they were asked."""
    asked = list(dict.fromkeys(trail))
    told = [step for i, step in enumerate(asked) if step[1] or i == len(asked) - 1]
    parts = list(dict.fromkeys(condition(tests[number], outcome) for number, outcome in told))
    if not parts:
        return "straight through"
    while len(parts) > 1 and len(", ".join(parts)) > _LONG:
        parts.pop(0)
    return _cut(", ".join(parts))


def condition(test: ast.AST, outcome: bool) -> str:
    """One condition as it reads when it came out that way."""
    match test:
        case ast.ExceptHandler(type=None):
            return "any exception"
        case ast.ExceptHandler(type=ast.expr() as kind):
            return f"on {ast.unparse(kind)}"
        case ast.match_case(pattern=pattern):
            return f"case {ast.unparse(pattern)}"
        case ast.expr():
            return " ".join(ast.unparse(test if outcome else negated(test)).split())
    return type(test).__name__


def negated(test: ast.expr) -> ast.expr:
    match test:
        case ast.UnaryOp(op=ast.Not(), operand=operand):
            return operand
        case ast.Compare(left=left, ops=[op], comparators=right):
            return ast.Compare(left, [_OPPOSITE[type(op)]], right)
    return ast.UnaryOp(ast.Not(), test)


def _cut(text: str) -> str:
    return text if len(text) <= _LONG else text[: _LONG - 3] + "..."
