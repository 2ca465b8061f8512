"""How much stands in a branch: whether it is short enough for a guard, long enough to be worth one."""

import ast

from dreck.model.views.shape import code_lines, holds_test, is_straight, nest
from dreck.source.walking import walk

SMALL = 3


def is_small(body: list[ast.stmt]) -> bool:
    """Two plain statements at most."""
    return is_straight(body) and len(body) <= 2


def is_long(body: list[ast.stmt]) -> bool:
    """More lines and statements than one takes in at a glance."""
    statements = sum(isinstance(n, ast.stmt) and not isinstance(n, ast.Pass) for s in body for n in walk(s))
    return code_lines(body) > SMALL and statements >= SMALL


def is_deep(s: ast.If) -> bool:
    """Whether three tests or more stand directly in one another."""
    return len(nest(s)) > 2


def is_weighty(body: list[ast.stmt]) -> bool:
    """Long, or a test with what it decides."""
    return is_long(body) or (holds_test(body) and code_lines(body) >= SMALL)


def may_refuse(body: list[ast.stmt]) -> bool:
    """A plain statement at most, and a test behind which nothing but a `raise` stands."""
    match body:
        case [*plain, ast.If(body=[ast.Raise()], orelse=[])]:
            return len(plain) < SMALL - 1 and is_straight(plain)
    return False
