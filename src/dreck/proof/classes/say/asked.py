"""Classes that an `isinstance` finds by what an object derives from, and by nothing else (language reference, 3.3.4).

A metaclass may answer otherwise, an abstract class may be told what is of it (`register`). What the classes of the
library do is looked up there, for those modules that do nothing when they are imported.
"""

import abc
import ast
import enum
from functools import lru_cache
from importlib import import_module

from dreck.model.names.bindings import Bindings, bindings_of
from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node
from dreck.proof.classes.above import roots_of
from dreck.proof.classes.say.inverting import last_of
from dreck.source.functions import FunctionNode

HOOKS = frozenset({"__instancecheck__", "__subclasscheck__", "__subclasshook__", "__class_getitem__"})
_LOOKED_INTO = frozenset(
    {"builtins", "abc", "argparse", "ast", "collections", "collections.abc", "configparser", "contextlib", "datetime",
     "decimal", "enum", "fractions", "html.parser", "io", "json", "logging", "numbers", "pathlib", "queue", "random",
     "string", "threading", "typing", "unittest", "uuid"}
)  # fmt: skip
_BY_FORM = {"typing.Generic": type, "typing.NamedTuple": type}
"""What these make of a class, whatever they are themselves."""


def is_asked_plainly(node: ast.ClassDef, names: ModuleNames) -> bool:
    """Whether only what derives from a class of the files is said to be of it."""
    if _speaks_of_hooks(names):
        return False
    kinds = [_metaclass(source) for source in roots_of(node, names)]
    if None in kinds or not _are_as_written(node, names):
        return False
    return abc.ABCMeta not in kinds or not _registers(names)


def _are_as_written(node: ast.ClassDef, names: ModuleNames) -> bool:
    """Whether no decorator may have put another class in the place of one that a class derives from."""
    classes = [
        (n, tree) for tree in (names.tree, *names.trees) for n in every_node(tree) if isinstance(n, ast.ClassDef)
    ]
    pending, seen = [last_of(base) for base in node.bases], set[str]()
    while pending:
        name = pending.pop()
        if name in seen:
            continue
        seen.add(name)
        for kind, tree in classes:
            if kind.name == name:
                if not all(gives_it_back(d, bindings_of(tree)) for d in kind.decorator_list):
                    return False
                pending += map(last_of, kind.bases)
    return True


@lru_cache(maxsize=256)
def _metaclass(source: str) -> type | None:
    """The class of a class of the library, where it is one that leaves `isinstance` alone; None for all others."""
    if source in _BY_FORM:
        return _BY_FORM[source]
    module, _, name = source.rpartition(".")
    found = getattr(import_module(module), name, None) if module in _LOOKED_INTO else None
    found = getattr(found, "__origin__", found) if module == "typing" else found
    if found is abc.ABCMeta:
        return abc.ABCMeta
    of = type(found)
    return of if of in (type, abc.ABCMeta, enum.EnumMeta) and found is not type else None


@lru_cache(maxsize=16)
def _speaks_of_hooks(names: ModuleNames) -> bool:
    for tree in (names.tree, *names.trees):
        for n in every_node(tree):
            match n:
                case ast.FunctionDef(name=word) | ast.AsyncFunctionDef(name=word) | ast.Constant(value=str() as word):
                    pass
                case ast.Attribute(attr=word) | ast.Name(id=word) | ast.alias(name=word):
                    pass
                case _:
                    continue
            if word in HOOKS:
                return True
    return False


@lru_cache(maxsize=16)
def _registers(names: ModuleNames) -> bool:
    """Whether a file may tell an abstract class what is of it: it speaks of `register`, and not as a function's."""
    for tree in (names.tree, *names.trees):
        known = bindings_of(tree)
        for n in every_node(tree):
            match n:
                case ast.Attribute(value=ast.Name(id=name), attr="register"):
                    bound = known.of.get(name, [])
                    if len(bound) != 1 or name in known.rebound or not isinstance(bound[0], FunctionNode | ast.Import):
                        return True
                case ast.Attribute(attr="register") | ast.Constant(value="register"):
                    return True
                case ast.Call(func=ast.Name(id="getattr"), args=[of, name, *_]):
                    if not isinstance(name, ast.Constant) and getattr(of, "id", "") != "self":
                        return True  # what it asks for has a name that is worked out
    return False


_GIVING_BACK = {"dataclasses": {"dataclass"}, "functools": {"total_ordering"}, "typing": {"final", "runtime_checkable"}}


def gives_it_back(d: ast.expr, known: Bindings) -> bool:
    """A decorator of the library, imported by its name, that leaves the name to the class that is written there."""
    word = d.func if isinstance(d, ast.Call) else d
    match known.of.get(word.id, []) if isinstance(word, ast.Name) else []:
        case [ast.ImportFrom(module=str() as module, level=0)]:
            return isinstance(word, ast.Name) and word.id in _GIVING_BACK.get(module, ())
    return False
