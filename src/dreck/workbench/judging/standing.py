"""What stands in a module and may be changed by somebody, where one version alone reads it: no trial does that."""

import ast

from dreck.model.names.bindings import bindings_of
from dreck.model.names.nodes import every_node, once_per_tree
from dreck.model.names.scopes import scope_of
from dreck.model.names.tables import bound_at_top, changed_in, is_left_alone
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk
from dreck.workbench.judging.candidates import Candidate

_UNCHANGING = ("re.", "logging.", "typing.", "pathlib.", "decimal.", "datetime.", "struct.", "operator.", "enum.",
               "fractions.", "string.", "uuid.", "threading.")  # fmt: skip
"""Modules of the library whose objects have nothing that is read as a value, or nothing that changes."""
_WORKED_OUT = frozenset(
    f"builtins.{name}" for name in ("frozenset", "tuple", "int", "float", "str", "bytes", "bool", "object", "range",
                                    "len", "sum", "min", "max", "type", "property", "slice", "complex", "round", "abs")
)  # fmt: skip
_MOST_REACHED = 60


def of_standing(old: Candidate, new: Candidate) -> str:
    """A container or an object of the module that only one of the two reads, or what either leads to there; ''
    where there is none that anybody may change."""
    read = [_read_from(c) for c in (old, new)]
    for c, only in ((old, read[0] - read[1]), (new, read[1] - read[0])):
        for name in sorted(only & _may_change(c)):
            hint = (
                "" if name.startswith("_") or name.isupper() else f" (not if it were called {name.upper()} or _{name})"
            )
            return f"only one version reads `{name}`, and what that holds may be changed by somebody{hint}"
    for name in sorted(read[0] & read[1] & _held_by_rows(old) & _held_by_rows(new)):
        if _ways_read(old, name) != _ways_read(new, name):
            return (
                f"`{name}` holds lists or the like, which only one version hands on, and whoever gets one may change it"
            )
    reads = [_attributes_read(c) for c in (old, new)]
    for c, only in ((old, reads[0] - reads[1]), (new, reads[1] - reads[0])):
        for name in sorted(only & _set_on_classes(c.names.tree)):
            return f"only one version reads `{name}`, which somebody may set on the class"
    return ""


def _held_by_rows(c: Candidate) -> set[str]:
    return {name for name, value, _ in bound_at_top(c.names.tree) if _holds_more(value)}


def _ways_read(c: Candidate, name: str) -> set[str]:
    """How a name is read: an item of it, gone through, given to something."""
    found: set[str] = set()
    for node in (n for reached in _reached(c) for n in walk(reached)):
        for part in ast.iter_child_nodes(node):
            if isinstance(part, ast.Name) and part.id == name:
                told = node.attr if isinstance(node, ast.Attribute) else ""
                given = ast.unparse(node.func) if isinstance(node, ast.Call) else ""
                found.add(f"{type(node).__name__} {told}{given}")
    return found


def _attributes_read(c: Candidate) -> set[str]:
    return {n.attr for node in _reached(c) for n in walk(node) if isinstance(n, ast.Attribute)}


@once_per_tree
def _set_on_classes(tree: ast.Module) -> frozenset[str]:
    """Attributes that are set where a class is named, or asked for by its object: `Yard.fee = 3`, `cls.fee = 3`."""
    kinds = {n.name for n in every_node(tree) if isinstance(n, ast.ClassDef)} | {"cls"}
    found: set[str] = set()
    for n in every_node(tree):
        match n:
            case ast.Attribute(value=ast.Name(id=name), attr=attr, ctx=ast.Store()) if name in kinds:
                found.add(attr)
            case ast.Attribute(value=ast.Call(func=ast.Name(id="type")) | ast.Attribute(attr="__class__"), attr=attr,
                               ctx=ast.Store()):  # fmt: skip
                found.add(attr)
    return frozenset(found)


def _may_change(c: Candidate) -> set[str]:
    """Names of the module for what is no constant, or is handed to somebody."""
    bound = [one for one in bound_at_top(c.names.tree) if not _is_unchanging(c, one[1])]
    changed = changed_in(c.names.tree, {name: value for name, value, _ in bound})
    found = {n for n, value, alone in bound if n in changed or not alone or not is_left_alone(n) or _is_made(value)}
    lasting = c.names.tables.known.keys() - {n for n, value, _ in bound if _holds_more(value)}
    return (found - lasting) | _changed_somewhere(c.names.tree) | {n for n, v, _ in bound if _holds_more(v)}


def _holds_more(value: ast.expr) -> bool:
    """Whether lists and the like stand in a display: whoever is handed one of them may change it."""
    inner = [n for part in ast.iter_child_nodes(value) for n in walk(part)]
    return any(isinstance(n, ast.List | ast.Dict | ast.Set) for n in inner)


def _is_made(value: ast.expr) -> bool:
    """Whether a call made it: an object, of which nobody knows whether it stays as it is."""
    return isinstance(value, ast.Call) and not (isinstance(value.func, ast.Name) and value.func.id in _CONTAINERS)


_CONTAINERS = frozenset({"list", "dict", "set", "sorted"})


@once_per_tree
def _changed_somewhere(tree: ast.Module) -> frozenset[str]:
    """What is bound anew by a function, and what some code of the module sets a part of, or calls a method of that
    does."""
    bindings = bindings_of(tree)
    values = {name for name, _, _ in bound_at_top(tree)}
    found = set(bindings.rebound) | (values if bindings.dynamic else set())
    found |= {name for n in every_node(tree) if isinstance(n, ast.Global) for name in n.names}
    for n in every_node(tree):
        match n:
            case ast.Attribute(ctx=ast.Store() | ast.Del()) | ast.Subscript(ctx=ast.Store() | ast.Del()):
                found.add(_root(n))
            case ast.Call(func=ast.Attribute(value=ast.Attribute() | ast.Subscript() as of, attr=attr)):
                found.add(_root(of) if attr in _CHANGING else "")
            case ast.Call(func=ast.Name(id="setattr" | "delattr"), args=[of, *_]):
                found.add(_root(of))
    return frozenset(found & (values | bindings.of.keys()))


_CHANGING = frozenset(
    {"append", "extend", "insert", "pop", "popitem", "remove", "clear", "update", "add", "discard", "setdefault",
     "sort", "reverse", "__setitem__", "__setattr__", "__delitem__", "appendleft", "popleft"}
)  # fmt: skip


def _root(e: ast.expr) -> str:
    while isinstance(e, ast.Attribute | ast.Subscript):
        e = e.value
    return e.id if isinstance(e, ast.Name) else ""


def _is_unchanging(c: Candidate, value: ast.expr) -> bool:
    match value:
        case ast.Constant() | ast.JoinedStr() | ast.Lambda() | ast.Compare():
            return True
        case ast.UnaryOp(operand=inner):
            return _is_unchanging(c, inner)
        case ast.BinOp(left=left, right=right):
            return _is_unchanging(c, left) and _is_unchanging(c, right)
        case ast.Tuple(elts=elts):
            return all(_is_unchanging(c, e) for e in elts)
        case ast.Call(func=called):
            meant = c.names.stands_for(called)
            return meant in _WORKED_OUT or meant.startswith(_UNCHANGING)
        case ast.Name() | ast.Attribute():
            meant = c.names.stands_for(value)
            return bool(meant) and not c.names.is_of_project(meant)
    return False


def _read_from(c: Candidate) -> set[str]:
    """The names that a function reads, and the functions and methods of the module that it speaks of, and so on."""
    read: set[str] = set()
    for node in _reached(c):
        own = _own_names(node)
        names = (n for n in walk(node) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Load))
        read |= {n.id for n in names} - own
    return read


def _reached(c: Candidate) -> list[ast.AST]:
    """The function, and the functions, methods and tables of the module that it leads to by the words it says."""
    known = _led_to(c.names.tree)
    found, pending, seen = list[ast.AST](), list[ast.AST]([c.node]), set[int]()
    while pending and len(seen) < _MOST_REACHED:
        node = pending.pop()
        if id(node) in seen:
            continue
        seen.add(id(node))
        found.append(node)
        for n in walk(node):
            word = n.id if isinstance(n, ast.Name) else n.attr if isinstance(n, ast.Attribute) else ""
            pending += known.get(word, [])
    return found


def _own_names(node: ast.AST) -> frozenset[str]:
    """What a function calls its parameters, and binds; what a comprehension or a function inside it binds is none of
    these."""
    if not isinstance(node, FunctionNode):
        return frozenset()
    scope = scope_of(node)
    return frozenset((scope.local | scope.params) - scope.declared_global)


@once_per_tree
def _led_to(tree: ast.Module) -> dict[str, list[ast.AST]]:
    """Functions and methods by their names, and what stands in tables."""
    found: dict[str, list[ast.AST]] = {}
    for n in every_node(tree):
        if isinstance(n, FunctionNode):
            found.setdefault(n.name, []).append(n)
    for name, value, _ in bound_at_top(tree):
        found.setdefault(name, []).append(value)
    return found
