"""Files beside the two versions: which imported names mean something else there, however far away."""

import ast
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path
from typing import TypeAlias

from dreck.model.names.bindings import binding, statements_of
from dreck.model.names.linking import Reader
from dreck.model.names.modules import ModuleNames
from dreck.proof.beside.arriving import Arriving, resolved
from dreck.proof.beside.data import data_apart
from dreck.proof.beside.leading import all_led_to, defined_otherwise, names_in, resting_on, running, touching_when_run
from dreck.proof.beside.lying_there import (
    described_apart,
    from_the_library,
    imported_names,
    packages_above,
    run_from_texts,
    seeks_elsewhere,
)
from dreck.proof.beside.touching import Touching
from dreck.proof.surroundings.bodies import WithoutBodies, without_bodies
from dreck.proof.surroundings.futures import annotations_apart
from dreck.proof.surroundings.handing import keeps
from dreck.proof.surroundings.importing import effects_of
from dreck.source.walking import walk

_Files: TypeAlias = tuple[Path, Path]
_MOST_FILES = 400
_BY_NAME = ("importlib", "import_module", "__import__")


@dataclass(slots=True)
class FilesBeside:
    """Compares the files that two versions import, and those that these import."""

    read: Reader
    doubted: Mapping[Path, frozenset[str]] = field(default_factory=dict)
    """For files of the old version whose functions are judged by themselves, those that are not proved to be the
    same: the bodies of all others, which both versions have, do not count."""
    _acting: "set[_Files]" = field(default_factory=set)
    """The files that do something else when they are imported: they may change what others hold."""
    _data: "dict[_Files, dict[str, str]]" = field(default_factory=dict)
    _hollow: "dict[_Files, tuple[ast.Module, ast.Module]]" = field(default_factory=dict)
    """What was found for two files and stays so: the data they speak of, and the modules without bodies."""
    _packages: "dict[Path, list[Path]]" = field(default_factory=dict)
    _used: "dict[_Files, set[_Files]]" = field(default_factory=dict)
    """For each file, those that it imports."""
    _before: "dict[_Files, set[_Files]]" = field(default_factory=dict)
    """For each file, those of the packages that it lies in."""
    _known: "dict[_Files, set[str] | None]" = field(default_factory=dict)
    _now: "dict[_Files, set[str] | None]" = field(default_factory=dict)
    """What is being found out; of files that import one another, from what was guessed before."""
    _guess: "dict[_Files, set[str] | None]" = field(default_factory=dict)
    _open: "set[_Files]" = field(default_factory=set)
    _round: bool = False
    _pairs: "list[_Files]" = field(default_factory=list)
    """The files of two folders, where both have all of them."""
    _counterparts: "frozenset[_Files]" = frozenset()
    """The files that stand for one another in two folders; none where two files alone are compared."""
    arriving: Arriving = field(init=False)
    does: Touching = field(init=False)

    def __post_init__(self) -> None:
        self.read = cache(self.read)  # no file changes meanwhile
        self.arriving = Arriving(self.read)
        self.does = Touching(self.arriving)

    def resting_beside(self, old: tuple[Path, ast.Module], new: tuple[Path, ast.Module]) -> dict[str, str]:
        """Names of the old module that mean something else in the new one for what stands beside, with how."""
        otherwise = self._all_otherwise(old, new)
        apart = resolved(old[0]).parent != resolved(new[0]).parent
        found = dict[str, str]()
        if apart and not self._all_settled():
            found |= dict.fromkeys(_BY_NAME, "finds modules by their names, and those may not be the same")
        if apart:
            found |= dict.fromkeys(run_from_texts(old[1]), "may come from a text that is run, and that be another one")
            found |= data_apart(old[1], old[0], new[0])
            found |= self._found_elsewhere(old)
        below = self._all_below((old[0], new[0]))
        below |= {package for file in below for package in self._before.get(file, ())}
        libraries = {root for roots in self.does.outside.values() for root in roots}
        if libraries:
            told = f"may be changed by what a file beside does to {min(libraries)}, which is not the same"
            found |= dict.fromkeys(self.does.rest_outside(*old, libraries), told)
        acting = {one.name for one, _ in below & self._acting}
        if acting:
            touched = f"may be changed by what {min(acting)} does when it is imported, which is not the same"
            found |= dict.fromkeys(self.imports(*old), touched)
        by_others = self._touched_in(*old) if self.does.touched else set[str]()
        found |= dict.fromkeys(by_others, "may be changed by a file that does something else when it is imported")
        return found | dict.fromkeys(otherwise, "is defined otherwise in a file beside it")

    def _all_otherwise(self, old: tuple[Path, ast.Module], new: tuple[Path, ast.Module]) -> set[str]:
        """The names that are defined otherwise beside, once all that files do to one another is known."""
        self.does.old_of.setdefault(resolved(new[0]), resolved(old[0]))
        while True:
            before = self.does.state()
            found = self.imported_otherwise(old, new)
            self._run_before(old[0], old[0], new[0])
            self.does.note_order(old, new)
            if before == self.does.state():
                return found
            self._known.clear()

    def _all_settled(self) -> bool:
        """Whether all files of two folders are known, and what they hold is the same as far as that was looked into."""
        done = any((self.does.touched, self.does.outside, self.does.seeking, *self.doubted.values()))
        return bool(self._pairs) and not done and all(self._changed(*pair) == set() for pair in self._pairs)

    def _found_elsewhere(self, old: tuple[Path, ast.Module]) -> dict[str, str]:
        """Names that are imported from where another file, or the module itself, may have put something else."""
        if self.does.seeking:
            told = f"may come from elsewhere: {self.does.seeking} has another say in where imports are found"
            return dict.fromkeys(imported_names(old[1]), told)
        if not seeks_elsewhere(running(old[1])):
            return {}
        unknown = imported_names(old[1]) - self.imports(*old).keys() - from_the_library(old[1])
        return dict.fromkeys(unknown, "may come from a folder that `sys.path` leads to, and those may not be the same")

    def _touched_in(self, path: Path, tree: ast.Module) -> set[str]:
        """The names of a file that another one may have changed."""
        names = self.does.touched.get(resolved(path), set())
        return {name for _, bound in binding(tree) for name in bound} if "*" in names else names

    def look_into(self, pairs: Iterable[_Files]) -> None:
        """Finds out beforehand what files that are nowhere imported do to the others.

        A file that only one of the versions has stands for itself on both sides: it does what the other one lacks.
        """
        pairs = list(pairs)
        both = [(old, new) for old, new in pairs if old != new]
        self._pairs = both if len(both) == len(pairs) else []
        self._counterparts = frozenset((resolved(old), resolved(new)) for old, new in both)
        self.does.old_of = {resolved(new): resolved(old) for old, new in both}
        for path in (old for old, new in pairs if old == new):
            tree = self.read(path)
            if tree is not None:
                acts = running(tree)
                self.does.acts(path, tree, acts)
                self.does.seeking = self.does.seeking or (path.name if seeks_elsewhere(acts) else "")
        before = None
        while before != self.does.state():
            before = self.does.state()
            self._known.clear()
            for old, new in both:
                self._changed(old, new)

    def _all_below(self, key: _Files) -> set[_Files]:
        """The files that a file leads to, itself among them."""
        seen, pending = {key}, [key]
        while pending:
            fresh = self._used.get(pending.pop(), set()) - seen
            seen |= fresh
            pending += fresh
        return seen

    def imported_otherwise(self, old: tuple[Path, ast.Module], new: tuple[Path, ast.Module]) -> set[str]:
        """The names of the old module that stand for something else in files beside the new one."""
        mine, theirs = self.imports(*old), self.imports(*new)
        found = self._from_another_place(old, new)
        for name in mine.keys() & theirs.keys():
            if len(mine[name]) != len(theirs[name]) and not isinstance(new[1], WithoutBodies):
                found.add(name)
            for (one, asked), (other, wanted) in zip(mine[name], theirs[name], strict=False):
                if asked != wanted or resolved(one) == resolved(other):
                    continue
                self._used.setdefault((old[0], new[0]), set()).add((one, other))
                self._run_before(old[0], one, other)
                changed = self._changed(one, other)
                if name == "*" and (changed is None or "__all__" in changed):
                    found |= self.arriving.by_stars(*old) | self.arriving.by_stars(*new)
                if changed is None or asked in changed or (asked == "*" and changed):
                    found.add(name)
                before, after = self.read(one), self.read(other)
                if before and after and described_apart(self.does.words_below(*old), before, after):
                    found.add(name)
        return found

    def _from_another_place(self, old: tuple[Path, ast.Module], new: tuple[Path, ast.Module]) -> set[str]:
        """Names of which one version finds a file beside, and the other what is installed; and those that only one of
        them has by a star. A version without its neighbours is meant to stand among those of the other."""
        one_sided = self.imports(*old).keys() ^ self.imports(*new).keys()
        if not one_sided:
            return set()
        stars = self.arriving.by_stars(*old), self.arriving.by_stars(*new)
        both = from_the_library(old[1]) & from_the_library(new[1])
        return {name for name in one_sided if name in both or (all(stars) and (name in stars[0]) != (name in stars[1]))}

    def _above(self, path: Path) -> list[Path]:
        if path not in self._packages:
            self._packages[path] = packages_above(path)
        return self._packages[path]

    def _run_before(self, user: Path, old: Path, new: Path) -> None:
        """Looks into the packages that two files lie in: what they do when they are imported comes first."""
        for one, other in zip(self._above(old), self._above(new), strict=False):
            if resolved(one) != resolved(other) and one != user:
                self._before.setdefault((old, new), set()).add((one, other))
                self._changed(one, other)

    def _changed(self, old: Path, new: Path) -> set[str] | None:
        """The names that two files define otherwise, or that rest on such names; None for all of them."""
        key = (old, new)
        if key in self._known:
            return self._known[key]
        if key in self._open:
            self._round = True
            return self._guess.get(key, set())
        if self._open:
            return self._looked_into(key)
        while True:
            self._round = False
            found = self._looked_into(key)
            if not self._round or self._now == self._guess:
                break
            self._guess, self._now = self._now, {}
        self._known |= self._now
        self._guess, self._now = {}, {}
        return found

    def _looked_into(self, key: _Files) -> set[str] | None:
        if key not in self._now:
            self._open.add(key)
            self.does.old_of.setdefault(resolved(key[1]), resolved(key[0]))
            found = self._compared(*key) if len(self._known) + len(self._now) < _MOST_FILES else None
            self._now[key] = found | {"*"} if found else found
            self._open.discard(key)
        return self._now[key]

    def _compared(self, old: Path, new: Path) -> set[str] | None:
        one, other = self.read(old), self.read(new)
        touched = self.does.touched.get(resolved(old), set())
        if one is None or other is None or "*" in touched:
            return None
        beside = set(self.imports(old, one))
        alike = self.is_as_it_was(old, new)
        settled = alike and not touched and not run_from_texts(one) and not self._data_apart(one, old, new)
        if settled and not self.imported_otherwise((old, one), (new, other)):
            return set()
        if not alike and effects_of(one, ModuleNames(one)) != effects_of(other, ModuleNames(other)):
            self.does.acts_otherwise((old, one), (new, other))
            return None
        if annotations_apart(one, other):
            return None
        whole, doubted = (one, other), self._judged(old, new)
        if doubted is not None:
            if (old, new) not in self._hollow:
                self._hollow[old, new] = without_bodies(one, other)
            one, other = self._hollow[old, new]
        changed = self.imported_otherwise((old, one), (new, other)) | defined_otherwise(one, other)
        changed |= self._data_apart(whole[0], old, new).keys() | run_from_texts(whole[0])
        self.does.note_order((old, whole[0]), (new, whole[1]))
        changed |= {name.partition(".")[0].partition("#")[0] for name in doubted or ()} | touched
        found = resting_on(one, changed) | resting_on(other, changed)
        run = [touching_when_run(tree, found) for tree in (one, other)]
        told = {n for tree in (one, other) for side in run for n in all_led_to(tree, names_in(*side))} - found
        found |= resting_on(one, told) | resting_on(other, told)
        if names_in(*run[0], *run[1]) & beside or self._hands_on(old, whole[0], found):
            self._acting.add((old, new))
        for path, tree, statements in zip((old, new), whole, run, strict=True):
            self.does.acts(path, tree, statements)
            self.does.hands_over(path, tree, found)
            self.does.note_outside(old, path, tree, all_led_to(tree, names_in(*statements)) & found)
        return found

    def _data_apart(self, tree: ast.Module, old: Path, new: Path) -> dict[str, str]:
        if (old, new) not in self._data:
            self._data[old, new] = data_apart(tree, old, new)
        return self._data[old, new]

    def _judged(self, old: Path, new: Path) -> frozenset[str] | None:
        """The functions of a file that are not proved to be the same; None where it is not judged itself, against the
        file that has its place in the other folder."""
        if self._counterparts and (resolved(old), resolved(new)) not in self._counterparts:
            return None
        return self.doubted.get(resolved(old))

    def is_as_it_was(self, old: Path, new: Path) -> bool:
        return not self.doubted.get(resolved(old)) and old.read_bytes() == new.read_bytes()

    def _hands_on(self, path: Path, tree: ast.Module, changed: set[str]) -> bool:
        """Whether one of `changed` is handed to a decorator of the files that keeps it."""
        every = [s for s, _ in binding(tree)]
        handed = [s for s in every if getattr(s, "decorator_list", []) and getattr(s, "name", "") in changed]
        names = {n.id for s in handed for d in s.decorator_list for n in walk(d) if isinstance(n, ast.Name)}  # type: ignore[attr-defined]
        from_beside = [
            (file, asked)
            for name, places in self.imports(path, tree).items()
            if name in names
            for file, asked in places
        ]
        own = [s for s in every if isinstance(s, ast.FunctionDef) and s.name in names]
        for file, asked in from_beside if names else ():
            other = self.read(file)
            own += (
                [s for s in statements_of(other.body) if isinstance(s, ast.FunctionDef) and s.name == asked]
                if other
                else []
            )
        return any(map(keeps, own))

    def imports(self, path: Path, tree: ast.Module) -> dict[str, list[tuple[Path, str]]]:
        """For each name, the files beside that it comes from, and what it is called there; '*' for a whole module."""
        return self.arriving.imports(path, tree)
