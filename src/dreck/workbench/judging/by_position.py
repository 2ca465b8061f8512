"""Calls by name: what the file itself says beats the assumption that nobody gives by name what has no such name now."""

import ast

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


def _told(new: Candidate, names: set[str]) -> str:
    function = new.name.rpartition(".")[2].partition("#")[0]
    is_special = function.startswith("__") and function.endswith("__")  # called by way of a class, or of an object
    for tree in (new.names.tree, *new.names.trees):
        for call in (n for n in every_node(tree) if isinstance(n, ast.Call) and n.keywords):
            named = is_special or _names(call, function)
            given = next((k for k in call.keywords if k.arg in names or (k.arg is None and not is_special)), None)
            if named and given is not None:
                told = "a dict of arguments" if given.arg is None else f"`{given.arg}` by name"
                return f"line {call.lineno} of the new version gives it {told}"
    return ""


def _names(call: ast.Call, function: str) -> bool:
    """Whether it calls what has that name, or is handed it, as `partial` is."""
    return any(function in (getattr(e, "id", ""), getattr(e, "attr", "")) for e in (call.func, *call.args))
