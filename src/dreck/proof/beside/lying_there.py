"""What lies in the folders of two versions beside modules, and in what order and from where modules come."""

import ast
import sys
from collections.abc import Iterable, Iterator
from pathlib import Path

from dreck.model.names.bindings import bound_by, statements_of
from dreck.model.names.nodes import every_node, once_per_tree
from dreck.proof.surroundings.described import HEADS
from dreck.source.libraries import is_compiled, library_module
from dreck.source.walking import walk

_OF_IMPORTS = frozenset({"path", "meta_path", "path_hooks", "path_importer_cache", "modules"})
_SEEKING = frozenset({"addsitedir", "addpackage", "invalidate_caches", "__path__"})
_RUNNING_HERE = frozenset({"exec", "eval", "execfile"})
_RUNNING = _RUNNING_HERE | {"run_path", "run_module", "spec_from_file_location", "load_source", "SourceFileLoader"}


def hidden_apart(old: Path, new: Path) -> str:
    """Why a module cannot be imported in one of two folders: a package of its name comes before it there."""
    hidden = [(path.with_suffix("") / "__init__.py").is_file() for path in (old, new)]
    return f"the package {old.stem} comes before {old.name} in one version only" if hidden[0] != hidden[1] else ""


def packages_above(path: Path) -> list[Path]:
    """The files of the packages that a file lies in, innermost first: Python runs them before it."""
    found = []
    for folder in path.absolute().parents:
        inner = folder / "__init__.py"
        if not inner.is_file():
            break
        found.append(inner)
    return [file for file in found if file != path.absolute()]


def imported_names(tree: ast.Module) -> set[str]:
    """The names that imports of a module bind, wherever they stand; stars are left out."""
    told = (n for n in every_node(tree) if isinstance(n, ast.Import | ast.ImportFrom))
    return {alias.asname or alias.name.partition(".")[0] for n in told for alias in n.names} - {"*"}


@once_per_tree
def origins_of(tree: ast.Module) -> dict[str, str]:
    """For each name that an import binds, the first part of the name of the module it comes from."""
    found: dict[str, str] = {}
    for n in every_node(tree):
        match n:
            case ast.Import(names=names):
                found |= {a.asname or a.name.partition(".")[0]: a.name.partition(".")[0] for a in names}
            case ast.ImportFrom(module=str() as module, names=names, level=0):
                found |= {a.asname or a.name: module.partition(".")[0] for a in names}
    return found


def what_runs(s: ast.stmt) -> list[ast.AST]:
    """What of a statement runs when its module is imported: of functions their decorators and defaults."""
    match s:
        case ast.FunctionDef(args=spec, decorator_list=told) | ast.AsyncFunctionDef(args=spec, decorator_list=told):
            return [spec, *told]
        case ast.ClassDef(body=body):
            return [*s.bases, *s.keywords, *s.decorator_list, *(part for inner in body for part in what_runs(inner))]
    return [s]


@once_per_tree
def from_the_library(tree: ast.Module) -> set[str]:
    """Those of them that Python's library or an installed package has."""
    found = set[str]()
    for n in every_node(tree):
        match n:
            case ast.Import(names=names):
                told = [(alias.name, alias) for alias in names]
            case ast.ImportFrom(module=str() as module, names=names, level=0):
                told = [(module, alias) for alias in names]
            case _:
                continue
        own = [a for name, a in told if _is_installed(name.partition(".")[0])]
        found |= {a.asname or a.name.partition(".")[0] for a in own}
    return found


def _is_installed(root: str) -> bool:
    return root in sys.stdlib_module_names or library_module(root) is not None or is_compiled(root)


def seeks_elsewhere(statements: Iterable[ast.AST]) -> bool:
    """Whether code has a say in where imports are found: `sys.path`, `sys.modules`, `__path__`."""
    for n in (n for s in statements for n in walk(s)):
        match n:
            case ast.Attribute(value=ast.Name(id="sys"), attr=word) if word in _OF_IMPORTS:
                return True
            case ast.Attribute(attr=word) | ast.Name(id=word) | ast.alias(name=word) if word in _SEEKING:
                return True
            case ast.ImportFrom(module="sys", names=names) if any(a.name in _OF_IMPORTS for a in names):
                return True
    return False


@once_per_tree
def run_from_texts(tree: ast.Module) -> set[str]:
    """The names that may come from texts or files which a module runs when it is imported: those that it reads and
    does not bind itself, and what the statements bind that run them."""
    words = {s: set(_run_in(s)) for s in tree.body if not _is_function(s)}
    if not any(words.values()):
        return set()
    bound = {name for s in statements_of(tree.body) for name in bound_by(s)}
    read = {n.id for n in every_node(tree) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Load)}
    anything = read - bound if any(told & _RUNNING_HERE for told in words.values()) else set[str]()
    running = [s for s, told in words.items() if told]
    return anything | {name for s in statements_of(running) for name in bound_by(s)}


def _run_in(s: ast.stmt) -> Iterator[str]:
    for n in walk(s):
        match n:
            case ast.Call(func=ast.Name(id=word) | ast.Attribute(attr=word), args=args) if word in _RUNNING:
                if not (word in _RUNNING_HERE and args and _is_plain_text(args[0])):
                    yield word


def _is_plain_text(e: ast.expr) -> bool:
    """A text that is written out, and imports nothing."""
    if not (isinstance(e, ast.Constant) and isinstance(e.value, str)):
        return False
    try:
        inner = ast.parse(e.value)
    except (SyntaxError, ValueError):
        return True
    return not any(isinstance(n, ast.Import | ast.ImportFrom | ast.Call) for n in ast.walk(inner))


def _is_function(s: ast.stmt) -> bool:
    return isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef)


@once_per_tree
def words_of(tree: ast.Module) -> frozenset[str]:
    """The names and attributes that a module speaks of; attributes with a dot before them."""
    nodes = every_node(tree)
    attributes = {n.attr for n in nodes if isinstance(n, ast.Attribute)}
    return frozenset({n.id for n in nodes if isinstance(n, ast.Name)} | attributes | {f".{a}" for a in attributes})


def described_apart(words: frozenset[str], old: ast.Module, new: ast.Module) -> bool:
    """Whether `words` ask for what code says of itself, and two modules do not say the same: docstrings, annotations
    that are texts in one version only."""
    if words & HEADS and [ast.dump(s) for s in _futures(old)] != [ast.dump(s) for s in _futures(new)]:
        return True
    return bool(words & {".__doc__", "getdoc", "help"}) and ast.get_docstring(old) != ast.get_docstring(new)


def _futures(tree: ast.Module) -> list[ast.ImportFrom]:
    return [s for s in tree.body if isinstance(s, ast.ImportFrom) and s.module == "__future__"]


_Imports = dict[str, list[tuple[Path, str]]]


def in_order(tree: ast.Module, imports: _Imports) -> Iterator[tuple[str, Path]]:
    """The files beside that a module imports at its top, in order, each once, by how it asks for them."""
    seen = set[Path]()
    for s in statements_of(tree.body):
        for told, file in _files_asked(s, imports):
            if file not in seen:
                seen.add(file)
                yield told, file


def _files_asked(s: ast.stmt, imports: _Imports) -> Iterator[tuple[str, Path]]:
    for alias in s.names if isinstance(s, ast.Import | ast.ImportFrom) else ():
        whole = f"{s.level} {s.module}" if isinstance(s, ast.ImportFrom) else f"import {alias.name}"
        for file, _ in imports.get(alias.asname or alias.name.partition(".")[0], ()):
            inner = f"{alias.name} " if file.name == "__init__.py" or file.stem == alias.name else ""
            yield f"{whole} {inner}{file.name}", file


def behind_what(tree: ast.Module, imports: _Imports) -> dict[str, set[str]]:
    """For each file beside that a module imports, the statements before it that may notice what it does."""
    found: dict[str, set[str]] = {}
    before = set[str]()
    for s in tree.body:
        for inner in statements_of([s]):
            for told, _ in _files_asked(inner, imports):
                found.setdefault(told, set(before))
        is_function = isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef) and not s.decorator_list
        if not is_function and not isinstance(s, ast.Import | ast.ImportFrom):
            before.add(told_by(s))
    return found


@once_per_tree
def told_by(s: ast.stmt) -> str:
    """A statement, told in full."""
    return ast.dump(s)


def asked_alone(tree: ast.Module, imports: _Imports, other: ast.Module) -> set[str]:
    """The files beside that only one of two modules imports, as far as its text says so."""
    there = {ast.dump(s) for s in statements_of(other.body) if isinstance(s, ast.Import | ast.ImportFrom)}
    modules = {word for s in statements_of(other.body) for word in _modules_of(s)}
    return {
        told
        for s in statements_of(tree.body)
        if isinstance(s, ast.Import | ast.ImportFrom) and ast.dump(s) not in there and not _modules_of(s) <= modules
        for told, _ in _files_asked(s, imports)
    }


def _modules_of(s: ast.stmt) -> set[str]:
    match s:
        case ast.Import(names=names):
            return {alias.name for alias in names}
        case ast.ImportFrom(module=str() as module, level=level):
            return {"." * level + module}
        case ast.ImportFrom(names=names, level=level):
            return {"." * level + alias.name for alias in names}
    return set()


def reordered(one: list[str], other: list[str]) -> set[str]:
    """What stands before something in one of two orders, and behind it in the other."""
    mine, theirs = [k for k in one if k in other], [k for k in other if k in one]
    at = {k: i for i, k in enumerate(theirs)}
    pairs = ((a, b) for i, a in enumerate(mine) for b in mine[i + 1 :] if at[a] > at[b])
    return {k for pair in pairs for k in pair}
