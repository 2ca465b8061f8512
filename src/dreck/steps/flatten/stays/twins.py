"""Twins: the same place in statements of the same shape, in the other arms of a statement and just beside it."""

import ast
import itertools
from collections.abc import Iterator, Sequence

from dreck.model.views.shape import Block, Path, blocks
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk


def twins_of(function: FunctionNode, path: Path, index: int) -> Iterator[tuple[Path, int]]:
    """The same place in statements of the same shape: in the other arms around it, and just beside."""
    known = {block.path: block for block in blocks(function)}
    for depth in range(len(path) + 1):
        place = path[depth][0] if depth < len(path) else index
        home = known[path[:depth]]
        mine = _shape(home.body[place])
        below = path[depth:]
        for other_home, other_place in _beside(known, home, place):
            if other_place >= len(other_home.body) or _shape(other_home.body[other_place]) != mine:
                continue
            if below:
                first = (other_place, *below[0][1:])
                yield (*other_home.path, first, *below[1:]), index
            else:
                yield other_home.path, other_place


def _beside(known: dict[Path, Block], home: Block, place: int) -> Iterator[tuple[Block, int]]:
    for path in _other_arms(known, home.path) if home.path else ():
        yield known[path], place
    for neighbour in (place - 1, place + 1):
        if 0 <= neighbour < len(home.body) and _is_large(home.body[neighbour]):
            yield home, neighbour


_MOST_ARMS = 24
"""In a longer ladder nobody reads one arm beside all others."""


def _other_arms(known: dict[Path, Block], path: Path) -> Iterator[Path]:
    """The other blocks of the statement that a block is a part of; of a ladder all its arms."""
    outer, at, length = path[:-1], path[-1][0], 0
    while known[outer].is_elif and length <= _MOST_ARMS:
        outer, at, length = outer[:-1], outer[-1][0], length + 1
    while length <= _MOST_ARMS:
        further = ""
        for arm in _blocks_of(known, outer, at):
            if known[arm].is_elif:
                outer, at, length, further = arm, 0, length + 1, "elif"
            elif arm != path:
                yield arm
        if not further:
            return


def _blocks_of(known: dict[Path, Block], outer: Path, at: int) -> list[Path]:
    found = []
    for field in ("body", "handlers", "cases", "orelse", "finalbody"):
        for which in itertools.count():
            arm = (*outer, (at, field, which))
            if arm not in known:
                break
            found.append(arm)
    return found


def _is_large(s: ast.stmt) -> bool:
    return sum(isinstance(n, ast.stmt) for n in walk(s)) > 3


def _shape(s: ast.stmt) -> tuple[object, ...]:
    """What a statement is made of, whatever stands in it."""
    inner: list[object] = []
    for field, value in ast.iter_fields(s):
        parts: Sequence[object] = value if isinstance(value, list) else ()
        if parts and isinstance(parts[0], ast.stmt):
            inner.append((field, *(_shape(p) for p in parts if isinstance(p, ast.stmt))))
        elif parts and isinstance(parts[0], ast.ExceptHandler | ast.match_case):
            inner += [
                (field, *(_shape(b) for b in p.body))
                for p in parts
                if isinstance(p, ast.ExceptHandler | ast.match_case)
            ]
    return (type(s).__name__, *inner)


def shapes(body: list[ast.stmt]) -> list[tuple[object, ...]]:
    """What each statement of a block is made of, whatever stands in it."""
    return [_shape(s) for s in body]
