"""push-test-in: an outer test is pushed down onto each line below it."""

from __future__ import annotations

import ast
from collections.abc import Iterable, Iterator

from dreck.model.views.shape import places
from dreck.source.functions import FunctionNode
from dreck.source.lossless import cst
from dreck.steps.catalogue import Options, Rewrite, Site, Step
from dreck.steps.support.negate import has_comments
from dreck.steps.support.trees import BetterNot, Stmt, Tree, as_block, comment_lines, grouped, spliced


def find(function: FunctionNode) -> Iterator[Site]:
    """`if` without an else over more than one statement, or over one that is an `if` itself."""
    for block, index, statement in places(function):
        match statement:
            case ast.If(body=[_, _, *_], orelse=[]):
                yield Site(block.path, index, statement.lineno, "each line below can now be moved on its own")


def apply(tree: Tree, site: Site, options: Options) -> Iterable[Rewrite]:
    """The test before each statement; joined with the test of an inner `if`."""
    yield Rewrite(tree.edit(site.path, lambda block: _pushed(block, site.index)))


def _pushed(block: cst.IndentedBlock, index: int) -> cst.IndentedBlock:
    outer = block.body[index]
    if not isinstance(outer, cst.If) or has_comments(outer.test):
        raise BetterNot("comments stand inside the test")
    body = as_block(outer.body)
    made: list[Stmt] = [_under(outer, statement) for statement in body.body]
    leading = [*outer.leading_lines, *comment_lines(body.header), *made[0].leading_lines]
    made[0] = made[0].with_changes(leading_lines=leading)
    return spliced(block, index, made, footer=body.footer)


def _under(outer: cst.If, statement: Stmt) -> cst.If:
    match statement:
        case cst.If(orelse=None):
            test = cst.BooleanOperation(grouped(outer.test, cst.And), cst.And(), grouped(statement.test, cst.And))
            return statement.with_changes(test=test)
    bare = statement.with_changes(leading_lines=[])
    return cst.If(test=outer.test, body=cst.IndentedBlock(body=[bare]), leading_lines=statement.leading_lines)


STEP = Step(
    name="push-test-in",
    group="flatten",
    order=95,
    summary="An outer test is pushed down onto each line below it.",
    why="Where two questions are knotted, the lines under a test must come apart before they can be regrouped.",
    when_not="On its own it makes a function longer: it is a step on the way, taken when asked for.",
    before="""\
def slip(kind: str, wet: bool, lines):
    if kind == "paper":
        lines = lines + ["press"]
        if wet:
            lines = lines + ["dry"]
    return lines
""",
    after="""\
def slip(kind: str, wet: bool, lines):
    if kind == "paper":
        lines = lines + ["press"]
    if kind == "paper" and wet:
        lines = lines + ["dry"]
    return lines
""",
    traps=(
        "A line that changes what is tested decides about the lines after it.",
        "A line that leaves is not followed by the others.",
    ),
    find=find,
    apply=apply,
    by_default=False,
)
