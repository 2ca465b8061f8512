"""What a function comes upon of files beside its own without naming them: methods and classes that are another thing.

An object of a class of a file that is imported may come in anywhere; methods count by their last names there as they
do in a file itself.
"""

import ast
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

from dreck.proof.beside.files_beside import FilesBeside
from dreck.proof.surroundings.inherited import classes_in
from dreck.proof.surroundings.module_diff import Changed
from dreck.proof.surroundings.reshaped import reshaped
from dreck.source.functions import FunctionNode


def with_those_beside(changed: Changed, beside: FilesBeside, old: Path, new: Path) -> Changed:
    """`changed`, and what is not the same of the classes that the two files import, or have with a whole module."""
    attributes: dict[str, str] = {}
    specials: dict[tuple[str, str], str] = {}
    for one, other, asked in _imported(beside, old, new):
        before, after = beside.read(one), beside.read(other)
        if before is None or after is None or beside.is_as_it_was(one, other):
            continue
        doubted = beside.doubted.get(one.resolve())
        methods = _otherwise(before, after) if doubted is None else {name for name in doubted if "." in name}
        for name in (m for m in methods if asked in ("*", m.partition(".")[0])):
            owner, _, last = name.rpartition(".")
            told = f"may be {name} of {one.name}, which is not the same"
            if last.startswith("__") and last.endswith("__"):
                specials[owner.rpartition(".")[2], last] = told
            else:
                attributes[last] = told
        names = {name: "" for name in classes_in(before) if asked in ("*", name.partition(".")[0])}
        classes = reshaped(before, after, names)
        attributes |= classes.attributes
        specials |= classes.specials
    return replace(changed, attributes=attributes | changed.attributes, specials={**specials, **changed.specials})


def _imported(beside: FilesBeside, old: Path, new: Path) -> Iterator[tuple[Path, Path, str]]:
    """Where what two files import stands: both versions of a file, and the name there, `*` for all of it."""
    pending, seen = [(old, new, "*")], set[tuple[Path, Path, str]]()
    while pending:
        here, there, name = pending.pop()
        trees = beside.read(here), beside.read(there)
        if trees[0] is None or trees[1] is None:
            continue
        mine, theirs = beside.imports(here, trees[0]), beside.imports(there, trees[1])
        wanted = mine.keys() & theirs.keys() if here == old else {name} & mine.keys() & theirs.keys()
        for imported in wanted:
            for (one, asked), (other, _) in zip(mine[imported], theirs[imported], strict=False):
                key = one.resolve(), other.resolve(), asked
                if key not in seen and key[0] != key[1]:
                    seen.add(key)
                    pending.append((one, other, asked))
                    yield one, other, asked


def _otherwise(old: ast.Module, new: ast.Module) -> set[str]:
    """The methods that both versions of a file have, and that are not written alike."""
    sides = _methods(old), _methods(new)
    return {name for name in sides[0].keys() & sides[1].keys() if sides[0][name] != sides[1][name]}


def _methods(tree: ast.Module) -> dict[str, str]:
    classes = classes_in(tree).items()
    return {f"{name}.{s.name}": ast.dump(s) for name, kind in classes for s in kind.body if isinstance(s, FunctionNode)}
