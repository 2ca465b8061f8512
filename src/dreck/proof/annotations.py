"""Annotations: what the parameters of a function are said to be, as far as a proof can use it."""

import ast
from collections.abc import Iterator

from dreck.model.names.modules import ModuleNames
from dreck.source.functions import FunctionNode

_PLAIN = {
    "int": frozenset({"int", "bool"}),
    "float": frozenset({"float", "int", "bool"}),
    "bool": frozenset({"bool"}),
    "str": frozenset({"str"}),
    "bytes": frozenset({"bytes"}),
}
"""What may stand where a type is asked for: a bool is an int, and an int may stand for a float (PEP 484)."""


def annotated_kinds(node: FunctionNode, *names: ModuleNames) -> dict[str, frozenset[str]]:
    """The types that parameters are said to be of; `names` are those of both modules."""
    found = {}
    for arg, default in _believed(node):
        kinds = _PLAIN.get(_name(arg.annotation))
        if kinds is None or not all(n.is_builtin(_name(arg.annotation)) for n in names):
            continue
        if default is None or (isinstance(default, ast.Constant) and type(default.value).__name__ in kinds):
            found[arg.arg] = kinds
    return found


def annotated_classes(node: FunctionNode, old: ModuleNames, new: ModuleNames) -> dict[str, list[str]]:
    """The parameters that are said to be of classes which both versions define, with the names of these."""
    found = {}
    for arg, default in _believed(node):
        if default is not None:
            continue  # no literal is one of them, and what a name stands for is not known
        names = list(_alternatives(arg.annotation))
        kinds = [old.canonical(name) for name in names]
        if names and all(_is_plain_class(k, old) and _is_plain_class(k, new) for k in kinds):
            found[arg.arg] = kinds
    return found


def _believed(node: FunctionNode) -> Iterator[tuple[ast.arg, ast.expr | None]]:
    """Annotated parameters with their defaults, those left out that are None when nothing is passed."""
    spec = node.args
    positional = [*spec.posonlyargs, *spec.args]
    defaults = dict(zip(positional[::-1], spec.defaults[::-1], strict=False))
    defaults |= {a: d for a, d in zip(spec.kwonlyargs, spec.kw_defaults, strict=True) if d is not None}
    for arg in [*positional, *spec.kwonlyargs]:
        default = defaults.get(arg)
        # `x: int = None` is common, and its annotation does not hold.
        if arg.annotation is not None and not (isinstance(default, ast.Constant) and default.value is None):
            yield arg, default


def _name(annotation: ast.expr | None) -> str:
    match annotation:
        case ast.Name(id=name) | ast.Constant(value=str() as name):
            return name
    return ""


def _alternatives(annotation: ast.expr | None) -> Iterator[str]:
    """The classes in `A`, `"A"`, `A | B`, `Union[A, B]`; an empty name for anything else."""
    match annotation:
        case ast.Name(id=name):
            yield name
        case ast.Constant(value=str() as code):
            try:
                yield from _alternatives(ast.parse(code, mode="eval").body)
            except SyntaxError:
                yield ""
        case ast.BinOp(left=left, op=ast.BitOr(), right=right):
            yield from _alternatives(left)
            yield from _alternatives(right)
        case ast.Subscript(value=ast.Name(id="Union"), slice=ast.Tuple(elts=elts)):
            for part in elts:
                yield from _alternatives(part)
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
        return False
    if base.id in names.definitions:
        return _is_plain_class(names.canonical(base.id), names)
    trees = (names.tree, *getattr(names, "trees", ()))
    imports = [s for tree in trees for s in tree.body if isinstance(s, ast.ImportFrom)]
    homes = {s.module for s in imports for a in s.names if (a.asname or a.name) == base.id}
    return names.is_builtin(base.id) or (base.id, homes) in (("Enum", {"enum"}), ("NamedTuple", {"typing"}))
