"""Functions without a name inside a block: whether they see the same variables in a function of their own."""

import ast
from collections.abc import Sequence

from dreck.model.names.scopes import param_names
from dreck.source.walking import walk
from dreck.steps.support.scene import Scene

_AT_ONCE = frozenset({"all", "any", "sum", "min", "max", "list", "tuple", "set", "frozenset", "dict", "sorted"})
"""Built-in functions that go through what they are given, and keep none of it."""


def keeps_its_variables(scene: Scene, body: Sequence[ast.stmt], in_loop: bool, node: ast.AST) -> bool:
    """Whether no variable it reads is bound again where the other function, or the block, would not see it.

    A `lambda` or a generator sees the variables of the function it stands in as they are when it runs.
    """
    if isinstance(node, ast.GeneratorExp):
        if _is_used_at_once(body, node):
            return True
    elif not isinstance(node, ast.Lambda):
        return False
    inside = {n for s in body for n in walk(s)}
    scope = scene.scope
    for name in ({n.id for n in seen_later(node) if isinstance(n, ast.Name)} - _own_names(node)) & scope.local:
        stores = [n for n in walk(scene.node) if isinstance(n, ast.Name) and n.id == name and _binds(n)]
        is_param = name in scope.params
        if name in scope.shared or name in scope.deleted or not (stores or is_param):
            return False
        if in_loop:
            return False  # its variables are those of every round
        if not is_param and all(n in inside for n in stores):
            continue
        if any(n in inside or n.lineno >= body[0].lineno for n in stores):
            return False
    return True


def _is_used_at_once(body: Sequence[ast.stmt], node: ast.GeneratorExp) -> bool:
    for n in (n for s in body for n in walk(s)):
        match n:
            case ast.Call(func=ast.Name(id=called), args=[first, *_]) if first is node and called in _AT_ONCE:
                return True
            case ast.Call(func=ast.Attribute(value=ast.Constant(value=str() | bytes()), attr="join"), args=[first]) if (
                first is node
            ):
                return True
    return False


def seen_later(node: ast.AST) -> list[ast.AST]:
    """What of it runs later; what a generator goes through first is worked out where it stands."""
    at_once = set(walk(node.generators[0].iter)) if isinstance(node, ast.GeneratorExp) else set()
    return [n for n in walk(node) if n not in at_once]


def _own_names(node: ast.AST) -> set[str]:
    if isinstance(node, ast.Lambda):
        return set(param_names(node.args))
    return {n.id for n in walk(node) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}


def _binds(n: ast.Name) -> bool:
    return not isinstance(n.ctx, ast.Load)
