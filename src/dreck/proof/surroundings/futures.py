"""`from __future__ import annotations` in one version only: annotations are texts there, and are not worked out.

Language reference, 7.7.1 "Future statements". The other features that are still told apart belong to the parser.
"""

import ast
from collections.abc import Iterator

from dreck.model.names.nodes import every_node
from dreck.proof.surroundings.described import HEADS
from dreck.source.functions import FunctionNode

_COUNTING = frozenset({"annotations", "barry_as_FLUFL"})
"""The others have been part of the language since Python 3.0, or 3.7."""
_KEEPING = frozenset({"property", "staticmethod", "classmethod"})


def annotations_apart(old: ast.Module, new: ast.Module) -> str:
    """Why annotations that are worked out in one of two modules only may count; '' when they cannot.

    Nobody notices where they are plain functions' own at the top, which nothing hands on and nobody asks for them,
    and where all they name is known to be there: the old version works them out, too.
    """
    told = _told(old), _told(new)
    if told[0] == told[1] or not any(True for tree in (old, new) for _ in _noted(tree)):
        return ""
    if told[1] > told[0] and told[1] - told[0] == {"annotations"} and not any(map(_count, (old, new))):
        return ""
    return "annotations are worked out in one version only (`from __future__`)"


def _told(tree: ast.Module) -> frozenset[str]:
    future = [s for s in tree.body if isinstance(s, ast.ImportFrom) and s.module == "__future__"]
    return frozenset(alias.name for s in future for alias in s.names) & _COUNTING


def _noted(tree: ast.Module) -> Iterator[ast.AST]:
    """Whatever has an annotation."""
    for n in every_node(tree):
        annotated = isinstance(n, ast.AnnAssign) or (isinstance(n, ast.arg) and n.annotation is not None)
        if annotated or (isinstance(n, FunctionNode) and n.returns is not None):
            yield n


def _count(tree: ast.Module) -> bool:
    """Whether what an annotation is may be noticed in a module."""
    plain = set(_plain(tree.body))
    for n in every_node(tree):
        match n:
            case ast.FunctionDef() | ast.AsyncFunctionDef() | ast.ClassDef() if n not in plain:
                return True
            case ast.AnnAssign(target=target) if not isinstance(target, ast.Name):
                return True
            case ast.Name(id=word) | ast.Attribute(attr=word) | ast.alias(name=word) if word in HEADS:
                return True
            case ast.Call(func=ast.Name(id="getattr"), args=[_, name, *_]) if not isinstance(name, ast.Constant):
                return True
            case ast.Name(id="attrgetter") | ast.Attribute(attr="attrgetter" | "__getattribute__"):
                return True
    return False


def _plain(body: list[ast.stmt]) -> Iterator[ast.stmt]:
    """Functions and classes that are handed to nobody when they are made: no decorators of others, no bases."""
    for s in body:
        match s:
            case ast.ClassDef(bases=[], keywords=[], decorator_list=[]):
                yield s
                yield from _plain(s.body)
            case ast.FunctionDef(decorator_list=told) | ast.AsyncFunctionDef(decorator_list=told):
                if all(isinstance(d, ast.Name) and d.id in _KEEPING for d in told):
                    yield s
