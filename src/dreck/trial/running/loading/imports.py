"""Modules of the project: where they belong, and how one is executed with its neighbours at hand."""

import ast
import importlib
import importlib.abc
import importlib.machinery
import sys
import types
from collections.abc import Sequence
from pathlib import Path
from typing import Any


class CannotRun(Exception):
    """The function cannot be imported or called; the message says why and what to do."""


class NotExecuted(CannotRun):
    """Its module cannot be executed, whatever function is asked for."""

    of_old = False
    """Whether it is the old version's."""


def executed(path: str, tree: ast.Module, names: dict[str, Any], imported: bool) -> types.ModuleType:
    """The module of `tree`, which stands at `path`, executed with `names` in it. Raises CannotRun.

    `imported`: by way of an import, so that it is the one all its neighbours see; else beside the one they see.
    """
    package, name = _placed(Path(path))
    _forget_installed(Path(path))
    try:
        code = compile(tree, path, "exec", dont_inherit=True)
        if imported and name not in sys.modules:
            sys.meta_path.insert(0, _Finder(name, path, code, names))
            return importlib.import_module(name)
        module = _beside(Path(path), package, name)
        module.__dict__.update(names)
        exec(code, module.__dict__)
    except (Exception, SystemExit) as error:
        raise NotExecuted(f"its module cannot be executed: {type(error).__name__}: {error}") from None
    return module


class _Finder(importlib.abc.MetaPathFinder, importlib.abc.Loader):
    """Finds one module, and executes for it the code it was given."""

    def __init__(self, name: str, path: str, code: types.CodeType, names: dict[str, Any]) -> None:
        self._name, self._path, self._code, self._names = name, path, code, names

    def find_spec(self, fullname: str, path: Sequence[str] | None, target: Any = None) -> Any:
        if fullname != self._name:
            return None
        spec = importlib.machinery.ModuleSpec(fullname, self, origin=self._path)
        if Path(self._path).stem == "__init__":
            spec.submodule_search_locations = [str(Path(self._path).parent)]
        spec.has_location = True
        return spec

    def exec_module(self, module: types.ModuleType) -> None:
        module.__dict__.update(self._names)
        exec(self._code, module.__dict__)


def project_of(path: Path) -> Path:
    """The folder that has to be on the path for the module at `path` to be imported."""
    folder = path.absolute().parent
    while (folder / "__init__.py").exists() and folder.parent != folder:
        folder = folder.parent
    return folder


def whole_project(path: Path) -> Path:
    """The folder of all that belongs to the project of a module: what it may read when it is tried."""
    home = Path.home()
    for folder in path.absolute().parents:
        if folder == home or folder == home.parent:
            break
        if any((folder / mark).exists() for mark in (".git", "pyproject.toml", ".dreck")):
            return folder
    return project_of(path)


def put_on_path(folder: Path) -> None:
    """Modules of the project are found before installed ones, but never in the place of Python's own."""
    if str(folder) not in sys.path:
        places = ("site-packages", "dist-packages")
        installed = (i for i, place in enumerate(sys.path) if place.endswith(places))
        sys.path.insert(next(installed, len(sys.path)), str(folder))


def _placed(path: Path) -> tuple[str, str]:
    """The package and the name an import would give the module at `path`, its folders put on the path."""
    folder, parts = path.absolute().parent, [path.stem]
    while (folder / "__init__.py").exists() and folder.parent != folder:
        parts.insert(0, folder.name)
        folder = folder.parent
    put_on_path(folder)
    root = whole_project(path)
    for beside in (root / "src", root):  # as the project's own tests find its packages
        if beside != folder and beside.is_dir():
            put_on_path(beside)
    if parts[-1] == "__init__":
        parts.pop()
    name = ".".join(parts)
    return (name if path.stem == "__init__" else name.rpartition(".")[0]), name


def _forget_installed(path: Path) -> None:
    """What is installed under a name that this project has itself is imported no more: it was of another version."""
    project = project_of(path)
    for name in [n for n in sys.modules if n.partition(".")[0] not in ("dreck", *sys.stdlib_module_names)]:
        file = getattr(sys.modules[name], "__file__", None)
        if file and stands_in(project, name.partition(".")[0]) and not Path(file).is_relative_to(project):
            del sys.modules[name]


def stands_in(project: Path, name: str) -> bool:
    """Whether a project has a module or package of that name."""
    return (project / f"{name}.py").is_file() or (project / name / "__init__.py").is_file()


def _beside(path: Path, package: str, name: str) -> types.ModuleType:
    """An empty module with the names and the package an import would give it."""
    if package:
        try:
            importlib.import_module(package)
        except Exception as error:
            raise CannotRun(f"its package {package} cannot be imported: {type(error).__name__}: {error}") from None
    module = types.ModuleType(name)
    module.__file__ = str(path)
    module.__package__ = package
    module.__spec__ = importlib.machinery.ModuleSpec(name, None, origin=str(path))
    # Dataclasses and enums look their module up while classes are made.
    sys.modules.setdefault(name, module)
    return module
