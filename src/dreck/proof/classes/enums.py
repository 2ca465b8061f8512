"""Members of plain enums that both versions define alike."""

import ast
from dataclasses import dataclass
from functools import lru_cache

from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node
from dreck.model.narrowing import Member
from dreck.proof.classes.table import ClassTable


@dataclass(frozen=True, slots=True)
class Enums:
    table: ClassTable
    other: ClassTable

    def member(self, enum: str, name: str) -> Member | None:
        """A member of an enum that both versions define alike; None for everything else."""
        mine = members_of(self.table, enum)
        return Member(enum, name) if mine is not None and name in mine and self._are_alike(enum) else None

    def names(self, enum: str) -> list[str]:
        """The names of all members of an enum that both versions define alike."""
        return list(members_of(self.table, enum) or {}) if self._are_alike(enum) else []

    def _are_alike(self, enum: str) -> bool:
        mine = members_of(self.table, enum)
        return mine is not None and mine == members_of(self.other, enum)

    def has_distinct_constants(self, kind: str) -> bool:
        """Whether the constants of a class, members or not, are plainly different ones."""
        if members_of(self.table, kind) is not None:
            return True
        if not self.table.is_understood(kind) or self.table.order(kind) != (kind,):
            return False
        node = self.table.classes[kind]
        values = [s.value for s in node.body if isinstance(s, ast.Assign | ast.AnnAssign)]
        known = [v.value for v in values if isinstance(v, ast.Constant)]
        alone = all(len(statements) == 1 for statements in self.table.bound_in(kind).values())
        return not node.decorator_list and alone and len(known) == len(values) == len(set(known))


_NO_MEMBERS = frozenset(
    {"builtins.property", "builtins.staticmethod", "builtins.classmethod", "functools.cached_property", "enum.property"}
)
"""Decorators that make no member of a function."""


def members_of(table: ClassTable, kind: str) -> dict[str, str] | None:
    """The members of a class that derives from `enum.Enum` alone, with their values as code; None for the less plain.

    Names with an underscore before them mean something to `enum` itself, so a class that has one is no plain enum.
    """
    node = table.classes.get(kind)
    if node is None or [table.names.stands_for(b) for b in node.bases] != ["enum.Enum"]:
        return None
    if not table.is_understood(kind) or node.decorator_list or kind in _made_by_hand(table.names):
        return None
    found: dict[str, object] = {}
    autos = 0
    for name, statements in table.bound_in(kind).items():
        if name.startswith("_") or len(statements) > 1:
            return None
        match statements[0]:
            case ast.Assign(targets=[ast.Name()], value=ast.Constant(value=value)):
                found[name] = value
            case ast.Assign(targets=[ast.Name()], value=ast.Call(func=called, args=[], keywords=[])):
                if table.names.stands_for(called) != "enum.auto":
                    return None
                autos += 1
                found[name] = ("auto", autos)
            case ast.FunctionDef(decorator_list=told) if {table.names.stands_for(d) for d in told} <= _NO_MEMBERS:
                continue
            case _:
                return None
    distinct = len(set(found.values())) == len(found) and autos in (0, len(found))
    return {name: repr(value) for name, value in found.items()} if distinct else None


@lru_cache(maxsize=16)
def _made_by_hand(names: ModuleNames) -> frozenset[str]:
    """The classes of which the files make objects past what makes them: `object.__new__(Kind)`."""
    found = set[str]()
    for tree in (names.tree, *names.trees, *names.others):
        for n in every_node(tree):
            match n:
                case ast.Call(func=ast.Attribute(attr="__new__"), args=[ast.Name(id=kind), *_]):
                    found.add(kind)
    return frozenset(found)
