"""Functions that nothing can be asked of but one thing: without parameters, over constants of the module alone."""

import ast
import builtins

from dreck.model.names.bindings import bindings_of
from dreck.model.names.modules import ModuleNames
from dreck.model.names.scopes import scope_of
from dreck.model.names.tables import changed_in, is_constant
from dreck.source.walking import walk
from dreck.workbench.judging.candidates import Candidate

_ANSWERING = frozenset(
    {"len", "zip", "enumerate", "sorted", "range", "sum", "min", "max", "any", "all", "str", "int", "float", "bool",
     "list", "tuple", "dict", "set", "frozenset", "reversed", "repr", "abs", "round", "divmod", "filter", "map"}
)  # fmt: skip


def comes_to_one_thing(candidate: Candidate, other: ModuleNames) -> bool:
    """Whether a function gives the same whenever it is called: a single run of it is every run.

    A list or dict of the module that the `other` version has, too, may be changed by whoever imports it; one that only
    this version has is changed by nobody else.
    """
    node, names = candidate.node, candidate.names
    scope = scope_of(node)
    if scope.params or scope.is_generator or isinstance(node, ast.AsyncFunctionDef):
        return False
    read = {n.id for n in walk(node) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Load)} - scope.local
    held = {name: value for name in read if (value := _held(names, name)) is not None}
    if any(n not in held and not _answers(names, n) for n in read - _own_of_comprehensions(candidate)):
        return False
    common = bindings_of(other.tree).of.keys()
    if any(isinstance(held[n], ast.List | ast.Dict | ast.Set) for n in held.keys() & common):
        return False
    return not changed_in(names.tree, held)


def _own_of_comprehensions(candidate: Candidate) -> set[str]:
    inner = (n for n in walk(candidate.node) if isinstance(n, ast.comprehension))
    return {m.id for n in inner for m in walk(n.target) if isinstance(m, ast.Name)}


def _answers(names: ModuleNames, name: str) -> bool:
    return name in _ANSWERING and hasattr(builtins, name) and names.is_builtin(name)


def _held(names: ModuleNames, name: str) -> ast.expr | None:
    """What a constant of the module holds, when all of it is written out."""
    if not names.is_bound_once(name):
        return None
    for s in names.tree.body:
        match s:
            case ast.Assign(targets=[ast.Name(id=own)], value=value) if own == name:
                parts = [*value.keys, *value.values] if isinstance(value, ast.Dict) else getattr(value, "elts", [value])
                return value if all(e is not None and _is_written_out(names, e) for e in parts) else None
    return None


def _is_written_out(names: ModuleNames, value: ast.expr) -> bool:
    match value:
        case ast.Tuple(elts=parts):
            return all(_is_written_out(names, part) for part in parts)
        case ast.List() | ast.Dict() | ast.Set():
            return False  # what a table holds may be handed out, and changed
        case ast.Call(func=ast.Name(id=kind), args=parts, keywords=[]) if _is_record(names, kind):
            return all(_is_written_out(names, part) for part in parts)
    return is_constant(value)


def _is_record(names: ModuleNames, kind: str) -> bool:
    """Whether a name is that of a `NamedTuple` of the module that has fields and nothing else."""
    node = names.definitions.get(kind)
    return (
        isinstance(node, ast.ClassDef)
        and [names.stands_for(base) for base in node.bases] == ["typing.NamedTuple"]
        and not node.decorator_list
        and all(isinstance(s, ast.AnnAssign) or (isinstance(s, ast.Expr) and s is node.body[0]) for s in node.body)
    )
