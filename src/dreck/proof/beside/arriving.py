"""What a module imports from files beside it, and which file each name comes from, as Python would find it."""

import ast
import os
from dataclasses import dataclass, field
from functools import lru_cache
from pathlib import Path

from dreck.model.names.bindings import bound_by, statements_of
from dreck.model.names.files import file_of, package_of
from dreck.model.names.linking import Reader
from dreck.model.names.nodes import every_node
from dreck.proof.surroundings.bodies import WithoutBodies


def resolved(path: Path) -> Path:
    """The place itself, links followed; known for a while."""
    return _resolved(path, "" if path.is_absolute() else os.getcwd())


@lru_cache(maxsize=4096)
def _resolved(path: Path, folder: str) -> Path:
    return path.resolve()


@dataclass(slots=True)
class Arriving:
    """Reads the files that modules import; what was found for one is kept."""

    read: Reader
    _imported: "dict[tuple[Path, bool], dict[str, list[tuple[Path, str]]]]" = field(default_factory=dict)
    """By file, and whether it is without the bodies of its functions."""

    def all_of(self, file: Path, seen: tuple[Path, ...] = ()) -> set[str]:
        """What `from file import *` may bind, what the file has so itself among it."""
        tree = self.read(file) if file not in seen else None
        if tree is None:
            return set()
        own = {name for s in statements_of(tree.body) for name in bound_by(s)}
        return own.union(*(self.all_of(inner, (*seen, file)) for inner in self._opened(file, tree)))

    def _opened(self, path: Path, tree: ast.Module) -> list[Path]:
        """The files of which a module takes all names."""
        stars = (s for s in every_node(tree) if isinstance(s, ast.ImportFrom) and s.names[0].name == "*")
        return [file for s in stars if (file := file_of(s, path) or package_of(s, path)) is not None]

    def imports(self, path: Path, tree: ast.Module) -> dict[str, list[tuple[Path, str]]]:
        """For each name, the files beside that it comes from, and what it is called there; '*' for a whole module."""
        key = path, isinstance(tree, WithoutBodies)
        if key not in self._imported:
            self._imported[key] = self._imported_by(path, tree)
        return self._imported[key]

    def by_stars(self, path: Path, tree: ast.Module) -> set[str]:
        """The names that a module may have by `from beside import *`."""
        return {name for file in self._opened(path, tree) for name in self.all_of(file)}

    def _imported_by(self, path: Path, tree: ast.Module) -> dict[str, list[tuple[Path, str]]]:
        found: dict[str, list[tuple[Path, str]]] = {}
        for s in every_node(tree):
            if isinstance(s, ast.ImportFrom):
                file = file_of(s, path) or package_of(s, path)
                for alias in s.names:
                    if file is not None:
                        for name in self.all_of(file) if alias.name == "*" else ():
                            found.setdefault(name, []).append((file, name))
                        found.setdefault(alias.asname or alias.name, []).append((file, alias.name))
                    inner = file_of(ast.ImportFrom(".".join(filter(None, (s.module, alias.name))), [], s.level), path)
                    if inner is not None:
                        found.setdefault(alias.asname or alias.name, []).append((inner, "*"))
            elif isinstance(s, ast.Import):
                for alias in s.names:
                    parts = alias.name.split(".")
                    first = 1 if alias.asname is None else len(parts)  # `import gate.scales` binds `gate`
                    for upto in range(first, len(parts) + 1):
                        asked = ast.ImportFrom(".".join(parts[:upto]), [], 0)
                        file = file_of(asked, path) or package_of(asked, path)
                        if file is not None:
                            found.setdefault(alias.asname or parts[0], []).append((file, "*"))
        return found
