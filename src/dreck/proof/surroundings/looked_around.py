"""Code that asks what a module holds, or a class, by no name: what it comes to rests on all that is there, in order."""

import ast
import sys
from collections import Counter
from collections.abc import Collection, Iterator
from functools import lru_cache
from pathlib import Path
from typing import TypeGuard

from dreck.model.names.bindings import bound_by
from dreck.model.names.nodes import every_node, once_per_tree
from dreck.model.names.reaching import keeps_modules
from dreck.model.names.scopes import scope_of
from dreck.model.names.type_parameters import heads_of
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

_OPENING = frozenset(
    {"modules", "import_module", "__import__", "getmodule", "resolve_name", "run_path", "run_module", "reload",
     "pickle", "__loader__", "__spec__", "get_type_hints"}
)  # fmt: skip
"""They come to a module, or to what is called so and so in it; what it holds they do not tell."""
_LOOKING_AROUND = _OPENING | {"__subclasses__", "getmembers", "get_objects", "get_referrers", "__globals__",
                              "f_globals", "__builtins__", "get_referents"}  # fmt: skip
_LOOKING_INTO = frozenset(
    {"vars", "dir", "__dict__", "__dir__", "getmembers", "getattr_static", "classify_class_attrs"}
)
_SPOKEN_ELSEWHERE = frozenset({"vars", "dir", "getmembers"})
"""Words that people have for other things as well."""
_PYTHONS_OWN = frozenset({"vars", "dir"})
_OF_CLASSES = ("type", "Type", "Meta")
"""How the names of classes end whose objects are classes."""


@lru_cache(maxsize=512)
def looks_around(node: ast.AST, own: frozenset[str] = frozenset(), called: frozenset[str] = frozenset()) -> str:
    """What a piece of code asks for all names of a module, all classes or all objects there are; '' when nothing.

    `own`: words by which the file means something of its own (`own_words`). `called`: the words of the module's own
    name, where they are known: what is imported by another name that stands there is another module.
    """
    asks = any(isinstance(n, ast.Name) and n.id == "globals" for n in walk(node))
    held = {id(n.func) for n in walk(node) if called and _imports_another(n, called)}
    return "globals()" if asks else _asks(node, _LOOKING_AROUND - own, held)


def _imports_another(n: ast.AST, called: frozenset[str]) -> TypeGuard[ast.Call]:
    match n:
        case ast.Call(func=ast.Name(id=word) | ast.Attribute(attr=word), args=[ast.Constant(value=str() as name), *_]):
            parts = name.split(".")
            return word in ("__import__", "import_module") and "" not in parts and not called & set(parts)
    return False


@lru_cache(maxsize=512)
def lists_a_module(node: ast.AST, own: frozenset[str] = frozenset()) -> str:
    """What a piece of code asks for all names of its module, or all objects there are; '' when nothing."""
    asks = any(isinstance(n, ast.Name) and n.id == "globals" for n in walk(node))
    return "globals()" if asks else _asks(node, _LOOKING_AROUND - _OPENING - own)


@once_per_tree
def own_words(tree: ast.Module) -> frozenset[str]:
    """Words for asking that a file only has for what is its own: `self.vars`, `self.getmembers()`, a local `vars`."""
    told = [n for n in every_node(tree) if isinstance(n, ast.Attribute) and n.attr in _SPOKEN_ELSEWHERE]
    words = _SPOKEN_ELSEWHERE & {n.attr for n in told}
    values = {id(part) for n in every_node(tree) for part in _only_looked_at(n)}
    stored = {n.attr for n in told if not isinstance(n.ctx, ast.Load)}  # anything may have been handed in
    meant = {n.attr for n in told if n.attr in stored and isinstance(n.ctx, ast.Load) and id(n) not in values}
    for n in every_node(tree):
        match n:
            case ast.Attribute(value=ast.Name(id="self"), ctx=ast.Load() | ast.Store()):
                continue
            case ast.Attribute(attr=word) | ast.alias(name=word) | ast.Constant(value=str() as word):
                meant |= {word, word.rpartition(".")[2]}
            case ast.ImportFrom(names=[ast.alias(name="*")]):
                return frozenset()
            case ast.ClassDef(body=body):
                meant |= {name for s in body if not isinstance(s, FunctionNode) for name in bound_by(s)}
    functions = [n for n in every_node(tree) if isinstance(n, FunctionNode)]
    local = {n: scope_of(f).local for f in functions for n in walk(f) if isinstance(n, ast.Name)}
    meant |= {n.id for n in every_node(tree) if isinstance(n, ast.Name) and n.id not in local.get(n, ())}
    written = {n.name for n in functions}
    found = words - meant - (_PYTHONS_OWN - written - stored)  # a base elsewhere may have Python's own there
    return found | ({"modules"} if keeps_modules(tree) else set())


def _only_looked_at(n: ast.AST) -> list[ast.AST]:
    """What is read of no more than for a part of it, its length or its text: nobody can call it there."""
    match n:
        case (
            ast.Attribute(value=value)
            | ast.Subscript(value=value)
            | ast.For(iter=value)
            | ast.comprehension(iter=value)
        ):
            return [value]
        case ast.Call(func=ast.Name(id="len" | "repr" | "str" | "bool"), args=[value], keywords=[]):
            return [value]
    return []


@lru_cache(maxsize=512)
def looks_into(node: ast.AST, owner: ast.ClassDef | None = None, meant_own: frozenset[str] = frozenset()) -> str:
    """What it asks for all that a class or a module has; '' when nothing. What an object itself holds is no matter:
    `vars(self)` in a method of `owner`, where that makes no classes. `meant_own`: see `own_words`."""
    makes = owner is None or any(ast.unparse(base).endswith(_OF_CLASSES) for base in owner.bases)
    own = _of_variables if isinstance(node, FunctionNode) else _of_nothing
    held = {id(part) for n in walk(node) for part in [*own(n), *_of_one(n), *([] if makes else _of_self(n))]}
    return _asks(node, _LOOKING_INTO - meant_own, held)


def _of_self(n: ast.AST) -> list[ast.AST]:
    match n:
        case ast.Call(func=ast.Name(id="vars"), args=[ast.Name(id="self")], keywords=[]):
            return [n.func]
        case ast.Attribute(value=ast.Name(id="self"), attr="__dict__"):
            return [n]
    return []


def _of_nothing(n: ast.AST) -> list[ast.AST]:
    return []


def _of_variables(n: ast.AST) -> list[ast.AST]:
    """`vars()` in a function gives its variables."""
    match n:
        case ast.Call(func=ast.Name(id="vars" | "dir") as asked, args=[], keywords=[]):
            return [asked]
    return []


def _of_one(n: ast.AST) -> list[ast.AST]:
    """What asks by one name that stands there, or puts something there."""
    match n:
        case ast.Attribute(attr="__dict__", ctx=ast.Store()):
            return [n]
        case ast.Subscript(value=ast.Attribute(attr="__dict__") as held, slice=ast.Constant()):
            return [held]
        case ast.Call(
            func=ast.Attribute(value=ast.Attribute(attr="__dict__") as held, attr="get" | "pop" | "setdefault"),
            args=[ast.Constant(), *_],
        ):
            return [held]
        case ast.Call(func=ast.Attribute(value=ast.Attribute(attr="__dict__") as held, attr="update"), args=args) if (
            isinstance(n, ast.Call) and len(args) <= 1
        ):
            return [held]
        case ast.Call(func=ast.Attribute(value=ast.Attribute(attr="__dict__") as held, attr="clear"), args=[]):
            return [held]
        case ast.Compare(left=ast.Constant(), ops=[ast.In() | ast.NotIn()], comparators=[ast.Attribute() as held]):
            return [held] if held.attr == "__dict__" else []
    return []


def _asks(node: ast.AST, words: frozenset[str], held: Collection[int] = ()) -> str:
    nodes = [n for n in walk(node) if id(n) not in held]
    own = {n.arg for n in nodes if isinstance(n, ast.arg)}
    own |= {n.id for n in nodes if isinstance(n, ast.Name) and not isinstance(n.ctx, ast.Load)}
    own -= {name for n in nodes if isinstance(n, ast.Global) for name in n.names}
    for n in nodes:
        match n:
            case ast.Attribute(attr=word) if word in words:
                return word
            case ast.Name(id=word) if word in words and word not in own:
                return word
    return ""


@lru_cache(maxsize=8)
def held_apart(old: ast.Module, new: ast.Module) -> bool:
    """Whether the modules do not hold the same in the same order.

    What functions do is left out, and private methods that one version only has: nothing asks for them by their names.
    """
    mine, theirs = (frozenset(n for names in _members(tree).values() for n in names) for tree in (old, new))
    return list(_shape(old.body, mine & theirs)) != list(_shape(new.body, mine & theirs))


@lru_cache(maxsize=8)
def held_apart_by_private(old: ast.Module, new: ast.Module) -> bool:
    """Whether private functions at the top that one version only has are all that the modules do not hold alike."""
    mine, theirs = _private_of(old), _private_of(new)
    return held_apart(old, new) and not held_apart(_without(old, mine - theirs), _without(new, theirs - mine))


def _private_of(tree: ast.Module) -> frozenset[str]:
    plain = (s for s in tree.body if isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef) and not s.decorator_list)
    return frozenset(s.name for s in plain if _is_private(s.name))


def _without(tree: ast.Module, names: frozenset[str]) -> ast.Module:
    return ast.Module([s for s in tree.body if getattr(s, "name", "") not in names], [])


@lru_cache(maxsize=8)
def members_apart(old: ast.Module, new: ast.Module) -> bool:
    """Whether a class of both has other members, or has them in another order."""
    mine, theirs = _members(old), _members(new)
    return any(mine[kind] != theirs[kind] for kind in mine.keys() & theirs.keys())


def imports_itself(tree: ast.Module, path: Path) -> bool:
    """Whether a module may be imported by itself: what it holds is then read by way of that name.

    A module in a package that is called as one of Python's own means that one by the name alone.
    """
    own = (*path.absolute().parent.parts, path.stem) if path.stem != "__init__" else path.absolute().parent.parts
    within = (path.absolute().parent / "__init__.py").exists()
    for n in every_node(tree):
        match n:
            case ast.Import(names=names):
                told = [alias.name.split(".") for alias in names]
            case ast.ImportFrom(module=module, names=names):
                home = (module or "").split(".") if module else []
                told = [home, *([*home, alias.name] for alias in names)]
            case _:
                continue
        for parts in filter(None, told):
            is_pythons = len(parts) == 1 and parts[0] in sys.stdlib_module_names and within
            if tuple(parts) == own[-len(parts) :] and not (is_pythons and getattr(n, "level", 0) == 0):
                return True
    return False


def gathered_apart(old: ast.Module, new: ast.Module) -> set[str]:
    """Names of modules that do not hold the same that are bound to what a statement gathers of all there is."""
    if not held_apart(old, new):
        return set()
    at_once = [s for tree in (old, new) for s in tree.body if not isinstance(s, FunctionNode | ast.ClassDef)]
    return {name for s in at_once if looks_around(s) or looks_into(s) for name in bound_by(s)}


def _shape(body: list[ast.stmt], common: frozenset[str], is_class: bool = False) -> Iterator[str]:
    for s in body:
        match s:
            case ast.FunctionDef(name=name) | ast.AsyncFunctionDef(name=name) if (
                is_class and _is_private(name) and name not in common
            ):
                continue
            case ast.FunctionDef() | ast.AsyncFunctionDef():
                yield " ".join([type(s).__name__, s.name, *heads_of(s), *map(ast.dump, (s.args, *s.decorator_list))])
            case ast.ClassDef():
                told = (*s.bases, *s.keywords, *s.decorator_list)
                yield " ".join(["class", s.name, *heads_of(s), *map(ast.dump, told)])
                yield from _shape(s.body, common, True)
                yield "end"
            case ast.Expr(value=ast.Constant()) | ast.Pass():
                continue
            case _:
                yield ast.dump(s)


def _is_private(name: str) -> bool:
    return name.startswith("_") and not name.endswith("__")


def _members(tree: ast.Module) -> dict[tuple[str, int], list[str]]:
    """For each class, and the how manyth of its name it is, what its body binds, in order."""
    found: dict[tuple[str, int], list[str]] = {}
    met = Counter[str]()
    for n in every_node(tree):
        if isinstance(n, ast.ClassDef):
            found[n.name, met[n.name]] = [name for s in n.body for name in sorted(bound_by(s))]
            met[n.name] += 1
    return found
