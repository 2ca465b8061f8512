"""What a name means at the top of a module."""

import ast
import builtins
from collections.abc import Callable
from copy import copy
from functools import cached_property

from dreck.model.names.bindings import bind_one_package, bindings_of, bound_by, statements_of
from dreck.model.names.frames import sensitive_names
from dreck.model.names.lives import (
    Place,
    comes_to_watchers,
    has_the_last_word,
    speaking_generators,
    speaks_when_let_go,
    tells_of_deaths,
)
from dreck.model.names.nodes import every_node, once_per_tree
from dreck.model.names.reaching import replaced_later
from dreck.model.names.tables import Tables, tables_in
from dreck.model.names.type_aliases import aliased
from dreck.source.libraries import LibraryModule, library_module

_BUILTINS = frozenset(dir(builtins))
_MADE_BY_IMPORT = frozenset({"__name__", "__file__", "__doc__", "__spec__", "__package__"})


class ModuleNames:
    """What a name means at the top of a module: `stable`, `varying`, or `unknown`.

    Stable names are functions, classes, imports, builtins and constants in capitals that are bound once, before
    any function of the module runs. Varying names surely have a value, which may be another one later. Unknown
    names may not exist at all. Only what is bound once, at the very top, is ever looked into.
    """

    def __init__(self, tree: ast.Module) -> None:
        self.tree = tree
        self.trees: list[ast.Module] = []
        self.others: tuple[ast.Module, ...] = ()
        """Files that have classes below those of this one, where these are looked at, too."""
        self.takes_lives_as_plain = False
        self.forgets_lives = False
        self._with_plain_lives: ModuleNames | None = None
        self._original: ModuleNames | None = None
        self._watched: dict[ast.AST, bool] = {}
        self._bindings = bindings_of(tree)
        self.definitions: dict[str, ast.stmt] = {}
        self._sources: dict[str, str] = {}
        for s in tree.body:
            match s:
                case ast.FunctionDef(name=name) | ast.AsyncFunctionDef(name=name) | ast.ClassDef(name=name):
                    if self.is_bound_once(name):
                        self.definitions[name] = s
                case ast.ImportFrom(module=str() as module, names=names, level=0):
                    for alias in names:
                        self._note_source(alias.asname or alias.name, f"{module}.{alias.name}")
                case ast.Import(names=names):
                    for alias in names:
                        root = alias.name.partition(".")[0]
                        self._note_source(alias.asname or root, alias.name if alias.asname else root)

    def _note_source(self, name: str, source: str) -> None:
        if self.is_bound_once(name):
            self._sources[name] = source

    @cached_property
    def tables(self) -> Tables:
        """The constants of the module that nothing in it changes."""
        return tables_in(self.tree, self.is_bound_once, self.stands_for)

    @cached_property
    def frame_readers(self) -> frozenset[str]:
        """Functions and methods of the module that ask who calls them, by name."""
        return sensitive_names(every_node(self.tree))

    @cached_property
    def replaced(self) -> frozenset[str]:
        """Functions and methods of the module in whose place one of its functions may put another, by name."""
        return replaced_later(self.tree)

    @cached_property
    def tells_of_deaths(self) -> bool:
        """Whether what this module and those looked into beside it do may depend on when an object dies."""
        return any(map(tells_of_deaths, (self.tree, *self.trees)))

    def lives_count_in(self, function: ast.AST) -> bool:
        """Whether it may matter in a function how long its variables keep their objects."""
        if self.forgets_lives:
            return False
        told = self._comes_to_watchers(function) if self.takes_lives_as_plain else self.tells_of_deaths
        return told or speaks_when_let_go(function, self._generators, self.is_builtin("open"))

    def with_plain_lives(self) -> "ModuleNames":
        """The same names where nothing watches the objects that a function holds but what it leads to by its words."""
        if self.takes_lives_as_plain or not self.tells_of_deaths:
            return self
        if self._with_plain_lives is None:
            self._with_plain_lives = self._for_lives()
            self._with_plain_lives.takes_lives_as_plain = True
        return self._with_plain_lives

    def without_lives(self) -> "ModuleNames":
        """The same names where it never matters: to say what a proof has failed for, never to prove."""
        forgetful = self._for_lives()
        forgetful.forgets_lives = True
        return forgetful

    def _for_lives(self) -> "ModuleNames":
        made = copy(self)
        made._original = self.original
        return made

    @property
    def original(self) -> "ModuleNames":
        """The same names as they were read: all but lifetimes is known of these once."""
        return self._original or self

    def _comes_to_watchers(self, function: ast.AST) -> bool:
        if function not in self._watched:
            loud = has_the_last_word(self.tree)
            self._watched[function] = loud or comes_to_watchers(function, self.tree, self._defined_elsewhere)
        return self._watched[function]

    def _defined_elsewhere(self, e: ast.AST, home: ast.Module) -> list[Place]:
        """What an expression of a file names that stands in another one."""
        return []

    @cached_property
    def _generators(self) -> frozenset[str]:
        return frozenset().union(*map(speaking_generators, (self.tree, *self.trees)))

    def canonical(self, name: str) -> str:
        """What an imported name is called wherever it is looked into."""
        return name

    def of_module(self, name: str, attribute: str) -> str:
        """What `name.attribute` is called when `name` is a module that is looked into; '' when it is not."""
        return ""

    def kind(self, name: str) -> str:
        found = self._bindings
        statements = found.of.get(name, [])
        if not statements and name not in found.rebound:
            if name in _BUILTINS or name == "__debug__":
                return "varying" if found.stars or found.dynamic else "stable"
            return "varying" if name in _MADE_BY_IMPORT else "unknown"
        if name not in found.surely:
            return "unknown"
        if not self.is_bound_once(name):
            return "varying"
        plain = isinstance(statements[0], ast.Assign | ast.AnnAssign | ast.AugAssign)
        return "stable" if not plain or name.isupper() else "varying"

    def may_be_bound(self, name: str) -> bool:
        """Whether `name` may have a meaning once the module is there; if not, reading it raises `NameError`."""
        found = self._bindings
        if name in _taken_away(self.tree):
            return False
        return bool(found.of.get(name) or name in found.rebound or found.stars or found.dynamic or "." in name)

    def is_bound_once(self, name: str) -> bool:
        """Whether one statement, at the very top of the module, gives `name` its one meaning; imports of one package
        and of its modules give it the same.
        """
        found = self._bindings
        statements = found.of.get(name, [])
        if not statements or name in found.rebound or found.dynamic or name not in found.surely:
            return False
        if len(statements) > 1 and not bind_one_package(name, statements):
            return False
        return all(line < statements[0].lineno for line in found.stars) and all(s in self._top for s in statements)

    @cached_property
    def _top(self) -> frozenset[ast.stmt]:
        return frozenset(self.tree.body)

    @cached_property
    def bound_in_classes(self) -> frozenset[str]:
        """Names that the body of a class binds, or a type parameter has: there they mean something else."""
        found = set[str]()
        for node in every_node(self.tree):
            if isinstance(node, ast.ClassDef):
                found |= {name for s in statements_of(node.body) for name in bound_by(s)}
        return frozenset(found) | self.type_parameters

    @property
    def type_parameters(self) -> frozenset[str]:
        """What type parameters of definitions in the module are called, wherever they stand."""
        return self._bindings.parameters

    def stands_for_type(self, name: str) -> ast.expr | None:
        """The type that a name of the module stands for, as it is written where it is bound."""
        return aliased(self._bindings.of[name][0], self.stands_for) if self.is_bound_once(name) else None

    def may_bind(self, name: str) -> bool:
        """Whether the module may have something under a name, however it comes to be there."""
        found = self._bindings
        unseen = found.stars or found.dynamic or "__getattr__" in found.of
        return bool(unseen) or name in found.of or name in found.rebound

    def is_imported(self, name: str) -> bool:
        """Whether one import at the very top gives `name` its one meaning."""
        return self.is_bound_once(name) and isinstance(self._bindings.of[name][0], ast.Import | ast.ImportFrom)

    def may_be_made(self, name: str) -> bool:
        """Whether a name of the module may mean an object that code of the project has made.

        It does not where it surely is a function, a class, a module, a builtin or something of a library. What a
        decorator of the project gives back may be anything.
        """
        definition = self.definitions.get(name)
        if definition is not None:
            return self.is_remade(definition, self.is_of_project)
        if self.is_builtin(name):
            return False
        return not self.is_imported(name) or self._imports_what_is_made(name)

    def is_remade(self, definition: ast.stmt, of_project: Callable[[str], bool]) -> bool:
        """Whether a decorator may have made an object of the project of a function or a class: it is of the project,
        as `of_project` tells by where it comes from, or is handed something that may be (`partial(Box)`)."""
        for decorator in getattr(definition, "decorator_list", []):
            source = self.stands_for(decorator.func if isinstance(decorator, ast.Call) else decorator)
            if not source or of_project(source):
                return True
            if isinstance(decorator, ast.Call) and source != "functools.wraps":
                given = [*decorator.args, *(k.value for k in decorator.keywords)]
                if not all(isinstance(e, ast.Constant) for e in given):
                    return True
        return False

    def _imports_what_is_made(self, name: str) -> bool:
        """Whether what is imported under a name may be an object that code of the project has made."""
        return False

    def is_settled(self, name: str, before: int) -> bool:
        """Whether `name` means at line `before` of the module what it means ever after."""
        if self.is_builtin(name):
            return True
        return self.is_bound_once(name) and self._bindings.of[name][0].lineno < before

    def is_builtin(self, name: str) -> bool:
        """Whether `name` surely means the builtin of that name."""
        found = self._bindings
        hidden = found.stars or found.dynamic or name in found.of or name in found.rebound
        return name in _BUILTINS and not hidden

    def is_of_project(self, source: str) -> bool:
        """Whether what is imported as `module.name` may come from a file that lies with this one."""
        return False

    def module_called(self, name: str) -> LibraryModule | None:
        """The module of that name: of the project where it has one, else of the library; None where none is read."""
        return library_module(name)

    def called(self, tree: ast.Module) -> str:
        """What a module is called by those that import it; '' where nobody can tell."""
        return ""

    def stands_for(self, e: ast.expr) -> str:
        """The thing of the standard library that an expression surely names: `enum.Enum`, `builtins.property`.

        '' for everything else, also for names of the module itself.
        """
        match e:
            case ast.Name(id=name):
                return f"builtins.{name}" if self.is_builtin(name) else self._sources.get(name, "")
            case ast.Attribute(value=value, attr=attr):
                of = self.stands_for(value)
                return f"{of}.{attr}" if of and not of.startswith("builtins.") else ""
        return ""


@once_per_tree
def _taken_away(tree: ast.Module) -> frozenset[str]:
    """The names that a `del` somewhere in a module takes away."""
    return frozenset(n.id for n in every_node(tree) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Del))
