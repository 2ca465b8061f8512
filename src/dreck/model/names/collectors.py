"""Collectors: local lists to which is only appended until they are returned. No one else can see them grow."""

import ast
from functools import lru_cache

from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

_OWN_SCOPE = (
    ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef, ast.Lambda, ast.ListComp, ast.SetComp, ast.DictComp,
    ast.GeneratorExp,
)  # fmt: skip
_ELSEWHERE = (ast.Global, ast.Nonlocal, ast.NamedExpr, ast.Yield, ast.YieldFrom, ast.Await)


@lru_cache(maxsize=256)
def collectors_in(function: FunctionNode) -> frozenset[str]:
    """Names that are bound to new lists only, appended to in statements of their own, and otherwise only returned.

    Nothing that is read before such an `append` can be another thing after it.
    """
    if any(isinstance(n, _ELSEWHERE) or getattr(n, "finalbody", None) for n in walk(function)):
        return frozenset()
    uses: dict[str, int] = {}
    understood: dict[str, int] = {}
    fresh: set[str] = set()
    caught = any(isinstance(n, _CATCHING) for n in walk(function))
    for n in _own_nodes(function):
        match n:
            case ast.Name(id=name):
                uses[name] = uses.get(name, 0) + 1
            case ast.Assign(targets=[ast.Name(id=name)], value=ast.List()):
                fresh.add(name)
                understood[name] = understood.get(name, 0) + 1
            case ast.Expr(value=ast.Call() as call) if is_append(call):
                name = call.func.value.id  # type: ignore[attr-defined]
                understood[name] = understood.get(name, 0) + 1
            case ast.Return(value=ast.expr() as value) if not caught or _only_holds(value):
                for inner in walk(value):
                    if isinstance(inner, ast.Name):
                        understood[inner.id] = understood.get(inner.id, 0) + 1
    params = {n.arg for n in walk(function.args) if isinstance(n, ast.arg)}
    return frozenset(n for n in fresh if uses[n] == understood[n] and n not in params) - _read_inside(function)


_CATCHING = (ast.Try, ast.TryStar, ast.With, ast.AsyncWith)


def _only_holds(value: ast.expr) -> bool:
    """Whether a value is made without running anything: what ran may keep the list and raise, and more is appended."""
    return all(isinstance(n, ast.Name | ast.Tuple | ast.List | ast.Constant | ast.expr_context) for n in walk(value))


def is_append(call: ast.Call) -> bool:
    """`name.append(value)`."""
    match call:
        case ast.Call(func=ast.Attribute(value=ast.Name(), attr="append"), args=[given], keywords=[]):
            return not isinstance(given, ast.Starred)
    return False


def _own_nodes(function: FunctionNode) -> list[ast.AST]:
    found: list[ast.AST] = []
    pending: list[ast.AST] = list(function.body)
    while pending:
        n = pending.pop()
        found.append(n)
        pending += ast.iter_child_nodes(n)
    return found


def _read_inside(function: FunctionNode) -> set[str]:
    """Names that stand in a scope of their own within the function."""
    nested = [n for n in walk(function) if isinstance(n, _OWN_SCOPE) and n is not function]
    return {m.id for n in nested for m in walk(n) if isinstance(m, ast.Name)}
