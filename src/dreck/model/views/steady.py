"""What switches are on: attributes and items that tests compare with constants, of which `steady-kind` says that they
keep their value while a function runs."""

import ast
from collections.abc import Iterable, Iterator
from functools import lru_cache

from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

_MAKING = frozenset({"__init__", "__new__", "__post_init__", "__setstate__"})
_KEYED = (ast.Eq, ast.NotEq, ast.In, ast.NotIn, ast.Is, ast.IsNot)


def steady_in(functions: Iterable[FunctionNode], trees: Iterable[ast.Module]) -> frozenset[str]:
    """The names (`kind`, `['kind']` for an item) that are compared with constants, and that nothing in the files sets
    but constructors do."""
    compared = frozenset(name for f in functions for name in _compared(f))
    late = frozenset(name for tree in trees for name in _set_late(tree)) if compared else frozenset()
    return frozenset() if "*" in late else compared - late


def _compared(function: FunctionNode) -> Iterator[str]:
    for n in walk(function):
        match n:
            case ast.Compare(left=left, ops=ops, comparators=comparators) if all(isinstance(op, _KEYED) for op in ops):
                sides = [left, *comparators]
                if any(map(_is_constant, sides)):
                    yield from (name for side in sides if (name := place_of(side)))
            case ast.Match(subject=subject) if name := place_of(subject):
                yield name


def place_of(e: ast.AST) -> str:
    """`kind` for `x.kind`, `['kind']` for `x["kind"]`; '' for anything else."""
    match e:
        case ast.Attribute(attr=name):
            return name
        case ast.Subscript(slice=ast.Constant(value=str() | int() as key)):
            return f"[{key!r}]"
    return ""


def _is_constant(e: ast.expr) -> bool:
    match e:
        case ast.Constant(value=value):
            return value is not None and not isinstance(value, bool | float | complex)
        case ast.Tuple(elts=elts) | ast.List(elts=elts) | ast.Set(elts=elts):
            return bool(elts) and all(map(_is_constant, elts))
        case ast.Attribute(value=ast.Name(id=owner), attr=name):
            return owner[:1].isupper() and name.isupper()
        case ast.Name(id=name):
            return name.isupper() and len(name) > 1
    return False


@lru_cache(maxsize=32)
def _set_late(tree: ast.Module) -> frozenset[str]:
    """Attributes and constant keys that something sets outside of constructors."""
    found: set[str] = set()
    pending: list[tuple[ast.AST, bool]] = [(tree, False)]
    while pending:
        n, making = pending.pop()
        making = (making or n.name in _MAKING) if isinstance(n, ast.FunctionDef) else making
        if not isinstance(getattr(n, "ctx", ast.Load()), ast.Load) and not making:
            found.add(place_of(n))
        if isinstance(n, ast.Call) and isinstance(n.func, ast.Name) and n.func.id in ("setattr", "delattr"):
            told = n.args[1] if len(n.args) > 1 else None
            found.add(str(told.value) if isinstance(told, ast.Constant) else "*")
        pending += [(child, making) for child in ast.iter_child_nodes(n)]
    return frozenset(found)
