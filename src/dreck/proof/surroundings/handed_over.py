"""Functions that a module hands to code elsewhere, which may call them later: by calls, decorators, as parts of it."""

import ast
from collections.abc import Iterator

from dreck.model.names.bindings import bindings_of
from dreck.model.names.nodes import every_node
from dreck.proof.surroundings.handing import rooted
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

_IMPORTS = (ast.Import, ast.ImportFrom)
_LIBRARY = {
    "functools": {
        "total_ordering",
        "cached_property",
        "lru_cache",
        "cache",
        "wraps",
        "singledispatch",
        "singledispatchmethod",
    },
    "contextlib": {"contextmanager", "asynccontextmanager"},
    "abc": {"abstractmethod"},
    "typing": {"overload", "override", "final", "runtime_checkable"},
    "builtins": {"property", "staticmethod", "classmethod"},
    "dataclasses": {"dataclass"},
    "enum": {"unique"},
}
"""Decorators that hand the function to nobody: it is called by who names it, or what is made of it."""
_OF_WHAT_IS_THERE = frozenset({"setter", "getter", "deleter", "register"})
"""The same of a property or a generic function of the file."""
_AT_ONCE = frozenset({"sorted", "min", "max", "isinstance", "issubclass", "callable"})
"""Functions of Python that let go of what they are handed before they come to their end."""


def handed_over(tree: ast.Module) -> set[str]:
    """The names of functions and methods that are handed on: `loaded`, `.tick`.

    Also by way of names and attributes that hold them, and of what functions of the file give back.
    """
    known = _Known(tree)
    found = set(known.handed()) | known.handing_themselves()
    carried = known.carried()
    pending = list(found)
    while pending:
        for name in carried.get(pending.pop(), ()):
            if name not in found:
                found.add(name)
                pending.append(name)
    methods = {f".{m}" for name, inside in known.methods.items() if found & {name, f"{name}()"} for m in inside}
    return methods | found & (known.defined | {f".{name}" for name in known.defined})


class _Known:
    """What a module defines and imports."""

    def __init__(self, tree: ast.Module) -> None:
        self.nodes = list(every_node(tree))
        self.methods: dict[str, set[str]] = {}
        """By class: an object that is handed on may be asked for any of them."""
        for kind in self.classes():
            inside = {s.name for s in kind.body if isinstance(s, FunctionNode) and not s.name.startswith("__")}
            self.methods.setdefault(kind.name, set()).update(inside)
        self.defined = {n.name for n in self.nodes if isinstance(n, FunctionNode | ast.ClassDef)}
        aliases = [(n, a) for n in self.nodes if isinstance(n, _IMPORTS) for a in n.names]
        self.imported = {a.asname or a.name.partition(".")[0] for _, a in aliases}
        self.own = bindings_of(tree).of.keys() - self.imported
        self.decorators = {
            a.asname or a.name
            for n, a in aliases
            if isinstance(n, ast.ImportFrom) and a.name in _LIBRARY.get(str(n.module), ())
        } | (_LIBRARY["builtins"] - self.imported)
        self.modules = {a.asname or a.name: a.name for n, a in aliases if isinstance(n, ast.Import)}

    def handed(self) -> Iterator[str]:
        for n in self.nodes:
            match n:
                case ast.FunctionDef(name=name) | ast.AsyncFunctionDef(name=name):
                    if not all(map(self._is_known, n.decorator_list)):
                        yield from (name, f".{name}")
                case ast.ClassDef(name=name):
                    if not all(map(self._is_known, n.decorator_list)):
                        yield name
                case ast.Call(func=ast.Name(id=name)) if name in _AT_ONCE - self.defined - self.imported:
                    continue
                case ast.Call():
                    for part in [*n.args, *(k.value for k in n.keywords)]:
                        yield from _said(part)
                case ast.Assign(value=value) | ast.AugAssign(value=value) | ast.AnnAssign(value=ast.expr() as value):
                    if any(map(self._is_elsewhere, _targets(n))):
                        yield from _said(value)

    def classes(self) -> Iterator[ast.ClassDef]:
        return (n for n in self.nodes if isinstance(n, ast.ClassDef))

    def handing_themselves(self) -> set[str]:
        """The classes whose objects hand themselves to a call: `bus.listen(self)`."""
        return {kind.name for kind in self.classes() if any(map(self._hands_itself, walk(kind)))}

    def _hands_itself(self, n: ast.AST) -> bool:
        match n:
            case ast.Assign(value=value) | ast.AugAssign(value=value) | ast.AnnAssign(value=ast.expr() as value):
                return any(map(self._is_elsewhere, _targets(n))) and _is_itself(value)
            case ast.Call(func=ast.Name(id=name)) if name in _ASKING_ALONE:
                return False
            case ast.Call(args=args, keywords=keywords):
                return any(map(_is_itself, (*args, *(k.value for k in keywords))))
        return False

    def carried(self) -> dict[str, set[str]]:
        """By name, attribute or call: what it may hold or give back, as it is told in `_said`."""
        found: dict[str, set[str]] = {}
        for n in self.nodes:
            for target, value in _held(n):
                for name in _said(target):
                    found.setdefault(name, set()).update(_said(value))
        return found

    def _is_known(self, decorator: ast.expr) -> bool:
        called = decorator.func if isinstance(decorator, ast.Call) else decorator
        match called:
            case ast.Name(id=name):
                return name in self.decorators or name in self.defined
            case ast.Attribute(value=ast.Name(id=of), attr=name):
                of_the_file = of in self.defined and name in _OF_WHAT_IS_THERE
                return of_the_file or name in _LIBRARY.get(self.modules.get(of, ""), ())
        return False

    def _is_elsewhere(self, target: ast.expr) -> bool:
        """Whether it is a part of something that is no name of the module."""
        if not isinstance(target, ast.Attribute | ast.Subscript):
            return False
        root = rooted(target)[0]
        return root in self.imported or root not in self.own


def _is_itself(e: ast.expr) -> bool:
    """`self`, also in a display."""
    match e:
        case ast.Tuple(elts=parts) | ast.List(elts=parts) | ast.Set(elts=parts) | ast.Dict(values=parts):
            return any(map(_is_itself, parts))
    return isinstance(e, ast.Name) and e.id in ("self", "cls")


def _targets(n: ast.AST) -> list[ast.expr]:
    match n:
        case ast.Assign(targets=targets):
            return targets
        case ast.AugAssign(target=target) | ast.AnnAssign(target=target, value=ast.expr()):
            return [target]
    return []


_ASKING_ALONE = _AT_ONCE | {"super", "type", "id", "len", "repr", "str", "hash", "bool", "iter", "getattr", "hasattr"}
"""Functions of Python that come to special methods alone, or to what is named there."""


def _held(n: ast.AST) -> Iterator[tuple[ast.expr, ast.expr]]:
    """What a statement puts where: `x = loaded`, `for x in (loaded, sent)`, a default, what a function gives back."""
    match n:
        case ast.Assign(targets=targets, value=value):
            yield from ((target, value) for target in targets)
        case ast.AnnAssign(target=target, value=ast.expr() as value) | ast.AugAssign(target=target, value=value):
            yield target, value
        case ast.NamedExpr(target=target, value=value):
            yield target, value
        case ast.For(target=target, iter=value) | ast.AsyncFor(target=target, iter=value):
            yield target, value
        case ast.comprehension(target=target, iter=value):
            yield target, value
        case ast.withitem(context_expr=value, optional_vars=ast.expr() as target):
            yield target, value
        case ast.FunctionDef(name=name, args=spec) | ast.AsyncFunctionDef(name=name, args=spec):
            given = [*spec.posonlyargs, *spec.args]
            pairs = [
                *zip(given[::-1], spec.defaults[::-1], strict=False),
                *zip(spec.kwonlyargs, spec.kw_defaults, strict=True),
            ]
            yield from ((ast.Name(a.arg, ast.Load()), default) for a, default in pairs if default is not None)
            call = ast.Call(ast.Name(name, ast.Load()), [], [])
            back = (s.value for s in walk(n) if isinstance(s, ast.Return | ast.Yield) and s.value is not None)
            yield from ((call, value) for value in back)


def _said(e: ast.expr) -> set[str]:
    """The names in an expression: `loaded`, `.tick`; what is called there as `make()`, but for such as run later."""
    called = {id(n.func) for n in walk(e) if isinstance(n, ast.Call)}
    lazy = any(isinstance(n, ast.Lambda) for n in walk(e))
    found: set[str] = set()
    for n in walk(e):
        name = n.id if isinstance(n, ast.Name) else f".{n.attr}" if isinstance(n, ast.Attribute) else ""
        if name and id(n) in called:
            found |= {f"{name}()", f"{name.removeprefix('.')}()"}
        if name and (lazy or id(n) not in called):
            found.add(name)
    return found
