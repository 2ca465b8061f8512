"""The scene: a whole module as a step sees it that reaches beyond one function, and what it plans there."""

import ast
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from pathlib import Path
from typing import Any

from dreck.model.names.modules import ModuleNames
from dreck.model.names.scopes import FunctionScope, scope_of
from dreck.model.views.spelling import normal
from dreck.source.functions import Function, FunctionNode, functions_in, parse
from dreck.source.walking import walk
from dreck.steps.support.sheet import Sheet


@dataclass(frozen=True, slots=True)
class Wishes:
    """What a person asks for beside the step: names by the code they are for, the form of a predicate, a file."""

    names: Mapping[str, str] = field(default_factory=dict)
    form: str = ""
    discriminant: str = ""
    table_file: str = ""
    inline_callers: bool = False
    """A function that only hands on to a method goes, and its callers call the method."""
    raising: str = ""
    """What a silent default becomes: an error, as code."""
    kinds: tuple[str, ...] = ()
    """The classes of a family: only objects of these come."""
    alone: str = ""
    """The name for the one thing that a step makes."""
    lines: tuple[int, int] | None = None
    """Only these lines are meant."""
    settings: Mapping[str, str] = field(default_factory=dict)
    """What a person has set of what the step declares."""
    only_asked: bool = False
    """Where nobody names the family: only objects of the classes that a switch asks for come."""
    only_named: bool = False
    """Conditions and values are named on the command line: others are left."""

    def name_for(self, code: str) -> str:
        """The name wished for a piece of code, however it is spaced or spelt; '' when there is none."""
        wanted = _plain(code)
        exact = next((name for had, name in self.names.items() if _plain(had) == wanted), "")
        if exact or not self.names:
            return exact
        form = normal(code)
        return next((name for had, name in self.names.items() if form is not None and normal(had) == form), "")


def _plain(code: str) -> str:
    try:
        return ast.dump(ast.parse(code.strip(), mode="eval"))
    except (SyntaxError, ValueError):
        return code.strip()


@dataclass
class Scene:
    """One module and the function meant in it. `others` are further files of the project, read when asked for."""

    path: Path
    text: str
    tree: ast.Module
    functions: list[Function]
    function: Function
    wishes: Wishes = Wishes()
    line_length: int = 88
    others: "Others | None" = None
    in_order: bool = False
    """What is compared here is taken to have an order: `not a < b` is `a >= b`."""
    _found: dict[Any, Any] = field(default_factory=dict, repr=False)

    def once(self, key: Any, find: Callable[[], Any]) -> Any:
        """What `find` gives, found once for this scene."""
        if key not in self._found:
            self._found[key] = find()
        return self._found[key]

    def sheet(self) -> Sheet:
        return Sheet(self.text)

    def with_text(self, text: str) -> "Scene":
        """The scene as it is once the module reads otherwise; nothing that was found in the old text is kept."""
        tree = parse(text, self.path)
        functions = functions_in(tree, text)
        function = next(f for f in functions if f.name == self.function.name)
        return replace(self, text=text, tree=tree, functions=functions, function=function, _found={})

    @property
    def node(self) -> FunctionNode:
        return self.function.node

    @cached_property
    def names(self) -> ModuleNames:
        return ModuleNames(self.tree)

    @cached_property
    def scope(self) -> FunctionScope:
        return scope_of(self.node)

    @cached_property
    def outermost(self) -> ast.stmt:
        """The statement at the top of the module that holds the function."""
        return next(s for s in self.tree.body if s.lineno <= self.node.lineno <= (s.end_lineno or s.lineno))

    @cached_property
    def owner(self) -> ast.ClassDef | None:
        return self.function.owner

    def all_words(self) -> set[str]:
        """Every identifier of the module, and those other modules import from it or use with it."""
        return set(self.once("all words", self._all_words))

    def _all_words(self) -> set[str]:
        words: set[str] = set()
        for node in walk(self.tree):
            match node:
                case ast.Name(id=word) | ast.Attribute(attr=word) | ast.arg(arg=word) | ast.keyword(arg=str() as word):
                    words.add(word)
                case ast.FunctionDef(name=word) | ast.AsyncFunctionDef(name=word) | ast.ClassDef(name=word):
                    words.add(word)
                case ast.alias():
                    words.add((node.asname or node.name).split(".")[0])
                case ast.Global(names=several) | ast.Nonlocal(names=several):
                    words.update(several)
                case ast.ExceptHandler(name=str() as word) | ast.MatchAs(name=str() as word):
                    words.add(word)
        return words | (self.others.words_beside(self.path) if self.others is not None else set())


class Others:
    """The other Python files of a project; read once, and parsed only when they name the module."""

    def __init__(self, files: list[Path]) -> None:
        self.files = files
        self._beside: dict[Path, frozenset[str]] = {}
        self._importing: dict[Path, list[tuple[Path, str, ast.Module]]] = {}

    def importing(self, path: Path) -> list[tuple[Path, str, ast.Module]]:
        """The files that import the module at `path`, with their text and tree."""
        if path not in self._importing:
            stem = path.stem if path.stem != "__init__" else path.parent.name
            found = ((file, _read(file, stem)) for file in self.files if file.resolve() != path.resolve())
            self._importing[path] = [
                (file, *read) for file, read in found if read and any(_imports(s, stem) for s in walk(read[1]))
            ]
        return self._importing[path]

    def saying(self, path: Path, word: str) -> list[tuple[Path, str, ast.Module]]:
        """The files that import the module at `path`, and those that import `word` from wherever it is handed on."""
        found = {file: (file, text, tree) for file, text, tree in self.importing(path)}
        for file in self.files:
            read = _read(file, word) if file not in found and file.resolve() != path.resolve() else None
            if read is not None and any(_imports_name(s, word) for s in walk(read[1])):
                found[file] = (file, *read)
        return list(found.values())

    def reached_from(self, path: Path, tree: ast.Module, word: str) -> dict[Path, ast.Module]:
        """Those that `saying` gives, and the files that they and the module at `path` import in turn: what is made of
        `word` may come there."""
        users = self.saying(path, word)
        found = {file: there for file, _, there in users}
        pending = [tree, *found.values()]
        by_name: dict[str, list[Path]] = {}
        for file in self.files:
            by_name.setdefault(file.stem if file.stem != "__init__" else file.parent.name, []).append(file)
        while pending:
            words = {word for s in walk(pending.pop()) for word in _imported(s)}
            for file in (f for word in words for f in by_name.get(word, ()) if f not in found):
                read = _read(file, "") if file.resolve() != path.resolve() else None
                if read is not None:
                    found[file] = read[1]
                    pending.append(read[1])
        return found

    def words_beside(self, path: Path) -> frozenset[str]:
        """Names that modules importing this one define or use: a new name must not meet them."""
        if path not in self._beside:
            words: set[str] = set()
            for _, _, tree in self.importing(path):
                words |= {n.id for n in walk(tree) if isinstance(n, ast.Name)}
                words |= {n.attr for n in walk(tree) if isinstance(n, ast.Attribute)}
                words |= {n.name for n in walk(tree) if isinstance(n, ast.FunctionDef | ast.ClassDef)}
            self._beside[path] = frozenset(words)
        return self._beside[path]


def _read(file: Path, word: str) -> tuple[str, ast.Module] | None:
    """A file's text and tree, when the text has `word` in it and is Python."""
    from dreck.errors import DreckError
    from dreck.source.files import read
    from dreck.source.functions import parse

    try:
        text = read(file).text
        return (text, parse(text, file)) if word in text else None
    except DreckError:
        return None


def _imported(s: ast.AST) -> Iterator[str]:
    """The last words of what an import may lead to."""
    match s:
        case ast.Import(names=names):
            yield from (alias.name.rpartition(".")[2] for alias in names)
        case ast.ImportFrom(module=module, names=names):
            yield from ((module or "").rpartition(".")[2], *(alias.name for alias in names))


def _imports_name(s: ast.AST, word: str) -> bool:
    """`from yard import Load`, `from yard import *`, or `yard.Load` of what is imported."""
    match s:
        case ast.ImportFrom(names=names):
            return any(alias.name in (word, "*") for alias in names)
        case ast.Attribute(attr=attr):
            return attr == word
    return False


def _imports(s: ast.AST, stem: str) -> bool:
    match s:
        case ast.Import(names=names):
            return any(alias.name.split(".")[-1] == stem for alias in names)
        case ast.ImportFrom(module=module, names=names):
            return (module or "").split(".")[-1] == stem or any(alias.name == stem for alias in names)
    return False


@dataclass(frozen=True, slots=True)
class Known:
    """What a person says of a parameter, or of what a loop or an assignment binds: only these classes come."""

    name: str
    kinds: tuple[str, ...]
    is_parameter: bool = True
    exact: bool = False


@dataclass(frozen=True, slots=True)
class Plan:
    """One way of carrying out a step: the module as it would be, and why.

    `made` are the names it makes, `note` what should be said of them; `others` the texts of other files that
    change with it; `removed` functions that are no more. With `only_if_proved`, a trial is not evidence enough.
    `family` is a class whose kinds become subclasses: the judge has to see through that.
    """

    line: int
    reason: str
    text: str
    made: tuple[str, ...] = ()
    note: str = ""
    others: Mapping[Path, str] = field(default_factory=dict)
    removed: tuple[str, ...] = ()
    only_if_proved: bool = False
    family: str = ""
    known: Known | None = None
    remedy: str = ""
    """What a person can do where an input shows a difference."""
    on_purpose: str = ""
    """The statement that what is changed on purpose becomes; all else has to stay. `expect`: where that is to be."""
    expect: str = ""
    last: int = 0
    """The last line that it speaks of, where that is not the end of the statement at `line`."""


@dataclass(frozen=True, slots=True)
class NotPlanned:
    """A place where the step was looked for and is better not taken, with the reason.

    `unnamed` is the code for which nothing is missing but a name.
    """

    line: int
    reason: str
    unnamed: str = ""
