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
            if name in set_on_anything(n) or "*" in set_on_others(n) or _is_handed(n, name):
                return True
    return any(_binds_again(tree, name) for tree in linked)


_REPLACING = frozenset({"mock", "patch", "monkeypatch", "mocker"})
"""What puts others in the place of anything, while tests run."""


def _is_handed(n: ast.AST, name: str) -> bool:
    """Whether a call is told the name, as one is that puts something else in its place: `patch("json.loads")`; or
    something is about that does nothing else."""
    match n:
        case ast.Name(id=word) | ast.arg(arg=word) | ast.alias(name=word):
            return word.rpartition(".")[2] in _REPLACING
    if not isinstance(n, ast.Call):
        return False
    told = [*n.args, *(k.value for k in n.keywords)]
    texts = (e.value for e in told if isinstance(e, ast.Constant) and isinstance(e.value, str))
    return any(k.arg == name for k in n.keywords) or any(text.rpartition(".")[2] == name for text in texts)


def _binds_again(tree: ast.Module, name: str) -> bool:
    stored = [
        n for n in every_node(tree) if isinstance(n, ast.Name) and n.id == name and not isinstance(n.ctx, ast.Load)
    ]
    told = any(isinstance(n, ast.Global) and name in n.names for n in every_node(tree))
    return told or len(stored) > 1
