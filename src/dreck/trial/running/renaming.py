"""Parameters with other names: for callers that pass them by position the function is the same."""

import ast
import copy

from dreck.model.names.scopes import param_names
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

BY_POSITION = "calls-by-position"
"""The assumption that callers pass by position what has another name now."""


def other_names(old: FunctionNode, new: FunctionNode) -> dict[str, str]:
    """The names in `old` of the parameters of `new` that have other names; empty when they cannot be matched."""
    mine, theirs = old.args, new.args
    if [a.arg for a in mine.kwonlyargs] != [a.arg for a in theirs.kwonlyargs]:
        return {}
    if bool(mine.vararg) != bool(theirs.vararg) or bool(mine.kwarg) != bool(theirs.kwarg):
        return {}
    before, after = param_names(mine), param_names(theirs)
    if len(before) != len(after):
        return {}
    found = {b: a for a, b in zip(before, after, strict=True) if a != b}
    others = ({n.id for n in walk(new) if isinstance(n, ast.Name)} | set(after)) - found.keys()
    return {} if others & set(found.values()) else found


def renamed(function: FunctionNode, names: dict[str, str]) -> FunctionNode:
    """A copy of the function with its parameters called as `names` says."""
    made = copy.deepcopy(function)
    for node in walk(made):
        match node:
            case ast.Name(id=name) if name in names:
                node.id = names[name]
            case ast.arg(arg=name) if name in names:
                node.arg = names[name]
            case ast.Global(names=listed) | ast.Nonlocal(names=listed):
                node.names = [names.get(name, name) for name in listed]
    return made
