"""Calls: of builtins without effect, of small classes, of generic functions. Following one is `proof.following`."""

import ast
from dataclasses import replace
from typing import Any

from dreck.model.ir.operations import Op
from dreck.model.ir.terms import Term
from dreck.model.names.collectors import is_append
from dreck.proof.assumptions import COMPARISONS, FAMILIES
from dreck.proof.classes.members import GENERIC
from dreck.proof.classes.registries import NONE
from dreck.proof.lockstep.following import function_of, runs_lazily
from dreck.proof.rules import items, truth
from dreck.proof.rules.attributes import own_method
from dreck.proof.rules.common import At, by_the_table, observed, read_now, unmet
from dreck.proof.rules.comparing import is_instance, is_that
from dreck.proof.rules.names import builtin_name
from dreck.proof.state import Asks, Event, Gives, Result, Throws


def call(at: At) -> Result | None:
    positional, keywords = at.node.payload
    function, *values = at.values
    if not keywords and "*" not in positional:
        known = _of_builtin(at, builtin_name(at.p, at.which, function), values) or items.got(at, function, values)
        if known is not None:
            return known
    if _collects(at):
        # The list grows, and nobody else can see it: what was read before is still what it was.
        return replace(by_the_table(at), moves_time=False)
    made = _made(at, function, values)
    return Gives(made) if made is not None else _registered(at, function, values)


def _collects(at: At) -> bool:
    source = at.node.source
    if at.side.frames or not isinstance(source, ast.Call) or not is_append(source):
        return False
    return source.func.value.id in at.p.collectors  # type: ignore[attr-defined]


def _of_builtin(at: At, name: str, values: list[Term]) -> Result | None:
    p = at.p
    match name, values:
        case "isinstance" | "issubclass", [value, kinds]:
            return is_instance(at, name, value, kinds)
        case "callable", [value]:
            return Gives(at.make("bool", read_now(at, at.timed("callable", value)), True))
        case "len", [value]:
            if not p.compares_quietly("truth", at.state, value):
                return by_the_table(at)
            return observed(at, at.timed("len", value), COMPARISONS)
        case "type", [value] if not p.may_change_classes and FAMILIES in p.allowed:
            p.note(FAMILIES)
            return Gives(at.make("type", value))
        case "bool", [value]:
            return truth.as_bool(at, value)
    return None


def _made(at: At, function: Term, values: list[Term]) -> Term | None:
    """What a call makes without running anything yet: a small holder of values, a coroutine, a generator."""
    p, kin = at.p, at.p.classes[at.which]
    positional, keywords = at.node.payload
    if p.shape(function) not in ("global", "method", "attr") or "*" in positional or None in keywords:
        return None
    if function.op == "global":
        fields = kin.records.fields(str(function.args[0]))
        if fields is not None:
            return _record(at, str(function.args[0]), fields, values)
    found = own_method(p, at.which, function.args[0], str(function.args[1])) if function.op == "attr" else None
    runs = found.function if found is not None else function_of(p, at.which, function)
    if runs is not None and _is_awaited_at_once(at) and runs_lazily(runs):
        if found is not None:
            p.note(FAMILIES)
        return at.make("later", at.node.payload, function, *values)
    return None


def _is_awaited_at_once(at: At) -> bool:
    after = at.node.succs[0]
    return after.op in (Op.AWAIT, Op.YIELD_FROM) and after.operands == (at.node.dest,)


def _record(at: At, kind: str, fields: list[tuple[str, Any]], values: list[Term]) -> Term | None:
    positional, keywords = at.node.payload
    names = [name for name, _ in fields]
    if len(positional) > len(names) or set(names[: len(positional)]) & set(keywords):
        return None
    given = dict(zip([*names[: len(positional)], *keywords], values, strict=True))
    for name, default in fields:
        if name not in given and default is not None:
            given[name] = at.p.terms.const(default.value)
    return at.make("record", kind, *(given[name] for name in names)) if given.keys() == set(names) else None


def row_of_table(at: At) -> Result:
    """A row made when its module was: the same holder of values each time, or nothing that can be told."""
    function, *values = at.values
    made = _made(at, function, values)
    return Gives(made) if made is not None and made.op == "record" else unmet(at)


def _registered(at: At, function: Term, values: list[Term]) -> Result | None:
    """A call of a generic function or method: what is registered for the class of its argument."""
    p = at.p
    positional, keywords = at.node.payload
    plain = positional[:1] == ("",) and "*" not in positional and None not in keywords
    name = _generic_name(function) if FAMILIES in p.allowed and plain else ""
    registry = p.classes[at.which].registry(name) if name else None
    if registry is None:
        return None
    chosen, plainly = "", by_the_table(at)
    for kind in registry.kinds:
        outcome, test = _is_registered_for(at, values[0], kind)
        if outcome is None:
            return Asks(test, source=at.node.source, plainly=plainly)
        if outcome:
            chosen = kind
            break
    p.note(FAMILIES)
    target = at.make("registered", name, chosen)
    shape = at.node.payload
    if function.op == "method":
        values, shape = [function.args[3], *values], (("", *positional), keywords)
    if runs_lazily(registry.functions[chosen]) and _is_awaited_at_once(at):
        return Gives(at.make("later", shape, target, *values))
    return Event(at.make(Op.CALL, shape, target, *values), at.node.source, plainly=plainly)


def _is_registered_for(at: At, value: Term, kind: str) -> tuple[bool | None, Term]:
    """Whether a value is of a class, as far as that is known, and the test that asks it."""
    none = at.p.terms.const(None)
    test = at.make("is", value, none) if kind == NONE else at.make("isinstance", value, at.make("global", kind))
    outcome = is_that(at, value, none) if kind == NONE else None
    return at.p.decided(test, at.state) if outcome is None else outcome, test


def _generic_name(function: Term) -> str:
    """A generic function by its name, a generic method by its class and name."""
    if function.op == "method" and function.args[2] == GENERIC:
        return f"{function.args[0]}:{function.args[1]}"
    return str(function.args[0]) if function.op == "global" else ""


def pattern_class(at: At) -> Result | None:
    """`case Drum():` asks what `isinstance` asks, of a class that is known."""
    if at.node.payload != (0, ()):
        return None
    subject, kind = at.values
    if kind.op != "global" or not all(kin.is_class(str(kind.args[0])) for kin in at.p.classes):
        return None
    return is_instance(at, "isinstance", subject, kind)


def raised_again(at: At) -> Result | None:
    """A bare `raise` in a function that was called while an exception was handled: that one."""
    return Throws(at.side.in_flight()) if at.side.in_flight().op != "outside" else None


def caught(at: At) -> Result:
    """Whether an exception is of a class: no code of the class is asked."""
    error, kind = at.values
    test = at.make("catches", error, kind)
    return observed(at, test, "", at.make("bool", test, True))
