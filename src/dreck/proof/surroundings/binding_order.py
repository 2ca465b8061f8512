"""Statements of a module that may bind a name without saying so, and where they stand among its definitions."""

import ast
from collections.abc import Iterator

from dreck.model.names.bindings import statements_of
from dreck.model.names.nodes import every_node
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

_WORDS = frozenset(
    {"globals", "vars", "locals", "exec", "eval", "setattr", "delattr", "modules", "__import__", "import_module"}
    | {"__dict__", "__code__", "__defaults__", "__kwdefaults__", "__globals__", "__class__", "__setattr__"}
)


def are_bound_in_one_order(old: ast.Module, new: ast.Module) -> bool:
    """Whether functions and classes that both have stand alike among the statements that may bind their names."""
    orders = list(_order(old)), list(_order(new))
    if not any(told for order in orders for told, _ in order):
        return True
    common = set(orders[0]) & set(orders[1])
    mine, theirs = ([e for e in order if e[0] or e in common] for order in orders)
    return mine == theirs


def _order(tree: ast.Module) -> Iterator[tuple[bool, str]]:
    """Whether a statement may bind unseen, with what it says; of a definition the name."""
    says_global = any(isinstance(n, ast.Global) for n in every_node(tree))
    for s in statements_of(tree.body):
        if _binds_unseen(s, says_global):
            yield True, ast.dump(s)
        elif isinstance(s, FunctionNode | ast.ClassDef):
            yield False, s.name


def _binds_unseen(s: ast.stmt, says_global: bool) -> bool:
    if isinstance(s, FunctionNode):  # what it does it does when it is called
        parts: list[ast.AST] = [s.args, *s.decorator_list]
    else:
        parts = [s]
    return any(_is_of_names(n, says_global) for part in parts for n in walk(part))


def _is_of_names(n: ast.AST, says_global: bool) -> bool:
    match n:
        case ast.alias(name="*") | ast.Global():
            return True
        case ast.Name(id=word) | ast.Attribute(attr=word):
            return word in _WORDS
        case ast.NamedExpr():
            return True
        case ast.Call():
            return says_global
    return False
