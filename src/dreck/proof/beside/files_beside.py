"""Files beside the two versions: which imported names mean something else there, however far away."""

import ast
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import TypeAlias

from dreck.model.names.bindings import bound_by, statements_of
from dreck.model.names.linking import Reader, file_of, package_of
from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node
from dreck.proof.beside.bodies import WithoutBodies, without_bodies
from dreck.proof.surroundings.handing import (
    attributes_of,
    changed_by,
    decorators_of,
    keeps,
    keeps_count,
    kept_in,
    places_changed,
    rooted,
)
from dreck.proof.surroundings.importing import acting, effects_of, is_for_scripts
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

_Files: TypeAlias = tuple[Path, Path]
_MOST_FILES = 400
_BY_NAME = ("importlib", "import_module", "__import__")


@dataclass(slots=True)
class FilesBeside:
    """Compares the files that two versions import, and those that these import."""

    read: Reader
    packages: bool = False
    """Whether what packages define themselves counts, and what they have from their modules."""
    doubted: Mapping[Path, frozenset[str]] = field(default_factory=dict)
    """For files of the old version whose functions are judged by themselves, those that are not proved to be the
    same: the bodies of all others, which both versions have, do not count."""
    _acting: "set[_Files]" = field(default_factory=set)
    """The files that do something else when they are imported: they may change what others hold."""
    _touched: dict[Path, set[str]] = field(default_factory=dict)
    """The names of files of the old version that such a file speaks of where it does something else; `*` for all."""
    _used: "dict[_Files, set[_Files]]" = field(default_factory=dict)
    """For each file, those that it imports."""
    _known: "dict[_Files, set[str] | None]" = field(default_factory=dict)
    _now: "dict[_Files, set[str] | None]" = field(default_factory=dict)
    """What is being found out; of files that import one another, from what was guessed before."""
    _guess: "dict[_Files, set[str] | None]" = field(default_factory=dict)
    _open: "set[_Files]" = field(default_factory=set)
    _round: bool = False
    _old_of: dict[Path, Path] = field(default_factory=dict)
    """For files of the new version, those of the old one."""
    _imported: "dict[tuple[Path, bool], dict[str, list[tuple[Path, str]]]]" = field(default_factory=dict)
    """By file, and whether it is without the bodies of its functions."""

    def resting_beside(self, old: tuple[Path, ast.Module], new: tuple[Path, ast.Module]) -> dict[str, str]:
        """Names of the old module that mean something else in the new one for what stands beside, with how."""
        otherwise = self.imported_otherwise(old, new)
        apart = old[0].resolve().parent != new[0].resolve().parent
        found = dict.fromkeys(_BY_NAME if apart else (), "finds modules by their names, and those may not be the same")
        acting = self._acting_below((old[0], new[0]))
        if acting:
            touched = f"may be changed by what {min(acting)} does when it is imported, which is not the same"
            found |= dict.fromkeys(self.imports(*old), touched)
        by_others = self._touched_in(*old) if self._touched else set[str]()
        found |= dict.fromkeys(by_others, "may be changed by a file that does something else when it is imported")
        return found | dict.fromkeys(otherwise, "is defined otherwise in a file beside it")

    def _touched_in(self, path: Path, tree: ast.Module) -> set[str]:
        """The names of a file that another one may have changed."""
        names = self._touched.get(path.resolve(), set())
        return {name for s in statements_of(tree.body) for name in bound_by(s)} if "*" in names else names

    def look_into(self, pairs: Iterable[_Files]) -> None:
        """Finds out beforehand what files that are nowhere imported do to the others.

        A file that only one of the versions has stands for itself on both sides: it does what the other one lacks.
        """
        both = [(old, new) for old, new in pairs if old != new]
        self._old_of = {new.resolve(): old.resolve() for old, new in both}
        for path in (old for old, new in pairs if old == new):
            tree = self.read(path)
            if tree is not None:
                self._acts(path, tree, _running(tree))
        before = None
        while before != self._touched:
            before = {file: set(names) for file, names in self._touched.items()}
            self._known.clear()
            for old, new in both:
                self._changed(old, new)

    def _acting_below(self, key: _Files) -> set[str]:
        """The names of the files that act otherwise among those that a file leads to."""
        seen, pending = {key}, [key]
        while pending:
            fresh = self._used.get(pending.pop(), set()) - seen
            seen |= fresh
            pending += fresh
        return {old.name for old, _ in seen & self._acting}

    def imported_otherwise(self, old: tuple[Path, ast.Module], new: tuple[Path, ast.Module]) -> set[str]:
        """The names of the old module that stand for something else in files beside the new one."""
        found: set[str] = set()
        mine, theirs = self.imports(*old), self.imports(*new)
        for name in mine.keys() & theirs.keys():
            for (one, asked), (other, wanted) in zip(mine[name], theirs[name], strict=False):
                if asked != wanted or one.resolve() == other.resolve():
                    continue
                self._used.setdefault((old[0], new[0]), set()).add((one, other))
                changed = self._changed(one, other)
                if changed is None or asked in changed or (asked == "*" and changed):
                    found.add(name)
        return found

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
            self._old_of[key[1].resolve()] = key[0].resolve()
            found = self._compared(*key) if len(self._known) + len(self._now) < _MOST_FILES else None
            self._now[key] = found | {"*"} if found else found
            self._open.discard(key)
        return self._now[key]

    def _compared(self, old: Path, new: Path) -> set[str] | None:
        one, other = self.read(old), self.read(new)
        touched = self._touched.get(old.resolve(), set())
        if one is None or other is None or "*" in touched:
            return None
        beside = set(self.imports(old, one))
        alike = self.is_as_it_was(old, new)
        if alike and not touched and not self.imported_otherwise((old, one), (new, other)):
            return set()
        if not alike and effects_of(one, ModuleNames(one)) != effects_of(other, ModuleNames(other)):
            for path, tree in ((old, one), (new, other)):
                self._acts(path, tree, _running(tree))
            return None
        whole, doubted = (one, other), self.doubted.get(old.resolve())
        if doubted is not None:
            one, other = without_bodies(one, other)
        changed = self.imported_otherwise((old, one), (new, other)) | _defined_otherwise(one, other)
        changed |= {name.partition(".")[0].partition("#")[0] for name in doubted or ()} | touched
        found = _resting_on(one, changed) | _resting_on(other, changed)
        running = [_touching_when_run(tree, found) for tree in (one, other)]
        told = {n for tree in (one, other) for side in running for n in _all_led_to(tree, _names_in(*side))} - found
        found |= _resting_on(one, told) | _resting_on(other, told)
        if _names_in(*running[0], *running[1]) & beside or self._hands_on(old, whole[0], found):
            self._acting.add((old, new))
        for path, tree, statements in zip((old, new), whole, running, strict=True):
            self._acts(path, tree, statements)
            self._hands_over(path, tree, found)
        return found

    def _acts(self, path: Path, tree: ast.Module, statements: Iterable[ast.AST]) -> None:
        """Notes which names of other files a file may change something of by some of its statements."""
        direct = [part for s in statements for part in changed_by(s)]
        self._notes(path, tree, direct, direct, set())

    def _notes(
        self,
        path: Path,
        tree: ast.Module,
        running: Sequence[ast.AST],
        direct: Sequence[ast.AST],
        seen: set[tuple[Path, str]],
    ) -> None:
        """The same of what runs, of the parts of it that change something, and of the functions that it leads to."""
        places = self.imports(path, tree)
        led_to = _all_led_to(tree, _names_in(*running))
        later = [s for s in tree.body if led_to & set(bound_by(s))]
        changing = [*direct, *(place for s in later for place in places_changed(s))]
        for name in _names_in(*changing) & places.keys():
            for file, asked in places[name]:
                self._touch(file, {asked} if asked != "*" else attributes_of(name, changing))
        for name in led_to & places.keys():
            for file, asked in places[name]:
                called = {asked} if asked != "*" else attributes_of(name, [*running, *later])
                self._follow(file, called, seen)

    def _touch(self, file: Path, names: set[str]) -> None:
        place = file.resolve()
        self._touched.setdefault(self._old_of.get(place, place), set()).update(names)

    def _follow(self, file: Path, called: set[str], seen: set[tuple[Path, str]]) -> None:
        """Notes what functions of another file change: of that file, and of others."""
        fresh = {name for name in called if (file, name) not in seen}
        tree = self.read(file) if fresh else None
        if tree is None:
            return
        seen |= {(file, name) for name in fresh}
        for name in fresh:
            for further, asked in self.imports(file, tree).get(name, ()):
                self._follow(further, {asked}, seen)
        bodies = [s for s in tree.body if isinstance(s, FunctionNode) and s.name in fresh]
        self._touch(file, {name for s in bodies for name in kept_in(s, tree)})
        self._notes(file, tree, bodies, [place for s in bodies for place in places_changed(s)], seen)

    def _hands_over(self, path: Path, tree: ast.Module, changed: set[str]) -> None:
        """Notes what those of `changed` hand themselves to when they are made."""
        places = self.imports(path, tree)
        for s in (s for s in tree.body if getattr(s, "name", "") in changed):
            for name, attrs in map(rooted, decorators_of(s)):
                for file, asked in places.get(name, ()):
                    first, rest = (attrs[0], attrs[1:]) if asked == "*" and attrs else (asked, attrs)
                    if rest:
                        self._touch(file, {first})
                    else:
                        self._follow(file, {first}, set())
            for name, attrs in map(rooted, s.bases if isinstance(s, ast.ClassDef) else ()):
                for file, asked in places.get(name, ()):
                    self._below(file, attrs[0] if asked == "*" and attrs else asked, set())

    def _below(self, file: Path, base: str, seen: set[tuple[Path, str]]) -> None:
        """Notes that a class of another file, or a base of that, may know of another class below it."""
        tree = self.read(file) if (file, base) not in seen else None
        if tree is None:
            return
        seen.add((file, base))
        if keeps_count(tree, base):
            self._touch(file, {"*"})
        bases = [b for s in tree.body if isinstance(s, ast.ClassDef) and s.name == base for b in s.bases]
        for name, attrs in [(base, []), *map(rooted, bases)]:
            for further, asked in self.imports(file, tree).get(name, ()):
                self._below(further, attrs[0] if asked == "*" and attrs else asked, seen)
            if name and name != base:
                self._below(file, name, seen)

    def is_as_it_was(self, old: Path, new: Path) -> bool:
        return not self.doubted.get(old.resolve()) and old.read_bytes() == new.read_bytes()

    def _hands_on(self, path: Path, tree: ast.Module, changed: set[str]) -> bool:
        """Whether one of `changed` is handed to a decorator of the files that keeps it."""
        handed = [s for s in tree.body if getattr(s, "decorator_list", []) and getattr(s, "name", "") in changed]
        names = {n.id for s in handed for d in s.decorator_list for n in walk(d) if isinstance(n, ast.Name)}  # type: ignore[attr-defined]
        from_beside = [
            (file, asked)
            for name, places in self.imports(path, tree).items()
            if name in names
            for file, asked in places
        ]
        own = [s for s in tree.body if isinstance(s, ast.FunctionDef) and s.name in names]
        for file, asked in from_beside if names else ():
            other = self.read(file)
            own += [s for s in other.body if isinstance(s, ast.FunctionDef) and s.name == asked] if other else []
        return any(map(keeps, own))

    def _all_of(self, file: Path) -> set[str]:
        """What `from file import *` may bind."""
        tree = self.read(file)
        return {name for s in statements_of(tree.body) for name in bound_by(s)} if tree is not None else set()

    def imports(self, path: Path, tree: ast.Module) -> dict[str, list[tuple[Path, str]]]:
        """For each name, the files beside that it comes from, and what it is called there; '*' for a whole module."""
        key = path, isinstance(tree, WithoutBodies)
        if key not in self._imported:
            self._imported[key] = self._imported_by(path, tree)
        return self._imported[key]

    def _imported_by(self, path: Path, tree: ast.Module) -> dict[str, list[tuple[Path, str]]]:
        found: dict[str, list[tuple[Path, str]]] = {}
        for s in every_node(tree):
            if isinstance(s, ast.ImportFrom):
                file = file_of(s, path) or (package_of(s, path) if self.packages else None)
                for alias in s.names:
                    if file is not None:
                        for name in self._all_of(file) if alias.name == "*" else ():
                            found.setdefault(name, []).append((file, name))
                        found.setdefault(alias.asname or alias.name, []).append((file, alias.name))
                    inner = file_of(ast.ImportFrom(".".join(filter(None, (s.module, alias.name))), [], s.level), path)
                    if inner is not None:
                        found.setdefault(alias.asname or alias.name, []).append((inner, "*"))
            elif isinstance(s, ast.Import):
                for alias in s.names:
                    asked = ast.ImportFrom(alias.name, [], 0)
                    file = file_of(asked, path) or (package_of(asked, path) if self.packages else None)
                    if file is not None:
                        found.setdefault(alias.asname or alias.name.split(".")[0], []).append((file, "*"))
        return found


def _running(tree: ast.Module) -> list[ast.stmt]:
    module = ModuleNames(tree)
    return [s for s in tree.body if acting(s, tree, module)]


def _touching_when_run(tree: ast.Module, changed: set[str]) -> list[ast.stmt]:
    """Statements that do something and lead to one of `changed`, themselves or by way of the module."""
    module = ModuleNames(tree)
    return [
        s
        for s in tree.body
        if not _binds_only(s)
        and _all_led_to(tree, _names_in(s)) & changed
        and not is_for_scripts(s)
        and acting(s, tree, module)
    ]


def _names_in(*nodes: ast.AST) -> set[str]:
    return {n.id for node in nodes for n in walk(node) if isinstance(n, ast.Name)}


def _binds_only(s: ast.stmt) -> bool:
    """Whether a statement does no more than give names values, so that it tells others at most by what it calls."""
    match s:
        case ast.Assign(targets=targets):
            return all(isinstance(t, ast.Name) for t in targets)
        case ast.AnnAssign(target=target):
            return isinstance(target, ast.Name)
    plain = ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef | ast.Import | ast.ImportFrom
    return isinstance(s, plain)


def _all_led_to(tree: ast.Module, names: set[str]) -> set[str]:
    """`names`, and all that the statements which bind them name."""
    named = _named_by(tree)
    found, pending = set[str](), list(names)
    while pending:
        name = pending.pop()
        if name not in found:
            found.add(name)
            pending += named.get(name, ())
    return found


def _defined_otherwise(old: ast.Module, new: ast.Module) -> set[str]:
    """Names bound by statements that are not the same, or not in the same order."""
    one, other = _statements(old), _statements(new)
    return {name for name in one.keys() | other.keys() if one.get(name) != other.get(name)}


def _statements(tree: ast.Module) -> dict[str, list[str]]:
    found: dict[str, list[str]] = {}
    for s in tree.body:
        for inner in statements_of([s]):
            for name in bound_by(inner):
                found.setdefault(name, []).append(ast.dump(s))
    return found


def _resting_on(tree: ast.Module, changed: set[str]) -> set[str]:
    """`changed` and every name of the module whose statements lead to one of them."""
    named = _named_by(tree)
    found = set(changed)
    grown = True
    while grown:
        more = {name for name, read in named.items() if name not in found and read & found}
        found |= more
        grown = bool(more)
    return found


def _named_by(tree: ast.Module) -> dict[str, set[str]]:
    """For each name that a module binds, or sets a part of, all names in the statements that do."""
    found: dict[str, set[str]] = {}
    for s in statements_of(tree.body):
        named = {n.id for n in walk(s) if isinstance(n, ast.Name)}
        for name in bound_by(s) | _parts_set(s):
            found.setdefault(name, set()).update(named)
    return found


def _parts_set(s: ast.stmt) -> set[str]:
    places = [t for t in getattr(s, "targets", []) if isinstance(t, ast.Attribute | ast.Subscript)]
    return {n.id for t in places for n in walk(t.value) if isinstance(n, ast.Name)}
