"""Arms of one chain that do the same become one arm: a part of join-tests."""

from __future__ import annotations

import ast
from collections.abc import Callable, Iterable, Iterator
from functools import partial
from typing import TypeAlias

from dreck.model.views.once import alike
from dreck.model.views.shape import arms, ifs, is_elif
from dreck.source.functions import FunctionNode
from dreck.source.lossless import cst
from dreck.source.walking import walk
from dreck.steps.catalogue import Options, Rewrite, Site
from dreck.steps.flatten.stays.left_tests import does_nothing
from dreck.steps.support.trees import BetterNot, Stmt, Tree, as_block, code_of, edit_chain, grouped, width

_TABLE = 5
"""So many arms of a line each are read as a table, a line a case."""
_MOST_OPERANDS = 4
_LOUD = (ast.Call, ast.Await, ast.NamedExpr, ast.Yield, ast.YieldFrom)


def same_arms(function: FunctionNode) -> Iterator[Site]:
    """The last arm and the else of a chain that do the same; or the last two neighbouring arms that do."""
    for block, index, s in ifs(function):
        if not is_elif(s):
            continue
        chain, last = arms(s)
        if _is_table(chain):
            continue
        bodies = [*(arm.body for arm in chain), *([last] if last else [])]
        for at in reversed(range(len(bodies) - 1)):
            if not alike(bodies[at], bodies[at + 1]) or does_nothing(bodies[at]):
                continue
            if at + 1 < len(chain) and _operands(chain[at].test) + _operands(chain[at + 1].test) <= _MOST_OPERANDS:
                yield Site(block.path, index, chain[at].lineno, "two arms do the same", f"arms {at}", finishes=True)
                break
            if at + 1 == len(chain) and at and not any(isinstance(n, _LOUD) for n in walk(chain[at].test)):
                reason = "the last arm does what the else does"
                yield Site(block.path, index, chain[at].lineno, reason, f"else {at}", finishes=True)
                break


def _is_table(chain: list[ast.If]) -> bool:
    return len(chain) >= _TABLE and all(len(arm.body) == 1 for arm in chain)


def _operands(test: ast.expr) -> int:
    return len(test.values) if isinstance(test, ast.BoolOp) else 1


def joined_arms(tree: Tree, site: Site, options: Options) -> Iterable[Rewrite]:
    """`elif a or b`, or `elif x in (a, b)` where both ask what one thing is equal to."""
    what, _, at = site.kind.partition(" ")
    if what == "else":
        yield Rewrite(_changed(tree, site, int(at) - 1, _before_the_else))
        return
    for join in (_membership, _either):
        try:
            made = _changed(tree, site, int(at), partial(_one_arm, join=join))
        except _NotSo:
            continue
        statement: Stmt = made.block(site.path).body[site.index]
        if any("\n" in line or width(tree, site.path, line) > options.line_length for line in _heads(statement)):
            raise BetterNot("the joined test would not fit the line")
        yield Rewrite(made)


class _NotSo(Exception):
    """The tests cannot be joined in this form."""


def _heads(chain: Stmt) -> Iterator[str]:
    while isinstance(chain, cst.If):
        yield f"elif {code_of(chain.test)}:"
        chain = chain.orelse


def _changed(tree: Tree, site: Site, at: int, change: Callable[[cst.If], cst.If]) -> Tree:
    return tree.edit(site.path, lambda block: edit_chain(block, site.index, lambda chain: _at(chain, at, change)))


def _at(chain: cst.If, at: int, change: Callable[[cst.If], cst.If]) -> cst.If:
    if not at:
        return change(chain)
    assert isinstance(chain.orelse, cst.If)
    return chain.with_changes(orelse=_at(chain.orelse, at - 1, change))


_Join: TypeAlias = "Callable[[cst.BaseExpression, cst.BaseExpression], cst.BaseExpression]"


def _one_arm(arm: cst.If, join: _Join) -> cst.If:
    other = arm.orelse
    assert isinstance(other, cst.If)
    _check_silent(arm, other)
    test = join(arm.test, other.test)
    return arm.with_changes(test=test, orelse=other.orelse, whitespace_before_test=cst.SimpleWhitespace(" "))


def _check_silent(*arms_: Stmt) -> None:
    for number, arm in enumerate(arms_):
        block = as_block(arm.body)
        said = [*block.footer, *(arm.leading_lines if number else [])]
        if "#" in code_of(block) or any(line.comment is not None for line in said):
            raise BetterNot("comments tell the two apart")


def _before_the_else(arm: cst.If) -> cst.If:
    """The arm before the last one, with the else behind it."""
    last = arm.orelse
    assert isinstance(last, cst.If) and isinstance(last.orelse, cst.Else)
    _check_silent(last, last.orelse)
    if any(line.comment is not None for line in last.leading_lines):
        raise BetterNot("comments tell the two apart")
    return arm.with_changes(orelse=last.orelse)


def _membership(first: cst.BaseExpression, second: cst.BaseExpression) -> cst.BaseExpression:
    one, other = _asked(first), _asked(second)
    if one is None or other is None or code_of(one[0]) != code_of(other[0]):
        raise _NotSo
    elements = [cst.Element(value) for value in (*one[1], *other[1])]
    made = cst.Tuple(elements, lpar=[cst.LeftParen()], rpar=[cst.RightParen()])
    return cst.Comparison(one[0], [cst.ComparisonTarget(cst.In(), made)])


def _asked(test: cst.BaseExpression) -> tuple[cst.BaseExpression, list[cst.BaseExpression]] | None:
    """`x == c` or `x in (c, d)`: the thing asked about, and what it may be."""
    match test:
        case cst.Comparison(left=left, comparisons=[cst.ComparisonTarget(operator=cst.Equal(), comparator=value)]):
            if isinstance(value, cst.SimpleString | cst.Integer | cst.Attribute):
                return left, [value]
        case cst.Comparison(
            left=left, comparisons=[cst.ComparisonTarget(operator=cst.In(), comparator=cst.Tuple(elements=parts))]
        ):
            return left, [part.value for part in parts]
    return None


def _either(first: cst.BaseExpression, second: cst.BaseExpression) -> cst.BaseExpression:
    if any(isinstance(t, cst.BooleanOperation) and isinstance(t.operator, cst.And) for t in (first, second)):
        raise BetterNot("one test of `or` and `and` is harder to read than two arms")
    return cst.BooleanOperation(grouped(first, cst.Or), cst.Or(), grouped(second, cst.Or))
