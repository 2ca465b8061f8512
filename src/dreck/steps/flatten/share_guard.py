"""share-guard: guards with the same outcome become one."""

from __future__ import annotations

import ast
import itertools
from collections.abc import Iterable, Iterator

from dreck.model.views.shape import blocks, leaves
from dreck.source.functions import FunctionNode
from dreck.source.lossless import cst
from dreck.steps.catalogue import Options, Rewrite, Site, Step
from dreck.steps.support.trees import (
    BetterNot,
    Stmt,
    Tree,
    Untouchable,
    as_block,
    code_of,
    grouped,
    has_comment,
    spliced,
    width,
)


def find(function: FunctionNode) -> Iterator[Site]:
    """Two guards in a row that leave in the same way."""
    for block in blocks(function):
        for index, (first, second) in enumerate(itertools.pairwise(block.body)):
            match first, second:
                case ast.If(body=a, orelse=[]), ast.If(body=b, orelse=[]) if leaves(a):
                    if [ast.dump(s) for s in a] == [ast.dump(s) for s in b]:
                        yield Site(block.path, index, first.lineno, "both guards leave in the same way")


def apply(tree: Tree, site: Site, options: Options) -> Iterable[Rewrite]:
    """`if a or b`, comments of both above it."""
    made = tree.edit(site.path, lambda block: _shared(block, site.index))
    statement: Stmt = made.block(site.path).body[site.index]
    line = f"if {code_of(statement.test)}:"
    if width(tree, site.path, line) > options.line_length:
        raise BetterNot("the joined test would not fit the line")
    yield Rewrite(made)


def _shared(block: cst.IndentedBlock, index: int) -> cst.IndentedBlock:
    first, second = block.body[index], block.body[index + 1]
    if not isinstance(first, cst.If) or not isinstance(second, cst.If):
        raise Untouchable("no plain ifs stand there")
    ours, theirs = as_block(first.body), as_block(second.body)
    if _speaks(theirs):
        raise Untouchable("the second guard's branch has comments of its own")
    told = [line for line in second.leading_lines if line.comment is not None]
    test = cst.BooleanOperation(grouped(first.test, cst.Or), cst.Or(), grouped(second.test, cst.Or))
    leading = [*first.leading_lines, *told]
    return spliced(block, index, [first.with_changes(test=test, leading_lines=leading, body=ours)], dropped=2)


def _speaks(block: cst.IndentedBlock) -> bool:
    return "#" in code_of(block) or has_comment(block.footer)


STEP = Step(
    name="share-guard",
    group="flatten",
    order=85,
    summary="Guards that leave in the same way become one.",
    why="When two tests mean the same thing to the reader (nothing to do), one guard says so once.",
    when_not=(
        "When the two only happen to end alike: 'not found' and 'not due' may both give 0 today and still deserve "
        "two guards. It is the person's call, so it is taken only when asked for."
    ),
    before="""\
def fee(load):
    if load is None:
        return 0
    if load.is_empty:
        return 0
    return load.kilos * RATE
""",
    after="""\
def fee(load):
    if load is None or load.is_empty:
        return 0
    return load.kilos * RATE
""",
    traps=("The order of the tests stays: the first protects the second.",),
    find=find,
    apply=apply,
    by_default=False,
)
