"""Comparisons that answer with many truths at once: what a function itself says about the objects it compares.

`plain-comparisons` says that a comparison gives a real boolean. Arrays and frames give one of their own kind. Where a
function picks by a comparison (`a[a != 0]`), joins two with `&`, `|`, `^` or `~`, asks one for an attribute
(`(a == b).all()`) or hands one to a library of arrays (`np.where(a == 0, 1, a)`), it speaks of such objects, and what
it says beats the assumption; so it does when the comparison has been given a name before.
"""

import ast

from dreck.model.names.bindings import root_of
from dreck.model.names.nodes import every_node, once_per_tree
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

_LIBRARIES = """
numpy pandas polars torch jax xarray scipy dask tensorflow cupy pyarrow shapely sympy astropy pint
"""
ARRAY_LIBRARIES = frozenset(_LIBRARIES.split())
"""Libraries whose objects answer a comparison with one of their own kind."""
_ORDERS_OR_EQUALS = (ast.Eq, ast.NotEq, ast.Lt, ast.LtE, ast.Gt, ast.GtE)
_BY_THE_BIT = (ast.BitAnd, ast.BitOr, ast.BitXor)
_DISPLAYS = (ast.Constant, ast.Tuple, ast.List, ast.Dict, ast.JoinedStr)


def speaks_of_masks(function: FunctionNode, module: ast.Module) -> bool:
    """Whether a function uses what comes of a comparison as no truth value is used."""
    if not any(isinstance(n, ast.Compare) and _is_by_value(n) for n in walk(function)):
        return False
    uses = _Uses(function, array_modules(module))
    return any(map(uses.a_mask, walk(function)))


@once_per_tree
def array_modules(module: ast.Module) -> frozenset[str]:
    """The names by which a file imports libraries of arrays, or things of them, at its top or in a function."""
    found = set[str]()
    for node in every_node(module):
        match node:
            case ast.Import(names=names):
                of_arrays = (a for a in names if a.name.partition(".")[0] in ARRAY_LIBRARIES)
                found |= {alias.asname or alias.name.partition(".")[0] for alias in of_arrays}
            case ast.ImportFrom(module=str() as name, names=names) if name.partition(".")[0] in ARRAY_LIBRARIES:
                found |= {alias.asname or alias.name for alias in names}
    return frozenset(found)


def _is_by_value(n: ast.Compare) -> bool:
    return any(isinstance(op, _ORDERS_OR_EQUALS) for op in n.ops)


class _Uses:
    def __init__(self, function: FunctionNode, arrays: frozenset[str]) -> None:
        self.arrays = arrays
        self.named = frozenset[str]()
        self.named = frozenset(t.id for n in walk(function) for t in self._given_a_mask(n) if isinstance(t, ast.Name))

    def _given_a_mask(self, node: ast.AST) -> list[ast.expr]:
        match node:
            case ast.Assign(targets=targets, value=value) if self._is_mask(value):
                return targets
            case ast.AnnAssign(target=target, value=ast.expr() as value) | ast.NamedExpr(target=target, value=value):
                return [target] if self._is_mask(value) else []
        return []

    def a_mask(self, node: ast.AST) -> bool:
        """Whether a comparison, or what has been named after one, is used here as arrays are."""
        match node:
            case ast.Subscript(value=value, slice=index) if not isinstance(value, _DISPLAYS):
                return self._is_mask(index) or (isinstance(index, ast.Tuple) and any(map(self._is_mask, index.elts)))
            case ast.BinOp(left=left, op=op, right=right) if isinstance(op, _BY_THE_BIT):
                return self._is_mask(left) or self._is_mask(right)
            case ast.AugAssign(op=op, value=value) if isinstance(op, _BY_THE_BIT):
                return self._is_mask(value)
            case ast.UnaryOp(op=ast.Invert(), operand=operand) | ast.Attribute(value=operand):
                return self._is_mask(operand)
            case ast.Call(func=func, args=args, keywords=keywords) if root_of(func) in self.arrays:
                return any(map(self._is_mask, (*args, *(k.value for k in keywords))))
        return False

    def _is_mask(self, node: ast.expr) -> bool:
        match node:
            case ast.UnaryOp(op=ast.Not(), operand=operand):
                return self._is_mask(operand)
            case ast.Compare():
                return _is_by_value(node)
            case ast.Name(id=name):
                return name in self.named
        return False
