"""Likeness: which function of one version is which of the other, where the name tells it no more."""

import ast
import difflib
from collections import Counter
from collections.abc import Callable, Iterator, Mapping

from dreck.source.copying import copied
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

_ALIKE = 0.75
"""So much of their lines, in order, two functions have to share."""
_APART = 0.1
"""By so much the most alike has to be ahead of the next."""
_MOST_PAIRS = 40_000
_FEW_LINES = 3
_SAME_WORDS = 0.6
"""So much of what two functions name and say has to be in both before a proof is tried."""
_MOST_PROOFS = 60
_PARAMETERS = "(parameters)"


def renamed(
    gone: Mapping[str, FunctionNode], come: Mapping[str, FunctionNode], are_same: Callable[[str, str], bool]
) -> list[tuple[str, str]]:
    """Pairs of functions that are the same but for their names, then of those that are proved the same, then of those
    most alike; none is in two pairs. `are_same` tries a proof."""
    pairs = list(_by_body(gone, come))
    taken = {name for pair in pairs for name in pair}
    for one, other in _by_words(*({n: f for n, f in side.items() if n not in taken} for side in (gone, come))):
        if one not in taken and other not in taken and are_same(one, other):
            pairs.append((one, other))
            taken |= {one, other}
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


def _by_words(gone: Mapping[str, FunctionNode], come: Mapping[str, FunctionNode]) -> Iterator[tuple[str, str]]:
    """Pairs that may be proved the same: as many parameters, and mostly the same words; the likeliest first."""
    telling = [{n: node for n, node in side.items() if len(_lines(node)) >= _FEW_LINES} for side in (gone, come)]
    said = [{name: _words(node) for name, node in side.items()} for side in telling]
    if len(gone) * len(come) > _MOST_PAIRS:
        return
    scored = []
    for one, mine in said[0].items():
        for other, theirs in said[1].items():
            both = (mine & theirs).total()
            if mine[_PARAMETERS] == theirs[_PARAMETERS] and both >= _SAME_WORDS * (mine | theirs).total():
                scored.append((both, one, other))
    for _, one, other in sorted(scored, key=lambda found: -found[0])[:_MOST_PROOFS]:
        yield one, other


def _words(node: FunctionNode) -> Counter[str]:
    """What a function names and says, however it is put together."""
    found = Counter({_PARAMETERS: len(node.args.args) + len(node.args.kwonlyargs) + len(node.args.posonlyargs)})
    for n in walk(node):
        if isinstance(n, ast.Attribute):
            found[n.attr] += 1
        elif isinstance(n, ast.Name):
            found[n.id] += 1
        elif isinstance(n, ast.Constant):
            found[repr(n.value)] += 1
    return found


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
    made: FunctionNode = _OwnName(node.name).visit(copied(node))
    made.name = "itself"
    if ast.get_docstring(made, clean=False) is not None and len(made.body) > 1:
        made.body = made.body[1:]
    return ast.fix_missing_locations(made)
