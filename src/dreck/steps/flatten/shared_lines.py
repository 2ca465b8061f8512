"""shared-lines: the same lines in every branch move out, before or after it."""

from __future__ import annotations

import ast
from collections.abc import Iterable, Iterator

from dreck.model.views.once import alike
from dreck.model.views.shape import arms, ifs, leaves
from dreck.source.functions import FunctionNode
from dreck.source.lossless import cst
from dreck.source.walking import walk
from dreck.steps.catalogue import Options, Rewrite, Site, Step
from dreck.steps.support.negate import negations
from dreck.steps.support.trees import BetterNot, Stmt, Tree, Untouchable, as_block, code_of, has_comment, spliced


def find(function: FunctionNode) -> Iterator[Site]:
    """Chains with an else, all of whose branches end (or begin) with the same line."""
    for block, index, statement in ifs(function):
        if not statement.orelse:
            continue
        several, last = arms(statement)
        bodies = [*(arm.body for arm in several), last]
        if not last or any(leaves(body) for body in bodies):
            continue
        if _same([body[-1] for body in bodies]) and any(len(body) > 1 for body in bodies):
            yield Site(block.path, index, statement.lineno, "every branch ends with the same line", "after")
        elif _same([body[0] for body in bodies]) and _moves_ahead(bodies[0][0], several):
            yield Site(block.path, index, statement.lineno, "every branch begins with the same line", "before")


def _same(statements: list[ast.stmt]) -> bool:
    return not isinstance(statements[0], ast.Pass) and all(alike(statements[0], s) for s in statements[1:])


def _moves_ahead(statement: ast.stmt, ifs: list[ast.If]) -> bool:
    """A plain assignment of something that is not worked out, to a name the tests do not read."""
    match statement:
        case ast.Assign(targets=[ast.Name(id=name)], value=ast.Constant() | ast.Name()):
            return all(n.id != name for arm in ifs for n in walk(arm.test) if isinstance(n, ast.Name))
    return False


def apply(tree: Tree, site: Site, options: Options) -> Iterable[Rewrite]:
    """The line once, beside the branches; a branch that held nothing else goes."""
    yield Rewrite(tree.edit(site.path, lambda block: _moved(block, site)))


def _moved(block: cst.IndentedBlock, site: Site) -> cst.IndentedBlock:
    statement = block.body[site.index]
    if not isinstance(statement, cst.If):
        raise Untouchable("no plain if stands there")
    at = -1 if site.kind == "after" else 0
    taken: list[Stmt] = []
    rest = _without(statement, at, taken)
    line = taken[-1] if site.kind == "after" else taken[0]
    told = [code_of(t.with_changes(leading_lines=[])).strip() for t in taken]
    if any(text != told[0] for text in told) or any(has_comment(t.leading_lines) for t in taken if t is not line):
        raise BetterNot("the branches say different things about the line they share")
    if site.kind == "after":
        return spliced(block, site.index, [*rest, line])
    ahead = line.with_changes(leading_lines=[*statement.leading_lines, *line.leading_lines])
    return spliced(block, site.index, [ahead, *(r.with_changes(leading_lines=[]) for r in rest)])


def _without(chain: cst.If, at: int, taken: list[Stmt]) -> list[Stmt]:
    """The chain with one line taken from each branch; no statement at all when nothing is left of it."""
    body = _shortened(chain.body, at, taken)
    orelse = chain.orelse
    if isinstance(orelse, cst.If):
        inner = _without(orelse, at, taken)
        if body is None or not inner:
            raise BetterNot("a branch in the middle would be empty")
        return [chain.with_changes(body=body, orelse=inner[0])]
    assert isinstance(orelse, cst.Else)
    last = _shortened(orelse.body, at, taken)
    if last is None and has_comment(orelse.leading_lines):
        raise BetterNot("comments stand at a branch that would be empty")
    if body is None and last is None:
        raise BetterNot("the branches are all the same")
    if body is None:
        *_, (test, _) = negations(chain.test)
        blank = cst.SimpleWhitespace(" ")
        return [chain.with_changes(test=test, whitespace_before_test=blank, body=last, orelse=None)]
    return [chain.with_changes(body=body, orelse=None if last is None else orelse.with_changes(body=last))]


def _shortened(suite: cst.BaseSuite, at: int, taken: list[Stmt]) -> cst.IndentedBlock | None:
    block = as_block(suite)
    statements: list[Stmt] = list(block.body)
    taken.append(statements.pop(at))
    if has_comment(block.footer) and at == -1:
        raise BetterNot("comments stand behind the shared line")
    if statements:
        return block.with_changes(body=statements)
    if block.header.comment is not None:
        raise BetterNot("comments stand at a branch that would be empty")
    return None


STEP = Step(
    name="shared-lines",
    group="flatten",
    order=80,
    summary="The same lines in every branch move out, before or after it.",
    why="What happens in every case does not depend on the test, so it should not stand under it.",
    when_not="When the branches leave (the lines would never be reached), or comments differ about the line.",
    before="""\
def book(load, ledger):
    if load.on_account:
        ledger.note(load)
        ledger.save()
    else:
        ledger.cash(load)
        ledger.save()
""",
    after="""\
def book(load, ledger):
    if load.on_account:
        ledger.note(load)
    else:
        ledger.cash(load)
    ledger.save()
""",
    traps=(
        "A line moved ahead of the test runs even when the test raises, and may change what is tested.",
        "Lines that only look alike may use a name that means something else in each branch.",
    ),
    needs="else",
    find=find,
    apply=apply,
)
