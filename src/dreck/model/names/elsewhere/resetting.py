"""Constants of other modules that the files set themselves: that beats the assumption that these are steady."""

import ast
from functools import lru_cache

from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node
from dreck.model.names.reaching import set_on_anything, set_on_others


@lru_cache(maxsize=32)
def is_set_somewhere(names: ModuleNames, name: str) -> bool:
    """Whether the module or a file linked with it may set `anything.name`, or a linked file binds `name` again."""
    linked = getattr(names, "trees", ())
    for tree in (names.tree, *linked):
        for n in every_node(tree):
            if name in set_on_anything(n) or "*" in set_on_others(n):
                return True
    return any(_binds_again(tree, name) for tree in linked)


def _binds_again(tree: ast.Module, name: str) -> bool:
    stored = [
        n for n in every_node(tree) if isinstance(n, ast.Name) and n.id == name and not isinstance(n.ctx, ast.Load)
    ]
    told = any(isinstance(n, ast.Global) and name in n.names for n in every_node(tree))
    return told or len(stored) > 1
