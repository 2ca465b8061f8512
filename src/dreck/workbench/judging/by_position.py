"""Calls by name: what the file itself says beats the assumption that nobody gives by name what has no such name now."""

import ast
from collections.abc import Collection

from dreck.model.names.nodes import every_node
from dreck.model.names.scopes import param_names
from dreck.workbench.judging.candidates import Candidate


def renamed_and_given(new: Candidate) -> str:
    """What in the new file gives a renamed parameter under the name it had; '' where nothing does."""
    return _told(new, {before for now, before in new.aliases if now != before})


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
    anything = _is_special(function) or any(_goes_round(tree, function) for tree in trees)
    for tree in trees:
        for call in (n for n in every_node(tree) if isinstance(n, ast.Call) and n.keywords):
            given = next((k for k in call.keywords if k.arg in names or k.arg is None), None)
            if given is not None and (_names(call, function) or (anything and _may_be_meant(new, call, given))):
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


def _may_be_meant(new: Candidate, call: ast.Call, given: ast.keyword) -> bool:
    """Whether a call of something else may be one of it: by a name that the parameter has, or of what is no function
    or class that stands there under its own name."""
    name = getattr(call.func, "id", "")
    known = name in new.names.definitions or new.names.is_builtin(name)
    return given.arg is not None or not known
