"""Ways in which code comes to a module without naming it: after that anybody may bind its names anew.

Data model, 3.2: a module's names are a dictionary; `__globals__` of a function, `f_globals` of a frame and
`sys.modules` lead there, and `importlib.import_module(__name__)` gives the module itself.
"""

import ast
from collections.abc import Collection, Iterator

from dreck.model.names.nodes import every_node, once_per_tree
from dreck.source.walking import walk

_LEADING = frozenset({"modules", "__globals__", "f_globals", "get_referrers", "get_objects", "f_builtins"})
"""Attributes that lead to the names of modules."""
_RUNNING = frozenset({"exec", "eval", "globals", "reload"})
"""Functions that run anything, or hand out the names; as attributes, those of these modules."""
_HOMES = frozenset({"builtins", "importlib", "imp", "__builtins__"})
_OPENING = frozenset({"import_module", "__import__", "getmodule", "resolve_name", "run_module", "run_path"})
"""Functions that give a module by a name."""
_LETS_KNOW = frozenset({"getattr", "attrgetter", "__getattribute__"})
_SETTING = frozenset({"setattr", "delattr"})


def leads_to_names(node: ast.AST) -> bool:
    """Whether `node` comes to a dictionary of names, or runs code that may: then any name may be bound anew."""
    match node:
        case ast.Attribute(attr=word) if word in _LEADING:
            return True
        case ast.Attribute(value=ast.Name(id=home), attr=word) if word in _RUNNING and home in _HOMES:
            return True
        case ast.Name(id="eval" | "reload", ctx=ast.Load()):
            return True
        case ast.alias(name=word) if word in _LEADING | _RUNNING:
            return True
        case ast.Constant(value=str() as text):
            return "__globals__" in text or "f_globals" in text or "f_builtins" in text
    return any(word in _LEADING | _RUNNING | {"__dict__"} for word in asked_by_text(node))


@once_per_tree
def leading(tree: ast.AST) -> tuple[ast.AST, ...]:
    """The nodes of a file that lead to names; `modules` of the file's own objects is another one than that of `sys`:
    where all that is ever put there is made there."""
    nodes = [n for n in every_node(tree) if isinstance(n, _TELLING)]
    imported = {n.asname or n.name.partition(".")[0] for n in nodes if isinstance(n, ast.alias)}
    put = [n for n in nodes if isinstance(n, ast.Attribute) and n.attr == "modules" and not isinstance(n.ctx, ast.Load)]
    made = {t for n in nodes if isinstance(n, ast.Assign) and isinstance(n.value, _MADE) for t in n.targets}
    kept = bool(put) and all(n in made for n in put)
    return tuple(n for n in nodes if leads_to_names(n) and not _is_kept_by_its_own(n, kept, imported))


_TELLING = (ast.Attribute, ast.Name, ast.alias, ast.Constant, ast.Call, ast.Assign)
"""Kinds of nodes that can lead to names, and those that tell what is kept under one."""


@once_per_tree
def keeps_modules(tree: ast.Module) -> bool:
    """Whether all that a file calls `modules` is what its own objects keep under that name."""
    nodes = every_node(tree)
    named = any(isinstance(n, ast.alias) and n.name.rpartition(".")[2] in ("modules", "*") for n in nodes)
    spoken = any(isinstance(n, ast.Attribute) and n.attr == "modules" for n in nodes)
    told = any("modules" in asked_by_text(n) for n in nodes)
    return spoken and not named and not told and not any(getattr(n, "attr", "") == "modules" for n in leading(tree))


def _is_kept_by_its_own(node: ast.AST, kept: bool, imported: Collection[str]) -> bool:
    """Whether it is `modules` of what is no import, where such an attribute is the file's own."""
    if not kept or not isinstance(node, ast.Attribute) or node.attr != "modules":
        return False
    of = node.value
    while isinstance(of, ast.Attribute):
        of = of.value
    return isinstance(of, ast.Name) and of.id not in imported


_MADE = (ast.Constant, ast.List, ast.Tuple, ast.Dict, ast.Set, ast.ListComp, ast.SetComp, ast.DictComp, ast.BinOp)


def only_read(node: ast.AST) -> list[ast.AST]:
    """The names of something as a dictionary, where `node` only reads from it: `colors.__dict__[word]`."""
    match node:
        case ast.Subscript(value=ast.Attribute(attr="__dict__") as held, ctx=ast.Load()):
            return [held]
        case ast.Call(func=ast.Attribute(value=ast.Attribute(attr="__dict__") as held, attr=word)) if word in _READING:
            return [held]
        case ast.Compare(ops=[ast.In() | ast.NotIn()], comparators=[ast.Attribute(attr="__dict__") as held]):
            return [held]
    return []


_READING = frozenset({"get", "keys", "values", "items", "copy"})


@once_per_tree
def hands_setting_on(tree: ast.AST) -> bool:
    """Whether `setattr` or `delattr` goes by another name, or is called by others: on what, nobody can read."""
    nodes = [n for n in every_node(tree) if isinstance(n, (ast.Name, ast.Call))]
    called = {n.func for n in nodes if isinstance(n, ast.Call)}
    named = (n for n in nodes if isinstance(n, ast.Name) and n.id in _SETTING and isinstance(n.ctx, ast.Load))
    return any(n not in called for n in named)


@once_per_tree
def opens_modules(tree: ast.AST) -> bool:
    """Whether anything in a file gets a module by its name."""
    return any(isinstance(n, _TELLING) and opens_a_module(n) for n in every_node(tree))


def opens_a_module(node: ast.AST) -> bool:
    """Whether `node` gets a module by its name: what is set on anything may be set on this one."""
    match node:
        case ast.Attribute(attr=word) | ast.Name(id=word) | ast.alias(name=word) if word in _OPENING:
            return True
    return any(word in _OPENING for word in asked_by_text(node))


def set_on_others(node: ast.AST) -> Iterator[str]:
    """The attributes that `node` sets or deletes on something else than `self` or `cls`; '*' for one not known."""
    match node:
        case ast.Attribute(value=of) | ast.Call(args=[of, *_]) if not _is_own(of):
            yield from set_on_anything(node)


def set_on_anything(node: ast.AST) -> Iterator[str]:
    """The attributes that `node` sets or deletes, also on what is called `self`: that may be a module, too."""
    match node:
        case ast.Attribute(attr=name, ctx=ast.Store() | ast.Del()):
            yield name
        case ast.Call(func=ast.Name(id="setattr" | "delattr"), args=[_, told, *_]):
            yield str(told.value) if isinstance(told, ast.Constant) else "*"
        case ast.Attribute(attr="__setattr__" | "__delattr__"):
            yield "*"
        case ast.Attribute(attr="__dict__") | ast.Call(func=ast.Name(id="vars"), args=[_]):
            yield "*"


def replaced_later(tree: ast.Module) -> frozenset[str]:
    """Names of functions and methods that a function of the module may put something else in the place of."""
    functions = [n for n in every_node(tree) if isinstance(n, ast.FunctionDef | ast.AsyncFunctionDef)]
    set_there = {name for f in functions for node in walk(f) for name in set_on_others(node)}
    return frozenset(set_there & {f.name for f in functions})


def asked_by_text(node: ast.AST) -> Iterator[str]:
    """Names of attributes that are asked for by a text."""
    match node:
        case ast.Call(func=ast.Name(id=asking) | ast.Attribute(attr=asking), args=args) if asking in _LETS_KNOW:
            yield from (a.value for a in args if isinstance(a, ast.Constant) and isinstance(a.value, str))


def _is_own(of: ast.expr) -> bool:
    return isinstance(of, ast.Name) and of.id in ("self", "cls")


@once_per_tree
def puts_modules(tree: ast.Module) -> bool:
    """Whether a file may put something in the place of a module: `sys.modules[__name__] = Yard()`."""
    nodes = every_node(tree)
    return any(
        (isinstance(n, ast.Attribute) and n.attr == "modules") or (isinstance(n, ast.alias) and n.name == "modules")
        for n in nodes
    )
