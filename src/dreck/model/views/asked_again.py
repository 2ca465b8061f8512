"""What the tests of a function are about, and which of them may say something of a later one."""

import ast
from collections.abc import Iterator
from functools import lru_cache

from dreck.model.views.shape import ifs, is_elif
from dreck.source.functions import FunctionNode


def asked_again(function: FunctionNode) -> dict[object, int]:
    """What two tests are about in a way that one of them may say something about the other, and the line of the last.

    Arms of one chain that compare the same with other texts do not.
    """
    seen: set[object] = set()
    again: set[object] = set()
    last: dict[object, int] = {}
    for _, _, arm in ifs(function):
        asked = _Asked(seen, last)
        asked.takes(arm.test)
        while is_elif(arm):
            arm = arm.orelse[0]  # type: ignore[assignment]
            asked.takes(arm.test)
        again |= asked.again
        seen |= asked.about
    return {about: last[about] for about in again}


class _Asked:
    """What the arms of one chain ask about, beside what was asked before it."""

    def __init__(self, seen: set[object], last: dict[object, int]) -> None:
        self.seen = seen
        self.last = last
        self.about: set[object] = set()
        self.again: set[object] = set()

    def takes(self, test: ast.expr) -> None:
        """Notes what an arm asks; of texts that something may equal, one arm says nothing about the others."""
        for e in _alone(test):
            for about in about_test(e):
                if about in self.seen or (about in self.about and about[-1] is not str):
                    self.again.add(about)
                self.about.add(about)
                self.last[about] = max(self.last.get(about, 0), e.lineno)


def _alone(test: ast.expr) -> Iterator[ast.expr]:
    """The tests that stand alone in one."""
    if isinstance(test, ast.BoolOp):
        for value in test.values:
            yield from _alone(value)
    elif isinstance(test, ast.UnaryOp) and isinstance(test.op, ast.Not):
        yield from _alone(test.operand)
    else:
        yield test


@lru_cache(maxsize=256)
def about_test(e: ast.expr) -> list[tuple[object, ...]]:
    """What a test is about: two that share nothing of it say nothing about one another."""
    if not isinstance(e, ast.Compare) or len(e.ops) > 1:
        return [(_about(e),)]
    left, op, right = _about(e.left), type(e.ops[0]), e.comparators[0]
    found: list[tuple[object, ...]] = [(left, _SAME_QUESTION.get(op, op), _about(right))]
    if op in RELATIONS and number_of(right) is not None:
        found.append((left, float))
    elif op is ast.Eq and isinstance(right, ast.Constant) and isinstance(right.value, str):
        found.append((left, str))
    return found


_SAME_QUESTION = {ast.NotEq: ast.Eq, ast.IsNot: ast.Is, ast.NotIn: ast.In}


def _about(e: ast.expr) -> object:
    """What a test begins with, so that what is alike is told alike."""
    if isinstance(e, ast.Name):
        return e.id
    if isinstance(e, ast.Attribute):
        return (_about(e.value), e.attr)
    if isinstance(e, ast.Call):
        return (_about(e.func), *map(_about, e.args))
    if isinstance(e, ast.Constant):
        return (type(e.value), e.value)
    if isinstance(e, ast.Subscript):
        return (_about(e.value), _about(e.slice))
    return _about(e.left) if isinstance(e, ast.Compare) else type(e)


def number_of(e: ast.expr) -> float | None:
    """The number a literal stands for, its sign included."""
    match e:
        case ast.Constant(value=int() | float() as value) if not isinstance(value, bool):
            return value
        case ast.UnaryOp(op=ast.USub(), operand=ast.Constant(value=int() | float() as value)):
            return -value
    return None


RELATIONS = {ast.Lt: "<", ast.LtE: "<=", ast.Gt: ">", ast.GtE: ">=", ast.Eq: "=="}
