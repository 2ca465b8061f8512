"""Random pairs of a ladder on classes and a generic function written by hand, of arms that call the function itself."""

import random
import re
from typing import Any

_HEAD = """\
from functools import singledispatch
LOG = []
def ev(n):
    LOG.append(n)
    return n
class C:
    def __init__(self):
        self.n = 3
        self.inner = 5
class B:
    def __init__(self):
        self.n = 2
        self.inner = C()
class A(B):
    def __init__(self):
        self.n = 1
        self.inner = B()
"""
_KINDS = ("A", "B", "C", "int", "str", "type(None)")
_ANSWERS = (
    "1", "o.n", "ev(1)", "ev(a)", "weigh(o.inner, a)", "ev(weigh(o.inner, a))", "(weigh(o.inner, a), ev(2))",
    "[weigh(x, a) for x in (o.inner, 5)]", "weigh(*(o.inner, a))", "weigh(o.inner, a=a)", "weigh(a, o.inner)",
    "weigh(o.inner, weigh(5, a))",
)  # fmt: skip
_BY_NAME = (
    "weigh(o=o.inner, a=a)", "weigh(**{'o': o.inner, 'a': a})", "[weigh(a=a, o=x) for x in (5, None)]",
    "(lambda f: f(o=5, a=a))(weigh)", "one.weigh(o=5)",
)  # fmt: skip
_BEFORE = (
    *[""] * 4,
    "ev(a)",
    "weigh(o.inner, a)",
    "for x in (o.inner, 5): weigh(x, a)",
    "for x in (a, o.inner): ev(x)",
)
_CALLERS = (
    *[""] * 6,
    "lay = weigh\ndef back(o):\n    return lay(o=o, a=1)\n",
    "def back(o):\n    return weigh(o=o, a=1)\n",
    "def back(o):\n    return weigh(o, a=1)\n",
)
_AT = re.compile(" at 0x[0-9a-f]+")
_Arm = tuple[str, str, str]


def pair(pick: random.Random) -> tuple[str, str]:
    """The text of a module with `weigh(o, a)`, and that of one that may do the same."""
    answers = _ANSWERS + _BY_NAME if pick.random() < 0.2 else _ANSWERS
    kinds = pick.sample(_KINDS, pick.choice((1, 1, 2, 2, 3)))
    kinds.sort(key="ABC".find) if pick.random() < 0.8 else None
    arms = [(kind, pick.choice(_BEFORE), pick.choice(answers)) for kind in kinds]
    if pick.random() < 0.15:  # it never ends
        arms[0] = arms[0][0], "p = o", "weigh(p, a)"
    rest = pick.choice(answers)
    caller = pick.choice(_CALLERS)
    other, last = _spoilt(arms, answers, pick), rest if pick.random() < 0.9 else pick.choice(answers)
    texts = [f"{_HEAD}{_ladder(arms, rest)}{caller}", f"{_HEAD}{_generic(other, last)}{caller}"]
    if pick.random() < 0.2:
        texts.reverse()
    return texts[0], texts[1]


def _ladder(arms: list[_Arm], rest: str) -> str:
    told = "".join(f"    if {_test(kind)}:\n{_lines(before, answer, 8)}" for kind, before, answer in arms)
    return f"def weigh(o, a):\n{told}    return {rest}\n"


def _generic(arms: list[_Arm], rest: str) -> str:
    made = [f"@singledispatch\ndef weigh(o, a):\n    return {rest}\n"]
    for at, (kind, before, answer) in enumerate(arms):
        made.append(f"@weigh.register({kind})\ndef _weigh_{at}(o, a):\n{_lines(before, answer, 4)}")
    return "".join(made)


def _test(kind: str) -> str:
    return "o is None" if kind == "type(None)" else f"isinstance(o, {kind})"


def _lines(before: str, answer: str, indent: int) -> str:
    return "".join(f"{' ' * indent}{line}\n" for line in (before, f"return {answer}") if line)


def _spoilt(arms: list[_Arm], answers: tuple[str, ...], pick: random.Random) -> list[_Arm]:
    arms = list(arms)
    at = pick.randrange(len(arms))
    kind, before, answer = arms[at]
    match pick.randrange(8):
        case 0:
            del arms[at]
        case 1:
            arms[at] = kind, before, pick.choice(answers)
        case 2:
            arms[at] = kind, pick.choice(_BEFORE), answer
        case 3:
            arms[at] = pick.choice(_KINDS), before, answer
    return arms


def difference(old: dict[str, Any], new: dict[str, Any]) -> Any:
    """An object that the two are not the same for; None when there is none among these."""
    for name, given in (("weigh", (7,)), ("weigh", (None,)), ("back", ())):
        for kind in ("A", "B", "C", "int", "str", "list", ""):
            seen = [_seen(space, name, kind, given) for space in (old, new)]
            if seen[0] != seen[1]:
                return name, kind, given, seen
    return None


def _seen(space: dict[str, Any], name: str, kind: str, given: tuple[Any, ...]) -> Any:
    if name not in space:
        return None
    space["LOG"].clear()
    try:
        made = {**vars(__import__("builtins")), **space}[kind]() if kind else None
        answer = space[name](made, *given)
    except Exception as error:
        answer = type(error).__name__
    return _AT.sub("", repr((answer, space["LOG"])))
