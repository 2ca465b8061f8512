"""Following: into a function that one side calls and that is known, with the values its parameters get."""

import ast
from dataclasses import dataclass
from typing import Any

from dreck.model.ir.operations import Op
from dreck.model.ir.terms import Term, Terms
from dreck.model.names.frames import asks_who_calls
from dreck.model.names.scopes import kept_by_functions, param_names, scope_of
from dreck.proof.assumptions import FAMILIES
from dreck.proof.lockstep.prover import Prover
from dreck.proof.rules.attributes import own_method
from dreck.proof.state import Event, Side
from dreck.proof.surroundings.generics import reads_type_parameters
from dreck.proof.surroundings.spoken import spoken_in
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk


@dataclass(frozen=True, slots=True)
class Callee:
    """A function with the values its parameters get. `home`: the class it stands in; `lazily`: run on the spot."""

    node: FunctionNode
    arguments: dict[str, Term]
    home: str = ""
    lazily: bool = False


def callee_of(p: Prover, side: Side, event: Event) -> Callee | None:
    """The function that an event runs, if it is a plain one whose arguments are clear."""
    key, which = event.key, side.which
    found = _callee_of(p, which, key)
    if found is None or not (p.lives or p.names[which].lives_count_in(found.node)):
        return found
    kept = key.op is Op.CALL and not side.frames and _lets_nothing_go(p.functions[which], found.node)
    return found if kept else None


def _callee_of(p: Prover, which: int, key: Term) -> Callee | None:
    match key.op:
        case "property":
            found = p.classes[which].found(str(key.args[0]), str(key.args[1]))
            if found is None or found.function is None or not can_be_followed(p, which, found.function, key):
                return None
            return _called(found.function, [key.args[2]], (("",), ()), p.terms, found.holder)
        case Op.CALL:
            return _run(p, which, key.args[1], list(key.args[2:]), key.args[0], lazily=False)
        case Op.AWAIT | Op.YIELD_FROM if key.args[1].op == "later":
            shape, function, *values = key.args[1].args
            return _run(p, which, function, values, shape, lazily=True)
    return None


def _run(p: Prover, which: int, function: Term, values: list[Term], shape: Any, lazily: bool) -> Callee | None:
    if p.shape(function) == "attr":
        found = own_method(p, which, function.args[0], str(function.args[1]))
        if found is None:
            return None
        p.note(FAMILIES)
        function = p.terms.make("method", found.holder, function.args[1], found.form, function.args[0])
    node = function_of(p, which, function)
    if node is None or runs_lazily(node) is not lazily or not can_be_followed(p, which, node, function):
        return None
    if function.op == "method" and function.args[2] != "static":
        values = [function.args[3], *values]
        shape = (("", *shape[0]), shape[1])
    home = str(function.args[0]) if function.op == "method" else ""
    if function.op == "registered" and ":" in str(function.args[0]):
        home = str(function.args[0]).partition(":")[0]
    return _called(node, values, shape, p.terms, home, lazily)


def function_of(p: Prover, which: int, function: Term) -> FunctionNode | None:
    """The plain function a value stands for, when that is known."""
    match p.shape(function):
        case "lambda":
            return p.arena.lambdas[function]
        case "global":
            node = p.names[which].definitions.get(function.args[0])
            plain = isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef) and not node.decorator_list
            return node if plain else None  # type: ignore[return-value]
        case "registered":
            registry = p.classes[which].registry(str(function.args[0]))
            return registry.functions[str(function.args[1])] if registry is not None else None
        case "method":
            kind, name = str(function.args[0]), str(function.args[1])
            found = p.classes[which].found(kind, name) or p.classes[which].private_method(kind, name)
            return found.function if found is not None else None
    return None


def runs_lazily(node: FunctionNode) -> bool:
    """Whether calling it runs nothing yet: a coroutine function, a generator."""
    return isinstance(node, ast.AsyncFunctionDef) or scope_of(node).is_generator


def can_be_followed(p: Prover, which: int, node: FunctionNode, function: Term) -> bool:
    """Whether nothing in it depends on which call of it this is, who calls, or on the class it stands in.

    Variables shared with nested functions are made anew by each call, `super()` and `__class__` belong to the class
    a method is written in, type parameters to the definition that has them, `global` in a function of another file
    means that file's names.
    """
    if (
        p.classes[which].remakes_functions
        or _keeps_variables(p, which, node, function)
        or asks_who_calls(node, p.names[which].frame_readers)
    ):
        return False
    foreign = "." in str(function.args[0]) if function.op in ("global", "method", "property", "registered") else False
    if spoken_in(node).asks_class or reads_type_parameters(node, p.names[which]):
        return False
    if any(isinstance(n, ast.Nonlocal) or (isinstance(n, ast.Global) and foreign) for n in walk(node)):
        return False
    return not (isinstance(node, ast.AsyncFunctionDef) and scope_of(node).is_generator)


def _keeps_variables(p: Prover, which: int, node: FunctionNode, function: Term) -> bool:
    """Whether something made in a call of it may read its variables later."""
    scope = scope_of(node)
    if p.shape(function) == "lambda":  # what its names mean is told by the function around it
        return bool(scope.captured)
    return bool(kept_by_functions(scope, p.names[which].is_builtin))


def _lets_nothing_go(caller: FunctionNode, node: FunctionNode) -> bool:
    """Whether all calls of it hold only what the variables of the caller hold before, meanwhile and afterwards.

    Where something may tell when an object dies, a call lets go of its variables when it ends. Here it binds none, its
    arguments are variables of the caller, and no traceback is kept beyond the call that would hold its parameters:
    nothing in the caller catches or handles exceptions.
    """
    if not isinstance(node, ast.FunctionDef):
        return False
    around = [n for s in caller.body for n in walk(s)]
    inside = [n for s in node.body for n in walk(s)]
    bound = (n for n in inside if isinstance(n, ast.Name) and not isinstance(n.ctx, ast.Load))
    if any(isinstance(n, _CATCHING) for n in around) or any(isinstance(n, _BINDING) for n in inside) or any(bound):
        return False
    name = node.name.rpartition(".")[2]
    scope = scope_of(caller)
    held = scope.local - scope.captured
    mentioned = sum(_word(n) == name for n in around)
    calls = [n for n in around if isinstance(n, ast.Call) and _word(n.func) == name]
    if not mentioned:  # it stands in a table: whatever is called without saying its name may be it
        calls = [n for n in around if isinstance(n, ast.Call) and (not _word(n.func) or _word(n.func) in scope.local)]
    if not calls or (mentioned and len(calls) != mentioned):
        return False  # it is handed on, and may be called under another name
    given = [e for c in calls for e in [*c.args, *(k.value for k in c.keywords)]]
    given += [c.func.value for c in calls if isinstance(c.func, ast.Attribute)]
    return all(isinstance(e, ast.Constant) or (isinstance(e, ast.Name) and e.id in held) for e in given)


def _word(n: ast.AST) -> str:
    return n.id if isinstance(n, ast.Name) else n.attr if isinstance(n, ast.Attribute) else ""


_CATCHING = (ast.Try, ast.TryStar, ast.With, ast.AsyncWith, ast.Lambda, ast.Yield, ast.YieldFrom, ast.Await,
             ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef, ast.GeneratorExp)  # fmt: skip
_BINDING = (ast.ExceptHandler, ast.alias, ast.MatchAs, ast.MatchStar, ast.MatchMapping, ast.FunctionDef, ast.ClassDef,
            ast.AsyncFunctionDef, ast.Lambda, ast.Await, ast.GeneratorExp)  # fmt: skip


def _called(
    node: FunctionNode, values: list[Term], shape: Any, terms: Terms, home: str = "", lazily: bool = False
) -> Callee | None:
    """What the parameters of `node` get in a call of that shape; None when that is not clear."""
    positional, keywords = shape
    spec = node.args
    if spec.vararg or spec.kwarg or "*" in positional or None in keywords:
        return None
    names = [a.arg for a in (*spec.posonlyargs, *spec.args)]
    if len(positional) > len(names) or set(keywords) & {a.arg for a in spec.posonlyargs}:
        return None
    given = dict(zip([*names[: len(positional)], *keywords], values, strict=True))
    defaults = dict(zip(names[::-1], spec.defaults[::-1], strict=False))
    defaults |= {a.arg: d for a, d in zip(spec.kwonlyargs, spec.kw_defaults, strict=True) if d is not None}
    for name, default in defaults.items():
        if name not in given and isinstance(default, ast.Constant):
            given[name] = terms.const(default.value)
    distinct = len({*names[: len(positional)], *keywords}) == len(positional) + len(keywords)
    if not distinct or given.keys() != set(param_names(spec)):
        return None
    return Callee(node, given, home, lazily)
