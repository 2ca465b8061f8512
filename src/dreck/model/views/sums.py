"""What a function adds numbers to, of which `numbers-in-sums` says that it is a number."""

import ast

from dreck.source.functions import FunctionNode
from dreck.source.walking import walk


def added_to_in(function: FunctionNode) -> frozenset[str]:
    """The names and attributes (`self.row`) to which a number that is written down is added, or taken from."""
    found: set[str] = set()
    for n in walk(function):
        match n:
            case ast.AugAssign(target=place, op=ast.Add() | ast.Sub(), value=number):
                pass
            case ast.BinOp(left=place, op=ast.Add() | ast.Sub(), right=number):
                pass
            case _:
                continue
        if _is_number(number) and (path := _path(place)):
            found.add(path)
    return frozenset(found)


def _is_number(e: ast.expr) -> bool:
    return isinstance(e, ast.Constant) and type(e.value) in (int, float)


def _path(e: ast.expr) -> str:
    inner = e
    while isinstance(inner, ast.Attribute):
        inner = inner.value
    return ast.unparse(e) if isinstance(inner, ast.Name) else ""
