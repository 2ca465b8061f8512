"""right-way-round: a test that asks the opposite is turned, its branches change places."""

from __future__ import annotations

import ast
from collections.abc import Iterable, Iterator

from dreck.model.views.shape import ifs, is_elif, leaves
from dreck.source.functions import FunctionNode
from dreck.source.lossless import cst
from dreck.steps.catalogue import Options, Rewrite, Site, Step
from dreck.steps.support.negate import negations
from dreck.steps.support.trees import Tree, Untouchable, as_block, edit_chain


def find(function: FunctionNode) -> Iterator[Site]:
    """`if not x: ... else: ...`, where neither branch leaves."""
    for block, index, statement in ifs(function):
        match statement:
            case ast.If(test=test, body=body, orelse=[_, *_] as orelse) if not is_elif(statement):
                if _asks_the_opposite(test) and not leaves(body) and not leaves(orelse):
                    yield Site(block.path, index, statement.lineno, "asked the right way round: no `not`, two branches")


def _asks_the_opposite(test: ast.expr) -> bool:
    match test:
        case ast.UnaryOp(op=ast.Not(), operand=operand):
            return not isinstance(operand, ast.Compare | ast.BoolOp) or _one_comparison(operand)
        case ast.Compare(ops=[ast.NotEq() | ast.NotIn()]):
            return True
    return False


def _one_comparison(operand: ast.expr) -> bool:
    return isinstance(operand, ast.Compare) and len(operand.ops) == 1


def apply(tree: Tree, site: Site, options: Options) -> Iterable[Rewrite]:
    """The branches change places, each with its comments."""
    yield Rewrite(tree.edit(site.path, lambda block: edit_chain(block, site.index, _turned)))


def _turned(statement: cst.If) -> cst.If:
    other = statement.orelse
    if not isinstance(other, cst.Else):
        raise Untouchable("there is no plain else")
    *_, (test, _) = negations(statement.test)
    swapped = other.with_changes(body=as_block(statement.body))
    blank = cst.SimpleWhitespace(" ")
    return statement.with_changes(test=test, whitespace_before_test=blank, body=as_block(other.body), orelse=swapped)


STEP = Step(
    name="right-way-round",
    group="flatten",
    order=30,
    summary="A test that asks the opposite, with two branches, is turned the right way round.",
    why="`if not x ... else` makes a reader say 'not not x' over the else.",
    when_not="When a branch leaves: then it is a guard, and asks for the exception on purpose. `is not None` stays.",
    before="""\
def sort(load, bins):
    if not load.wet:
        bins.dry.append(load)
    else:
        bins.wet.append(load)
""",
    after="""\
def sort(load, bins):
    if load.wet:
        bins.wet.append(load)
    else:
        bins.dry.append(load)
""",
    traps=("`!=` is turned to `==` under the assumption `plain-comparisons`.",),
    needs="else",
    find=find,
    apply=apply,
)
