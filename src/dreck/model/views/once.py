"""Once: what many questions about one function share, found in one walk and kept for the last few functions."""

import ast
from collections import Counter
from functools import lru_cache

from dreck.source.functions import FunctionNode


class Counted:
    """How often each name is bound and read."""

    __slots__ = ("declared", "loads", "returns", "stores")

    def __init__(self, function: FunctionNode) -> None:
        self.stores: Counter[str] = Counter()
        self.loads: Counter[str] = Counter()
        self.declared: set[str] = set()
        self.returns = 0
        pending: list[ast.AST] = [function]
        while pending:
            n = pending.pop()
            kind = type(n)
            if kind is ast.Name:
                counted = self.stores if type(n.ctx) is ast.Store else self.loads  # type: ignore[attr-defined]
                counted[n.id] += 1  # type: ignore[attr-defined]
                continue
            if kind is ast.Constant:
                continue
            if kind is ast.Return:
                self.returns += 1
            elif kind is ast.Global or kind is ast.Nonlocal:
                self.declared.update(n.names)  # type: ignore[attr-defined]
            known = n.__dict__
            for name in n._fields:
                value = known.get(name)
                if type(value) is list:
                    pending += [item for item in value if isinstance(item, ast.AST)]
                elif isinstance(value, ast.AST):
                    pending.append(value)


@lru_cache(maxsize=8)
def counted(function: FunctionNode) -> Counted:
    return Counted(function)


def alike(a: object, b: object) -> bool:
    """Whether two pieces of code are the same, wherever they stand; gives up at the first difference."""
    if type(a) is not type(b):
        return False
    if isinstance(a, ast.AST):
        return all(alike(getattr(a, name, None), getattr(b, name, None)) for name in a._fields)
    if isinstance(a, list):
        return isinstance(b, list) and len(a) == len(b) and all(alike(x, y) for x, y in zip(a, b, strict=True))
    return a == b
