"""What is known of a tree as long as it is there: all its nodes, and what others make of them, worked out once."""

import ast
from collections.abc import Callable
from functools import wraps
from typing import TypeVar
from weakref import WeakKeyDictionary

_Tree = TypeVar("_Tree", bound=ast.AST)
_Known = TypeVar("_Known")


def once_per_tree(ask: Callable[[_Tree], _Known]) -> Callable[[_Tree], _Known]:
    """Asks once of each tree, which must not change afterwards; what is known of it must not hold the tree itself."""
    known: WeakKeyDictionary[_Tree, _Known] = WeakKeyDictionary()

    @wraps(ask)
    def asked(tree: _Tree) -> _Known:
        if tree not in known:
            known[tree] = ask(tree)
        return known[tree]

    return asked


def every_node(tree: ast.AST) -> tuple[ast.AST, ...]:
    """The nodes of a tree, the tree itself first. The tree must not change afterwards."""
    return (tree, *_below(tree))


@once_per_tree
def classes_by_name(tree: ast.AST) -> dict[str, tuple[ast.ClassDef, ...]]:
    """The classes of a tree, wherever they stand, in the order of `every_node`."""
    found: dict[str, tuple[ast.ClassDef, ...]] = {}
    for node in every_node(tree):
        if isinstance(node, ast.ClassDef):
            found[node.name] = (*found.get(node.name, ()), node)
    return found


@once_per_tree
def _below(tree: ast.AST) -> tuple[ast.AST, ...]:
    found: list[ast.AST] = [tree]
    for node in found:
        for name in node._fields:
            value = getattr(node, name, None)
            if type(value) is list:
                found += [item for item in value if isinstance(item, ast.AST)]
            elif isinstance(value, ast.AST) and value._fields:
                found.append(value)
    return tuple(found[1:])
