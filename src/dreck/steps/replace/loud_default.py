"""loud-default: a silent default for the exceptional case becomes a raise. A change on purpose, declared as one."""

import ast
import shlex
from collections.abc import Iterator
from dataclasses import dataclass

from dreck.source.functions import Function, blocks_of
from dreck.source.walking import walk
from dreck.steps.catalogue import Step
from dreck.steps.naming.predicates import own_expressions, statements
from dreck.steps.support.scene import NotPlanned, Plan, Scene
from dreck.steps.support.sheet import Sheet
from dreck.steps.support.trees import Untouchable

ELSE = "else"
_MOST_CALLERS = 6


@dataclass(frozen=True, slots=True)
class Default:
    """One statement that answers quietly: the block it stands alone in, the test it stands behind, what it gives.

    `test` is None for what is left when no test held. `asked` is the `.get` that gives it, when one does.
    """

    statement: ast.stmt
    test: ast.expr | None
    gives: str
    asked: ast.Call | None = None

    @property
    def where(self) -> str:
        return ELSE if self.test is None else ast.unparse(self.test)


def plans(scene: Scene) -> Iterator[Plan | NotPlanned]:
    """The default that `--on` names, or the only one there is, as the raise that `--raise` names."""
    if scene.wishes.raising and _is_raised(scene):
        return
    found = list(_defaults(scene))
    wanted = scene.wishes.discriminant
    chosen = [d for d in found if _same(wanted, d.where)] if wanted else _exceptional(found)
    if not found and not wanted:
        yield from _in_handlers(scene)
        return
    if not chosen:
        told = "; ".join(f"line {d.statement.lineno} gives {d.gives}: --on {shlex.quote(d.where)}" for d in found)
        if wanted:
            yield NotPlanned(
                scene.node.lineno, f"no silent default stands behind {wanted}" + (f"; {told}" if told else "")
            )
        return
    if len(chosen) > 1:
        told = "; ".join(f"line {d.statement.lineno} gives {d.gives}: --on {shlex.quote(d.where)}" for d in chosen)
        yield NotPlanned(scene.node.lineno, f"several defaults; say which: {told}")
        return
    if not scene.wishes.raising:
        shown = scene.wishes.discriminant or chosen[0].where
        yield NotPlanned(
            chosen[0].statement.lineno,
            f"behind {shown} it gives {chosen[0].gives}; say what to raise: --raise 'LookupError(...)'",
        )
        return
    try:
        yield _planned(scene, chosen[0])
    except Untouchable as error:
        yield NotPlanned(chosen[0].statement.lineno, str(error))


def _exceptional(found: list[Default]) -> list[Default]:
    """What is left when no test held, where all others answer to a key: `if kind == "glass": return 3`."""
    rest = [d for d in found if d.test is None]
    keyed = [d.test for d in found if d.test is not None]
    asked = {ast.dump(t.left) if isinstance(t, ast.Compare) else "" for t in keyed}
    by_key = [isinstance(t, ast.Compare) and isinstance(t.ops[0], ast.Eq | ast.In) for t in keyed]
    is_ladder = len(asked) <= 1 and "" not in asked and 2 * sum(by_key) >= len(keyed)
    return rest if len(rest) == 1 and is_ladder else found


def _in_handlers(scene: Scene) -> Iterator[NotPlanned]:
    """Defaults where something has been raised: no test says when that is."""
    for s in statements(scene.node.body):
        for handler in s.handlers if isinstance(s, ast.Try) else ():
            for default in _of_branch(handler.body, None):
                caught = ast.unparse(handler.type) if handler.type is not None else "anything"
                told = f"it gives {default.gives} where {caught} is raised, and no test says when that is"
                yield NotPlanned(default.statement.lineno, f"{told}: raise there by hand, or ask before the try")


def _is_raised(scene: Scene) -> bool:
    """Whether the error is raised already: the step has been taken."""
    wanted = "".join(scene.wishes.raising.split())
    return any(
        "".join(ast.unparse(s.exc).split()) == wanted
        for s in statements(scene.node.body)
        if isinstance(s, ast.Raise) and s.exc is not None
    )


def _same(wanted: str, where: str) -> bool:
    if ELSE in (wanted.strip(), where):
        return wanted.strip() == where
    return ast.dump(ast.parse(wanted.strip(), mode="eval").body) == ast.dump(ast.parse(where, mode="eval").body)


# --- what gives a default ------------------------------------------------------------------------------


def _defaults(scene: Scene) -> Iterator[Default]:
    given = _given_as_default(scene)
    for s in statements(scene.node.body):
        if isinstance(s, ast.If):
            yield from _of_branch(s.body, s.test, given)
            if s.orelse and not (len(s.orelse) == 1 and isinstance(s.orelse[0], ast.If)):
                yield from _of_branch(s.orelse, None, given)
        if isinstance(s, ast.Return | ast.Assign):
            yield from _of_get(s)
    last = scene.node.body[-1]
    if len(scene.node.body) > 1 and isinstance(scene.node.body[-2], ast.If | ast.For | ast.While | ast.Match):
        yield from _of_branch([last], None, given)
    for match in (s for s in statements(scene.node.body) if isinstance(s, ast.Match)):
        case = match.cases[-1]
        if isinstance(case.pattern, ast.MatchAs) and case.pattern.pattern is None and case.guard is None:
            yield from _of_branch(case.body, None, given)


def _given_as_default(scene: Scene) -> frozenset[str]:
    """Parameters that say what is given when nothing fits, `default=0`: nobody has to hand them over, and nothing but
    an answer is made of them."""
    spec = scene.node.args
    pairs = [*zip([*spec.posonlyargs, *spec.args][::-1], spec.defaults[::-1], strict=False)]
    pairs += [(a, d) for a, d in zip(spec.kwonlyargs, spec.kw_defaults, strict=True) if d is not None]
    answers = {n for s in statements(scene.node.body) if isinstance(s, ast.Return) for n in walk(s)}
    read = {n.id for n in walk(scene.node) if isinstance(n, ast.Name) and n not in answers}
    return frozenset(a.arg for a, default in pairs if _is_quiet(default) and a.arg not in read)


def _of_branch(body: list[ast.stmt], test: ast.expr | None, given: frozenset[str] = frozenset()) -> Iterator[Default]:
    match body:
        case [ast.Return(value=ast.Name(id=name)) as s] if name in given:
            yield Default(s, test, name)
        case [ast.Return(value=value) as s] if value is None or _is_quiet(value):
            yield Default(s, test, ast.unparse(value) if value is not None else "None")
        case [ast.Assign(targets=[ast.Name()], value=value) as s] if _is_quiet(value):
            yield Default(s, test, ast.unparse(value))
        case [ast.Pass() as s] if test is not None:
            yield Default(s, test, "nothing")


def _of_get(s: ast.Return | ast.Assign) -> Iterator[Default]:
    """`TABLE.get(key, default)`: the default of a table."""
    calls = [n for e in own_expressions(s) for n in walk(e) if isinstance(n, ast.Call)]
    gets = [c for c in calls if isinstance(c.func, ast.Attribute) and c.func.attr == "get" and not c.keywords]
    if len(gets) != 1 or not 1 <= len(gets[0].args) <= 2:
        return
    (call,) = gets
    table, (key, *default) = call.func.value, call.args  # type: ignore[attr-defined]
    if isinstance(table, ast.Name) and all(_is_quiet(d) for d in default):
        test = ast.Compare(key, [ast.NotIn()], [table])
        yield Default(s, test, ast.unparse(default[0]) if default else "None", call)


def _is_quiet(e: ast.expr) -> bool:
    """A value that looks like an answer and is none: a constant, something empty."""
    match e:
        case ast.Constant() | ast.UnaryOp(operand=ast.Constant()):
            return True
        case ast.List(elts=[]) | ast.Tuple(elts=[]) | ast.Dict(keys=[]):
            return True
        case ast.Name(id=name):
            return name.isupper()
        case ast.Tuple(elts=elts):
            return all(map(_is_quiet, elts))
    return False


# --- making it loud ------------------------------------------------------------------------------------


def _planned(scene: Scene, default: Default) -> Plan:
    error = scene.wishes.raising
    _check(scene, error)
    sheet = scene.sheet()
    s = default.statement
    indent = sheet.indent(s.lineno)
    if len(indent.encode()) != s.col_offset:
        raise Untouchable("the default stands on the line of its test")
    if default.asked is None:
        sheet.replace(s, f"raise {error}")
    else:
        call = default.asked
        table, key = call.func.value, call.args[0]  # type: ignore[attr-defined]
        sheet.insert(s.lineno, f"{indent}if {ast.unparse(default.test)}:\n" if default.test else "")
        sheet.insert(s.lineno, f"{indent}{sheet.unit(scene.node)}raise {error}\n")
        sheet.replace(call, f"{sheet.code(table)}[{sheet.code(key)}]")
    kind = error.partition("(")[0]
    reason = f"{default.gives} becomes {kind} where {default.where} holds"
    if default.test is None:
        reason = f"{default.gives} becomes {kind} where nothing else fits"
    told = _told_callers(scene)
    purpose = ast.unparse(default.test) if default.test is not None and default.asked is not None else ""
    return Plan(s.lineno, reason, sheet.result(), note=told, on_purpose=f"raise {error}", expect=purpose)


def _check(scene: Scene, error: str) -> None:
    try:
        tree = ast.parse(error.strip(), mode="eval").body
    except (SyntaxError, ValueError):
        raise Untouchable(f"--raise '{error}': that is no expression in Python") from None
    own = scene.scope.local | scene.scope.params
    for name in (n.id for n in walk(tree) if isinstance(n, ast.Name)):
        if name not in own and scene.names.kind(name) == "unknown" and not scene.names.is_builtin(name):
            raise Untouchable(f"--raise '{error}': {name} is not known there")


# --- who relies on it ----------------------------------------------------------------------------------


def _told_callers(scene: Scene) -> str:
    """The places in the project that call the function, with what they do with the answer."""
    found = list(_callers(scene.path.name, scene.tree, scene.sheet(), scene.function))
    for path, text, tree in scene.others.importing(scene.path) if scene.others is not None else ():
        found += _callers(path.name, tree, Sheet(text), scene.function)
    if not found:
        return "no caller in the project"
    more = f" and {len(found) - _MOST_CALLERS} more" if len(found) > _MOST_CALLERS else ""
    return f"callers: {', '.join(found[:_MOST_CALLERS])}{more}"


def _callers(file: str, tree: ast.Module, sheet: Sheet, function: Function) -> Iterator[str]:
    name = function.node.name
    for s in _every_statement(tree.body):
        for e in own_expressions(s):
            around = {child: node for node in walk(e) for child in ast.iter_child_nodes(node)}
            for n in walk(e):
                if isinstance(n, ast.Call) and _is_called(n, name, function.owner is not None):
                    yield f"{file}:{n.lineno}{_used(n, around.get(n), s)}"


def _every_statement(body: list[ast.stmt]) -> Iterator[ast.stmt]:
    for s in body:
        yield s
        if isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
            yield from _every_statement(s.body)
        else:
            for block in blocks_of(s):
                yield from _every_statement(block)


def _is_called(call: ast.Call, name: str, is_method: bool) -> bool:
    match call.func:
        case ast.Attribute(attr=attr):
            return attr == name
        case ast.Name(id=called):
            return called == name and not is_method
    return False


def _used(call: ast.Call, around: ast.AST | None, s: ast.stmt) -> str:
    match around:
        case ast.Compare():
            return f" (asks `{ast.unparse(around)}`)"
        case ast.BoolOp(op=ast.Or()):
            return " (has a default of its own)"
    if isinstance(s, ast.If | ast.While) and s.test is call:
        return " (asks whether it is true)"
    return ""


STEP = Step(
    name="loud-default",
    group="replace",
    order=290,
    summary="A silent default for the exceptional case becomes a raise: a change on purpose.",
    why="A wrong value travels far before anybody sees it; an error says at once where it was made.",
    when_not="When callers rely on the default: they are listed with the step.",
    before="""\
PRICES = {"glass": 3, "paper": 5}


def price_of(material):
    if material not in PRICES:
        return 0
    return PRICES[material]
""",
    after="""\
PRICES = {"glass": 3, "paper": 5}


def price_of(material):
    if material not in PRICES:
        raise LookupError(material)
    return PRICES[material]
""",
    traps=(
        "Callers that ask for the default find an error instead: they are listed.",
        "Outside the named test nothing may change: that is proved apart.",
    ),
    plans=plans,
    asks=("quiet-tests",),
    by_default=False,
    typed="--raise 'LookupError(material)'",
)
