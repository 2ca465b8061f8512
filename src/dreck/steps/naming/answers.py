"""Where a block comes to its one result: the statements it ends with."""

import ast

from dreck.model.views.shape import leaves
from dreck.source.walking import walk

_NAMING = ("id", "name", "rest", "arg", "asname")


def _speaks_of(node: ast.AST, name: str) -> bool:
    return any(getattr(n, field, None) == name for n in walk(node) for field in _NAMING)


def answers_of(body: list[ast.stmt], name: str) -> list[ast.Assign] | None:
    """The statements that give the name its last value; None where a block ends otherwise."""
    match body[-1]:
        case ast.Assign(targets=[ast.Name(id=target)], value=value) as s if target == name:
            return None if _speaks_of(value, name) else [s]
        case ast.If(body=one, orelse=[_, *_] as other):
            parts = [answers_of(part, name) for part in (one, other)]
            found = [part for part in parts if part is not None]
            return [s for part in found for s in part] if len(found) == len(parts) else None
    return [] if leaves(body) else None
