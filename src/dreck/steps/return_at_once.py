"""return-at-once: return a result where it is known instead of carrying it to the end in a variable."""

import ast
import itertools
from collections.abc import Iterable, Iterator
from typing import Any

import libcst as cst

from dreck.model.views.shape import Block, blocks, leaves
from dreck.source.functions import FunctionNode
from dreck.steps.catalogue import Options, Rewrite, Site, Step
from dreck.steps.trees import Stmt, Tree, Untouchable, comment_lines, has_comment, with_leading


def find(function: FunctionNode) -> Iterator[Site]:
    """Blocks that end in a compound statement that sets a variable, then `return` that variable."""
    for block in blocks(function):
        match block.body:
            case [*_, statement, ast.Return(value=ast.Name(id=name))]:
                count = _tails(statement, name)
                if not count or _is_shared(function, name):
                    continue
                if count > 1 or _goes_away(function, block, name, count):
                    place = "one place" if count == 1 else f"{count} places"
                    yield Site(
                        block.path,
                        len(block.body) - 2,
                        statement.lineno,
                        f"`{name}` is known in {place} before the end: returned there at once",
                        name,
                    )


def _is_shared(function: FunctionNode, name: str) -> bool:
    """Whether the variable is more than a local of this function."""
    return any(isinstance(n, ast.Global | ast.Nonlocal) and name in n.names for n in ast.walk(function))


def _goes_away(function: FunctionNode, block: Block, name: str, count: int) -> bool:
    """Whether the variable disappears: all that is left of it is a constant it began with."""
    return _initial(block.body, name, function) is not None and _stores(function, name) == count + 1


def _tails(s: ast.stmt, name: str) -> int:
    """How often running `s` ends with an assignment to `name`."""
    match s:
        case ast.If():
            return _tail(s.body, name) + _tail(s.orelse, name)
        case ast.With() | ast.AsyncWith():
            return _tail(s.body, name)
        case ast.Try(finalbody=[]):
            main = _tail(s.orelse or s.body, name)
            return main + sum(_tail(handler.body, name) for handler in s.handlers)
        case ast.Match():
            return sum(_tail(case.body, name) for case in s.cases)
        case ast.For() | ast.AsyncFor() | ast.While():
            return sum(_break_pairs(body, name) for body in _loop_blocks(s.body)) + _tail(s.orelse, name)
    return 0


def _tail(body: list[ast.stmt], name: str) -> int:
    if not body:
        return 0
    return 1 if _assigns(body[-1], name) else _tails(body[-1], name)


def _assigns(s: ast.stmt, name: str) -> bool:
    match s:
        case ast.Assign(targets=[ast.Name(id=found)]):
            return found == name
        case ast.AnnAssign(target=ast.Name(id=found), value=ast.expr()):
            return found == name
    return False


def _loop_blocks(body: list[ast.stmt]) -> Iterator[list[ast.stmt]]:
    """Blocks whose `break` leaves this loop."""
    yield body
    for s in body:
        match s:
            case ast.If():
                yield from _loop_blocks(s.body)
                yield from _loop_blocks(s.orelse)
            case ast.With():
                yield from _loop_blocks(s.body)


def _break_pairs(body: list[ast.stmt], name: str) -> int:
    pairs = itertools.pairwise(body)
    return sum(_assigns(a, name) and isinstance(b, ast.Break) for a, b in pairs)


def _stores(function: FunctionNode, name: str) -> int:
    return sum(isinstance(n, ast.Name) and n.id == name and isinstance(n.ctx, ast.Store) for n in ast.walk(function))


def _loads(function: FunctionNode, name: str) -> int:
    return sum(
        isinstance(n, ast.Name) and n.id == name and not isinstance(n.ctx, ast.Store) for n in ast.walk(function)
    )


def _initial(body: list[ast.stmt], name: str, function: FunctionNode) -> tuple[int, ast.expr] | None:
    """The constant `name` begins with in this block, when nothing else reads it than the final return."""
    if _loads(function, name) != 1:
        return None
    for index, s in enumerate(body[:-2]):
        if _assigns(s, name):
            value = _value(s)
            return (index, value) if _is_constant(value) else None
    return None


def _value(assignment: ast.stmt) -> ast.expr:
    assert isinstance(assignment, ast.Assign | ast.AnnAssign)
    assert assignment.value is not None
    return assignment.value


def _is_constant(value: ast.expr) -> bool:
    match value:
        case ast.Constant():
            return True
        case ast.UnaryOp(op=ast.USub(), operand=ast.Constant()):
            return True
        case ast.Tuple(elts=elts):
            return all(_is_constant(e) for e in elts)
    return False


# --- carrying it out -----------------------------------------------------------------------------------


def apply(tree: Tree, site: Site, options: Options) -> Iterable[Rewrite]:
    """Assignments at the ends become returns; what is left of the variable goes when nothing needs it."""
    name = site.kind
    made = tree.edit(site.path, lambda block: _returning(block, site.index, name))
    cleaned = _cleaned(made, site, name)
    if cleaned is not None:
        yield Rewrite(cleaned)
    yield Rewrite(made)


def _returning(block: cst.IndentedBlock, index: int, name: str) -> cst.IndentedBlock:
    statement = _with_returns(block.body[index], name)
    final = block.body[index + 1]
    assert isinstance(final, cst.SimpleStatementLine)
    kept = [final]
    footer = list(block.footer)
    if _never_ends(statement):
        kept = []
        if has_comment(final.leading_lines) or final.trailing_whitespace.comment is not None:
            footer = [*final.leading_lines, *comment_lines(final.trailing_whitespace), *footer]
    return block.with_changes(body=[*block.body[:index], statement, *kept], footer=footer)


def _never_ends(statement: Stmt) -> bool:
    bare = statement.with_changes(leading_lines=[])
    parsed: Any = ast.parse(_in_function(cst.Module(body=[bare]).code))
    return leaves(parsed.body[0].body[0].body)


def _in_function(code: str) -> str:
    lines = "".join(f"   {line}" for line in code.splitlines(keepends=True))
    return f"async def f():\n while True:\n{lines}"


def _with_returns(s: Stmt, name: str) -> Stmt:
    match s:
        case cst.If():
            return s.with_changes(body=_ending(s.body, name), orelse=_else_with_returns(s.orelse, name))
        case cst.With():
            return s.with_changes(body=_ending(s.body, name))
        case cst.Try():
            return _try_with_returns(s, name)
        case cst.Match():
            return s.with_changes(cases=[c.with_changes(body=_ending(c.body, name)) for c in s.cases])
        case cst.For() | cst.While():
            orelse = s.orelse and s.orelse.with_changes(body=_ending(s.orelse.body, name))
            return s.with_changes(body=_breaking(s.body, name), orelse=orelse)
    return s


def _else_with_returns(orelse: cst.If | cst.Else | None, name: str) -> cst.If | cst.Else | None:
    match orelse:
        case cst.If():
            arm: cst.If = _with_returns(orelse, name)
            return arm
        case cst.Else():
            return orelse.with_changes(body=_ending(orelse.body, name))
    return None


def _try_with_returns(s: cst.Try, name: str) -> cst.Try:
    if s.finalbody is not None:
        return s
    handlers = [h.with_changes(body=_ending(h.body, name)) for h in s.handlers]
    if s.orelse is not None:
        return s.with_changes(orelse=s.orelse.with_changes(body=_ending(s.orelse.body, name)), handlers=handlers)
    return s.with_changes(body=_ending(s.body, name), handlers=handlers)


def _ending(suite: cst.BaseSuite, name: str) -> cst.BaseSuite:
    """A suite whose last statement returns instead of assigning."""
    if isinstance(suite, cst.SimpleStatementSuite):
        made = _as_return(suite.body[-1], name)
        return suite if made is None else suite.with_changes(body=[*suite.body[:-1], made])
    assert isinstance(suite, cst.IndentedBlock)
    last = suite.body[-1]
    if isinstance(last, cst.SimpleStatementLine):
        made = _as_return(last.body[-1], name)
        if made is None:
            return suite
        last = last.with_changes(body=[*last.body[:-1], made])
    elif _sets_before(suite, name):
        # What was set first holds unless a later test says otherwise: this arm returns at its own end.
        return suite.with_changes(body=[*suite.body, _return_of(name)])
    else:
        last = _with_returns(last, name)
    return suite.with_changes(body=[*suite.body[:-1], last])


def _sets_before(suite: cst.IndentedBlock, name: str) -> bool:
    """Whether a plain line of this arm sets the variable before its last statement, an `if` without else, does."""
    last = suite.body[-1]
    if not isinstance(last, cst.If) or last.orelse is not None:
        return False
    lines = [s for s in suite.body[:-1] if isinstance(s, cst.SimpleStatementLine)]
    return any(_as_return(small, name) is not None for line in lines for small in line.body)


def _return_of(name: str) -> cst.SimpleStatementLine:
    return cst.SimpleStatementLine(body=[cst.Return(cst.Name(name))])


def _as_return(s: cst.BaseSmallStatement, name: str) -> cst.Return | None:
    match s:
        case cst.Assign(targets=[cst.AssignTarget(target=cst.Name(value=found))], value=value) if found == name:
            pass
        case cst.AnnAssign(target=cst.Name(value=found), value=cst.BaseExpression() as value) if found == name:
            pass
        case _:
            return None
    if isinstance(value, cst.Yield | cst.StarredElement):
        raise Untouchable("the value is a yield")
    return cst.Return(value=value, semicolon=s.semicolon)


def _breaking(suite: cst.BaseSuite, name: str) -> cst.BaseSuite:
    """In a loop's body: an assignment followed by `break` returns."""
    if not isinstance(suite, cst.IndentedBlock):
        return suite
    body: list[Stmt] = []
    for s in suite.body:
        before = body[-1] if body else None
        made = _pair_as_return(before, s, name)
        if made is not None:
            body[-1] = made
            continue
        body.append(_inside_loop(s, name))
    return suite.with_changes(body=body)


def _inside_loop(s: Stmt, name: str) -> Stmt:
    match s:
        case cst.If():
            orelse = s.orelse
            match orelse:
                case cst.If():
                    orelse = _inside_loop(orelse, name)
                case cst.Else():
                    orelse = orelse.with_changes(body=_breaking(orelse.body, name))
            return s.with_changes(body=_breaking(s.body, name), orelse=orelse)
        case cst.With():
            return s.with_changes(body=_breaking(s.body, name))
    return s


def _pair_as_return(before: Stmt | None, s: Stmt, name: str) -> Stmt | None:
    match before, s:
        case cst.SimpleStatementLine(body=[assign]), cst.SimpleStatementLine(body=[cst.Break()]):
            made = _as_return(assign, name)
            if made is None:
                return None
            comment = s.trailing_whitespace.comment
            lines = [line for line in s.leading_lines if line.comment is not None]
            if comment is not None:
                lines.append(cst.EmptyLine(comment=comment))
            return before.with_changes(leading_lines=[*before.leading_lines, *lines], body=[made])
    return None


def _cleaned(tree: Tree, site: Site, name: str) -> Tree | None:
    """The variable's first value returned as it is, when that is all that is left of the variable."""
    function = _parsed(tree)
    block = next((b for b in blocks(function) if b.path == site.path), None)
    if block is None:
        return None
    left = _stores(function, name)
    if left != 1:
        return None
    reads = _loads(function, name)
    where = next((i for i, s in enumerate(block.body) if _assigns(s, name)), None)
    if where is None or reads > 1 or not _is_constant(_value(block.body[where])):
        return None
    if reads == 1 and not isinstance(block.body[-1], ast.Return):
        return None
    return tree.edit(site.path, lambda b: _without_variable(b, where, bool(reads)))


def _parsed(tree: Tree) -> FunctionNode:
    module: ast.AST = ast.parse(tree.module.code)
    for node in ast.walk(module):
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
            return node
    raise Untouchable("no function stands there")


def _without_variable(block: cst.IndentedBlock, where: int, still_returned: bool) -> cst.IndentedBlock:
    first: Stmt = block.body[where]
    value = first.body[0].value
    body = list(block.body)
    if still_returned:
        final = body[-1]
        assert isinstance(final, cst.SimpleStatementLine)
        returned = final.body[0].with_changes(value=value)
        body[-1] = final.with_changes(body=[returned])
    following = body[where + 1]
    comment = first.trailing_whitespace.comment
    own = [cst.EmptyLine(comment=comment)] if comment else []
    lines = [*first.leading_lines, *own, *_after_blank(first, own, following)]
    body[where + 1] = with_leading(following, lines)
    del body[where]
    return block.with_changes(body=body)


def _after_blank(first: cst.SimpleStatementLine, own: list[cst.EmptyLine], following: Stmt) -> list[cst.EmptyLine]:
    """The lines above what follows; no blank line is left where the variable stood alone at the top."""
    lines = list(following.leading_lines)
    while not own and not first.leading_lines and lines and lines[0].comment is None:
        lines.pop(0)
    return lines


STEP = Step(
    name="return-at-once",
    group="flatten",
    order=40,
    summary="Return a result where it is known, instead of carrying it to the end in a variable.",
    why="A reader who has found the case they look for is done; nothing further down can change the answer.",
    when_not="When something still happens to the result before it is returned, such as rounding or logging.",
    before="""\
def band(kilos):
    result = "light"
    if kilos > 500:
        if kilos > 5000:
            result = "heavy"
        else:
            result = "medium"
    return result
""",
    after="""\
def band(kilos):
    if kilos > 500:
        if kilos > 5000:
            return "heavy"
        else:
            return "medium"
    return "light"
""",
    traps=(
        "In `try ... finally` a later assignment in `finally` would be lost.",
        "In `with`, an exception may be swallowed and the code after it runs with the old value.",
        "In a loop, `result = x` without `break` goes on to the next round.",
        "A variable that a nested function or `global` shares is more than a result.",
    ),
    find=find,
    apply=apply,
)
