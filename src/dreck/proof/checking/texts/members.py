"""Whether members of enums stay what they are: looked at once more by the texts alone.

`enum` refuses to bind a member anew. What gets past that has to lay hands on what `type` sets attributes by.
"""

import ast
from collections.abc import Iterator

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
    return not isinstance(n.ctx, ast.Load) or not (of_super or of_object)


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
