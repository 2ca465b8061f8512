"""The modules of this Python's library and of installed packages, found and read without importing them."""

import ast
import os
import re
import sys
from dataclasses import dataclass, field
from functools import cached_property, lru_cache
from importlib.machinery import ExtensionFileLoader, ModuleSpec, PathFinder
from pathlib import Path
from zipimport import zipimporter


@dataclass(frozen=True, slots=False)
class LibraryModule:
    """The text of a module and its name; `package` is what its relative imports start from."""

    name: str
    file: Path
    text: str

    @property
    def package(self) -> str:
        return self.name if self.file.name == "__init__.py" else self.name.rpartition(".")[0]

    @cached_property
    def tree(self) -> ast.Module:
        return ast.parse(self.text)

    def says(self, word: str) -> bool:
        """Whether the word stands anywhere in the code, texts included; comments and docstrings are left out."""
        return re.search(rf"\b{re.escape(word)}\b", self.text) is not None and word in self._words

    @cached_property
    def _words(self) -> frozenset[str]:
        """Every name of the code, and every word of its texts."""
        found = set[str]()
        pending: list[ast.AST] = [self.tree]
        while pending:
            node = pending.pop()
            for place, value in ast.iter_fields(node):
                for part in value if isinstance(value, list) else [value]:
                    if isinstance(part, ast.Expr) and isinstance(part.value, ast.Constant) and place == "body":
                        continue
                    if isinstance(part, ast.AST):
                        pending.append(part)
                    elif isinstance(part, str | bytes):
                        found.update(_WORD.findall(part if isinstance(part, str) else part.decode("latin-1")))
        return frozenset(found)

    def absolute(self, module: str | None, level: int) -> str:
        """The name of a module that an `import` in this one asks for; '' where it leads out of the package."""
        if not level:
            return module or ""
        above = self.package.split(".")
        kept = above[: len(above) - level + 1]
        return ".".join([*kept, *([module] if module else [])]) if len(kept) == len(above) - level + 1 > 0 else ""


@dataclass(frozen=True, slots=False)
class ReadModule(LibraryModule):
    """A module of the project, of which the tree is known: the file may hold another version by now."""

    known: ast.Module = field(default_factory=lambda: ast.Module([], []))

    @cached_property
    def tree(self) -> ast.Module:
        return self.known

    def says(self, word: str) -> bool:
        return word in self._words


_WORD = re.compile(r"\w+")


# Modules that Python's own library puts into `sys.modules` under a second name (since Python 3.13).
_UNDER_ANOTHER_NAME = {"collections.abc": "_collections_abc"}


@lru_cache(maxsize=64)
def library_module(name: str) -> LibraryModule | None:
    """The module of that name; None where there is no text of it, or none that can be read."""
    spec = _spec(name.split("."))
    if spec is None and name in _UNDER_ANOTHER_NAME:
        return library_module(_UNDER_ANOTHER_NAME[name])
    if spec is None or spec.origin is None or not spec.origin.endswith(".py"):
        return None
    try:
        text = _text(spec)
        tree = ast.parse(text)
    except (ImportError, OSError, ValueError, SyntaxError, RecursionError, MemoryError):
        return None
    if not _PUTS_ANOTHER_THERE.search(text):
        return LibraryModule(name, Path(spec.origin), text)
    other = _put_there(tree)
    beside = _spec(other.split(".")) if other else None
    if beside is None or beside.origin is None or _PUTS_ANOTHER_THERE.search(_text_of(beside)):
        return None  # one that is put in its place by a third
    return library_module(other)


_PUTS_ANOTHER_THERE = re.compile(r"\bmodules\[__name__\]\s*=")


def _put_there(tree: ast.Module) -> str:
    """The module that one puts in its own place in `sys.modules`; '' when that is not plain."""
    whole = {a.name for s in tree.body if isinstance(s, ast.Import) for a in s.names if a.asname is None}
    match tree.body[-1] if tree.body else None:
        case ast.Assign(targets=[ast.Subscript(value=of, slice=ast.Name("__name__"))], value=ast.Name(id=other)):
            return other if ast.unparse(of) == "sys.modules" and other in whole else ""
    return ""


def is_compiled(name: str) -> bool:
    """Whether it is a module of Python's own that has no text: it is part of the interpreter, or stands beside it."""
    if name not in sys.stdlib_module_names:
        return False
    spec = PathFinder.find_spec(name, _places())
    return isinstance(spec.loader, ExtensionFileLoader) if spec is not None else name in sys.builtin_module_names


def _spec(parts: list[str]) -> ModuleSpec | None:
    """Where Python would read the module from; a folder of an archive is a place as any other."""
    if not all(part.isidentifier() for part in parts):
        return None
    places: list[str] | None = _places()
    spec = None
    for n in range(len(parts)):
        if places is None:
            return None
        spec = PathFinder.find_spec(".".join(parts[: n + 1]), places)
        inside = spec.submodule_search_locations if spec is not None else None
        # A package without an `__init__.py` of its own is looked into only where it is the outermost.
        places = list(inside) if inside is not None and (n == 0 or _has_text(spec)) else None
    return spec


def _has_text(spec: ModuleSpec | None) -> bool:
    return spec is not None and spec.origin is not None


def _text(spec: ModuleSpec) -> str:
    if isinstance(spec.loader, zipimporter):
        text = spec.loader.get_source(spec.name)
        if text is None:
            raise ImportError(f"no text of {spec.name}")
        return text
    return Path(str(spec.origin)).read_text(encoding="utf-8")


def _text_of(spec: ModuleSpec) -> str:
    try:
        return _text(spec)
    except (ImportError, OSError, ValueError):
        return ""


def _places() -> list[str]:
    """Where installed modules lie: the folder that the program was called in is not one of them."""
    here = os.path.realpath(os.getcwd())
    return [place for place in sys.path if place and os.path.realpath(place) != here]
