"""Generic functions and methods of one version, when all that is registered is plain to see.

Source: the library reference, `functools.singledispatch` and `functools.singledispatchmethod`.
"""

import ast
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import combinations

from dreck.model.names.bindings import bound_by
from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node, once_per_tree
from dreck.proof.classes.hierarchy import Hierarchy
from dreck.proof.classes.say.speech import decorating
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

NONE = "type(None)"
"""The class of None as it is written where something is registered for it: of no other object, and nothing derives."""
_REGISTERING = ("register", "dispatcher")


@dataclass(frozen=True, slots=True)
class Registry:
    """The functions of a generic function by class, the default under ''; `kinds` derived classes first."""

    functions: dict[str, FunctionNode]
    kinds: tuple[str, ...]


def registry_of(name: str, hierarchy: Hierarchy) -> Registry | None:
    """What is registered for the function `name`; None when there may be more, or when two classes could compete."""
    tree = hierarchy.table.names.tree
    found = _registered_in(tree.body, name, "functools.singledispatch", hierarchy)
    if found is None or _is_used_otherwise(tree, name, found[1]):
        return None
    names = hierarchy.table.names
    if any(_registers_otherwise(other, name, found[1], names) for other in names.others):
        return None
    return _ordered(found[0], hierarchy)


def registry_of_method(holder: str, name: str, hierarchy: Hierarchy) -> Registry | None:
    """The same for a generic method, whose functions stand in the body of its class, all of them."""
    names = hierarchy.table.names
    body = hierarchy.table.classes[holder].body
    found = _registered_in(body, name, "functools.singledispatchmethod", hierarchy)
    trees = (names.tree, *names.trees, *names.others)
    if found is None or any(_registers_otherwise(tree, name, found[1], names) for tree in trees):
        return None
    said = {n.id for n in found[1] if isinstance(n, ast.Name)} | found[0].keys()
    if (said - {name}) & {b for s in body for b in bound_by(s)}:
        return None  # another thing is meant in the body of the class
    return _ordered(found[0], hierarchy)


def _registered_in(
    body: list[ast.stmt], name: str, generic: str, hierarchy: Hierarchy
) -> tuple[dict[str, FunctionNode], set[ast.AST]] | None:
    """The functions by class, and all that stands in their decorators."""
    functions: dict[str, FunctionNode] = {}
    decorators: set[ast.AST] = set()
    for s in body:
        if not isinstance(s, FunctionNode) or not s.decorator_list:
            continue
        kinds = list(_kinds(s, name, hierarchy, of_method=generic.endswith("method")))
        if s.name == name and [hierarchy.table.names.stands_for(d) for d in s.decorator_list] == [generic]:
            kinds.append("")
        if kinds and (len(kinds) != len(s.decorator_list) or None in kinds):
            return None
        for kind in kinds:
            if kind is None or kind in functions:
                return None
            functions[kind] = s
        decorators |= {n for d in s.decorator_list for n in walk(d)} if kinds else set()
    return (functions, decorators) if "" in functions else None


@once_per_tree
def says_of_what_class(tree: ast.Module) -> bool:
    """Whether objects may say that they are of another class than they are: that is what a generic function asks."""
    for n in every_node(tree):
        match n:
            case ast.FunctionDef(name="__class__" | "__getattribute__") | ast.Constant(value="__class__"):
                return True
            case ast.Constant(value="__getattribute__") | ast.Name(id="__getattribute__", ctx=ast.Store()):
                return True
            case ast.Name(id="__class__", ctx=ast.Store() | ast.Del()):
                return True
            case ast.Attribute(attr="__class__", ctx=ast.Store() | ast.Del()) | ast.alias(asname="__class__"):
                return True
    return False


def _ordered(functions: dict[str, FunctionNode], hierarchy: Hierarchy) -> Registry | None:
    named = [kind for kind in functions if kind not in ("", NONE)]
    names = hierarchy.table.names
    if any(map(says_of_what_class, (names.tree, *names.trees, *names.others))):
        return None
    if any(_compete(a, b, hierarchy) for a, b in combinations(named, 2)):
        return None
    kinds = hierarchy.in_order(named)
    if NONE in functions:
        before = [kind for kind in functions if kind][: [kind for kind in functions if kind].index(NONE)]
        kinds.insert(len(before), NONE)
    return Registry(functions, tuple(kinds))


def _kinds(s: FunctionNode, name: str, hierarchy: Hierarchy, of_method: bool) -> Iterator[str | None]:
    """The classes for which `s` is registered, None for one that is not understood."""
    for d in s.decorator_list:
        called = d.func if isinstance(d, ast.Call) else d
        match called:
            case ast.Attribute(value=ast.Name(id=of), attr="register") if of == name:
                kind = NONE if _is_for_none(d, hierarchy.table.names) else _registered_kind(d, s, of_method)
                yield kind if kind == NONE or hierarchy.is_known(kind) else None


def _is_for_none(d: ast.expr, names: ModuleNames) -> bool:
    """`@fee.register(type(None))`: it is asked for what None is; see `NONE`."""
    match d:
        case ast.Call(args=[ast.Call(func=ast.Name(id=of), args=[ast.Constant(value=None)], keywords=[])], keywords=[]):
            return of == "type" and names.is_builtin(of)
    return False


def _registered_kind(d: ast.expr, s: FunctionNode, of_method: bool) -> str:
    """The class that a decorator names, or the first annotation of the function does."""
    match d, s.args.args:
        case ast.Call(args=[ast.Name(id=kind)], keywords=[]), _:
            return kind
        case ast.Attribute(), [ast.arg(annotation=None), ast.arg(annotation=ast.Name(id=kind)), *_] if of_method:
            return "" if s.args.posonlyargs else kind
        case ast.Attribute(), [ast.arg(annotation=ast.Name(id=kind)), *_] if not of_method:
            return kind
    return ""


def _compete(a: str, b: str, hierarchy: Hierarchy) -> bool:
    """Whether an object may be of both classes without one deriving from the other: then its order decides."""
    return not (hierarchy.derives(a, b) or hierarchy.derives(b, a)) and hierarchy.may_share(a, b)


def _is_used_otherwise(tree: ast.Module, name: str, decorators: set[ast.AST]) -> bool:
    """Whether anything is done with the function but registering by decorator and calling it."""
    called = {n.func for n in every_node(tree) if isinstance(n, ast.Call)}
    return any(
        isinstance(n, ast.Name) and n.id == name and n not in decorators and n not in called for n in every_node(tree)
    )


def _registers_otherwise(tree: ast.Module, name: str, decorators: set[ast.AST], names: ModuleNames) -> bool:
    """Whether anything is done with a generic method but registering by decorator and calling it by its name.

    Nor may anything be registered for what nobody can tell: by its own name, of a value, under a name in a text.
    """
    called = {n.func for n in every_node(tree) if isinstance(n, ast.Call)}
    for n in every_node(tree):
        match n:
            case ast.Attribute(attr=attr) if attr == name and (n not in called or not isinstance(n.ctx, ast.Load)):
                return True
            case ast.Name(id=said) | ast.Constant(value=str() as said) if said == name and n not in decorators:
                return True
            case ast.Constant(value=str() as said) if said in _REGISTERING:
                return True
            case ast.Attribute(attr=attr) if attr in _REGISTERING and n not in decorating(tree):
                if attr == "dispatcher" or tree is not names.tree or not names.stands_for(n):
                    return True
    return False
