"""What Python, or the code, calls on a value that is read as a parameter is: `__getitem__`, `__bool__`, a property."""

import ast
from collections.abc import Iterator

from dreck.source.functions import FunctionNode
from dreck.source.walking import walk
from dreck.trial.inputs.asked.patterns import by_part

_OPERATORS: dict[type, tuple[str, ...]] = {
    ast.Eq: ("__eq__",), ast.NotEq: ("__eq__", "__ne__"), ast.Lt: ("__lt__", "__gt__"), ast.Gt: ("__lt__", "__gt__"),
    ast.LtE: ("__le__", "__ge__"), ast.GtE: ("__le__", "__ge__"),
    ast.Add: ("__add__", "__radd__", "__iadd__"), ast.Sub: ("__sub__", "__rsub__", "__isub__"),
    ast.Mult: ("__mul__", "__rmul__", "__imul__"), ast.Mod: ("__mod__", "__rmod__"),
    ast.BitOr: ("__or__", "__ior__"), ast.BitAnd: ("__and__", "__iand__"),
}  # fmt: skip
_BUILTINS = {
    "len": "__len__", "bool": "__bool__", "iter": "__iter__", "list": "__iter__", "tuple": "__iter__",
    "sorted": "__iter__",
    "sum": "__iter__", "any": "__iter__", "all": "__iter__", "set": "__iter__", "hash": "__hash__", "str": "__str__",
    "format": "__format__", "repr": "__repr__", "int": "__int__", "float": "__float__", "next": "__next__",
    "abs": "__abs__", "round": "__round__", "reversed": "__reversed__",
}  # fmt: skip


def specials_asked(node: FunctionNode, name: str) -> set[str]:
    """Names of methods and properties, special ones too, that reading `name` in the function may come to."""
    found: set[str] = set()
    for n in walk(node):
        match n:
            case ast.Attribute() | ast.Subscript():
                found |= _of_part(n, name)
            case ast.Call():
                found |= _of_call(n, name)
            case ast.Compare():
                found |= _of_comparison(n, name)
            case ast.Match():
                found |= {special for part, cases in by_part(n) if _is(part, name) for special in _of_cases(cases)}
            case _:
                found |= _of_use(n, name)
    return found


def _of_part(n: ast.Attribute | ast.Subscript, name: str) -> set[str]:
    if not _is(n.value, name):
        return set()
    reads = isinstance(n.ctx, ast.Load)
    if isinstance(n, ast.Subscript):
        return {"__getitem__" if reads else "__setitem__"}
    return {n.attr, "__getattr__", "__getattribute__"} if reads else {n.attr, "__setattr__"}


def _of_call(n: ast.Call, name: str) -> set[str]:
    match n:
        case ast.Call(func=ast.Name(id=called)) if called == name:
            return {"__call__"}
        case ast.Call(func=ast.Name(id="getattr" | "hasattr"), args=[first, ast.Constant(value=str() as attr), *_]):
            return {attr, "__getattr__", "__getattribute__"} if _is(first, name) else set()
        case ast.Call(func=ast.Name(id=word), args=[first, *_]) if _is(first, name) and word in _BUILTINS:
            return {_BUILTINS[word]}
    return set()


def _of_cases(cases: list[ast.match_case]) -> Iterator[str]:
    for pattern in (p for case in cases for p in walk(case.pattern)):
        match pattern:
            case ast.MatchValue():
                yield "__eq__"
            case ast.MatchSequence():
                yield from ("__len__", "__getitem__")
            case ast.MatchMapping():
                yield from ("__len__", "__getitem__", "get")
            case ast.MatchClass(kwd_attrs=names):
                yield from names


def _of_comparison(n: ast.Compare, name: str) -> set[str]:
    found: set[str] = set()
    for op, a, b in zip(n.ops, [n.left, *n.comparators], n.comparators, strict=False):
        among = isinstance(op, ast.In | ast.NotIn)
        if _is(b, name) and among:
            found |= {"__contains__", "__iter__"}
        elif _is(a, name) or _is(b, name):
            found.update(("__eq__",) if among else _OPERATORS.get(type(op), ()))
    return found


def _of_use(n: ast.AST, name: str) -> set[str]:
    match n:
        case ast.FormattedValue(value=value) if _is(value, name):
            return {"__format__", "__str__"}
        case ast.BinOp(left=left, op=how, right=right) if _is(left, name) or _is(right, name):
            return set(_OPERATORS.get(type(how), ()))
        case ast.For(iter=value) | ast.comprehension(iter=value) if _is(value, name):
            return {"__iter__"}
        case ast.withitem(context_expr=value) if _is(value, name):
            return {"__enter__", "__exit__"}
        case ast.If(test=value) | ast.While(test=value) | ast.IfExp(test=value) if _is(value, name):
            return {"__bool__", "__len__"}
        case ast.UnaryOp(op=ast.Not(), operand=value) if _is(value, name):
            return {"__bool__", "__len__"}
        case ast.BoolOp(values=values) if any(_is(v, name) for v in values):
            return {"__bool__", "__len__"}
    return set()


def _is(e: ast.expr, name: str) -> bool:
    return isinstance(e, ast.Name) and e.id == name
