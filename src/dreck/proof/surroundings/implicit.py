"""Methods that code runs without naming them (language reference, 3.3 "Special method names")."""

import ast
from functools import lru_cache

from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

_MAKING = frozenset({"__init__", "__new__", "__post_init__"})
_TRUTH = (ast.If, ast.While, ast.BoolOp, ast.Not, ast.IfExp, ast.Assert, ast.comprehension, ast.Match, ast.Compare)
_SHOWING_KEYS = (ast.Dict, ast.Set, ast.DictComp, ast.SetComp, ast.Subscript, ast.Compare, ast.Match)
_GOING_THROUGH = (ast.For, ast.comprehension, ast.Starred, ast.YieldFrom, ast.Tuple, ast.List, ast.Compare,
                  ast.AugAssign, ast.Subscript, ast.Dict, ast.Match)  # fmt: skip
_WRITING_OUT = (ast.JoinedStr, ast.BinOp)
_BY_NODE: dict[str, tuple[type[ast.AST], ...]] = {
    "__eq__": _SHOWING_KEYS, "__hash__": _SHOWING_KEYS,
    **dict.fromkeys(("__ne__", "__lt__", "__le__", "__gt__", "__ge__", "__contains__"), (ast.Compare,)),
    "__bool__": _TRUTH, "__len__": _TRUTH, "__iter__": _GOING_THROUGH, "__next__": _GOING_THROUGH,
    "__getitem__": (*_GOING_THROUGH, ast.BinOp), "__missing__": (ast.Subscript, ast.BinOp),
    "__setitem__": (ast.Subscript,), "__delitem__": (ast.Subscript,), "__call__": (),
    "__enter__": (ast.With,), "__exit__": (ast.With,), "__aenter__": (ast.AsyncWith,), "__aexit__": (ast.AsyncWith,),
    "__aiter__": (ast.AsyncFor, ast.comprehension), "__anext__": (ast.AsyncFor, ast.comprehension),
    "__await__": (ast.Await, ast.AsyncFor, ast.AsyncWith, ast.comprehension),
    **dict.fromkeys(("__getattr__", "__getattribute__"), (ast.Attribute, ast.Match)),
    **dict.fromkeys(("__setattr__", "__delattr__", "__get__", "__set__", "__delete__"), (ast.Attribute, ast.Match)),
    "__format__": (ast.JoinedStr,), "__str__": _WRITING_OUT, "__repr__": _WRITING_OUT, "__del__": (ast.AST,),
    "__instancecheck__": (ast.Match,), "__subclasscheck__": (), "__match_args__": (ast.Match,),
}  # fmt: skip
"""The parts of code by which each is run, beside calls: what is called may run them, too."""
EVERY_SPECIAL = frozenset({*_BY_NODE, "__add__"})
"""Each special method that is looked for, and one that stands for those of all operators."""
_SELDOM = frozenset(
    {
        "__setattr__", "__delattr__", "__get__", "__set__", "__delete__", "__getattr__", "__getattribute__",
        "__setitem__", "__delitem__", "__missing__", "__enter__", "__exit__", "__aenter__", "__aexit__", "__aiter__",
        "__anext__", "__await__",
    }
)  # fmt: skip
_ASKING = frozenset(
    {
        "setattr", "delattr", "getattr", "hasattr", "setitem", "delitem", "update", "ExitStack", "enter_context",
        "AsyncExitStack", "attrgetter", "methodcaller", "getattr_static", "gather", "create_task", "run",
    }
)  # fmt: skip
"""By calls of these only."""
_OTHERWISE = (ast.BinOp, ast.AugAssign, ast.UnaryOp, ast.Subscript, ast.Starred, ast.ClassDef)


_OF_ITS_OWN = "()"
"""Among the names of a function: it calls what it was given, which may be a class."""


def may_run(node: FunctionNode, special: str, owner: str) -> bool:
    """Whether a function may run a special method of the class `owner` without naming it."""
    kinds, names = _parts(node)
    if special in _MAKING:
        return owner in names or bool(names & {"cls", "type", "__class__", _OF_ITS_OWN})
    by_call = bool(names & _ASKING) if special in _SELDOM else ast.Call in kinds
    return by_call or any(kind in kinds for kind in _BY_NODE.get(special, _OTHERWISE))


@lru_cache(maxsize=256)
def _parts(node: FunctionNode) -> tuple[frozenset[type[ast.AST]], frozenset[str]]:
    kinds: set[type[ast.AST]] = {ast.AST}
    names: set[str] = set()
    for n in walk(node):
        if not _is_inert(n):
            kinds.add(type(n))
        if isinstance(n, ast.Name):
            names.add(n.id)
        elif isinstance(n, ast.Attribute):
            names.add(n.attr)
        elif isinstance(n, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef) and n.decorator_list:
            kinds.add(ast.Call)  # a decorator is called
    called = {n.func.id for n in walk(node) if isinstance(n, ast.Call) and isinstance(n.func, ast.Name)}
    own = {a.arg for a in walk(node) if isinstance(a, ast.arg)}
    own |= {n.id for n in walk(node) if isinstance(n, ast.Name) and not isinstance(n.ctx, ast.Load)}
    names |= {_OF_ITS_OWN} if called & own else set()
    return frozenset(kinds), frozenset(names)


def _is_inert(n: ast.AST) -> bool:
    """Whether it runs nothing of what stands in it: a display, which is no target, and a comparison by `is`."""
    match n:
        case ast.Tuple(ctx=ast.Load()) | ast.List(ctx=ast.Load()):
            return True
        case ast.Compare(ops=ops):
            return all(isinstance(op, ast.Is | ast.IsNot) for op in ops)
    return False
