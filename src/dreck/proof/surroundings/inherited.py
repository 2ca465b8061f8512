"""Methods and values that a class has of its own in the new version only, while in the old one it inherits them.

Read from the plain text of the files, whatever else is known of their names: where a base may be several things, one
that has the method is enough.
"""

import ast
from collections.abc import Iterator

from dreck.model.names.bindings import bound_by, statements_of
from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node
from dreck.proof.classes.elsewhere import Elsewhere

_FUNCTIONS = (ast.FunctionDef, ast.AsyncFunctionDef)


def inherited_before(old: ModuleNames, new: ModuleNames) -> Iterator[tuple[str, str]]:
    """Each with the class that it comes from in the old version: to call it does something else now, perhaps."""
    before, after = classes_in(old.tree), classes_in(new.tree)
    for kind in before.keys() & after.keys():
        mine = {name for s in statements_of(before[kind].body) for name in bound_by(s)}
        bound = {n for s in statements_of(after[kind].body) if getattr(s, "value", s) is not None for n in bound_by(s)}
        for name in bound - mine:
            if holder := _holder(old, before[kind], name):
                yield f"{kind}.{name}", holder


def classes_in(tree: ast.Module) -> dict[str, ast.ClassDef]:
    """The classes of a file by their whole names, those inside classes and functions included: the first of a name."""
    return {name: kinds[0] for name, kinds in all_classes_in(tree).items()}


def all_classes_in(tree: ast.Module) -> dict[str, list[ast.ClassDef]]:
    """The same, with all classes of a name."""
    found: dict[str, list[ast.ClassDef]] = {}
    pending: list[tuple[str, list[ast.stmt]]] = [("", tree.body)]
    while pending:
        before, body = pending.pop()
        for s in statements_of(body):
            if isinstance(s, ast.ClassDef):
                found.setdefault(before + s.name, []).append(s)
            if isinstance(s, (*_FUNCTIONS, ast.ClassDef)):
                pending.append((f"{before}{s.name}.", s.body))
    return found


def _holder(names: ModuleNames, node: ast.ClassDef, method: str) -> str:
    """A class that may be above it and has the method; '' when none is known to."""
    trees = [names.tree, *names.trees]
    classes = [n for tree in trees for n in every_node(tree) if isinstance(n, ast.ClassDef)]
    pending, seen = list(node.bases), set[str]()
    while pending:
        base = _opened(pending.pop())
        told = ast.unparse(base)
        if told in seen:
            continue
        seen.add(told)
        last = told.rpartition(".")[2]
        for one in (n for n in classes if n.name == last and n is not node):
            if any(method in bound_by(s) for s in statements_of(one.body)):
                return one.name
            pending += one.bases
        for tree in trees:
            pending += _other_names(tree, base)
            for source in _sources(tree, told):
                if not names.is_of_project(source) and Elsewhere(method).has(source):
                    return source
    return ""


def _opened(e: ast.expr) -> ast.expr:
    return e.value if isinstance(e, ast.Subscript) else e


def _other_names(tree: ast.Module, e: ast.expr) -> list[ast.expr]:
    """What a name is only another name for."""
    named = [s for s in every_node(tree) if isinstance(s, ast.Assign) and isinstance(s.value, ast.Name | ast.Attribute)]
    return [s.value for s in named for t in s.targets if isinstance(t, ast.Name) and t.id == getattr(e, "id", "")]


def _sources(tree: ast.Module, told: str) -> Iterator[str]:
    """Where `name` or `name.attribute` may be imported from; a builtin is one, too."""
    first, dot, rest = told.partition(".")
    yield f"builtins.{told}"
    for n in every_node(tree):
        if isinstance(n, ast.Import):
            for alias in n.names:
                if (alias.asname or alias.name.partition(".")[0]) == first:
                    yield (alias.name if alias.asname else first) + dot + rest
        elif isinstance(n, ast.ImportFrom) and not n.level:
            yield from (f"{n.module}.{a.name}{dot}{rest}" for a in n.names if (a.asname or a.name) == first)
