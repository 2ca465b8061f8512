"""Modules without the bodies of functions that are judged by themselves: what is left is what else they hold."""

import ast
from collections import Counter
from collections.abc import Iterable, Iterator
from typing import TypeVar

from dreck.source.functions import FunctionNode, blocks_of

_Node = TypeVar("_Node", bound=ast.AST)


class WithoutBodies(ast.Module):
    """A module whose functions are empty, as far as they are judged by themselves."""


def without_bodies(one: ast.Module, other: ast.Module) -> tuple[ast.Module, ast.Module]:
    """Two modules without the bodies of the functions both have, at their top and in their classes.

    The k-th function of a name, those in branches counted, is taken to be the k-th of that name in the other; where
    one of them has more of them all keep their bodies, and so do functions in loops. Parameters, defaults, annotations
    and decorators stay.
    """
    left, right = _emptied(one.body, other.body)
    return WithoutBodies(left, []), WithoutBodies(right, [])


def _emptied(one: list[ast.stmt], other: list[ast.stmt]) -> tuple[list[ast.stmt], list[ast.stmt]]:
    sides = list(_with_branches(one)), list(_with_branches(other))
    counts = [Counter(s.name for s in side if isinstance(s, FunctionNode)) for side in sides]
    paired = {name for name in counts[0] if counts[0][name] == counts[1][name]}
    theirs = {s.name: s for s in sides[1] if isinstance(s, ast.ClassDef)}
    own = {s.name: s for s in sides[0] if isinstance(s, ast.ClassDef) and _is_once(s, *sides)}
    classes = {name: _emptied(s.body, theirs[name].body) for name, s in own.items()}
    return tuple([_without_body(s, paired, classes, at) for s in side] for at, side in enumerate((one, other)))  # type: ignore[return-value]


def _with_branches(body: list[ast.stmt]) -> Iterator[ast.stmt]:
    """The statements of a block and those in its branches, but none of functions and classes."""
    for s in body:
        yield s
        if not isinstance(s, FunctionNode | ast.ClassDef):
            for block in blocks_of(s):
                yield from _with_branches(block)


def _is_once(s: ast.ClassDef, one: Iterable[ast.stmt], other: Iterable[ast.stmt]) -> bool:
    return all(sum(isinstance(c, ast.ClassDef) and c.name == s.name for c in side) == 1 for side in (one, other))


def _without_body(
    s: ast.stmt, paired: set[str], classes: dict[str, tuple[list[ast.stmt], list[ast.stmt]]], at: int
) -> ast.stmt:
    if isinstance(s, FunctionNode):
        return _with(s, body=[ast.Pass()]) if s.name in paired else s
    if isinstance(s, ast.ClassDef):
        return _with(s, body=classes[s.name][at]) if s.name in classes else s

    def emptied(block: list[ast.stmt]) -> list[ast.stmt]:
        return [_without_body(inner, paired, classes, at) for inner in block]

    match s:
        case ast.If(body=body, orelse=other):
            return _with(s, body=emptied(body), orelse=emptied(other))
        case ast.With(body=body):
            return _with(s, body=emptied(body))
        case ast.Try(body=body, handlers=handlers, orelse=other, finalbody=last):
            kept = [_with(h, body=emptied(h.body)) for h in handlers]
            return _with(s, body=emptied(body), handlers=kept, orelse=emptied(other), finalbody=emptied(last))
    return s


def _with(node: _Node, **parts: object) -> _Node:
    """The same with other parts, those that stay not copied."""
    made = type(node)(**{**{name: getattr(node, name) for name in node._fields}, **parts})
    return ast.copy_location(made, node)
