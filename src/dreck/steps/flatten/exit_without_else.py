"""exit-without-else: drop the `else` after a branch that leaves."""

from __future__ import annotations

import ast
from collections.abc import Iterable, Iterator
from functools import partial

from dreck.model.views.shape import arms, ifs, is_elif, is_straight, leaves
from dreck.source.functions import FunctionNode
from dreck.source.lossless import cst
from dreck.steps.catalogue import Options, Rewrite, Site, Step
from dreck.steps.flatten.stays.last_guard import begins_anew, subject_of
from dreck.steps.support.trees import Stmt, Tree, Untouchable, as_block, spliced, unwrapped


def find(function: FunctionNode) -> Iterator[Site]:
    """`if`s (and whole `if`/`elif` chains) whose branches all leave before an `else`."""
    for block, index, statement in ifs(function):
        if _applies(statement):
            many = is_elif(statement)
            reason = "every branch before the else leaves" if many else "the branch before the else leaves"
            yield Site(block.path, index, statement.lineno, f"{reason}, so what follows needs no else")
        elif (guards := _guards_in_front(statement)) > 0:
            reason = "another question begins behind the branch that leaves: it needs no elif"
            yield Site(block.path, index, statement.lineno, reason, f"{_FIRST} {guards}")


def _guards_in_front(chain: ast.If) -> int:
    """How many arms at the head of a chain leave, when those behind them ask something else and go on."""
    ifs, _ = arms(chain)
    first = next((n for n, arm in enumerate(ifs) if not leaves(arm.body)), len(ifs))
    return first if first < len(ifs) and begins_anew(ifs[:first], ifs[first]) else 0


def _applies(chain: ast.If) -> bool:
    ifs, last = arms(chain)
    if not last or not all(leaves(arm.body) for arm in ifs):
        return False
    return not _is_even_ladder(ifs, last)


def _is_even_ladder(ifs: list[ast.If], last: list[ast.stmt]) -> bool:
    """Three tests or more on the same thing, each with one plain line: already the clearest form."""
    if len(ifs) < 3 or any(len(body) != 1 or not is_straight(body) for body in [*(i.body for i in ifs), last]):
        return False
    return len({subject_of(arm.test) for arm in ifs}) == 1


def apply(tree: Tree, site: Site, options: Options) -> Iterable[Rewrite]:
    """Each branch an `if` of its own; the else's statements one level up."""
    _, _, guards = site.kind.partition(" ")
    change = partial(_cut, index=site.index, guards=int(guards)) if guards else partial(_without_else, index=site.index)
    yield Rewrite(tree.edit(site.path, change))


def _cut(block: cst.IndentedBlock, index: int, guards: int) -> cst.IndentedBlock:
    """The first arms each an `if` of its own, and the chain that is left behind them."""
    made: list[Stmt] = []
    arm = block.body[index]
    for _ in range(guards):
        if not isinstance(arm, cst.If) or not isinstance(arm.orelse, cst.If):
            raise Untouchable("no such chain stands there")
        made.append(arm.with_changes(orelse=None))
        arm = arm.orelse
    return spliced(block, index, [*made, arm])


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


_FIRST = "first"


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
