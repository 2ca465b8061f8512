"""Likeness: which function of one version is which of the other, where the name tells it no more."""

import ast
import copy
import difflib
from collections.abc import Iterator, Mapping

from dreck.source.functions import FunctionNode

_ALIKE = 0.75
"""So much of their lines, in order, two functions have to share."""
_APART = 0.1
"""By so much the most alike has to be ahead of the next."""
_MOST_PAIRS = 40_000
_FEW_LINES = 3


def renamed(gone: Mapping[str, FunctionNode], come: Mapping[str, FunctionNode]) -> list[tuple[str, str]]:
    """Pairs of functions that are the same but for their names, then of those most alike; none is in two pairs."""
    pairs = list(_by_body(gone, come))
    taken = {name for pair in pairs for name in pair}
    left = {name: _lines(node) for name, node in gone.items() if name not in taken}
    right = {name: _lines(node) for name, node in come.items() if name not in taken}
    if len(left) * len(right) <= _MOST_PAIRS:
        pairs += _by_lines(left, right)
    return pairs


def _by_body(gone: Mapping[str, FunctionNode], come: Mapping[str, FunctionNode]) -> Iterator[tuple[str, str]]:
    bodies: tuple[dict[str, list[str]], dict[str, list[str]]] = ({}, {})
    for found, side in zip(bodies, (gone, come), strict=True):
        for name, node in side.items():
            if len(_lines(node)) >= _FEW_LINES:  # `pass` alone says nothing
                found.setdefault(ast.dump(_nameless(node)), []).append(name)
    for body, names in bodies[0].items():
        others = bodies[1].get(body, [])
        if len(names) == len(others) == 1:
            yield names[0], others[0]


def _by_lines(left: Mapping[str, list[str]], right: Mapping[str, list[str]]) -> Iterator[tuple[str, str]]:
    scores = sorted(
        ((score, one, other) for one in left for other in right if (score := _likeness(left[one], right[other])) > 0),
        reverse=True,
    )
    taken: set[str] = set()
    for score, one, other in scores:
        if one in taken or other in taken:
            continue
        rivals = [s for s, a, b in scores if (a == one) != (b == other) and a not in taken and b not in taken]
        if score >= _ALIKE and score - max(rivals, default=0.0) >= _APART:
            taken |= {one, other}
            yield one, other


def _likeness(one: list[str], other: list[str]) -> float:
    if min(len(one), len(other)) < _FEW_LINES or max(len(one), len(other)) > 2 * min(len(one), len(other)):
        return 0.0
    matcher = difflib.SequenceMatcher(None, one, other, autojunk=False)
    return matcher.ratio() if matcher.real_quick_ratio() >= _ALIKE and matcher.quick_ratio() >= _ALIKE else 0.0


def _lines(node: FunctionNode) -> list[str]:
    return [line.strip() for line in ast.unparse(_nameless(node)).splitlines()]


class _OwnName(ast.NodeTransformer):
    def __init__(self, name: str) -> None:
        self.name = name

    def visit_Name(self, node: ast.Name) -> ast.AST:
        return ast.Name("itself", node.ctx) if node.id == self.name else node

    def visit_Attribute(self, node: ast.Attribute) -> ast.AST:
        self.generic_visit(node)
        return ast.Attribute(node.value, "itself", node.ctx) if node.attr == self.name else node


def _nameless(node: FunctionNode) -> FunctionNode:
    """The function without its name, also where it calls itself, and without what only documents it."""
    made: FunctionNode = _OwnName(node.name).visit(copy.deepcopy(node))
    made.name = "itself"
    if ast.get_docstring(made, clean=False) is not None and len(made.body) > 1:
        made.body = made.body[1:]
    return ast.fix_missing_locations(made)
