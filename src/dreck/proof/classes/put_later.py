"""Attributes that something puts on a class once it is there."""

import ast
from functools import lru_cache

from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node, once_per_tree
from dreck.proof.classes.say.quiet import COMPUTED, is_quiet_value
from dreck.source.walking import walk


@lru_cache(maxsize=16)
def put_later(names: ModuleNames) -> frozenset[str]:
    """The attributes that something puts on a class once it is there, when that may be a descriptor."""
    found: set[str] = set()
    for tree in (names.tree, *names.trees, *names.others):
        in_functions = _in_functions(tree)
        plain: set[ast.AST] = set()
        for n in every_node(tree):
            if isinstance(n, ast.Assign | ast.AnnAssign | ast.AugAssign) and is_quiet_value(n.value, names):
                targets = n.targets if isinstance(n, ast.Assign) else [n.target]
                plain |= {t for target in targets for t in walk(target)}
        for n in every_node(tree):
            match n:
                case ast.Attribute(attr=name, ctx=ast.Store(), value=of) if n not in plain:
                    found |= {name} if n not in in_functions or _may_be_class(of, names) else set()
                case ast.Call(func=ast.Name(id="setattr"), args=[of, ast.Constant(value=str() as name), value]):
                    if not is_quiet_value(value, names) and (n not in in_functions or _may_be_class(of, names)):
                        found.add(name)
    return frozenset(found)


@lru_cache(maxsize=16)
def specials_put(names: ModuleNames) -> frozenset[str]:
    """The special methods that something sets or takes away beside class bodies, or says the name of as a text."""
    found: set[str] = set()
    for tree in (names.tree, *names.trees, *names.others):
        for n in every_node(tree):
            match n:
                case (
                    ast.Attribute(attr=word, ctx=ast.Store() | ast.Del())
                    | ast.Constant(value=str() as word)
                    | ast.keyword(arg=str() as word)
                ):
                    if word.startswith("__") and word.endswith("__"):
                        found.add(word)
    return frozenset(found)


@lru_cache(maxsize=16)
def _has_descriptors(names: ModuleNames) -> bool:
    nodes = (n for tree in (names.tree, *names.trees, *names.others) for n in every_node(tree))
    return any(
        (isinstance(n, ast.FunctionDef) and n.name == "__get__")
        or (isinstance(n, ast.Call) and names.stands_for(n.func) in COMPUTED)
        for n in nodes
    )


@once_per_tree
def _in_functions(tree: ast.Module) -> frozenset[ast.AST]:
    return frozenset(n for f in every_node(tree) if isinstance(f, _SHUT) for n in walk(f))


_SHUT = (ast.FunctionDef, ast.AsyncFunctionDef)


def _may_be_class(e: ast.expr, names: ModuleNames) -> bool:
    """Whether what gets an attribute may be a class: any but `self`, where the files have descriptors to put there."""
    if _has_descriptors(names):
        return not (isinstance(e, ast.Name) and e.id == "self")
    match e:
        case ast.Name(id=name):
            return name == "cls" or isinstance(names.definitions.get(name), ast.ClassDef)
        case ast.Attribute(attr="__class__") | ast.Call(func=ast.Name(id="type")):
            return True
    return False
