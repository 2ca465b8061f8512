"""Classes that have other members in the two versions, where a function speaks of what they do not both have."""

import ast
from collections.abc import Iterable, Iterator
from functools import lru_cache

from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

_LOOKING = frozenset({"dir", "vars", "__dict__", "getmembers", "__mro__", "__bases__", "mro"})
"""What looks at all that an object has."""
_MOST = 4


def classes_apart(old: str, new: str, functions: Iterable[ast.AST]) -> dict[str, frozenset[str]]:
    """The classes at the top of both texts of which an object may be handed to one of the functions, by their names,
    with the members that they do not both have."""
    mine, theirs = _members(old), _members(new)
    nodes = [n for f in functions for n in walk(f)]
    said = {getattr(n, field, None) for n in nodes for field in ("id", "attr", "value")} - {None}
    words = {word for word in said if isinstance(word, str)}
    words |= {word for n in nodes if isinstance(n, ast.MatchClass) for word in n.kwd_attrs}
    by_name = any(isinstance(n, ast.Call) and _asks_by_name(n) for n in nodes)
    everything = by_name or not words.isdisjoint(_LOOKING)
    apart = {name: mine[name] ^ theirs[name] for name in mine.keys() & theirs.keys()}
    special = {name for name, names in apart.items() if any(n.startswith("__") and n.endswith("__") for n in names)}
    spoken = {name for name, names in apart.items() if names and (everything or names & words)}
    found = sorted(special | spoken)
    return {name: frozenset(apart[name]) for name in found[:_MOST]}


def _asks_by_name(call: ast.Call) -> bool:
    """`getattr(load, word)`, where the word is worked out."""
    asks = getattr(call.func, "id", "") in ("getattr", "hasattr") and len(call.args) > 1
    return asks and not isinstance(call.args[1], ast.Constant)


@lru_cache(maxsize=4)
def _members(text: str) -> dict[str, set[str]]:
    tree = ast.parse(text)
    kinds = dict(_classes(tree.body))
    own = {told: {name for s in kind.body for name in _bound(s)} for told, kind in kinds.items()}
    for told, kind in kinds.items():  # what these do to it nobody knows
        beyond = [b for b in kind.bases if not (isinstance(b, ast.Name) and b.id in own)]
        own[told] |= {f"__{ast.dump(e)}__" for e in (*beyond, *kind.keywords, *kind.decorator_list)}
    for told, name in _put(tree):
        own.get(told, set()).add(name)
    above = {told: {b.id for b in kind.bases if isinstance(b, ast.Name)} & own.keys() for told, kind in kinds.items()}
    for _ in kinds:
        for name, bases in above.items():
            own[name] = own[name].union(*(own[base] for base in bases))
    return own


def _put(tree: ast.Module) -> Iterator[tuple[str, str]]:
    """What is put on a class by its name: `Load.__eq__ = ...`, `setattr(Load, "kilos", 3)`."""
    for n in walk(tree):
        match n:
            case ast.Attribute(value=ast.Name() | ast.Attribute() as of, attr=name, ctx=ast.Store()):
                yield ast.unparse(of), name
            case ast.Call(func=ast.Name(id="setattr"), args=[of, ast.Constant(value=str() as name), _]):
                yield ast.unparse(of), name


def _classes(body: Iterable[ast.stmt], within: str = "") -> Iterator[tuple[str, ast.ClassDef]]:
    for s in body:
        if isinstance(s, ast.ClassDef):
            yield f"{within}{s.name}", s
            yield from _classes(s.body, f"{within}{s.name}.")


def _bound(s: ast.stmt) -> Iterable[str]:
    if isinstance(s, FunctionNode | ast.ClassDef):
        return [s.name]
    if isinstance(s, ast.If | ast.Try):
        return [name for part in (*s.body, *s.orelse) for name in _bound(part)]
    return [n.id for n in walk(s) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)]
