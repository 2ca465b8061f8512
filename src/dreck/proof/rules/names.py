"""Names: locals that may be unbound, names of the module, variables of functions around."""

from dreck.model.ir.operations import Op
from dreck.model.ir.terms import Term
from dreck.proof.lockstep.prover import Prover
from dreck.proof.rules.common import At, observed, read_now
from dreck.proof.state import Event, Gives, Result, Throws


def bound(at: At) -> Result:
    """A local has to have a value before it is read."""
    p, (value,) = at.p, at.values
    if value is p.arena.unbound:
        return Throws(at.make("unbound local", at.node.payload, at.side.in_flight()))
    if value.op == "maybe":
        key = at.make("bound?", value)
        if key not in at.state.lasting:
            return Event(key, at.node.source, key, once=True, lasts=True, moves_time=False)
        p.trail.append(("done", key, True))
    return Gives()


def global_name(at: At) -> Result:
    kind, name = at.node.payload
    at.p.globals.add(name)
    if kind == "stable":
        return Gives(at.make("global", name))
    read = at.timed("gvar", name)
    if kind == "varying":
        return Gives(read_now(at, read))
    return observed(at, read, quiet=at.p.names[at.which].may_be_bound(name))


def outer_name(at: At) -> Result:
    """A variable that a nested function shares with the one around it: one for each call of that one."""
    free = at.node.op is Op.FREE  # a variable of its own that is shared may have no value yet, as any local
    return observed(at, at.timed("free" if free else "cell", at.node.payload), quiet=free)


def builtin_name(p: Prover, which: int, function: Term) -> str:
    """The name of the builtin a value surely is, or ''."""
    if p.shape(function) != "global":
        return ""
    name = str(function.args[0])
    return name if all(names.is_builtin(name) for names in p.names) else ""
