"""The truth of a value: known, a comparison's outcome, or asked of an object."""

import ast

from dreck.model.ir.operations import Op
from dreck.model.ir.terms import Term
from dreck.proof.assumptions import COMPARISONS
from dreck.proof.rules.common import At, quietly
from dreck.proof.state import Asks, Event, Gives, Goes, Result


def branch(at: At) -> Result:
    p, (value,) = at.p, at.values
    if value.op == "const":
        return Goes(bool(value.value))
    shape = p.shape(value)
    if shape == "bool":
        if not _has_just_been_compared(at):
            p.note_real_bool(value)
        return _by_test(at, *value.args)
    if shape == "tuple":
        return Goes(bool(value.args))
    if shape in ("lambda", "method") or _is_function(at, value):
        return Goes(True)
    if p.is_scalar(value):
        return _by_test(at, at.make("truth", value), True)
    if shape == "opposite":
        return _turned_round(_of_an_object(at, value.args[0]))
    return _of_an_object(at, value)


def _turned_round(result: Result) -> Result:
    match result:
        case Goes(outcome=outcome):
            return Goes(not outcome)
        case Asks(test=test, wanted=wanted, source=source):
            return Asks(test, not wanted, source)
    return result


def _by_test(at: At, test: Term, wanted: bool) -> Result:
    outcome = at.p.decided(test, at.state)
    return Asks(test, wanted, at.node.source) if outcome is None else Goes(outcome is wanted)


def _has_just_been_compared(at: At) -> bool:
    """Whether the comparison and the question for its truth are one act: `if a < b`."""
    before = at.side.came_from
    return before is not None and before.op in (Op.COMPARE, Op.CALL) and before.succs[0] is at.node


def _is_function(at: At, value: Term) -> bool:
    definition = at.p.names[at.which].definitions.get(value.args[0]) if value.op == "global" else None
    return isinstance(definition, ast.FunctionDef | ast.AsyncFunctionDef) and not definition.decorator_list


def _of_an_object(at: At, value: Term) -> Result:
    """What an object says of its truth: one event, and one test of what came of it."""
    p, state, side = at.p, at.state, at.side
    test = at.timed("truth", value)
    if COMPARISONS not in p.allowed or not p.compares_quietly("truth", state, value):
        how = () if at.node.payload is None else (at.node.payload,)
        return Event(at.make("ask", value, *how), at.node.source, stays=True) if side.answer is None else _answered(at)
    outcome = p.decided(test, state)
    if outcome is not None and value in state.facts.same:
        p.trail.append(("fact", at.make("is", value, state.facts.same[value]), True))
        return Goes(outcome)
    if test not in state.done:
        return _asked_once(at, test)
    p.trail.append(("done", test, True))
    if side.answer is not test:
        p.note(COMPARISONS)
        p.note_time(test, state)
    return Asks(test, source=at.node.source) if outcome is None else Goes(outcome)


def _asked_once(at: At, test: Term) -> Event:
    alone = quietly(at)
    return Event(test, at.node.source, test, alone, COMPARISONS, once=True, moves_time=False, stays=True)


def _answered(at: At) -> Result:
    answer = at.side.answer
    assert answer is not None
    outcome = at.state.facts.known.get(answer)
    return Asks(answer, source=at.node.source) if outcome is None else Goes(outcome)


def as_bool(at: At, value: Term) -> Result:
    """`bool(x)` asks for the truth of x, as a branch does."""
    p = at.p
    if value.op == "const":
        return Gives(p.terms.const(bool(value.value)))
    if p.shape(value) == "bool":
        p.note_real_bool(value)
        return Gives(value)
    if p.is_scalar(value):
        return Gives(at.make("bool", at.make("truth", value), True))
    answer = at.side.answer
    test = at.timed("truth", value)
    if COMPARISONS not in p.allowed or not p.compares_quietly("truth", at.state, value):
        if answer is None:
            return Event(at.make("ask", value), at.node.source, stays=True)
        return Gives(at.make("bool", answer, True))
    if test not in at.state.done:
        return _asked_once(at, test)
    p.trail.append(("done", test, True))
    if answer is not test:
        p.note(COMPARISONS)
        p.note_time(test, at.state)
    return Gives(at.make("bool", test, True))
