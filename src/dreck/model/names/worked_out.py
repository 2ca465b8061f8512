"""Attributes asked for under names that are worked out: what these begin and end with, as far as that is told."""

import ast
from collections.abc import Iterator

from dreck.model.names.nodes import every_node, once_per_tree

_ASKING = {"getattr": 1, "hasattr": 1, "getattr_static": 1, "attrgetter": 0, "methodcaller": 0, "__getattribute__": 0}
"""By which argument each is told the name."""


@once_per_tree
def names_worked_out(tree: ast.Module) -> frozenset[tuple[str, str]]:
    """The texts with which such names begin and end; two empty ones where a name may be any, and it does no harm that
    there is no such attribute: `hasattr(load, name)`, `getattr(load, name, None)`."""
    return frozenset(told for n in every_node(tree) for told in _asked(n))


def may_be_asked_for(tree: ast.Module, name: str) -> bool:
    """Whether the name begins and ends as one does that is worked out: `_read_gate` for `f"_read_{kind}"`."""
    told = [(first, last) for first, last in names_worked_out(tree) if first.strip("_") or last.strip("_")]
    return any(name.startswith(first) and name.endswith(last) for first, last in told)


def _asked(n: ast.AST) -> Iterator[tuple[str, str]]:
    match n:
        case ast.Call(func=ast.Name(id=word) | ast.Attribute(attr=word), args=args) if word in _ASKING:
            at = _ASKING[word]
            harmless = word == "hasattr" or len(args) > at + 1
            for name in args[at : at + 1]:
                told = _ends(name)
                if told is not None and (any(told) or harmless):
                    yield told


def _ends(name: ast.expr) -> tuple[str, str] | None:
    """What a text begins and ends with; None for one that stands there."""
    match name:
        case ast.Constant():
            return None
        case ast.BinOp(left=left, op=ast.Add(), right=right):
            return _text(left) or (_ends(left) or ("", ""))[0], _text(right) or (_ends(right) or ("", ""))[1]
        case ast.JoinedStr(values=[first, *_] as parts):
            return _text(first), _text(parts[-1])
        case ast.BinOp(left=ast.Constant(value=str() as text), op=ast.Mod()):
            return text.partition("%")[0], ""
        case ast.Call(func=ast.Attribute(value=ast.Constant(value=str() as text), attr="format")):
            return text.partition("{")[0], text.rpartition("}")[2]
    return "", ""


def _text(e: ast.expr) -> str:
    return e.value if isinstance(e, ast.Constant) and isinstance(e.value, str) else ""
