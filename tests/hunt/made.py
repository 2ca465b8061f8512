"""Random pairs of functions that ask a name which a decorator, a metaclass or a call may have made anything of."""

import random
import re
from typing import Any

_LOUD = """\
LOG = []
class Loud:
    n = 1
    def __init__(self, *given):
        pass
"""
_LOUDER = (
    "    def __getattr__(self, name):\n        LOG.append(name)\n        return 1\n",
    "    def __get__(self, *given):\n        LOG.append('got')\n        return 1\n",
    "    def __eq__(self, other):\n        LOG.append('eq')\n        return len(LOG) % 2 == 0\n",
    "    def __bool__(self):\n        LOG.append('told')\n        return len(LOG) % 2 == 0\n",
    "    m = 3\n",
)
_KEEPERS = (
    "def kept(*given):\n    return given[0]\n",
    "def kept(*given):\n    pass\n",
    "def kept(*given):\n    return Loud()\n",
    "def kept(*given):\n    return True\n",
    "from functools import cache as kept\n",
    "kept = Loud\n",
)
_MADE = (
    "@kept\ndef made():\n    return 1\n",
    "@kept\nclass made:\n    m = 1\n",
    "from functools import partial\n@partial(Loud)\ndef made():\n    return 1\n",
    "class made(metaclass=kept):\n    m = 1\n",
    "class made(Loud()):\n    m = 1\n",
    "made = Loud()\n",
    "def made():\n    return 1\n",
    "class made:\n    m = 1\n",
)
_ASKED = (
    "made is None",
    "made is not None",
    "made is True",
    "made.m",
    "made == 1",
    "not made",
    "Yard.made",
    "Yard().made",
    "a.made",
)
_ENDS = ("return x, y, len(LOG)", "return x, y", "return y, list(LOG)")


def pair(pick: random.Random) -> tuple[str, str]:
    """The text of a module with `f(a)`, and that of one that may do the same."""
    head = _head(pick)
    asked = (
        [_ASKED[3] if pick.random() < 0.3 else pick.choice(_ASKED)] * 2
        if pick.random() < 0.6
        else pick.choices(_ASKED, k=2)
    )
    old = [f"x = {asked[0]}", f"y = {asked[1]}"]
    if pick.random() < 0.6:
        old.insert(pick.randrange(3), f"if {pick.choice(_ASKED)}:\n        return 7")
    if "x" not in old[0] or pick.random() < 0.3:
        old.insert(0, "x = y = 0")
    new = list(old)
    at = pick.randrange(len(new))
    match pick.randrange(4):
        case 0:
            new[at] = new[at].replace(pick.choice(asked), pick.choice(("x", "x", "True", "False", "1")))
        case 1:
            new[at] = "pass" if new[at].startswith("if") else new[at]
        case 2:
            new[at] = "return 7" if new[at].startswith("if") else new[at]
        case _:
            new[at - 1], new[at] = new[at], new[at - 1]
    end = pick.choice(_ENDS)
    kind = pick.choice(("a", "a: Yard", "a: Loud"))
    return (head + _function(kind, [*old, end]), head + _function(kind, [*new, end]))


def _head(pick: random.Random) -> str:
    """What gives `made` its meaning; not everything can be decorated, or be a metaclass."""
    while True:
        louder = _LOUDER[0] if pick.random() < 0.3 else pick.choice(_LOUDER)
        parts = (_LOUD, louder, pick.choice(_KEEPERS), _MADE[0] if pick.random() < 0.4 else pick.choice(_MADE))
        head = "".join(parts) + "class Yard:\n    made = made\n"
        try:
            exec(head, {"__name__": "hunted"})
        except TypeError:
            continue
        return head


def _function(given: str, lines: list[str]) -> str:
    return f"def f({given}):\n" + "".join(f"    {line}\n" for line in lines)


def difference(old: dict[str, Any], new: dict[str, Any]) -> Any:
    """What tells two modules apart, if anything does: an input, and what each comes to."""
    for kind in ("Yard", "Loud"):
        seen = []
        for module in (old, new):
            module["LOG"].clear()
            try:
                seen.append((module["f"](module[kind]()), list(module["LOG"])))
            except Exception as error:
                seen.append((repr(error), list(module["LOG"])))
        told = [re.sub(r"0x\w+", "", repr(one)) for one in seen]
        if told[0] != told[1]:
            return kind, *told
    return None
