"""Statements of a module that may bind a name without saying so, and where they stand among its definitions."""

import ast
from collections.abc import Iterator
from dataclasses import dataclass, field

from dreck.model.names.bindings import statements_of
from dreck.model.names.nodes import every_node
from dreck.source.functions import FunctionNode

_WORDS = frozenset(
    {"globals", "vars", "locals", "exec", "eval", "setattr", "delattr", "modules", "__import__", "import_module"}
    | {"__dict__", "__code__", "__defaults__", "__kwdefaults__", "__globals__", "__class__", "__setattr__"}
)


@dataclass(frozen=True, slots=True)
class _Entry:
    """A definition by its name, or a statement by what it says, and whether it may bind unseen; whether it says so,
    or only calls what may."""

    told: str
    is_definition: bool
    binds: bool = field(compare=False)
    says_so: bool = field(compare=False, default=False)


def are_bound_in_one_order(old: ast.Module, new: ast.Module) -> bool:
    """Whether functions and classes that both have stand alike among the statements that may bind their names."""
    orders = list(_order(old)), list(_order(new))
    both = set(orders[0]) & set(orders[1])
    binding = {e for order in orders for e in order if e.binds and (e in both or (not e.is_definition and e.says_so))}
    if not binding:
        return True
    mine, theirs = (_places(order, binding, {e for e in both if e.is_definition}) for order in orders)
    return mine == theirs


def _places(order: list[_Entry], binding: set[_Entry], common: set[_Entry]) -> list[tuple[_Entry, frozenset[_Entry]]]:
    """Each statement that may bind, with the definitions that stand before it; those of one version left out."""
    found = []
    before: set[_Entry] = set()
    for e in order:
        if e in binding:
            found.append((e, frozenset(before)))
        before |= {e} & common
    return found


def _order(tree: ast.Module) -> Iterator[_Entry]:
    says_global = any(isinstance(n, ast.Global) for n in every_node(tree))
    for s in statements_of(tree.body):
        calls = isinstance(s, ast.Expr) and isinstance(s.value, ast.Call)  # whoever is called may know the module
        binds = calls or any(_is_of_names(n, says_global) for n in _run_at_once(s))
        if isinstance(s, FunctionNode | ast.ClassDef):
            yield _Entry(s.name, True, binds)
        elif binds:
            yield _Entry(ast.dump(s), False, True, any(_is_of_names(n, False) for n in _run_at_once(s)))


def _run_at_once(s: ast.stmt) -> Iterator[ast.AST]:
    """The nodes of a statement, what functions in it do when they are called left out."""
    pending: list[ast.AST] = [s]
    while pending:
        n = pending.pop()
        yield n
        left = {id(inner) for inner in n.body} if isinstance(n, FunctionNode) else {id(getattr(n, "body", None))}
        lazy = isinstance(n, FunctionNode | ast.Lambda)
        pending += [child for child in ast.iter_child_nodes(n) if not lazy or id(child) not in left]


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
