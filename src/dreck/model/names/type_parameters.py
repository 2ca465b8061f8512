"""Type parameters: names that a generic function, class or alias binds for itself and for what stands in it.

Language reference, 8.10 "Type parameter lists": they are read like variables, in the body too, and stand before the
names of the module.
"""

import ast
from collections.abc import Iterable, Iterator

from dreck.source.walking import walk

KINDS: tuple[type[ast.AST], ...] = tuple(
    getattr(ast, kind) for kind in ("TypeVar", "ParamSpec", "TypeVarTuple") if hasattr(ast, kind)
)
"""What the interpreter Dreck runs on has for them: nothing before Python 3.12."""


def heads_of(node: ast.AST) -> list[str]:
    """The type parameters of one definition as they are written, with their bounds and defaults."""
    return [ast.dump(p) for p in getattr(node, "type_params", ())]


def names_of(node: ast.AST) -> frozenset[str]:
    """What the type parameters of one definition are called."""
    return frozenset(str(p.name) for p in getattr(node, "type_params", ()))


def names_among(nodes: Iterable[ast.AST]) -> frozenset[str]:
    """What the type parameters among `nodes` are called."""
    return frozenset(str(getattr(n, "name", "")) for n in nodes if isinstance(n, KINDS)) if KINDS else frozenset()


def bound_to(names: frozenset[str], tree: ast.Module) -> list[str]:
    """Every definition of a module that binds some of `names` as type parameters: where it stands, and how."""
    return [f"{place} {heads_of(node)}" for place, node in _placed(tree, "") if names & names_of(node)]


def _placed(node: ast.AST, around: str) -> Iterator[tuple[str, ast.AST]]:
    for child in ast.iter_child_nodes(node):
        place = f"{around}.{name}" if isinstance(name := getattr(child, "name", None), str) else around
        yield place, child
        yield from _placed(child, place)


def read_in(body: Iterable[ast.AST], names: frozenset[str]) -> frozenset[str]:
    """Of `names` those that stand in a body."""
    return frozenset(n.id for s in body for n in walk(s) if isinstance(n, ast.Name)) & names if names else frozenset()
