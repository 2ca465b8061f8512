"""What switches are on: attributes and items that tests compare with constants, of which `steady-kind` says that they
keep their value while a function runs."""

import ast
from collections.abc import Iterable, Iterator

from dreck.model.names.nodes import once_per_tree
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

_MAKING = frozenset({"__init__", "__new__", "__post_init__", "__setstate__"})
_KEYED = (ast.Eq, ast.NotEq, ast.In, ast.NotIn, ast.Is, ast.IsNot)


def steady_in(functions: Iterable[FunctionNode], trees: Iterable[ast.Module]) -> frozenset[str]:
    """The names (`kind`, `['kind']` for an item) that are compared with constants, and that nothing in the files sets
    but constructors do.

    What the files say beats the assumption: where they may set an attribute or an item whose name nobody can read, no
    attribute or no item is steady; one that a class works out never is.
    """
    compared = frozenset(name for f in functions for name in _compared(f))
    late = frozenset(name for tree in trees for name in _set_late(tree)) if compared else frozenset()
    return frozenset(n for n in compared - late if (_ANY_ITEM if n.startswith("[") else _ANY_ATTRIBUTE) not in late)


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


@once_per_tree
def _set_late(tree: ast.Module) -> frozenset[str]:
    """Attributes and constant keys that something sets outside of constructors, or may set; names classes work out."""
    found: set[str] = set()
    pending: list[tuple[ast.AST, bool]] = [(tree, False)]
    while pending:
        n, making = pending.pop()
        making = (making or n.name in _MAKING) if isinstance(n, ast.FunctionDef) else making
        found.update(_set_by(n, making))
        pending += [(child, making) for child in ast.iter_child_nodes(n)]
    return frozenset(found)


def _set_by(n: ast.AST, making: bool) -> Iterator[str]:
    match n:
        case ast.Attribute(attr=name) if name in _BY_ANY_NAME or (name in _MAKING and not making):
            yield _ANY_ATTRIBUTE
        case ast.Attribute(attr=name) if name in _CHANGING:
            yield _ANY_ITEM
        case ast.Attribute(attr=name, ctx=ast.Store() | ast.Del()) if not making:
            yield name
        case ast.Subscript(ctx=ast.Store()):
            yield place_of(n) or _ANY_ITEM
        case ast.Subscript(ctx=ast.Del()):
            yield _ANY_ITEM  # what stood behind it in a list stands in its place
        case ast.AugAssign(op=ast.BitOr() | ast.Mult(), target=ast.Name() | ast.Attribute()):
            yield _ANY_ITEM  # `d |= other`, `xs *= 2`
        case ast.Name(id="setattr" | "delattr" | "vars"):
            yield _ANY_ATTRIBUTE
        case ast.Name(id="setitem" | "delitem" | "exec" | "eval"):
            yield from (_ANY_ATTRIBUTE, _ANY_ITEM)
        case ast.ClassDef(body=body):
            yield from (s.name for s in body if isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef))


_ANY_ATTRIBUTE, _ANY_ITEM = "any attribute", "any item"
_BY_ANY_NAME = frozenset({"__dict__", "__setattr__", "__delattr__", "setattr", "delattr"})
_CHANGING = frozenset(
    {"update", "pop", "popitem", "clear", "setdefault", "insert", "remove", "sort", "reverse", "__setitem__",
     "__delitem__", "__ior__", "setitem", "delitem", "move_to_end", "popleft", "rotate", "appendleft", "extendleft"}
)  # fmt: skip
"""By these a dict, a list or a deque changes an item that is there."""
