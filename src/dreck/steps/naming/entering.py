"""Which names may have a value when a block is entered, and which are those of a comprehension alone."""

import ast
from collections.abc import Iterable, Sequence

from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

_LOOPS = (ast.For, ast.AsyncFor, ast.While)


def leading_to(function: FunctionNode, body: Sequence[ast.stmt], nodes: Iterable[ast.AST]) -> list[ast.AST]:
    """Of some nodes outside of a block, those that may have been run before it: not in another arm, not below it."""
    around = _around(function, body[0])
    return [node for node in nodes if _leads(around, node, body[0])]


def _around(function: FunctionNode, first: ast.stmt) -> list[ast.AST]:
    """The statements, cases and handlers that a statement stands in, the outermost first."""
    return [n for n in walk(function) if n is not function and isinstance(n, _HOLDERS) and _holds(n, first)]


_HOLDERS = (
    ast.If, *_LOOPS, ast.Match, ast.match_case, ast.Try, ast.TryStar, ast.With, ast.AsyncWith, ast.ExceptHandler
)  # fmt: skip


def _holds(holder: ast.AST, node: ast.AST) -> bool:
    return holder is not node and any(n is node for n in walk(holder))


def _leads(around: list[ast.AST], node: ast.AST, first: ast.stmt) -> bool:
    common = [holder for holder in around if _holds(holder, node)]
    if any(isinstance(holder, _LOOPS) for holder in common):
        return True  # it may have been run in the round before
    for holder in common:
        if isinstance(holder, ast.If):
            there = [any(_holds(s, n) or s is n for s in holder.body) for n in (node, first)]
            beside = [any(_holds(s, n) or s is n for s in holder.orelse) for n in (node, first)]
            if (there[0] and beside[1]) or (beside[0] and there[1]):
                return False
        if isinstance(holder, ast.Match) and not any(
            isinstance(h, ast.match_case) and h in holder.cases for h in common
        ):
            return not any(_holds(case, node) for case in holder.cases)
    return getattr(node, "lineno", 0) <= first.lineno


def own_of_comprehensions(function: FunctionNode) -> set[ast.AST]:
    """The names inside of comprehensions that mean the variables of these, and none of the function."""
    found: set[ast.AST] = set()
    for n in walk(function):
        if isinstance(n, ast.ListComp | ast.SetComp | ast.DictComp | ast.GeneratorExp):
            targets = [t for g in n.generators for t in walk(g.target) if isinstance(t, ast.Name)]
            bound = {t.id for t in targets}
            outside = set(walk(n.generators[0].iter))
            found |= {m for m in walk(n) if isinstance(m, ast.Name) and m.id in bound and m not in outside}
    return found
