"""Tests that a reviewer would leave as they are, and where they stand."""

import ast

from dreck.model.views.shape import Block, blocks
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk


def binds_on_the_way(test: ast.expr) -> bool:
    """Whether a test of several operands binds a name in one that others read: turned round it is a row of `or`."""
    return isinstance(test, ast.BoolOp) and any(isinstance(n, ast.NamedExpr) for v in test.values for n in walk(v))


def does_nothing(body: list[ast.stmt]) -> bool:
    """Whether an arm stands there only to say that its case is known."""
    return all(isinstance(s, ast.Pass) for s in body)


def in_an_arm(function: FunctionNode, block: Block) -> bool:
    """Whether a block is what an `if`, or a `match`, does in one case."""
    known = {b.path: b for b in blocks(function)}
    path = block.path
    while path:
        *outer, (index, _, _) = path
        holder = known[tuple(outer)].body[index]
        if not isinstance(holder, ast.With | ast.AsyncWith):
            return isinstance(holder, ast.If | ast.Match)
        path = tuple(outer)
    return False
