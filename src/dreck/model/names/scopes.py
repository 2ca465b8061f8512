"""Names: what is local to a function, what its nested functions capture, what a module defines."""

import ast
import builtins
from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import cached_property, lru_cache
from typing import Any

from dreck.model.names.tables import Tables, tables_in
from dreck.source.functions import FunctionNode, blocks_of

_BUILTINS = frozenset(dir(builtins))
_OWN_SCOPE = (ast.FunctionDef, ast.AsyncFunctionDef, ast.Lambda, ast.ClassDef)


@dataclass(slots=True)
class FunctionScope:
    """How each name is meant inside one function (language reference, section 4.2, "Naming and binding")."""

    params: frozenset[str]
    local: set[str] = field(default_factory=set)
    captured: set[str] = field(default_factory=set)
    """Locals that a nested function, lambda or generator expression may read later."""
    shared: set[str] = field(default_factory=set)
    """Captured locals that a nested function may also assign (`nonlocal`)."""
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
    mentioned: set[str] = set()
    for statement in node.body:
        _scan(statement, scope, mentioned)
    outer = scope.declared_global | scope.declared_nonlocal
    scope.local -= outer
    scope.captured = mentioned & scope.local
    scope.shared &= scope.local
    return scope


def _scan(root: ast.AST, scope: FunctionScope, mentioned: set[str]) -> None:
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


def _note_name(node: ast.Name, scope: FunctionScope, mentioned: set[str]) -> bool:
    if type(node.ctx) is not ast.Load:
        scope.local.add(node.id)
        if type(node.ctx) is ast.Del:
            scope.deleted.add(node.id)
    return True


def _note_definition(
    node: ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef, scope: FunctionScope, mentioned: set[str]
) -> bool:
    scope.local.add(node.name)
    _capture(node, scope, mentioned)
    return True


def _note_lazy(node: ast.AST, scope: FunctionScope, mentioned: set[str]) -> bool:
    _capture(node, scope, mentioned)
    return True


def _note_comprehension(node: ast.AST, scope: FunctionScope, mentioned: set[str]) -> bool:
    _comprehension(node, scope, mentioned)
    return True


def _note_global(node: ast.Global, scope: FunctionScope, mentioned: set[str]) -> bool:
    scope.declared_global.update(node.names)
    return True


def _note_nonlocal(node: ast.Nonlocal, scope: FunctionScope, mentioned: set[str]) -> bool:
    scope.declared_nonlocal.update(node.names)
    return True


def _note_walrus(node: ast.NamedExpr, scope: FunctionScope, mentioned: set[str]) -> bool:
    scope.has_walrus = True
    return False


def _note_yield(node: ast.AST, scope: FunctionScope, mentioned: set[str]) -> bool:
    scope.is_generator = True
    return False


def _note_bound(
    node: ast.ExceptHandler | ast.MatchAs | ast.MatchStar, scope: FunctionScope, mentioned: set[str]
) -> bool:
    if node.name is not None:
        scope.local.add(node.name)
    return False


def _note_rest(node: ast.MatchMapping, scope: FunctionScope, mentioned: set[str]) -> bool:
    if node.rest is not None:
        scope.local.add(node.rest)
    return False


def _note_import(node: ast.alias, scope: FunctionScope, mentioned: set[str]) -> bool:
    scope.local.add(node.asname or node.name.split(".")[0])
    return True


_BARE = frozenset({ast.Constant, ast.Load, ast.Store, ast.Del, ast.Pass, ast.Break, ast.Continue})
_NOTES: dict[type, Any] = {
    ast.Name: _note_name,
    ast.FunctionDef: _note_definition,
    ast.AsyncFunctionDef: _note_definition,
    ast.ClassDef: _note_definition,
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


def _capture(node: ast.AST, scope: FunctionScope, mentioned: set[str]) -> None:
    for inner in ast.walk(node):
        match inner:
            case ast.Name(id=name):
                mentioned.add(name)
            case ast.Nonlocal(names=names):
                scope.shared.update(names)
                mentioned.update(names)
            case ast.NamedExpr(target=ast.Name(id=name)):
                scope.has_walrus = True
                if not isinstance(node, ast.Lambda):
                    scope.local.add(name)
                    scope.shared.add(name)


def _comprehension(node: ast.AST, scope: FunctionScope, mentioned: set[str]) -> None:
    for inner in ast.walk(node):
        match inner:
            case ast.NamedExpr(target=ast.Name(id=name)):
                scope.has_walrus = True
                scope.local.add(name)
            case ast.Lambda() | ast.GeneratorExp():
                _capture(inner, scope, mentioned)
            case ast.Yield() | ast.YieldFrom():
                scope.is_generator = True


def names_bound_inside(node: ast.AST) -> set[str]:
    """Names a comprehension, lambda or nested function binds for itself."""
    bound: set[str] = set()
    for inner in ast.walk(node):
        match inner:
            case ast.comprehension(target=target):
                bound |= {n.id for n in ast.walk(target) if isinstance(n, ast.Name)}
            case ast.arg(arg=name):
                bound.add(name)
    return bound


def names_read(node: ast.AST) -> set[str]:
    """Every name that stands anywhere in `node`."""
    return {inner.id for inner in ast.walk(node) if isinstance(inner, ast.Name)}


def assigned_in(statements: list[ast.stmt]) -> frozenset[str]:
    """Names that running `statements` may bind or unbind, nested scopes left out."""
    scope = FunctionScope(params=frozenset())
    for statement in statements:
        _scan(statement, scope, set())
    return frozenset(scope.local)


class ModuleNames:
    """What a name means at the top of a module: `stable`, `varying`, or `unknown`.

    Stable names are functions, classes, imports, builtins and constants in capitals: bound before any
    function of the module runs and never again. Varying names may be rebound while a function runs.
    Unknown names may not exist at all.
    """

    def __init__(self, tree: ast.Module) -> None:
        self.tree = tree
        self.definitions: dict[str, ast.stmt] = {}
        self._defined: set[str] = set()
        self._assigned: set[str] = set()
        self._rebound: set[str] = set()
        self._star = False
        for statement in _statements(tree.body):
            self._note(statement)
        for node in _all_statements(tree.body):
            if isinstance(node, ast.Global):
                self._rebound.update(node.names)

    @cached_property
    def tables(self) -> Tables:
        """The constants of the module that nothing in it changes."""
        return tables_in(self.tree)

    def canonical(self, name: str) -> str:
        """What an imported name is called wherever it is looked into."""
        return name

    def of_module(self, name: str, attribute: str) -> str:
        """What `name.attribute` is called when `name` is a module that is looked into; '' when it is not."""
        return ""

    def kind(self, name: str) -> str:
        if name in self._rebound:
            return "varying"
        if name in self._defined:
            return "stable"
        if name in self._assigned:
            return "stable" if name.isupper() else "varying"
        if name in _BUILTINS or name == "__debug__":
            return "varying" if self._star else "stable"
        return "varying" if name in ("__name__", "__file__", "__doc__") else "unknown"

    def is_settled(self, name: str, before: int) -> bool:
        """Whether `name` means at line `before` of the module what it means ever after."""
        if self.is_builtin(name):
            return True
        bound = [s for s in _statements(self.tree.body) if name in _bound_by(s)]
        return name not in self._rebound and len(bound) == 1 and bound[0].lineno < before

    def is_builtin(self, name: str) -> bool:
        """Whether `name` surely means the builtin of that name."""
        return (
            name in _BUILTINS
            and not self._star
            and name not in self._defined
            and name not in self._assigned
            and name not in self._rebound
        )

    def _note(self, statement: ast.stmt) -> None:
        match statement:
            case ast.FunctionDef(name=name) | ast.AsyncFunctionDef(name=name) | ast.ClassDef(name=name):
                if name in self._defined or name in self._assigned:
                    self.definitions.pop(name, None)
                else:
                    self.definitions[name] = statement
                self._defined.add(name)
            case ast.Import() | ast.ImportFrom():
                for alias in statement.names:
                    self._star |= alias.name == "*"
                    self._defined.add(alias.asname or alias.name.split(".")[0])
            case _:
                names = assigned_in_place(statement)
                self._assigned |= names
                for name in names & self.definitions.keys():
                    del self.definitions[name]


def assigned_in_place(statement: ast.stmt) -> set[str]:
    """Names that one statement binds itself, blocks inside it left out."""
    found: set[str] = set()
    for field_name, value in ast.iter_fields(statement):
        if field_name in ("body", "orelse", "finalbody", "cases"):
            continue
        for node in value if isinstance(value, list) else [value]:
            if isinstance(node, ast.ExceptHandler):
                found |= {node.name} if node.name else set()
            elif isinstance(node, ast.AST):
                found |= {n.id for n in ast.walk(node) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}
    return found


def _statements(body: list[ast.stmt]) -> Iterator[ast.stmt]:
    for statement in body:
        yield statement
        if not isinstance(statement, _OWN_SCOPE):
            for block in blocks_of(statement):
                yield from _statements(block)


def _bound_by(s: ast.stmt) -> set[str]:
    match s:
        case ast.FunctionDef(name=name) | ast.AsyncFunctionDef(name=name) | ast.ClassDef(name=name):
            return {name}
        case ast.Import() | ast.ImportFrom():
            return {alias.asname or alias.name.split(".")[0] for alias in s.names}
    return assigned_in_place(s)


def _all_statements(body: list[ast.stmt]) -> Iterator[ast.stmt]:
    for statement in body:
        yield statement
        for block in blocks_of(statement):
            yield from _all_statements(block)


@lru_cache(maxsize=16)
def bound_names(node: ast.AST) -> frozenset[str]:
    """Every name bound anywhere in a function, for the functions nested in it."""
    found: set[str] = set()
    for n in ast.walk(node):
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
