"""Scopes: what is local to a function, what its nested functions capture."""

import ast
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

_Mentioned = set[str] | None
"""Names that functions inside may read; None where nobody asks for them."""

_COMPREHENSIONS = ast.ListComp | ast.SetComp | ast.DictComp | ast.GeneratorExp


@dataclass(slots=True)
class FunctionScope:
    """How each name is meant inside one function (language reference, section 4.2, "Naming and binding")."""

    params: frozenset[str]
    local: set[str] = field(default_factory=set)
    captured: set[str] = field(default_factory=set)
    """Locals that a nested function, lambda or generator expression may read later."""
    kept: set[str] = field(default_factory=set)
    """The same, without what stands only in what calls of the `consumers` use up on the spot."""
    consumers: set[str] = field(default_factory=set)
    shared: set[str] = field(default_factory=set)
    """Captured locals that a nested function may also assign (`nonlocal`)."""
    used_up: set[str] = field(default_factory=set)
    declared_global: set[str] = field(default_factory=set)
    declared_nonlocal: set[str] = field(default_factory=set)
    deleted: set[str] = field(default_factory=set)
    has_walrus: bool = False
    is_generator: bool = False


def param_names(args: ast.arguments) -> list[str]:
    """All parameter names, in the order they stand."""
    named = [*args.posonlyargs, *args.args]
    names = [a.arg for a in named]
    if args.vararg:
        names.append(args.vararg.arg)
    names += [a.arg for a in args.kwonlyargs]
    if args.kwarg:
        names.append(args.kwarg.arg)
    return names


@lru_cache(maxsize=8)
def scope_of(node: FunctionNode) -> FunctionScope:
    """Works out the scope of one function from its own body; the nested ones count for what they capture."""
    scope = FunctionScope(params=frozenset(param_names(node.args)))
    scope.local |= scope.params
    mentioned = set[str]()
    for statement in node.body:
        _scan(statement, scope, mentioned)
    outer = scope.declared_global | scope.declared_nonlocal
    scope.local -= outer
    scope.kept = mentioned & scope.local
    scope.captured = (mentioned | scope.used_up) & scope.local
    scope.shared &= scope.local
    return scope


def _scan(root: ast.AST, scope: FunctionScope, mentioned: _Mentioned) -> None:
    pending = [root]
    while pending:
        node = pending.pop()
        kind = type(node)
        if kind in _BARE:
            continue
        note = _NOTES.get(kind)
        if note is not None and note(node, scope, mentioned):
            continue
        for name in node._fields:
            value = getattr(node, name, None)
            if type(value) is list:
                pending += [item for item in value if isinstance(item, ast.AST)]
            elif isinstance(value, ast.AST):
                pending.append(value)


# Notes on one node; those that answer True have looked at everything below it themselves.


def _note_name(node: ast.Name, scope: FunctionScope, mentioned: _Mentioned) -> bool:
    if type(node.ctx) is not ast.Load:
        scope.local.add(node.id)
        if type(node.ctx) is ast.Del:
            scope.deleted.add(node.id)
    return True


def _note_definition(
    node: ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef, scope: FunctionScope, mentioned: _Mentioned
) -> bool:
    scope.local.add(node.name)
    _capture(node, scope, mentioned)
    return True


def _note_lazy(node: ast.AST, scope: FunctionScope, mentioned: _Mentioned) -> bool:
    _capture(node, scope, mentioned)
    return True


def _note_call(node: ast.Call, scope: FunctionScope, mentioned: _Mentioned) -> bool:
    parts = used_up_by(node)
    if not parts:
        return False
    scope.consumers.add(_consumer(node))
    for part in parts:
        _used_up(part, scope, mentioned)
    for other in (node.func, *node.args, *(k.value for k in node.keywords)):
        if other not in parts:
            _scan(other, scope, mentioned)
    return True


def _used_up(part: ast.expr, scope: FunctionScope, mentioned: _Mentioned) -> None:
    """Its names are read before anything else can happen; what stands inside it as a comprehension's would."""
    scope.used_up.update(names_read(part))
    if isinstance(part, ast.GeneratorExp):
        _comprehension(part, scope, mentioned)
        return
    for inner in walk(part):
        if isinstance(inner, ast.Lambda | ast.GeneratorExp) and inner is not part:
            _capture(inner, scope, mentioned)


def used_up_by(call: ast.Call) -> list[ast.expr]:
    """Generator expressions and keys that a call has gone through when it ends (library reference, built-in functions).

    None of them outlives the call, and nothing around them is evaluated meanwhile; where something in the call binds
    a name none counts. Only what is gone through counts: `sum((), more)` gives `more` back. `next` leaves off after
    the first, and nobody has the rest.
    """
    if any(isinstance(n, ast.NamedExpr | ast.Yield | ast.YieldFrom | ast.Await) for n in walk(call)):
        return []
    match call.func:
        case ast.Name(id=name) if name in _CONSUMERS:
            found: list[ast.expr] = [a for a in call.args[:1] if isinstance(a, ast.GeneratorExp)]
            keys = [k.value for k in call.keywords if k.arg == "key" and name in ("min", "max", "sorted")]
            return [*found, *(k for k in keys if isinstance(k, ast.Lambda) and not _has_defaults(k))]
        case ast.Attribute(value=ast.Constant(value=str() | bytes()), attr="join"):
            return [a for a in call.args if isinstance(a, ast.GeneratorExp)]
    return []


def _has_defaults(e: ast.Lambda) -> bool:
    return bool(e.args.defaults or any(e.args.kw_defaults))


def _consumer(call: ast.Call) -> str:
    return call.func.id if isinstance(call.func, ast.Name) else ""


_CONSUMERS = frozenset(
    {"any", "all", "sum", "min", "max", "list", "tuple", "set", "frozenset", "dict", "sorted", "next"}
)


def kept_by_functions(scope: FunctionScope, is_builtin: Callable[[str], bool]) -> set[str]:
    """The locals that something inside may read later, where `is_builtin` tells Python's own functions."""
    own = all(not name or (name not in scope.local and is_builtin(name)) for name in scope.consumers)
    return scope.kept if own else scope.captured


def _note_comprehension(node: ast.AST, scope: FunctionScope, mentioned: _Mentioned) -> bool:
    _comprehension(node, scope, mentioned)
    return True


def _note_global(node: ast.Global, scope: FunctionScope, mentioned: _Mentioned) -> bool:
    scope.declared_global.update(node.names)
    return True


def _note_nonlocal(node: ast.Nonlocal, scope: FunctionScope, mentioned: _Mentioned) -> bool:
    scope.declared_nonlocal.update(node.names)
    return True


def _note_walrus(node: ast.NamedExpr, scope: FunctionScope, mentioned: _Mentioned) -> bool:
    scope.has_walrus = True
    return False


def _note_yield(node: ast.AST, scope: FunctionScope, mentioned: _Mentioned) -> bool:
    scope.is_generator = True
    return False


def _note_bound(
    node: ast.ExceptHandler | ast.MatchAs | ast.MatchStar, scope: FunctionScope, mentioned: _Mentioned
) -> bool:
    if node.name is not None:
        scope.local.add(node.name)
    return False


def _note_rest(node: ast.MatchMapping, scope: FunctionScope, mentioned: _Mentioned) -> bool:
    if node.rest is not None:
        scope.local.add(node.rest)
    return False


def _note_import(node: ast.alias, scope: FunctionScope, mentioned: _Mentioned) -> bool:
    scope.local.add(node.asname or node.name.split(".")[0])
    return True


_BARE = frozenset({ast.Constant, ast.Load, ast.Store, ast.Del, ast.Pass, ast.Break, ast.Continue})
_NOTES: dict[type, Any] = {
    ast.Name: _note_name,
    ast.FunctionDef: _note_definition,
    ast.AsyncFunctionDef: _note_definition,
    ast.ClassDef: _note_definition,
    ast.Call: _note_call,
    ast.Lambda: _note_lazy,
    ast.GeneratorExp: _note_lazy,
    ast.ListComp: _note_comprehension,
    ast.SetComp: _note_comprehension,
    ast.DictComp: _note_comprehension,
    ast.Global: _note_global,
    ast.Nonlocal: _note_nonlocal,
    ast.NamedExpr: _note_walrus,
    ast.Yield: _note_yield,
    ast.YieldFrom: _note_yield,
    ast.ExceptHandler: _note_bound,
    ast.MatchAs: _note_bound,
    ast.MatchStar: _note_bound,
    ast.MatchMapping: _note_rest,
    ast.alias: _note_import,
}


def _capture(node: ast.AST, scope: FunctionScope, mentioned: _Mentioned) -> None:
    if mentioned is not None:
        mentioned |= names_asked_outside(node)
        for inner in walk(node):
            if isinstance(inner, ast.Nonlocal):
                scope.shared.update(inner.names)
                mentioned.update(inner.names)
    outside = node.decorator_list if isinstance(node, _DEFINITIONS) else []
    for part in [node] if isinstance(node, ast.GeneratorExp) else outside:
        for name in walrus_targets(part):
            scope.has_walrus = True
            scope.local.add(name)
            if part is node:
                scope.shared.add(name)
    if isinstance(node, ast.Lambda | _DEFINITIONS) and any(isinstance(n, ast.NamedExpr) for n in walk(node)):
        # `def inner(x=(n := 1))` binds `n` out here; what `inner` does inside is its own affair.
        for name in _walrus_targets_of_defaults(node):
            scope.local.add(name)
        scope.has_walrus = True


_DEFINITIONS = ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef


def walrus_targets(root: ast.AST) -> list[str]:
    """Names that `:=` binds around `root`, functions inside it left out."""
    found: list[str] = []
    pending = [root]
    while pending:
        node = pending.pop()
        if isinstance(node, ast.NamedExpr) and isinstance(node.target, ast.Name):
            found.append(node.target.id)
        if not isinstance(node, ast.Lambda | _DEFINITIONS):
            pending += list(ast.iter_child_nodes(node))
    return found


def _walrus_targets_of_defaults(node: ast.AST) -> list[str]:
    parts: list[ast.expr] = []
    if isinstance(node, ast.ClassDef):
        parts = [*node.bases, *(k.value for k in node.keywords)]
    elif isinstance(node, ast.Lambda | ast.FunctionDef | ast.AsyncFunctionDef):
        parts = [*node.args.defaults, *(d for d in node.args.kw_defaults if d is not None)]
    return [name for part in parts for name in walrus_targets(part)]


def _comprehension(node: ast.AST, scope: FunctionScope, mentioned: _Mentioned) -> None:
    for name in walrus_targets(node):
        scope.has_walrus = True
        scope.local.add(name)
    inside = list(walk(node))
    at_once = [part for n in inside if isinstance(n, ast.Call) for part in used_up_by(n)]
    scope.consumers.update(_consumer(n) for n in inside if isinstance(n, ast.Call) and used_up_by(n))
    for inner in inside:
        match inner:
            case ast.Lambda() | ast.GeneratorExp() if inner in at_once:
                scope.used_up.update(names_read(inner))
            case ast.Lambda() | ast.GeneratorExp() if inner is not node:
                _capture(inner, scope, mentioned)
            case ast.Yield() | ast.YieldFrom():
                scope.is_generator = True


def names_bound_inside(node: ast.AST) -> set[str]:
    """Names a comprehension, lambda or nested function binds for itself."""
    bound: set[str] = set()
    for inner in walk(node):
        match inner:
            case ast.comprehension(target=target):
                bound |= {n.id for n in walk(target) if isinstance(n, ast.Name)}
            case ast.arg(arg=name):
                bound.add(name)
    return bound


def names_read(node: ast.AST) -> set[str]:
    """Every name that stands anywhere in `node`."""
    return {inner.id for inner in walk(node) if isinstance(inner, ast.Name)}


def names_asked_outside(node: ast.AST) -> set[str]:
    """Names in `node` that may be meant as they are around it, without those that something inside has for itself."""
    found: set[str] = set()
    pending = [node]
    while pending:
        inner = pending.pop()
        match inner:
            case ast.Name(id=name):
                found.add(name)
            case ast.FunctionDef() | ast.AsyncFunctionDef():
                own = _own_names(inner)
                found.update(name for s in inner.body for name in names_asked_outside(s) if name not in own)
                pending += [part for part in ast.iter_child_nodes(inner) if part not in inner.body]
            case ast.Lambda(args=args, body=body):
                found |= names_asked_outside(body) - set(param_names(args))
                pending.append(args)
            case _ if isinstance(inner, _COMPREHENSIONS):  # all but the first iterable is evaluated inside
                first, own = inner.generators[0].iter, _own_targets(inner)
                rest = (part for part in _parts_of(inner) if part is not first)
                found.update(name for part in rest for name in names_asked_outside(part) if name not in own)
                pending.append(first)
            case _:
                pending += ast.iter_child_nodes(inner)
    return found


def _own_targets(node: ast.ListComp | ast.SetComp | ast.DictComp | ast.GeneratorExp) -> set[str]:
    targets = (n for g in node.generators for n in walk(g.target))
    return {n.id for n in targets if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}


def _parts_of(node: ast.AST) -> Iterator[ast.AST]:
    for part in ast.iter_child_nodes(node):
        yield from ast.iter_child_nodes(part) if isinstance(part, ast.comprehension) else (part,)


def assigned_in(statements: list[ast.stmt]) -> frozenset[str]:
    """Names that running `statements` may bind or unbind, nested scopes left out."""
    scope = FunctionScope(params=frozenset())
    for statement in statements:
        _scan(statement, scope, None)
    return frozenset(scope.local)


def _own_names(node: ast.FunctionDef | ast.AsyncFunctionDef) -> set[str]:
    """What is local to a function, whatever the ones inside it capture."""
    scope = FunctionScope(params=frozenset(param_names(node.args)))
    for statement in node.body:
        _scan(statement, scope, None)
    return (scope.local | scope.params) - scope.declared_global - scope.declared_nonlocal


@lru_cache(maxsize=16)
def bound_names(node: ast.AST) -> frozenset[str]:
    """Every name bound anywhere in a function, for the functions nested in it."""
    found: set[str] = set()
    for n in walk(node):
        match n:
            case ast.Name(id=name, ctx=ast.Store()) | ast.arg(arg=name):
                found.add(name)
            case ast.FunctionDef(name=name) | ast.AsyncFunctionDef(name=name) | ast.ClassDef(name=name):
                found.add(name)
            case ast.alias():
                found.add((n.asname or n.name).split(".")[0])
            case ast.ExceptHandler(name=str() as name) | ast.MatchAs(name=str() as name):
                found.add(name)
    return frozenset(found)
