"""join-tests: nested tests with nothing between them become one condition, and so do arms that do the same."""

from __future__ import annotations

import ast
from collections.abc import Iterable, Iterator

from dreck.model.views.shape import ifs, joins, nest
from dreck.source.functions import FunctionNode
from dreck.source.lossless import cst
from dreck.steps.catalogue import Options, Rewrite, Site, Step
from dreck.steps.flatten.same_arms import joined_arms, same_arms
from dreck.steps.support.trees import (
    BetterNot,
    Stmt,
    Tree,
    as_block,
    code_of,
    comment_lines,
    edit_chain,
    grouped,
    has_comment,
    width,
)


def find(function: FunctionNode) -> Iterator[Site]:
    """`if` statements whose body is one `if`, neither with an else; arms of a chain that do the same."""
    yield from same_arms(function)
    for block, index, statement in ifs(function):
        match statement:
            case ast.If(body=[ast.If(orelse=[])], orelse=[]):
                if joins(nest(statement), len(block.path) + 1):
                    yield Site(block.path, index, statement.lineno, "nothing stands between the two tests")


def apply(tree: Tree, site: Site, options: Options) -> Iterable[Rewrite]:
    """`if a and b`, where it fits the line; `elif a or b` for arms that do the same."""
    if site.kind:
        yield from joined_arms(tree, site, options)
        return
    made = tree.edit(site.path, lambda block: edit_chain(block, site.index, _joined))
    statement: Stmt = made.block(site.path).body[site.index]
    line = f"if {code_of(statement.test)}:"
    if "\n" not in line and width(tree, site.path, line) > options.line_length:
        raise BetterNot("the joined test would not fit the line")
    yield Rewrite(made)


def _joined(outer: cst.If) -> cst.If:
    block = as_block(outer.body)
    inner = block.body[0]
    assert isinstance(inner, cst.If)
    body = as_block(inner.body)
    if has_comment(block.footer):
        body = body.with_changes(footer=[*body.footer, *block.footer])
    told = [line for line in inner.leading_lines if line.comment is not None]
    test = cst.BooleanOperation(grouped(outer.test, cst.And), cst.And(), grouped(inner.test, cst.And))
    leading = [*outer.leading_lines, *comment_lines(block.header), *told]
    return outer.with_changes(
        leading_lines=leading, test=test, body=body, whitespace_before_test=cst.SimpleWhitespace(" ")
    )


STEP = Step(
    name="join-tests",
    group="flatten",
    order=65,
    summary="Nested tests with nothing between them become one condition; so do arms that do the same.",
    why="One question is asked, so one test says it; the body stands one level further out.",
    when_not="When the joined test would not fit the line or have more than four operands; when either has an else.",
    before="""\
def dry(load):
    if load.wet:
        if load.material == "paper":
            load.spread()
    return load
""",
    after="""\
def dry(load):
    if load.wet and load.material == "paper":
        load.spread()
    return load
""",
    traps=(
        "An `or` in either test needs parentheses.",
        "With an else on the inner test the outer one has its own story.",
    ),
    needs="if",
    find=find,
    apply=apply,
)
