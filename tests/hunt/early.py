"""Random pairs of modules in which a part of a function is cut out, and something asks for it while it is imported."""

import random
from typing import Any

_F = "def f(n=3):\n    if n > 3:\n        return 1\n    return 2\n"
_CALLS = "def f(n=3):\n    return _h(n)\n"
_H = "def _h(n):\n    if n > 3:\n        return 1\n    return 2\n"
_ASKING = (
    "SIZE = f(5)\n", "SIZE = f\n", "SIZE = [f(n) for n in (3, 4)]\n", "SIZE = sorted((4, 3), key=f)\n",
    "class Gate:\n    size = f(4)\n", "def g(n=f(4)):\n    return n\n", "def g(n=f):\n    return n(4)\n",
    "@told\ndef g(n=4):\n    return f(n)\n", "@kept\ndef g(n=4):\n    return f(n)\n", "SIZE = f(4) if kept else 0\n",
    "class Gate:\n    def g(self):\n        return f(4)\nSIZE = Gate().g()\n", "SIZE = lambda: f(4)\n",
    "class Kind(Enum):\n    A = 1\n    def __init__(self, n):\n        self.size = f(n)\n",
    "class Slot:\n    def __set_name__(self, owner, name):\n        self.size = f(3)\nclass Gate:\n    size = Slot()\n",
    "class Above:\n    def __init_subclass__(cls):\n        cls.size = f(4)\nclass Gate(Above):\n    pass\n",
    "class Gate:\n    def __eq__(self, other):\n        return f(4)\nSIZE = Gate() == 1\n",
    "class Gate:\n    def g(n):\n        return f(n)\n    SIZE = g(3)\n", "class Gate(dict):\n    def g(self):\n        return f(4)\n",
)  # fmt: skip
_HEAD = "from enum import Enum\ndef told(g):\n    g()\n    return g\ndef kept(g):\n    return g\n"


def pair(pick: random.Random) -> tuple[str, str]:
    """The text of a module, and that of one with a helper of `f`, before or behind what asks for `f`."""
    asking = pick.sample(_ASKING, pick.choice((1, 1, 2)))
    at = pick.randrange(len(asking) + 1)
    old = [*asking[:at], _F, *asking[at:]]
    new = [_CALLS if part is _F else part for part in old]
    new.insert(pick.randrange(len(new) + 1), _H if pick.random() < 0.9 else _H.replace("> 3", ">= 3"))
    return _HEAD + "".join(old), _HEAD + "".join(new)


def comes_to(code: str) -> Any:
    """What importing it raises, or what can be seen then."""
    space: dict[str, Any] = {"__name__": "hunted"}
    try:
        exec(code, space)
        return [space["f"](n) for n in (2, 3, 4)], str(space.get("SIZE")).partition(" at ")[0]
    except Exception as error:
        return type(error).__name__
