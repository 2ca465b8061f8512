"""What files do to one another when they are imported: which names of others, and which libraries, they may change."""

import ast
import builtins
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from pathlib import Path

from dreck.model.names.bindings import binding, bound_by, statements_of
from dreck.model.names.nodes import every_node
from dreck.proof.beside.arriving import Arriving, resolved
from dreck.proof.beside.leading import all_led_to, names_in, running
from dreck.proof.beside.lying_there import (
    asked_alone,
    behind_what,
    in_order,
    origins_of,
    reordered,
    seeks_elsewhere,
    told_by,
    what_runs,
    words_of,
)
from dreck.proof.surroundings.handing import (
    attributes_in,
    changed_by,
    decorators_of,
    keeps_count,
    kept_in,
    places_changed,
    rooted,
)
from dreck.source.functions import FunctionNode


@dataclass(slots=True)
class Touching:
    """Notes what files change of others, as far as one version does it and the other does not."""

    arriving: Arriving
    touched: dict[Path, set[str]] = field(default_factory=dict)
    """The names of files of the old version that such a file speaks of where it does something else; `*` for all."""
    old_of: dict[Path, Path] = field(default_factory=dict)
    """For files of the new version, those of the old one."""
    seeking: str = ""
    """A file that has another say in where imports are found."""
    outside: dict[Path, set[str]] = field(default_factory=dict)
    """For files of the old version that do something else, the libraries they do it to."""

    _words: dict[Path, frozenset[str]] = field(default_factory=dict)
    _orders: dict[tuple[Path, Path], list[Path]] = field(default_factory=dict)
    """For files of two versions, those that do something and are imported in another order, as `note_order` finds."""

    def state(self) -> tuple[object, ...]:
        """All that is known, to see whether more has become known."""
        told = ({file: set(names) for file, names in side.items()} for side in (self.touched, self.outside))
        return *told, self.seeking

    def acts_otherwise(self, old: tuple[Path, ast.Module], new: tuple[Path, ast.Module]) -> None:
        """Notes what two files may change that do not do the same when they are imported."""
        run = [running(tree) for _, tree in (old, new)]
        dumps = [set(map(ast.dump, side)) for side in run]
        for (path, tree), side, others in zip((old, new), run, dumps[::-1], strict=True):
            self.acts(path, tree, side)
            self.hands_over(path, tree, {name for s in statements_of(side) for name in bound_by(s)})
            self.seeking = self.seeking or (path.name if seeks_elsewhere(side) else "")
            own = [part for s in side if ast.dump(s) not in others or dumps[0] == dumps[1] for part in what_runs(s)]
            self.note_outside(old[0], path, tree, names_in(*own))

    def note_outside(self, old: Path, path: Path, tree: ast.Module, names: set[str]) -> None:
        """Notes the libraries that names of a module lead to, since what these do is not the same."""
        found = self._libraries(path, tree, all_led_to(tree, names), set())
        if found:
            self.outside.setdefault(old, set()).update(found)

    def _libraries(self, path: Path, tree: ast.Module, names: set[str], seen: set[Path]) -> set[str]:
        origins, beside = origins_of(tree), self.arriving.imports(path, tree)
        found = {origins[name] for name in names & origins.keys() - beside.keys()}
        for file in {file for name in names & beside.keys() for file, _ in beside[name]} - seen:
            seen.add(file)
            inner = self.arriving.read(file)
            if inner is not None:
                found |= self._libraries(file, inner, all_led_to(inner, set(origins_of(inner))), seen)
        return found

    def rest_outside(self, path: Path, tree: ast.Module, libraries: set[str]) -> set[str]:
        """The names of a module that come from one of these libraries, or from a file beside that uses one."""
        origins = origins_of(tree)
        found = {name for name, root in origins.items() if root in libraries}
        for name, places in self.arriving.imports(path, tree).items():
            if any(self._uses(file, libraries, set()) for file, _ in places):
                found.add(name)
        if "builtins" in libraries:
            found |= {n.id for n in every_node(tree) if isinstance(n, ast.Name) and hasattr(builtins, n.id)}
        return found

    def _uses(self, file: Path, libraries: set[str], seen: set[Path]) -> bool:
        tree = self.arriving.read(file) if file not in seen else None
        if tree is None:
            return False
        seen.add(file)
        if "builtins" in libraries or libraries & set(origins_of(tree).values()):
            return True
        return any(self._uses(inner, libraries, seen) for _, inner in in_order(tree, self.arriving.imports(file, tree)))

    def note_order(self, old: tuple[Path, ast.Module], new: tuple[Path, ast.Module]) -> None:
        """Of files that two modules import in another order, or one of them only, or before and behind a statement of
        theirs, notes what those change that do something then."""
        key = old[0], new[0]
        if key not in self._orders:
            self._orders[key] = self._reordered(old, new)
        for file in self._orders[key]:
            self._touch_all(file, set())

    def _reordered(self, old: tuple[Path, ast.Module], new: tuple[Path, ast.Module]) -> list[Path]:
        sides = [(tree, self.arriving.imports(path, tree)) for path, tree in (old, new)]
        orders = [dict(in_order(tree, imports)) for tree, imports in sides]
        behind = [behind_what(tree, imports) for tree, imports in sides]
        common = set(map(told_by, old[1].body)) & set(map(told_by, new[1].body))
        moved = {k for k in behind[0].keys() & behind[1].keys() if (behind[0][k] ^ behind[1][k]) & common}
        alone = {k for at in (0, 1) for k in asked_alone(*sides[at], sides[1 - at][0])}
        told = reordered(*map(list, orders))
        every = [(k, side[k]) for k in sorted(told | moved | alone) for side in orders if k in side]
        acting = [(k, file) for k, file in every if self._acts(file)]
        return [file for _, file in acting] if moved or alone or len({k for k, _ in acting}) > 1 else []

    def _acts(self, file: Path) -> bool:
        return self._does_something(file, set())

    def _does_something(self, file: Path, seen: set[Path]) -> bool:
        tree = self.arriving.read(file) if file not in seen else None
        if tree is None:
            return False
        seen.add(file)
        beside = (inner for _, inner in in_order(tree, self.arriving.imports(file, tree)))
        return bool(running(tree)) or any(self._does_something(inner, seen) for inner in beside)

    def words_below(self, path: Path, tree: ast.Module) -> frozenset[str]:
        """All words of a module and of the files that it leads to."""
        if path not in self._words:
            found, pending, seen = set(words_of(tree)), [(path, tree)], {path}
            while pending:
                at, text = pending.pop()
                for file in {file for places in self.arriving.imports(at, text).values() for file, _ in places} - seen:
                    seen.add(file)
                    inner = self.arriving.read(file)
                    if inner is not None:
                        found |= words_of(inner)
                        pending.append((file, inner))
            self._words[path] = frozenset(found)
        return self._words[path]

    def _touch_all(self, file: Path, seen: set[Path]) -> None:
        tree = self.arriving.read(file) if file not in seen else None
        if tree is not None:
            seen.add(file)
            acts = running(tree)
            self.acts(file, tree, acts)
            self.note_outside(file, file, tree, names_in(*(part for s in acts for part in what_runs(s))))
            self.seeking = self.seeking or (file.name if seeks_elsewhere(acts) else "")
            for _, inner in in_order(tree, self.arriving.imports(file, tree)):
                self._touch_all(inner, seen)

    def acts(self, path: Path, tree: ast.Module, statements: Iterable[ast.AST]) -> None:
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
        places = self.arriving.imports(path, tree)
        led_to = all_led_to(tree, names_in(*running))
        later = [s for s, names in binding(tree) if led_to & names]
        changing = [*direct, *(place for s in later for place in places_changed(s))]
        spoken = attributes_in(changing)
        for name in names_in(*changing) & places.keys():
            for file, asked in places[name]:
                self._touch(file, {asked} if asked != "*" else spoken.get(name, set()))
        spoken = attributes_in([*running, *later])
        for name in led_to & places.keys():
            for file, asked in places[name]:
                self._follow(file, {asked} if asked != "*" else spoken.get(name, set()), seen)

    def _touch(self, file: Path, names: set[str]) -> None:
        """Notes that names of a file may be changed, also where the file has them from."""
        pending, seen = [(file, name) for name in names], set[tuple[Path, str]]()
        while pending:
            at, name = pending.pop()
            place = resolved(at)
            self.touched.setdefault(self.old_of.get(place, place), set()).add(name)
            seen.add((at, name))
            tree = self.arriving.read(at)
            further = self.arriving.imports(at, tree).get(name, ()) if tree is not None else ()
            pending += [(inner, asked) for inner, asked in further if asked != "*" and (inner, asked) not in seen]

    def _follow(self, file: Path, called: set[str], seen: set[tuple[Path, str]]) -> None:
        """Notes what functions of another file change: of that file, and of others."""
        fresh = {name for name in called if (file, name) not in seen}
        tree = self.arriving.read(file) if fresh else None
        if tree is None:
            return
        seen |= {(file, name) for name in fresh}
        for name in fresh:
            for further, asked in self.arriving.imports(file, tree).get(name, ()):
                self._follow(further, {asked}, seen)
        bodies = [s for s, _ in binding(tree) if isinstance(s, FunctionNode) and s.name in fresh]
        self._touch(file, {name for s in bodies for name in kept_in(s, tree)})
        self._notes(file, tree, bodies, [place for s in bodies for place in places_changed(s)], seen)

    def hands_over(self, path: Path, tree: ast.Module, changed: set[str]) -> None:
        """Notes what those of `changed` hand themselves to when they are made."""
        places = self.arriving.imports(path, tree)
        for s in (s for s, _ in binding(tree) if getattr(s, "name", "") in changed):
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
        tree = self.arriving.read(file) if (file, base) not in seen else None
        if tree is None:
            return
        seen.add((file, base))
        if keeps_count(tree, base):
            self._touch(file, {"*"})
        bases = [b for s, _ in binding(tree) if isinstance(s, ast.ClassDef) and s.name == base for b in s.bases]
        for name, attrs in [(base, []), *map(rooted, bases)]:
            for further, asked in self.arriving.imports(file, tree).get(name, ()):
                self._below(further, attrs[0] if asked == "*" and attrs else asked, seen)
            if name and name != base:
                self._below(file, name, seen)
