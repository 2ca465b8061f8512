"""join-tests: nested tests with nothing between them become one condition, and so do arms that do the same."""

from __future__ import annotations

import ast
from collections.abc import Iterable, Iterator

from dreck.model.views.shape import arms, ifs, joins, nest
from dreck.source.functions import FunctionNode
from dreck.source.lossless import cst
from dreck.steps.catalogue import Options, Rewrite, Site, Step
from dreck.steps.flatten.same_arms import joined_arms, same_arms
from dreck.steps.support.names.words import last_of
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

_LAST = "last arm"


def find(function: FunctionNode) -> Iterator[Site]:
    """`if` statements whose body is one `if`, neither with an else; arms of a chain that do the same."""
    yield from same_arms(function)
    for block, index, statement in ifs(function):
        match statement:
            case ast.If(body=[ast.If(orelse=[])], orelse=[]):
                if joins(nest(statement), len(block.path) + 1):
                    yield Site(block.path, index, statement.lineno, "nothing stands between the two tests")
            case ast.If(orelse=[ast.If()]) if (last := _last_arm(statement)) is not None:
                if joins(nest(last), len(block.path) + 1):
                    reason = "nothing stands between the two tests of the last arm"
                    yield Site(block.path, index, last.lineno, reason, _LAST)


def _last_arm(chain: ast.If) -> ast.If | None:
    """The last arm of a chain without an else, where one test stands in it, as in no other arm."""
    tests, last = arms(chain)
    if last or len(tests) < 2:
        return None
    nested = [len(arm.body) == 1 and isinstance(arm.body[0], ast.If) for arm in tests]
    match tests[-1].body:
        case [ast.If(orelse=[])] if nested.count(True) == 1 and not _is_a_case(tests[-1].test):
            return tests[-1]
    return None


def _is_a_case(test: ast.expr) -> bool:
    """Whether it asks for one of several kinds: such an arm is one of a switch, and is read by its kind."""
    match test:
        case ast.Compare(ops=[ast.Eq() | ast.Is() | ast.In()], comparators=[right]):
            parts = right.elts if isinstance(right, ast.Tuple | ast.List | ast.Set) else [right]
            return all(isinstance(p, ast.Constant) or last_of(p).isupper() or last_of(p)[:1].isupper() for p in parts)
        case ast.Call(func=ast.Name(id="isinstance" | "issubclass")):
            return True
        case ast.Call(func=ast.Attribute(attr="startswith" | "endswith")):
            return True
    return False


def apply(tree: Tree, site: Site, options: Options) -> Iterable[Rewrite]:
    """`if a and b`, where it fits the line; `elif a or b` for arms that do the same."""
    if site.kind not in ("", _LAST):
        yield from joined_arms(tree, site, options)
        return
    made = tree.edit(site.path, lambda block: edit_chain(block, site.index, _joined_last))
    statement: Stmt = made.block(site.path).body[site.index]
    line = f"if {code_of(statement.test)}:"
    while isinstance(statement.orelse, cst.If):
        statement = statement.orelse
        line = f"elif {code_of(statement.test)}:"
    if "\n" not in line and width(tree, site.path, line) > options.line_length:
        raise BetterNot("the joined test would not fit the line")
    yield Rewrite(made)


def _joined_last(chain: cst.If) -> cst.If:
    """The chain with the two tests of its last arm as one; a lone `if` is its own last arm."""
    if not isinstance(chain.orelse, cst.If):
        return _joined(chain)
    arm = as_block(chain.orelse.body)
    first: Stmt = arm.body[0]
    if chain.orelse.orelse is None and (has_comment(first.leading_lines) or arm.header.comment is not None):
        raise BetterNot("the comment between its tests would stand above both")
    return chain.with_changes(orelse=_joined_last(chain.orelse))


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
