"""Where a block comes to its one result: names it sets on every way before it reads them, and what it ends with."""

import ast

from dreck.model.views.shape import leaves
from dreck.source.walking import walk

_NAMING = ("id", "name", "rest", "arg", "asname")


def is_set_first(body: list[ast.stmt], name: str) -> bool:
    """Whether a block that goes on has set the name on every way, and on none has read it before."""
    return _fate(body, name) == "set"


def is_never_read_first(body: list[ast.stmt], name: str) -> bool:
    """Whether a block reads the name only where it has set it itself, if it reads it at all."""
    return _fate(body, name) != "read"


def _fate(body: list[ast.stmt], name: str) -> str:
    """What happens to the name first: it is `set` on every way, perhaps `read`, or `nothing` that counts."""
    for s in body:
        fate = _fate_in(s, name)
        if fate != "nothing":
            return fate
    return "set" if body and leaves(body) else "nothing"


def _fate_in(s: ast.stmt, name: str) -> str:
    match s:
        case ast.Assign(targets=[ast.Name(id=target)], value=value) if target == name:
            return "read" if _speaks_of(value, name) else "set"
        case ast.If(test=test, body=body, orelse=orelse) if not _speaks_of(test, name):
            fates = {_fate(body, name), _fate(orelse, name)}
            return fates.pop() if len(fates) == 1 else "read"
        case ast.For(target=target, iter=source, orelse=orelse) if name in _bound_by(target):
            return "read" if any(_speaks_of(part, name) for part in (source, *orelse)) else "nothing"
        case ast.With(items=items) if any(name in _bound_by(item.optional_vars) for item in items):
            return "read" if any(_speaks_of(item.context_expr, name) for item in items) else "set"
    return "read" if _speaks_of(s, name) else "nothing"


def _bound_by(target: ast.expr | None) -> set[str]:
    parts = target.elts if isinstance(target, ast.Tuple) else [target]
    return {part.id for part in parts if isinstance(part, ast.Name)}


def _speaks_of(node: ast.AST, name: str) -> bool:
    return any(getattr(n, field, None) == name for n in walk(node) for field in _NAMING)


def answers_of(body: list[ast.stmt], name: str) -> list[ast.Assign] | None:
    """The statements, of one line each, that give the name its last value; None where a block ends otherwise."""
    match body[-1]:
        case ast.Assign(targets=[ast.Name(id=target)], value=value) as s if target == name:
            return [s] if s.lineno == s.end_lineno and not _speaks_of(value, name) else None
        case ast.If(body=one, orelse=[_, *_] as other):
            parts = [answers_of(part, name) for part in (one, other)]
            found = [part for part in parts if part is not None]
            return [s for part in found for s in part] if len(found) == len(parts) else None
    return [] if leaves(body) else None
