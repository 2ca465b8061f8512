"""Classes of which nothing is but what derives from them, and those of the library that no constant is of.

Read once more: how a class of the library answers `isinstance` is asked of the class itself, as it is in this Python.
"""

import ast
from abc import ABCMeta
from functools import lru_cache
from importlib import import_module

from dreck.model.names.bindings import bindings_of
from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node, once_per_tree
from dreck.proof.classes.above import roots_of

_SAFE = ["builtins", "abc", "argparse", "ast", "collections", "collections.abc", "configparser", "contextlib"]
_SAFE += ["datetime", "decimal", "enum", "fractions", "html.parser", "io", "json", "logging", "numbers", "pathlib"]
_SAFE += ["queue", "random", "string", "threading", "typing", "unittest", "uuid"]
"""Modules that may be imported to look at what they hold."""
_HOOKED = {"__instancecheck__", "__subclasscheck__", "__subclasshook__", "__class_getitem__"}
_KEEPING = {"dataclass", "total_ordering", "final", "runtime_checkable"}
_CONSTANTS = (0, True, 1.5, 1j, "", b"", None, ..., ())


def is_closed(node: ast.ClassDef, names: ModuleNames) -> bool:
    """Whether nothing is of a class of the files but what is made by it and by those below it."""
    trees = (names.tree, *names.trees)
    if any(_said(n) & _HOOKED for tree in trees for n in every_node(tree)):
        return False
    found = [_of_the_library(source) for source in sorted(roots_of(node, names))]
    if not all(found) or not _stands_for_itself(node, trees):
        return False
    kinds = [kind for (kind,) in filter(None, found)]
    asked = {_asked_by(kind if isinstance(kind, type) and issubclass(kind, type) else type(kind)) for kind in kinds}
    if asked <= {"type"}:
        return True
    return asked <= {"type", "ABCMeta"} and not any(map(_tells_what_is_of_it, trees))


def _asked_by(meta: type) -> str:
    """The class whose `__instancecheck__` a metaclass has."""
    return next(kind.__name__ for kind in meta.__mro__ if "__instancecheck__" in vars(kind))


def is_of_no_constant(kind: ast.expr, tree: ast.Module) -> bool:
    """Whether an expression names a class of the library, imported once or a builtin, that no constant is of."""
    module, name = _comes_from(kind, tree)
    found = _of_the_library(f"{module or 'builtins'}.{name}")
    if found is None or not isinstance(found[0], type) or _asked_by(type(found[0])) != "type":
        return False
    return not any(isinstance(value, found[0]) for value in _CONSTANTS)


@lru_cache(maxsize=256)
def _of_the_library(source: str) -> tuple[object] | None:
    """What a dotted name of the library stands for; None where that may not be looked at."""
    module, _, name = source.rpartition(".")
    if module not in _SAFE:
        return None
    there = vars(import_module(module))
    if name not in there:
        return None
    found = there[name]
    if source in ("typing.Generic", "typing.NamedTuple"):
        return (object,)
    found = getattr(found, "__origin__", found) if module == "typing" else found
    made = found.__class__.__name__
    if found is ABCMeta or made in ("type", "ABCMeta", "EnumMeta", "EnumType"):
        return None if found is type else (found,)
    return None


def _stands_for_itself(node: ast.ClassDef, trees: tuple[ast.Module, ...]) -> bool:
    """Whether the classes that one derives from are those of their statements, with no other in their place."""
    words = {_last(base) for base in node.bases}
    kinds = [n for tree in trees for n in every_node(tree) if isinstance(n, ast.ClassDef)]
    for _ in kinds:
        words |= {_last(base) for kind in kinds if kind.name in words for base in kind.bases}
    told = {_last(d.func if isinstance(d, ast.Call) else d) for k in kinds if k.name in words for d in k.decorator_list}
    bound = [s for tree in trees for word in told for s in bindings_of(tree).of.get(word, [])]
    return told <= _KEEPING and all(isinstance(s, ast.ImportFrom) and not s.level for s in bound)


@once_per_tree
def _tells_what_is_of_it(tree: ast.Module) -> bool:
    """Whether a file may register with an abstract class: what it registers with is no function and no module."""
    known = bindings_of(tree)
    for n in every_node(tree):
        if getattr(n, "value", None) == "register" or _asks_by_any_name(n):
            return True
        if getattr(n, "attr", "") == "register":
            of = getattr(getattr(n, "value", None), "id", "")
            kinds = [type(s) for s in known.of.get(of, ())]
            if of in known.rebound or kinds not in ([ast.FunctionDef], [ast.AsyncFunctionDef], [ast.Import]):
                return True
    return False


def _asks_by_any_name(n: ast.AST) -> bool:
    """`getattr(Load, word)`, of anything but `self`."""
    asks = isinstance(n, ast.Call) and ast.unparse(n.func) == "getattr" and len(n.args) > 1
    return asks and not isinstance(n.args[1], ast.Constant) and ast.unparse(n.args[0]) != "self"  # type: ignore[attr-defined]


def _comes_from(e: ast.expr, tree: ast.Module) -> tuple[str, str]:
    """The module and the name of what is imported once; no module for a builtin; ('', '') for what is not known."""
    known, told = bindings_of(tree), ast.unparse(e)
    first = told.partition(".")[0]
    statements = known.of.get(first, [])
    if known.dynamic or first in known.rebound:
        return "", ""
    if isinstance(e, ast.Name) and not statements:
        return "", "" if known.stars else e.id
    if len(statements) != 1:
        return "", ""
    match statements[0]:
        case ast.ImportFrom(module=str() as module, level=0, names=aliases) if isinstance(e, ast.Name):
            return module, next((a.name for a in aliases if (a.asname or a.name) == e.id), "")
        case ast.Import(names=aliases) if all(a.asname is None for a in aliases):
            module, _, name = told.rpartition(".")
            return module, name
    return "", ""


def _said(n: ast.AST) -> set[object]:
    words = (getattr(n, field, None) for field in ("name", "id", "attr", "value", "asname"))
    return {word for word in words if isinstance(word, str)}


def _last(e: ast.expr) -> str:
    opened = e.value if isinstance(e, ast.Subscript) else e
    return opened.attr if isinstance(opened, ast.Attribute) else getattr(opened, "id", "")
