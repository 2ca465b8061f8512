"""All nodes of a module, walked once for all who ask."""

import ast
from functools import lru_cache


@lru_cache(maxsize=16)
def every_node(tree: ast.AST) -> tuple[ast.AST, ...]:
    """The nodes of a tree, the tree itself first. The tree must not change afterwards."""
    found: list[ast.AST] = [tree]
    for node in found:
        for name in node._fields:
            value = getattr(node, name, None)
            if type(value) is list:
                found += [item for item in value if isinstance(item, ast.AST)]
            elif isinstance(value, ast.AST) and value._fields:
                found.append(value)
    return tuple(found)
