"""Loading one version of a function to run it: its module is executed with the function's tests watched."""

import ast
import importlib.machinery
import importlib.util
import inspect
import sys
import types
import typing
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from types import FunctionType
from typing import Any

from dreck.source.functions import Function, FunctionNode, functions_in
from dreck.trial.inputs.recipes import Make
from dreck.trial.running.instrument import WATCHER, Watched, watched
from dreck.trial.running.nested import CannotLift, lifted
from dreck.trial.running.swap import code_of
from dreck.trial.running.watch import Watcher


class CannotRun(Exception):
    """The function cannot be imported or called; the message says why and what to do."""


@dataclass(slots=True)
class Version:
    """A function ready to run, with its module's names and the outcomes there are to reach."""

    function: Callable[..., Any]
    namespace: dict[str, Any]
    node: FunctionNode
    watched: Watched
    watcher: Watcher
    owner: type | None
    types: dict[str, Any]
    is_property: bool = False
    varying: tuple[str, ...] = ()
    """Plain names of the module that the function reads and that some function binds anew."""
    methods: dict[str, FunctionNode] = field(default_factory=dict)
    beside: dict[str, FunctionNode] = field(default_factory=dict)
    """The other functions of its module."""
    plain: FunctionType | None = None
    """The function without its watching, where that can be had."""
    free: tuple[str, ...] = ()
    """What a function inside another one reads there."""
    tree: ast.Module = field(default_factory=lambda: ast.Module([], []))
    """The module as it is written, `node` among its statements."""
    path: str = ""


def load(path: str, text: str, name: str) -> Version:
    """Executes `text` as the module at `path` and takes the function `name` out of it."""
    tree = ast.parse(text)
    found = next((f for f in functions_in(tree, text) if f.name == name), None)
    if found is None:
        raise CannotRun(f"there is no function {name} in it")
    if found.nested:
        return _load_nested(path, tree, found, functions_in(tree, text))
    seen = watched(found.node)
    code = code_of(tree, path, found.node, found.node)
    written = _copy_around(tree, found.node)
    _replace(tree, found.node, seen.node)
    watcher = Watcher()
    module = _module(Path(path))
    module.__dict__[WATCHER] = watcher
    try:
        exec(compile(tree, path, "exec", dont_inherit=True), module.__dict__)
    except (Exception, SystemExit) as error:
        raise CannotRun(f"its module cannot be executed: {type(error).__name__}: {error}") from None
    function, owner, is_property = _taken(module, name.partition("#")[0], seen.node)
    plain = _with_code(function, code)
    names = _varying(tree, found.node, module.__dict__)
    methods = {n.name: n for n in found.owner.body if isinstance(n, FunctionNode)} if found.owner is not None else {}
    return Version(
        function,
        module.__dict__,
        found.node,
        seen,
        watcher,
        owner,
        _types(function),
        is_property,
        names,
        methods,
        {n.name: n for n in tree.body if isinstance(n, FunctionNode)},
        plain,
        tree=written,
        path=path,
    )


def _load_nested(path: str, tree: ast.Module, found: Function, every: list[Function]) -> Version:
    """A function inside another one, lifted out of it: what it reads there is handed in."""
    try:
        node, free = lifted(found, every)
    except CannotLift as error:
        raise CannotRun(f"it stands inside a function, and {error}; only a proof can judge it") from None
    watcher, module, seen = Watcher(), _module(Path(path)), watched(node)
    module.__dict__[WATCHER] = watcher
    try:
        exec(compile(tree, path, "exec", dont_inherit=True), module.__dict__)
    except (Exception, SystemExit) as error:
        raise CannotRun(f"its module cannot be executed: {type(error).__name__}: {error}") from None
    function = _defined_again(module, seen.node)
    if function is None:
        raise CannotRun("it stands inside a function, and cannot be defined outside of it")
    beside = {n.name: n for n in tree.body if isinstance(n, FunctionNode)}
    names = _varying(tree, node, module.__dict__)
    return Version(
        function, module.__dict__, node, seen, watcher, None, _types(function), False, names, {}, beside, free=free,
        tree=ast.Module([*_future(tree), node], []), path=path,
    )  # fmt: skip


def _copy_around(tree: ast.Module, node: FunctionNode) -> ast.Module:
    """A copy of what stands around a function: the classes it is in, with the very function in them."""

    def around(part: ast.AST) -> list[ast.stmt]:
        found: list[ast.stmt] = []
        for child in ast.iter_child_nodes(part):
            if child is node:
                found.append(node)
            elif isinstance(child, ast.ClassDef) and (inner := around(child)):
                found.append(ast.ClassDef(child.name, [], [], inner, []))
            elif isinstance(child, ast.stmt | ast.ExceptHandler | ast.match_case):
                found += around(child)
        return found

    return ast.Module([*_future(tree), *around(tree)], [])


def _future(tree: ast.Module) -> list[ast.stmt]:
    return [s for s in tree.body if isinstance(s, ast.ImportFrom) and s.module == "__future__"]


def _varying(tree: ast.Module, function: FunctionNode, namespace: dict[str, Any]) -> tuple[str, ...]:
    rebound = {name for n in ast.walk(tree) if isinstance(n, ast.Global) for name in n.names}
    read = {n.id for n in ast.walk(function) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Load)}
    bound = {n.arg for n in ast.walk(function) if isinstance(n, ast.arg)}
    plain = (bool, int, float, str, type(None))
    return tuple(sorted(n for n in rebound & read - bound if isinstance(namespace.get(n, print), plain)))


def _with_code(function: Any, code: types.CodeType) -> FunctionType | None:
    if not isinstance(function, FunctionType) or code.co_freevars != function.__code__.co_freevars:
        return None
    made = types.FunctionType(
        code, function.__globals__, function.__name__, function.__defaults__, function.__closure__
    )
    made.__kwdefaults__ = function.__kwdefaults__
    return made


def _replace(tree: ast.AST, old: ast.AST, new: ast.AST) -> None:
    for node in ast.walk(tree):
        for _, value in ast.iter_fields(node):
            if not isinstance(value, list):
                continue
            for index, item in enumerate(value):
                if item is old:
                    value[index] = new
                    return


def project_of(path: Path) -> Path:
    """The folder that has to be on the path for the module at `path` to be imported."""
    folder = path.parent
    while (folder / "__init__.py").exists():
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


def _module(path: Path) -> types.ModuleType:
    """An empty module with the names and the package an import would give it."""
    folder, parts = path.parent, [path.stem]
    while (folder / "__init__.py").exists():
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
    package = name if path.stem == "__init__" else name.rpartition(".")[0]
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


def forget_neighbours(path: Path) -> None:
    """The other version stands elsewhere and brings its own neighbours: those of this one are imported no more."""
    folder = project_of(path)
    if str(folder) in sys.path:
        sys.path.remove(str(folder))
    for name, module in list(sys.modules.items()):
        file = getattr(module, "__file__", None)
        if file and Path(file).is_relative_to(folder) and not name.startswith("dreck") and "site-packages" not in file:
            del sys.modules[name]


def _taken(module: types.ModuleType, dotted: str, node: FunctionNode) -> tuple[Callable[..., Any], type | None, bool]:
    holder: Any = module
    *outer, last = dotted.split(".")
    for part in outer:
        holder = getattr(holder, part, None)
    owner = holder if isinstance(holder, type) else None
    if owner is not None and last.startswith("__") and not last.endswith("__"):
        last = f"_{owner.__name__.lstrip('_')}{last}"
    found = inspect.getattr_static(holder, last, None) if holder is not None else None
    function = _unwrapped(found)
    if not outer and (function is None or function.__module__ != module.__name__):
        function = _defined_again(module, node)  # another module's function has taken its name since
    if function is None or function.__code__.co_name != node.name:
        raise CannotRun(f"{dotted} is not there as a plain function once the module is executed")
    return function, None if isinstance(found, staticmethod) else owner, isinstance(found, property)


def _defined_again(module: types.ModuleType, node: FunctionNode) -> types.FunctionType | None:
    """The function as the module writes it, among the names the module has in the end."""
    own: dict[str, Any] = {}
    tree = ast.fix_missing_locations(ast.Module([node], []))
    try:
        exec(compile(tree, str(module.__file__), "exec", dont_inherit=True), module.__dict__, own)
    except Exception:
        return None
    return _unwrapped(own.get(node.name))


def _unwrapped(found: Any) -> types.FunctionType | None:
    for _ in range(10):
        match found:
            case types.FunctionType() if not hasattr(found, "__wrapped__"):
                return found
            case property():
                found = found.fget
            case staticmethod() | classmethod():
                found = found.__func__
            case _ if hasattr(found, "__wrapped__"):
                found = found.__wrapped__
            case _ if hasattr(found, "func"):
                found = found.func
            case _:
                return None
    return None


def _types(function: Callable[..., Any]) -> dict[str, Any]:
    """The annotated types of parameters whose default agrees with them."""
    try:
        hints = typing.get_type_hints(function)
    except Exception:
        return {}
    hints.pop("return", None)
    for name, parameter in inspect.signature(function).parameters.items():
        if parameter.default is None and name in hints:
            hints[name] = typing.Optional[hints[name]]  # noqa: UP045 - hints may be a string alias
        if parameter.kind in (parameter.VAR_POSITIONAL, parameter.VAR_KEYWORD):
            hints.pop(name, None)
    return hints


def plausible(version: Version) -> dict[str, list[Make]]:
    """What stands at a parameter or a module's name when nobody says otherwise, and `other` beside a `self`."""
    found: dict[str, list[Make]] = {name: [Make("as it is")] for name in version.varying}
    for name, parameter in inspect.signature(version.function).parameters.items():
        default = parameter.default
        if isinstance(default, bool | int | float | str | bytes | tuple | type(None)):
            found.setdefault(name, []).append(Make("value", default))
        if name == "other" and version.owner is not None:
            found.setdefault(name, []).append(Make("class", version.owner))
    return found
