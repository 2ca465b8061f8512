"""Followed functions: which one it is and what its parameters get, worked out by Python's own binding."""

import ast
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

from dreck.model.ir.lowering import Unsupported, lower
from dreck.model.ir.operations import Op
from dreck.model.ir.terms import Term
from dreck.model.names.frames import asks_who_calls
from dreck.proof.annotations import names_for_types
from dreck.proof.checking.axioms import signature_of
from dreck.proof.checking.lemmas import CheckedLemmas, Refused
from dreck.proof.checking.texts.binding import bound_at
from dreck.proof.checking.texts.nested import is_overridden
from dreck.proof.classes.members import GENERIC
from dreck.proof.state import Event, Side, State
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

OF_FUNCTIONS = ("__code__", "__defaults__", "__kwdefaults__")
_WAITING = (ast.Yield, ast.YieldFrom, ast.Await)
_INNER = (ast.FunctionDef, ast.AsyncFunctionDef, ast.Lambda, ast.ClassDef, ast.GeneratorExp)


def is_lazy(node: FunctionNode) -> bool:
    """Whether calling it runs nothing yet."""
    return isinstance(node, ast.AsyncFunctionDef) or any(isinstance(n, ast.Yield | ast.YieldFrom) for n in _own(node))


def stands_alone(
    node: FunctionNode, foreign: bool, trees: Sequence[ast.Module] = (), known: Callable[[str], bool] | None = None
) -> bool:
    """Whether it means the same wherever it is called: no class, variables or type parameters around it, none that
    outlive the call. Type parameters are told by their names alone, in all the `trees` it may stand in; with `known`,
    which tells Python's own functions, what such a function goes through does not outlive it."""
    generic = _generic(node).union(*map(_generic, trees))
    body = [node.body] if isinstance(node, ast.Lambda) else node.body
    if generic and any(isinstance(n, ast.Name) and n.id in generic for s in body for n in walk(s)):
        return False
    bound = {a.arg for a in walk(node.args) if isinstance(a, ast.arg)}
    bound |= {n.id for n in _own(node) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}
    spent = _spent(node, bound, known) if known is not None else set()
    for n in walk(node):
        if isinstance(n, ast.Nonlocal) or (isinstance(n, ast.Global) and foreign):
            return False
        if isinstance(n, ast.Name) and n.id in ("super", "__class__"):
            return False
        if (
            n is not node
            and n not in spent
            and isinstance(n, _INNER)
            and bound & {m.id for m in walk(n) if isinstance(m, ast.Name)}
        ):
            return False
    return True


def _spent(node: FunctionNode, bound: set[str], known: Callable[[str], bool]) -> set[ast.AST]:
    """`any(… for …)`, `", ".join(… for …)`, `sorted(rows, key=lambda …)`: what is gone when the call has ended."""
    found = set[ast.AST]()
    for call in (n for n in walk(node) if isinstance(n, ast.Call)):
        by = call.func
        own = isinstance(by, ast.Name) and by.id in _GOING_THROUGH and by.id not in bound and known(by.id)
        joins = isinstance(by, ast.Attribute) and by.attr == "join" and isinstance(by.value, ast.Constant)
        if not (own or joins) or any(isinstance(n, (ast.NamedExpr, *_WAITING)) for n in walk(call)):
            continue
        found |= {a for a in call.args[:1] if isinstance(a, ast.GeneratorExp)}
        keyed = own and isinstance(by, ast.Name) and by.id in ("sorted", "min", "max")
        found |= {k.value for k in call.keywords if keyed and k.arg == "key" and isinstance(k.value, ast.Lambda)}
    return {n for n in found if not (isinstance(n, ast.Lambda) and (n.args.defaults or n.args.kw_defaults))}


_GOING_THROUGH = frozenset(
    {"all", "any", "dict", "frozenset", "list", "max", "min", "next", "set", "sorted", "sum", "tuple"}
)


@lru_cache(maxsize=64)
def _generic(root: ast.AST) -> frozenset[str]:
    return frozenset(p.name for n in walk(root) for p in getattr(n, "type_params", ()))


def _own(node: FunctionNode) -> Iterator[ast.AST]:
    """What stands in a function, not in functions inside it."""
    pending: list[ast.AST] = list(node.body)
    while pending:
        n = pending.pop()
        yield n
        if not isinstance(n, ast.FunctionDef | ast.AsyncFunctionDef | ast.Lambda | ast.ClassDef):
            pending += ast.iter_child_nodes(n)


def keeps_nothing(caller: FunctionNode, node: FunctionNode) -> bool:
    """Whether calls in which no variable is bound have only what variables of their caller hold all the while.

    Where the caller handles no exception and never waits, no frame of a call outlives it and theirs does not.
    """
    if not isinstance(node, ast.FunctionDef):
        return False
    spec = caller.args
    mine = {a.arg for a in [*spec.posonlyargs, *spec.args, *spec.kwonlyargs]}
    within = [n for s in caller.body for n in walk(s)]
    body = [n for s in node.body for n in walk(s)]
    if any(isinstance(n, ast.Global | ast.Nonlocal | ast.Try | ast.TryStar | ast.withitem) for n in within):
        return False
    if any(isinstance(n, (*_INNER, *_WAITING)) for n in [*within, *body]):
        return False
    if any(isinstance(n, ast.MatchMapping) or any(True for _ in bound_at(n)) for n in body):
        return False
    mine |= {n.id for n in within if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}
    named = node.name.split(".")[-1]
    spoken = mentioned = sum(named in (getattr(n, "id", ""), getattr(n, "attr", "")) for n in within)
    handed: list[ast.expr] = []
    through_a_table = False
    for call in within:
        if not isinstance(call, ast.Call):
            continue
        said = getattr(call.func, "id", getattr(call.func, "attr", ""))
        unsaid = not mentioned and (not said or said in mine)  # it may come out of a table
        if said != named and not unsaid:
            continue
        spoken -= said == named
        through_a_table |= unsaid
        handed += [*call.args, *(k.value for k in call.keywords)]
        handed += [call.func.value] if isinstance(call.func, ast.Attribute) else []
    called = 0 == spoken < mentioned or (not mentioned and through_a_table)
    return called and all(isinstance(e, ast.Constant) or getattr(e, "id", None) in mine for e in handed)


@dataclass(slots=True)
class CheckedCalls(CheckedLemmas):
    """Whether one side goes into the function it calls."""

    def _followed(self, state: State, side: Side, event: Event) -> None:
        self._need(self.acts.does(state, side, self._vals(side), event), "not what it does: {}", event.key)
        node, given, shape, lazily = self._callee(side, event.key)
        spec = signature_of(node)
        positional, keywords = shape
        bound = spec.bind(*given[: len(positional)], **dict(zip(keywords, given[len(positional) :], strict=True)))
        bound.apply_defaults()
        const = self.acts.arena.terms.const
        arguments = {n: v if isinstance(v, Term) else const(v.value) for n, v in bound.arguments.items()}
        names = self.subjects[side.which].names
        self._need(not asks_who_calls(node, names.frame_readers), "a function that asks who calls it")
        named = self.acts.look(event.key.args[1]) != "lambda" if event.key.op == Op.CALL else True
        known = names.is_builtin if named else None
        alone = stands_alone(node, "." in str(event.key.args[1]), [names.tree, *names.trees], known)
        self._need(alone, "a function bound to where it stands")
        ended = any(s.names.lives_count_in(s.node) for s in self.subjects) or names.lives_count_in(node)
        kept = ended and not lazily and not side.frames and keeps_nothing(self.subjects[side.which].node, node)
        self._need(kept or not ended, "what lets go of its variables when it ends, where that can be told")
        self._need(is_lazy(node) is lazily, "run at another time than it is called")
        remade = any(self.acts.axioms[side.which].is_named_set(word) for word in OF_FUNCTIONS)
        self._need(not remade, "a function whose code or defaults are set")
        self._constants(side.which, node)
        try:
            entry = lower(node, names, self.acts.arena, kept=self.kept)
        except Unsupported:
            raise Refused("a function that cannot be gone into") from None
        side.enter(entry, arguments, lazily)

    def _constants(self, which: int, node: FunctionNode) -> None:
        """Constants that the code was unfolded by mean one thing in their file."""
        axioms = self.acts.axioms[which]
        for n in walk(node):
            if isinstance(n, ast.Name) and n.id in axioms.names.tables.known and n.id not in self.kept:
                self._need(axioms.is_bound_once(n.id), "{} may mean another thing", n.id)
        for name in names_for_types(node, axioms.names):
            self._need(axioms.is_bound_once(name), "{} may stand for another type", name)

    def _callee(self, side: Side, key: Term) -> tuple[FunctionNode, list[Term], tuple[tuple[str, ...], ...], bool]:
        axioms, lazily = self.acts.axioms[side.which], False
        if key.op == "property":
            found = axioms.method(key.args[0], key.args[1], "property")
            self._need(found is not None, "a property that is not there")
            assert found is not None
            return found, [key.args[2]], (("",), ()), False
        if key.op in (Op.AWAIT, Op.YIELD_FROM):
            key, lazily = key.args[1], True
        shape, function, given = key.args[0], key.args[1], list(key.args[2:])
        node: FunctionNode | None = None
        match self.acts.look(function):
            case "global":
                node = axioms.function(str(function.args[0]))
            case "lambda":
                node = self.acts.arena.lambdas[function]
            case "registered":
                registry = axioms.classes.registry(str(function.args[0]))
                node = registry.functions[str(function.args[1])] if registry is not None else None
            case "method" if function.args[2] != GENERIC:
                node = axioms.method(function.args[0], function.args[1], function.args[2])
                if node is None and function.args[2] == "method":
                    node = axioms.private_method(function.args[0], function.args[1], self.acts.trusts_private())
                if function.args[2] != "static":
                    given, shape = [function.args[3], *given], (("", *shape[0]), shape[1])
            case "attr":
                node = self._own_method(side, function)
                given, shape = [function.args[0], *given], (("", *shape[0]), shape[1])
        self._need(node is not None, "not known what {} is", function)
        assert node is not None
        return node, given, shape, lazily

    def _own_method(self, side: Side, function: Term) -> FunctionNode | None:
        """A method of the object whose method this is, the same in all classes of the module below its own."""
        base, name = function.args[0], str(function.args[1])
        given, axioms = self.acts.given, self.acts.axioms[side.which]
        if given is None or given.args[0] is not base:
            return None
        trusted = self.acts.trusts_private()
        self._need(not axioms.is_replaced(name, trusted), "{} may be set by something", function)
        own = str(given.args[1].args[0])
        kinds = [
            k
            for k, made in axioms.skeleton.items()
            if own in axioms.skeleton and issubclass(made, axioms.skeleton[own])
        ]
        found = {axioms.holds(kind, name, h) for kind in kinds for h in axioms.skeleton} - {None}
        node = found.pop() if len(found) == 1 and not is_overridden(axioms.names, own, name) else None
        if node is None:
            return axioms.private_method(own, name, trusted)
        return axioms.method(self._holder(axioms.skeleton, own, name), name, "method")

    def _holder(self, skeleton: Mapping[str, type], kind: str, name: str) -> str:
        return next((k.__name__ for k in skeleton[kind].__mro__ if name in vars(k)), "")
