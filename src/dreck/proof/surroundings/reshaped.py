"""Classes that are another thing in the new version: what functions come to see of it that do not name them.

Objects of any class may come in as arguments. A field that is set to something else is seen where an attribute of
that name is read; other bases, decorators and fields give a class other special methods, and other classes above it.
"""

import ast
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from dreck.model.names.bindings import bound_by, statements_of
from dreck.model.names.type_parameters import heads_of
from dreck.proof.surroundings.implicit import EVERY_SPECIAL
from dreck.proof.surroundings.inherited import all_classes_in, classes_in
from dreck.source.functions import FunctionNode

_RECORD = frozenset(
    {"__init__", "__eq__", "__ne__", "__hash__", "__repr__", "__str__", "__format__", "__lt__", "__le__", "__gt__",
     "__ge__", "__setattr__", "__delattr__"}
)  # fmt: skip
"""What decorators that make a record of a class give it (library, `dataclasses`)."""
_WHEN_LET_GO = frozenset({"__del__"})
"""Of classes elsewhere it is taken that they do nothing when their objects are let go."""
_NOT_ASKED = frozenset({"__doc__", "__module__", "__qualname__", "__slots__", "__annotations__"})
_STORED = frozenset({"__getattr__", "__setattr__", "__delattr__"})
_OF_RECORDS = frozenset({"dataclass", "define", "frozen", "total_ordering"})


@dataclass(slots=True)
class Reshaped:
    """What is another thing, each with how: attributes, special methods with the class that has them, classes above."""

    attributes: dict[str, str] = field(default_factory=dict)
    specials: dict[tuple[str, str], str] = field(default_factory=dict)
    above: dict[str, str] = field(default_factory=dict)


def reshaped(old: ast.Module, new: ast.Module, names: Mapping[str, str]) -> Reshaped:
    """Of those of `names` that are classes in both versions, and of the classes that stand inside others."""
    found = Reshaped()
    _note_several(all_classes_in(old), all_classes_in(new), found)
    every = classes_in(old), classes_in(new)
    tops = [{name: kind for name, kind in side.items() if "." not in name} for side in every]
    for name in every[0].keys() & every[1].keys():
        kinds = every[0][name], every[1][name]
        if ("." in name or name in names) and ast.dump(kinds[0]) != ast.dump(kinds[1]):
            _note(name, kinds, tops, found)
        grown = {n for n in {*_names_in(kinds[0])} ^ {*_names_in(kinds[1])} if n.startswith("__") and n.endswith("__")}
        told = f"is there in one version of {name} only"
        found.specials |= {(name, special): told for special in grown - _NOT_ASKED}
    return found


def _note_several(
    old: Mapping[str, list[ast.ClassDef]], new: Mapping[str, list[ast.ClassDef]], found: Reshaped
) -> None:
    """Of several classes of one name any may be the one that counts, where they are not the same in both versions."""
    for name in old.keys() | new.keys():
        one, two = old.get(name, []), new.get(name, [])
        if max(len(one), len(two)) < 2 or list(map(ast.dump, one)) == list(map(ast.dump, two)):
            continue
        told = f"may be another in {name}, of which there are several"
        found.attributes |= {n: told for kind in (*one, *two) for n in _names_in(kind)}
        found.specials |= {(name, special): told for special in EVERY_SPECIAL}
        found.above |= {name: "is not the same, and there are several of the name"}


def _note(
    name: str, kinds: tuple[ast.ClassDef, ast.ClassDef], classes: Sequence[dict[str, ast.ClassDef]], found: Reshaped
) -> None:
    fields = _fields(kinds[0]), _fields(kinds[1])
    changed = {f for f in fields[0].keys() | fields[1].keys() if fields[0].get(f) != fields[1].get(f)}
    found.attributes.update(dict.fromkeys(changed, f"is another in {name}"))
    above = [set(_above(kind, side)) for kind, side in zip(kinds, classes, strict=True)]
    bases = [[*heads_of(kind), *map(ast.dump, kind.bases)] for kind in kinds]
    other_bases = bases[0] != bases[1]
    if other_bases:
        found.above |= dict.fromkeys(above[0] ^ above[1], f"has other classes below it: {name} is not the same")
        for side, one in zip(classes, above, strict=True):
            inherited = {n for kind in one if kind in side for n in _names_in(side[kind])}
            found.attributes |= dict.fromkeys(inherited, f"may be another in {name}, which has other bases")
    told = f"may be another in {name}, which is not the same"
    if _unread(kinds[0]) != _unread(kinds[1]):
        found.specials |= {(name, special): told for special in EVERY_SPECIAL}
    if _around(kinds[0]) != _around(kinds[1]) or changed or list(fields[0]) != list(fields[1]):
        known = all(name in side for side, names in zip(classes, above, strict=True) for name in names)
        of_file = [side[n] for side, names in zip(classes, above, strict=True) for n in names if n in side]
        made = _made_by(kinds, of_file if known else None)
        made |= {field for field in changed if field.startswith("__")} | (_STORED if "__slots__" in changed else set())
        found.specials |= {(name, special): told for special in made}


def _made_by(kinds: tuple[ast.ClassDef, ast.ClassDef], above: Sequence[ast.ClassDef] | None) -> frozenset[str]:
    """The special methods that a class may have otherwise, by its decorators and what is above it.

    `above` are the classes of the file that are so in one of the versions; None where others are, too.
    """
    if above is None or any(kind.keywords for kind in kinds):
        return EVERY_SPECIAL - _WHEN_LET_GO
    inherited = frozenset(n for kind in above for n in _names_in(kind) if n.startswith("__"))
    decorators = [d.func if isinstance(d, ast.Call) else d for kind in kinds for d in kind.decorator_list]
    last = {d.attr if isinstance(d, ast.Attribute) else getattr(d, "id", "") for d in decorators}
    made = EVERY_SPECIAL - _WHEN_LET_GO if last - _OF_RECORDS else _RECORD if last else frozenset[str]()
    return made | inherited


def _around(kind: ast.ClassDef) -> list[str]:
    return [*heads_of(kind), *(ast.dump(n) for n in (*kind.bases, *kind.keywords, *kind.decorator_list))]


def _fields(kind: ast.ClassDef) -> dict[str, list[str]]:
    """What a class body binds but functions, in its order, each with the statements that do."""
    found: dict[str, list[str]] = {}
    for s in statements_of(kind.body):
        if not isinstance(s, FunctionNode):
            for name in sorted(bound_by(s)):
                found.setdefault(name, []).append(ast.dump(s))
    return found


def _unread(kind: ast.ClassDef) -> list[str]:
    """Statements of a class body that may bind what nobody can read."""
    plain = ast.Assign | ast.AnnAssign | ast.AugAssign | ast.Import | ast.ImportFrom | ast.ClassDef | ast.Pass
    rest = [s for s in statements_of(kind.body) if not isinstance(s, plain | FunctionNode)]
    return [ast.dump(s) for s in rest if not (isinstance(s, ast.Expr) and isinstance(s.value, ast.Constant))]


def _names_in(kind: ast.ClassDef) -> Iterator[str]:
    for s in statements_of(kind.body):
        yield from bound_by(s)


def _above(kind: ast.ClassDef, classes: Mapping[str, ast.ClassDef]) -> Iterator[str]:
    """The last names of all that is above a class, as far as the file tells."""
    pending, seen = list(kind.bases), set[str]()
    while pending:
        base = pending.pop()
        opened = base.value if isinstance(base, ast.Subscript) else base
        last = opened.attr if isinstance(opened, ast.Attribute) else getattr(opened, "id", "?")
        if last not in seen and last != "object":
            seen.add(last)
            yield last
            pending += classes[last].bases if last in classes else []
