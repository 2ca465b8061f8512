"""What a function speaks of, by name and without one."""

import ast

from dreck.model.names.scopes import param_names
from dreck.proof.surroundings.implicit import may_run
from dreck.source.functions import Function, FunctionNode
from dreck.source.walking import walk


def names_meant(node: FunctionNode) -> set[str]:
    """The names a function says that may mean something outside: not those of its parameters."""
    given = set(param_names(node.args)) - {name for n in walk(node) if isinstance(n, ast.Global) for name in n.names}
    inside = {n.id for s in node.body for n in walk(s) if isinstance(n, ast.Name)}
    around = [*node.decorator_list, node.args, *([node.returns] if node.returns is not None else [])]
    return (inside - given) | {n.id for part in around for n in walk(part) if isinstance(n, ast.Name)}


def runs_unnamed(node: FunctionNode, method: Function, names: set[str]) -> bool:
    """Whether code may run a special method of a class (`__eq__`, a constructor) that it does not name."""
    special = method.node.name
    if not (special.startswith("__") and special.endswith("__")) or method.owner is None:
        return False
    return may_run(node, special, method.owner.name) or (special == "__init__" and method.owner.name in names)


def asserts(node: ast.AST) -> int:
    """How often it does what `python -O` leaves out."""
    return sum(isinstance(n, ast.Assert) or (isinstance(n, ast.Name) and n.id == "__debug__") for n in walk(node))
