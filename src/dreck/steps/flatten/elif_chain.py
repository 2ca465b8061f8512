"""elif-chain: an `else` that holds nothing but an `if` becomes an `elif`."""

from __future__ import annotations

import ast
from collections.abc import Callable, Iterable, Iterator
from functools import partial

from dreck.model.views.shape import ifs, is_elif, is_straight, leaves
from dreck.source.functions import FunctionNode
from dreck.source.lossless import cst
from dreck.source.walking import walk
from dreck.steps.catalogue import Options, Rewrite, Site, Step
from dreck.steps.flatten.stays.last_guard import (
    comes_to_its_answer,
    does_alike,
    exit_behind,
    says_what_is_wrong,
)
from dreck.steps.support.negate import is_clean, negations
from dreck.steps.support.trees import (
    BetterNot,
    Stmt,
    Tree,
    Untouchable,
    as_block,
    comment_lines,
    edit_chain,
    with_footer_at_end,
)


def find(function: FunctionNode) -> Iterator[Site]:
    """`if` statements (and arms of a chain) whose else is one `if`."""
    for block, index, statement in ifs(function):
        arm: ast.stmt = statement
        before: list[ast.stmt] = []
        while isinstance(arm, ast.If):
            if _holds_only_an_if(arm) and not is_elif(arm):
                line = arm.orelse[0].lineno
                yield Site(block.path, index, line, "the else holds nothing but an if: together an elif", str(line))
                break
            is_last = index == len(block.body) - 1
            leaves_else = (is_last and block.falls) or exit_behind(block, index) is not None
            goes_on = not leaves_else and (_is_all_tests(arm) or not comes_to_its_answer(block, index))
            if goes_on and _is_refused_behind_a_nest(arm, before):
                told = "the else says what is wrong: it stands at its test, and the nest in front of it is an elif"
                yield Site(block.path, index, arm.lineno, told, f"{_TURNED} {arm.lineno}")
                break
            before = arm.body
            arm = arm.orelse[0] if is_elif(arm) else ast.Pass()


def _is_refused_behind_a_nest(arm: ast.If, before: list[ast.stmt]) -> bool:
    """`if a: (if b: ... else: ...) else: refuse()`, where `a` has an opposite that is as plain; what does as the arm
    `before` it does refuses, too."""
    match arm:
        case ast.If(test=test, body=[ast.If() as inner], orelse=[_, *_] as orelse) if not is_elif(arm):
            acts = any(isinstance(s, ast.Expr) for s in orelse)  # what gives a result its value is returned at once
            is_short = acts and is_straight(orelse) and len(orelse) <= _FEW and not leaves(orelse)
            is_said = says_what_is_wrong(orelse) or does_alike(before, orelse)
            is_nest = bool(inner.orelse) and not leaves([inner])
            return is_short and is_said and is_nest and is_clean(cst.parse_expression(ast.unparse(test)))
    return False


def _is_all_tests(s: ast.If) -> bool:
    """Whether nothing stands between the tests of a nest, so that it becomes one ladder."""
    return all(
        is_straight(body) or (len(body) == 1 and isinstance(body[0], ast.If) and _is_all_tests(body[0]))
        for body in (s.body, s.orelse)
    )


def _holds_only_an_if(arm: ast.If) -> bool:
    """An `if 1:` asks nothing: it is no further case; nor is one whose test does what the arm before does, too."""
    match arm.orelse:
        case [ast.If(test=test)]:
            return not isinstance(test, ast.Constant) and not _does_as_before(test, arm)
    return False


def _does_as_before(test: ast.expr, arm: ast.If) -> bool:
    """Whether the test makes a call that stands alone on a line of the arm: `stack.pop()`, and then what came of it."""
    alone = {ast.dump(s.value) for s in arm.body if isinstance(s, ast.Expr) and isinstance(s.value, ast.Call)}
    return any(isinstance(n, ast.Call) and ast.dump(n) in alone for n in walk(test))


def apply(tree: Tree, site: Site, options: Options) -> Iterable[Rewrite]:
    """The inner `if` takes the place of the else."""
    change = partial(_at_the_end, change=_turned if site.kind.startswith(_TURNED) else _chained)
    yield Rewrite(tree.edit(site.path, lambda block: edit_chain(block, site.index, change)))


def _at_the_end(chain: cst.If, change: Callable[[cst.If, cst.Else], cst.If]) -> cst.If:
    """The chain with its last arm and its else changed."""
    orelse = chain.orelse
    if isinstance(orelse, cst.If):
        return chain.with_changes(orelse=_at_the_end(orelse, change))
    if not isinstance(orelse, cst.Else):
        raise Untouchable("there is no else any more")
    return change(chain, orelse)


def _chained(chain: cst.If, orelse: cst.Else) -> cst.If:
    inner_block = as_block(orelse.body)
    inner: Stmt = inner_block.body[0]
    told = [line for line in inner.leading_lines if line.comment is not None]
    leading = [*orelse.leading_lines, *comment_lines(inner_block.header), *told]
    made = with_footer_at_end(inner.with_changes(leading_lines=leading), inner_block.footer)
    return chain.with_changes(orelse=made)


def _turned(chain: cst.If, orelse: cst.Else) -> cst.If:
    nest = as_block(chain.body)
    inner: Stmt = nest.body[0]
    lines = (*inner.leading_lines, *orelse.leading_lines, *comment_lines(nest.header), *nest.footer)
    if any(line.comment is not None for line in lines):
        raise BetterNot("a comment between the tests would lose its place")
    *_, (test, _) = negations(chain.test)
    blank = cst.SimpleWhitespace(" ")
    made = inner.with_changes(leading_lines=[])
    return chain.with_changes(test=test, whitespace_before_test=blank, body=as_block(orelse.body), orelse=made)


_TURNED = "turned"
_FEW = 2


STEP = Step(
    name="elif-chain",
    group="flatten",
    order=10,
    summary="An `else` that holds nothing but an `if` becomes an `elif`.",
    why="The cases of one question then stand on one level, each as far in as the others.",
    when_not="When the else holds anything beside the `if`: it would no longer run in the same case.",
    before="""\
def line_for(material):
    if material.is_metal:
        start(magnet)
    else:
        if material.is_glass:
            start(crusher)
        else:
            start(belt)
""",
    after="""\
def line_for(material):
    if material.is_metal:
        start(magnet)
    elif material.is_glass:
        start(crusher)
    else:
        start(belt)
""",
    traps=("Comments of the else line and above the inner `if` stand above the `elif`.",),
    needs="else",
    find=find,
    apply=apply,
)
