"""Classes and enums of a project, as far as their definitions tell: who derives from whom, which members there are."""

import ast
from collections.abc import Iterable
from dataclasses import dataclass, field

from dreck.source.functions import blocks_of

_ENUMS = {"Enum", "IntEnum", "StrEnum", "Flag", "IntFlag"}


@dataclass(slots=True)
class Families:
    """Class names with their bases, enum names with their members; names are taken to be unique in a project."""

    bases: dict[str, tuple[str, ...]] = field(default_factory=dict)
    members: dict[str, tuple[str, ...]] = field(default_factory=dict)
    _ancestors: dict[str, set[str]] = field(default_factory=dict)

    @classmethod
    def of(cls, trees: Iterable[ast.Module]) -> "Families":
        made = cls()
        for tree in trees:
            made.add(tree)
        return made

    def add(self, tree: ast.Module) -> None:
        """Notes the classes of one more module."""
        pending: list[ast.stmt] = list(tree.body)
        while pending:
            s = pending.pop(0)
            if isinstance(s, ast.ClassDef):
                self._note(s)
            for block in blocks_of(s):
                pending += block

    def join(self, other: "Families") -> None:
        """Notes what another one knows."""
        self._ancestors.clear()
        self.bases |= other.bases
        self.members |= other.members

    def _note(self, node: ast.ClassDef) -> None:
        self._ancestors.clear()
        bases = tuple(ast.unparse(base).rpartition(".")[2] for base in node.bases)
        self.bases[node.name] = bases
        if set(bases) & _ENUMS:
            names = [t.id for s in node.body if isinstance(s, ast.Assign) for t in s.targets if isinstance(t, ast.Name)]
            self.members[node.name] = tuple(n for n in names if not n.startswith("_"))

    def ancestors(self, name: str) -> set[str]:
        """The class itself and everything it derives from, as far as it is known."""
        known = self._ancestors.get(name)
        if known is not None:
            return known
        found, pending = {name}, [name]
        while pending:
            for base in self.bases.get(pending.pop(), ()):
                if base not in found:
                    found.add(base)
                    pending.append(base)
        self._ancestors[name] = found
        return found

    def root(self, name: str) -> str:
        """The furthest known class of the project it derives from."""
        seen = {name}
        while known := [base for base in self.bases.get(name, ()) if base in self.bases and base not in seen]:
            name = known[0]
            seen.add(name)
        return name

    def leaves(self, root: str) -> list[str]:
        """Classes of the family from which no other derives, in the order they were met; the root if there is none."""
        inside = [name for name in self.bases if root in self.ancestors(name)]
        parents = {base for name in inside for base in self.bases[name]}
        return [name for name in inside if name not in parents] or [root]

    def enum_of(self, kinds: Iterable[str]) -> str | None:
        """The enum all of `Enum.MEMBER` kinds belong to."""
        owners = {kind.rpartition(".")[0].rpartition(".")[2] for kind in kinds}
        return next(iter(owners)) if len(owners) == 1 and owners <= self.members.keys() else None
