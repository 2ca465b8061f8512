"""choose-value: an if/else that only chooses a value, or an argument, becomes one conditional expression when short."""

from __future__ import annotations

import ast
from collections.abc import Iterable, Iterator
from functools import lru_cache

from dreck.model.views.measures import operands
from dreck.model.views.shape import arms, ifs, is_elif
from dreck.source.functions import FunctionNode
from dreck.source.lossless import cst
from dreck.source.walking import walk
from dreck.steps.catalogue import Options, Rewrite, Site, Step
from dreck.steps.flatten.stays.twins import shapes
from dreck.steps.support.negate import bare
from dreck.steps.support.trees import BetterNot, Stmt, Tree, code_of, has_comment, only_statement, spliced, width

_MOST = 70
"""A conditional expression is read in one go; longer ones are not, whatever the line would hold."""


def find(function: FunctionNode) -> Iterator[Site]:
    """if/else whose branches assign to the same plain target, or make the same call but for one argument."""
    for block, index, statement in ifs(function):
        if is_elif(statement) or not statement.orelse:
            continue
        found = _argument(statement) or _value(statement)
        if found is not None and id(statement) not in _last_arms(function):
            yield Site(block.path, index, statement.lineno, *found)


@lru_cache(maxsize=8)
def _last_arms(function: FunctionNode) -> frozenset[int]:
    """What stands alone in the else of a branch that gives the same thing its value: the end of a ladder."""
    nests = (s for _, _, head in ifs(function) for s in arms(head)[0] if len(s.orelse) == 1 and not is_elif(s))
    return frozenset(
        id(inner)
        for nest in nests
        for inner in nest.orelse
        if isinstance(inner, ast.If)
        and shapes(nest.body) == shapes(inner.body)
        and _set_in(nest) == _set_in(inner)
        and not any(isinstance(n, ast.IfExp) for n in walk(nest.body[0]))
    )


def _set_in(s: ast.If) -> str:
    match s.body:
        case [ast.Assign(targets=[target])]:
            return ast.dump(target)
    return ""


def when_named(function: FunctionNode) -> Iterator[Site]:
    """What a person may want as one expression, and is left alone else."""
    yield from two_returns(function)
    yield from _overridden(function)


def _overridden(function: FunctionNode) -> Iterator[Site]:
    """A default, and an `if` right behind it that gives the same name another value."""
    for block, index, statement in ifs(function):
        match block.body[index - 1 : index + 1] if index else []:
            case [
                ast.Assign(targets=[ast.Name(id=x)], value=a),
                ast.If(test=test, body=[ast.Assign(targets=[ast.Name(id=y)], value=b)], orelse=[]),
            ] if x == y and _short(test, a, b) and not is_elif(statement):
                if x not in {n.id for e in (test, b) for n in walk(e) if isinstance(n, ast.Name)}:
                    told = f"`{x}` has a default that the `if` behind it only replaces"
                    yield Site(block.path, index, statement.lineno, told, _OVERRIDDEN)


_OVERRIDDEN = "a default before"


def two_returns(function: FunctionNode) -> Iterator[Site]:
    """A guard that returns a value and the return behind it, or one in each branch: a person may want one return."""
    for block, index, statement in ifs(function):
        if is_elif(statement):
            continue
        match statement.body, statement.orelse or block.body[index + 1 :]:
            case [ast.Return(value=ast.expr() as a)], [ast.Return(value=ast.expr() as b)]:
                test = statement.test
            case _:
                continue
        if _short(test, a, b):
            yield Site(block.path, index, statement.lineno, "both returns only choose a value", _RETURNS)


_RETURNS = "two returns"


def _value(s: ast.If) -> tuple[str, str] | None:
    match s:
        case ast.If(test=test, body=[ast.Assign(targets=[x], value=a)], orelse=[ast.Assign(targets=[y], value=b)]):
            if ast.dump(x) == ast.dump(y) and _plain(x) and _short(test, a, b):
                return f"both branches only choose a value for `{ast.unparse(x)}`", ""
    return None


def _argument(s: ast.If) -> tuple[str, str] | None:
    """The same call in both branches, alike in all but one argument; `kind` is its place."""
    match s:
        case ast.If(test=test, body=[ast.Expr(value=ast.Call() as a)], orelse=[ast.Expr(value=ast.Call() as b)]):
            pass
        case ast.If(
            test=test,
            body=[ast.Assign(targets=[x], value=ast.Call() as a)],
            orelse=[ast.Assign(targets=[y], value=ast.Call() as b)],
        ) if ast.dump(x) == ast.dump(y) and _plain(x):
            pass
        case _:
            return None
    place = _differing(a, b) if isinstance(a.func, ast.Name) or _cannot_fail(test) else None
    if place is None or not _short(test, _given(a)[place], _given(b)[place]):
        return None
    if all(isinstance(n, ast.Call) for n in (_given(a)[place], _given(b)[place])):
        return None  # a choice between two calls, inside of a third, is read from the inside out
    return f"both branches call `{ast.unparse(a.func)}` and only choose an argument", f"argument {place}"


def _cannot_fail(test: ast.expr) -> bool:
    """`is` alone runs no code, so that what is called may be looked up before it."""
    match test:
        case ast.Compare(ops=[ast.Is() | ast.IsNot()], left=left):
            return isinstance(left, ast.Name)
    return False


def _differing(a: ast.Call, b: ast.Call) -> int | None:
    if ast.dump(a.func) != ast.dump(b.func) or len(a.args) != len(b.args):
        return None
    if [k.arg for k in a.keywords] != [k.arg for k in b.keywords] or any(k.arg is None for k in a.keywords):
        return None
    pairs = list(zip(_given(a), _given(b), strict=True))
    if any(isinstance(x, ast.Starred) for pair in pairs for x in pair):
        return None
    different = [i for i, (x, y) in enumerate(pairs) if ast.dump(x) != ast.dump(y)]
    return different[0] if len(different) == 1 else None


def _given(call: ast.Call) -> list[ast.expr]:
    return [*call.args, *(k.value for k in call.keywords)]


def _plain(target: ast.expr) -> bool:
    return isinstance(target, ast.Name) or (isinstance(target, ast.Attribute) and isinstance(target.value, ast.Name))


def _short(test: ast.expr, *values: ast.expr) -> bool:
    """A conditional expression holds no other one, and asks one or two things."""
    inside = [n for e in (test, *values) for n in walk(e)]
    if any(isinstance(n, ast.IfExp | ast.Lambda | ast.Await | ast.Yield | ast.NamedExpr) for n in inside):
        return False
    return operands(test) <= 2 and all(v.lineno == v.end_lineno for v in values) and test.lineno == test.end_lineno


def apply(tree: Tree, site: Site, options: Options) -> Iterable[Rewrite]:
    """`x = a if test else b`, where it fits the line."""
    block = tree.block(site.path)
    statement: Stmt = block.body[site.index]
    if site.kind in (_RETURNS, _OVERRIDDEN):
        yield (_one_return if site.kind == _RETURNS else _one_value)(tree, site, options, block)
        return
    other: Stmt = statement.orelse
    first, second = only_statement(statement.body), only_statement(other.body)
    if first is None or second is None or has_comment(other.leading_lines):
        raise BetterNot("comments stand at the branches")
    chosen, value = _chosen(statement.test, first.value, second.value, site.kind)
    if _are_truths(chosen):
        raise BetterNot("the test itself is the answer")
    line = cst.SimpleStatementLine(
        body=[first.with_changes(value=value)],
        leading_lines=statement.leading_lines,
    )
    code = code_of(line.with_changes(leading_lines=[])).strip()
    _check_length(tree, site, code, len(code_of(chosen) if site.kind else code), options)
    if not site.kind and any(not _would_fit(tree, site, s, options) for s in _siblings(block, site.index)):
        raise BetterNot("the one beside it would not fit the line, and both read alike")
    yield Rewrite(tree.edit(site.path, lambda block: spliced(block, site.index, [line])))


def _check_length(tree: Tree, site: Site, code: str, length: int, options: Options) -> None:
    """Raises BetterNot for what is longer than the line, or than is read in one go."""
    if width(tree, site.path, code) > options.line_length:
        raise BetterNot("the conditional expression would not fit the line")
    if length > _MOST:
        raise BetterNot(f"the conditional expression would have {length} characters, more than is read in one go")


def _one_return(tree: Tree, site: Site, options: Options, block: cst.IndentedBlock) -> Rewrite:
    statement: Stmt = block.body[site.index]
    first, other = only_statement(statement.body), None
    dropped = 1 if statement.orelse is not None else 2
    if isinstance(statement.orelse, cst.Else) and not has_comment(statement.orelse.leading_lines):
        other = only_statement(statement.orelse.body)
    elif statement.orelse is None:
        other = only_statement(cst.IndentedBlock([block.body[site.index + 1]]))
    if not isinstance(first, cst.Return) or not isinstance(other, cst.Return):
        raise BetterNot("comments stand at the returns, or several statements on their lines")
    assert first.value is not None and other.value is not None
    chosen, _ = _chosen(statement.test, first.value, other.value, "")
    if _are_truths(chosen):
        raise BetterNot("the test itself is the answer (plain-boolean)")
    line = cst.SimpleStatementLine(body=[first.with_changes(value=chosen)], leading_lines=statement.leading_lines)
    code = code_of(line.with_changes(leading_lines=[])).strip()
    _check_length(tree, site, code, len(code), options)
    return Rewrite(tree.edit(site.path, lambda found: spliced(found, site.index, [line], dropped)))


def _one_value(tree: Tree, site: Site, options: Options, block: cst.IndentedBlock) -> Rewrite:
    before: Stmt = block.body[site.index - 1]
    statement: Stmt = block.body[site.index]
    default = only_statement(cst.IndentedBlock([before.with_changes(leading_lines=[])]))
    other = only_statement(statement.body)
    if not isinstance(default, cst.Assign) or not isinstance(other, cst.Assign) or has_comment(statement.leading_lines):
        raise BetterNot("comments stand at the assignments, or several statements on their lines")
    chosen, _ = _chosen(statement.test, other.value, default.value, "")
    if _are_truths(chosen):
        raise BetterNot("the test itself is the answer (plain-boolean)")
    line = before.with_changes(body=[default.with_changes(value=chosen)])
    code = code_of(line.with_changes(leading_lines=[])).strip()
    _check_length(tree, site, code, len(code), options)
    return Rewrite(tree.edit(site.path, lambda found: spliced(found, site.index - 1, [line], 2)))


def _siblings(block: cst.IndentedBlock, index: int) -> Iterator[cst.If]:
    """The if/elses in a row with this one that choose a value alike."""
    mine = _form(block.body[index])
    for way in (range(index - 1, -1, -1), range(index + 1, len(block.body))):
        for at in way:
            beside = block.body[at]
            if not isinstance(beside, cst.If) or _form(beside) is None or _form(beside) != mine:
                break
            yield beside


def _form(s: Stmt) -> tuple[str, ...] | None:
    """Of which kinds target and test are, where both branches assign to one thing; None for any other statement."""
    if not isinstance(s, cst.If) or not isinstance(s.orelse, cst.Else):
        return None
    parts = [only_statement(s.body), only_statement(s.orelse.body)]
    kinds = [type(p.targets[0].target).__name__ for p in parts if isinstance(p, cst.Assign) and len(p.targets) == 1]
    return (type(s.test).__name__, *kinds) if len(kinds) == 2 else None


def _would_fit(tree: Tree, site: Site, s: cst.If, options: Options) -> bool:
    first, second = only_statement(s.body), only_statement(s.orelse.body) if isinstance(s.orelse, cst.Else) else None
    assert isinstance(first, cst.Assign) and isinstance(second, cst.Assign)
    chosen = _either(s.test, first.value, second.value)
    code = code_of(cst.SimpleStatementLine(body=[first.with_changes(value=chosen)])).strip()
    return len(code) <= _MOST and width(tree, site.path, code) <= options.line_length


def _chosen(
    test: cst.BaseExpression, first: cst.BaseExpression, second: cst.BaseExpression, kind: str
) -> tuple[cst.BaseExpression, cst.BaseExpression]:
    """The conditional expression, and the value it stands in: itself, or the call with it as an argument."""
    if not kind:
        chosen = _either(test, first, second)
        return chosen, chosen
    assert isinstance(first, cst.Call) and isinstance(second, cst.Call)
    place = int(kind.removeprefix("argument "))
    mine, theirs = first.args[place], second.args[place]
    chosen = _either(test, mine.value, theirs.value)
    args = [*first.args[:place], mine.with_changes(value=chosen), *first.args[place + 1 :]]
    return chosen, first.with_changes(args=args)


def _either(test: cst.BaseExpression, first: cst.BaseExpression, second: cst.BaseExpression) -> cst.BaseExpression:
    """`first if test else second`, or `test or second`; what is asked with `not` is asked without."""
    asked = bare(test)
    if isinstance(asked, cst.UnaryOperation) and isinstance(asked.operator, cst.Not):
        asked, first, second = bare(asked.expression), second, first
    if isinstance(asked, cst.Name | cst.Attribute) and asked.deep_equals(bare(first)) and not _binds_less(second):
        return cst.BooleanOperation(left=asked, operator=cst.Or(), right=_behind_or(second))
    return cst.IfExp(test=asked, body=_operand(first), orelse=_operand(second))


def _operand(value: cst.BaseExpression) -> cst.BaseExpression:
    if isinstance(value, cst.Tuple) and not value.lpar:
        return value.with_changes(lpar=[cst.LeftParen()], rpar=[cst.RightParen()])
    return value


def _behind_or(value: cst.BaseExpression) -> cst.BaseExpression:
    """In parentheses where a reader would want them."""
    mixed = isinstance(value, cst.BooleanOperation) and isinstance(value.operator, cst.And) and not value.lpar
    return value.with_changes(lpar=[cst.LeftParen()], rpar=[cst.RightParen()]) if mixed else _operand(value)


def _binds_less(value: cst.BaseExpression) -> bool:
    """Whether it would have to stand in parentheses behind an `or`."""
    return isinstance(value, cst.IfExp | cst.Lambda | cst.NamedExpr | cst.Yield) and not value.lpar


def _are_truths(chosen: cst.BaseExpression) -> bool:
    """`True if c else False` is written by nobody: c is the answer, or `bool(c)`."""
    values = (chosen.body, chosen.orelse) if isinstance(chosen, cst.IfExp) else (chosen,)
    return all(isinstance(v, cst.Name) and v.value in ("True", "False") for v in values)


STEP = Step(
    name="choose-value",
    group="flatten",
    order=70,
    summary="An if/else that only chooses a value becomes one conditional expression, when it stays short.",
    why="One thing happens, a value is chosen; one line says so, and the name stands there once.",
    when_not=(
        "When it would not fit the project's line length, would hold another conditional expression, or asks more than "
        "two things. Branches that return are left to the guards, and a default with an `if` behind it stays, unless "
        "the step is named."
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
    traps=(
        "A target with an index or a call is evaluated after the value: left alone.",
        "The same call but for one argument: what is called is now looked up before the test, which may fail first.",
    ),
    needs="else",
    find=find,
    apply=apply,
    when_named=when_named,
)
