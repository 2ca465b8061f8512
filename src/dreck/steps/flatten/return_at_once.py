"""return-at-once: return a result where it is known instead of carrying it to the end in a variable."""

from __future__ import annotations

import ast
import itertools
from collections.abc import Iterable, Iterator
from typing import Any

from dreck.model.views.once import counted
from dreck.model.views.shape import Block, blocks, leaves
from dreck.source.functions import FunctionNode
from dreck.source.lossless import cst
from dreck.source.walking import walk
from dreck.steps.catalogue import Options, Rewrite, Site, Step
from dreck.steps.flatten.returning import as_return, with_returns
from dreck.steps.support.trees import BetterNot, Stmt, Tree, Untouchable, has_comment, with_leading


def find(function: FunctionNode) -> Iterator[Site]:
    """Blocks that end in a compound statement that sets a variable, then `return` that variable."""
    for block in blocks(function):
        default = _default(function, block) or _never_read(function, block)
        if default is not None:
            yield default
            continue
        match block.body:
            case [*_, statement, ast.Return(value=ast.Name(id=name))]:
                count = _tails(statement, name)
                if not count or _is_shared(function, name) or _says_its_type(function, name):
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


def _default(function: FunctionNode, block: Block) -> Site | None:
    """A constant that is set first and returned last, when every other way has left before."""
    match block.body:
        case [_, _, *_, ast.Return(value=ast.Name(id=name)) as final]:
            if _initial(block.body, name, function) is None or counted(function).returns < 2:
                return None
            if _stores(function, name) == 1 and not _is_shared(function, name):
                reason = f"`{name}` is never anything else: returned as it is"
                return Site(block.path, len(block.body) - 1, final.lineno, reason, f"default {name}", finishes=True)
    return None


def _never_read(function: FunctionNode, block: Block) -> Site | None:
    """A variable that is given nothing but constants, and is read once: where it is returned, behind the last."""
    match block.body:
        case [*before, last, ast.Return(value=ast.Name(id=name)) as final] if _assigns(last, name):
            given = [s for s in (*before, last) if _assigns(s, name)]
            plain = all(_is_constant(_value(s)) for s in given)
            only = len(given) > 1 and counted(function).loads[name] == 1 and _stores(function, name) == len(given)
            if plain and only and not _is_shared(function, name):
                reason = f"`{name}` is not asked for what it was before: its last value is returned"
                return Site(block.path, len(block.body) - 1, final.lineno, reason, f"constants {name}", finishes=True)
    return None


def _is_shared(function: FunctionNode, name: str) -> bool:
    """Whether the variable is more than a local of this function."""
    return name in counted(function).declared


def _says_its_type(function: FunctionNode, name: str) -> bool:
    """Whether an annotation tells of a value what it does not tell itself: `made: Error = kind(*args)`."""
    for n in walk(function):
        match n:
            case ast.AnnAssign(target=ast.Name(id=found), value=ast.expr() as value) if found == name:
                if not _is_constant(value):
                    return True
    return False


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
    if type(s) not in (ast.Assign, ast.AnnAssign):
        return False
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
    return counted(function).stores[name]


def _initial(body: list[ast.stmt], name: str, function: FunctionNode) -> tuple[int, ast.expr] | None:
    """The constant `name` begins with in this block, when nothing else reads it than the final return."""
    for index, s in enumerate(body[:-2]):
        if _assigns(s, name):
            value = _value(s)
            known = _is_constant(value) and counted(function).loads[name] == 1
            return (index, value) if known else None
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
    default, _, name = site.kind.rpartition(" ")
    if default == "constants":
        yield Rewrite(tree.edit(site.path, lambda block: _with_last(block, name)))
        return
    if default:
        first: Stmt = next(s for s in tree.block(site.path).body if _sets(s, name))
        if first.trailing_whitespace.comment is not None or has_comment(first.leading_lines):
            raise BetterNot("a comment speaks of the default where it is set")
        cleaned = _cleaned(tree, site, name)
        if cleaned is not None:
            yield Rewrite(cleaned)
        return
    made = tree.edit(site.path, lambda block: _returning(block, site.index, name))
    cleaned = _cleaned(made, site, name)
    if cleaned is not None:
        yield Rewrite(cleaned)
    yield Rewrite(made)


def _with_last(block: cst.IndentedBlock, name: str) -> cst.IndentedBlock:
    """A block that returns the last of the constants a variable is given, without the variable."""
    *kept, final = block.body
    last: Stmt = kept[-1]
    body: list[Stmt] = []
    gone: Stmt | None = None
    for s in (*kept, final):
        moved: Stmt = s if gone is None else with_leading(s, [*gone.leading_lines, *_after_blank(gone, s)])
        gone = moved if _sets(moved, name) else None
        if gone is None:
            body.append(moved)
        elif len(gone.body) > 1 or gone.trailing_whitespace.comment is not None:
            raise BetterNot(f"something else stands beside what `{name}` is set to")
    returned = body[-1].body[0].with_changes(value=last.body[0].value)
    return block.with_changes(body=[*body[:-1], body[-1].with_changes(body=[returned])])


def _sets(s: Stmt, name: str) -> bool:
    return isinstance(s, cst.SimpleStatementLine) and as_return(s.body[-1], name) is not None


def _returning(block: cst.IndentedBlock, index: int, name: str) -> cst.IndentedBlock:
    statement = with_returns(block.body[index], name)
    final = block.body[index + 1]
    assert isinstance(final, cst.SimpleStatementLine)
    kept = [final]
    if _never_ends(statement):
        kept = []
        if has_comment(final.leading_lines) or final.trailing_whitespace.comment is not None:
            raise BetterNot(f"a comment speaks of `{name}` where it is returned: no line would be left for it")
    return block.with_changes(body=[*block.body[:index], statement, *kept])


def _never_ends(statement: Stmt) -> bool:
    bare = statement.with_changes(leading_lines=[])
    parsed: Any = ast.parse(_in_function(cst.Module(body=[bare]).code))
    body = parsed.body[0].body[0].body
    return leaves(body) or _goes_round_for_ever(body[-1])


def _goes_round_for_ever(s: ast.stmt) -> bool:
    """`while True:` that nothing breaks."""
    match s:
        case ast.While(test=ast.Constant(value=True), body=body):
            return not any(isinstance(n, ast.Break) for block in _loop_blocks(body) for b in block for n in _own(b))
    return False


def _own(s: ast.stmt) -> Iterator[ast.AST]:
    """What stands in a statement, loops inside of it left out."""
    if not isinstance(s, ast.For | ast.AsyncFor | ast.While | ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
        yield s
        for child in ast.iter_child_nodes(s):
            yield from _own(child)  # type: ignore[arg-type]
    else:
        yield from (n for part in getattr(s, "orelse", []) for n in _own(part))


def _in_function(code: str) -> str:
    lines = "".join(f"   {line}" for line in code.splitlines(keepends=True))
    return f"async def f():\n while True:\n{lines}"


def _cleaned(tree: Tree, site: Site, name: str) -> Tree | None:
    """The variable's first value returned as it is, when that is all that is left of the variable."""
    function = _parsed(tree)
    block = next((b for b in blocks(function) if b.path == site.path), None)
    if block is None:
        return None
    left = _stores(function, name)
    if left != 1:
        return None
    reads = counted(function).loads[name]
    where = next((i for i, s in enumerate(block.body) if _assigns(s, name)), None)
    if where is None or reads > 1 or not _is_constant(_value(block.body[where])):
        return None
    if reads == 1 and not isinstance(block.body[-1], ast.Return):
        return None
    return tree.edit(site.path, lambda b: _without_variable(b, where, bool(reads)))


def _parsed(tree: Tree) -> FunctionNode:
    module: ast.AST = ast.parse(tree.module.code)
    for node in walk(module):
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
        beside = _beside(first, final)
        body[-1] = final.with_changes(body=[returned], trailing_whitespace=beside)
    elif first.trailing_whitespace.comment is not None:
        raise BetterNot("a comment speaks of the variable where it is set")
    following = body[where + 1]
    body[where + 1] = with_leading(following, [*first.leading_lines, *_after_blank(first, following)])
    del body[where]
    return block.with_changes(body=body)


def _beside(first: cst.SimpleStatementLine, final: cst.SimpleStatementLine) -> cst.TrailingWhitespace:
    """What is said beside the value where it is set goes with it to where it is returned."""
    if first.trailing_whitespace.comment is None:
        return final.trailing_whitespace
    if final.trailing_whitespace.comment is not None:
        raise BetterNot("comments stand beside the value where it is set and where it is returned")
    return first.trailing_whitespace


def _after_blank(first: cst.SimpleStatementLine, following: Stmt) -> list[cst.EmptyLine]:
    """The lines above what follows; no blank line is left where the variable stood alone at the top."""
    lines = list(following.leading_lines)
    while not first.leading_lines and lines and lines[0].comment is None:
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
