"""The modules of this Python's library and of installed packages, found and read without importing them."""

import ast
import os
import re
import sys
from dataclasses import dataclass
from functools import cached_property, lru_cache
from importlib.machinery import ExtensionFileLoader, PathFinder
from pathlib import Path


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
        """Whether the word stands anywhere in the text, comments included."""
        return re.search(rf"\b{re.escape(word)}\b", self.text) is not None

    def absolute(self, module: str | None, level: int) -> str:
        """The name of a module that an `import` in this one asks for; '' where it leads out of the package."""
        if not level:
            return module or ""
        above = self.package.split(".")
        kept = above[: len(above) - level + 1]
        return ".".join([*kept, *([module] if module else [])]) if len(kept) == len(above) - level + 1 > 0 else ""


@lru_cache(maxsize=64)
def library_module(name: str) -> LibraryModule | None:
    """The module of that name; None where there is no text of it, or none that can be read."""
    file = _file(name.split("."))
    if file is None:
        return None
    try:
        text = file.read_text(encoding="utf-8")
        ast.parse(text)
    except (OSError, ValueError, SyntaxError, RecursionError, MemoryError):
        return None
    return LibraryModule(name, file, text)


def is_compiled(name: str) -> bool:
    """Whether it is a module of Python's own that has no text: it is part of the interpreter, or stands beside it."""
    if name not in sys.stdlib_module_names:
        return False
    spec = PathFinder.find_spec(name, _places())
    return isinstance(spec.loader, ExtensionFileLoader) if spec is not None else name in sys.builtin_module_names


def _file(parts: list[str]) -> Path | None:
    spec = PathFinder.find_spec(parts[0], _places()) if all(part.isidentifier() for part in parts) else None
    if spec is None:
        return None
    inside = [Path(place) for place in spec.submodule_search_locations or ()]
    file = Path(spec.origin) if spec.origin else None
    for part in parts[1:]:
        package = next((p / part for p in inside if (p / part / "__init__.py").is_file()), None)
        module = next((p / f"{part}.py" for p in inside if (p / f"{part}.py").is_file()), None)
        file = package / "__init__.py" if package is not None else module
        inside = [package] if package is not None else []
        if file is None:
            return None
    return file if file is not None and file.suffix == ".py" else None


def _places() -> list[str]:
    """Where installed modules lie: the folder that the program was called in is not one of them."""
    here = os.path.realpath(os.getcwd())
    return [place for place in sys.path if place and os.path.realpath(place) != here]
