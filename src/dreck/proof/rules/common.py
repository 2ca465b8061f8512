"""What the rules share: the node's values, an event by the table, an observation that changes nothing."""

import ast
from collections.abc import Callable
from dataclasses import dataclass
from typing import TypeAlias

from dreck.model.ir.graph import Node
from dreck.model.ir.operations import Op
from dreck.model.ir.terms import Term
from dreck.model.names.scopes import names_read
from dreck.proof.assumptions import QUIET
from dreck.proof.lockstep.prover import Prover
from dreck.proof.state import Event, Gives, Result, Side, State
from dreck.proof.table import TABLE


@dataclass(slots=True)
class At:
    """A side at a node, with all that a rule may ask."""

    p: Prover
    side: Side
    state: State
    node: Node
    values: tuple[Term, ...]

    @property
    def which(self) -> int:
        return self.side.which

    def make(self, op: str, *args: object) -> Term:
        return self.p.terms.make(op, *args)

    def timed(self, op: str, *args: object) -> Term:
        """A term for something read outside: it may be another one when time has moved."""
        return self.p.terms.make(op, *args, self.state.epoch)


Rule: TypeAlias = Callable[[At], Result | None]
"""None: the rule has nothing to say, and the table counts."""


def value_of(p: Prover, side: Side, operand: str | Term) -> Term:
    return operand if isinstance(operand, Term) else side.store.get(operand, p.arena.unbound)


def by_the_table(at: At) -> Event:
    """The event a node is when nothing better is known of it."""
    node, row = at.node, TABLE[at.node.op]
    key = at.make(node.op, node.payload, *at.values)
    if node.op in (Op.OPAQUE, Op.FUNCTION) and node.source is not None:
        at.p.globals |= names_read(node.source)
    return Event(
        key,
        node.source,
        moves_time=row.moves_time,
        raises=row.raises,
        ends=node.op in (Op.NEXT, Op.ASYNC_NEXT),
    )


def quietly(at: At) -> str:
    """`quiet-tests`, where what the node does stands in a test of one of the two versions as well."""
    source = at.node.source
    return QUIET if source is not None and at.p.asked and ast.dump(source) in at.p.asked else ""


def unmet(at: At) -> Event:
    """An act of which no more is known than that nothing on the other side is surely the same."""
    return Event(at.p.terms.fresh("unmet"), at.node.source, unmet=True)


def read_now(at: At, read: Term) -> Term:
    """What cannot fail to be read; that it still is what it was rests on why time has not moved."""
    seen = read if read.op == "gvar" else at.make("read", read)
    if seen in at.state.done:
        at.p.note_time(read, at.state)
    at.state.done.add(seen)
    return read


def observed(
    at: At, key: Term, assumption: str = "", result: Term | None = None, alone: bool = False, quiet: bool = True
) -> Result:
    """An act without effect, under an assumption, that may raise: the second time nothing new can happen.

    `quiet`: whether it is one of those that a test is taken not to raise by.
    """
    p, state = at.p, at.state
    if assumption and assumption not in p.allowed:
        return by_the_table(at)
    result = result or key
    if key in state.done or key in state.lasting:
        p.trail.append(("done", key, True))
        p.note(*([assumption] if assumption else []))
        p.note_time(key, state)
        return Gives(result)
    return Event(
        key,
        at.node.source,
        result,
        harmless=assumption if alone else quietly(at) if quiet else "",
        keeps=assumption,
        once=True,
        lasts=not any(a is state.epoch for a in key.args),
        moves_time=False,
    )
