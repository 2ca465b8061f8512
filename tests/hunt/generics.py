"""Random modules with type parameters: functions, methods and classes that bind, read, hide or have none of a name."""

import random
from typing import Any

_PARAMETERS = ("", "[T]", "[T, S]", "[S]", "[T: int]", "[T: (int, str)]", "[S, T]", "[**T]", "[*T]", "[int]")
_READS = ("str(T)", "T", "T is Bin", "str(getattr(T, '__bound__', 0))", "helper(v)", "desk._own(v)", "str(Bin)", "v",
          "len(Bin.__bases__)", "str(getattr(Bin, '__parameters__', 0))", "callable(Bin)", "desk.take(v)")  # fmt: skip
_BODIES = (
    ("    if v < 3:\n        return {}\n    return {}\n", "    return {} if v < 3 else {}\n"),
    (
        "    if v < 3:\n        return {}\n    else:\n        return {}\n",
        "    if v >= 3:\n        return {1}\n    return {0}\n",
    ),
    ("    x = {}\n    if v:\n        return x\n    return {}\n", "    x = {}\n    return x if v else {}\n"),
)
_HEAD = ("", "T = 5\n", "class T:\n    pass\n", "T = int\n", "type T = int\n", "def T():\n    return 1\n")


def pair(pick: random.Random) -> tuple[str, str]:
    """The text of a module, and that of one that may do the same."""
    first, second = pick.choice(_READS), pick.choice(_READS)
    body, other = (b.format(first, second) for b in pick.choice(_BODIES))
    if first in ("helper(v)", "desk._own(v)", "desk.take(v)") and pick.random() < 0.4:
        other = other.replace(first, "str(T)")
    heads = {name: pick.choice(_PARAMETERS) for name in ("f", "helper", "Bin", "Desk", "_own", "take", "around")}
    shared = dict(heads)
    if pick.random() < 0.6:
        changed = pick.choice(list(heads))
        shared[changed] = pick.choice(_PARAMETERS)
    noted = pick.choice(("", "", ": int", ": T"))
    above = pick.choice(_HEAD)
    read = "T" if first == "v" else first
    return tuple(
        _module(above, h, noted, b, read) for h, b in ((heads, body), (shared, pick.choice((body, other, other))))
    )


def _module(above: str, heads: dict[str, str], noted: str, body: str, read: str) -> str:
    own = "".join(f"    {line}\n" for line in body.replace("desk.", "self.").splitlines())
    return (
        f"from __future__ import annotations\n{above}class Bin{heads['Bin']}:\n    pass\n"
        f"def helper{heads['helper']}(v):\n    return str(T)\n"
        f"class Desk{heads['Desk']}:\n    def _own{heads['_own']}(self, v):\n        return str(T)\n"
        f"    def take{heads['take']}(self, v{noted}):\n{own.replace('self.take(v)', 'self._own(v)')}"
        f"def around{heads['around']}(w):\n    def inner{heads['f']}(v):\n        return str(T), {read}\n    return inner\n"
        f"desk = Desk()\ndef f{heads['f']}(v{noted}):\n{body}"
    )


def difference(old: dict[str, Any], new: dict[str, Any], name: str) -> Any:
    """A value that the two are not the same for; None when there is none among these."""
    for given in (0, 1, 3, 4, float("nan"), None):
        seen = [_seen(space, name, given) for space in (old, new)]
        if None not in seen and seen[0] != seen[1]:
            return given, seen
    return None


def _seen(space: dict[str, Any], name: str, given: Any) -> Any:
    function = space["around"](1) if name == "around" else space["f"] if name == "f" else space["desk"].take
    known = "v: int" in space["TEXT"] and "[int]" not in space["TEXT"]
    if known and type(given) is not int:
        return None
    try:
        return repr(function(given)).partition(" at 0x")[0]
    except Exception as error:
        return type(error).__name__
