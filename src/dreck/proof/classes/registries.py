"""Generic functions of one version (`functools.singledispatch`), when all that is registered is plain to see."""

import ast
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import combinations

from dreck.proof.classes.hierarchy import Hierarchy
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk


@dataclass(frozen=True, slots=True)
class Registry:
    """The functions of a generic function by class, the default under ''; `kinds` derived classes first."""

    functions: dict[str, FunctionNode]
    kinds: tuple[str, ...]


def registry_of(name: str, hierarchy: Hierarchy) -> Registry | None:
    """What is registered for the function `name`; None when there may be more, or when two classes could compete."""
    tree = hierarchy.table.names.tree
    functions: dict[str, FunctionNode] = {}
    decorators: set[ast.AST] = set()
    for s in tree.body:
        if not isinstance(s, FunctionNode) or not s.decorator_list:
            continue
        kinds = list(_kinds(s, name, hierarchy))
        if s.name == name and _is_generic(s, hierarchy):
            kinds.append("")
        if kinds and (len(kinds) != len(s.decorator_list) or None in kinds):
            return None
        for kind in kinds:
            if kind is None or kind in functions:
                return None
            functions[kind] = s
        decorators |= {n for d in s.decorator_list for n in walk(d)} if kinds else set()
    named = [kind for kind in functions if kind]
    if "" not in functions or _is_used_otherwise(tree, name, decorators):
        return None
    if any(_compete(a, b, hierarchy) for a, b in combinations(named, 2)):
        return None
    return Registry(functions, tuple(hierarchy.in_order(named)))


def _is_generic(s: FunctionNode, hierarchy: Hierarchy) -> bool:
    return [hierarchy.table.names.stands_for(d) for d in s.decorator_list] == ["functools.singledispatch"]


def _kinds(s: FunctionNode, name: str, hierarchy: Hierarchy) -> Iterator[str | None]:
    """The classes for which `s` is registered, None for one that is not understood."""
    for d in s.decorator_list:
        called = d.func if isinstance(d, ast.Call) else d
        match called:
            case ast.Attribute(value=ast.Name(id=of), attr="register") if of == name:
                kind = _registered_kind(d, s)
                yield kind if hierarchy.is_known(kind) else None


def _registered_kind(d: ast.expr, s: FunctionNode) -> str:
    match d:
        case ast.Call(args=[ast.Name(id=kind)], keywords=[]):
            return kind
        case ast.Attribute() if s.args.args and isinstance(s.args.args[0].annotation, ast.Name):
            return s.args.args[0].annotation.id
    return ""


def _compete(a: str, b: str, hierarchy: Hierarchy) -> bool:
    """Whether an object may be of both classes without one deriving from the other: then its order decides."""
    return not (hierarchy.derives(a, b) or hierarchy.derives(b, a)) and hierarchy.may_share(a, b)


def _is_used_otherwise(tree: ast.Module, name: str, decorators: set[ast.AST]) -> bool:
    """Whether anything is done with the function but registering by decorator and calling it."""
    called = {n.func for n in walk(tree) if isinstance(n, ast.Call)}
    return any(isinstance(n, ast.Name) and n.id == name and n not in decorators and n not in called for n in walk(tree))
