"""Who can tell when an object dies: classes with `__del__`, and code that holds objects weakly."""

import ast
from functools import lru_cache

from dreck.model.names.nodes import every_node

_WATCHERS = frozenset({"weakref", "WeakKeyDictionary", "WeakValueDictionary", "WeakSet", "WeakMethod", "finalize",
                       "getrefcount", "get_referrers", "get_objects"})  # fmt: skip


@lru_cache(maxsize=64)
def tells_of_deaths(tree: ast.Module) -> bool:
    """Whether something in a module does another thing when a variable lets go of its object earlier or later.

    A local variable keeps its object until it is bound again or its function is left (data model, `__del__`).
    """
    return any(_tells(n) for n in every_node(tree))


def _tells(n: ast.AST) -> bool:
    match n:
        case ast.FunctionDef(name="__del__") | ast.Attribute(attr="__del__"):
            return True
        case ast.Name(id=word) | ast.Attribute(attr=word):
            return word in _WATCHERS
        case ast.alias(name=name):
            return not _WATCHERS.isdisjoint(name.split("."))
        case ast.ImportFrom(module=str() as module):
            return not _WATCHERS.isdisjoint(module.split("."))
    return False
