"""Whether members of enums stay what they are: looked at once more by the texts alone.

`enum` refuses to bind a member anew. What gets past that has to lay hands on what `type` sets attributes by.
"""

import ast
import enum
from collections.abc import Iterator
from typing import Any

from dreck.model.names.nodes import every_node, once_per_tree
from dreck.source.functions import FunctionNode

_SETTING = ("__setattr__", "__delattr__")
_MAKERS = ("type", "EnumMeta", "EnumType")
_ASKING = ("isinstance", "issubclass", "map")


@once_per_tree
def may_put_members(tree: ast.Module) -> bool:
    """Whether anything in a file may put another thing in the place of a member."""
    above = {child: n for n in every_node(tree) for child in ast.iter_child_nodes(n)}
    return any(_lays_hands_on(n, above, tree) or _looks_deep(n) for n in every_node(tree))


def hands_on(tree: ast.Module, kind: str) -> bool:
    """Whether a call is given a class and something behind it, which is what setting one of its attributes takes."""
    for n in every_node(tree):
        if isinstance(n, ast.Call) and len(n.args) >= 2 and not (isinstance(n.func, ast.Name) and n.func.id in _QUIET):
            first = n.args[0]
            if kind in (getattr(first, "id", ""), getattr(first, "attr", "")):
                return True
    return False


VALUED: dict[tuple[str, ...], type] = {
    ("enum.IntEnum",): int,
    ("builtins.int", "enum.Enum"): int,
    ("enum.StrEnum",): str,
    ("builtins.str", "enum.Enum"): str,
}
"""Enums that are numbers or texts themselves, by their bases."""
_OF_METHODS = {"property", "cached_property", "staticmethod", "classmethod"}
_SHOWING = {"__str__", "__repr__", "__format__"}


def members_made(node: ast.ClassDef, data: type = object) -> frozenset[str]:
    """The members of an enum that nothing decorates, where Python makes as many as are written; else none.

    `data`: what the members are beside; of a plain enum they are nothing else.
    """
    values: list[tuple[str, object]] = []
    methods: list[str] = []
    for s in node.body:
        match s:
            case ast.Assign(targets=[ast.Name(id=name)], value=ast.Constant(value=value)):
                if data is not object and type(value) is not data:
                    return frozenset()
                values.append((name, value))
            case ast.Assign(targets=[ast.Name(id=name)], value=ast.UnaryOp(op=ast.USub(), operand=ast.Constant() as n)):
                if data is str or type(n.value) is not int:
                    return frozenset()
                values.append((name, -n.value))
            case ast.Assign(targets=[ast.Name(id=name)], value=ast.Call(func=called, args=[], keywords=[])):
                if data is str or ast.unparse(called).rpartition(".")[2] != "auto":
                    return frozenset()
                values.append((name, enum.auto()))
            case ast.FunctionDef(name=name, decorator_list=told):
                shows = data is not object and name in _SHOWING and not told
                if not ({ast.unparse(d).rpartition(".")[2] for d in told} <= _OF_METHODS):
                    return frozenset()
                methods += [] if shows else [name]
            case ast.Pass() | ast.Expr(value=ast.Constant()):
                continue
            case _:
                return frozenset()
    names = [*(name for name, _ in values), *methods]
    autos = sum(isinstance(value, enum.auto) for _, value in values)
    plain = len(set(names)) == len(names) and autos in (0, len(values))
    if not values or not plain or any(name.startswith("_") for name in names):
        return frozenset()
    try:
        made: Any = enum.Enum("made", values, type=None if data is object else data)  # type: ignore[misc]
    except (TypeError, ValueError):
        return frozenset()
    found = {name for name, _ in values if getattr(made, name, None) is made.__members__.get(name)}
    return frozenset(found) if len(found) == len(made) == len(values) else frozenset()


_QUIET = (*_ASKING, "filter", "cast", "getattr", "hasattr", "zip", "sorted")


def _looks_deep(n: ast.AST) -> bool:
    """What objects are made of, or a class of classes asked for something by a name that is worked out."""
    if isinstance(n, ast.Import | ast.ImportFrom):
        words = [a.name for a in n.names] if isinstance(n, ast.Import) else [n.module or ""]
        return any(word.split(".")[0] in ("gc", "ctypes") for word in words)
    asks = isinstance(n, ast.Call) and isinstance(n.func, ast.Name) and n.func.id == "getattr" and len(n.args) > 1
    if not asks or not isinstance(n, ast.Call) or isinstance(n.args[1], ast.Constant):
        return False
    written = ast.unparse(n.args[0])
    return written.split(".")[-1] == "type" or written.count("type(") + written.count("__class__") > 1


def _lays_hands_on(n: ast.AST, above: dict[ast.AST, ast.AST], tree: ast.Module) -> bool:
    if isinstance(n, ast.Constant) and isinstance(n.value, str):
        return n.value.split(".")[-1] in _SETTING
    if isinstance(n, ast.alias):
        return n.asname is not None and n.name in _MAKERS
    if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Load) and n.id in _MAKERS:
        return not _is_only_asked(n, above)
    if not isinstance(n, ast.Attribute):
        return False
    base = n.value.id if isinstance(n.value, ast.Name) else ""
    if n.attr == "__class__":
        return isinstance(n.ctx, ast.Store) and base != "self"
    if n.attr in _MAKERS:
        is_a_base = isinstance(above.get(n), ast.ClassDef)
        return not is_a_base and (n.attr != "type" or base == "builtins")
    if n.attr not in _SETTING:
        return False
    of_super = isinstance(n.value, ast.Call) and ast.unparse(n.value) == "super()"
    of_object = base == "object" and "object" not in _bound(tree)
    call = above.get(n)
    given = call.args if isinstance(call, ast.Call) and call.func is n else []
    bound = len(given) == 1 + (n.attr == "__setattr__")  # `load.__setattr__(name, value)`
    of_one = bound and not any(isinstance(a, ast.Starred) for a in given)
    return not isinstance(n.ctx, ast.Load) or not (of_super or of_object or of_one)


def _is_only_asked(n: ast.Name, above: dict[ast.AST, ast.AST]) -> bool:
    """Called, compared, derived from, said of a type, or the function's own variable."""
    holder = above[n]
    within = above[holder] if isinstance(holder, ast.Tuple) else holder
    match holder:
        case ast.Call(func=called) if called is n:
            return True
        case ast.Compare() | ast.ClassDef():
            return True
        case ast.keyword(arg="key"):
            return True
        case ast.Subscript(value=value) if value is n:
            return True
    if isinstance(within, ast.Call) and isinstance(within.func, ast.Name) and within.func.id in _ASKING:
        return True
    return _is_annotation(n, above) or any(n.id in _own(f) for f in _functions_around(n, above))


def _is_annotation(n: ast.AST, above: dict[ast.AST, ast.AST]) -> bool:
    while isinstance(n, ast.expr):
        holder = above[n]
        if n in (getattr(holder, "annotation", None), getattr(holder, "returns", None)):
            return True
        n = holder
    return False


def _functions_around(n: ast.AST, above: dict[ast.AST, ast.AST]) -> Iterator[FunctionNode]:
    """The functions in whose bodies it stands."""
    while n in above:
        holder = above[n]
        if isinstance(holder, ast.FunctionDef | ast.AsyncFunctionDef) and n in holder.body:
            yield holder
        n = holder


def _own(function: FunctionNode) -> set[str]:
    """The names that anything in a function binds."""
    return set(_words(function))


@once_per_tree
def _bound(tree: ast.Module) -> frozenset[str]:
    return frozenset(_words(tree))


def _words(root: ast.AST) -> Iterator[str]:
    for n in ast.walk(root):
        if isinstance(n, ast.Name) and not isinstance(n.ctx, ast.Load):
            yield n.id
        elif isinstance(n, ast.arg):
            yield n.arg
        elif isinstance(n, ast.alias):
            yield n.asname or n.name
        elif isinstance(n, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
            yield n.name
