"""Linking: what a module imports from its neighbours, so that a proof can look into that as well.

A name of the neighbour that its functions, classes and tables read gets the neighbour's name before it
(`gate.LIMIT`), which no name of the importing module can be.
"""

import ast
from collections.abc import Callable, Iterator
from functools import lru_cache
from pathlib import Path
from weakref import WeakKeyDictionary

from dreck.model.names.bindings import ANY, put_on_modules
from dreck.model.names.files import file_of, package_of, place_of, root_of
from dreck.model.names.foreign import ForeignNames
from dreck.model.names.lives import Place, named_in
from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node
from dreck.model.names.reaching import puts_modules
from dreck.model.names.tables import Tables, changed_in
from dreck.source.copying import copied
from dreck.source.libraries import LibraryModule, ReadModule
from dreck.source.walking import walk

Reader = Callable[[Path], ast.Module | None]
"""Reads and parses a file; None when that cannot be done."""
_MOST_TAKEN = 60
"""So many definitions of other files are looked into for one module; the rest are taken as they are."""


@lru_cache(maxsize=128)
def _names_of(tree: ast.Module) -> ModuleNames:
    return ModuleNames(tree)


_renamed: WeakKeyDictionary[ModuleNames, dict[tuple[ast.AST, str, str], tuple[ast.AST, frozenset[str]]]]
_renamed = WeakKeyDictionary()
"""What definitions of a module are with its name before theirs, and which names of it they read."""


class LinkedNames(ModuleNames):
    """The names of a module together with the functions, classes and constants it imports from files beside it."""

    def __init__(self, tree: ast.Module, path: Path, read: Reader) -> None:
        self._foreign: set[str] = set()
        self._foreign_sources: dict[str, str] = {}
        self.path = path
        self.read = read
        self.places: dict[int, Path] = {}
        """Where the trees of other files stand, by their identity."""
        self.originals: dict[int, ast.AST] = {}
        """What stands in another file, by the identity of what it is here, with its names told apart."""
        self._root = root_of(path)
        self._wanted: list[tuple[ModuleNames, str, str]] = []
        self._bases: set[tuple[str, str]] = set()
        self._taken = 0
        self._homes: dict[int, LibraryModule] = {}
        self._imports: dict[int, dict[str, str]] = {}
        super().__init__(tree)
        self._note_neighbours()
        self._imported: set[str] = set()
        self._aliases: dict[str, str] = {}
        self._modules: dict[str, tuple[ModuleNames, str]] = {}
        self._tables = dict(super().tables.known)
        self._put = frozenset(self._put_on_others(tree, path))
        for s in tree.body:
            if isinstance(s, ast.ImportFrom):
                self._link(s, path, read)
            elif isinstance(s, ast.Import):
                self._link_modules(s, path, read)
        for s in tree.body:
            for base in s.bases if isinstance(s, ast.ClassDef) else ():
                if isinstance(base, ast.Attribute) and isinstance(base.value, ast.Name):
                    self.of_module(base.value.id, base.attr)
        self._look_where_made()
        self._take_all()

    @property
    def tables(self) -> Tables:
        return Tables(self._tables)

    def kind(self, name: str) -> str:
        return "stable" if name in self._foreign else super().kind(name)

    def is_settled(self, name: str, before: int) -> bool:
        return name in self._foreign or super().is_settled(name, before)

    def is_of_project(self, source: str) -> bool:
        place = self._root / source.partition(".")[0]
        return place.exists() or place.with_suffix(".py").exists()

    def module_called(self, name: str) -> LibraryModule | None:
        if not self.is_of_project(name):
            return super().module_called(name)
        place = self._root.joinpath(*name.split("."))
        for file in (place.with_suffix(".py"), place / "__init__.py"):
            tree = self.tree if file == self.path.absolute() else self.read(file) if file.is_file() else None
            if tree is not None:
                return ReadModule(name, file, "", tree)
        return None

    def called(self, tree: ast.Module) -> str:
        """What a module of the project is called from the folder that its packages lie in; '' for one without place."""
        file = self.path if tree is self.tree else self.places.get(id(tree))
        if file is None or self._root not in file.absolute().parents:
            return ""
        parts = file.absolute().relative_to(self._root).with_suffix("").parts
        return ".".join(parts[:-1] if parts[-1] == "__init__" else parts)

    def stands_for(self, e: ast.expr) -> str:
        if isinstance(e, ast.Name) and e.id in self._foreign:
            return self._foreign_sources[e.id]
        return super().stands_for(e)

    def _note_neighbours(self) -> None:
        """What is imported from beside this file comes from a module of the project, as it is called from outside."""
        for name, source in self._from_beside(self.tree, self.path):
            self._note_source(name, source)

    def _from_beside(self, tree: ast.Module, path: Path) -> Iterator[tuple[str, str]]:
        for s in tree.body:
            place = place_of(s, path) if isinstance(s, ast.ImportFrom) and s.level else None
            if isinstance(s, ast.ImportFrom) and place is not None and self._root in place.parents:
                module = ".".join(place.relative_to(self._root).parts)
                yield from ((alias.asname or alias.name, f"{module}.{alias.name}") for alias in s.names)

    def _source_in(self, theirs: ModuleNames, name: str) -> str:
        """Where what another file of the project calls so comes from."""
        source = theirs.stands_for(ast.Name(name, ast.Load()))
        path = self.places.get(id(theirs.tree))
        if source or path is None or not theirs.is_bound_once(name):
            return source
        return dict(self._from_beside(theirs.tree, path)).get(name, "")

    def _link(self, s: ast.ImportFrom, path: Path, read: Reader) -> None:
        file = file_of(s, path) or package_of(s, path)
        tree = read(file) if file is not None else None
        for alias in s.names:
            inner = file_of(ast.ImportFrom(".".join(filter(None, (s.module, alias.name))), [], s.level), path)
            if inner is not None and (tree is None or not _names_of(tree).may_bind(alias.name)):
                self._link_module(alias.asname or alias.name, alias.name, inner, read)
        if file is None or tree is None:
            return
        theirs = _names_of(tree)
        self.trees.append(tree)
        self.places[id(tree)] = file
        module = (s.module or file.stem).split(".")[-1]
        for alias in s.names:
            mine = alias.asname or alias.name
            if alias.name == "*" or not super().is_settled(mine, s.lineno + 1):
                continue
            self._import(theirs, module, alias.name, mine)

    def match(self, other: "LinkedNames") -> None:
        """What the other version imports, too, and cannot be looked into there, is not looked into here."""
        for found in (self._aliases, self._modules):
            for name in [n for n in found if other.kind(n) == "stable" and n not in other._aliases | other._modules]:
                del found[name]
        for name in [n for n in self._imported if other.kind(n) == "stable" and n not in other._imported]:
            self._tables.pop(name, None)

    def _put_on_others(self, tree: ast.Module, path: Path) -> Iterator[str]:
        """The names that files which are imported put on others: what stands there is not what they are (`ANY`)."""
        for s in tree.body:
            match s:
                case ast.Import(names=names):
                    asked = [ast.ImportFrom(alias.name, [], 0) for alias in names]
                case ast.ImportFrom(module=module, names=names, level=level):
                    inner = (".".join(filter(None, (module, alias.name))) for alias in names)
                    asked = [s, *(ast.ImportFrom(whole, [], level) for whole in inner)]
                case _:
                    continue
            for file in filter(None, (file_of(one, path) or package_of(one, path) for one in asked)):
                read = self.read(file)
                yield from put_on_modules(read) if read is not None else ()

    def _is_put(self, name: str) -> bool:
        return name in self._put or ANY in self._put

    def _import(self, theirs: ModuleNames, module: str, name: str, mine: str) -> None:
        """`name` of the other module is called `mine` here: both are one thing."""
        table = theirs.tables.get(name)
        if self._is_put(name):
            return
        if table is not None:
            if not changed_in(self.tree, {mine: table}):
                self._imported.add(mine)
                self._take(theirs, module, name, mine)
        elif name in theirs.definitions and theirs.kind(name) == "stable":
            self._aliases[mine] = f"{module}.{name}"
            self._foreign_name(theirs, module, name)

    def _foreign_name(self, theirs: ModuleNames, module: str, name: str) -> str:
        foreign = f"{module}.{name}"
        if foreign not in self._foreign:
            self._foreign.add(foreign)
            self._foreign_sources[foreign] = self._source_in(theirs, name)
            self._wanted.append((theirs, module, name))
        return foreign

    def _take_all(self) -> None:
        """What is imported here, then what that reads, and so on: the nearest first, bases before the rest."""
        while self._wanted:
            at = next((i for i, one in enumerate(self._wanted) if one[1:] in self._bases), 0)
            theirs, module, name = self._wanted.pop(at)
            self._take(theirs, module, name, f"{module}.{name}")

    def _imports_what_is_made(self, name: str) -> bool:
        source = self._imports_in(self.tree).get(name, "")
        return not source or self._is_put(name) or self._may_be_made_at(source, set())

    def _may_be_made_at(self, source: str, seen: set[str]) -> bool:
        """Whether `module.name` may be an object that code of the project has made, wherever it comes from in turn."""
        module, _, name = source.rpartition(".")
        if not self.is_of_project(source):
            return False
        whole = self.module_called(source)
        if not module:
            return whole is None or puts_modules(whole.tree)
        found = self.module_called(module) if source not in seen else None
        if found is None:
            return True
        seen.add(source)
        self._homes[id(found.tree)] = found
        theirs = _names_of(found.tree)
        if not theirs.may_bind(name):
            return whole is None or puts_modules(whole.tree)
        if theirs.tables.get(name) is not None:
            return False
        definition = theirs.definitions.get(name)
        if definition is not None:
            return theirs.is_remade(definition, self.is_of_project)
        further = self._imports_in(found.tree).get(name, "") if theirs.is_imported(name) else ""
        return not further or self._may_be_made_at(further, seen)

    def _defined_elsewhere(self, e: ast.AST, home: ast.Module) -> list[Place]:
        """The functions, classes and values of other files of the project that an expression names."""
        of = e.value if isinstance(e, ast.Attribute) else e
        source = self._imports_in(home).get(of.id, "") if isinstance(of, ast.Name) else ""
        whole = f"{source}.{e.attr}" if source and isinstance(e, ast.Attribute) else source
        return list(self._standing(whole, set())) if whole else []

    def _standing(self, source: str, seen: set[str]) -> Iterator[Place]:
        """What `module.name` stands for, wherever it was imported from in turn."""
        module, _, name = source.rpartition(".")
        if module in ("weakref", "gc"):
            yield ast.Name("weakref", ast.Load()), self.tree
        found = self.module_called(module) if module and source not in seen and self.is_of_project(source) else None
        if found is None:
            return
        seen.add(source)
        self._homes[id(found.tree)] = found
        yield from ((value, found.tree) for value in named_in(found.tree).get(name, ()))
        imports = self._imports_in(found.tree)
        stars = (n for n in found.tree.body if isinstance(n, ast.ImportFrom) and n.names[0].name == "*")
        further = [f"{found.absolute(n.module, n.level)}.{name}" for n in stars]
        for other in [*further, *([imports[name]] if name in imports else [])]:
            yield from self._standing(other, seen)

    def _look_where_made(self) -> None:
        """What is imported by way of other files is looked at where it is made, and so is what makes it."""
        known, seen = {id(self.tree), *map(id, self.trees)}, set[str]()
        imports = self._imports_in(self.tree)
        pending = [imports[alias.asname or alias.name] for s in self.tree.body if isinstance(s, ast.ImportFrom)
                   for alias in s.names if (alias.asname or alias.name) in imports]  # fmt: skip
        while pending and len(known) < _MOST_TAKEN:
            source = pending.pop(0)
            for value, tree in self._standing(source, set()) if source not in seen else ():
                if id(tree) not in known:
                    known.add(id(tree))
                    self.trees.append(tree)
                    self.places[id(tree)] = self._homes[id(tree)].file
                if isinstance(value, ast.expr):
                    pending += filter(None, (self._imports_in(tree).get(getattr(n, "id", "")) for n in walk(value)))
            seen.add(source)

    def _imports_in(self, tree: ast.Module) -> dict[str, str]:
        """Where what a file imports comes from, wherever in it that is done."""
        if id(tree) not in self._imports:
            called = self.called(tree)
            home = self._homes.get(id(tree)) or (self.module_called(called) if called else None)
            found: dict[str, str] = {}
            for n in every_node(tree):
                match n:
                    case ast.Import(names=names):
                        whole = ((a.asname, a.name, a.name.partition(".")[0]) for a in names)
                        found |= {mine or root: name if mine else root for mine, name, root in whole}
                    case ast.ImportFrom(module=of, names=names, level=level) if home is not None or not level:
                        module = home.absolute(of, level) if home is not None else of or ""
                        found |= {a.asname or a.name: f"{module}.{a.name}" for a in names}
            self._imports[id(tree)] = found
        return self._imports[id(tree)]

    def canonical(self, name: str) -> str:
        return self._aliases.get(name, name)

    def _link_modules(self, s: ast.Import, path: Path, read: Reader) -> None:
        for alias in s.names:
            mine = alias.asname or alias.name
            file = file_of(ast.ImportFrom(alias.name, [], 0), path)
            if file is not None and "." not in mine:
                self._link_module(mine, alias.name.split(".")[-1], file, read)

    def _link_module(self, mine: str, name: str, file: Path, read: Reader) -> None:
        tree = read(file)
        if tree is not None and super().kind(mine) == "stable":
            self.trees.append(tree)
            self.places[id(tree)] = file
            self._modules[mine] = _names_of(tree), name

    def of_module(self, name: str, attribute: str) -> str:
        """`gate.admit` as a name, when `name` is a module beside this one that defines it."""
        theirs, module = self._modules.get(name, (None, ""))
        known = theirs is not None and attribute in theirs.definitions and theirs.kind(attribute) == "stable"
        if theirs is None or not known or self._is_put(attribute):
            return ""
        foreign = self._foreign_name(theirs, module, attribute)
        self._take_all()
        return foreign

    def _take(self, theirs: ModuleNames, module: str, name: str, mine: str) -> None:
        """`name` of the other module is `mine` here, and so on for all that it reads there."""
        self._taken += 1
        if self._taken > _MOST_TAKEN:
            return
        if theirs.tables.get(name) is not None:
            table = theirs.tables.get(name)
            assert table is not None
            renamed = self._renamed(table, theirs, module, mine)
            assert isinstance(renamed, ast.expr)
            self._tables[mine] = renamed
        definition = theirs.definitions.get(name)
        if (
            not isinstance(definition, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef)
            or mine in self.definitions
        ):
            return
        if isinstance(definition, ast.ClassDef):
            self._bases |= {(module, n.id) for b in definition.bases for n in walk(b) if isinstance(n, ast.Name)}
        made = self._renamed(definition, theirs, module, mine)
        assert isinstance(made, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef)
        made.name = mine
        self.originals[id(made)] = definition
        self.definitions[mine] = made

    def _renamed(self, node: ast.AST, theirs: ModuleNames, module: str, mine: str) -> ast.AST:
        known = _renamed.setdefault(theirs, {})
        if (node, module, mine) not in known:
            renaming = ForeignNames(theirs, module)
            known[node, module, mine] = renaming.visit(copied(node)), frozenset(renaming.met)
        made, met = known[node, module, mine]
        for name in sorted(name for name in met if not self._is_put(name)):
            self._foreign_name(theirs, module, name)
        return made
