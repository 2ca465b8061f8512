"""Names that one version alone has, and that something asks for when the module is imported, before they are there."""

import ast
from collections.abc import Iterator

from dreck.model.names.bindings import bindings_of, bindings_within, bound_by, statements_of
from dreck.model.names.modules import ModuleNames
from dreck.proof.surroundings.importing import Importing, importing, led_to
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

_Bound = dict[str, list[ast.stmt]]
_Version = tuple[ast.Module, ModuleNames]


def asked_too_early(one: _Version, other: _Version) -> bool:
    """Whether a statement of `one` may lead to a name that `other` lacks, and that is bound only further down: a
    decorator that calls what it is given, `SIZE = fee(3)`. What bases from elsewhere do when a class is made is theirs.
    """
    tree, names = one
    bound = bindings_of(tree).of
    missing = bound.keys() - bindings_of(other[0]).of.keys()
    known, there = importing(tree, names), _Bound()
    for s in tree.body if missing else ():
        own = {name for inner in statements_of([s]) for name in bound_by(inner)}
        there |= {name: bound[name] for name in own & bound.keys()}
        missing -= own if not isinstance(s, FunctionNode | ast.ClassDef) else set()
        # What is not there yet leads nowhere: it raises, as it did.
        if any(led_to(part, {**there, **within}) & missing for part, within in _acting(s, known, {})):
            return True
        missing -= own
    return False


def _acting(s: ast.stmt, known: Importing, within: _Bound) -> Iterator[tuple[ast.stmt, _Bound]]:
    """The statements that do more than bind a name, with what the classes around them bind: of a class those of its
    body, and itself where something of the file takes part in making it, or it makes members of its own (an enum)."""
    if next(known.told([s]), None) is None:
        return
    if isinstance(s, ast.AnnAssign) and s.value is not None and not known.annotates:
        yield ast.Expr(s.value), within
        return
    if not isinstance(s, ast.ClassDef):
        yield s, within
        return
    if _is_made_by_the_file(s, known.names, set()):
        yield s, within
    inside = known.inside(s)
    for inner in s.body:
        yield from _acting(inner, inside, {**within, **bindings_within(s).of})


def _is_made_by_the_file(s: ast.ClassDef, names: ModuleNames, seen: set[str]) -> bool:
    """Whether a decorator, a metaclass, an `__init_subclass__` of the file, or an enum's own code for its members runs
    when a class is made."""
    taking_part = [*s.decorator_list, *(k.value for k in s.keywords)]
    said = {n.id for e in taking_part for n in walk(e) if isinstance(n, ast.Name)}
    if said & names.definitions.keys() or any(names.stands_for(b).startswith("enum.") for b in s.bases):
        return True
    above = {n.id for e in s.bases for n in walk(e) if isinstance(n, ast.Name)} - seen
    bases = [base for word in above if isinstance(base := names.definitions.get(word), ast.ClassDef)]
    if any("__init_subclass__" in bound_by(inner) for base in bases for inner in base.body):
        return True
    return any(_is_made_by_the_file(base, names, seen | above) for base in bases)
