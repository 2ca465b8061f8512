"""Predicates: a condition taken out of its place, with what it reads, and the places that ask the same."""

import ast
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from dreck.model.names.type_parameters import names_of
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk
from dreck.steps.support.generics import speaks_of, with_parameters
from dreck.steps.support.raw import as_text
from dreck.steps.support.scene import Scene
from dreck.steps.support.sheet import Range, Sheet
from dreck.steps.support.trees import Untouchable

TESTS = ("if", "elif", "while", "choice", "assert", "filter")


@dataclass(frozen=True, slots=True)
class Condition:
    """A condition where it stands: its role, the statement it is in, what runs when it holds."""

    test: ast.expr
    role: str
    statement: ast.stmt
    branch: list[ast.stmt] | None = None

    @property
    def is_test(self) -> bool:
        return self.role in TESTS


def conditions(function: FunctionNode) -> Iterator[Condition]:
    """Every condition of a function in the order it stands; nested functions have their own."""
    for s in statements(function.body):
        yield from _in_statement(s)


def with_parts(scene: Scene) -> Iterator[Condition]:
    """Every condition, and every part of one."""
    for condition in conditions(scene.node):
        yield condition
        for node in walk(condition.test):
            if isinstance(node, ast.expr) and node is not condition.test:
                yield Condition(node, "part", condition.statement)
            if isinstance(node, ast.BoolOp):
                yield from (Condition(run, "part", condition.statement) for run in _in_a_row(node))


def _in_a_row(test: ast.BoolOp) -> Iterator[ast.BoolOp]:
    """Two operands or more that follow one another, fewer than all."""
    count = len(test.values)
    for size in range(2, count):
        for at in range(count - size + 1):
            yield together(test, test.values[at : at + size])


def together(test: ast.BoolOp, run: list[ast.expr]) -> ast.BoolOp:
    both = ast.copy_location(ast.BoolOp(test.op, run), run[0])
    both.end_lineno, both.end_col_offset = run[-1].end_lineno, run[-1].end_col_offset
    return both


def statements(body: Sequence[ast.stmt]) -> Iterator[ast.stmt]:
    """Every statement in a block and in the blocks inside it, nested functions and classes left out."""
    for s in body:
        yield s
        if isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
            continue
        for child in ast.iter_child_nodes(s):
            if isinstance(child, ast.stmt):
                yield from statements([child])
            elif isinstance(child, ast.ExceptHandler | ast.match_case):
                yield from statements(child.body)


def _in_statement(s: ast.stmt) -> Iterator[Condition]:
    match s:
        case ast.If(test=test, body=body):
            yield Condition(test, "if", s, body)
        case ast.While(test=test, body=body):
            yield Condition(test, "while", s, body)
        case ast.Assert(test=test):
            yield Condition(test, "assert", s)
        case ast.Return(value=ast.BoolOp() as value) | ast.Assign(value=ast.BoolOp() as value):
            yield Condition(value, "value", s)
    for e in own_expressions(s):
        for node in walk(e):
            match node:
                case ast.IfExp(test=test):
                    yield Condition(test, "choice", s)
                case ast.comprehension(ifs=ifs):
                    yield from (Condition(test, "filter", s) for test in ifs)


def own_expressions(s: ast.stmt) -> Iterator[ast.expr]:
    """The expressions of a statement itself, those of the statements inside it left out."""
    if isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
        return
    for child in ast.iter_child_nodes(s):
        if isinstance(child, ast.expr):
            yield child
        elif isinstance(child, ast.withitem):
            yield child.context_expr


def elif_arms(function: FunctionNode, sheet: Sheet) -> set[ast.stmt]:
    """The `if` statements of a function that are written `elif`."""
    found: set[ast.stmt] = set()
    for s in statements(function.body):
        if isinstance(s, ast.If) and len(s.orelse) == 1 and isinstance(s.orelse[0], ast.If):
            arm = s.orelse[0]
            if sheet.text.startswith("elif", sheet.line_start(arm.lineno) + len(sheet.indent(arm.lineno))):
                found.add(arm)
    return found


# --- what a condition reads ----------------------------------------------------------------------------


def locals_read(scene: Scene, e: ast.AST, function: FunctionNode | None = None) -> list[str]:
    """Names in `e` that only the function knows, in the order they stand; names it binds itself are left out."""
    from dreck.model.names.scopes import names_bound_inside, scope_of

    own = scope_of(function or scene.node)
    bound = names_bound_inside(e)
    found: list[str] = []
    for node in sorted((n for n in walk(e) if isinstance(n, ast.Name)), key=lambda n: (n.lineno, n.col_offset)):
        name = node.id
        known = name in own.local or name in own.declared_nonlocal or scene.names.kind(name) == "unknown"
        if known and name not in bound and name not in found:
            found.append(name)
    return found


def why_not(e: ast.AST) -> str:
    """Why a condition cannot stand anywhere else; '' when it can."""
    for node in walk(e):
        match node:
            case ast.NamedExpr():
                return "it binds a name (`:=`) that is used after it"
            case ast.Yield() | ast.YieldFrom():
                return "it yields"
            case ast.Call(func=ast.Name(id="super" | "locals" | "vars" | "eval" | "exec" | "dir" as name)):
                return f"it calls {name}(), which depends on the function it stands in"
            case ast.Name(id="__class__"):
                return "it names __class__, which depends on the function it stands in"
    return ""


def has_private(e: ast.AST) -> bool:
    """Whether it reads a name that a class mangles (`self.__x`)."""
    return any(isinstance(n, ast.Attribute) and n.attr.startswith("__") and not n.attr.endswith("__") for n in walk(e))


def awaits(e: ast.AST) -> bool:
    return any(isinstance(n, ast.Await) for n in walk(e))


def is_condition(e: ast.expr) -> bool:
    """Whether something is asked: no bare name, attribute, item or constant, whose name says what it is."""
    return not isinstance(e, ast.Name | ast.Attribute | ast.Constant | ast.Subscript)


def is_surely_bool(e: ast.expr) -> bool:
    match e:
        case ast.Compare() | ast.UnaryOp(op=ast.Not()):
            return True
        case ast.Constant(value=bool()):
            return True
        case ast.BoolOp(values=values):
            return all(map(is_surely_bool, values))
        case ast.Call(func=ast.Name(id="isinstance" | "bool" | "callable" | "all" | "any" | "hasattr")):
            return True
        case ast.Call(func=ast.Attribute(attr="startswith" | "endswith" | "isdigit" | "isupper" | "islower")):
            return True
    return False


# --- the same condition elsewhere ----------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Helper:
    """A function to be written: name, what its parameters are called, its body's lines, and how it stands."""

    name: str
    parameters: tuple[str, ...]
    body: tuple[str, ...]
    is_async: bool = False
    decorator: str = ""
    docstring: str = ""


def written(
    scene: Scene, helper: Helper, indent: str, unit: str, returns: str = "", home: FunctionNode | None = None
) -> str:
    """The helper's lines, typed as far as the function it comes from is."""
    told = annotations(scene, home, outside=not indent)
    parts = [f"{p}: {told[p]}" if p in told else p for p in helper.parameters]
    typed = any(p in told for p in helper.parameters) or (home or scene.node).returns is not None
    arrow = f" -> {returns}" if typed and returns and not speaks_of(returns, _unseen(scene, home)) else ""
    generic = with_parameters(" ".join([*parts, arrow]), _around(scene, home, outside=not indent))
    head = f"{'async ' if helper.is_async else ''}def {helper.name}{generic}("
    line = f"{indent}{head}{', '.join(parts)}){arrow}:"
    lines = [f"{indent}{told}" for told in helper.decorator.splitlines()]
    if len(line) <= scene.line_length:
        lines.append(line)
    else:
        lines += [f"{indent}{head}", *(f"{indent}{unit}{part}," for part in parts), f"{indent}){arrow}:"]
    if helper.docstring:
        lines.append(f'{indent}{unit}"""{helper.docstring}"""')
    return "".join(f"{line}\n" for line in lines) + as_text(helper.body, f"{indent}{unit}")


def annotations(scene: Scene, function: FunctionNode | None = None, outside: bool | None = None) -> dict[str, str]:
    """What is said of the parameters of a function, by their names, as it is written there.

    What speaks of type parameters is left out, but those that a new function can have, too: with `outside` also
    those of the class, for a function that stands outside of it.
    """
    spec = (function or scene.node).args
    every = [*spec.posonlyargs, *spec.args, *spec.kwonlyargs]
    told = {a.arg: _as_written(scene, a.annotation) for a in every if a.annotation is not None}
    unseen = _unseen(scene, function) if outside is not None else scene.names.type_parameters
    return {name: code for name, code in told.items() if not speaks_of(code, unseen)}


def _unseen(scene: Scene, function: FunctionNode | None) -> frozenset[str]:
    """Type parameters of the file that neither the function nor its class has."""
    return scene.names.type_parameters.difference(*map(names_of, _around(scene, function, outside=True)))


def _around(scene: Scene, function: FunctionNode | None, outside: bool) -> list[ast.AST]:
    return [*([scene.owner] if outside and scene.owner is not None else []), function or scene.node]


def _as_written(scene: Scene, annotation: ast.expr) -> str:
    told = ast.unparse(annotation)
    code = scene.sheet().code(annotation)
    return code if "\n" not in code and code.replace('"', "'") == told else told


def returned(
    sheet: Sheet, place: Range, test: ast.expr, room: int, indent: str, unit: str, prefix: str = "return "
) -> list[str]:
    """`return CONDITION`, over several lines where it is long or was written so; its comments stay."""
    code = sheet.code(place)
    if not any(mark in code for mark in ("#", '"""', "'''")):
        code = " ".join(line.strip() for line in code.splitlines())
        code = code.replace("( ", "(").replace(" )", ")") if sheet.code(place) != code else code
    if "\n" not in code and "#" not in code:
        bare = _unwrapped(code, test, sheet)
        if len(prefix) + len(bare) <= room or not isinstance(test, ast.BoolOp):
            return [f"{prefix}{bare}"]
        word = "and" if isinstance(test.op, ast.And) else "or"
        parts = [sheet.code(sheet.in_parentheses(value)) for value in test.values]
        return [f"{prefix}(", f"{unit}{parts[0]}", *(f"{unit}{word} {part}" for part in parts[1:]), ")"]
    lines = [line.rstrip("\r\n").removeprefix(indent) for line in code.splitlines()]
    if not lines[0].startswith("("):
        return [f"{prefix}(", f"{unit}{lines[0]}", *(_at_least(line, unit) for line in lines[1:]), ")"]
    return [f"{prefix}{lines[0]}", *lines[1:]]


def _at_least(line: str, unit: str) -> str:
    return line if line.startswith(unit) or not line.strip() else f"{unit}{line.lstrip()}"


def _unwrapped(code: str, test: ast.expr, sheet: Sheet) -> str:
    inner = sheet.code(test)
    return inner if code.startswith("(") and code.strip("() ") == inner.strip("() ") else code


def insertion_line(scene: Scene, called: int = 0) -> int:
    """The line a helper of the module goes before: below what uses it, or above where the house puts helpers there;
    where it is `called` in line, in front of those that are called later."""
    outer = scene.outermost
    if _helpers_stand_above(scene.tree) or any(map(_may_be_called_at_once, (outer, scene.node))):
        return _above_its_comments(scene, first_line(outer))
    return _below(scene, scene.tree.body, outer, called) + 1


def _may_be_called_at_once(s: ast.stmt) -> bool:
    """Whether a decorator that is not one of Python's own may call the function, or a method of the class, where it
    stands, helpers included."""
    if isinstance(s, ast.ClassDef):
        return any(map(_may_be_called_at_once, s.body))
    if not isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef):
        return False
    told = (ast.unparse(d.func if isinstance(d, ast.Call) else d).rpartition(".")[2] for d in s.decorator_list)
    return any(word not in _WAITING for word in told)


_WAITING = frozenset(
    {"lru_cache", "cache", "wraps", "contextmanager", "asynccontextmanager", "overload", "singledispatch", "final"}
    | {"override", "no_type_check", "register", "classmethod", "staticmethod", "property"}
    | {"setter", "deleter", "getter", "cached_property", "singledispatchmethod", "abstractmethod"}
)
"""Decorators after which a function is called no earlier than without them."""


def _above_its_comments(scene: Scene, line: int) -> int:
    """The first line of the comments that stand right above a statement of the module."""
    sheet = scene.sheet()
    while line > 1 and sheet.line(line - 1).startswith("#"):
        line -= 1
    return line


def first_line(s: ast.stmt) -> int:
    """The line a statement begins at, its decorators included."""
    decorators: list[ast.expr] = getattr(s, "decorator_list", [])
    return min([s.lineno, *(d.lineno for d in decorators)])


def last_line(ends: Mapping[ast.AST, int], s: ast.stmt) -> int:
    """The line a statement ends at, with the comments that belong to a function."""
    return ends.get(s) or s.end_lineno or s.lineno


def method_line(scene: Scene, called: int = 0) -> int:
    """The line a further method of the class goes before: below the one that uses it and what that used before."""
    assert scene.owner is not None
    return _below(scene, scene.owner.body, scene.node, called) + 1


def _registered_for(s: ast.FunctionDef | ast.AsyncFunctionDef) -> list[str]:
    """The generic functions that a function is registered for."""
    called = (d.func if isinstance(d, ast.Call) else d for d in s.decorator_list)
    return [d.value.id for d in called if isinstance(d, ast.Attribute) and isinstance(d.value, ast.Name)]


def _below(scene: Scene, body: Sequence[ast.stmt], user: ast.stmt, called: int = 0) -> int:
    """The last line of `user` and of the helpers of its own that follow it, those left out that it uses below a line
    alone."""
    ends: dict[ast.AST, int] = {f.node: f.end for f in scene.functions}
    named = [n for n in walk(user) if isinstance(n, ast.Name | ast.Attribute)]
    used = {n.id if isinstance(n, ast.Name) else n.attr for n in named if not called or n.lineno <= called}
    last = user
    following = body[list(body).index(user) + 1 :] if user in body else []
    for s in following:
        if not isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef) or not used & {s.name, *_registered_for(s)}:
            break
        last = s
    return last_line(ends, last)


def _helpers_stand_above(tree: ast.Module) -> bool:
    order = {s.name: i for i, s in enumerate(tree.body) if isinstance(s, ast.FunctionDef)}
    above = below = 0
    for user, at in order.items():
        node = next(s for s in tree.body if isinstance(s, ast.FunctionDef) and s.name == user)
        for name in {n.func.id for n in walk(node) if isinstance(n, ast.Call) and isinstance(n.func, ast.Name)}:
            if name in order and name != user:
                above += order[name] < at
                below += order[name] > at
    return above >= 2 and above > 2 * below


def put_helper(scene: Scene, sheet: Sheet, code: str, called: int = 0) -> None:
    """A helper at the top of the module, in its place."""
    line = insertion_line(scene, called)
    above = line <= first_line(scene.outermost)
    sheet.insert(line, f"{code}\n\n" if above else f"\n\n{code}")


def put_all(scene: Scene, sheet: Sheet, codes: Sequence[str]) -> None:
    """Several pieces at the top of the module, where a helper would stand."""
    put_helper(scene, sheet, "\n\n".join(codes))


def check_movable(e: ast.AST) -> None:
    """Raises Untouchable for a condition that depends on where it stands."""
    reason = why_not(e)
    if reason:
        raise Untouchable(reason)
