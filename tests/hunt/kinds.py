"""Random ladders that ask for classes, told again as generic functions and methods, in another order, or with a fault."""

import random
from typing import Any

from tests.hunt.hidden import hidden
from tests.hunt.running import told

_HEAD = """\
from collections import UserDict
from functools import singledispatch, singledispatchmethod
from json import JSONDecoder as Elsewhere
LOG = []
def ev(n):
    LOG.append(n)
    return n
"""
_NONE = "type(None)"
_KINDS = ("A", "B", "C", "D", "E", "int", "str", "bool", _NONE, _NONE)
_GHOST = "class G:\n    n = 7\n    @property\n    def __class__(self):\n        return type(None)\n"
_PUTTING = (
    "    def put(self, **parts):\n        for name, part in parts.items():\n            setattr(self, name, part)\n"
)
_ANSWERS = ("1", "2", "a", "self.k", "ev(1)", "ev(a)", "o", "None")
_SPOILT = (
    *[""] * 12,
    "G = Gate\nG.by_kind.register(list)(lambda self, o, a: 9)\n",
    "vars(Gate)['by_' + 'kind'].register(list, lambda self, o, a: 9)\n",
    "def more(kind):\n    class More(kind):\n        pass\n    return More\nX = more(Gate)\n",
    "class Other(Gate):\n    def by_kind_a(self, o, a):\n        return 9\n",
)
_IN_THE_CLASS = (
    *[""] * 12,
    "    A = B\n",
    "    str = bytes\n",
    "    __slots__ = ()\n",
    "    __slots__ = ('k2', '__dict__')\n",
    "    def __init__(self):\n        self.by_kind = lambda o, a: 9\n",
    "    def __getattribute__(self, name):\n        LOG.append(name)\n        return object.__getattribute__(self, name)\n",
)
_BELOW = "class Side(Gate):\n    def by_kind(self, o, a):\n        return 9\n"
_Arm = tuple[str, str]


def pair(pick: random.Random) -> tuple[str, str]:
    """The text of a module with a ladder, and that of one that may do the same."""
    family = _HEAD + _family(pick) + (_GHOST if pick.random() < 0.1 else "")
    gate = f"class Gate{pick.choice(('', '', '(UserDict)', '(Elsewhere)'))}:\n    k = 5\n"
    gate += _PUTTING if pick.random() < 0.4 else ""
    old, new = _pair(family, gate, pick)
    if pick.random() < 0.5:
        return old, new
    private = new.replace("by_kind", "_by_kind").replace("_by_kind_", "by_kind_")
    return old, private.replace("'by_'", "'_by_'")


def _pair(family: str, gate: str, pick: random.Random) -> tuple[str, str]:
    arms = [(pick.choice(_KINDS), pick.choice(_ANSWERS)) for _ in range(pick.choice((1, 2, 2, 3)))]
    rest = pick.choice(_ANSWERS)
    told = _BELOW if pick.random() < 0.8 else "class Side(Gate):\n    __slots__ = ('by_kind',)\n"
    below = "" if pick.random() < 0.7 else hidden(told, "Side", pick) if pick.random() < 0.6 else told
    old = f"{family}{gate}{_ladder(arms, rest)}{below}"
    arms = _spoilt(arms, pick)
    rest = rest if pick.random() < 0.93 else pick.choice(_ANSWERS)
    if pick.random() < 0.3:
        pick.shuffle(arms)
        return old, f"{family}{gate}{_ladder(arms, rest)}{below}"
    inside, after = pick.choice(_IN_THE_CLASS), pick.choice(_SPOILT)
    if pick.random() < 0.7:
        body = (
            f"    def weigh(self, o, a):\n        return self.by_kind({pick.choice(('o, a',) * 9 + ('o=o, a=a',))})\n"
        )
        return old, f"{family}{gate}{inside}{body}{_generic(arms, rest, pick)}{below}{after}"
    lines = (
        _generic(arms, rest, pick).replace("singledispatchmethod", "singledispatch").replace("self, o, a", "o, a, self")
    )
    functions = "".join(f"{line[4:]}\n" for line in lines.splitlines())
    return (
        old,
        f"{family}{functions}{gate}    def weigh(self, o, a):\n        return by_kind(o, a, self)\n{below}",
    )


def _family(pick: random.Random) -> str:
    found = "class A:\n    n = 1\nclass B(A):\n    n = 2\nclass C(A):\n    n = 3\n"
    both = f"class D({pick.choice(('B, C', 'C, B', 'B'))}):\n    n = 4\n"
    last = f"class E{pick.choice(('', '', '(int)', '(str)'))}:\n    n = 5\n"
    found += hidden(both, "D", pick) if pick.random() < 0.3 else both
    if pick.random() < 0.3:
        joined = f"class F({pick.choice(('E, B', 'B, E', 'A, E'))}):\n    n = 6\n"
        return found + last + (hidden(joined, "F", pick) if pick.random() < 0.6 else joined)
    return found + last


def _ladder(arms: list[_Arm], rest: str) -> str:
    lines = "".join(f"        if {_test(kind)}:\n            return {answer}\n" for kind, answer in arms)
    return f"    def weigh(self, o, a):\n{lines}        return {rest}\n"


def _test(kind: str) -> str:
    return "o is None" if kind == _NONE else f"isinstance(o, {kind})"


def _spoilt(arms: list[_Arm], pick: random.Random) -> list[_Arm]:
    arms = list(arms)
    if pick.random() < 0.25:
        at = pick.randrange(len(arms))
        kind, answer = arms[at]
        arms[at] = pick.choice(((kind, pick.choice(_ANSWERS)), (pick.choice(_KINDS), answer)))
    elif pick.random() < 0.1:
        del arms[pick.randrange(len(arms))]
    return arms


def _generic(arms: list[_Arm], rest: str, pick: random.Random) -> str:
    lines = [f"    @singledispatchmethod\n    def by_kind(self, o, a):\n        return {rest}\n"]
    for kind, answer in arms:
        noted = pick.random() < 0.2 and kind != _NONE
        head = "    @by_kind.register\n" if noted else f"    @by_kind.register({kind})\n"
        name = pick.choice(("_", *[f"by_kind_{kind.lower().strip('()')}"] * 2)).replace("(", "_")
        lines.append(f"{head}    def {name}(self, o{f': {kind}' if noted else ''}, a):\n        return {answer}\n")
    return "".join(lines)


def difference(old: dict[str, Any], new: dict[str, Any]) -> Any:
    """An object that the two are not the same for; None when there is none among these."""
    for name in ("Gate", "Side"):
        for kind in ("A", "B", "C", "D", "E", "F", "G", _NONE, "int", "str", "bool", "list"):
            seen = [_seen(space, name, kind) for space in (old, new)]
            if seen[0] != seen[1]:
                return name, kind, seen
    return None


def _seen(space: dict[str, Any], name: str, kind: str) -> Any:
    known = {**vars(__import__("builtins")), **space, _NONE: lambda: None}
    space["LOG"].clear()
    try:
        made = known[kind]()
        answer = known[name]().weigh(made, 7)
        return ("o" if answer is made else told(answer)), list(space["LOG"])
    except Exception as error:
        return type(error).__name__, list(space["LOG"])
