"""Calls by name: what the file itself says beats the assumption that nobody gives by name what has no such name now."""

import ast
from collections.abc import Collection, Sequence
from functools import lru_cache
from typing import TypeAlias

from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node
from dreck.model.names.scopes import param_names
from dreck.source.functions import FunctionNode
from dreck.workbench.judging.candidates import Candidate

_Made: TypeAlias = FunctionNode | ast.ClassDef


def renamed_and_given(new: Candidate) -> str:
    """What in the new file gives a renamed parameter under the name it had; '' where nothing does."""
    before = {before for now, before in new.aliases if now != before}
    return seen_by_decorators(new.node, new.names) or _told(new, before)


_BLIND = frozenset(
    {"builtins.property", "builtins.staticmethod", "builtins.classmethod", "functools.cached_property",
     "functools.cache", "functools.lru_cache", "functools.singledispatch", "functools.singledispatchmethod",
     "abc.abstractmethod", "typing.override", "typing.final", "typing.overload", "contextlib.contextmanager",
     "contextlib.asynccontextmanager"}
)  # fmt: skip
"""Decorators that hand on what they are given, and ask nothing of the names it is taken by."""


def seen_by_decorators(node: FunctionNode, names: ModuleNames) -> str:
    """What decorates a function and may ask what its parameters are called; '' where nothing does."""
    for d in node.decorator_list:
        called = d.func if isinstance(d, ast.Call) else d
        of_property = isinstance(called, ast.Attribute) and called.attr in ("setter", "getter", "deleter")
        own = of_property and getattr(called.value, "id", "") == node.name  # type: ignore[attr-defined]
        if not own and names.stands_for(called) not in _BLIND:
            return f"`@{ast.unparse(called)}` may ask what its parameters are called"
    return ""


def first_given(new: Candidate) -> str:
    """What in the new file gives the first parameter of a generic function by name; '' where nothing does.

    Which function is run is decided by the first argument that is given by position.
    """
    return _told(new, set(param_names(new.node.args)[:1]))


def given_before(old: Candidate, added: Collection[str]) -> str:
    """What in the old file gives a parameter that is new, and died of it; '' where nothing does."""
    function = old.name.rpartition(".")[2].partition("#")[0]
    spec = old.node.args
    most = len(spec.posonlyargs) + len(spec.args) - bool(old.owner)
    for call in (n for n in every_node(old.names.tree) if isinstance(n, ast.Call)):
        plain = [a for a in call.args if not isinstance(a, ast.Starred)]
        too_many = len(plain) > most and spec.vararg is None
        if function == _called(call) and (too_many or any(k.arg in added for k in call.keywords)):
            return f"line {call.lineno} of the old version gives what nobody could give before"
    return ""


def _called(call: ast.Call) -> str:
    return str(getattr(call.func, "id", "") or getattr(call.func, "attr", ""))


def _told(new: Candidate, names: set[str]) -> str:
    function = new.name.rpartition(".")[2].partition("#")[0]
    trees = (new.names.tree, *new.names.trees)
    return given_by_name(function, names, new.names, trees, trees)


def given_by_name(
    function: str, names: set[str], home: ModuleNames, trees: Sequence[ast.Module], around: Sequence[ast.Module]
) -> str:
    """What in the new files gives a parameter of a function by one of these names, or may; '' where nothing does.

    `around`: all files that may say what another function takes.
    """
    anything = _is_special(function) or any(_goes_round(tree, function) for tree in trees)
    for tree in trees:
        for call in (n for n in every_node(tree) if isinstance(n, ast.Call) and n.keywords):
            given = next((k for k in call.keywords if k.arg in names or k.arg is None), None)
            if given is not None and (
                _names(call, function) or (anything and _may_be_meant(home, call, given, around))
            ):
                told = "a dict of arguments" if given.arg is None else f"`{given.arg}` by name"
                return f"line {call.lineno} of the new version gives it {told}"
    return ""


def _is_special(function: str) -> bool:
    """Whether it is called by way of a class, or of an object."""
    return function.startswith("__") and function.endswith("__")


def _names(call: ast.Call, function: str) -> bool:
    """Whether it calls what has that name, or is handed it, as `partial` is."""
    return any(function in (getattr(e, "id", ""), getattr(e, "attr", "")) for e in (call.func, *call.args))


def _goes_round(tree: ast.Module, function: str) -> bool:
    """Whether the function is spoken of without being called there: it may be called under another name."""
    called = {id(n.func) for n in every_node(tree) if isinstance(n, ast.Call)}
    return any(
        function in (getattr(n, "id", ""), getattr(n, "attr", ""), getattr(n, "value", "")) and id(n) not in called
        for n in every_node(tree)
        if isinstance(n, ast.Name | ast.Attribute | ast.Constant)
    )


def _may_be_meant(home: ModuleNames, call: ast.Call, given: ast.keyword, around: Sequence[ast.Module]) -> bool:
    """Whether a call of something else may be one of it: by a name that the parameter has, or of what is no function
    or class that stands there under its own name."""
    if given.arg is not None and _takes_itself(_called(call), given.arg, around):
        return False
    name = getattr(call.func, "id", "")
    known = name in home.definitions or home.is_builtin(name)
    return given.arg is not None or not known


def _takes_itself(name: str, keyword: str, around: Sequence[ast.Module]) -> bool:
    """Whether all that is called so in the files has a parameter of that name, and hands nothing on by name."""
    every, stored = _made_and_stored(tuple(around))
    made = every.get(name, [])
    if not made or name in stored:
        return False
    functions = [
        f for n in made for f in (n.body if isinstance(n, ast.ClassDef) else [n]) if isinstance(f, FunctionNode)
    ]
    taking = [f for f in functions if f.name in (name, "__init__")]
    named = all(keyword in [a.arg for a in (*f.args.args, *f.args.kwonlyargs)] for f in taking)
    return len(taking) == len(made) and named and not any(f.args.kwarg or f.decorator_list for f in taking)


@lru_cache(maxsize=4)
def _made_and_stored(trees: tuple[ast.Module, ...]) -> tuple[dict[str, list[_Made]], frozenset[str]]:
    """The functions and classes of files by name, and the names that are bound to anything else there."""
    nodes = [n for tree in trees for n in every_node(tree)]
    made: dict[str, list[_Made]] = {}
    for n in nodes:
        if isinstance(n, FunctionNode | ast.ClassDef):
            made.setdefault(n.name, []).append(n)
    spoken = (n for n in nodes if isinstance(n, ast.Name | ast.Attribute) and not isinstance(n.ctx, ast.Load))
    return made, frozenset(n.id if isinstance(n, ast.Name) else n.attr for n in spoken)
