"""What can be gone through again, found once more: an iterator is used up by whoever goes through it."""

import ast
from functools import lru_cache

from dreck.model.names.nodes import every_node
from dreck.source.functions import FunctionNode


def walked_in(n: ast.AST) -> list[ast.expr]:
    if isinstance(n, ast.Compare):
        return [e for op, e in zip(n.ops, n.comparators, strict=True) if isinstance(op, ast.In | ast.NotIn)]
    called = getattr(n.func, "id", "") if isinstance(n, ast.Call) else ""
    alone = isinstance(n, ast.Call) and (called in ("tuple", "iter", "sum") or len(n.args) == 1)
    return n.args[:1] if alone and called in ("tuple", "iter", "sum", "min", "max") else []  # type: ignore[attr-defined]


def is_lasting(e: ast.expr, s: FunctionNode, trees: tuple[ast.Module, ...]) -> bool:
    """Whether something can be gone through again: a display, the object itself, an attribute that holds such."""
    if isinstance(e, ast.Name):
        return e.id.isupper() or e.id in [a.arg for a in s.args.args[:1]]
    if isinstance(e, ast.Attribute):
        given = _given_to(trees).get(e.attr)
        return bool(given) and all(v is not None and _is_lasting(v) for v in given or ())
    return _is_lasting(e)


def _is_lasting(e: ast.expr) -> bool:
    if isinstance(e, ast.IfExp):
        return _is_lasting(e.body) and _is_lasting(e.orelse)
    if isinstance(e, ast.BoolOp):
        return all(map(_is_lasting, e.values))
    if isinstance(e, ast.Call):
        word = getattr(e.func, "id", "") or getattr(e.func, "attr", "")
        return word in _MAKERS and not isinstance(getattr(e.func, "value", None), ast.Call)
    return isinstance(e, _LASTING)


_LASTING = (
    ast.List,
    ast.Tuple,
    ast.Dict,
    ast.Set,
    ast.ListComp,
    ast.SetComp,
    ast.DictComp,
    ast.Constant,
    ast.JoinedStr,
)
_MAKERS = {
    "list", "tuple", "dict", "set", "frozenset", "sorted", "str", "bytes", "bytearray", "range", "OrderedDict",
    "defaultdict", "Counter", "deque", "split", "rsplit", "splitlines", "copy", "keys", "values", "items", "strip",
    "lower", "upper", "join",
}  # fmt: skip


@lru_cache(maxsize=16)
def _given_to(trees: tuple[ast.Module, ...]) -> dict[str, list[ast.expr | None]]:
    """All that the files give to each name or attribute; None among it where that cannot be read."""
    found: dict[str, list[ast.expr | None]] = {}
    words = {getattr(n, field, "") for tree in trees for n in every_node(tree) for field in ("id", "attr")}
    if words & {"setattr", "vars", "__dict__", "__setattr__"}:
        return {}
    for tree in trees:
        values: dict[ast.AST, ast.expr | None] = {}
        for n in every_node(tree):
            if isinstance(n, ast.Assign):
                values |= dict.fromkeys(n.targets, n.value)
            elif isinstance(n, ast.AnnAssign | ast.AugAssign) and isinstance(n.target, ast.Attribute):
                values[n.target] = n.value
        for n in every_node(tree):
            if isinstance(n, ast.Attribute) and not isinstance(n.ctx, ast.Load):
                found.setdefault(n.attr, []).append(values.get(n))
            elif isinstance(n, ast.AnnAssign) and isinstance(n.target, ast.Name):
                found.setdefault(n.target.id, []).append(None)  # a field, given by whoever makes an object
            elif isinstance(n, ast.FunctionDef | ast.alias):
                found.setdefault(n.name, []).append(None)
    return found
