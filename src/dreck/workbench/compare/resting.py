"""Files that are as they were, with functions that rest on something in another file that is not."""

import ast
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path

from dreck.errors import BadSource
from dreck.model.names.modules import ModuleNames
from dreck.proof.beside.files_beside import FilesBeside
from dreck.proof.beside.lying_there import hidden_apart
from dreck.proof.surroundings.module_diff import Changed, Module
from dreck.proof.surroundings.resting import spread
from dreck.source.files import read
from dreck.source.functions import FunctionNode, functions_in, parse
from dreck.source.walking import walk
from dreck.workbench.compare.sides import neighbour
from dreck.workbench.compare.wanted import Elsewhere
from dreck.workbench.judging.verdict import Verdict


def files_beside(elsewhere: Elsewhere) -> FilesBeside:
    """What compares the files beside two versions; what it has found out is kept as long as the same is known."""
    if not elsewhere.told:
        return FilesBeside(neighbour, elsewhere.doubted)
    if elsewhere.told not in _FOUND:
        _FOUND.clear()
        found = FilesBeside(neighbour, elsewhere.doubted)
        found.look_into(elsewhere.files)
        _FOUND[elsewhere.told] = found
    return _FOUND[elsewhere.told]


_FOUND: dict[str, FilesBeside] = {}
_SETTLED = ("proved", "tested")


@dataclass(frozen=True, slots=True)
class Resting:
    """A file, the functions of it that use what has changed elsewhere, and the name of it, by function."""

    place: Path
    uses: tuple[tuple[str, str], ...]


def resting(
    old: Path, new: Path, same: Iterable[Path], judged: Iterable[tuple[str, Verdict]], elsewhere: Elsewhere
) -> Iterator[Resting]:
    """Of the files that are the same in both folders, the functions that use a name whose meaning is not settled.

    What was judged the same in its own file is the same for those who use it, too.
    """
    settled = _settled(judged) & {name.partition(".")[0] for names in elsewhere.doubted.values() for name in names}
    beside = files_beside(elsewhere)
    for place in same:
        try:
            text = read(new / place).text
            trees = parse(read(old / place).text, old / place), parse(text, new / place)
        except BadSource:
            continue
        found = beside.resting_beside((old / place, trees[0]), (new / place, trees[1]))
        said = {n.id for n in walk(trees[1]) if isinstance(n, ast.Name)}
        own = {s.name for s in trees[1].body if isinstance(s, FunctionNode)}
        found = {name: how for name, how in found.items() if name in said | own}
        hidden = bool(hidden_apart(old / place, new / place))
        if not found and not hidden:
            continue
        modules = [Module(tree, ModuleNames(tree), frozenset()) for tree in trees]
        names = set(spread(Changed(found, {}, {}), modules[0], modules[1]).always)
        uses = []
        for f in functions_in(trees[1], text):
            told = [f.name] * (f.name in found or hidden) + _used(f.node, names)
            used = [] if f.nested else [name for name in told if name.rpartition(".")[2] not in settled]
            if used:
                uses.append((f.name, used[0]))
        if uses:
            yield Resting(place, tuple(uses))


def _settled(judged: Iterable[tuple[str, Verdict]]) -> set[str]:
    """Last names of functions, all of which were judged the same."""
    found: dict[str, bool] = {}
    for name, verdict in judged:
        first = name.rpartition("::")[2].partition(".")[0]
        found[first] = found.get(first, True) and verdict.status in _SETTLED
    return {name for name, same in found.items() if same}


def _used(function: ast.AST, names: set[str]) -> list[str]:
    """Which of the names a function uses: `fee`, or `gate.fee` where the whole of a module was imported."""
    found: dict[str, None] = {}
    whole: set[int] = set()
    for n in walk(function):
        if isinstance(n, ast.Attribute) and isinstance(n.value, ast.Name) and n.value.id in names:
            found[f"{n.value.id}.{n.attr}"] = None
            whole.add(id(n.value))
    for n in walk(function):
        if isinstance(n, ast.Name) and n.id in names and id(n) not in whole:
            found[n.id] = None
    return list(found)
