"""shared-term: a repeated sub-expression becomes a variable, where its value cannot have changed in between."""

import ast
import shlex
from collections.abc import Iterator

from dreck.source.walking import walk
from dreck.steps.catalogue import Step
from dreck.steps.naming.predicates import conditions, first_line, own_expressions, statements, why_not
from dreck.steps.support.names.wording import is_free
from dreck.steps.support.names.words import thing_name, words_of
from dreck.steps.support.scene import NotPlanned, Plan, Scene
from dreck.steps.support.sheet import Sheet

_ENOUGH = 3


def plans(scene: Scene) -> Iterator[Plan | NotPlanned]:
    """Expressions that stand three times or more, sums twice, one of them in a test: the longest first."""
    found: dict[str, list[ast.expr]] = {}
    for s in statements(scene.node.body):
        for top in own_expressions(s):
            for e in _outermost(top, scene):
                found.setdefault(ast.dump(e), []).append(e)
    tested = {ast.dump(n) for c in conditions(scene.node) for n in walk(c.test)}
    enough = {dump: es for dump, es in found.items() if len(es) >= _least(scene, es[0])}
    repeated = [es for dump, es in enough.items() if dump in tested or scene.wishes.name_for(ast.unparse(es[0]))]
    for places in sorted(repeated, key=lambda es: -len(ast.unparse(es[0])) * len(es)):
        yield from _planned(scene, places)
    if not repeated:
        yield from _conditions_again(scene)
        yield from _not_asked(list(enough.values()))


def _not_asked(repeated: list[list[ast.expr]]) -> Iterator[NotPlanned]:
    """What is repeated most, and in no test: it takes the name that a person gives it."""
    most = max(repeated, key=lambda es: len(ast.unparse(es[0])) * len(es), default=[])
    if most and not why_not(most[0]):
        code = ast.unparse(most[0])
        told = f"`{code}` stands {len(most)} times, but no test asks it"
        yield NotPlanned(most[0].lineno, f"{told}; --name {shlex.quote(f'{code}=NAME')} names it anyway")


def _conditions_again(scene: Scene) -> Iterator[NotPlanned]:
    """A repeated condition wants a name that says why it is asked: another step's job."""
    found: dict[str, list[ast.expr]] = {}
    for n in walk(scene.node):
        if isinstance(n, ast.BoolOp) or (isinstance(n, ast.Compare) and not isinstance(n.ops[0], ast.Is | ast.IsNot)):
            found.setdefault(ast.dump(n), []).append(n)
    repeated = [(first, len(others) + 1) for first, *others in found.values() if others]
    inside = {id(part) for first, _ in repeated for part in walk(first) if part is not first}
    for first, times in repeated:
        if id(first) in inside:
            continue
        code = ast.unparse(first)
        asked, told = shlex.quote(f"{code}=NAME"), f"`{code}` stands {times} times, and is a condition"
        if isinstance(first, ast.Compare):
            yield NotPlanned(first.lineno, f"{told}: --name {asked} makes it a variable")
        else:
            yield NotPlanned(first.lineno, f"{told}: --step named-predicate names it, with --name {asked}")


def _least(scene: Scene, e: ast.expr) -> int:
    """How often it has to stand there: twice what is worked out, or what a person has a name for."""
    return 2 if isinstance(e, ast.BinOp) or scene.wishes.name_for(ast.unparse(e)) else _ENOUGH


def _outermost(top: ast.expr, scene: Scene) -> Iterator[ast.expr]:
    """Sub-expressions that have a value worth keeping, comparisons where a person names them. Lambdas and
    comprehensions are evaluated later."""
    pending: list[ast.AST] = [top]
    while pending:
        node = pending.pop()
        if isinstance(node, ast.Lambda | ast.GeneratorExp | ast.ListComp | ast.SetComp | ast.DictComp):
            continue
        wished = isinstance(node, ast.Compare) and scene.wishes.name_for(ast.unparse(node))
        if isinstance(node, ast.expr) and (wished or _is_worth_it(node)):
            yield node
        pending += list(ast.iter_child_nodes(node))


def _is_worth_it(e: ast.expr) -> bool:
    match e:
        case ast.Attribute(value=ast.Attribute(), ctx=ast.Load()):
            return True
        case ast.Subscript(slice=ast.Constant() | ast.Name() | ast.Attribute(), ctx=ast.Load()):
            return True
        case ast.BinOp():
            return any(isinstance(n, ast.Name) for n in walk(e))
        case ast.Call(func=ast.Name(id="len"), args=[_]):
            return True
    return False


def _planned(scene: Scene, places: list[ast.expr]) -> Iterator[Plan | NotPlanned]:
    line = min(e.lineno for e in places)
    if why_not(places[0]):
        return
    code = ast.unparse(places[0])
    name = scene.wishes.name_for(code) or _name(scene, places[0])
    if not name:
        yield NotPlanned(line, f"`{code}` stands {len(places)} times, and no name was found; give one with --name")
        return
    sheet = scene.sheet()
    block = _common_block(scene.node.body, places)
    first = next(s for s in block if _holds_any(s, places))
    within = [e for e in places if _stands_in(block, e)]
    if len(sheet.indent(first.lineno).encode()) != first.col_offset or sheet.line(first.lineno).lstrip().startswith(
        "elif"
    ):
        return
    indent = sheet.indent(first.lineno)
    sheet.insert(first_line(first), f"{indent}{name} = {sheet.code(within[0])}\n")
    bounds = {id(bound) for bound in _put_into_slices(scene, sheet, within, name)}
    for e in within:
        if id(e) not in bounds:
            sheet.replace(sheet.in_parentheses(e), name)
    yield Plan(line, f"`{code}`, {len(within)} times, is called {name}", sheet.result(), (name,))


def _put_into_slices(scene: Scene, sheet: Sheet, places: list[ast.expr], name: str) -> list[ast.expr]:
    """Bounds of slices that the name takes the place of: between plain ones nobody writes blanks, `text[i:end]`."""
    put: list[ast.expr] = []
    wanted = {id(e) for e in places}
    for s in walk(scene.node):
        if not isinstance(s, ast.Slice) or s.step is not None or s.lineno != s.end_lineno:
            continue
        ends = [s.lower, s.upper]
        mine = [e for e in ends if e is not None and id(e) in wanted]
        if mine and all(e is None or isinstance(e, ast.Name | ast.Constant) or e in mine for e in ends):
            told = ["" if e is None else name if e in mine else sheet.code(e) for e in ends]
            sheet.replace(s, ":".join(told))
            put += mine
    return put


def _name(scene: Scene, e: ast.expr) -> str:
    taken = scene.all_words()
    words = words_of(thing_name(e))
    tries = ["_".join(words)] if words else []
    match e:
        case ast.BinOp(op=ast.Add() | ast.Sub(), right=ast.Constant()):
            tries += _beside(scene, e)
        case ast.BinOp(op=ast.Sub()):
            tries.append("difference")
        case ast.BinOp(op=ast.Add()):
            tries.append("total")
        case ast.BinOp(op=ast.Mod()):
            tries.append("remainder")
        case ast.BinOp(op=ast.FloorDiv()):
            tries.append("quotient")
        case ast.Attribute(value=ast.Attribute(attr=owner), attr=attr):
            tries.append("_".join([*words_of(owner.strip("_")), *words_of(attr)]))
        case ast.Subscript(value=ast.Name(id=owner), slice=ast.Constant(value=str() as key)) if key.isidentifier():
            tries.append("_".join([*words_of(owner.strip("_")), *words_of(key)]))
    own = scene.scope.local | scene.scope.declared_global | scene.scope.declared_nonlocal
    for name in tries:
        if name.isidentifier() and name not in own and (is_free(name, taken) or _is_attribute_only(scene, name)):
            return name
    return ""


def _beside(scene: Scene, e: ast.BinOp) -> Iterator[str]:
    """`i + 3` is where a slice ends or begins, `i + 1` what comes next, `len(xs) - 1` the last; all else is for a
    person to name."""
    match e:
        case ast.BinOp(left=ast.Call(func=ast.Name(id="len")), op=ast.Sub(), right=ast.Constant(value=1)):
            yield "last"
    bounds = [s for s in walk(scene.node) if isinstance(s, ast.Slice)]
    for field, name in (("upper", "end"), ("lower", "start")):
        asked = (getattr(s, field) for s in bounds)
        if any(bound is not None and ast.dump(bound) == ast.dump(e) for bound in asked):
            yield name
    match e:
        case ast.BinOp(left=ast.Name(id=of), op=op, right=ast.Constant(value=1)) if of in _COUNTED:
            yield f"{'next' if isinstance(op, ast.Add) else 'previous'}_{of}"


_COUNTED = frozenset(
    {"i", "j", "k", "index", "idx", "pos", "position", "offset", "line", "lineno", "row", "col", "column", "page",
     "level", "depth", "number", "year", "month", "day", "week", "hour", "round", "step"}
)  # fmt: skip
"""What is gone through one by one."""


def _is_attribute_only(scene: Scene, name: str) -> bool:
    """A word that only stands behind dots is free as a variable."""
    used = {n.id for n in walk(scene.tree) if isinstance(n, ast.Name)}
    return name not in used and is_free(name, used)


def _common_block(body: list[ast.stmt], places: list[ast.expr]) -> list[ast.stmt]:
    """The innermost block all places stand in."""
    holding = [s for s in body if _holds_any(s, places)]
    if len(holding) == 1:
        for inner in _blocks(holding[0]):
            if all(_stands_in(inner, e) for e in places):
                return _common_block(inner, places)
    return body


def _blocks(s: ast.stmt) -> Iterator[list[ast.stmt]]:
    from dreck.source.functions import blocks_of

    if not isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
        yield from blocks_of(s)


def _holds_any(s: ast.stmt, places: list[ast.expr]) -> bool:
    inside = set(walk(s))
    return any(e in inside for e in places)


def _stands_in(block: list[ast.stmt], e: ast.expr) -> bool:
    return any(e in set(walk(s)) for s in block)


STEP = Step(
    name="shared-term",
    group="name",
    order=125,
    summary="A repeated sub-expression becomes a variable.",
    why="It is worked out once, has a name, and the tests get short.",
    when_not="When its value may change between the places, or an earlier test protects it.",
    before="""\
def toll(load, scale):
    if load.gross - load.tare > 900:
        return 12
    if load.gross - load.tare > 400:
        return (load.gross - load.tare) // 100
    return 0
""",
    after="""\
def toll(load, scale):
    difference = load.gross - load.tare
    if difference > 900:
        return 12
    if difference > 400:
        return difference // 100
    return 0
""",
    traps=(
        "A write or a call in between may change the value.",
        "An operand that `and` protects would be worked out always.",
    ),
    plans=plans,
    asks=("quiet-tests",),
    by_default=False,
)
