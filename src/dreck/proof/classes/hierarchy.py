"""Which class a value may be of, given what is known of it: derived classes, classes held apart.

That no class outside the module derives from two classes that are held apart here is the assumption
`closed-families`. Classes to which others may be registered (abstract ones, protocols) are never held apart.
"""

from dataclasses import dataclass

from dreck.proof.classes.say.hidden import may_join
from dreck.proof.classes.table import OPEN, ClassTable

_SOLID = frozenset(
    {"bool", "int", "str", "float", "list", "dict", "tuple", "set", "frozenset", "bytes", "bytearray", "complex"}
)
"""Built-in types of which no object can be two, unless one derives from the other: their layouts differ."""


@dataclass(frozen=True, slots=True)
class Hierarchy:
    table: ClassTable

    def implied(self, asked: set[str], are: list[set[str]], are_not: set[str]) -> bool | None:
        """Whether a value is an instance of one of `asked`, when it is one of each of `are` and none of `are_not`."""
        for kinds in are:
            left = {k for k in kinds if not any(self.derives(k, no) for no in are_not)}
            if left and all(any(self.derives(k, a) for a in asked) for k in left):
                return True
            if left and not any(self.may_share(k, a) for k in left for a in asked):
                return False
        if asked and all(any(self.derives(a, no) for no in are_not) for a in asked):
            return False
        return None

    def is_below(self, kind: str, asked: set[str]) -> bool | None:
        """Whether an instance of exactly `kind` is one of a class in `asked`; None when its bases are not known."""
        if any(self.derives(kind, a) for a in asked):
            return True
        return False if all(self.is_known(k) for k in (kind, *asked)) else None

    def is_known(self, kind: str) -> bool:
        """Whether all that the class derives from is known, and nothing can be registered as one."""
        if self.table.builtin(kind) is not None:
            return kind != "object"
        return self.table.is_understood(kind) and not self.table.roots(kind) & OPEN

    def derives(self, kind: str, base: str) -> bool:
        """Whether every instance of `kind` surely is one of `base`."""
        if kind == base or (base == "object" and self.table.builtin("object") is not None):
            return True
        one, two = self.table.builtin(kind), self.table.builtin(base)
        if one is not None and two is not None:
            return issubclass(one, two)
        order = self.table.order(kind) or ()
        return base in order or (two is not None and f"builtins.{base}" in order)

    def may_share(self, a: str, b: str) -> bool:
        """Whether some value may be an instance of both."""
        if self.derives(a, b) or self.derives(b, a):
            return True
        if a in self.table.classes and b in self.table.classes and self.is_known(a) and self.is_known(b):
            joined = any(self.table.may_derive(name, b) for name in (a, *self.table.below(a)))
            return joined or may_join(self.table, a, b)
        return not ({a, b} <= _SOLID and self.table.builtin(a) is not None and self.table.builtin(b) is not None)

    def in_order(self, kinds: list[str]) -> list[str]:
        """Classes so that those that derive from others come before them."""
        return sorted(kinds, key=lambda k: -sum(self.derives(k, other) for other in kinds))
