"""Random functions that ask values of built-in types, beside a class below one that may answer in a way of its own."""

import random
from typing import Any

from tests.hunt.hidden import hidden
from tests.hunt.running import told

_HEAD = "from collections import OrderedDict\nLOG = []\ndef ev(n):\n    LOG.append(n)\n    return n\n"
_BASES = {
    "dict": ("dict", "OrderedDict", "Base"), "list": ("list", "Base"), "str": ("str", "Base"), "int": ("int",),
    "float": ("float",), "tuple": ("tuple",), "Exception": ("Exception", "LookupError"),
    "LookupError": ("LookupError", "KeyError"), "object": ("", "list"),
}  # fmt: skip
_ASKED = ("v == 1", "v == 'wet'", "v != 1", "v", "not v", "len(v) > 1", "v < 2", "1 in v", "v.kilos", "v.kilos == 1",
          "v[0]", "v.get(0)", "v in (1, 2)", "v + 1 == 2", "f'{v}' == 'wet'")  # fmt: skip
_SAYS = ("__eq__(self, o)", "__bool__(self)", "__len__(self)", "__lt__(self, o)", "__contains__(self, o)",
         "__getitem__(self, o)", "get(self, o)", "__add__(self, o)", "__format__(self, o)", "__hash__(self)",
         "__getattribute__(self, o)", "__ne__(self, o)", "weigh(self)", "__init__(self)")  # fmt: skip
_BODY = "        LOG.append('asked')\n        return {}\n"


def pair(pick: random.Random) -> tuple[str, str]:
    """The text of a module, and that of one that may do the same."""
    base = pick.choice((*_BASES, "int", "str", "float"))
    head = _HEAD + f"Base = {base}\n" + _kind(base, pick)
    first, second = pick.choice(_ASKED), pick.choice(_ASKED)
    noted = f": {base}" if pick.random() < 0.6 and base in ("int", "str", "float", "dict", "list") else ""
    test = "" if noted else f"    if not isinstance(v, {base}):\n        return ev(0)\n"
    start = f"def f(v{noted}):\n{test}"
    second = first if pick.random() < 0.7 else second
    old = f"{start}    if {first}:\n        return ev(1)\n    if {second}:\n        return ev(2)\n    return ev(3)\n"
    ways = (
        f"    if {first}:\n        return ev(1)\n    return ev(3)\n",
        f"    x = {first}\n    if x:\n        return ev(1)\n    if x:\n        return ev(2)\n    return ev(3)\n",
        f"    if {first}:\n        n = 1\n    elif {second}:\n        n = 2\n    else:\n        n = 3\n    return ev(n)\n",
        f"    if {second}:\n        return ev(2)\n    if {first}:\n        return ev(1)\n    return ev(3)\n",
        f"    {first.removeprefix('not ')}\n    if {first}:\n        return ev(1)\n    if {second}:\n        return ev(2)\n"
        "    return ev(3)\n",
    )
    return head + old, head + start + pick.choice(ways)


def _kind(base: str, pick: random.Random) -> str:
    says, turn = pick.choice(_SAYS), pick.choice(("len(LOG) % 2", "1 - len(LOG) % 2"))
    answer = f"format({turn})" if "format" in says else turn
    answer = "object.__getattribute__(self, o)" if "attribute" in says else "None" if "init" in says else answer
    body = f"    def {says}:\n{_BODY.format(answer)}"
    if pick.random() < 0.4:
        body = f"    @property\n    def kilos(self):\n{_BODY.format(turn)}"
    above = pick.choice(_BASES[base])
    if pick.random() < 0.2:
        return f"class Loud:\n{body}class Row(Loud{', ' if above else ''}{above}):\n    pass\n"
    text = f"class Row({above}):\n{body}"
    return hidden(text, "Row", pick) if pick.random() < 0.2 else text


def difference(old: dict[str, Any], new: dict[str, Any]) -> Any:
    """A value that the two are not the same for; None when there is none among these."""
    plain = {
        "v": 1,
        "w": 0,
        "t": "wet",
        "l": [],
        "m": [1, 2],
        "d": {},
        "e": {0: 1},
        "n": None,
        "f": 1.0,
        "k": KeyError(1),
    }
    for name in (*plain, "Row"):
        seen = [_seen(space, plain.get(name, name)) for space in (old, new)]
        if seen[0] != seen[1]:
            return name, seen
    return None


def _seen(space: dict[str, Any], given: Any) -> Any:
    noted = space["f"].__annotations__.get("v")
    if given == "Row":
        if "Row" not in space:
            return None
        try:
            given = space["Row"]()
        except Exception:
            return None
    if noted is not None and not isinstance(given, noted):
        return None
    space["LOG"].clear()
    try:
        return told(space["f"](given)), list(space["LOG"])
    except Exception as error:
        return type(error).__name__, list(space["LOG"])
