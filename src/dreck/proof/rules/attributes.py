"""Attributes: read under `plain-attributes`, or looked into where only one version speaks of them."""

from dreck.model.ir.terms import Term
from dreck.proof.assumptions import ATTRIBUTES, FAMILIES, PRIVATE, STEADY
from dreck.proof.classes.members import GENERIC, Found
from dreck.proof.classes.say.hidden import may_override
from dreck.proof.lockstep.prover import Prover
from dreck.proof.rules.common import At, by_the_table, observed
from dreck.proof.state import Asks, Event, Gives, Result


def attribute(at: At) -> Result:
    base, name = at.values[0], str(at.node.payload)
    found = _looked_into(at, base, name)
    if found is not None:
        return found
    found = _private_method(at, base, name)
    if found is not None:
        return found
    if not at.p.reads_quietly(base, name, at.state):
        return by_the_table(at)
    if name in at.p.steady:
        return observed(at, at.make("attr", base, name), STEADY)
    key, sure = at.timed("attr", base, name), _is_surely_there(at, base, name)
    return observed(at, key, ATTRIBUTES, alone=sure, quiet=not _is_surely_missing(at, base, name))


def _is_surely_missing(at: At, base: Term, name: str) -> bool:
    """Whether a class of the files, all of which is seen, has nothing under the name: then no test may read it."""
    kin, kind = at.p.classes[at.which], str(base.args[0]) if at.p.shape(base) == "global" else ""
    if kind not in kin.table.classes or not kin.table.is_understood(kind) or kin.is_stored(name):
        return False
    above = kin.table.order(kind) or ()
    return not any(kin.members.may_have(holder, name) for holder in above)


def _private_method(at: At, base: Term, name: str) -> Result | None:
    """A private method of the object whose method this is: it is found on the class, whatever others say of reading."""
    p, kin = at.p, at.p.classes[at.which]
    own = p.given is not None and base is p.given.args[0] and {FAMILIES, PRIVATE} <= p.allowed
    owner = str(p.given.args[1].args[0]) if own and p.given is not None else ""
    found = kin.private_method(owner, name) if owner in kin.table.classes else None
    if found is None:
        return None
    p.trail.append(("very", base, None))
    p.note(FAMILIES)
    p.note(PRIVATE)
    return Gives(at.make("method", found.holder, name, found.form, base))


def _is_surely_there(at: At, base: Term, name: str) -> bool:
    """Whether reading the attribute cannot raise: a plain constant or function of a class, a method of one's own."""
    if at.p.shape(base) == "global":
        kin, kind = at.p.classes[at.which], str(base.args[0])
        found, stored = kin.found(kind, name), kin.is_stored(name)
        sure = found is not None and found.form in ("constant", "static", "method") and not stored
        if kin.enums.is_enum(kind):  # what its class makes of anything but a member is not known here
            sure = kin.enums.member(kind, name) is not None
    else:
        sure = own_method(at.p, at.which, base, name) is not None
    if sure and FAMILIES in at.p.allowed:
        at.p.note(FAMILIES)
        return True
    return False


def _looked_into(at: At, base: Term, name: str) -> Result | None:
    """What only one version knows under that name: a field, a method, a constant of a class."""
    p, kin = at.p, at.p.classes[at.which]
    if p.shape(base) == "record":
        return _of_record(at, base, name)
    if FAMILIES not in p.allowed:
        return None
    if base.op == "global":
        return _of_class(at, str(base.args[0]), name)
    holder = _generic_holder(at, base, name)
    if holder:
        p.trail.append(("very", base, None))
        p.note(FAMILIES)
        return Gives(at.make("method", holder, name, GENERIC, base))
    if not kin.is_own_attribute(name):
        return None
    holders = kin.holders(name)
    if holders is None:
        return None
    for kind in holders:
        test = at.make("isinstance", base, at.make("global", kind))
        outcome = p.decided(test, at.state)
        if outcome is None:
            return Asks(test, source=at.node.source)
        if outcome:
            p.note(FAMILIES)
            found = kin.found(kind, name)
            assert found is not None
            return _of_instance(at, found, name, base)
    return None


def _generic_holder(at: At, base: Term, name: str) -> str:
    """The class that holds the generic method which the object whose method this is surely has; '' if none does."""
    p, kin = at.p, at.p.classes[at.which]
    if p.given is None or base is not p.given.args[0]:
        return ""
    owner = str(p.given.args[1].args[0])
    holder = kin.generic_method(owner, name)
    if not holder and PRIVATE in p.allowed and kin.private_generic(owner, name):
        p.note(PRIVATE)
        return owner
    return holder


def own_method(p: Prover, which: int, base: Term, name: str) -> Found | None:
    """A method of the object whose method this is, if no class of the module overrides it."""
    if p.given is None or base is not p.given.args[0] or FAMILIES not in p.allowed or p.may_change_classes:
        return None
    kin, owner = p.classes[which], str(p.given.args[1].args[0])
    is_set = kin.is_stored(name)
    if owner not in kin.table.classes or (is_set and not (PRIVATE in p.allowed and kin.is_private(name))):
        return None
    found = kin.found(owner, name)
    below = [kin.found(kind, name) for kind in kin.table.below(owner) if not kin.table.only_inherits(kind, name)]
    if found is None or any(f != found for f in below) or may_override(kin.table, owner, name):
        found = kin.private_method(owner, name) if PRIVATE in p.allowed else None
        is_set = found is not None
    if found is None or found.form != "method":
        return None
    p.trail.append(("very", base, None))
    if is_set:
        p.note(PRIVATE)
    return found


def _of_record(at: At, record: Term, name: str) -> Result | None:
    kin, kind = at.p.classes[at.which], str(record.args[0])
    names = [field for field, _ in kin.records.fields(kind) or ()]
    if name in names:
        return Gives(record.args[1 + names.index(name)])
    found = kin.found(kind, name)
    return None if found is None or kin.is_stored(name) else _of_instance(at, found, name, record)


def _of_class(at: At, kind: str, name: str) -> Result | None:
    """A member of an enum, or what a class of one version alone has under a name."""
    kin = at.p.classes[at.which]
    member = kin.enums.member(kind, name)
    if member is not None:
        return Gives(at.p.terms.const(member))
    if kin.enums.is_valued(kind, name):
        return Gives(at.make("valued", kind, name))
    if not kin.is_own(kind) or kind not in kin.table.classes or kin.is_stored(name):
        return None
    found = kin.found(kind, name)
    if found is None or found.form not in ("static", "class", "constant"):
        return None
    return _of_instance(at, found, name, at.make("global", kind))


def _of_instance(at: At, found: Found, name: str, base: Term) -> Result | None:
    match found.form:
        case "constant":
            assert found.value is not None
            return Gives(at.p.terms.const(found.value.value))
        case "property":
            return Event(at.make("property", found.holder, name, base), at.node.source)
        case "class" if base.op != "global":
            return None
    return Gives(at.make("method", found.holder, name, found.form, base))
