"""Nested functions, lifted out of the function around them: what they read there becomes parameters."""

import ast

from dreck.model.names.scopes import bound_names, scope_of
from dreck.source.copying import copied
from dreck.source.functions import Function, FunctionNode
from dreck.source.walking import walk

_LEAVES = (ast.Call, ast.Await, ast.Yield, ast.YieldFrom)
"""Where code elsewhere runs meanwhile."""


class CannotLift(Exception):
    """The function depends on where it stands; the message says how."""


def lifted(function: Function, every: list[Function]) -> tuple[FunctionNode, tuple[str, ...]]:
    """The function as one of the module, and the names it has from the functions around it.

    Raises CannotLift when it binds names of theirs, calls itself, is a method, or when what it calls may bind such.
    """
    node, scope = function.node, scope_of(function.node)
    around = [f for f in every if function.name.startswith(f"{f.name}.") and f is not function]
    if function.owner is not None:
        raise CannotLift("it is a method of a class inside a function")
    if scope.declared_nonlocal:
        raise CannotLift(f"it binds {min(scope.declared_nonlocal)} of the function around it")
    theirs = frozenset[str]().union(*(bound_names(f.node) for f in around))
    read = {n.id for n in walk(node) if isinstance(n, ast.Name)}
    free = tuple(sorted((read & theirs) - set(scope.local) - scope.declared_global))
    if node.name in free:
        raise CannotLift("it calls itself")
    if any(isinstance(n, ast.Nonlocal) for n in walk(node)):
        raise CannotLift("a function inside it binds names around it")
    bound_anew = {n for f in around for inner in walk(f.node) if isinstance(inner, ast.Nonlocal) for n in inner.names}
    if bound_anew & set(free) and any(isinstance(n, _LEAVES) for n in walk(node)):
        raise CannotLift(f"what it calls may bind {min(bound_anew & set(free))} of the function around it")
    made = copied(node)
    made.decorator_list = []
    places = made.args.posonlyargs if made.args.posonlyargs else made.args.args
    places[:0] = [ast.copy_location(ast.arg(name), node) for name in free]
    return made, free
