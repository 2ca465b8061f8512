"""Annotations: what the parameters of a function are said to be, as far as a proof can use it."""

import ast
import re
from collections.abc import Iterator

from dreck.model.names.modules import ModuleNames
from dreck.proof.classes.of_builtins import are_plain
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

_PLAIN = {
    "int": frozenset({"int", "bool"}),
    "float": frozenset({"float", "int", "bool"}),
    "bool": frozenset({"bool"}),
    "str": frozenset({"str"}),
    "bytes": frozenset({"bytes"}),
}
"""What may stand where a type is asked for: a bool is an int, and an int may stand for a float (PEP 484)."""


_DEEPEST = 12
_WORD = re.compile(r"[^\W\d]\w*")


def annotated_kinds(
    node: FunctionNode, *names: ModuleNames, around: frozenset[str] = frozenset()
) -> dict[str, frozenset[str]]:
    """The types that parameters are said to be of; `names` are those of both modules.

    A name bound `around` the function, in a class or another function, means nothing that is known here.
    """
    found = {}
    for arg, default in _believed(node, around):
        told = {_plain_kinds(arg.annotation, n) for n in names}
        kinds = told.pop()
        if told or not kinds or not all(are_plain(n, kind) for n in names for kind in kinds):
            continue
        if default is None or (isinstance(default, ast.Constant) and type(default.value).__name__ in kinds):
            found[arg.arg] = kinds
    return found


def annotated_classes(
    node: FunctionNode, old: ModuleNames, new: ModuleNames, around: frozenset[str] = frozenset()
) -> dict[str, list[str]]:
    """The parameters that are said to be of classes which both versions define, with the names of these."""
    found = {}
    for arg, default in _believed(node, around):
        if default is not None:
            continue  # no literal is one of them, and what a name stands for is not known
        names = list(_alternatives(arg.annotation, old))
        kinds = [old.canonical(name) for name in names]
        if names == list(_alternatives(arg.annotation, new)) and all(
            _is_plain_class(k, old) and _is_plain_class(k, new) for k in kinds
        ):
            found[arg.arg] = kinds
    return found


def flags_of(node: FunctionNode) -> frozenset[str]:
    """The parameters that nothing is said of but that they are True or False by default."""
    found = (a.arg for a, d in _with_defaults(node) if a.annotation is None and isinstance(d, ast.Constant)
             and isinstance(d.value, bool))  # fmt: skip
    return frozenset(found)


def names_for_types(node: FunctionNode, names: ModuleNames) -> set[str]:
    """The names by which annotations of parameters come to their types, those in between too."""
    spec = node.args
    annotations = [a.annotation for a in (*spec.posonlyargs, *spec.args, *spec.kwonlyargs) if a.annotation is not None]
    found, pending = set[str](), [word for annotation in annotations for word in _words(annotation)]
    while pending:
        name = pending.pop()
        told = names.stands_for_type(name) if name not in found else None
        if told is not None:
            found.add(name)
            pending += _words(told)
    return found


def bound_around(enclosing: frozenset[str], in_a_class: bool, *names: ModuleNames) -> frozenset[str]:
    """Names that an annotation may mean otherwise than the module does."""
    return enclosing.union(*(n.bound_in_classes for n in names)) if in_a_class else enclosing


def _believed(node: FunctionNode, around: frozenset[str]) -> Iterator[tuple[ast.arg, ast.expr | None]]:
    """Annotated parameters with their defaults; `x: int = None` is common, and its annotation does not hold."""
    for arg, default in _with_defaults(node):
        if arg.annotation is not None and not around & set(_words(arg.annotation)):
            yield arg, default


def _with_defaults(node: FunctionNode) -> Iterator[tuple[ast.arg, ast.expr | None]]:
    spec = node.args
    positional = [*spec.posonlyargs, *spec.args]
    defaults = dict(zip(positional[::-1], spec.defaults[::-1], strict=False))
    defaults |= {a: d for a, d in zip(spec.kwonlyargs, spec.kw_defaults, strict=True) if d is not None}
    yield from ((arg, defaults.get(arg)) for arg in (*positional, *spec.kwonlyargs))


def _words(annotation: ast.expr) -> Iterator[str]:
    for n in walk(annotation):
        match n:
            case ast.Name(id=name):
                yield name
            case ast.Constant(value=str() as code):
                yield from _WORD.findall(code)


def _plain_kinds(annotation: ast.expr | None, names: ModuleNames, deep: int = _DEEPEST) -> frozenset[str]:
    """The built-in types in `str`, `"str"`, `str | None`, `Optional[str]`, `Literal["wet"]`; none for anything else."""
    match _spelt_out(annotation, names):
        case ast.Constant(value=None):
            return frozenset({"NoneType"})
        case ast.Name(id=name) if names.is_builtin(name):
            return _PLAIN.get(name, _NOTHING)
        case ast.Constant(value=str() as code) if deep:
            try:
                return _plain_kinds(ast.parse(code, mode="eval").body, names, deep - 1)
            except SyntaxError:
                return _NOTHING
        case ast.BinOp(left=left, op=ast.BitOr(), right=right) if deep:
            return _joined([left, right], names, deep)
        case ast.Subscript(value=form, slice=told) if deep:
            parts = told.elts if isinstance(told, ast.Tuple) else [told]
            match names.stands_for(form):
                case "typing.Union":
                    return _joined(parts, names, deep)
                case "typing.Optional" if len(parts) == 1:
                    return _joined([*parts, ast.Constant(None)], names, deep)
                case "typing.Literal" if all(isinstance(p, ast.Constant) for p in parts):
                    said = {type(p.value).__name__ for p in parts if isinstance(p, ast.Constant)}
                    return _NOTHING.union(*(_PLAIN.get(s, {s}) for s in said)) if said <= _SPOKEN else _NOTHING
    return _NOTHING


_NOTHING: frozenset[str] = frozenset()
_SPOKEN = {"int", "bool", "str", "bytes", "NoneType"}


def _joined(parts: list[ast.expr], names: ModuleNames, deep: int) -> frozenset[str]:
    found = [_plain_kinds(part, names, deep - 1) for part in parts]
    return _NOTHING.union(*found) if all(found) else _NOTHING


def _spelt_out(annotation: ast.expr | None, names: ModuleNames, deep: int = _DEEPEST) -> ast.expr | None:
    """An annotation that is a name standing for a type, as that type is written."""
    match annotation:
        case ast.Name(id=name) | ast.Constant(value=str() as name) if deep:
            told = names.stands_for_type(name)
            return _spelt_out(told, names, deep - 1) if told is not None else annotation
    return annotation


def _alternatives(annotation: ast.expr | None, names: ModuleNames, deep: int = _DEEPEST) -> Iterator[str]:
    """The classes in `A`, `"A"`, `A | B`, `Union[A, B]`, and in a name that stands for these; '' for anything else."""
    match _spelt_out(annotation, names):
        case ast.Name(id=name):
            yield name
        case ast.Constant(value=str() as code) if deep:
            try:
                yield from _alternatives(ast.parse(code, mode="eval").body, names, deep - 1)
            except SyntaxError:
                yield ""
        case ast.BinOp(left=left, op=ast.BitOr(), right=right) if deep:
            yield from _alternatives(left, names, deep - 1)
            yield from _alternatives(right, names, deep - 1)
        case ast.Subscript(value=form, slice=ast.Tuple(elts=elts)) if deep and names.stands_for(form) == "typing.Union":
            for part in elts:
                yield from _alternatives(part, names, deep - 1)
        case _:
            yield ""


def _is_plain_class(name: str, names: ModuleNames) -> bool:
    """A class that says itself what its instances are: no protocol, and no metaclass that may say more."""
    node = names.definitions.get(name)
    if not isinstance(node, ast.ClassDef) or names.kind(name) != "stable" or node.keywords:
        return False
    return all(_is_plain_base(base, names) for base in node.bases)


def _is_plain_base(base: ast.expr, names: ModuleNames) -> bool:
    if not isinstance(base, ast.Name):
        return names.stands_for(base) in ("enum.Enum", "typing.NamedTuple")
    if base.id in names.definitions:
        return _is_plain_class(names.canonical(base.id), names)
    trees = (names.tree, *getattr(names, "trees", ()))
    imports = [s for tree in trees for s in tree.body if isinstance(s, ast.ImportFrom)]
    meant = {(s.module, a.name) for s in imports for a in s.names if (a.asname or a.name) == base.id}
    return names.is_builtin(base.id) or (bool(meant) and meant <= {("enum", "Enum"), ("typing", "NamedTuple")})
