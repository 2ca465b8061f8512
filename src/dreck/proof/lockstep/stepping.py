"""Stepping: one side carries out what concerns nobody else, up to an act, a test, a loop or an exit."""

from dataclasses import dataclass, field

from dreck.model.ir.operations import Op
from dreck.model.ir.terms import Term
from dreck.proof import certificate
from dreck.proof.lockstep.parted import Parted
from dreck.proof.lockstep.prover import Prover
from dreck.proof.rules.common import value_of
from dreck.proof.rules.every import result_of
from dreck.proof.state import Block, Gives, Goes, Side, State, Stop, Throws
from dreck.proof.subject import OUT_OF_BUDGET, Subject


@dataclass(slots=True)
class Stepping:
    """What a proof works with. `budget` is in nodes carried out; `by_identity`: a function asks whether values are one
    object."""

    p: Prover
    subjects: tuple[Subject, Subject]
    budget: int
    kept: frozenset[str] = frozenset()
    by_identity: bool = False
    path: list[str] = field(default_factory=list)
    log: certificate.Log = field(default_factory=list)

    def advance(self, state: State, which: int) -> Block:
        side = state.sides[which]
        while True:
            self.budget -= 1
            if self.budget < 0:
                raise Parted(OUT_OF_BUDGET, tuple(self.path))
            if (block := self._step(side, state)) is not None:
                return block

    def _step(self, side: Side, state: State) -> Block | None:
        """Carries out the node `side` is at; None when it went on, else why it did not."""
        node = side.node
        if node.op is Op.RETURN:
            return self._return(side)
        if node.op is Op.THROW:
            return self._thrown(side)
        result = result_of(self.p, side, state)
        if isinstance(result, Gives | Goes | Throws):
            self.log.append(certificate.Stepped(side.which, result))
        match result:
            case Gives(value=value):
                if value is not None and node.dest is not None:
                    self.p.shape(value)
                    side.store[node.dest] = value
                side.answer = None
                side.node = node.succs[0]
            case Goes(outcome=outcome):
                side.answer = None
                side.node = node.succs[0 if outcome else 1]
            case Throws(error=error):
                self.throw(side, error)
            case block:
                return block
        return None

    def _return(self, side: Side) -> Block | None:
        value = value_of(self.p, side, "%ret")
        if not side.frames:
            return Stop("return", value)
        side.leave()
        if side.node.dest is not None:
            side.store[side.node.dest] = value
        side.node = side.node.succs[0]
        return None

    def _thrown(self, side: Side) -> Block | None:
        error = value_of(self.p, side, "%exc")
        if side.frames:
            self.throw(side, error)
            return None
        return Stop("throw", error)

    def throw(self, side: Side, error: Term) -> None:
        """An exception: the side goes on where it is handled, or out."""
        target = side.node.exc or self.p.arena.throw
        while target is self.p.arena.throw and side.frames:
            frame = side.leave()
            target = frame.call.exc or self.p.arena.throw
            if frame.lazily and (target is not self.p.arena.throw or side.frames):
                error = self.p.terms.make("left", error)  # no StopIteration any more (PEP 479)
        side.answer = None
        side.store["%exc"] = error
        side.node = target
