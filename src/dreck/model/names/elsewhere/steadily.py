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
    if root.id in _handed_on(names.tree):
        return False
    return words[0].strip("_").isupper() or works_out(names, e)


@lru_cache(maxsize=32)
def _handed_on(tree: ast.Module) -> frozenset[str]:
    """The imported modules that are spoken of as a whole somewhere, and not just for what they have: whoever is given
    one may set what is in it."""
    nodes = every_node(tree)
    modules = {a.asname or a.name.partition(".")[0] for n in nodes if isinstance(n, ast.Import) for a in n.names}
    held = {id(n.value) for n in nodes if isinstance(n, ast.Attribute)}
    return frozenset(n.id for n in nodes if isinstance(n, ast.Name) and n.id in modules and id(n) not in held)


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
