"""Items under a constant key: `x["kilos"]`, `x[0]`, `x.get("kilos")`, read under `plain-items`."""

import re

from dreck.model.ir.terms import Term
from dreck.model.narrowing import Member
from dreck.proof.assumptions import ATTRIBUTES, ITEMS, STEADY
from dreck.proof.rules.common import At, observed
from dreck.proof.state import Result

_WORD = re.compile(r"[\w .-]+\Z")
"""What a key of a row looks like; an address or a path is something that a `get` may fetch."""


def item(at: At) -> Result | None:
    base, key = at.values
    if not is_key(key) or not is_holder(at, base) or not at.p.reads_items_quietly("item"):
        return None
    if f"[{key.value!r}]" in at.p.steady:
        return observed(at, at.make("item", base, key), STEADY)
    return observed(at, at.timed("item", base, key), ITEMS)


def got(at: At, function: Term, values: list[Term]) -> Result | None:
    """`x.get(key)` and `x.get(key, default)`."""
    if at.p.shape(function) != "attr" or function.args[1] != "get" or not 1 <= len(values) <= 2:
        return None
    base, (key, *default) = function.args[0], values
    if not is_word(key) or not is_holder(at, base) or not all(is_key(d) for d in default):
        return None
    if ATTRIBUTES not in at.p.allowed or not at.p.reads_items_quietly("item", "get"):
        return None
    return observed(at, at.timed("got", base, *values), ITEMS)


def is_key(value: Term) -> bool:
    """Whether a value is a constant that can be hashed, and stands for one place."""
    if value.op != "const":
        return False
    return value.value is None or isinstance(value.value, str | int | bytes | Member)


def is_word(value: Term) -> bool:
    """Whether a value is a text that may be the name of a field."""
    return value.op == "const" and isinstance(value.value, str) and _WORD.match(value.value) is not None


def is_holder(at: At, base: Term) -> bool:
    """Whether a value may be something that holds items: no class, no module."""
    return at.p.shape(base) not in ("global", "const", "type", "lambda", "method")
