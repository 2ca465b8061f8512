"""Tests with known answers put in, and what follows from them."""

import ast
from collections.abc import Callable

Answer = Callable[[ast.expr], bool | None]
"""What a test that stands alone comes to, None when that is not known."""


def test_of(subject: ast.expr, case: ast.match_case) -> ast.expr | None:
    """What a case asks, as a test; None for a pattern that looks into things or binds names."""
    asked = _asked_by(subject, case.pattern)
    if asked is None or case.guard is None:
        return asked
    return case.guard if isinstance(asked, ast.Constant) else ast.BoolOp(ast.And(), [asked, case.guard])


def _asked_by(subject: ast.expr, pattern: ast.pattern) -> ast.expr | None:
    match pattern:
        case ast.MatchAs(pattern=None, name=None):
            return ast.Constant(True)
        case ast.MatchValue(value=value):
            return ast.Compare(subject, [ast.Eq()], [value])
        case ast.MatchSingleton(value=value):
            return ast.Compare(subject, [ast.Is()], [ast.Constant(value)])
        case ast.MatchClass(cls=kind, patterns=[], kwd_attrs=[]):
            return ast.Call(ast.Name("isinstance", ast.Load()), [subject, kind], [])
        case ast.MatchOr(patterns=patterns):
            asked = [_asked_by(subject, one) for one in patterns]
            return None if None in asked else ast.BoolOp(ast.Or(), [one for one in asked if one is not None])
    return None


def fold(test: ast.expr, answer: Answer) -> ast.expr:
    """A test with the known answers put in and what follows from them worked out."""
    known = answer(test)
    if known is not None:
        return ast.Constant(known)
    match test:
        case ast.UnaryOp(op=ast.Not(), operand=operand):
            inner = fold(operand, answer)
            if isinstance(inner, ast.Constant) and isinstance(inner.value, bool):
                return ast.Constant(not inner.value)
            return ast.UnaryOp(ast.Not(), inner)
        case ast.BoolOp(op=op, values=values):
            return _folded(op, [fold(value, answer) for value in values])
        case ast.IfExp(test=asked, body=body, orelse=orelse):
            chosen = fold(asked, answer)
            if isinstance(chosen, ast.Constant) and isinstance(chosen.value, bool):
                return fold(body if chosen.value else orelse, answer)
            return ast.IfExp(chosen, fold(body, answer), fold(orelse, answer))
    return test


def _folded(op: ast.boolop, values: list[ast.expr]) -> ast.expr:
    ends = isinstance(op, ast.Or)
    left: list[ast.expr] = []
    for value in values:
        if isinstance(value, ast.Constant) and isinstance(value.value, bool):
            if value.value is ends:
                return ast.Constant(ends)
            continue
        left.append(value)
    if not left:
        return ast.Constant(not ends)
    return left[0] if len(left) == 1 else ast.BoolOp(op, left)


class FoldValues(ast.NodeTransformer):
    """Puts known answers into a statement's own expressions, where their values count and not only their truth."""

    def __init__(self, answer: Answer) -> None:
        self.answer = answer

    def visit_IfExp(self, node: ast.IfExp) -> ast.expr:
        chosen = fold(node.test, self.answer)
        if isinstance(chosen, ast.Constant) and isinstance(chosen.value, bool):
            return self.visit(node.body if chosen.value else node.orelse)  # type: ignore[no-any-return]
        self.generic_visit(node)
        node.test = chosen
        return node

    def generic_visit(self, node: ast.AST) -> ast.AST:
        if isinstance(node, ast.expr):
            known = self.answer(node)
            if known is not None:
                return ast.Constant(known)
        return super().generic_visit(node)

    def visit_BoolOp(self, node: ast.BoolOp) -> ast.expr:
        self.generic_visit(node)
        ends = isinstance(node.op, ast.Or)
        values = list(node.values)
        while len(values) > 1 and isinstance(values[0], ast.Constant) and isinstance(values[0].value, bool):
            if values[0].value is ends:
                return values[0]
            values.pop(0)
        return values[0] if len(values) == 1 else ast.BoolOp(node.op, values)
