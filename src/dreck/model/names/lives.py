"""Who can tell when an object dies: `__del__`, what is held weakly, generators with something to clear up, open files.

A local variable keeps its object until it is bound again or its function is left (data model, `object.__del__`).
"""

import ast
from collections.abc import Callable, Iterable
from functools import lru_cache

from dreck.model.names.nodes import every_node, once_per_tree
from dreck.source.walking import walk

_WATCHERS = frozenset({"weakref", "WeakKeyDictionary", "WeakValueDictionary", "WeakSet", "WeakMethod", "finalize",
                       "getrefcount", "get_referrers", "get_objects"})  # fmt: skip
_CLOSED_BY_DEATH = frozenset({"open", "fdopen", "makefile", "NamedTemporaryFile", "TemporaryFile", "TemporaryDirectory",
                              "SpooledTemporaryFile", "popen", "Popen", "socket", "create_connection"})  # fmt: skip
"""What they give is written out, or closed, at the latest when nobody holds it any more."""
_DRIVEN = frozenset({"contextmanager", "asynccontextmanager", "fixture"})
"""Decorators that see to it that a generator comes to its end."""


@once_per_tree
def tells_of_deaths(tree: ast.Module) -> bool:
    """Whether anything in a module may do another thing when a variable lets go of its object earlier or later."""
    return any(_tells(n, tree) for n in every_node(tree))


def _tells(n: ast.AST, tree: ast.Module) -> bool:
    match n:
        case ast.FunctionDef(name="__del__") | ast.Attribute(attr="__del__") | ast.Name(id="__del__"):
            return True
        case ast.Constant(value="__del__"):
            return True
        case ast.Name() | ast.Attribute():
            word = _meant(n, tree)
            return word in _WATCHERS and (word != "finalize" or _may_mean_that_of_weakref(tree))
        case ast.alias(name=name):
            return not _WATCHERS.isdisjoint(name.split("."))
        case ast.ImportFrom(module=str() as module):
            return not _WATCHERS.isdisjoint(module.split("."))
    return False


def _meant(n: ast.AST, tree: ast.Module) -> str:
    """The last word of an expression; for a name that is imported, what it is called where it comes from: `weakref` for
    all that comes out of that module and is none of those told apart."""
    return _imported(tree).get(n.id, n.id) if isinstance(n, ast.Name) else _word(n)


@once_per_tree
def _imported(tree: ast.Module) -> dict[str, str]:
    found: dict[str, str] = {}
    for n in every_node(tree):
        for alias in n.names if isinstance(n, ast.Import | ast.ImportFrom) else ():
            last = alias.name.rpartition(".")[2]
            weak = isinstance(n, ast.ImportFrom) and n.module == "weakref" and last not in _WATCHERS
            found[alias.asname or last] = "weakref" if weak else last
    return found


@once_per_tree
def _may_mean_that_of_weakref(tree: ast.Module) -> bool:
    """Whether `finalize` may be what the library calls so: it, its module, or who knows what is imported."""
    told = {n.name.rpartition(".")[2] for n in every_node(tree) if isinstance(n, ast.alias)}
    modules = {n.module for n in every_node(tree) if isinstance(n, ast.ImportFrom)}
    texts = any(isinstance(n, ast.Constant) and n.value == "weakref" for n in every_node(tree))
    return bool(told & {"finalize", "weakref", "*"}) or "weakref" in modules or texts


@once_per_tree
def has_the_last_word(tree: ast.Module) -> bool:
    """Whether something in a module is run when an object dies, or asks who holds it: no weak reference alone."""
    return any(_is_loud(n, tree) for n in every_node(tree))


def _is_loud(n: ast.AST, tree: ast.Module) -> bool:
    if isinstance(n, ast.alias | ast.ImportFrom):
        return isinstance(n, ast.alias) and n.name.rpartition(".")[2] in _WATCHERS - _HELD_WEAKLY
    if isinstance(n, ast.Call) and (len(n.args) > 1 or n.keywords):
        weak = _word(n.func) in ("ref", "proxy", "WeakMethod") or _meant(n.func, tree) in _HELD_WEAKLY
        return weak or _tells(n, tree)
    return _tells(n, tree) and _meant(n, tree) not in _HELD_WEAKLY


_HELD_WEAKLY = frozenset({"weakref", "WeakKeyDictionary", "WeakValueDictionary", "WeakSet", "WeakMethod"})
"""They give up what nobody else holds, and say nothing then."""


Place = tuple[ast.AST, ast.Module]
"""A definition and the tree that it stands in."""


def comes_to_watchers(
    function: ast.AST, tree: ast.Module, beyond: Callable[[ast.AST, ast.Module], Iterable[Place]]
) -> bool:
    """Whether a function, or what it leads to by the names it says, holds something weakly or speaks when it dies.

    In the file that a definition stands in every word of it is such a name; `beyond` is what stands in other files and
    an expression of a file names.
    """
    pending: list[Place] = [(function, tree)]
    seen = set[ast.AST]()
    while pending:
        node, home = pending.pop()
        if node in seen:
            continue
        seen.add(node)
        for n in walk(node):
            if _tells(n, home):
                return True
            pending += [(found, home) for found in named_in(home).get(_word(n), ())]
            pending += beyond(n, home)
    return False


@once_per_tree
def named_in(tree: ast.Module) -> dict[str, list[ast.AST]]:
    """The functions, classes and values of a file by the last word of what they are called, variables left out."""
    found: dict[str, list[ast.AST]] = {}
    inside = {n for f in every_node(tree) if isinstance(f, _FUNCTIONS) for s in f.body for n in walk(s)}
    for n in every_node(tree):
        match n:
            case ast.FunctionDef(name=name) | ast.AsyncFunctionDef(name=name) | ast.ClassDef(name=name):
                found.setdefault(name, []).append(n)
            case ast.Assign(value=value) | ast.AnnAssign(value=ast.expr() as value) | ast.AugAssign(value=value):
                targets = n.targets if isinstance(n, ast.Assign) else [n.target]
                for part in (part for target in targets for part in walk(target)):
                    if isinstance(part, ast.Attribute) or (isinstance(part, ast.Name) and n not in inside):
                        found.setdefault(_word(part), []).append(value)
    return found


_FUNCTIONS = (ast.FunctionDef, ast.AsyncFunctionDef)


@once_per_tree
def speaking_generators(tree: ast.Module) -> frozenset[str]:
    """Generator functions and methods that clear up when they are left in the middle, by name."""
    functions = [n for n in every_node(tree) if isinstance(n, ast.FunctionDef | ast.AsyncFunctionDef)]
    return frozenset(f.name for f in functions if not _is_driven(f) and _clears_up(f))


def _is_driven(f: ast.FunctionDef | ast.AsyncFunctionDef) -> bool:
    names = {
        n.attr if isinstance(n, ast.Attribute) else getattr(n, "id", "") for d in f.decorator_list for n in walk(d)
    }
    return not names.isdisjoint(_DRIVEN)


def _clears_up(f: ast.FunctionDef | ast.AsyncFunctionDef) -> bool:
    """Whether it yields inside a `with` or a `try`."""
    around = [n for n in walk(f) if isinstance(n, ast.Try | ast.TryStar | ast.With | ast.AsyncWith)]
    return any(isinstance(n, ast.Yield | ast.YieldFrom) for s in around for n in walk(s))


@lru_cache(maxsize=256)
def speaks_when_let_go(function: ast.AST, generators: frozenset[str], opens: bool = False) -> bool:
    """Whether a function names something that gives an object which speaks, or is closed, when it dies.

    A file that a `with` opens it closes, too, where `opens` says that `open` is Python's own: nothing is left to do
    for whoever lets go of it.
    """
    own = (getattr(n, "arg", None) or getattr(n, "id", "") for n in walk(function) if _is_bound(n))
    opens = opens and "open" not in own
    managed = {i.context_expr for n in walk(function) if isinstance(n, ast.With) for i in n.items} if opens else ()
    closed = {e for e in managed if isinstance(e, ast.Call) and isinstance(e.func, ast.Name) and e.func.id == "open"}
    for n in walk(function):
        called = _word(n.func) if isinstance(n, ast.Call) and n not in closed else ""
        if called in _CLOSED_BY_DEATH or (generators and _word(n) in generators):
            return True
    return False


def _is_bound(n: ast.AST) -> bool:
    return isinstance(n, ast.arg) or (isinstance(n, ast.Name) and not isinstance(n.ctx, ast.Load))


def _word(n: ast.AST) -> str:
    return n.id if isinstance(n, ast.Name) else n.attr if isinstance(n, ast.Attribute) else ""
