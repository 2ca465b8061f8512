"""Where classes stand, and whether a plain name among the bases of one surely means another that stands there."""

import ast
from collections.abc import Iterable

from dreck.model.names.bindings import bindings_of
from dreck.model.names.nodes import every_node, once_per_tree
from dreck.source.functions import FunctionNode

_Around = tuple[ast.AST, ...]
"""The functions, lambdas and classes that something stands in, the outermost first."""
_SCOPES = (ast.FunctionDef, ast.AsyncFunctionDef, ast.Lambda, ast.ClassDef)


@once_per_tree
def _around(tree: ast.Module) -> dict[int, _Around]:
    """What each class of a tree stands in, by the identity of its statement."""
    found: dict[int, _Around] = {}
    pending: list[tuple[ast.AST, _Around]] = [(s, ()) for s in tree.body]
    while pending:
        node, around = pending.pop()
        if isinstance(node, ast.ClassDef):
            found[id(node)] = around
        inner = (*around, node) if isinstance(node, _SCOPES) else around
        pending += [(child, inner) for child in ast.iter_child_nodes(node)]
    return found


@once_per_tree
def _by_other_means(tree: ast.Module) -> frozenset[str]:
    """The words by which a name may be given another meaning than its statement does: said in a text, as a keyword of a
    call, in `global` and `nonlocal`."""
    noted = [n for n in every_node(tree) if isinstance(n, ast.arg | ast.AnnAssign) and n.annotation is not None]
    aside: set[ast.AST] = {part for n in noted if n.annotation is not None for part in every_node(n.annotation)}
    for n in every_node(tree):
        if isinstance(n, FunctionNode) and n.returns is not None:
            aside.update(every_node(n.returns))
        if isinstance(n, ast.Assign) and [ast.unparse(t) for t in n.targets] == ["__all__"]:
            aside.update(every_node(n.value))
    found: set[str] = set()
    for n in every_node(tree):
        match n:
            case ast.Constant(value=str() as word) if n not in aside:
                found.add(word)
            case ast.keyword(arg=str() as word):
                found.add(word)
            case ast.Global(names=names) | ast.Nonlocal(names=names):
                found.update(names)
    return frozenset(found)


def surely_means(
    base: ast.expr, under: ast.ClassDef, kinds: Iterable[ast.ClassDef], trees: tuple[ast.Module, ...]
) -> bool:
    """Whether `base`, among those of `under`, means one of these classes of its name, and nothing else.

    It must be a plain name that nothing but `class` statements binds where it is read: in a function around both, or
    at the top of a file. What else may be bound to a word anywhere is for the caller to ask.
    """
    e = base.value if isinstance(base, ast.Subscript) else base
    if not isinstance(e, ast.Name) or any(e.id in _by_other_means(tree) for tree in trees):
        return False
    home = next((tree for tree in trees if id(under) in _around(tree)), None)
    if home is None:
        return False
    if not _is_imported_at_the_top_only(home, e.id):
        return False  # a name that a function imports may be another there
    around = _around(home)
    mine = around[id(under)]
    for kind in kinds:
        where = around.get(id(kind))
        if where and isinstance(where[-1], FunctionNode) and where == mine[: len(where)]:
            return True
    return e.id in _bound_at_the_top(home)


def _is_imported_at_the_top_only(tree: ast.Module, name: str) -> bool:
    aliases = sum(isinstance(n, ast.alias) and name in (n.name, n.asname) for n in every_node(tree))
    bound = bindings_of(tree).of.get(name, [])
    return aliases == sum(isinstance(s, ast.Import | ast.ImportFrom) for s in bound)


@once_per_tree
def _bound_at_the_top(tree: ast.Module) -> frozenset[str]:
    """The names that only `class` statements, or imports from a named module, bind at the top of a file."""
    known = bindings_of(tree)
    if known.dynamic or known.stars:
        return frozenset()
    plain = (ast.ClassDef, ast.ImportFrom)
    found = (name for name, bound in known.of.items() if all(isinstance(s, plain) for s in bound))
    return frozenset(name for name in found if name not in known.rebound)
