"""Methods that code runs without naming them (language reference, 3.3 "Special method names")."""

import ast
from functools import lru_cache

from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

_MAKING = frozenset({"__init__", "__new__", "__post_init__"})
_BY_NODE: dict[str, tuple[type[ast.AST], ...]] = {
    "__eq__": (ast.Compare, ast.Match), "__ne__": (ast.Compare,), "__lt__": (ast.Compare,), "__le__": (ast.Compare,),
    "__gt__": (ast.Compare,), "__ge__": (ast.Compare,), "__contains__": (ast.Compare,),
    "__bool__": (ast.If, ast.While, ast.BoolOp, ast.Not, ast.IfExp, ast.Assert, ast.comprehension, ast.Call),
    "__len__": (ast.If, ast.While, ast.BoolOp, ast.Not, ast.IfExp, ast.Assert, ast.comprehension, ast.Call, ast.Match),
    "__iter__": (ast.For, ast.comprehension, ast.Starred, ast.Call, ast.YieldFrom, ast.Tuple, ast.List, ast.Compare),
    "__next__": (ast.For, ast.comprehension, ast.Starred, ast.Call, ast.YieldFrom, ast.Tuple, ast.List),
    "__getitem__": (ast.Subscript, ast.For, ast.comprehension, ast.Compare, ast.Match), "__missing__": (ast.Subscript,),
    "__setitem__": (ast.Subscript,), "__delitem__": (ast.Subscript,), "__call__": (ast.Call,),
    "__enter__": (ast.With,), "__exit__": (ast.With,), "__aenter__": (ast.AsyncWith,), "__aexit__": (ast.AsyncWith,),
    "__aiter__": (ast.AsyncFor, ast.comprehension), "__anext__": (ast.AsyncFor, ast.comprehension),
    "__await__": (ast.Await,), "__getattr__": (ast.Attribute, ast.Match),
    "__getattribute__": (ast.Attribute, ast.Match),
    "__setattr__": (ast.Attribute,), "__delattr__": (ast.Attribute,), "__get__": (ast.Attribute,),
    "__set__": (ast.Attribute,), "__format__": (ast.JoinedStr, ast.Call), "__str__": (ast.JoinedStr, ast.Call),
    "__repr__": (ast.JoinedStr, ast.Call), "__hash__": (ast.Dict, ast.Set, ast.Subscript, ast.Call, ast.Compare),
    "__instancecheck__": (ast.Call, ast.Match), "__subclasscheck__": (ast.Call,),
}  # fmt: skip
_OPERATORS = (ast.BinOp, ast.AugAssign, ast.UnaryOp, ast.Call)


def may_run(node: FunctionNode, special: str, owner: str) -> bool:
    """Whether a function may run a special method of the class `owner` without naming it."""
    kinds, names = _parts(node)
    if special in _MAKING:
        return owner in names or bool(names & {"cls", "type", "__class__"})
    return any(kind in kinds for kind in _BY_NODE.get(special, _OPERATORS))


@lru_cache(maxsize=256)
def _parts(node: FunctionNode) -> tuple[frozenset[type[ast.AST]], frozenset[str]]:
    kinds: set[type[ast.AST]] = set()
    names: set[str] = set()
    for n in walk(node):
        kinds.add(type(n))
        if isinstance(n, ast.Name):
            names.add(n.id)
        elif isinstance(n, ast.Attribute):
            names.add(n.attr)
    return frozenset(kinds), frozenset(names)
