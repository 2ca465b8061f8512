"""Short variables: what they stand for says more than they do."""

import ast

from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

_SHORT = 3


def spelled_out(function: FunctionNode, e: ast.expr) -> ast.expr:
    """`load.material` for `m`, where that is bound once in the function, to an attribute or an item; else `e`."""
    if not isinstance(e, ast.Name) or len(e.id) >= _SHORT:
        return e
    bound = [n for n in walk(function) if isinstance(n, ast.Name) and n.id == e.id and not isinstance(n.ctx, ast.Load)]
    for s in walk(function):
        match s:
            case ast.Assign(targets=[ast.Name() as target], value=ast.Attribute() | ast.Subscript() as value):
                if bound == [target] and (isinstance(value, ast.Attribute) or isinstance(value.slice, ast.Constant)):
                    return value
    return e
