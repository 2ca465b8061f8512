"""The attribute names a module speaks of, and those that something sets on an object."""

import ast
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node, once_per_tree
from dreck.source.functions import FunctionNode

_SETTING = frozenset({"setattr", "delattr", "__import__", "vars"})
_OF_OBJECTS = frozenset({"__dict__", "__setattr__", "__delattr__"})
_OF_FUNCTIONS = frozenset({"__code__", "__defaults__", "__kwdefaults__"})


@dataclass(frozen=True, slots=True)
class Speech:
    """`stored` holds '' when a name may be set that nobody can read in the text."""

    names: frozenset[str]
    stored: frozenset[str]

    @classmethod
    def of(cls, names: ModuleNames) -> "Speech":
        parts = [_spoken(tree) for tree in (names.tree, *getattr(names, "trees", ()))]
        empty = frozenset[str]()
        return cls(empty.union(*(named for named, _ in parts)), empty.union(*(stored for _, stored in parts)))

    def is_stored(self, name: str) -> bool:
        """Whether something may set an attribute `name` on an object."""
        return name in self.stored or "" in self.stored

    def is_stored_by_name(self, name: str) -> bool:
        """Whether something sets an attribute under that name, for all to read."""
        return name in self.stored

    @property
    def remakes_functions(self) -> bool:
        """Whether something sets what a function runs, or its defaults."""
        return not self.stored.isdisjoint(_OF_FUNCTIONS)


@once_per_tree
def _spoken(tree: ast.Module) -> tuple[frozenset[str], frozenset[str]]:
    names: set[str] = set()
    stored: set[str] = set()
    called_by_name = {n.func for n in every_node(tree) if isinstance(n, ast.Call)}
    for node in every_node(tree):
        match node:
            case ast.Attribute(attr=attr, ctx=ctx):
                names.add(attr)
                if not isinstance(ctx, ast.Load):
                    stored.add(attr)
                if attr in _OF_OBJECTS:
                    stored.add("")
            case ast.ClassDef(body=body):
                names.update(_defined(body))
            case ast.Constant(value=str() as text) if text.isidentifier():
                names.add(text)
            case ast.Call(func=ast.Name(id=called), args=args) if called in _SETTING:
                literal = called in ("setattr", "delattr") and len(args) > 1 and isinstance(args[1], ast.Constant)
                stored.add(str(args[1].value) if literal else "")  # type: ignore[attr-defined]
            case ast.Name(id=word) if word in _SETTING and node not in called_by_name:
                stored.add("")  # it may be called under another name
    return frozenset(names), frozenset(stored)


@once_per_tree
def setting_by_any_name(tree: ast.Module) -> Counter[str]:
    """The functions and other statements that set attributes under names which nobody can read, as they are written."""
    members = [s for top in tree.body for s in (top.body if isinstance(top, ast.ClassDef) else [top])]
    return Counter(ast.dump(s) for s in members if any(map(_sets_by_any_name, every_node(s))))


def _sets_by_any_name(node: ast.AST) -> bool:
    return (isinstance(node, ast.Attribute) and node.attr in _OF_OBJECTS) or (
        isinstance(node, ast.Name) and node.id in _SETTING
    )


@once_per_tree
def constants_of(tree: ast.Module) -> frozenset[tuple[type, object]]:
    """The constants that stand in it: texts may be put together of them."""
    return frozenset((type(n.value), n.value) for n in every_node(tree) if isinstance(n, ast.Constant))


@lru_cache(maxsize=128)
def is_only_asked_for(tree: ast.Module, name: str) -> bool:
    """Whether the text speaks of a name only to define a function under it, to call that or to put it into a dict."""
    called: set[ast.expr] = {n.func for n in every_node(tree) if isinstance(n, ast.Call)}
    called.update(e for n in every_node(tree) if isinstance(n, ast.Dict) for e in n.values)
    registering = {d.value for d in decorating(tree) if d.attr == "register"}  # `@_fee.register(Glass)`
    for n in every_node(tree):
        match n:
            case ast.Name() if n in registering:
                continue
            case ast.Attribute(attr=attr) if attr == name and n not in called:
                return False
            case ast.Constant(value=str() as text) if name in text:
                return False
            case ast.Name(id=word) | ast.keyword(arg=word) | ast.arg(arg=word) | ast.ClassDef(name=word) if (
                word == name
            ):
                return False
            case ast.alias(name=word, asname=other) if name in (word, other):
                return False
    return True


@once_per_tree
def decorating(tree: ast.Module) -> frozenset[ast.Attribute]:
    """What decorates functions by way of a name: `@fee.register`, `@fee.register(Glass)`."""
    told = (d for n in every_node(tree) if isinstance(n, FunctionNode) for d in n.decorator_list)
    called = (d.func if isinstance(d, ast.Call) else d for d in told)
    return frozenset(d for d in called if isinstance(d, ast.Attribute) and isinstance(d.value, ast.Name))


def _defined(body: list[ast.stmt]) -> Iterator[str]:
    for s in body:
        match s:
            case ast.FunctionDef(name=name) | ast.AsyncFunctionDef(name=name) | ast.ClassDef(name=name):
                yield name
            case ast.Assign(targets=targets):
                yield from (t.id for t in targets if isinstance(t, ast.Name))
            case ast.AnnAssign(target=ast.Name(id=name)):
                yield name
