"""Where an accepted assumption is doubtful: `total-order` in code that speaks of floats, sets, arrays or frames."""

import ast

from dreck.proof.assumptions import ORDER
from dreck.proof.lockstep.masking import array_modules
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

_NUMBERS = frozenset({"nan", "NaN", "NAN", "isnan", "inf", "float", "fsum", "float32", "float64", "Decimal"})
_SETS = frozenset({"set", "frozenset", "issubset", "issuperset", "AbstractSet", "Set", "FrozenSet", "Counter"})

_ORDERS = frozenset({ast.Lt, ast.LtE, ast.Gt, ast.GtE})


def orders_doubtful(function: FunctionNode, module: ast.Module) -> bool:
    """Whether `not a < b` might not be `a >= b` here: a NaN, sets or arrays may be compared, and something is."""
    nodes = list(walk(function))
    if not any(type(n) in _ORDERS for n in nodes):
        return False
    return bool(array_modules(module)) or any(map(_speaks_of_it, nodes))


def ordered(function: FunctionNode, module: ast.Module, doubt: frozenset[str]) -> frozenset[str]:
    """`total-order` where it is accepted: nowhere if the project doubts it, nor where the code gives reason to."""
    accepted = ORDER not in doubt and not orders_doubtful(function, module)
    return frozenset({ORDER}) if accepted else frozenset()


def _speaks_of_it(node: ast.AST) -> bool:
    match node:
        case ast.Name(id=name) | ast.Attribute(attr=name):
            return name in _NUMBERS or name in _SETS
        case ast.Constant(value=float()) | ast.Set() | ast.SetComp():
            return True
        case ast.BinOp(op=ast.Div()) | ast.AugAssign(op=ast.Div()):
            return True
    return False
