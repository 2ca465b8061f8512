"""exit-without-else: drop the `else` after a branch that leaves."""

from __future__ import annotations

import ast
from collections.abc import Iterable, Iterator

from dreck.model.views.shape import arms, ifs, is_elif, is_straight, leaves
from dreck.source.functions import FunctionNode
from dreck.source.lossless import cst
from dreck.steps.catalogue import Options, Rewrite, Site, Step
from dreck.steps.support.trees import Stmt, Tree, Untouchable, as_block, spliced, unwrapped


def find(function: FunctionNode) -> Iterator[Site]:
    """`if`s (and whole `if`/`elif` chains) whose branches all leave before an `else`."""
    for block, index, statement in ifs(function):
        if _applies(statement):
            many = is_elif(statement)
            reason = "every branch before the else leaves" if many else "the branch before the else leaves"
            yield Site(block.path, index, statement.lineno, f"{reason}, so what follows needs no else")


def _applies(chain: ast.If) -> bool:
    ifs, last = arms(chain)
    if not last or not all(leaves(arm.body) for arm in ifs):
        return False
    return not _is_even_ladder(ifs, last)


def _is_even_ladder(ifs: list[ast.If], last: list[ast.stmt]) -> bool:
    """Three tests or more on the same thing, each with one plain line: already the clearest form."""
    if len(ifs) < 3 or any(len(body) != 1 or not is_straight(body) for body in [*(i.body for i in ifs), last]):
        return False
    return len({_subject(arm.test) for arm in ifs}) == 1


def _subject(test: ast.expr) -> str:
    match test:
        case ast.Compare(left=left):
            return ast.dump(left)
        case ast.Call(func=func, args=[first, *_]):
            return ast.dump(func) + ast.dump(first)
    return ast.dump(test)


def apply(tree: Tree, site: Site, options: Options) -> Iterable[Rewrite]:
    """Each branch an `if` of its own; the else's statements one level up."""
    yield Rewrite(tree.edit(site.path, lambda block: _without_else(block, site.index)))


def _without_else(block: cst.IndentedBlock, index: int) -> cst.IndentedBlock:
    statement = block.body[index]
    if not isinstance(statement, cst.If):
        raise Untouchable("no plain if stands there")
    made: list[Stmt] = []
    arm: cst.If | cst.Else | None = statement
    while isinstance(arm, cst.If):
        made.append(arm.with_changes(orelse=None))
        arm = arm.orelse
    assert isinstance(arm, cst.Else)
    last = as_block(arm.body)
    return spliced(block, index, [*made, *unwrapped(last, arm.leading_lines)], footer=last.footer)


STEP = Step(
    name="exit-without-else",
    group="flatten",
    order=60,
    summary="Drop the `else` after a branch that leaves.",
    why="The branch before it has returned, raised, continued or broken: the else says nothing, and indents the rest.",
    when_not=(
        "In an even ladder of three or more tests on the same thing, one plain line each, the else is part of the "
        "pattern a reader sees at a glance; it is left alone."
    ),
    before="""\
def fee(load):
    if load.is_empty:
        return 0
    else:
        weight = load.kilos - load.tare
        return weight * RATE
""",
    after="""\
def fee(load):
    if load.is_empty:
        return 0
    weight = load.kilos - load.tare
    return weight * RATE
""",
    traps=(
        "An `elif` may become an `if` only when the branch before it leaves: it may change what is tested.",
        "A comment on the `else:` line stays, as a line of its own above the code it speaks of.",
    ),
    needs="else",
    find=find,
    apply=apply,
)
