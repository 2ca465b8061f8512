"""choose-value: an if/else that only chooses a value becomes one conditional expression, when it stays short."""

import ast
from collections.abc import Iterable, Iterator

import libcst as cst

from dreck.model.measures import operands
from dreck.model.shape import is_elif, places
from dreck.source.functions import FunctionNode
from dreck.steps.catalogue import Options, Rewrite, Site, Step
from dreck.steps.negate import bare
from dreck.steps.trees import BetterNot, Stmt, Tree, code_of, has_comment, only_statement, spliced, width

_MOST = 70
"""A conditional expression is read in one go; longer ones are not, whatever the line would hold."""


def find(function: FunctionNode) -> Iterator[Site]:
    """if/else whose branches assign one value each to the same plain target."""
    for block, index, statement in places(function):
        match statement:
            case ast.If(test=test, body=[ast.Assign(targets=[x], value=a)], orelse=[ast.Assign(targets=[y], value=b)]):
                if ast.dump(x) == ast.dump(y) and _plain(x) and not is_elif(statement) and _short(test, a, b):
                    reason = f"both branches only choose a value for `{ast.unparse(x)}`"
                    yield Site(block.path, index, statement.lineno, reason)


def _plain(target: ast.expr) -> bool:
    return isinstance(target, ast.Name) or (isinstance(target, ast.Attribute) and isinstance(target.value, ast.Name))


def _short(test: ast.expr, *values: ast.expr) -> bool:
    """A conditional expression holds no other one, and asks one or two things."""
    inside = [n for e in (test, *values) for n in ast.walk(e)]
    if any(isinstance(n, ast.IfExp | ast.Lambda | ast.Await | ast.Yield | ast.NamedExpr) for n in inside):
        return False
    return operands(test) <= 2 and all(v.lineno == v.end_lineno for v in values) and test.lineno == test.end_lineno


def apply(tree: Tree, site: Site, options: Options) -> Iterable[Rewrite]:
    """`x = a if test else b`, where it fits the line."""
    statement: Stmt = tree.block(site.path).body[site.index]
    other: Stmt = statement.orelse
    first, second = only_statement(statement.body), only_statement(other.body)
    if first is None or second is None or has_comment(other.leading_lines):
        raise BetterNot("comments stand at the branches")
    chosen = cst.IfExp(test=bare(statement.test), body=_operand(first.value), orelse=_operand(second.value))
    line = cst.SimpleStatementLine(
        body=[first.with_changes(value=chosen)],
        leading_lines=statement.leading_lines,
    )
    code = code_of(line.with_changes(leading_lines=[])).strip()
    if len(code) > _MOST or width(tree, site.path, code) > options.line_length:
        raise BetterNot("the conditional expression would not fit the line")
    yield Rewrite(tree.edit(site.path, lambda block: spliced(block, site.index, [line])))


def _operand(value: cst.BaseExpression) -> cst.BaseExpression:
    if isinstance(value, cst.Tuple) and not value.lpar:
        return value.with_changes(lpar=[cst.LeftParen()], rpar=[cst.RightParen()])
    return value


STEP = Step(
    name="choose-value",
    group="flatten",
    order=70,
    summary="An if/else that only chooses a value becomes one conditional expression, when it stays short.",
    why="One thing happens, a value is chosen; one line says so, and the name stands there once.",
    when_not=(
        "When it would not fit the project's line length, would hold another conditional expression, or asks more than "
        "two things. Branches that return are left to the guards."
    ),
    before="""\
def copies(ticket):
    if ticket.on_account:
        count = 2
    else:
        count = 1
    return ticket.printed(count)
""",
    after="""\
def copies(ticket):
    count = 2 if ticket.on_account else 1
    return ticket.printed(count)
""",
    traps=("A target with an index or a call is evaluated after the value: left alone.",),
    find=find,
    apply=apply,
)
