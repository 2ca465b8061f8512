"""Sets that only one version goes through: texts come out of them in another order in each process.

Source: the library reference, `set`; the command line reference, `PYTHONHASHSEED`.
"""

import ast
from collections import Counter
from collections.abc import Iterator

from dreck.model.names.modules import ModuleNames
from dreck.model.names.tables import bound_at_top
from dreck.source.walking import walk
from dreck.workbench.judging.ambient import led_to
from dreck.workbench.judging.candidates import Candidate

_GOING_THROUGH = frozenset({"list", "tuple", "enumerate", "zip", "iter", "map", "filter", "next", "dict"})
_MAKING = frozenset({"union", "intersection", "difference", "symmetric_difference", "copy"})


def of_set_order(old: Candidate, new: Candidate) -> str:
    """The set of which only one of them shows the order; '' when there is none."""
    told = [Counter(name for f in led_to(c) for name in _gone_through(f, c.names)) for c in (old, new)]
    differing = (told[0] - told[1]) + (told[1] - told[0])
    if differing:
        return f"`{min(differing)}` is a set, which is gone through in another order in each process"
    return ""


def _gone_through(function: ast.AST, names: ModuleNames) -> Iterator[str]:
    known = {name for name, value, _ in bound_at_top(names.tree) if _is_set(value, set(), names)}
    for n in walk(function):
        match n:
            case ast.Assign(targets=[ast.Name(id=name)], value=value) if _is_set(value, known, names):
                known.add(name)
    for n in walk(function):
        for e in _walked_by(n):
            if _is_set(e, known, names):
                yield ast.unparse(e)


def _walked_by(n: ast.AST) -> list[ast.expr]:
    match n:
        case ast.For(iter=e) | ast.AsyncFor(iter=e) | ast.comprehension(iter=e) | ast.Starred(value=e):
            return [e]
        case ast.Assign(targets=[ast.Tuple() | ast.List()], value=e):
            return [e]
        case ast.Call(func=ast.Name(id=name), args=args) if name in _GOING_THROUGH:
            return args
        case ast.Call(func=ast.Attribute(attr="join" | "extend"), args=[e]):
            return [e]
        case ast.Call(func=ast.Attribute(value=e, attr="pop"), args=[]):
            return [e]
    return []


def _is_set(e: ast.expr, known: set[str], names: ModuleNames) -> bool:
    """Whether it is surely a set, and not one of whole numbers that are written there, which have their order."""
    match e:
        case ast.Set(elts=elts):
            return not all(isinstance(item, ast.Constant) and isinstance(item.value, int) for item in elts)
        case ast.SetComp():
            return True
        case ast.Call(func=ast.Name(id="set" | "frozenset" as name), args=[_]):
            return names.is_builtin(name)
        case ast.Call(func=ast.Attribute(value=of, attr=attr)) if attr in _MAKING:
            return _is_set(of, known, names)
        case ast.BinOp(left=left, op=ast.BitOr() | ast.BitAnd() | ast.Sub() | ast.BitXor(), right=right):
            return _is_set(left, known, names) or _is_set(right, known, names)
        case ast.Name(id=name):
            return name in known
    return False
