"""Versions whose decorators differ: callers call what the decorators make of them, and that is what is judged."""

import ast
import re
from dataclasses import replace

from dreck.model.names.scopes import param_names, scope_of
from dreck.source.copying import copied
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk
from dreck.trial.server import Difference
from dreck.workbench.judging.candidates import Candidate

APART = "their decorators differ, and a trial runs the function inside of them"
UNWATCHED = "their decorators differ, and a trial does not watch what happens in them"
_GENERIC = "functools.singledispatch"


def decorators_apart(old: Candidate, new: Candidate) -> bool:
    """Whether they are decorated otherwise."""
    return list(map(ast.dump, old.node.decorator_list)) != list(map(ast.dump, new.node.decorator_list))


def as_called(old: Candidate, new: Candidate) -> tuple[Candidate, Candidate] | None:
    """Both as a plain function that calls what stands under their name; None where that cannot be written down.

    Only functions at the top of a module that stay functions: a method is found by way of its class.
    """
    if not all(_is_plain(c) for c in (old, new)) or ast.dump(old.node.args) != ast.dump(new.node.args):
        return None
    return _called(old), _called(new)


def is_generic(old: Candidate, new: Candidate) -> bool:
    """Whether one of them is a generic function, which hands on what it is given and does no more, and the other is not
    decorated at all.

    A call of what both decorate would be the same call to a proof, whatever the decorators make of it; so would be one
    that the plain function makes of itself with what it was given.
    """
    plain = [c.node for c in (old, new) if not c.node.decorator_list]
    kinds = [c.names.stands_for(d) for c in (old, new) for d in c.node.decorator_list]
    return len(plain) == 1 and kinds == [_GENERIC] and not _hands_on_to_itself(plain[0])


def _hands_on_to_itself(function: FunctionNode) -> bool:
    given = [ast.dump(ast.Name(name, ast.Load())) for name in param_names(function.args)]
    calls = [n for n in walk(function) if isinstance(n, ast.Call) and getattr(n.func, "id", "") == function.name]
    return any([ast.dump(part) for part in (*c.args, *(k.value for k in c.keywords))] == given for c in calls)


def under_own_name(found: Difference, called: tuple[Candidate, Candidate], name: str) -> Difference:
    """The difference with a test case that calls what a caller calls."""
    case = found.case
    made = next((c.name for c in called[::-1] if c.name != name), name)
    if case is None or made == name:
        return found
    own = frozenset(name if word == made else word for word in case.own)
    call = re.sub(rf"\b{re.escape(made)}\b", name, case.call)
    return replace(found, case=replace(case, call=call, own=own))


def _is_plain(c: Candidate) -> bool:
    spec = c.node.args
    at_top = "." not in c.name and "#" not in c.name and not c.enclosing and not c.aliases
    settled = not spec.defaults and not any(spec.kw_defaults)
    plain = isinstance(c.node, ast.FunctionDef) and not scope_of(c.node).is_generator
    return at_top and settled and plain and all(_gives_a_function(d, c) for d in c.node.decorator_list)


def _gives_a_function(d: ast.expr, c: Candidate) -> bool:
    """Whether a decorator is one of the file, or of the library's for functions: others may make anything of one, such
    as a command, which nobody calls as a function is called."""
    named = d.func if isinstance(d, ast.Call) else d
    if isinstance(named, ast.Name) and isinstance(c.names.definitions.get(named.id), FunctionNode):
        return True
    return c.names.stands_for(named).startswith("functools.")


def _called(c: Candidate) -> Candidate:
    """What a caller sees: itself where nothing decorates it, else a function that calls it."""
    if not c.node.decorator_list:
        return c
    name = _fresh(c)
    node = _calling(c.node, name)
    text = f"{c.text().rstrip()}\n\n\n{ast.unparse(node)}\n"
    ast.increment_lineno(node, text.count("\n") - 2)
    return replace(c, text=lambda: text, name=name, node=node)


def _fresh(c: Candidate) -> str:
    name = f"{c.name}_as_called"
    while re.search(rf"\b{name}\b", c.text()):
        name += "_"
    return name


def _calling(function: FunctionNode, name: str) -> FunctionNode:
    spec = function.args
    given: list[ast.expr] = [ast.Name(a.arg, ast.Load()) for a in (*spec.posonlyargs, *spec.args)]
    if spec.vararg is not None:
        given.append(ast.Starred(ast.Name(spec.vararg.arg, ast.Load()), ast.Load()))
    named = [ast.keyword(a.arg, ast.Name(a.arg, ast.Load())) for a in spec.kwonlyargs]
    if spec.kwarg is not None:
        named.append(ast.keyword(None, ast.Name(spec.kwarg.arg, ast.Load())))
    call = ast.Call(ast.Name(function.name, ast.Load()), given, named)
    made = ast.FunctionDef(name, copied(spec), [ast.Return(call)], [], function.returns, None)
    text = ast.unparse(ast.fix_missing_locations(ast.Module([made], [])))
    (node,) = ast.parse(text).body
    assert isinstance(node, ast.FunctionDef)
    return node
