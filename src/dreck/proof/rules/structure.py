"""Values taken apart: tuples, named rows, keys of constant tables."""

import ast
import builtins
import sys

from dreck.model.ir.naming import Unsupported
from dreck.model.ir.terms import Term
from dreck.model.names.elsewhere.apart import are_apart
from dreck.proof.assumptions import COMPARISONS, CONSTANTS, FAMILIES, HASHABLE
from dreck.proof.classes.above import UNKNOWN, roots_of
from dreck.proof.classes.say.wilful import CONSTANT
from dreck.proof.rules.common import At, by_the_table, unmet
from dreck.proof.state import Event, Gives, Result


def part(at: At) -> Result:
    (whole,) = at.values
    if at.p.shape(whole) == "tuple":
        return Gives(whole.args[at.node.payload])
    return Gives(at.make("part", at.node.payload, whole))


def maybe_part(at: At) -> Result:
    """What `:=` inside a comprehension left behind: nothing, if it never came to it."""
    return Gives(at.make("maybe", at.make("part", f"walrus {at.node.payload}", at.values[0])))


def unpacked(at: At) -> Result | None:
    value = _as_tuple(at, at.values[0])
    size, star = at.node.payload
    if at.p.shape(value) == "tuple" and star is None and len(value.args) == size:
        return Gives(value)
    return None


def _as_tuple(at: At, value: Term) -> Term:
    """A row that is a named tuple, as the tuple it is."""
    if at.p.shape(value) != "record" or not at.p.classes[at.which].records.is_named_tuple(str(value.args[0])):
        return value
    return at.make("tuple", *value.args[1:])


def members_apart(at: At) -> Result:
    """Keys of a table that are members of one class or module: from elsewhere they are taken to differ, unless it can
    be seen that they do not."""
    p, kin, names = at.p, at.p.classes[at.which], at.p.names[at.which]
    written, words = at.node.payload
    if not written:
        return _classes_apart(at, words)
    owner = names.canonical(written)
    if owner in kin.table.classes:
        return Gives() if kin.has_distinct_constants(owner) else by_the_table(at)
    equal = are_apart(names.stands_for(ast.Name(written, ast.Load())), words, names) is False
    if equal or FAMILIES not in p.allowed:
        return by_the_table(at)
    p.note(FAMILIES)
    return Gives()


def _classes_apart(at: At, words: tuple[str, ...]) -> Result:
    """Keys of a table that are classes, by their names: each is the one of its statement or a builtin, and no
    metaclass of the project says what comparing them is."""
    p, kin, names = at.p, at.p.classes[at.which], at.p.names[at.which]
    meant: set[object] = set()
    for word in map(names.canonical, words):
        node = kin.table.classes.get(word)
        if node is None:
            meant.add(getattr(builtins, word, word) if names.is_builtin(word) else word)
            continue
        roots = roots_of(node, names)
        if not kin.table.is_named_as_written(word) or roots & {UNKNOWN, "builtins.type"}:
            return by_the_table(at)
        if any(root.partition(".")[0] not in sys.stdlib_module_names for root in roots):
            if FAMILIES not in p.allowed:
                return by_the_table(at)
            p.note(FAMILIES)
        meant.add(word)
    return Gives() if len(meant) == len(words) else by_the_table(at)


def hashed(at: At) -> Result:
    """A key of a table: what cannot be hashed raises there, and was merely compared where no table was."""
    p, (value,) = at.p, at.values
    key = at.make("hash", value)
    if p.is_scalar(value) or value.op == "const" or p.shape(value) in ("type", "global"):
        return Gives()
    if key in at.state.lasting:
        p.trail.append(("done", key, True))
        return Gives()
    what = CONSTANT if at.node.payload else "eq"
    quiet = COMPARISONS in p.allowed and all(
        p.compares_quietly(w, at.state, value, looked_up=True) for w in ("hash", what)
    )
    if not quiet and any(what in kin.taken_back().comparisons for kin in p.classes):
        return unmet(at)  # a table asks `==` of the keys that go by the same hash, and of no others
    if HASHABLE not in p.allowed:
        return Event(key, at.node.source)  # `__hash__` may be anything
    alone = HASHABLE if quiet else ""
    return Event(key, at.node.source, harmless=alone, keeps=HASHABLE, once=True, lasts=True, moves_time=False)


def settled(at: At) -> Result:
    """A constant of another module, read when a table was made: is it what it is there now?"""
    if CONSTANTS not in at.p.allowed:
        told = f"a table holds `{at.node.payload}`, which was worked out when the module was made"
        raise Unsupported(f"{told}; --assume {CONSTANTS} takes it to be the same ever since")
    key = at.make("still", at.node.payload)
    if key in at.state.lasting:
        at.p.trail.append(("done", key, True))
        return Gives()
    return Event(key, at.node.source, harmless=CONSTANTS, keeps=CONSTANTS, once=True, lasts=True, moves_time=False)
