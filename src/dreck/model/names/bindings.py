"""Bindings: every statement by which a module binds a name, and which names it surely binds.

Language reference, 4.2.1 "Binding of names": all forms of binding count alike, wherever they stand outside of
functions and classes. What may bind names without saying so (`globals()`, `exec`, a `*` import) is noted as such.
"""

import ast
from collections.abc import Iterator
from dataclasses import dataclass, field
from weakref import WeakKeyDictionary

from dreck.model.names.nodes import every_node, once_per_tree
from dreck.model.names.reaching import hands_setting_on, leading, only_read, opens_modules, set_on_anything
from dreck.model.names.type_parameters import names_among
from dreck.source.functions import blocks_of
from dreck.source.walking import walk

_OWN_SCOPE = (ast.FunctionDef, ast.AsyncFunctionDef, ast.Lambda, ast.ClassDef)
_COMPREHENSIONS = (ast.ListComp, ast.SetComp, ast.DictComp, ast.GeneratorExp)


@dataclass(slots=True)
class Bindings:
    """How a module's names are bound.

    `of` holds each name's binding statements in the order they stand, `surely` the names bound once the module has
    been executed, `rebound` those that a function or class may bind again (`global`), that are deleted, or that are
    `parameters`: type parameters of something in the module.
    `stars` are the lines of `*` imports; `dynamic` says that names may be bound in ways nobody can read.
    """

    of: dict[str, list[ast.stmt]] = field(default_factory=dict)
    surely: frozenset[str] = frozenset()
    rebound: set[str] = field(default_factory=set)
    stars: list[int] = field(default_factory=list)
    dynamic: bool = False
    parameters: frozenset[str] = frozenset()


_known: WeakKeyDictionary[ast.Module, Bindings] = WeakKeyDictionary()


def bindings_of(tree: ast.Module) -> Bindings:
    """How the names of a module are bound; known as long as its tree is there."""
    found = _known.get(tree)
    if found is None:
        found = _known[tree] = _read(tree)
    return found


def _read(tree: ast.Module) -> Bindings:
    found = Bindings(surely=_surely(tree.body) or frozenset())
    for statement in statements_of(tree.body):
        if isinstance(statement, ast.ImportFrom) and statement.names[0].name == "*":
            found.stars.append(statement.lineno)
        for name in bound_by(statement):
            found.of.setdefault(name, []).append(statement)
        if isinstance(statement, ast.Delete):
            found.rebound |= {n.id for n in walk(statement) if isinstance(n, ast.Name)}
    _note_hidden(tree, found)
    return found


@once_per_tree
def bindings_within(node: ast.ClassDef) -> Bindings:
    """How the names of a class's body are bound, as if it were a module."""
    return _read(ast.Module(node.body, []))


def bind_one_package(name: str, statements: list[ast.stmt]) -> bool:
    """Whether all of these bind a name to the package of that name: `import email`, `import email.message`."""
    told = [a for s in statements if isinstance(s, ast.Import) for a in s.names]
    said = [a for a in told if name in (a.asname, a.name.partition(".")[0])]
    return all(isinstance(s, ast.Import) for s in statements) and all(a.asname is None for a in said)


def statements_of(body: list[ast.stmt]) -> Iterator[ast.stmt]:
    """The statements of a block and of the blocks inside it, functions and classes left shut."""
    for statement in body:
        yield statement
        if not isinstance(statement, _OWN_SCOPE):
            for block in blocks_of(statement):
                yield from statements_of(block)


@once_per_tree
def binding(tree: ast.Module) -> tuple[tuple[ast.stmt, frozenset[str]], ...]:
    """The statements of a module, functions and classes left shut, each with the names that it binds itself."""
    return tuple((s, frozenset(bound_by(s))) for s in statements_of(tree.body))


def bound_by(s: ast.stmt) -> set[str]:
    """The names one statement binds or deletes itself, blocks inside it left out."""
    match s:
        case ast.FunctionDef(name=name) | ast.AsyncFunctionDef(name=name) | ast.ClassDef(name=name):
            return {name} | {n for part in _outside(s) for n in _stored_in(part)}
        case ast.Import() | ast.ImportFrom():
            return {alias.asname or alias.name.split(".")[0] for alias in s.names if alias.name != "*"}
    found: set[str] = set()
    for name, value in ast.iter_fields(s):
        if name in ("body", "orelse", "finalbody"):
            continue
        for node in value if isinstance(value, list) else [value]:
            match node:
                case ast.ExceptHandler(name=caught, type=kind):
                    found |= {caught} if caught else set()
                    found |= set(_stored_in(kind)) if kind is not None else set()
                case ast.match_case(pattern=pattern, guard=guard):
                    found |= set(_stored_in(pattern)) | (set(_stored_in(guard)) if guard is not None else set())
                case ast.AST():
                    found |= set(_stored_in(node))
    return found


def _outside(s: ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef) -> list[ast.expr]:
    """What runs where a definition stands: decorators, bases, defaults."""
    if isinstance(s, ast.ClassDef):
        return [*s.decorator_list, *s.bases, *(k.value for k in s.keywords)]
    return [*s.decorator_list, *s.args.defaults, *(d for d in s.args.kw_defaults if d is not None)]


def _stored_in(root: ast.AST) -> Iterator[str]:
    """Names that an expression, a target or a pattern binds in the scope it stands in."""
    pending: list[tuple[ast.AST, bool]] = [(root, False)]
    while pending:
        node, inside = pending.pop()
        match node:
            case ast.Name(id=name, ctx=ast.Store() | ast.Del()) if not inside:
                yield name
            case ast.NamedExpr(target=ast.Name(id=name), value=value):
                yield name
                pending.append((value, inside))
            case ast.MatchAs(name=str() as name) | ast.MatchStar(name=str() as name):
                yield name
            case ast.MatchMapping(rest=str() as name):
                yield name
        if isinstance(node, (*_OWN_SCOPE, ast.NamedExpr)):
            continue
        inner = inside or isinstance(node, _COMPREHENSIONS)
        pending += [(child, inner) for child in ast.iter_child_nodes(node)]


def _surely(body: list[ast.stmt]) -> frozenset[str] | None:
    """The names bound once a block has come to its end; None when it never does."""
    found: frozenset[str] = frozenset()
    for s in body:
        added = _surely_by(s)
        if added is None:
            return None
        found |= added
        if isinstance(s, ast.Delete):
            found -= bound_by(s)
    return found


def _surely_by(s: ast.stmt) -> frozenset[str] | None:
    match s:
        case ast.Raise():
            return None
        case ast.If(body=body, orelse=orelse):
            return _either(_surely(body), _surely(orelse))
        case ast.Try(body=body, handlers=handlers, orelse=orelse, finalbody=last):
            through = _both(_surely(body), _surely(orelse))
            for handler in handlers:
                through = _either(through, _surely(handler.body))
            return _both(through, _surely(last))
        case ast.AnnAssign(value=None) | ast.Delete():
            return frozenset()
        case ast.For() | ast.AsyncFor() | ast.While() | ast.With() | ast.AsyncWith() | ast.Match() | ast.TryStar():
            return frozenset()
    return frozenset(bound_by(s))


def _either(one: frozenset[str] | None, other: frozenset[str] | None) -> frozenset[str] | None:
    if one is None or other is None:
        return other if one is None else one
    return one & other


def _both(one: frozenset[str] | None, other: frozenset[str] | None) -> frozenset[str] | None:
    return None if one is None or other is None else one | other


def imported_anywhere(tree: ast.Module) -> frozenset[str]:
    """The names that an `import` binds, wherever it stands."""
    aliases = (n for n in every_node(tree) if isinstance(n, ast.alias))
    return frozenset(alias.asname or alias.name.split(".")[0] for alias in aliases)


def put_on_modules(tree: ast.Module) -> set[str]:
    """The attributes that a module sets on what it imports, `*` where nobody can read which."""
    imported = imported_anywhere(tree)
    found = set[str]()
    read = {held for node in every_node(tree) for held in only_read(node)}
    for node in every_node(tree):
        if node in read:
            continue
        match node:
            case ast.Attribute(value=of, attr=name, ctx=ast.Store() | ast.Del()) if root_of(of) in imported:
                found.add(name)
            case ast.Call(func=ast.Name(id="setattr" | "delattr"), args=[of, name, *_]) if root_of(of) in imported:
                found.add(str(name.value) if isinstance(name, ast.Constant) else ANY)
            case ast.Attribute(value=of, attr="__dict__") | ast.Call(func=ast.Name(id="vars"), args=[of]) if (
                root_of(of) in imported
            ):
                found.add(ANY)
    return found


ANY = "*"


def root_of(e: ast.expr) -> str:
    """The name that an attribute of an attribute begins with; '' when it is something else."""
    while isinstance(e, ast.Attribute):
        e = e.value
    return e.id if isinstance(e, ast.Name) else ""


_HIDING = (ast.Global, ast.Subscript, ast.Call, ast.FunctionDef, ast.AsyncFunctionDef, ast.Attribute)
_NAMESPACES = frozenset({"globals", "exec", "locals", "vars"})


def _note_hidden(tree: ast.Module, found: Bindings) -> None:
    """`global` statements, code that reaches the namespace as a dict, and what is put on a module that is imported.

    It may be the module itself that a function of it imports.
    """
    reading = {held for node in every_node(tree) for held in only_read(node)}
    imported = imported_anywhere(tree)
    functions: list[ast.AST] = []
    for node in every_node(tree):
        if not isinstance(node, _HIDING):
            continue
        match node:
            case ast.Attribute(ctx=ast.Load(), attr=word) if word != "__dict__":
                continue
            case ast.Global(names=names):
                found.rebound.update(names)
            case ast.Subscript(value=ast.Call(func=ast.Name() as used, args=[]), ctx=ast.Load()):
                reading.add(used)
            case ast.Call(func=ast.Attribute(value=ast.Call(func=ast.Name() as used, args=[]), attr="get")):
                reading.add(used)
            case ast.Call(func=ast.Name(id="vars" | "locals") as used, args=args):
                if args:
                    reading.add(used)
                    found.dynamic |= root_of(args[0]) in imported
            case ast.Attribute(value=of, attr="__dict__") if root_of(of) in imported:
                found.dynamic |= node not in reading
            case ast.Attribute(value=of, attr=name, ctx=ast.Store() | ast.Del()) if root_of(of) in imported:
                found.rebound.add(name)
            case ast.Call(func=ast.Attribute(value=of, attr="__setattr__" | "__delattr__"), args=args) if {
                root_of(of),
                *map(root_of, args[:1]),
            } & imported:
                found.dynamic = True
            case ast.Call(func=ast.Name(id="setattr" | "delattr"), args=[of, name, *_]) if root_of(of) in imported:
                if isinstance(name, ast.Constant):
                    found.rebound.add(str(name.value))
                else:
                    found.dynamic = True
            case ast.FunctionDef() | ast.AsyncFunctionDef():
                functions.append(node)
    nodes = every_node(tree)
    found.parameters = names_among(nodes)
    found.rebound |= found.parameters
    found.dynamic |= bool(leading(tree)) or hands_setting_on(tree)
    if opens_modules(tree):
        set_anywhere = {name for node in nodes for name in set_on_anything(node)}
        found.dynamic |= "*" in set_anywhere
        found.rebound |= set_anywhere
    named = [n for n in nodes if isinstance(n, ast.Name) and n.id in _NAMESPACES and n not in reading]
    if named:
        # In a function `locals()` and `vars()` are its own names.
        inside = {n for f in functions for n in walk(f) if isinstance(n, ast.Name) and n.id in ("locals", "vars")}
        found.dynamic |= any(n not in inside for n in named)
