"""Bases from elsewhere, read where they lie: whether a class and all that it derives from leave a name alone.

Elsewhere is the library, and files of the project that are not looked into otherwise.

Nothing is imported but what has no text and is Python's own. What is not found, or not plain to read, does not leave
the name alone.
"""

import ast
import builtins
import sys
from collections.abc import Callable
from dataclasses import dataclass, field
from importlib import import_module

from dreck.model.names.bindings import bound_by, statements_of
from dreck.source.libraries import LibraryModule, ReadModule, is_compiled, library_module
from dreck.source.walking import walk

TAKING_PART = frozenset({"__getattribute__", "__init_subclass__", "__class__", "__mro_entries__"})
"""Names by which a class has a say in what the methods of those that derive from it are."""
KEEPING = frozenset({"dataclasses.dataclass", "functools.total_ordering", "typing.final", "typing.runtime_checkable"})
"""Decorators that give back the class they are given."""
_KNOWN = frozenset({"typing.Generic", "typing.Protocol", "abc.ABC", "builtins.object"})

_BINDING_ANYTHING = ("globals", "vars", "exec", "eval", "setattr", "modules", "__dict__", "locals")
_HARMLESS = frozenset({"unittest.case.TestCase"})
"""Classes that take part in making others, and only note something of their own there."""


@dataclass(slots=True)
class Elsewhere:
    """Asks for one name."""

    word: str
    find: Callable[[str], LibraryModule | None] = library_module
    _seen: set[str] = field(default_factory=set)

    def leaves_alone(self, source: str) -> bool:
        """Whether the class that is imported as `module.name` neither has the name nor says it, and takes no part."""
        if source in self._seen or source in _KNOWN:
            return True
        self._seen.add(source)
        module, _, name = source.rpartition(".")
        if not module:
            return False
        found = self.find(module)
        if found is None and (module == "builtins" or is_compiled(module)):
            return self._is_plain_type(getattr(import_module(module), name, None))
        if found is None or found.says(self.word) or self._may_put_others_there(found):
            return False
        bindings = _bindings(found, name)
        starred = self._starred(found, name) if not bindings else []
        if len(starred) == 1:
            return self.leaves_alone(f"{starred[0]}.{name}")
        binding = [s for s in bindings if not self._comes_to_nothing(found, s, name)]
        return bool(binding) and all(self._leads_to_plain(found, s, name) for s in binding)

    def _comes_to_nothing(self, module: LibraryModule, s: ast.stmt, name: str) -> bool:
        """Whether an import surely fails: the module is there, and has no such name (`from collections import Mapping`
        for a Python that is gone)."""
        if not isinstance(s, ast.ImportFrom):
            return False
        asked = next((a.name for a in s.names if (a.asname or a.name) == name), "")
        there = self.find(module.absolute(s.module, s.level))
        if there is None or self._starred(there, asked) or _bindings(there, "__getattr__"):
            return False
        if there.name.partition(".")[0] not in sys.stdlib_module_names and any(map(there.says, _BINDING_ANYTHING)):
            return False
        beside = there.file.stem == "__init__" and any(there.file.parent.glob(f"{asked}*"))
        return not beside and not _bindings(there, asked)

    def has(self, source: str) -> bool:
        """Whether the class surely has the name, itself or from one that it derives from."""
        module, _, name = source.rpartition(".")
        if source in self._seen or not module:
            return False
        self._seen.add(source)
        found = self.find(module)
        if found is None and (module == "builtins" or is_compiled(module)):
            return hasattr(getattr(import_module(module), name, None), self.word)
        if found is None:
            return False
        bindings = _bindings(found, name)
        if not bindings:
            return any(self.has(f"{star}.{name}") for star in self._starred(found, name))
        if len(bindings) > 1:
            return False
        match bindings[0]:
            case ast.ClassDef(body=body, bases=bases):
                bound = any(self.word in bound_by(s) for s in statements_of(body))
                return bound or any(self.has(_source(found, _opened(b))) for b in bases)
            case ast.ImportFrom():
                return self.has(_imported(found, bindings[0], name))
        return False

    def _starred(self, module: LibraryModule, name: str, open_: frozenset[str] = frozenset()) -> list[str]:
        """The modules of which everything is imported, and which have the name."""
        stars = [s for s in module.tree.body if isinstance(s, ast.ImportFrom) and s.names[0].name == "*"]
        found = [self.find(module.absolute(s.module, s.level)) for s in stars]
        shut = open_ | {module.name}
        others = [m for m in found if m is not None and m.name not in shut]
        return [m.name for m in others if _bindings(m, name) or self._starred(m, name, shut)]

    def _may_put_others_there(self, module: LibraryModule) -> bool:
        """Whether a file of the project sets what has a say in the methods of a class, whichever that is."""
        if not isinstance(module, ReadModule):
            return False
        told = (n for n in walk(module.tree) if isinstance(n, ast.Attribute) and not isinstance(n.ctx, ast.Load))
        return any(n.attr in TAKING_PART for n in told)

    def _is_plain_type(self, kind: object) -> bool:
        return isinstance(kind, type) and type(kind) is type and not hasattr(kind, self.word)

    def _leads_to_plain(self, module: LibraryModule, s: ast.stmt, name: str) -> bool:
        match s:
            case ast.ClassDef():
                return self._is_plain(module, s)
            case ast.ImportFrom(module=of, names=names, level=level):
                asked = next((a.name for a in names if (a.asname or a.name) == name), "")
                return self.leaves_alone(f"{module.absolute(of, level)}.{asked}")
            case ast.Assign(targets=[ast.Name()], value=value):
                return self._base(module, value)
        return False

    def _is_plain(self, module: LibraryModule, node: ast.ClassDef) -> bool:
        bound = {name for s in statements_of(node.body) for name in bound_by(s)}
        takes_part = bound & TAKING_PART and f"{module.name}.{node.name}" not in _HARMLESS
        if takes_part or any(map(asks_for_its_names, node.body)):
            return False
        if any(k.arg != "metaclass" or _source(module, k.value) != "abc.ABCMeta" for k in node.keywords):
            return False
        decorators = [d.func if isinstance(d, ast.Call) else d for d in node.decorator_list]
        return all(_source(module, d) in KEEPING for d in decorators) and all(self._base(module, b) for b in node.bases)

    def _base(self, module: LibraryModule, e: ast.expr) -> bool:
        return self.leaves_alone(_source(module, _opened(e)))


def _opened(e: ast.expr) -> ast.expr:
    """`Mapping` of `Mapping[str, int]`."""
    return e.value if isinstance(e, ast.Subscript) else e


def asks_for_its_names(s: ast.stmt) -> bool:
    """Whether a statement of a class body could bind names that nobody can read."""
    if isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
        return False
    words = ("locals", "vars", "globals", "exec", "eval", "_getframe", "currentframe", "__import__")
    called = (n.func for n in walk(s) if isinstance(n, ast.Call))
    return any((getattr(f, "id", "") or getattr(f, "attr", "")) in words for f in called)


def _bindings(module: LibraryModule, name: str) -> list[ast.stmt]:
    return [s for s in statements_of(module.tree.body) if name in bound_by(s)]


def _source(module: LibraryModule, e: ast.expr) -> str:
    """Where what an expression of a module names comes from, as `module.name`; '' when that is not plain."""
    match e:
        case ast.Name(id=name):
            bound = _bindings(module, name)
            if not bound:
                return f"builtins.{name}" if hasattr(builtins, name) else ""
            return _imported(module, bound[0], name) if len(bound) == 1 else f"{module.name}.{name}"
        case ast.Attribute(value=value, attr=attr):
            of = _source(module, value)
            return f"{of}.{attr}" if of else ""
    return ""


def _imported(module: LibraryModule, s: ast.stmt, name: str) -> str:
    match s:
        case ast.ImportFrom(module=of, names=names, level=level):
            asked = next((a.name for a in names if (a.asname or a.name) == name), "")
            return f"{module.absolute(of, level)}.{asked}"
        case ast.Import(names=names):
            return next((a.name if a.asname else name for a in names if (a.asname or a.name.split(".")[0]) == name), "")
    return f"{module.name}.{name}"
