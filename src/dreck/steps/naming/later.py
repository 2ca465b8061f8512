"""What of a block is read later: whether the value a name has at its end can still come to be read."""

import ast
from collections.abc import Iterator, Sequence

from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

_LOOPS = (ast.For, ast.AsyncFor, ast.While)
_CATCHING = (ast.Try, ast.TryStar, ast.With, ast.AsyncWith)
_Way = list[tuple[ast.AST, list[ast.stmt]]]


def is_read_later(function: FunctionNode, body: Sequence[ast.stmt], name: str) -> bool:
    """Whether `name` may be read after the block before it is surely bound again.

    What comes after is the rest of each body around the block, and what a loop around it does in its next round.
    """
    path = _way_to(function, body[0])
    if not path or body[-1] not in path[0][1] or any(map(_goes_elsewhere, body)):
        return True  # it stands in several places, or is left in several ways
    if any(isinstance(holder, _CATCHING) for holder, _ in path):
        return True  # an error on the way there may lead elsewhere
    for rest, is_round in _afterwards(path, body):
        read, bound = _fate(rest, name)
        if read:
            return True
        if bound and not is_round:
            return False
    return False


def _afterwards(path: _Way, body: Sequence[ast.stmt]) -> Iterator[tuple[Sequence[ast.stmt], bool]]:
    """Bodies to be run after the block, innermost first; True for the next round of a loop, which may not come."""
    for at, (holder, part) in enumerate(path):
        inside = body[-1] if at == 0 else path[at - 1][0]
        yield part[part.index(inside) + 1 :], False  # type: ignore[arg-type]
        if isinstance(holder, _LOOPS):
            yield [holder], True


def _way_to(function: FunctionNode, sought: ast.stmt) -> _Way:
    """What holds the statement, from inside out, each with the body it stands in."""

    def look(holder: ast.AST) -> _Way | None:
        for part in _bodies(holder):
            for s in part:
                if s is sought:
                    return [(holder, part)]
                found = look(s)
                if found is not None:
                    return [*found, (holder, part)]
        return None

    return look(function) or []


def _bodies(node: ast.AST) -> Iterator[list[ast.stmt]]:
    for field in ("body", "orelse", "finalbody"):
        part = getattr(node, field, None)
        if isinstance(part, list) and part and isinstance(part[0], ast.stmt):
            yield part
    for inner in (*getattr(node, "handlers", ()), *getattr(node, "cases", ())):
        yield inner.body


def _fate(statements: Sequence[ast.stmt], name: str) -> tuple[bool, bool]:
    """Whether the value a name has before the statements may be read by them, and whether they surely bind it anew."""
    for at, s in enumerate(statements):
        read, bound = _fate_of(s, name)
        if read or bound:
            return read, bound and not any(map(_goes_elsewhere, statements[:at]))
        if isinstance(s, ast.Return | ast.Raise):
            return False, not any(map(_goes_elsewhere, statements[:at]))  # nothing is read after that
    return False, False


def _fate_of(s: ast.stmt, name: str) -> tuple[bool, bool]:
    match s:
        case ast.Assign(targets=targets, value=value) if all(_is_plain(t) for t in targets):
            return _reads(value, name), any(_binds(t, name) for t in targets)
        case ast.If(test=test, body=body, orelse=orelse):
            (one, first), (other, second) = _fate(body, name), _fate(orelse, name)
            return _reads(test, name) or one or other, first and second
        case ast.For(iter=iterable, target=target, body=body, orelse=orelse) if _is_plain(target):
            inside = not _binds(target, name) and _fate(body, name)[0]
            return _reads(iterable, name) or inside or _fate(orelse, name)[0], False
        case ast.While(test=test, body=body, orelse=orelse):
            return _reads(test, name) or _fate(body, name)[0] or _fate(orelse, name)[0], False
        case ast.With(items=items, body=body):
            return any(_reads(item, name) for item in items) or _fate(body, name)[0], False
        case ast.Try():
            parts = (*_bodies(s),)
            told = any(h.name == name or (h.type is not None and _reads(h.type, name)) for h in s.handlers)
            return told or any(_fate(part, name)[0] for part in parts), False
    return _reads(s, name), False


def _goes_elsewhere(s: ast.stmt) -> bool:
    """Whether it may leave or continue a loop: what follows it may not be run."""
    return any(isinstance(n, ast.Break | ast.Continue) for n in walk(s))


def _is_plain(target: ast.expr) -> bool:
    """A name, or a tuple of names: nothing is read where it is bound."""
    if isinstance(target, ast.Tuple):
        return all(_is_plain(part) for part in target.elts)
    return isinstance(target, ast.Name)


def _binds(target: ast.expr, name: str) -> bool:
    return any(isinstance(n, ast.Name) and n.id == name for n in walk(target))


def _reads(node: ast.AST, name: str) -> bool:
    """Whether a name is spoken of at all: binding it in another way than those understood counts as well."""
    return any(
        (isinstance(n, ast.Name) and n.id == name) or (isinstance(n, ast.Global | ast.Nonlocal) and name in n.names)
        for n in walk(node)
    )
