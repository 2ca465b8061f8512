"""What the checker answers, question by question, beside the questions a certificate puts: also the wrong ones.

Along a certificate that is accepted, each single check is asked again with other values, other events, with nothing
known and with no assumption allowed; the answers are kept as one digest. A rule of the checker that lets more pass, or
less, changes it, whether or not a proof happens to lean on it.
"""

import ast
import contextlib
from collections import Counter
from collections.abc import Callable, Iterable, Iterator
from dataclasses import fields, replace
from hashlib import sha256
from itertools import islice
from typing import Any

from dreck.model.ir.operations import Op
from dreck.model.ir.terms import Term
from dreck.model.names.modules import ModuleNames
from dreck.proof import entry
from dreck.proof.assumptions import ASSUMPTIONS
from dreck.proof.certificate import Alone, Met
from dreck.proof.checking.axioms import Axioms
from dreck.proof.checking.calls import is_lazy, stands_alone
from dreck.proof.checking.checker import Checker
from dreck.proof.checking.plainness import is_set_late
from dreck.proof.checking.texts.overriding import SPECIALS, is_put_on_a_class, overriding, reads_itself
from dreck.proof.classes.known import KnownClasses
from dreck.proof.conditions import Facts
from dreck.proof.state import Event, Gives, Side, State
from dreck.source.functions import FunctionNode

_POOL, _EVENTS, _STEPS, _SELDOM = 8, 24, 2, 4
_FLAGS = ("once", "lasts", "moves_time", "raises", "stays", "real_bool", "ends")
_NAMES = ("keeps", "harmless")
_KEEPING = ("plain-attributes", "plain-items", "plain-comparisons", "quiet-tests", "hashable-key", "steady-kind")


class Probing(Checker):
    """A checker that asks itself more than it has to: at the first nodes, and at those of a kind seldom met."""

    answers: list[str]
    pool: list[Term]
    steps: int
    met: Counter[str]

    def _stepped(self, state: State, side: Side, result: Any) -> None:
        if self._has_time(side.node):
            value = result.value if isinstance(result, Gives) else None
            self._ask_of_values(state, side, [value, *self.pool])
        super()._stepped(state, side, result)

    def _met(self, state: State, met: Met, loops: Any) -> None:
        if self._has_time(state.sides[0].node):
            for side, event in zip(state.sides, (met.old, met.new), strict=True):
                self._ask_of_events(state, side, event)
            self._note(self._same_key(state, met.old.key, v) for v in self.pool)
            self._note(self._same(state, a, b) for a in self.pool for b in self.pool[:4])
        super()._met(state, met, loops)

    def _has_time(self, node: Any) -> bool:
        self.steps += 1
        told = f"{node.op} {node.payload[0]}" if node.op is Op.GLOBAL else str(node.op)
        self.met[told] += 1
        return self.steps <= _STEPS or self.met[told] <= _SELDOM

    def _ask_of_values(self, state: State, side: Side, values: list[Term | None]) -> None:
        vals, acts, make = self._vals(side), self.acts, self.acts.make
        plain = [acts.arena.terms.const(value) for value in (1, "a", None, True, 2.5)]
        typed = [acts.make("param", name) for name in list(acts.annotated)[:2]]
        stead = [*self.pool[:4], *plain, *typed, acts.make("len", acts.make("param", "a"), state.epoch)]
        stead += [make("maybe", v) for v in self.pool[:1]] + [acts.arena.unbound]
        others = [(*vals[:at], v, *vals[at + 1 :]) for at in range(len(vals)) for v in stead]
        others += [(v, w) for v in stead for w in stead[2:7]] if len(vals) == 2 else []
        given = [(vals, v) for v in values]
        for them in dict.fromkeys((vals, *others)):
            forged = _forged(side, them, acts.make, state.epoch, acts.arena.terms.const)
            given += [(them, v) for v in (*values[:2], *forged)]
        given = list(dict.fromkeys(given))
        tests = [v.args[0] for v in self.pool if v.op == "bool"] + [v for v in self.pool if len(v.args) > 1]
        for bare in (state, _knowing_nothing(state)):
            for _ in self._assuming():
                self._note(self._asked(acts.gives, bare, side, them, v) for them, v in given)
                self._note(self._asked(acts.goes, bare, side, v, to) for v in self.pool for to in (True, False))
                self._note(self._asked(acts.entails, bare, t, to) for t in tests for to in (True, False))

    def _ask_of_events(self, state: State, side: Side, event: Event) -> None:
        vals = self._vals(side)
        variants = list(islice(_variants(event, self.pool, self.acts.make), _EVENTS))
        for bare in (state, _knowing_nothing(state)):
            for _ in self._assuming():
                for other in variants:
                    self._note([self._asked(self.acts.does, bare, side, vals, other)])
                    self._note([self._asked(self.acts.is_harmless, bare, side, other)])
        self._ask_of_keys(state, side, vals, event)
        self._ask_of_values(state, side, [event.result, event.key])

    def _ask_of_keys(self, state: State, side: Side, vals: tuple[Term, ...], event: Event) -> None:
        """The node said to do what another does, to come to that or to the truth of it."""
        make = self.acts.make
        plain = replace(event, once=True, moves_time=False, raises=True, harmless="")
        forged = []
        for key in _keys(side, vals, make, state.epoch):
            for result in (key, make("bool", key, True)):
                forged += [replace(plain, key=key, result=result, keeps=told) for told in ("", *_KEEPING)]
            forged += [replace(plain, key=key, result=None, moves_time=True, real_bool=at) for at in (True, False)]
        for _ in islice(self._assuming(), 2):
            self._note(self._asked(self.acts.does, state, side, vals, other) for other in forged)
        self._note(self._asked(self.acts.is_harmless, state, side, replace(e, harmless=e.keeps)) for e in forged)

    def _assuming(self) -> Iterator[None]:
        """As it is; with everything allowed and named, before and after a place was read again; with nothing."""
        acts = self.acts
        kept = acts.allowed, acts.listed, acts.again, set(acts.looked)
        every = frozenset(ASSUMPTIONS)
        with contextlib.ExitStack() as after:
            after.callback(self._as_it_was, *kept)
            yield from self._each(kept, every)

    def _as_it_was(self, allowed: frozenset[str], listed: frozenset[str], again: bool, looked: set[Term]) -> None:
        acts = self.acts
        acts.allowed, acts.listed, acts.again, acts.looked = allowed, listed, again, looked

    def _each(self, kept: Any, every: frozenset[str]) -> Iterator[None]:
        acts = self.acts
        for allowed, again in ((kept[0], True), (every, True), (every, False), (frozenset(), False)):
            acts.allowed, acts.again = allowed, again
            acts.listed = kept[1] if allowed is kept[0] else allowed
            yield

    def _asked(self, what: Callable[..., bool], *args: Any) -> str:
        try:
            return str(int(bool(what(*args))))
        except Exception as error:  # a question that makes no sense
            return type(error).__name__

    def _note(self, answers: Iterable[object]) -> None:
        self.answers.extend(map(str, answers))


def _forged(side: Side, vals: tuple[Term, ...], make: Callable[..., Term], epoch: Term, const: Any) -> Iterator[Term]:
    """What a node may come to with these values, rightly or not."""
    told = side.node.payload
    yield from (const(True), const(False), const(1))
    match vals:
        case (one, other) if side.node.op is Op.COMPARE:
            for parts in ((one, other), (other, one)):
                for kind in ("eq", "lt", "le", "in", "is"):
                    for test in (make(kind, *parts), make(kind, *parts, epoch)):
                        yield from (make("bool", test, True), make("bool", test, False))
        case (base, *_) if side.node.op is Op.ATTRIBUTE:
            yield from (make("attr", base, told, epoch), make("attr", base, told), make("attr", base, "n", epoch))
        case (base, key) if side.node.op is Op.ITEM:
            yield from (make("item", base, key, epoch), make("item", base, key), make("item", key, base, epoch))
        case (_, *given) if side.node.op is Op.CALL and given:
            one = given[0]
            for name in ("isinstance", "issubclass"):
                yield from (make("bool", make(name, *given[:2]), wanted) for wanted in (True, False))
            yield from (make("type", one), make("len", one, epoch), make("len", one), make("later", told, *vals))
            yield from (make("bool", make("truth", one, epoch), True), make("bool", make("truth", one), True), one)
            yield make("bool", make("callable", one), True)
        case _ if side.node.op in (Op.GLOBAL, Op.FREE, Op.CELL):
            name = told[1] if side.node.op is Op.GLOBAL else told
            yield from (make(kind, name, *at) for kind in ("global", "gvar", "free", "cell") for at in ((), (epoch,)))
        case (one, *_) if side.node.op in (Op.PART, Op.MAYBE_PART, Op.UNPACK):
            yield from (one, *one.args[:3], make("part", told, one), make("maybe", make("part", f"walrus {told}", one)))
            yield from (make("tuple", *one.args[:2]), make("tuple", *one.args[1:3]))
        case _ if side.node.op in (Op.BINARY, Op.UNARY, Op.IN_PLACE):
            yield from (make("arith", told, *vals), make("worked", told, *vals, epoch), *vals)
            yield from (make("arith", "Linear", n, vals[0], 1) for n in (0, 1, -1))
        case _:
            yield from (make("tuple", *vals), make("joined", *vals), make("formatted", told, *vals), *vals)


def _keys(side: Side, vals: tuple[Term, ...], make: Callable[..., Term], epoch: Term) -> Iterator[Term]:
    """What any node might observe with these values."""
    told = side.node.payload
    for name in dict.fromkeys((told, "n", told[1] if isinstance(told, tuple) and len(told) > 1 else "n")):
        yield from (make(kind, name, epoch) for kind in ("gvar", "free", "cell"))
        yield from (make("attr", v, name, *at) for v in vals[:2] for at in ((), (epoch,)))
    for v in vals:
        yield from (make(kind, v, epoch) for kind in ("len", "truth"))
        yield from (make(kind, v) for kind in ("bound?", "hash", "ask"))
    yield from (make("worked", told, *vals, epoch), make("arith", told, *vals), make("catches", *vals))
    if len(vals) > 1:
        yield from (make(kind, *vals[-2:], *at) for kind in ("item", "eq", "lt", "le", "in") for at in ((), (epoch,)))
        yield from (make("asked", name, *vals[-2:]) for name in ("isinstance", "issubclass"))
        yield make("asked", "isinstance", vals[-2], make("global", "Load"))
        yield from (make("got", base, *vals[1:], epoch) for base in (vals[0], *vals[0].args[:1]))


def _knowing_nothing(state: State) -> State:
    bare = state.copy()
    bare.facts, bare.done, bare.lasting = Facts(), set(), set()
    return bare


def _variants(event: Event, pool: list[Term], make: Callable[..., Term]) -> Iterator[Event]:
    yield event
    for flag in _FLAGS:
        yield replace(event, **{flag: not getattr(event, flag)})
    for name in _NAMES:
        for told in ("", *_KEEPING):
            if told != getattr(event, name):
                yield replace(event, **{name: told})
    for v in pool:
        yield replace(event, result=v)
        yield replace(event, key=v)
        for at, arg in enumerate(event.key.args):
            if isinstance(arg, Term):
                yield replace(event, key=make(event.key.op, *event.key.args[:at], v, *event.key.args[at + 1 :]))


def probed(certificate: Any, p: Any, run: Any, logs: list[list[Any]], met: Counter[str]) -> str:
    """A digest of what the checker answers along a certificate; `met` counts the nodes of each kind."""
    plain = entry.checker_of(certificate, p, run)
    checker = Probing(*(getattr(plain, f.name) for f in fields(Checker)))
    checker.answers, checker.steps, checker.pool, checker.met = [], 0, _pool(logs), met
    checker._note([checker.accepts()])
    return sha256(" ".join(checker.answers).encode()).hexdigest()[:8]


def _pool(logs: list[list[Any]]) -> list[Term]:
    found: list[Term] = []
    for log in logs:
        for e in log:
            events = [e.old, e.new] if isinstance(e, Met) else [e.event] if isinstance(e, Alone) else []
            found += [v for event in events for v in (event.key, event.result, *event.key.args)]
            found += [e.result.value] if isinstance(getattr(e, "result", None), Gives) else []
    terms = [v for v in dict.fromkeys(found) if isinstance(v, Term)]
    by_op: dict[str, list[Term]] = {}
    for v in terms:
        by_op.setdefault(str(v.op), []).append(v)
    return [v for at in range(3) for of in by_op.values() for v in of[at : at + 1]][:_POOL]


def of_files(old: ModuleNames, new: ModuleNames) -> str:
    """A digest of what the checker holds the names, functions and classes of both versions of the files for."""
    axioms = (Axioms(one, KnownClasses(one, other)) for one, other in ((old, new), (new, old)))
    return sha256(" ".join(map(_of_files, axioms)).encode()).hexdigest()[:8]


def _of_files(axioms: Axioms) -> str:
    classes, tree = axioms.classes.table.classes, axioms.names.tree
    words = sorted({n.attr for n in ast.walk(tree) if isinstance(n, ast.Attribute)} | {"size", "GLASS"})[:12]
    names = sorted({n.id for n in ast.walk(tree) if isinstance(n, ast.Name)} | set(classes))[:16]
    told: list[object] = []
    for name in names:
        told += [axioms.is_bound_once(name), axioms.is_builtin(name), axioms.is_class(name)]
        told += [axioms.function(name) is not None, axioms.is_enum(name), axioms.are_apart(name, (), True)]
    for kind in sorted(classes):
        told += [len(axioms.fields(kind) or ()), kind in axioms.skeleton]
        for word in words:
            forms = ("method", "property", "static", "class")
            told += [axioms.method(kind, word, form) is not None for form in forms]
            told += [axioms.member(kind, word), axioms.holds(kind, word, kind) is not None]
            told += [axioms.constant(kind, word, value) for value in (0, 1, "a")]
            told += [reads_itself(classes[kind], word, axioms.names)]
        for other in sorted(classes):
            told += [axioms.outcome({other}, [{kind}], set()), axioms.outcome({other}, [], {kind})]
            told += [axioms.outcome({other}, [{kind}], {n}) for n in sorted(classes)[:3]]
    for word in (*words, *SPECIALS):
        told += [len(overriding(axioms.names, word)), axioms.is_set(word), axioms.is_named_set(word)]
        told += [is_put_on_a_class(axioms.names, word)]
    told += [is_set_late(tree, place) for word in words[:3] for place in (word, repr([word]))]
    told += [axioms.reads_only(m) for m in ("__getitem__", "get", "__missing__")]
    functions = [n for n in ast.walk(tree) if isinstance(n, FunctionNode)]
    told += [(is_lazy(f), stands_alone(f, True), stands_alone(f, False)) for f in functions]
    return repr(told)
