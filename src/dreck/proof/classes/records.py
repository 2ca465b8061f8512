"""Small classes of one version alone whose instances only hold what they are given.

Understood are named tuples, data classes without anything that changes how they are made or compared (PEP 557),
and classes whose `__init__` stores each parameter under its own name.
"""

import ast
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import TypeAlias

from dreck.model.names.private import means_several
from dreck.proof.classes.table import ClassTable

Fields: TypeAlias = list[tuple[str, ast.Constant | None]]
_DATACLASS = "dataclasses.dataclass"
_HARMLESS_OPTIONS = frozenset({"frozen", "slots", "repr", "unsafe_hash", "match_args", "weakref_slot"})
_PLAIN_ANNOTATIONS = frozenset(
    {"Any", "Callable", "Optional", "Union", "Sequence", "Mapping", "Iterable", "Iterator", "Collection", "Literal",
     "List", "Dict", "Tuple", "Set", "FrozenSet", "Type"}
)  # fmt: skip


@dataclass(slots=True)
class Records:
    table: ClassTable
    other: ClassTable
    _fields: dict[str, Fields | None] = field(default_factory=dict)

    def fields(self, kind: str) -> Fields | None:
        """The fields of a record class that only this version has, in order, with constant defaults; or None."""
        if kind not in self._fields:
            own = kind in self.table.classes and kind not in self.other.names.definitions
            self._fields[kind] = self._held(kind) if own else None
        return self._fields[kind]

    def is_named_tuple(self, kind: str) -> bool:
        return "typing.NamedTuple" in self.table.roots(kind)

    def _held(self, kind: str) -> Fields | None:
        node = self.table.classes[kind]
        if not self.table.is_understood(kind) or not self._has_empty_bases(kind):
            return None
        found = self._fields_of(node, self.table.bound_in(kind))
        above = {name for base in self.table.lineage(kind)[1:] for name in self.table.bound_in(base)}
        names = self.table.names
        if found is None or any(means_several(name, (names.tree, *names.trees, *names.others)) for name, _ in found):
            return None
        return None if above & {name for name, _ in found} else found

    def _fields_of(self, node: ast.ClassDef, bound: Mapping[str, list[ast.stmt]]) -> Fields | None:
        if any(len(statements) > 1 for statements in bound.values()):
            return None
        special = {name for name in bound if name.startswith("__") and name.endswith("__")} - {"__doc__"}
        if self.is_named_tuple(node.name):
            return self._declared(node) if not special and not node.decorator_list else None
        if node.decorator_list:
            return self._declared(node) if not special and self._is_plain_dataclass(node) else None
        return _stored(node, bound) if special <= {"__init__"} else None

    def _has_empty_bases(self, kind: str) -> bool:
        """Whether it derives from nothing, from `NamedTuple`, or from classes of this version that hold nothing."""
        if not self.table.roots(kind) <= {"typing.NamedTuple", "builtins.object"}:
            return False
        return all(self.fields(base) == [] for base in self.table.lineage(kind)[1:])

    def _is_plain_dataclass(self, node: ast.ClassDef) -> bool:
        match node.decorator_list:
            case [ast.Call(func=called, args=[], keywords=options)]:
                known = all(k.arg in _HARMLESS_OPTIONS and isinstance(k.value, ast.Constant) for k in options)
                return known and self.table.names.stands_for(called) == _DATACLASS
            case [decorator]:
                return self.table.names.stands_for(decorator) == _DATACLASS
        return False

    def _declared(self, node: ast.ClassDef) -> Fields | None:
        found: Fields = []
        for s in node.body:
            match s:
                case ast.AnnAssign(target=ast.Name(id=name), annotation=told, value=None | ast.Constant() as value):
                    if not self._is_plain_annotation(told):
                        return None
                    found.append((name, value))
                case ast.AnnAssign():
                    return None
        return found

    def _is_plain_annotation(self, e: ast.expr | None) -> bool:
        """Whether an annotation surely is no `ClassVar`, `InitVar` or `KW_ONLY`, by whatever name."""
        names = self.table.names
        match e:
            case ast.Constant(value=None):
                return True
            case ast.Constant(value=str() as code):
                try:
                    return self._is_plain_annotation(ast.parse(code, mode="eval").body)
                except SyntaxError:
                    return False
            case ast.Name(id=name):
                source = names.stands_for(e)
                return name in self.table.classes or source.startswith("builtins.") or _is_plain_source(source)
            case ast.Attribute():
                return _is_plain_source(names.stands_for(e))
            case ast.Subscript(value=value):
                return self._is_plain_annotation(value)
            case ast.BinOp(left=left, op=ast.BitOr(), right=right):
                return self._is_plain_annotation(left) and self._is_plain_annotation(right)
        return False


def _is_plain_source(source: str) -> bool:
    module, _, name = source.rpartition(".")
    return module in ("typing", "collections.abc") and name in _PLAIN_ANNOTATIONS


def _stored(node: ast.ClassDef, bound: Mapping[str, list[ast.stmt]]) -> Fields | None:
    """`def __init__(self, a, b): self.a = a; self.b = b`, and nothing else."""
    init = next((s for s in node.body if isinstance(s, ast.FunctionDef) and s.name == "__init__"), None)
    if init is None:
        return [] if not any(isinstance(s, ast.AnnAssign | ast.Assign) for s in node.body) else None
    spec = init.args
    if spec.vararg or spec.kwarg or spec.kwonlyargs or spec.posonlyargs or spec.defaults or init.decorator_list:
        return None
    own, *given = [a.arg for a in spec.args]
    kept = []
    for s in init.body:
        match s:
            case ast.Expr(value=ast.Constant()):
                continue
            case ast.Assign(targets=[ast.Attribute(value=ast.Name(id=base), attr=attr)], value=ast.Name(id=name)):
                if base != own or name != attr:
                    return None
                kept.append(attr)
            case _:
                return None
    return [(name, None) for name in given] if kept == given and not set(bound) & set(given) else None
