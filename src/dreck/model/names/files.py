"""Files that an import reads: the module or package beside a file, and the folder that packages lie in."""

import ast
from pathlib import Path


def file_of(s: ast.ImportFrom, path: Path) -> Path | None:
    """The module beside `path` that an import reads, when there is one."""
    place = place_of(s, path)
    is_package = (place / "__init__.py").is_file()  # which comes before a module of that name
    found = place.with_name(f"{place.name}.py") if s.module and not is_package else None
    return found if found is not None and found.is_file() and found.resolve() != path.resolve() else None


def package_of(s: ast.ImportFrom, path: Path) -> Path | None:
    """The package around or beside `path` that an import reads, when there is one."""
    found = place_of(s, path) / "__init__.py"
    return found if found.is_file() and found.resolve() != path.resolve() else None


def place_of(s: ast.ImportFrom, path: Path) -> Path:
    folder = path.absolute().parent if s.level else root_of(path)
    for _ in range(s.level - 1):
        folder = folder.parent
    return folder.joinpath(*s.module.split(".")) if s.module else folder


def root_of(path: Path) -> Path:
    """The folder from which the packages around a file are imported."""
    folder = path.absolute().parent
    while (folder / "__init__.py").exists() and folder.parent != folder:
        folder = folder.parent
    return folder
