"""Whether constants of an imported module, or members of an imported class, are plainly equal or plainly different.

Those of Python's own library are compared as they are in this Python; of others the text is read.
"""

import ast
import enum
import sys
from functools import lru_cache
from importlib import import_module

from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node
from dreck.model.names.reaching import set_on_anything
from dreck.source.walking import walk

_HOLDING = frozenset(
    {
        "ast", "calendar", "code", "codecs", "curses", "decimal", "dis", "enum", "errno", "fcntl", "ftplib", "gc",
        "http", "http.client", "imaplib", "inspect", "io", "locale", "logging", "logging.handlers", "marshal", "math",
        "mmap", "opcode", "os", "pickle", "plistlib", "re", "resource", "select", "selectors", "signal", "socket",
        "sqlite3", "ssl", "stat", "string", "struct", "subprocess", "symtable", "sys", "syslog", "tarfile", "termios",
        "token", "tokenize", "tty", "types", "unicodedata", "uuid", "xml.dom", "xml.dom.NodeFilter",
        "xml.parsers.expat.errors", "zipfile", "zlib",
    }
)  # fmt: skip
"""Modules of the library that hold constants, and do nothing but that when they are imported."""
_PLAIN = (int, float, str, bytes, enum.Enum)
_Holder = ast.Module | ast.ClassDef


def are_apart(source: str, words: tuple[str, ...], names: ModuleNames) -> bool | None:
    """True where all are different, False where two are equal, one is not there or the files set one; else None.

    `source` is what the module or class is called where it is imported from.
    """
    if any(_sets(tree, frozenset(words)) for tree in (names.tree, *names.trees)):
        return False
    if not source:
        return None
    if source.partition(".")[0] in sys.stdlib_module_names and not names.is_of_project(source):
        return _differ_here(source, words)
    holder = _holder(source, names)
    return None if holder is None else _differ_as_written(holder, words)


@lru_cache(maxsize=64)
def _sets(tree: ast.Module, words: frozenset[str]) -> bool:
    """Whether a file sets one of these names itself, on whatever."""
    return any(not words.isdisjoint(set_on_anything(n)) for n in every_node(tree))


@lru_cache(maxsize=256)
def _differ_here(source: str, words: tuple[str, ...]) -> bool | None:
    module, _, name = source.rpartition(".")
    try:
        if source in _HOLDING:
            held: object = import_module(source)
        elif module in _HOLDING:
            held = getattr(import_module(module), name, None)
        else:
            return None
    except ImportError:  # a module of another system
        return None
    values = [getattr(held, word) for word in words if hasattr(held, word)]
    if len(values) < len(words):
        return False
    return len(set(values)) == len(values) if all(isinstance(value, _PLAIN) for value in values) else None


def _holder(source: str, names: ModuleNames) -> _Holder | None:
    """The module of that name, or the class of that name at the top of one."""
    found = names.module_called(source)
    if found is not None:
        return found.tree
    module, _, name = source.rpartition(".")
    found = names.module_called(module) if module else None
    kinds = [s for s in found.tree.body if isinstance(s, ast.ClassDef) and s.name == name] if found is not None else []
    return kinds[0] if len(kinds) == 1 else None


def _differ_as_written(holder: _Holder, words: tuple[str, ...]) -> bool | None:
    values = [_value(holder, word) for word in words]
    told = [value.value for value in values if isinstance(value, ast.Constant)]
    if len(set(told)) < len(told):
        return False
    known = {word for word, value in zip(words, values, strict=True) if value is not None}
    if any(isinstance(value, ast.Name) and value.id in known for value in values):
        return False  # another name of the same
    return True if len(told) == len(words) else None


def _value(holder: _Holder, word: str) -> ast.expr | None:
    """What a name is bound to, where one plain statement binds it."""
    bound = [n for s in holder.body for n in walk(s) if isinstance(n, ast.Name) and n.id == word]
    stored = [n for n in bound if not isinstance(n.ctx, ast.Load)]
    for s in holder.body:
        match s:
            case ast.Assign(targets=[ast.Name(id=name)], value=value) if name == word and len(stored) == 1:
                return value
            case ast.AnnAssign(target=ast.Name(id=name), value=ast.expr() as value) if (
                name == word and len(stored) == 1
            ):
                return value
    return None
