"""known-test: tests that are already decided, and code that cannot run, go away."""

from __future__ import annotations

import ast
from collections.abc import Iterable, Iterator
from functools import partial

from dreck.model.views.decided import Known
from dreck.model.views.shape import blocks, ifs, is_elif, leaves
from dreck.source.functions import PLAIN, FunctionNode
from dreck.source.lossless import cst
from dreck.source.walking import walk
from dreck.steps.catalogue import Options, Rewrite, Site, Step
from dreck.steps.support.negate import negations
from dreck.steps.support.trees import (
    BetterNot,
    Stmt,
    Tree,
    Untouchable,
    as_block,
    code_of,
    edit_chain,
    has_comment,
    only_statement,
    spliced,
    unwrapped,
)


def find(function: FunctionNode) -> Iterator[Site]:
    """Lines behind an exit; tests whose outcome an earlier one on the same way has settled."""
    for block in blocks(function):
        for index, statement in enumerate(block.body[:-1]):
            if type(statement) not in _GOING_ON and leaves([statement]) and not _is_yield(block.body[index + 1 :]):
                line = block.body[index + 1].lineno
                yield Site(block.path, index, line, "nothing gets here: every way has left before", "unreachable")
                break
    for block, index, statement in ifs(function):
        if not is_elif(statement) and (kind := _with_nothing(statement)):
            yield Site(block.path, index, statement.lineno, _NOTHING[kind], kind, finishes=True)
        if name := _answered_either_way(block.body, index):
            told = f"`{name}` is None where None is returned: it is the answer on both ways"
            yield Site(block.path, index, statement.lineno, told, f"{_SAME} {name}", finishes=True)
    if not _asks_twice(function):
        return
    for path, index, line, outcome, arm in Known(function).settled():
        reason = f"an earlier test on every way to here has settled it: it is always {'true' if outcome else 'false'}"
        yield Site(path, index, line, reason, f"{outcome} {arm}")


def _asks_twice(function: FunctionNode) -> bool:
    """Whether there are two `if`s, or an `elif`: else no test stands behind another."""
    asked = ifs(function)
    return len(asked) > 1 or any(is_elif(s) for _, _, s in asked)


_GOING_ON = PLAIN - {ast.Return, ast.Raise, ast.Continue, ast.Break}
"""Statements that hold no others and do not leave."""
_NOTHING = {
    "empty if": "nothing hangs on the test",
    "empty body": "nothing is done where it holds: what is done where it does not stands alone",
    "empty else": "the else holds nothing",
}


def _with_nothing(s: ast.If) -> str:
    """Which part of an `if` holds nothing but `pass`; '' when none does."""
    last = s
    while is_elif(last):
        last = last.orelse[0]  # type: ignore[assignment]
    if _is_nothing(last.orelse):
        return "empty else"
    if not _is_nothing(s.body) or is_elif(s):
        return ""
    if s.orelse:
        return "empty body"
    return "empty if" if _is_quiet(s.test) else ""


_SAME = "same answer"


def _answered_either_way(body: list[ast.stmt], index: int) -> str:
    """The name whose value is returned on both ways: as it is, or as the None that it has been found to be."""
    s = body[index]
    if not isinstance(s, ast.If) or is_elif(s):
        return ""
    ways = s.body, s.orelse or body[index + 1 : index + 2]
    match s.test:
        case ast.Compare(left=ast.Name(id=name), ops=[ast.Is()], comparators=[ast.Constant(value=None)]):
            none, other = ways
        case ast.Compare(left=ast.Name(id=name), ops=[ast.IsNot()], comparators=[ast.Constant(value=None)]):
            other, none = ways
        case _:
            return ""
    match none, other:
        case [ast.Return(value=None | ast.Constant(value=None))], [ast.Return(value=ast.Name(id=back))]:
            return name if back == name else ""
    return ""


def _is_quiet(test: ast.expr) -> bool:
    """Whether nobody would ask a test for what it does: names, attributes, constants, compared."""
    loud = ast.Call | ast.Await | ast.NamedExpr | ast.Yield | ast.YieldFrom | ast.Subscript
    return not any(isinstance(n, loud) for n in walk(test))


def _is_nothing(body: list[ast.stmt]) -> bool:
    return len(body) == 1 and isinstance(body[0], ast.Pass)


def _is_yield(body: list[ast.stmt]) -> bool:
    """A `yield` that cannot be reached still makes the function a generator."""
    return any(isinstance(n, ast.Yield | ast.YieldFrom) for s in body for n in walk(s))


def apply(tree: Tree, site: Site, options: Options) -> Iterable[Rewrite]:
    """What cannot run goes; what always runs stands without its test. Nothing goes that has comments."""
    if site.kind == "unreachable":
        yield Rewrite(tree.edit(site.path, lambda block: _cut(block, site.index + 1)))
        return
    if site.kind in _NOTHING:
        yield from _filled(tree, site)
        return
    if site.kind.startswith(_SAME):
        name = site.kind.rpartition(" ")[2]
        yield Rewrite(tree.edit(site.path, lambda block: _answered_once(block, site.index, name)))
        return
    outcome, _, arm = site.kind.partition(" ")
    yield Rewrite(tree.edit(site.path, lambda block: _resolved(block, site.index, outcome == "True", int(arm))))


def _answered_once(block: cst.IndentedBlock, index: int, name: str) -> cst.IndentedBlock:
    """One return in the place of the `if` and of what stands behind it or in its else."""
    statement = block.body[index]
    if not isinstance(statement, cst.If):
        raise Untouchable("no plain if stands there")
    behind = list(block.body[index + 1 : index + 2]) if statement.orelse is None else []
    if any("#" in code_of(s) for s in (statement, *behind)):
        raise BetterNot("a comment speaks of one of the two ways")
    made = cst.SimpleStatementLine([cst.Return(cst.Name(name))], leading_lines=statement.leading_lines)
    return block.with_changes(body=[*block.body[:index], made, *block.body[index + 1 + len(behind) :]])


def _filled(tree: Tree, site: Site) -> Iterable[Rewrite]:
    """The `if` without the part that holds nothing."""
    statement = tree.block(site.path).body[site.index]
    if not isinstance(statement, cst.If):
        raise Untouchable("no plain if stands there")
    if site.kind == "empty else":
        yield Rewrite(tree.edit(site.path, lambda block: edit_chain(block, site.index, _without_else)))
        return
    if only_statement(statement.body) is None:
        raise BetterNot("a comment says why nothing is done")
    if site.kind == "empty if":
        if has_comment(statement.leading_lines):
            raise BetterNot("a comment stands above the test")
        yield Rewrite(tree.edit(site.path, lambda block: _cut_out(block, site.index)))
        return
    other = statement.orelse
    if not isinstance(other, cst.Else) or has_comment(other.leading_lines):
        raise BetterNot("a comment stands above the else")
    body = as_block(other.body)
    for test, only_if_proved in negations(statement.test):
        made = statement.with_changes(
            test=test, body=body, orelse=None, whitespace_before_test=cst.SimpleWhitespace(" ")
        )
        yield Rewrite(tree.edit(site.path, partial(_replaced, index=site.index, made=made)), only_if_proved)


def _replaced(block: cst.IndentedBlock, index: int, made: cst.If) -> cst.IndentedBlock:
    return edit_chain(block, index, lambda _: made)


def _without_else(chain: cst.If) -> cst.If:
    match chain.orelse:
        case cst.If() as arm:
            return chain.with_changes(orelse=_without_else(arm))
        case cst.Else(body=body, leading_lines=told):
            if only_statement(body) is None or has_comment(told):
                raise BetterNot("a comment says why nothing is done")
    return chain.with_changes(orelse=None)


def _cut_out(block: cst.IndentedBlock, index: int) -> cst.IndentedBlock:
    return spliced(block, index, [cst.SimpleStatementLine(body=[cst.Pass()])] if len(block.body) == 1 else [])


def _cut(block: cst.IndentedBlock, index: int) -> cst.IndentedBlock:
    return block.with_changes(body=block.body[:index])


def _resolved(block: cst.IndentedBlock, index: int, outcome: bool, arm: int) -> cst.IndentedBlock:
    statement = block.body[index]
    if not isinstance(statement, cst.If):
        raise Untouchable("no plain if stands there")
    if arm:
        return block.with_changes(
            body=[*block.body[:index], _without_arm(statement, arm, outcome), *block.body[index + 1 :]]
        )
    kept, before = _kept(statement, outcome)
    if kept is None:
        if has_comment(statement.leading_lines):
            raise BetterNot("a comment stands above the test")
        return _cut_out(block, index)
    if isinstance(kept, cst.If):
        return spliced(block, index, [kept.with_changes(leading_lines=before)])
    return spliced(block, index, unwrapped(kept, before), footer=kept.footer)


def _kept(statement: cst.If, outcome: bool) -> tuple[Stmt | None, list[cst.EmptyLine]]:
    leading = list(statement.leading_lines)
    if outcome:
        return as_block(statement.body), leading
    match statement.orelse:
        case cst.If() as following:
            return following, [*leading, *following.leading_lines]
        case cst.Else(body=body, leading_lines=told):
            return as_block(body), [*leading, *told]
    return None, leading


def _without_arm(chain: cst.If, arm: int, outcome: bool) -> cst.If:
    following = chain.orelse
    if not isinstance(following, cst.If):
        raise Untouchable("the chain is shorter than it was")
    if arm > 1:
        return chain.with_changes(orelse=_without_arm(following, arm - 1, outcome))
    if outcome:
        last = cst.Else(body=following.body, leading_lines=following.leading_lines)
        return chain.with_changes(orelse=last)
    return chain.with_changes(orelse=following.orelse)


STEP = Step(
    name="known-test",
    group="flatten",
    order=5,
    summary="Tests that are already decided, and code that cannot run, go away.",
    why="A test whose outcome is settled only looks like a decision; what can never run only looks like a case.",
    when_not="Where comments stand in what would go: somebody had a reason, and a person should read it first.",
    before="""\
def band(kilos):
    if kilos < 100:
        return "A"
    elif kilos < 50:
        return "never"
    if kilos < 500:
        return "B"
    return "C"
""",
    after="""\
def band(kilos):
    if kilos < 100:
        return "A"
    if kilos < 500:
        return "B"
    return "C"
""",
    traps=(
        "A call or a write between two tests may change what the second one finds.",
        "A `yield` that cannot be reached still makes a generator.",
        "A name that is assigned only in code that cannot run is a local all the same.",
    ),
    find=find,
    apply=apply,
)
