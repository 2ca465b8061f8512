"""Parameters with other names, and parameters that are new: what callers from before have to know of them."""

import ast

from dreck.model.names.frames import may_see_names
from dreck.model.names.scopes import param_names
from dreck.source.copying import copied
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

BY_POSITION = "calls-by-position"
"""The assumption that callers pass by position what has another name now."""

AS_BEFORE = "calls-as-before"
"""The assumption that callers give what they gave before: a new parameter has its default."""


def added_parameters(old: FunctionNode, new: FunctionNode) -> dict[str, ast.expr]:
    """The parameters of `new` that no caller of `old` can have given, with their defaults; empty if not plain."""
    mine, theirs = old.args, new.args
    if mine.vararg or mine.kwarg:
        return {}  # what is new now may have been among those
    before, after = [*mine.posonlyargs, *mine.args], [*theirs.posonlyargs, *theirs.args]
    count, kept = len(before), [a.arg for a in mine.kwonlyargs]
    if [a.arg for a in after[:count]] != [a.arg for a in before] or len(mine.posonlyargs) != len(theirs.posonlyargs):
        return {}
    if [a.arg for a in theirs.kwonlyargs if a.arg in kept] != kept:
        return {}
    defaults = dict(zip([a.arg for a in after][::-1], theirs.defaults[::-1], strict=False))
    defaults |= {a.arg: d for a, d in zip(theirs.kwonlyargs, theirs.kw_defaults, strict=True) if d is not None}
    new_ones = [a.arg for a in (*after[count:], *theirs.kwonlyargs) if a.arg not in kept]
    if any(name not in defaults for name in new_ones):
        return {}
    collects: dict[str, ast.expr] = {theirs.vararg.arg: ast.Tuple([], ast.Load())} if theirs.vararg else {}
    collects |= {theirs.kwarg.arg: ast.Dict([], [])} if theirs.kwarg else {}
    return {name: defaults[name] for name in new_ones} | collects


def other_names(old: FunctionNode, new: FunctionNode) -> dict[str, str]:
    """The names in `old` of the parameters of `new` that have other names; empty when they cannot be matched.

    They cannot where the function itself asks what its parameters are called (`locals()`).
    """
    mine, theirs = old.args, new.args
    if any(map(may_see_names, (old, new))):
        return {}
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
    made = copied(function)
    for node in walk(made):
        match node:
            case ast.Name(id=name) if name in names:
                node.id = names[name]
            case ast.arg(arg=name) if name in names:
                node.arg = names[name]
            case ast.Global(names=listed) | ast.Nonlocal(names=listed):
                node.names = [names.get(name, name) for name in listed]
    return made
