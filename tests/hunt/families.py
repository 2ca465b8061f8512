"""Random classes that hold a code, whose kinds become subclasses: with all that could tell an object from what it was."""

import random
import re
from typing import Any

_BASES = (*[""] * 16, "(Above)", "(Above, Beside)", "(Counted)", "(Slotted)")
_HEAD = """\
import copy
LOG = []
RATE = 5
GLASS, PAPER = "glass", "paper"
due = 9
class Kind:
    GLASS = "glass"
    PAPER = "paper"
class Above:
    def told(self):
        return "above"
    def size(self):
        return len(LOG)
class Beside:
    def fee(self):
        return -1
class Counted:
    def __init_subclass__(cls):
        LOG.append(1)
class Slotted:
    __slots__ = ()
"""
_SAME = "def same(a, b):\n    return {}\n"
_SAMES = (*["a is b", "type(a) is int"] * 6, "type(a) is type(b)", "a.__class__ == b.__class__")
_CHANGES = (*["pass"] * 12, "global GLASS\n    GLASS = 'paper'", "Kind.GLASS = 'metal'")
_CLASS_LINES = (
    *[""] * 30,
    "    RATE = 7\n",
    "    __slots__ = ('kind', 'kilos', 'seen')\n",
    "    seen = []\n",
)
_INITS = (
    *["        self.kind = kind\n        self.kilos = kilos\n"] * 24,
    "        self.kilos = kilos\n        self.kind = kind\n",
    "        if kilos == 3:\n            return\n        self.kind = kind\n        self.kilos = kilos\n",
    "        self.kilos = kilos\n        LOG.append(ask(self))\n        self.kind = kind\n",
    "        self.kind = kind\n        self.kilos = kilos\n        LOG.append(ask(self))\n",
    "        self.kilos = 1\n        try:\n            self.kilos += kilos\n        finally:\n            pass\n        self.kind = kind\n",
    "        self.kind = kind\n        self.kilos = kilos\n        self.fee()\n",
    "        kind = kind or 'glass'\n        self.kind = kind\n        self.kilos = kilos\n",
)
_CODES = (('"glass"', '"paper"'), ('"glass"', '"paper"'), ("GLASS", "PAPER"), ("Kind.GLASS", "Kind.PAPER"), ("1", "2"),
          ("1", "2"), ("None", "0"))  # fmt: skip
_ANSWERS = ("self.kilos * 2", "self.kilos", "0", "self.told()", "self.__own()", "super().size()", "kilos(self)", "RATE",
            "seen.append(1) or list(seen)", "self.kind", "__class__.__name__", "[n for n in range(self.kilos)]",
            "LOG.append(self.kind)", "rate")  # fmt: skip
_MORE = (
    *[""] * 22,
    "    def __own(self):\n        return 4\n",
    "    total = fee\n",
    "    total = property(fee)\n",
    "    @classmethod\n    def of(klass, kind):\n        return klass(kind, 1)\n",
    "    @staticmethod\n    def of(kind):\n        return Load(kind, 1)\n",
    "    def __eq__(self, other):\n        return isinstance(other, Load) and self.kind == other.kind\n    __hash__ = None\n",
    "    def __eq__(self, other):\n        return type(self) is type(other)\n",
    "    def __repr__(self):\n        return f'{self.__class__.__name__} {self.kind}'\n",
    "    def __repr__(self):\n        return f'Load {self.kind}'\n",
    "    def again(self, kind):\n        self.__init__(kind, self.kilos)\n",
    "    def again(self, kind):\n        self.kind = kind\n",
)
_ENDS = (
    *["load.fee()", "load.told()", "other.fee()", "LOG"] * 18,
    *(
        "same(load, other)",
        "type(load) == type(other)",
        "type(load) is type(3)",
        "isinstance(load, Load)",
        "load == other",
    ),
    *("load.__class__ is other.__class__", "copy.copy(load).fee()", "again(load)", "len({type(load), type(other)})"),
    *(
        "load.total",
        "load.total()",
        "Load.of('glass').fee()",
        "load.of('paper').fee()",
        "globals()['Load'](kind, 2).fee()",
    ),
    *("repr(load)[:5]", "Load.fee(load)", "made(kind)", "change()", "load.extra", "issubclass(type(load), Load)"),
    *("[type(one) for one in (load, other)][0] is Load", "getattr(load, '__cl' + 'ass__') is Load", "late(load)"),
)
_AFTER = """\
def ask(load):
    try:
        return load.fee()
    except AttributeError:
        return "none"
def kilos(load):
    return load.kilos
def again(load):
    load.again("paper")
    return load.fee()
def made(kind):
    return [Load(k, 1).fee() for k in (kind, "paper")]
def late(load):
    load.extra = 1
    return load.fee()
"""
_TAIL = (
    *[""] * 30,
    "Other = Load\ndef made(kind):\n    return Other(kind, 2).fee()\n",
    "class Side(Load):\n    pass\ndef made(kind):\n    return Side(kind, 1).fee()\n",
    "Load.told = lambda self: 'put'\n",
    "def again(load):\n    object.__setattr__(load, 'kind', 'paper')\n    return load.fee()\n",
    "def again(load):\n    setattr(load, 'kind', 'paper')\n    return load.fee()\n",
    "def again(load):\n    load.__dict__.update(kind='paper')\n    return load.fee()\n",
    "def made(kind):\n    return copy.replace(Load(kind, 2)).fee() if hasattr(copy, 'replace') else 0\n",
    "def made(kind):\n    match Load(kind, 1):\n        case Load(kind='glass'):\n            return 1\n    return 2\n",
    "def made(kind):\n    try:\n        return same(*map(Load, 'ab', 'ab'))\n    except TypeError:\n        return 0\n",
)


_REST = "        else:\n            due = {}\n"


def module(pick: random.Random) -> str:
    """The text of a module with a class that holds a code, and `f`, which makes objects of it and asks them."""
    codes = pick.choice(_CODES)
    head = _HEAD + _SAME.format(pick.choice(_SAMES)) + f"def change():\n    {pick.choice(_CHANGES)}\n"
    given = pick.choice(
        (
            "self",
            "self",
            "self",
            "self, rate=RATE",
            *["self"] * 12,
            "self, seen=[]",
            "self, rate=2",
            "self, rate: int = 1",
        )
    )
    body = f"class Load{pick.choice(_BASES)}:\n    'A load.'\n{pick.choice(_CLASS_LINES)}"
    body += f"    def __init__(self, kind, kilos):\n{pick.choice(_INITS)}"
    body += f"    def fee({given}):\n{_ladder(codes, pick)}    def told(self):\n"
    body += _ladder(codes, pick) if pick.random() < 0.5 else "        return 'load'\n"
    asked = pick.sample(_ENDS, k=pick.choice((1, 2, 3)))
    both = "other = Load('paper', 2)" if codes[0].startswith('"') else "other = Load(2, 2)"
    end = "".join(f"    LOG.append({one})\n" for one in asked)
    maker = f"def f(kind, kilos):\n    load = Load(kind, kilos)\n    {both}\n{end}    return load.fee()\n"
    return head + body + pick.choice(_MORE) + _AFTER + pick.choice(_TAIL) + maker


def _ladder(codes: tuple[str, str], pick: random.Random) -> str:
    sure = ("self.kilos * 2", "self.kilos", "0", "self.kind")
    answers = pick.sample(sure, k=3)
    answers = [answer if pick.random() < 0.85 else pick.choice(_ANSWERS) for answer in answers]
    if pick.random() < 0.3:
        arms = "".join(
            f"        {w} self.kind == {c}:\n            due = {a}\n"
            for w, c, a in zip(("if", "elif"), codes, answers, strict=False)
        )
        return f"{arms}{pick.choice(('', _REST.format(answers[2])))}        return due\n"
    arms = "".join(
        f"        if self.kind == {c}:\n            return {a}\n" for c, a in zip(codes, answers, strict=False)
    )
    return f"{arms}        return {answers[2]}\n"


def difference(old: dict[str, Any], new: dict[str, Any]) -> Any:
    """Arguments that the two are not the same for; None when there are none among these."""
    for kind in ("glass", "paper", "metal", 1, True, 2, None, 0):
        for kilos in (2, 3):
            seen = [_seen(space, kind, kilos) for space in (old, new)]
            if seen[0] != seen[1]:
                return kind, kilos, seen
    return None


def _seen(space: dict[str, Any], kind: Any, kilos: int) -> Any:
    space["LOG"].clear()
    found: list[Any] = []
    for _ in range(2):
        try:
            found.append(repr(space["f"](kind, kilos)))
        except Exception as error:
            found.append(type(error).__name__)
    space["GLASS"] = space["Kind"].GLASS = "glass"
    return re.sub(r"\.\w*Load object at 0x\w+", "", repr((found, space["LOG"])))
