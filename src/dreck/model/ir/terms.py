"""Terms: interned expressions over values. Two equal terms are one object, so `is` compares them."""

from typing import Any, TypeAlias

Key: TypeAlias = tuple[Any, ...]


class Term:
    """An operation and its arguments: other terms, names or numbers. Made by `Terms`, never directly.

    A constant has the operation `const` and carries its `value`.
    """

    __slots__ = ("args", "number", "op", "value")

    def __init__(self, op: str, args: Key, value: Any, number: int) -> None:
        self.op = op
        self.args = args
        self.value = value
        self.number = number

    def __repr__(self) -> str:
        if self.op == "const":
            return repr(self.value)
        return f"{self.op}({', '.join(map(str, self.args))})"


class Terms:
    """The table that keeps terms unique, for as long as one comparison lasts."""

    def __init__(self) -> None:
        self._known: dict[Key, Term] = {}
        self._fresh = 0

    def make(self, op: str, *args: Any) -> Term:
        key = (op, *args)
        term = self._known.get(key)
        if term is None:
            term = self._known[key] = Term(op, args, None, len(self._known))
        return term

    def const(self, value: Any) -> Term:
        """A constant. `1`, `True`, `1.0` and `-0.0` stay apart: they are told by type and `repr`."""
        key = ("const", type(value).__name__, repr(value))
        term = self._known.get(key)
        if term is None:
            term = self._known[key] = Term("const", key[1:], value, len(self._known))
        return term

    def fresh(self, hint: str) -> Term:
        """A value nothing is known of, different from every other term."""
        self._fresh += 1
        return self.make("symbol", hint, self._fresh)


def is_const(term: Term) -> bool:
    return term.op == "const"
