"""Modules without the bodies of functions that are judged by themselves: what is left is what else they hold."""

import ast
from collections import Counter
from collections.abc import Iterable

from dreck.source.functions import FunctionNode


class WithoutBodies(ast.Module):
    """A module whose functions are empty, as far as they are judged by themselves."""


def without_bodies(one: ast.Module, other: ast.Module) -> tuple[ast.Module, ast.Module]:
    """Two modules without the bodies of the functions both have, at their top and in their classes.

    The k-th function of a name is taken to be the k-th of that name in the other; where one of them has more of them
    all keep their bodies, and so do functions in branches. Parameters, defaults, annotations and decorators stay.
    """
    left, right = _emptied(one.body, other.body)
    return WithoutBodies(left, []), WithoutBodies(right, [])


def _emptied(one: list[ast.stmt], other: list[ast.stmt]) -> tuple[list[ast.stmt], list[ast.stmt]]:
    counts = [Counter(s.name for s in side if isinstance(s, FunctionNode)) for side in (one, other)]
    paired = {name for name in counts[0] if counts[0][name] == counts[1][name]}
    theirs = {s.name: s for s in other if isinstance(s, ast.ClassDef)}
    own = {s.name: s for s in one if isinstance(s, ast.ClassDef) and _is_once(s, one, other)}
    classes = {name: _emptied(s.body, theirs[name].body) for name, s in own.items()}
    return tuple([_without_body(s, paired, classes, at) for s in side] for at, side in enumerate((one, other)))  # type: ignore[return-value]


def _is_once(s: ast.ClassDef, one: Iterable[ast.stmt], other: Iterable[ast.stmt]) -> bool:
    return all(sum(isinstance(c, ast.ClassDef) and c.name == s.name for c in side) == 1 for side in (one, other))


def _without_body(
    s: ast.stmt, paired: set[str], classes: dict[str, tuple[list[ast.stmt], list[ast.stmt]]], at: int
) -> ast.stmt:
    if isinstance(s, FunctionNode) and s.name in paired:
        return _copied(s, [ast.Pass()])
    if isinstance(s, ast.ClassDef) and s.name in classes:
        return _copied(s, classes[s.name][at])
    return s


def _copied(s: FunctionNode | ast.ClassDef, body: list[ast.stmt]) -> ast.stmt:
    """The same with another body, its other parts not copied."""
    made = type(s)(**{**{name: getattr(s, name) for name in s._fields}, "body": body})
    return ast.copy_location(made, s)
