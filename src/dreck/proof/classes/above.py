"""What a class derives from outside of the files of a project, followed through all of these."""

import ast
import builtins
from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import lru_cache
from pathlib import Path
from typing import TypeAlias

from dreck.model.names.bindings import bindings_of
from dreck.model.names.files import file_of, package_of
from dreck.model.names.linking import LinkedNames, Reader
from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import classes_by_name, every_node

_Place: TypeAlias = tuple[ast.expr, ast.Module, Path | None]
UNKNOWN = "?"
_PLAIN = frozenset(
    {"builtins.object", "typing.Protocol", "typing.Generic", "abc.ABC", "abc.ABCMeta", "unittest.TestCase"}
)
_MOST = 60


def above(node: ast.ClassDef, names: ModuleNames) -> set[str]:
    """Where its bases from elsewhere and its metaclass come from, as `module.name`; `?` for what nobody can tell.

    Such as call nothing of those that derive from them are left out.
    """
    return roots_of(node, names) - _PLAIN


def roots_of(node: ast.ClassDef, names: ModuleNames) -> set[str]:
    """Where its bases from elsewhere and its metaclass come from, all of them."""
    home = _homes(names).get(id(node))
    if home is None:
        return {UNKNOWN}
    read = names.read if isinstance(names, LinkedNames) else _read_nothing
    return set(_Above(read).of(_as_it_stands(node, names), *home))


def passed_by(node: ast.ClassDef, names: ModuleNames) -> frozenset[str] | None:
    """The names of the classes of the project between a class and its roots; None where nobody can tell them all."""
    home = _homes(names).get(id(node))
    if home is None:
        return None
    above = _Above(names.read if isinstance(names, LinkedNames) else _read_nothing)
    unknown = sum(source == UNKNOWN for source in above.of(_as_it_stands(node, names), *home))
    return None if unknown > above.outside else frozenset(above.passed)


def _as_it_stands(node: ast.ClassDef, names: ModuleNames) -> ast.ClassDef:
    """The class in its own file, where no name has that of its module before it."""
    original = names.originals.get(id(node), node) if isinstance(names, LinkedNames) else node
    return original if isinstance(original, ast.ClassDef) else node


@lru_cache(maxsize=16)
def _homes(names: ModuleNames) -> dict[int, tuple[ast.Module, Path | None]]:
    """For each class of the files, by its identity, the file that it stands in."""
    classes = ((n, tree, path) for tree, path in _files(names) for n in every_node(tree) if isinstance(n, ast.ClassDef))
    found = {id(n): (tree, path) for n, tree, path in classes}
    copies = names.originals if isinstance(names, LinkedNames) else {}
    return found | {copy: found[id(n)] for copy, n in copies.items() if id(n) in found}


def _files(names: ModuleNames) -> Iterator[tuple[ast.Module, Path | None]]:
    linked = names if isinstance(names, LinkedNames) else None
    yield names.tree, linked.path if linked is not None else None
    yield from ((tree, linked.places.get(id(tree)) if linked is not None else None) for tree in names.trees)


def _read_nothing(path: Path) -> ast.Module | None:
    return None


@dataclass(slots=True)
class _Above:
    read: Reader
    seen: set[tuple[str, int]] = field(default_factory=set)
    passed: set[str] = field(default_factory=set)
    outside: int = 0
    """So many bases come from files beside a text that has no place among files."""

    def of(self, node: ast.ClassDef, tree: ast.Module, path: Path | None) -> Iterator[str]:
        pending: list[_Place] = [(base, tree, path) for base in _bases(node)]
        while pending:
            base, tree, path = pending.pop()
            e = base.value if isinstance(base, ast.Subscript) else base
            key = ast.dump(e), id(tree)
            if key in self.seen:
                continue
            self.seen.add(key)
            if len(self.seen) > _MOST:
                yield UNKNOWN
                return
            for found in self._resolved(e, tree, path):
                if isinstance(found, str):
                    yield found
                else:
                    pending.append(found)

    def _resolved(self, e: ast.expr, tree: ast.Module, path: Path | None) -> Iterator[str | _Place]:
        match e:
            case ast.Name(id=name):
                yield from self._named(name, tree, path)
            case ast.Attribute(value=ast.Name(id=of), attr=attr):
                yield from self._part(of, attr, tree, path)
            case _:
                yield UNKNOWN

    def _named(self, name: str, tree: ast.Module, path: Path | None) -> Iterator[str | _Place]:
        known = bindings_of(tree)
        if name in known.rebound or known.dynamic:
            yield UNKNOWN
        bound = known.of.get(name, [])
        inner = classes_by_name(tree).get(name, ()) if not bound else ()
        for s in [*bound, *inner]:
            yield from self._bound(s, name, tree, path)
        if not bound and not inner:
            if known.stars:
                yield from self._starred(name, tree, path)
            elif hasattr(builtins, name):
                yield f"builtins.{name}"
            else:
                yield UNKNOWN

    def _bound(self, s: ast.stmt, name: str, tree: ast.Module, path: Path | None) -> Iterator[str | _Place]:
        match s:
            case ast.ClassDef():
                self.passed.add(s.name)
                yield from ((base, tree, path) for base in _bases(s))
            case ast.ImportFrom(names=aliases):
                asked = next((a.name for a in aliases if (a.asname or a.name) == name), "")
                yield self._imported(s, asked, path)
            case ast.Assign(value=value) | ast.AnnAssign(value=ast.expr() as value):
                yield value, tree, path
            case _:
                yield UNKNOWN

    def _part(self, of: str, attr: str, tree: ast.Module, path: Path | None) -> Iterator[str | _Place]:
        """`gate.Gate`, where `gate` is a module."""
        for s in bindings_of(tree).of.get(of, []):
            match s:
                case ast.Import(names=aliases):
                    asked = next(
                        a.name if a.asname else of for a in aliases if (a.asname or a.name.split(".")[0]) == of
                    )
                    yield self._imported(ast.ImportFrom(asked, [], 0), attr, path)
                case ast.ImportFrom(module=module, level=level, names=aliases):
                    asked = next((a.name for a in aliases if (a.asname or a.name) == of), "")
                    whole = ast.ImportFrom(".".join(filter(None, (module, asked))), [], level)
                    yield self._imported(whole, attr, path)
                case _:
                    yield UNKNOWN
                    return
        if of not in bindings_of(tree).of:
            yield UNKNOWN

    def _starred(self, name: str, tree: ast.Module, path: Path | None) -> Iterator[str | _Place]:
        for s in tree.body:
            if isinstance(s, ast.ImportFrom) and s.names[0].name == "*":
                yield self._imported(s, name, path)

    def _imported(self, s: ast.ImportFrom, name: str, path: Path | None) -> str | _Place:
        self.outside += path is None and s.level > 0
        file = (file_of(s, path) or package_of(s, path)) if path is not None else None
        other = self.read(file) if file is not None else None
        if other is not None:
            return ast.Name(name, ast.Load()), other, file
        return f"{s.module}.{name}" if not s.level and s.module and file is None else UNKNOWN


def _bases(node: ast.ClassDef) -> list[ast.expr]:
    return [*node.bases, *(k.value for k in node.keywords if k.arg == "metaclass")]
