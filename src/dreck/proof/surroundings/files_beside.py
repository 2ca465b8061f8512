"""Files beside the two versions: which imported names mean something else there, however far away."""

import ast
from dataclasses import dataclass, field
from pathlib import Path

from dreck.model.names.bindings import bound_by, statements_of
from dreck.model.names.linking import Reader, file_of, package_of
from dreck.model.names.modules import ModuleNames
from dreck.proof.surroundings.importing import acting, effects_of
from dreck.source.walking import walk

_MOST_FILES = 60
_BY_NAME = ("importlib", "import_module", "__import__")


@dataclass(slots=True)
class FilesBeside:
    """Compares the files that two versions import, and those that these import."""

    read: Reader
    packages: bool = False
    """Whether what packages define themselves counts, and what they have from their modules."""
    acting: set[str] = field(default_factory=set)
    """The files that do something else when they are imported: they may change what others hold."""
    _known: dict[tuple[Path, Path], set[str] | None] = field(default_factory=dict)

    def resting_beside(self, old: tuple[Path, ast.Module], new: tuple[Path, ast.Module]) -> dict[str, str]:
        """Names of the old module that mean something else in the new one for what stands beside, with how."""
        otherwise = self.imported_otherwise(old, new)
        apart = old[0].resolve().parent != new[0].resolve().parent
        found = dict.fromkeys(_BY_NAME if apart else (), "finds modules by their names, and those may not be the same")
        if self.acting:
            touched = f"may be changed by what {min(self.acting)} does when it is imported, which is not the same"
            found |= dict.fromkeys(self._imports(*old), touched)
        return found | dict.fromkeys(otherwise, "is defined otherwise in a file beside it")

    def imported_otherwise(self, old: tuple[Path, ast.Module], new: tuple[Path, ast.Module]) -> set[str]:
        """The names of the old module that stand for something else in files beside the new one."""
        found: set[str] = set()
        mine, theirs = self._imports(*old), self._imports(*new)
        for name in mine.keys() & theirs.keys():
            for (one, asked), (other, wanted) in zip(mine[name], theirs[name], strict=False):
                if asked != wanted or one.resolve() == other.resolve():
                    continue
                changed = self._changed(one, other)
                if changed is None or asked in changed or (asked == "*" and changed):
                    found.add(name)
        return found

    def _changed(self, old: Path, new: Path) -> set[str] | None:
        """The names that two files define otherwise, or that rest on such names; None for all of them."""
        key = (old, new)
        if key in self._known:
            return self._known[key]
        self._known[key] = set()  # files that import one another
        if len(self._known) > _MOST_FILES:
            return None
        one, other = self.read(old), self.read(new)
        if one is None or other is None:
            self._known[key] = None
            return None
        if effects_of(one, ModuleNames(one)) != effects_of(other, ModuleNames(other)):
            self.acting.add(old.name)
            self._known[key] = None
            return None
        changed = self.imported_otherwise((old, one), (new, other)) | _defined_otherwise(one, other)
        found = _resting_on(one, changed) | _resting_on(other, changed)
        beside = set(self._imports(old, one))
        if any(_is_read_when_run(tree, found, beside) for tree in (one, other)):
            self.acting.add(old.name)
            self._known[key] = None
            return None
        self._known[key] = found | {"*"} if found else found
        return self._known[key]

    def _all_of(self, file: Path) -> set[str]:
        """What `from file import *` may bind."""
        tree = self.read(file)
        return {name for s in statements_of(tree.body) for name in bound_by(s)} if tree is not None else set()

    def _imports(self, path: Path, tree: ast.Module) -> dict[str, list[tuple[Path, str]]]:
        """For each name, the files beside that it comes from, and what it is called there; '*' for a whole module."""
        found: dict[str, list[tuple[Path, str]]] = {}
        for s in walk(tree):
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


def _is_read_when_run(tree: ast.Module, changed: set[str], beside: set[str]) -> bool:
    """Whether a statement that does more than bind names reads one of `changed` when the module is imported, or hands
    it to a decorator of the files, its own or one from `beside`."""
    names = ModuleNames(tree)
    own = beside | names.definitions.keys()
    for s in tree.body:
        decorators = getattr(s, "decorator_list", [])
        handed = getattr(s, "name", "") in changed and any(
            isinstance(n, ast.Name) and n.id in own for d in decorators for n in walk(d)
        )
        if handed or (any(isinstance(n, ast.Name) and n.id in changed for n in walk(s)) and acting(s, tree, names)):
            return True
    return False


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
    reads: dict[str, set[str]] = {}
    for s in statements_of(tree.body):
        named = {n.id for n in walk(s) if isinstance(n, ast.Name)}
        for name in bound_by(s):
            reads.setdefault(name, set()).update(named)
    found = set(changed)
    grown = True
    while grown:
        more = {name for name, read in reads.items() if name not in found and read & found}
        found |= more
        grown = bool(more)
    return found
