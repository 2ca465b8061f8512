"""plain-boolean: a branch that only turns a test into True or False becomes the test itself."""

from __future__ import annotations

import ast
from collections.abc import Iterable, Iterator
from functools import partial

from dreck.model.names.scopes import param_names
from dreck.model.views.shape import Block, is_elif, places
from dreck.source.functions import FunctionNode
from dreck.source.lossless import cst
from dreck.source.walking import walk
from dreck.steps.catalogue import Options, Rewrite, Site, Step
from dreck.steps.support.negate import bare, has_comments, negations
from dreck.steps.support.trees import BetterNot, Stmt, Tree, code_of, has_comment, only_statement, spliced, width

_SURE = frozenset({"isinstance", "issubclass", "callable", "hasattr", "bool", "any", "all"})


def find(function: FunctionNode) -> Iterator[Site]:
    """`if c: return True else: return False`, the same with an assignment, or with the second return behind it."""
    for block, index, statement in places(function):
        if type(statement) not in (ast.If, ast.Return):
            continue
        kind = _kind(block, index, statement)
        if kind:
            yield Site(block.path, index, statement.lineno, "the test itself is the answer", kind)
        elif (flag := _flag_compared(function, statement)) is not None:
            yield Site(
                block.path,
                index,
                statement.lineno,
                f"`{flag}` is True or False as it is",
                f"flag {flag}",
                finishes=True,
            )


def _kind(block: Block, index: int, s: ast.stmt) -> str:
    match s:
        case ast.If(body=[first], orelse=[second]) if not is_elif(s):
            return "else" if _answers(first, second) else ""
        case ast.If(body=[ast.Return() as first], orelse=[]) if index == len(block.body) - 2:
            return "follows" if _answers(first, block.body[-1]) and not _after_guards(block, index) else ""
    return ""


def _flag_compared(function: FunctionNode, s: ast.stmt) -> str | None:
    """A local that only ever holds a boolean, compared with one in the test or the answer of `s`."""
    asked = s.test if type(s) is ast.If else s.value if type(s) is ast.Return else None
    for node in _asked_parts(asked) if isinstance(asked, _ASKING) else ():
        match node:
            case ast.Compare(left=ast.Name(id=name), ops=[op], comparators=[ast.Constant(value=bool())]):
                if isinstance(op, ast.Eq | ast.NotEq | ast.Is | ast.IsNot) and _is_flag(function, name):
                    return name
    return None


_ASKING = (ast.Compare, ast.BoolOp, ast.UnaryOp)


def _asked_parts(e: ast.expr) -> Iterator[ast.expr]:
    """A test, and the tests that it is made of."""
    yield e
    if isinstance(e, ast.BoolOp):
        for value in e.values:
            yield from _asked_parts(value)
    elif isinstance(e, ast.UnaryOp):
        yield from _asked_parts(e.operand)


def _is_flag(function: FunctionNode, name: str) -> bool:
    """Whether a name is a variable of the function itself and all that is put into it is a boolean."""
    stores = [n for n in walk(function) if isinstance(n, ast.Name) and n.id == name and not _is_read(n)]
    known = [
        n for n in walk(function)
        if isinstance(n, ast.Assign) and len(n.targets) == 1 and isinstance(n.targets[0], ast.Name)
        and n.targets[0].id == name and _is_bool(n.value)
    ]  # fmt: skip
    return bool(stores) and len(stores) == len(known) and name not in param_names(function.args)


def _is_read(name: ast.Name) -> bool:
    return isinstance(name.ctx, ast.Load)


def _is_bool(value: ast.expr) -> bool:
    match value:
        case ast.Constant(value=bool()) | ast.UnaryOp(op=ast.Not()):
            return True
        case ast.Compare(ops=ops):  # what `==` gives is for the things compared to say
            return all(isinstance(op, ast.Is | ast.IsNot | ast.In | ast.NotIn) for op in ops)
        case ast.Call(func=ast.Name(id=name)):
            return name in _SURE
    return False


def _without_comparison(tree: Tree, site: Site) -> Iterator[Rewrite]:
    from dreck.source.transformers import Bare

    work = Bare(site.kind.removeprefix("flag "))

    def change(block: cst.IndentedBlock) -> cst.IndentedBlock:
        statement: Stmt = block.body[site.index]
        if isinstance(statement, cst.If):
            made = statement.with_changes(test=statement.test.visit(work))
        else:
            made = statement.visit(work)
        return block.with_changes(body=[*block.body[: site.index], made, *block.body[site.index + 1 :]])

    yield Rewrite(tree.edit(site.path, change))


def _after_guards(block: Block, index: int) -> bool:
    """A list of guards that all give the same answer, then the other one: the last is one of the list."""
    match block.body[index], block.body[index - 1] if index else None:
        case ast.If(body=mine), ast.If(body=before, orelse=[]):
            return ast.dump(mine[-1]) == ast.dump(before[-1])
    return False


def _answers(first: ast.stmt, second: ast.stmt) -> bool:
    match first, second:
        case ast.Return(value=ast.Constant(value=bool() as a)), ast.Return(value=ast.Constant(value=bool() as b)):
            return a is not b
        case ast.Assign(targets=[x], value=ast.Constant(value=bool() as a)), ast.Assign(
            targets=[y], value=ast.Constant(value=bool() as b)
        ):
            return a is not b and ast.dump(x) == ast.dump(y) and isinstance(x, ast.Name | ast.Attribute)
    return False


def apply(tree: Tree, site: Site, options: Options) -> Iterable[Rewrite]:
    """`return test`, `return not test`, or `return bool(test)` where the test need not be a boolean."""
    if site.kind.startswith("flag "):
        yield from _without_comparison(tree, site)
        return
    block = tree.block(site.path)
    statement = block.body[site.index]
    if not isinstance(statement, cst.If) or has_comments(statement.test):
        raise BetterNot("comments stand inside the test")
    first = only_statement(statement.body)
    other: Stmt = statement.orelse if site.kind == "else" else block.body[site.index + 1]
    if first is None or (
        site.kind == "else" and (only_statement(other.body) is None or has_comment(other.leading_lines))
    ):
        raise BetterNot("comments stand at the branches")
    if site.kind == "follows" and ("#" in code_of(other)):
        raise BetterNot("a comment stands at the second answer")
    wanted = first.value.value == "True"
    for value, only_if_proved in _values(statement.test, wanted):
        line = cst.SimpleStatementLine(
            body=[first.with_changes(value=value)],
            leading_lines=statement.leading_lines,
            trailing_whitespace=_behind_header(statement),
        )
        if width(tree, site.path, code_of(line).strip()) > options.line_length:
            raise BetterNot("the line would be too long")
        dropped = 2 if site.kind == "follows" else 1
        change = partial(spliced, index=site.index, replacement=[line], dropped=dropped)
        yield Rewrite(tree.edit(site.path, change), only_if_proved)


def _behind_header(statement: cst.If) -> cst.TrailingWhitespace:
    body: Stmt = statement.body
    header = getattr(body, "header", None)
    return header if header is not None and header.comment is not None else cst.TrailingWhitespace()


def _values(test: cst.BaseExpression, wanted: bool) -> Iterator[tuple[cst.BaseExpression, bool]]:
    if not wanted:
        for opposite, only_if_proved in negations(test):
            yield (opposite, only_if_proved) if _is_boolean(opposite) else (_as_bool(opposite), only_if_proved)
        return
    yield (bare(test) if _is_boolean(test) else _as_bool(test)), False


def _is_boolean(test: cst.BaseExpression) -> bool:
    """Whether the value of `test` is surely True or False, for comparisons as plain as they look."""
    match test:
        case cst.UnaryOperation(operator=cst.Not()):
            return True
        case cst.Comparison(comparisons=comparisons):
            return len(comparisons) >= 1
        case cst.BooleanOperation(left=left, right=right):
            return _is_boolean(left) and _is_boolean(right)
        case cst.Call(func=cst.Name(value=name)):
            return name in _SURE
    return False


def _as_bool(test: cst.BaseExpression) -> cst.BaseExpression:
    if "\n" in code_of(test):
        raise BetterNot("a test over several lines, wrapped in bool(), would be no clearer")
    return cst.Call(cst.Name("bool"), [cst.Arg(bare(test))])


STEP = Step(
    name="plain-boolean",
    group="flatten",
    order=25,
    summary="A branch that only turns a test into True or False becomes the test itself.",
    why="The test is the answer; four lines that translate it into itself say no more.",
    when_not=(
        "After a list of guards that give the same answer, the last guard stays one of the list. Where the line would "
        "be too long, or comments tell the two answers apart."
    ),
    before="""\
def may_renew(permit, today):
    if permit.valid_until >= today and not permit.suspended:
        return True
    else:
        return False
""",
    after="""\
def may_renew(permit, today):
    return permit.valid_until >= today and not permit.suspended
""",
    traps=(
        "`x and y` is not a bool: where an operand need not be one, `bool(...)` keeps the result what it was.",
        "A comparison may give something else than a bool (arrays do): the assumption `plain-comparisons`.",
    ),
    find=find,
    apply=apply,
)
