"""A private method of a class with bases elsewhere, looked at once more by the texts alone.

Classes are held together by the last part of their names only, so that a few more are asked than need be: everything
in them, and in the modules of the bases, must be silent about the method.
"""

import ast
import builtins
import sys
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from importlib import import_module

from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node, once_per_tree
from dreck.proof.checking.texts.binding import bound_at, bound_in
from dreck.source.functions import FunctionNode
from dreck.source.libraries import LibraryModule, ReadModule, is_compiled, library_module
from dreck.source.walking import walk

_FORBIDDEN = frozenset({"__getattribute__", "__init_subclass__", "__mro_entries__", "__class__"})
_PLAIN_DECORATORS = frozenset({"dataclass", "total_ordering", "final", "runtime_checkable", "unique"})
_SETTLED = frozenset({"object", "Generic", "Protocol", "ABC"})
_ONLY_NOTING = frozenset({"unittest.case.TestCase"})
_TYPING = frozenset({"typing", "abc", "builtins"})


def sole_method(names: ModuleNames, kind: str, name: str, decorated: str = "") -> FunctionNode | None:
    """The only function of that name in all the files, if it stands in the class `kind` and nothing else has a say.

    `decorated`: by the last word of what; by nothing where it is ''.
    """
    trees = (names.tree, *names.trees)
    written = [n for tree in trees for n in every_node(tree) if isinstance(n, ast.FunctionDef | ast.AsyncFunctionDef)]
    written = [n for n in written if n.name == name]
    homes = [n for n in names.tree.body if isinstance(n, ast.ClassDef) and n.name == kind]
    if len(written) != 1 or len(homes) != 1 or written[0] not in homes[0].body:
        return None
    if list(map(_last, written[0].decorator_list)) != ([decorated] if decorated else []):
        return None
    classes = [(n, tree) for tree in trees for n in every_node(tree) if isinstance(n, ast.ClassDef)]
    common = _SETTLED - {n.name for n, _ in classes}  # what derives from these is of no one family
    kin, bases, grown = {kind}, list[tuple[ast.expr, ast.Module]](), True
    while grown:
        near = [(n, t) for n, t in classes if n.name in kin or kin & set(map(_last, n.bases))]
        bases = [(b, tree) for n, tree in near for b in n.bases]
        more = {n.name for n, _ in near} | {_last(b) for b, _ in bases} - common
        grown, kin = not more <= kin, kin | more
    if not all(_is_silent_class(n) and _has_plain_body(n) for n, _ in classes if n.name in kin):
        return None
    set_somewhere = {name for t in trees for name in _attributes_set(t)}
    if set_somewhere & (_FORBIDDEN | {part for base, _ in bases for part in _parts(base)}):
        return None  # another class, or another way of reading, may be in place of what is seen here
    known = {n.name for n, _ in classes}
    asked = _Libraries(name, names.module_called)
    for base, tree in bases:
        sources = set(_imported(base, tree, _place_of(names, tree)))
        if _is_bound_otherwise(base, tree):
            return None
        if _last(base) not in known and not sources and not asked.is_builtin(base):
            return None
        seen = _last(base) in known  # then it is among the classes that were asked already
        if any(not (seen and names.is_of_project(s)) and not asked.is_silent(s) for s in sources):
            return None
    return written[0]


def _place_of(names: ModuleNames, tree: ast.Module) -> LibraryModule | None:
    """The file of a tree as a module of the project, from which its relative imports start."""
    called = names.called(tree)
    found = names.module_called(called) if called else None
    return ReadModule(called, found.file, "", tree) if found is not None else None


@dataclass(slots=True)
class _Libraries:
    """What is installed, and files of the project that were not looked into, asked for one word."""

    word: str
    find: Callable[[str], LibraryModule | None] = library_module
    asked: set[str] = field(default_factory=set)

    def is_builtin(self, base: ast.expr) -> bool:
        found = getattr(builtins, _last(base), None) if isinstance(base, ast.Name) else None
        return isinstance(found, type) and not hasattr(found, self.word)

    def is_silent(self, source: str) -> bool:
        if source in self.asked:
            return True
        self.asked.add(source)
        module, _, name = source.rpartition(".")
        if module in _TYPING and name in _SETTLED:
            return True
        text = self.find(module) if module else None
        if text is None and is_compiled(module):
            found = vars(import_module(module)).get(name)
            return type(found) is type and not hasattr(found, self.word)
        if text is None or text.says(self.word):
            return False
        if isinstance(text, ReadModule) and _FORBIDDEN & set(_attributes_set(text.tree)):
            return False
        written = [n for n in walk(text.tree) if isinstance(n, ast.ClassDef) and n.name == name]
        imported = set(_imported(ast.Name(name), text.tree, text))
        if not written and not imported:
            imported = {f"{star}.{name}" for star in _starred(text) if self._has(star, name)}
        imported = {source for source in imported if not self._is_absent(source)}
        noted = source in _ONLY_NOTING
        silent = all((noted or _is_silent_class(n)) and all(self._is_base(b, text) for b in n.bases) for n in written)
        return bool(written or imported) and silent and all(map(self.is_silent, imported))

    def _is_absent(self, source: str) -> bool:
        """Whether importing it fails: nothing in the module, which is there, says the name so as to bind it."""
        module, _, name = source.rpartition(".")
        text = self.find(module) if module else None
        if text is None or _starred(text):
            return False
        known = module.partition(".")[0] in sys.stdlib_module_names
        if not known and any(map(text.says, ("globals", "vars", "exec", "eval", "setattr", "modules", "__dict__"))):
            return False
        if text.file.stem == "__init__" and any(text.file.parent.glob(f"{name}*")):
            return False  # a module of the package
        bound = _bound(text.tree)
        return not bound[name] and not bound["__getattr__"]

    def _has(self, module: str, name: str, open_: tuple[str, ...] = ()) -> bool:
        text = self.find(module) if module not in open_ else None
        if text is None:
            return False
        return bool(_bound(text.tree)[name]) or any(self._has(m, name, (*open_, module)) for m in _starred(text))

    def _is_base(self, base: ast.expr, text: LibraryModule) -> bool:
        sources = set(_imported(base, text.tree, text))
        if isinstance(base, ast.Name) and any(
            isinstance(n, ast.ClassDef) and n.name == base.id for n in walk(text.tree)
        ):
            sources.add(f"{text.name}.{base.id}")
        return all(map(self.is_silent, sources)) if sources else self.is_builtin(base)


def _attributes_set(tree: ast.Module) -> Iterator[str]:
    return (n.attr for n in walk(tree) if isinstance(n, ast.Attribute) and not isinstance(n.ctx, ast.Load))


def _is_bound_otherwise(base: ast.expr, tree: ast.Module) -> bool:
    """Whether more than imports, or one class of the file, gives the first name of a base its meaning."""
    first = (_parts(base) or [""])[0]
    bound = _bound(tree)
    made = sum(isinstance(n, ast.ClassDef) and n.name == first for n in tree.body)
    return bool(bound["*"]) or bound[first] > max(len(list(_imported(ast.Name(first), tree, None))), min(made, 1))


@once_per_tree
def _bound(tree: ast.Module) -> Counter[str]:
    return Counter(bound_in(tree))


def _is_silent_class(node: ast.ClassDef) -> bool:
    """Whether a class leaves what its methods are to the statement itself, and to those that derive from it."""
    if any(_FORBIDDEN & {*_bound_by_body(s)} for s in node.body):
        return False
    told = {_last(d.func if isinstance(d, ast.Call) else d) for d in node.decorator_list}
    return told <= _PLAIN_DECORATORS and all(
        k.arg == "metaclass" and _last(k.value) == "ABCMeta" for k in node.keywords
    )


def _has_plain_body(node: ast.ClassDef) -> bool:
    """Whether a class body names what it binds: nothing in it asks for its names as a whole."""
    calls = (n for s in node.body for n in _within(s) if isinstance(n, ast.Call))
    return not any(_last(c.func) in _AS_A_WHOLE for c in calls)


_AS_A_WHOLE = frozenset(
    {"locals", "vars", "globals", "exec", "eval", "_getframe", "currentframe", "__import__", "import_module"}
)


def _within(s: ast.stmt) -> Iterator[ast.AST]:
    """What runs as part of a class body."""
    pending: list[ast.AST] = [s]
    while pending:
        n = pending.pop()
        yield n
        if isinstance(n, ast.FunctionDef | ast.AsyncFunctionDef):
            pending += [*n.decorator_list, *n.args.defaults, *filter(None, n.args.kw_defaults)]
        elif not isinstance(n, ast.Lambda):
            pending += ast.iter_child_nodes(n)


def _bound_by_body(s: ast.stmt) -> Iterator[str]:
    for n in _within(s):
        yield from bound_at(n)


def _imported(e: ast.expr, tree: ast.Module, text: LibraryModule | None) -> Iterator[str]:
    """All that the first name of an expression may be imported as anywhere in a file, the rest put behind it."""
    parts = _parts(e)
    for n, alias in _imports(tree).get(parts[0], ()) if parts else ():
        if isinstance(n, ast.Import):
            there = alias.name if alias.asname else alias.name.partition(".")[0]
        else:
            module = text.absolute(n.module, n.level) if text is not None else "" if n.level else n.module
            there = f"{module}.{alias.name}"
        yield ".".join([there, *parts[1:]])


@once_per_tree
def _imports(tree: ast.Module) -> dict[str, list[tuple[ast.Import | ast.ImportFrom, ast.alias]]]:
    """The imports anywhere in a file, by the name that they bind."""
    found: dict[str, list[tuple[ast.Import | ast.ImportFrom, ast.alias]]] = {}
    for n in every_node(tree):
        if not isinstance(n, ast.Import | ast.ImportFrom):
            continue
        for alias in n.names:
            whole = alias.name.partition(".")[0] if isinstance(n, ast.Import) else alias.name
            found.setdefault(alias.asname or whole, []).append((n, alias))
    return found


def _starred(text: LibraryModule) -> list[str]:
    stars = (n for n in text.tree.body if isinstance(n, ast.ImportFrom) and n.names[0].name == "*")
    return [text.absolute(n.module, n.level) for n in stars]


def _parts(e: ast.expr) -> list[str]:
    match e:
        case ast.Subscript(value=value):
            return _parts(value)
        case ast.Name(id=name):
            return [name]
        case ast.Attribute(value=value, attr=attr):
            before = _parts(value)
            return [*before, attr] if before else []
    return []


def _last(e: ast.expr) -> str:
    return (_parts(e) or [""])[-1]
