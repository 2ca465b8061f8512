"""What of an imported module or class is taken to be there, and to be the same for good, where a table holds it."""

import ast
from functools import lru_cache
from importlib import import_module
from types import BuiltinFunctionType, FunctionType

from dreck.model.names.elsewhere.resetting import is_set_somewhere
from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node

_WORKING_OUT = frozenset(
    {
        "base64", "binascii", "bisect", "cmath", "codecs", "colorsys", "copy", "functools", "hashlib", "heapq", "html",
        "itertools", "json", "math", "operator", "os.path", "posixpath", "re", "shlex", "statistics", "string",
        "struct", "textwrap", "unicodedata", "urllib.parse", "zlib",
    }
)  # fmt: skip
"""Modules of the library whose functions work things out, and have nothing to do with the world: tests do not put
others in their place."""


_REACHING = frozenset({"import_module", "__import__", "modules", "globals", "vars", "locals", "eval", "exec"})
"""What leads to any module."""


def is_steady(names: ModuleNames, e: ast.expr) -> bool:
    """`termios.CS8`: a name in capitals of what is imported above; `json.loads`: a function that works things out."""
    root, words = e, list[str]()
    while isinstance(root, ast.Attribute):
        words.append(root.attr)
        root = root.value
    if not words or not isinstance(root, ast.Name) or not names.is_imported(root.id):
        return False
    if any(is_set_somewhere(names, word) for word in words):
        return False
    if not names.is_settled(root.id, e.lineno) or names.kind(root.id) != "stable":
        return False
    module = _modules(names.tree).get(root.id, "")
    for handed in (_handed_on(tree) for tree in (names.tree, *getattr(names, "trees", ()))):
        if module and (module in handed or handed & _REACHING):
            return False
    return words[0].strip("_").isupper() or works_out(names, e)


@lru_cache(maxsize=32)
def _handed_on(tree: ast.Module) -> frozenset[str]:
    """The modules that a file speaks of as a whole somewhere, and not just for what they have: whoever is given one may
    set what is in it. And the ways to come to modules without naming them."""
    nodes = every_node(tree)
    held = {id(n.value) for n in nodes if isinstance(n, ast.Attribute)}
    whole = {n.id for n in nodes if isinstance(n, ast.Name) and id(n) not in held}
    said = whole | {n.attr for n in nodes if isinstance(n, ast.Attribute)}
    return frozenset(module for name, module in _modules(tree).items() if name in whole) | (said & _REACHING)


@lru_cache(maxsize=32)
def _modules(tree: ast.Module) -> dict[str, str]:
    """What the file calls the modules that it imports, and what these are called where they are imported from."""
    found: dict[str, str] = {}
    for n in every_node(tree):
        match n:
            case ast.Import(names=aliases):
                roots = ((a.name.partition(".")[0], a) for a in aliases)
                found |= {a.asname or root: a.name if a.asname else root for root, a in roots}
            case ast.ImportFrom(module=str() as source, names=aliases):
                whole = ((a.asname or a.name, f"{source}.{a.name}") for a in aliases)
                found |= {name: module for name, module in whole if module in _WORKING_OUT}
    return found


def works_out(names: ModuleNames, e: ast.expr) -> bool:
    """Whether an expression names a function or class of the library that only works something out."""
    source = names.stands_for(e)
    return bool(source) and not names.is_of_project(source) and _is_there(source)


@lru_cache(maxsize=256)
def _is_there(source: str) -> bool:
    module, _, name = source.rpartition(".")
    if module not in _WORKING_OUT or name.startswith("_"):
        return False
    return isinstance(getattr(import_module(module), name, None), FunctionType | BuiltinFunctionType | type)
