"""What the names of a module lead to: the statements that bind them, those that run, and what rests on a name."""

import ast

from dreck.model.names.bindings import bound_by, statements_of
from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import once_per_tree
from dreck.proof.beside.lying_there import told_by
from dreck.proof.surroundings.importing import acting, is_for_scripts
from dreck.source.walking import walk


@once_per_tree
def running(tree: ast.Module) -> list[ast.stmt]:
    module = ModuleNames(tree)
    return [s for s in tree.body if acting(s, tree, module)]


def touching_when_run(tree: ast.Module, changed: set[str]) -> list[ast.stmt]:
    """Statements that do something and lead to one of `changed`, themselves or by way of the module."""
    module = ModuleNames(tree)
    return [
        s
        for s in tree.body
        if not _binds_only(s)
        and all_led_to(tree, names_in(*_told_by(s))) & changed
        and not is_for_scripts(s)
        and acting(s, tree, module)
    ]


def _told_by(s: ast.stmt) -> list[ast.AST]:
    """What of a statement may tell others when it runs: of definitions what decorates them."""
    match s:
        case ast.FunctionDef(decorator_list=told) | ast.AsyncFunctionDef(decorator_list=told):
            return [*told]
        case ast.ClassDef(decorator_list=told):
            return [*told]
    return [s]


def names_in(*nodes: ast.AST) -> set[str]:
    return {n.id for node in nodes for n in walk(node) if isinstance(n, ast.Name)}


def _binds_only(s: ast.stmt) -> bool:
    """Whether a statement does no more than give names values, so that it tells others at most by what it calls."""
    match s:
        case ast.Assign(targets=targets):
            return all(isinstance(t, ast.Name) for t in targets)
        case ast.AnnAssign(target=target):
            return isinstance(target, ast.Name)
        case ast.FunctionDef(decorator_list=told) | ast.AsyncFunctionDef(decorator_list=told):
            return not told
        case ast.ClassDef(decorator_list=told):
            return not told  # what bases know of it is looked at where it is handed over
    return isinstance(s, ast.Import | ast.ImportFrom)


def all_led_to(tree: ast.Module, names: set[str]) -> set[str]:
    """`names`, and all that the statements which bind them name."""
    named = named_by(tree)
    found, pending = set[str](), list(names)
    while pending:
        name = pending.pop()
        if name not in found:
            found.add(name)
            pending += named.get(name, ())
    return found


def defined_otherwise(old: ast.Module, new: ast.Module) -> set[str]:
    """Names bound by statements that are not the same, or not in the same order."""
    one, other = _statements(old), _statements(new)
    return {name for name in one.keys() | other.keys() if one.get(name) != other.get(name)}


@once_per_tree
def _statements(tree: ast.Module) -> dict[str, list[str]]:
    found: dict[str, list[str]] = {}
    for s in tree.body:
        for inner in statements_of([s]):
            for name in bound_by(inner):
                found.setdefault(name, []).append(told_by(s))
    return found


def resting_on(tree: ast.Module, changed: set[str]) -> set[str]:
    """`changed` and every name of the module whose statements lead to one of them."""
    named = named_by(tree)
    found = set(changed)
    grown = True
    while grown:
        more = {name for name, read in named.items() if name not in found and read & found}
        found |= more
        grown = bool(more)
    return found


@once_per_tree
def named_by(tree: ast.Module) -> dict[str, set[str]]:
    """For each name that a module binds, or sets a part of, all names in the statements that do."""
    found: dict[str, set[str]] = {}
    for s in statements_of(tree.body):
        named = {n.id for n in walk(s) if isinstance(n, ast.Name)}
        for name in bound_by(s) | _parts_set(s):
            found.setdefault(name, set()).update(named)
    return found


def _parts_set(s: ast.stmt) -> set[str]:
    places = [t for t in getattr(s, "targets", []) if isinstance(t, ast.Attribute | ast.Subscript)]
    return {n.id for t in places for n in walk(t.value) if isinstance(n, ast.Name)}
