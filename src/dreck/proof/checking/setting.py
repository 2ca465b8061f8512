"""What sets attributes, read once more from the plain tree: under a name that stands there, or one worked out."""

import ast
from collections import Counter
from collections.abc import Iterable
from functools import lru_cache

from dreck.model.names.nodes import every_node, once_per_tree
from dreck.source.walking import walk

_WORDS = frozenset({"setattr", "delattr", "vars", "__import__"})
_BY_HAND = frozenset({"__dict__", "__setattr__", "__delattr__"})


@lru_cache(maxsize=512)
def sets_by_name(tree: ast.Module, name: str) -> bool:
    """An attribute of that name is bound or deleted."""
    stores = (n for n in every_node(tree) if isinstance(n, ast.Attribute) and not isinstance(n.ctx, ast.Load))
    return any(n.attr == name for n in stores)


@lru_cache(maxsize=512)
def sets(tree: ast.Module, name: str) -> bool:
    """The same, or attributes are set under names that nobody can read."""
    literal: set[ast.expr] = set()
    for n in every_node(tree):
        match n:
            case ast.Attribute(attr=attr, ctx=ast.Store() | ast.Del()) if attr == name:
                return True
            case ast.Attribute(attr=attr) if attr in _BY_HAND:
                return True
            case ast.Call(func=ast.Name(id="setattr" | "delattr") as called, args=[_, ast.Constant(value=told), *_]):
                literal.add(called)
                if told == name:
                    return True
    return any(isinstance(n, ast.Name) and n.id in _WORDS and n not in literal for n in every_node(tree))


def is_private(name: str, mine: Iterable[ast.Module], theirs: Iterable[ast.Module]) -> bool:
    """Whether `mine` say a private name only to define and call a function, `theirs` never, and both set alike."""
    mine, theirs = list(mine), list(theirs)
    if not name.startswith("_") or name.startswith("__") or any(name in _said(tree) for tree in theirs):
        return False
    if sum(map(_setting, mine), Counter()) != sum(map(_setting, theirs), Counter()):
        return False
    texts = (n.value for tree in mine for n in every_node(tree) if isinstance(n, ast.Constant))
    if any(name in t for t in texts if isinstance(t, str)) or not _written_out(mine) <= _written_out(theirs):
        return False
    return all(_is_plain(n, name) or n in _registering(tree) for tree in mine for n in every_node(tree))


@once_per_tree
def _registering(tree: ast.Module) -> frozenset[ast.AST]:
    """The names in `@_fee.register(Glass)`: only what is generic already has something registered so."""
    functions = [n for n in every_node(tree) if isinstance(n, ast.FunctionDef | ast.AsyncFunctionDef)]
    told = [d.func if isinstance(d, ast.Call) else d for f in functions for d in f.decorator_list]
    return frozenset(d.value for d in told if isinstance(d, ast.Attribute) and d.attr == "register")


@once_per_tree
def _said(tree: ast.Module) -> frozenset[str]:
    """Every name and text in it."""
    fields = (value for n in every_node(tree) for _, value in ast.iter_fields(n))
    return frozenset(value for value in fields if isinstance(value, str))


def _written_out(trees: list[ast.Module]) -> set[str]:
    """Every constant, as it is written."""
    return {repr(n.value) for tree in trees for n in every_node(tree) if isinstance(n, ast.Constant)}


def _is_plain(n: ast.AST, name: str) -> bool:
    """One mention of the name: a `def`, or an attribute that is read; anything else will not do."""
    if isinstance(n, ast.FunctionDef | ast.AsyncFunctionDef) or (
        isinstance(n, ast.Attribute) and isinstance(n.ctx, ast.Load)
    ):
        return True
    return not any(value == name for _, value in ast.iter_fields(n))


@once_per_tree
def _setting(tree: ast.Module) -> Counter[str]:
    """How attributes are set under names worked out: the innermost statements that do it."""
    found = Counter[str]()
    for s in every_node(tree):
        inner = [p for _, value in ast.iter_fields(s) for p in (value if isinstance(value, list) else [value])]
        parts = [p for p in inner if isinstance(p, ast.expr)] if isinstance(s, ast.stmt) else []
        if any(_is_setter(n) for part in parts for n in walk(part)):
            found[ast.dump(s)] += 1
    return found


def _is_setter(n: ast.AST) -> bool:
    return (isinstance(n, ast.Attribute) and n.attr in _BY_HAND) or (isinstance(n, ast.Name) and n.id in _WORDS)


@once_per_tree
def _made_by_hand(tree: ast.Module) -> set[str]:
    calls = [n for n in every_node(tree) if isinstance(n, ast.Call) and getattr(n.func, "attr", "") == "__new__"]
    return {getattr(n.args[0], "id", "") for n in calls if n.args}


def makes_by_hand(tree: ast.Module, kind: str) -> bool:
    """Whether objects of a class are made past what it says of making them: `object.__new__(Kind)`."""
    return kind in _made_by_hand(tree)
