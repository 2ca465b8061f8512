"""Which rule counts for which operation."""

from dreck.model.ir.operations import Op
from dreck.proof.lockstep.prover import Prover
from dreck.proof.rules import arithmetic, attributes, calls, comparing, items, names, structure, truth
from dreck.proof.rules.common import At, Rule, by_the_table, value_of
from dreck.proof.state import Gives, Result, Side, State, Stop, no_stop_under


def _head(at: At) -> Result:
    return Stop("head", source=at.node.source)


def _moved(at: At) -> Result:
    return Gives(at.values[0])


def _left(at: At) -> Result:
    (error,) = at.values
    told = no_stop_under(error)
    if not told:
        return Gives(at.make("left", error))
    at.p.note(told)
    at.p.trail.append(("very", error, None))
    return Gives(error)


RULES: dict[Op, Rule] = {
    Op.MOVE: _moved,
    Op.HEAD: _head,
    Op.BOUND: names.bound,
    Op.GLOBAL: names.global_name,
    Op.FREE: names.outer_name,
    Op.CELL: names.outer_name,
    Op.BRANCH: truth.branch,
    Op.COMPARE: comparing.compare,
    Op.ATTRIBUTE: attributes.attribute,
    Op.ITEM: items.item,
    Op.CALL: calls.call,
    Op.ROW: calls.row_of_table,
    Op.PATTERN_CLASS: calls.pattern_class,
    Op.RERAISE: calls.raised_again,
    Op.CATCHES: calls.caught,
    Op.LEFT: _left,
    Op.BINARY: arithmetic.arithmetic,
    Op.IN_PLACE: arithmetic.arithmetic,
    Op.UNARY: arithmetic.arithmetic,
    Op.FORMAT: arithmetic.formatted,
    Op.JOINED: arithmetic.joined,
    Op.TUPLE: arithmetic.tuple_of,
    Op.SLICE: arithmetic.slice_of,
    Op.PART: structure.part,
    Op.MAYBE_PART: structure.maybe_part,
    Op.UNPACK: structure.unpacked,
    Op.APART: structure.members_apart,
    Op.HASHED: structure.hashed,
    Op.SETTLED: structure.settled,
}


def result_of(p: Prover, side: Side, state: State) -> Result:
    """What the node a side is at comes to. Exits are the lock-step's own affair."""
    node = side.node
    at = At(p, side, state, node, tuple(value_of(p, side, operand) for operand in node.operands))
    rule = RULES.get(node.op)
    found = rule(at) if rule is not None else None
    return by_the_table(at) if found is None else found
