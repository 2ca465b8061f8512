"""Turning a test round: by operator where that is exact, by De Morgan, else with `not`."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from dreck.source.lossless import cst

_EXACT = {"Equal": "NotEqual", "NotEqual": "Equal", "In": "NotIn", "NotIn": "In", "Is": "IsNot", "IsNot": "Is"}
_ORDER = {
    "LessThan": "GreaterThanEqual",
    "GreaterThanEqual": "LessThan",
    "GreaterThan": "LessThanEqual",
    "LessThanEqual": "GreaterThan",
}
"""The names of operators and of their opposites."""


def negations(test: cst.BaseExpression) -> Iterator[tuple[cst.BaseExpression, bool]]:
    """The opposite of `test`, best first; with True those that need a proof, since they turn `<` to `>=`."""
    exact = bare(_negated(test, False))
    if _turns_order(test):
        turned = bare(_negated(test, True))
        yield turned, True
    yield exact, False


def is_clean(test: cst.BaseExpression) -> bool:
    """Whether the opposite of `test` can be written without adding a `not`."""
    match test:
        case cst.UnaryOperation(operator=cst.Not()):
            return True
        case cst.Comparison(comparisons=[only]):
            return type(only.operator).__name__ in _EXACT
        case cst.BooleanOperation(left=left, right=right):
            return is_clean(left) and is_clean(right)
    return False


def _turns_order(test: cst.BaseExpression) -> bool:
    match test:
        case cst.Comparison(comparisons=[only]):
            return type(only.operator).__name__ in _ORDER
        case cst.BooleanOperation(left=left, right=right):
            return _turns_order(left) or _turns_order(right)
    return False


def _negated(test: cst.BaseExpression, turn_order: bool) -> cst.BaseExpression:
    match test:
        case cst.UnaryOperation(operator=cst.Not(), expression=inner) if not has_comments(test):
            return inner
        case cst.Comparison(comparisons=[only]):
            turned = _operator(only.operator, turn_order)
            if turned is not None and _asks_for_any(test):
                turned = _put(cst.Equal, only.operator)
            if turned is not None:
                return test.with_changes(comparisons=[only.with_changes(operator=turned)])
        case cst.BooleanOperation() if _by_de_morgan(test, turn_order):
            return _de_morgan(test, turn_order)
    return _not(test)


def _operator(operator: cst.BaseCompOp, turn_order: bool) -> cst.BaseCompOp | None:
    word = type(operator).__name__
    opposite = _EXACT.get(word) or (_ORDER.get(word) if turn_order else None)
    if opposite is None:
        return None
    return _put(getattr(cst, opposite), operator)


def _put(kind: type[cst.BaseCompOp], operator: cst.BaseCompOp) -> cst.BaseCompOp:
    written: Any = operator
    made: Any = kind
    put: cst.BaseCompOp = made(whitespace_before=written.whitespace_before, whitespace_after=written.whitespace_after)
    return put


def _asks_for_any(test: cst.Comparison) -> bool:
    """`len(loads) > 0`: the opposite is that there are none, `len(loads) == 0`, as no length is below that."""
    match test:
        case cst.Comparison(
            left=cst.Call(func=cst.Name(value="len")),
            comparisons=[cst.ComparisonTarget(operator=cst.GreaterThan(), comparator=cst.Integer(value="0"))],
        ):
            return True
    return False


def _by_de_morgan(test: cst.BooleanOperation, turn_order: bool) -> bool:
    """Each operand must turn without a `not` before a comparison, mixed chains only when all turn cleanly."""
    operands = _operands(test, type(test.operator))
    if any(isinstance(o, cst.BooleanOperation) and not _clean(o, turn_order) for o in operands):
        return False
    return all(_turns(o, turn_order) for o in operands)


def _operands(test: cst.BaseExpression, operator: type) -> list[cst.BaseExpression]:
    if isinstance(test, cst.BooleanOperation) and isinstance(test.operator, operator):
        return [*_operands(test.left, operator), *_operands(test.right, operator)]
    return [test]


def _turns(operand: cst.BaseExpression, turn_order: bool) -> bool:
    match operand:
        case cst.Comparison(comparisons=[only]):
            return _operator(only.operator, turn_order) is not None
        case cst.Comparison() | cst.NamedExpr() | cst.IfExp() | cst.Lambda():
            return False
    return True


def _clean(test: cst.BaseExpression, turn_order: bool) -> bool:
    match test:
        case cst.BooleanOperation(left=left, right=right):
            return _clean(left, turn_order) and _clean(right, turn_order)
        case cst.UnaryOperation(operator=cst.Not()):
            return True
        case cst.Comparison(comparisons=[only]):
            return _operator(only.operator, turn_order) is not None
    return False


def _de_morgan(test: cst.BooleanOperation, turn_order: bool) -> cst.BaseExpression:
    # `and` binds tighter than `or`: an operand that becomes an `or` inside an `and` needs parentheses.
    turned: cst.BaseBooleanOp
    if isinstance(test.operator, cst.And):
        turned = cst.Or(test.operator.whitespace_before, test.operator.whitespace_after)
    else:
        turned = cst.And(test.operator.whitespace_before, test.operator.whitespace_after)
    left = _fitting(_negated(test.left, turn_order), turned)
    right = _fitting(_negated(test.right, turn_order), turned)
    return test.with_changes(left=left, operator=turned, right=right)


def _fitting(operand: cst.BaseExpression, operator: cst.BaseBooleanOp) -> cst.BaseExpression:
    if isinstance(operand, cst.BooleanOperation) and type(operand.operator) is not type(operator) and not operand.lpar:
        return operand.with_changes(lpar=[cst.LeftParen()], rpar=[cst.RightParen()])
    if isinstance(operand, cst.IfExp | cst.Lambda | cst.NamedExpr) and not operand.lpar:
        return operand.with_changes(lpar=[cst.LeftParen()], rpar=[cst.RightParen()])
    if (
        isinstance(operand, cst.BooleanOperation)
        and type(operand.operator) is type(operator)
        and not has_comments(operand)
    ):
        return operand.with_changes(lpar=[], rpar=[]) if _on_one_line(operand) else operand
    return operand


def _not(test: cst.BaseExpression) -> cst.BaseExpression:
    needs = isinstance(test, cst.BooleanOperation | cst.IfExp | cst.Lambda | cst.NamedExpr)
    if needs and not test.lpar:
        test = test.with_changes(lpar=[cst.LeftParen()], rpar=[cst.RightParen()])
    return cst.UnaryOperation(operator=cst.Not(), expression=test)


def bare(test: cst.BaseExpression) -> cst.BaseExpression:
    """`test` without needless parentheses around the whole, where it stands on one line."""
    if not test.lpar or isinstance(test, cst.NamedExpr | cst.GeneratorExp | cst.Tuple | cst.Yield):
        return test
    if not _on_one_line(test):
        return test
    return test.with_changes(lpar=[], rpar=[])


def _on_one_line(node: cst.CSTNode) -> bool:
    return "\n" not in cst.Module(body=[]).code_for_node(node)


def has_comments(node: cst.CSTNode) -> bool:
    """Whether a comment stands inside `node`."""
    return "#" in cst.Module(body=[]).code_for_node(node) and not _on_one_line(node)
