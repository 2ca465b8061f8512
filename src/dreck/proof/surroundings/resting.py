"""What rests on a name that means something else: constants made of it, classes that hold it, what is made of these."""

import ast
from collections.abc import Iterable, Iterator

from dreck.model.names.bindings import bound_by, statements_of
from dreck.model.names.modules import ModuleNames
from dreck.proof.surroundings.importing import acting
from dreck.proof.surroundings.module_diff import Changed, Module
from dreck.source.walking import walk


def spread(changed: Changed, old: Module, new: Module) -> Changed:
    """`changed`, and all that the two modules make of what has changed, written alike or not.

    Tables that both read row by row are unfolded as what they are made of is; all else counts wherever it is named.
    """
    made = _together(made_of(old.tree), made_of(new.tree))
    always, unfolded = dict(changed.always), dict(changed.unfolded)
    grown = bool(always or unfolded)
    while grown:
        grown = False
        for name, reads in made.items():
            hit = reads & (always.keys() | unfolded.keys()) - {name}
            if not hit or name in always:
                continue
            first = min(hit)
            how = f"is made of {first}, which {always.get(first) or unfolded[first]}"
            by_rows = not hit & always.keys() and all(m.names.tables.get(name) is not None for m in (old, new))
            if by_rows and name not in unfolded:
                unfolded[name], grown = how, True
            elif not by_rows:
                always[name], grown = how, True
    everywhere = changed.everywhere
    touched = always.keys() | unfolded.keys()
    if not everywhere and any(touched & _read(s) for m in (old, new) for s in _running(m.tree, m.names)):
        everywhere = f"what the two modules do when they are imported reads {min(touched & _all_read(old, new))}"
    return Changed(always, unfolded, changed.attributes, everywhere, changed.other_names)


def made_of(tree: ast.Module) -> dict[str, set[str]]:
    """For each name that statements of the module bind or change, the names that they read."""
    found: dict[str, set[str]] = {}
    for s in tree.body:
        reads = _read(s)
        for name in _touched(s):
            found.setdefault(name, set()).update(reads)
    return found


def _together(one: dict[str, set[str]], other: dict[str, set[str]]) -> dict[str, set[str]]:
    return {name: one.get(name, set()) | other.get(name, set()) for name in one.keys() | other.keys()}


def _touched(s: ast.stmt) -> set[str]:
    """Names that a statement, or one inside it, binds; and those whose items and attributes it sets."""
    found = {name for inner in statements_of([s]) for name in bound_by(inner)}
    for n in walk(s):
        if isinstance(n, ast.Subscript | ast.Attribute) and not isinstance(n.ctx, ast.Load):
            found |= {inner.id for inner in walk(n.value) if isinstance(inner, ast.Name)}
    return found


def _read(s: ast.AST) -> set[str]:
    """Names that a statement reads when it runs, or that a lambda in it reads later; not those of function bodies."""
    return {n.id for n in _outside_of_bodies(s) if isinstance(n, ast.Name)}


def _outside_of_bodies(node: ast.AST) -> Iterator[ast.AST]:
    yield node
    inside: Iterable[ast.AST] = ast.iter_child_nodes(node)
    if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
        inside = (*node.decorator_list, node.args, *filter(None, [node.returns]))
    for child in inside:
        yield from _outside_of_bodies(child)


def _running(tree: ast.Module, names: ModuleNames) -> list[ast.stmt]:
    """The statements of a module that do something when it is imported."""
    return [s for s in tree.body if acting(s, tree, names) and not _is_for_scripts(s)]


def _is_for_scripts(s: ast.stmt) -> bool:
    return isinstance(s, ast.If) and not s.orelse and ast.unparse(s.test) == "__name__ == '__main__'"


def _all_read(*modules: Module) -> set[str]:
    return {name for m in modules for s in _running(m.tree, m.names) for name in _read(s)}
