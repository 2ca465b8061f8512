"""What a definition hands itself to when it is made: its decorators, and bases that know what is below them."""

import ast
from collections import Counter
from collections.abc import Iterable, Iterator

from dreck.model.names.bindings import binding, bound_by
from dreck.model.names.nodes import every_node, once_per_tree
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk


def decorators_of(s: ast.stmt) -> list[ast.expr]:
    """Those of a function or class, and of what stands in the class."""
    inside = s.body if isinstance(s, ast.ClassDef) else []
    own = s.decorator_list if isinstance(s, FunctionNode | ast.ClassDef) else []
    return [*own, *(d for inner in inside for d in decorators_of(inner))]


def rooted(e: ast.expr) -> tuple[str, list[str]]:
    """`yard.gate.register(int)` as the name it begins with and the attributes that follow; '' for anything else."""
    match e:
        case ast.Name(id=name):
            return name, []
        case ast.Attribute(value=inner, attr=attr):
            name, attrs = rooted(inner)
            return name, [*attrs, attr]
        case ast.Call(func=inner) | ast.Subscript(value=inner):
            return rooted(inner)
    return "", []


def keeps_count(tree: ast.Module, name: str) -> bool:
    """Whether a class of a module may know of the classes below it: a hook, a metaclass, `__subclasses__`."""
    kinds = [s for s, _ in binding(tree) if isinstance(s, ast.ClassDef) and s.name == name]
    hooked = any(bound_by(inner) & {"__init_subclass__"} or k.keywords for k in kinds for inner in k.body)
    return hooked or _asks_for_those_below(tree)


@once_per_tree
def _asks_for_those_below(tree: ast.Module) -> bool:
    return any(isinstance(n, ast.Attribute) and n.attr == "__subclasses__" for n in every_node(tree))


def kept_in(function: FunctionNode, tree: ast.Module) -> set[str]:
    """Names of the module, imports left out, whose parts a function sets, or methods of which it calls."""
    plain = [names for s, names in binding(tree) if not isinstance(s, ast.Import | ast.ImportFrom)]
    bound = {name for names in plain for name in names}
    own = {n.arg for n in walk(function) if isinstance(n, ast.arg)}
    own |= {n.id for n in walk(function) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}
    own -= {name for n in walk(function) if isinstance(n, ast.Global) for name in n.names}
    shared = {name for n in walk(function) if isinstance(n, ast.Global) for name in n.names}
    return (shared | {n.id for p in places_changed(function) for n in walk(p) if isinstance(n, ast.Name)}) & bound - own


def places_changed(s: ast.AST) -> Iterator[ast.AST]:
    """What code sets a part of, or calls a method of."""
    for n in walk(s):
        if isinstance(n, ast.Call) and isinstance(n.func, ast.Attribute):
            yield n.func.value if isinstance(n.func.value, ast.Attribute) else n.func
        elif isinstance(n, ast.Attribute | ast.Subscript) and not isinstance(n.ctx, ast.Load):
            yield n


def changed_by(s: ast.AST) -> list[ast.AST]:
    """The parts of a statement that speak of what it may change: where it calls nothing, its targets."""
    if isinstance(s, ast.Assign) and not any(isinstance(n, ast.Call) for n in walk(s)):
        return [*s.targets]
    return [s]


def attributes_in(nodes: Iterable[ast.AST]) -> dict[str, set[str]]:
    """The attributes of each name that are spoken of; `*` where it stands alone."""
    found: dict[str, set[str]] = {}
    for node in nodes:
        for name, words in _attributes_in(node).items():
            found.setdefault(name, set()).update(words)
    return found


@once_per_tree
def _attributes_in(node: ast.AST) -> dict[str, frozenset[str]]:
    every = list(walk(node))
    parts = [(n.value.id, n.attr) for n in every if isinstance(n, ast.Attribute) and isinstance(n.value, ast.Name)]
    times, taken = Counter(n.id for n in every if isinstance(n, ast.Name)), Counter(name for name, _ in parts)
    found = {name: {"*"} if count > taken[name] else set[str]() for name, count in times.items()}
    for name, attribute in parts:
        found[name].add(attribute)
    return {name: frozenset(words) for name, words in found.items()}


def keeps(function: ast.AST) -> bool:
    """Whether a decorator puts what it is handed into something of its module, so that others come upon it."""
    given = {n.arg for n in walk(function) if isinstance(n, ast.arg)}
    own = given | {n.id for n in walk(function) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}
    for n in walk(function):
        match n:
            case ast.Call(func=ast.Attribute(value=place), args=args):
                kept = {a.id for a in args if isinstance(a, ast.Name)}
            case ast.Assign(targets=[ast.Subscript(value=place)], value=ast.Name(id=name)):
                kept = {name}
            case _:
                continue
        if kept & given and not {inner.id for inner in walk(place) if isinstance(inner, ast.Name)} & own:
            return True
    return False
