"""Names of a module that are bound on the other side of a statement which may bind them, or ask for them."""

import ast
import itertools
from collections import Counter
from dataclasses import dataclass, field

from dreck.model.names.bindings import bindings_of, bound_by, statements_of
from dreck.model.names.modules import ModuleNames
from dreck.proof.surroundings.importing import acts_of, led_to
from dreck.proof.surroundings.too_early import asked_too_early
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

_Act = tuple[str, int]
"""What a statement says that does more than bind a name, and the how manyth it is that says so."""


def moved_across(
    old: tuple[ast.Module, ModuleNames], new: tuple[ast.Module, ModuleNames]
) -> tuple[frozenset[str], bool]:
    """The names of both versions that are bound on different sides of a statement that does more than bind a name,
    and so may bind theirs. And whether it counts everywhere: such a statement leads to one of them, so that importing
    may fail, or other modules are imported with all they have."""
    shared = _own(old[0]) & _own(new[0])
    mine, theirs = _order(*old, shared), _order(*new, shared)
    if mine.opening != theirs.opening or asked_too_early(old, new) or asked_too_early(new, old):
        return frozenset(), True
    acts = mine.asking.keys() & theirs.asking.keys()
    both = mine.before.keys() & theirs.before.keys()
    crossed = {name: _apart(mine.before[name], theirs.before[name]) & acts for name in both}
    asked = any(name in mine.asking[act] | theirs.asking[act] for name in both for act in crossed[name])
    return frozenset(name for name in both if crossed[name]), asked


@dataclass(slots=True)
class _Order:
    """Of one version: imports of all a module has; the acts, with the names they lead to; those before a binding."""

    opening: list[str] = field(default_factory=list)
    asking: dict[_Act, set[str]] = field(default_factory=dict)
    before: dict[str, list[set[_Act]]] = field(default_factory=dict)


def _own(tree: ast.Module) -> set[str]:
    return {s.name for s in tree.body if isinstance(s, FunctionNode | ast.ClassDef)}


def _order(tree: ast.Module, names: ModuleNames, own: set[str]) -> _Order:
    order, said, bound = _Order(), Counter[str](), bindings_of(tree).of
    for s in tree.body:
        before = set(order.asking)
        opening = _opening(s)
        order.opening += opening
        for told in acts_of(s, tree, names) or opening:
            led = led_to(s, bound)
            if isinstance(s, FunctionNode | ast.ClassDef) and not led & (own - {s.name}) and not _says_global(s):
                continue  # what others' decorators, bases and defaults do is theirs
            order.asking[told, said[told]] = led
            said[told] += 1
        for name in {name for inner in statements_of([s]) for name in bound_by(inner)}:
            order.before.setdefault(name, []).append(before)
    return order


def _apart(mine: list[set[_Act]], theirs: list[set[_Act]]) -> set[_Act]:
    """The acts before a binding in one version, and not before that binding in the other."""
    pairs = itertools.zip_longest(mine, theirs, fillvalue=set[_Act]())
    return set[_Act]().union(*(one ^ other for one, other in pairs))


def _opening(s: ast.stmt) -> list[str]:
    """The statement, when it imports all that a module has."""
    if isinstance(s, FunctionNode | ast.ClassDef):
        return []
    return [ast.dump(s)] if any(isinstance(n, ast.alias) and n.name == "*" for n in walk(s)) else []


def _says_global(s: ast.stmt) -> bool:
    return any(isinstance(n, ast.Global) for n in walk(s))
