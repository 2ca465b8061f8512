"""split-test: one compound test becomes two, so that each can be moved on its own."""

from __future__ import annotations

import ast
from collections.abc import Iterable, Iterator

from dreck.model.views.shape import is_straight, leaves, places
from dreck.source.functions import FunctionNode
from dreck.source.lossless import cst
from dreck.steps.catalogue import Options, Rewrite, Site, Step
from dreck.steps.support.negate import bare, has_comments
from dreck.steps.support.trees import BetterNot, Stmt, Tree, Untouchable, as_block, spliced


def find(function: FunctionNode) -> Iterator[Site]:
    """`if a and b` without an else; `if a or b` whose short branch leaves."""
    for block, index, statement in places(function):
        match statement:
            case ast.If(test=ast.BoolOp(op=ast.And()), orelse=[]):
                yield Site(block.path, index, statement.lineno, "each test can now be moved on its own", "and")
            case ast.If(test=ast.BoolOp(op=ast.Or()), body=body, orelse=[]):
                if len(body) == 1 and is_straight(body) and leaves(body):
                    yield Site(block.path, index, statement.lineno, "each case has a guard of its own", "or")


def apply(tree: Tree, site: Site, options: Options) -> Iterable[Rewrite]:
    """The last operand gets an `if` of its own."""
    yield Rewrite(tree.edit(site.path, lambda block: _split(block, site)))


def _split(block: cst.IndentedBlock, site: Site) -> cst.IndentedBlock:
    statement = block.body[site.index]
    if not isinstance(statement, cst.If) or not isinstance(statement.test, cst.BooleanOperation):
        raise Untouchable("no compound test stands there")
    test = statement.test
    if has_comments(test):
        raise BetterNot("comments stand inside the test")
    first, last = bare(test.left), bare(test.right)
    inner = statement.with_changes(test=last, leading_lines=[])
    if site.kind == "and":
        made: list[Stmt] = [statement.with_changes(test=first, body=cst.IndentedBlock(body=[inner]))]
    else:
        plain = as_block(statement.body)
        made = [statement.with_changes(test=first, body=plain), inner.with_changes(body=_without_comments(plain))]
    return spliced(block, site.index, made)


def _without_comments(block: cst.IndentedBlock) -> cst.IndentedBlock:
    only: Stmt = block.body[0]
    bare_line = only.with_changes(leading_lines=[], trailing_whitespace=cst.TrailingWhitespace())
    return cst.IndentedBlock(body=[bare_line])


STEP = Step(
    name="split-test",
    group="flatten",
    order=90,
    summary="One compound test becomes two, so that each can be moved on its own.",
    why="A test that mixes two questions holds a function together that wants to come apart; split, each goes its way.",
    when_not="Unless something is to be done with the halves: it makes a function longer; taken when asked for.",
    before="""\
def stamp(load):
    if load.hazardous and load.kilos > 50:
        call_officer(load)
""",
    after="""\
def stamp(load):
    if load.hazardous:
        if load.kilos > 50:
            call_officer(load)
""",
    traps=("With an else, both halves would need it: not offered.", "`or` splits only into guards that leave."),
    find=find,
    apply=apply,
    by_default=False,
)
