"""What is asked, and how often: for its truth, for its text, whether it can be called; and what is behind the asking.

A pair is a function and one that may do the same. What is asked notes it; so the two differ where one asks more.
"""

import random
from collections.abc import Iterator
from itertools import product
from typing import Any

HEAD = """\
from enum import Enum, member
LOG = []
def noisy(x):
    LOG.append('noisy')
    return x
"""
_TOLD = """\
class Told:
    def __init__(self, v):
        self.v = v
    def __bool__(self):
        LOG.append(('asked', self.v))
        return self.v
"""
_WEIGHT = """\
class Weight:
    def __init__(self, kilos):
        self.kilos = kilos
    def __lt__(self, other):
        return Told(self.kilos < other.kilos)
    def __eq__(self, other):
        return Told(self.kilos == other.kilos)
"""
_ROUND = ("if {e}:\n        return 1\n    return 2", "x = {e}\n    if x:\n        return 1\n    return 2", "return {e}",
          "if not ({e}):\n        return 2\n    return 1", "x = {e}\n    return x", "return not ({e})",
          "return bool({e})", "if {e}:\n        return False\n    return True", "return 1 if {e} else 2",
          "while {e}:\n        return 1\n    return 2", "x = not ({e})\n    return x")  # fmt: skip
_OF_PARTS = (
    "'%s' % self.part == 'k'", "f'{self.part}' == 'k'", "str(self.part) == 'k'", "len(self.part) > 1",
    "min((1, 2), key=noisy) > 1", "max(1, 2, key=self.show) > 1", "self.part in (1, 2)", "1 in self.part",
    "(self.part, 1) == (1, 2)", "self.part < self.part < self.part", "self.rows[self.part] == 1", "bool(self.part)",
    "tuple(iter(self.show, None)) == ()", "self.part % 2 == 0", "not self.part", "int(self.part) > 1",
    "sum((self.part,)) > 1", "abs(self.part) > 1", "self.part[0] == 1", "hash(self.part) == 1", "self.part == self.part",
    "(1 if self.part else 2) > 1", "round(self.part) > 1", "-self.part < 1", "repr(self.part) == 'k'", "self.also > 1",
    "(self.part, 1) != (self.part, 2)", "1 < self.part < self.part", "min(self.part, self.part) is self.part",
)  # fmt: skip
_SPECIALS = ("__str__", "__repr__", "__format__", "__bool__", "__len__", "__contains__", "__iter__", "__getitem__",
             "__index__", "__hash__", "__lt__", "__eq__", "__mod__", "__rmod__", "__radd__", "__abs__", "__int__",
             "__round__", "__neg__", "__lt__", "__eq__", "__lt__", "__eq__")  # fmt: skip
_ANSWERS = {"__str__": "'k'", "__repr__": "'k'", "__format__": "'k'", "__iter__": "iter(())", "__bool__": "True",
            "__lt__": "self.told", "__eq__": "self.told"}  # fmt: skip
_BEHIND = ("def __bool__(self)", "def __len__(self)", "@property\n    def kilos(self)", "def __eq__(self, other)",
           "def __lt__(self, other)", "def __hash__(self)", "def __contains__(self, x)")  # fmt: skip
_ASKING = {"__bool__": "o", "__len__": "len(o) == 1", "kilos": "o.kilos == 5", "__eq__": "o == a", "__lt__": "o < a",
           "__hash__": "o in {1, 2}", "__contains__": "a in o"}  # fmt: skip
_NOW = (
    ("s = f'{a}'\n    LOG.append(1)\n    return s", "LOG.append(1)\n    return f'{a}'"),
    ("s = f'{a} kg'\n    if c:\n        return s\n    return ''", "if c:\n        return f'{a} kg'\n    return ''"),
    ("s = callable(o)\n    change(o)\n    return s", "change(o)\n    return callable(o)"),
    ("if callable(o):\n        return 1\n    return 2", "s = callable(o)\n    if s:\n        return 1\n    return 2"),
    ("s = type(o)\n    change(o)\n    return s is Told", "s = type(o)\n    change(o)\n    return type(o) is Told"),
)

_BINDING = (
    "n = i", "match i:\n        case n:\n            pass", "import json as n", "def n():\n        return 1",
    "try:\n        int('x')\n    except ValueError as n:\n        LOG.append(type(n).__name__)", "class n:\n        pass",
    "match (1, 2):\n        case [_, *n]:\n            pass", "with open('/dev/null') as n:\n        n = 1", "(n := i)",
    "for n in (5, 6):\n        pass", "match {1: 2}:\n        case {1: n}:\n            pass", "from json import loads as n",
)  # fmt: skip


def pair(pick: random.Random) -> tuple[str, str]:
    """The text of a module, and that of one that may do the same."""
    form = pick.random()
    if form < 0.4:
        return _of_truth(pick)
    if form < 0.7:
        return _of_parts(pick)
    if form < 0.8:
        return _of_now(pick)
    if form < 0.9:
        return _of_names(pick) if form < 0.86 else _of_growth(pick)
    return _of_lists(pick) if form < 0.94 else _of_rounds(pick)


def _of_truth(pick: random.Random) -> tuple[str, str]:
    e = _tested(pick, 2)
    bodies = [pick.choice(_ROUND).format(e=told) for told in (e, _told_again(e, pick))]
    if pick.random() < 0.4:
        name, part = "t", _tested(pick, 1)
        e = pick.choice(("{} or c", "{} and c", "not {}", "({} or a) and b")).format
        bodies = [f"return {e(f'({part})')}", f"{name} = {part}\n    return {e(name)}"]
    old, new = (f"{HEAD}{_TOLD}{_WEIGHT}def f(a, b, c, o):\n    {body}\n" for body in bodies)
    return old, new


def _tested(pick: random.Random, depth: int) -> str:
    if depth == 0:
        return pick.choice(("a", "b", "c", "a", "b", "a < b", "b == c", "a < b < c"))
    one, two, three = (_tested(pick, depth - 1) for _ in range(3))
    forms = (f"({one} and {two})", f"({one} or {two})", f"(not {one})", f"({one} if {two} else {three})", one)
    return pick.choice(forms)


def _told_again(e: str, pick: random.Random) -> str:
    """The same, spelt otherwise; or not quite."""
    changes = (("a < b < c", "(a < b and b < c)"), ("(not a)", "(not (a))"), (" and ", " or "), ("a ", "b "), ("", ""),
               ("(not (", "((not "), ("", ""), ("", ""))  # fmt: skip
    return e.replace(*pick.choice(changes), 1)


def _of_parts(pick: random.Random) -> tuple[str, str]:
    special = pick.choice(_SPECIALS)
    told = _TOLD if "told" in _ANSWERS.get(special, "") else ""
    init = "    def __init__(self):\n        self.told = Told(True)\n" if told else ""
    noted = "" if told else f"        LOG.append('{special}')\n"
    part = f"{told}class Part:\n{init}    def {special}(self, *more):\n{noted}        return {_ANSWERS.get(special, '1')}\n"
    behind, inside = pick.choice(_BEHIND), pick.choice(_OF_PARTS)
    guard = "        if not isinstance(other, Bin):\n            return NotImplemented\n" if "other" in behind else ""
    also = pick.choice(
        ("    @property\n    def also(self):\n        return 1\n", "    also = 1\n", "    also = show\n")
    )
    show = "    @property\n    def show(self):\n        LOG.append('show')\n        return 2\n"
    show = "    def show(self, *x):\n        LOG.append('show')\n" if also != "    also = show\n" else show
    kind = "class Bin:\n    rows = (1, 2)\n    def __init__(self):\n        self.part = Part()\n" + show + also
    kind += f"    {behind}:\n{guard}        return {inside}\n"
    kind += pick.choice(("", "", "def show(x):\n    return x\n"))
    asked = next(e for word, e in _ASKING.items() if f" {word}(" in behind)
    of = "o: Bin" if pick.random() < 0.5 else "o"
    twice = f"    if {asked}:\n        return 1\n    if {asked}:\n        return 2\n    return 3\n"
    once = f"    if {asked}:\n        return 1\n    return 3\n"
    head = f"def f(a, b, c, {of}):\n"
    return f"{HEAD}{part}{kind}{head}{twice}", f"{HEAD}{part}{kind}{head}{once}"


def _of_now(pick: random.Random) -> tuple[str, str]:
    change = pick.choice(
        (
            "Told.__call__ = lambda s: 0",
            "setattr(type(o), '__call__', lambda s: 0)",
            "pass",
            "o.__class__ = type('Weight', (), {})",
        )
    )
    head = f"{HEAD}{_TOLD}def change(o):\n    {change}\ndef f(a: int, b: int, c, o):\n    "
    bodies = list(pick.choice(_NOW))
    pick.shuffle(bodies)
    return f"{head}{bodies[0]}\n", f"{head}{bodies[1]}\n"


def _of_names(pick: random.Random) -> tuple[str, str]:
    """A name that a loop binds in one of many ways, of the module or of the function."""
    loop = pick.choice(("for i in (1, 2):", "for i in rows:", "i = 1\n    while rows and rows.pop():"))
    body = pick.choice(_BINDING).replace("\n", "\n    ")
    after = pick.choice(("", "    return 1\n", "    return n\n"))
    heads = ["", "    global n\n", "    global n\n"]
    pick.shuffle(heads)
    told = "n = 0\ndef f(a, b, c, o):\n{}    rows = [3, 4]\n    {}\n        {}\n{}"
    old, new = (f"{HEAD}{_TOLD}" + told.format(head, loop, body, after) for head in heads[:2])
    return old, new


def _of_growth(pick: random.Random) -> tuple[str, str]:
    """A class that has more than before, and what may ask for it: Python, names that are worked out, `super`."""
    name = pick.choice(("keys", "fee_a", "more", "_fee_a", "write"))
    body = pick.choice((f"    def {name}(self, *x):\n        return ['z']\n", f"    {name} = 3\n"))
    answer = "    def __getattr__(self, n):\n        if n.startswith('__'):\n            raise AttributeError\n        return 5\n"
    kind = "class Load:\n    def __iter__(self):\n        return iter([('a', 1)])\n    def __getitem__(self, k):\n        return 7\n"
    kind += pick.choice(("", "", answer))
    asked = pick.choice(
        ("sorted(dict(Load()))[0]", "getattr(Load(), 'fee_' + a, 0) == 3", "hasattr(Load(), b)", "len(list(Load()))",
         "getattr(Load(), f'_fee_{a}', 0) == 3", "getattr(Load(), b, 0) == 3", "1 if print(a, file=Load()) else 2")
    )  # fmt: skip
    bodies = [f"if c:\n        return {asked}\n    return 2\n", f"if not c:\n        return 2\n    return {asked}\n"]
    old, new = (
        f"{HEAD}{kind}{more}def f(a, b, c, o):\n    {told}" for more, told in zip(("", body), bodies, strict=True)
    )
    return old, new


def _of_lists(pick: random.Random) -> tuple[str, str]:
    """A list that grows, and is handed on where that may fail."""
    given = pick.choice(("keep(xs)", "xs", "(xs, 1)", "[xs, keep(xs)]", "keep(1)", "o.v"))
    around = pick.choice(("try:\n        {}\n    except ValueError:\n        pass\n", "if c:\n        {}\n",
                          "for i in (1, 2):\n        try:\n            {}\n        except ValueError:\n            pass\n"))  # fmt: skip
    start = f"    xs = []\n    {around.format('return ' + given)}    n = len(o.v)\n    xs.append(1)\n"
    keep = "def keep(xs):\n    if xs != 1:\n        HELD.v = xs\n    raise ValueError\n"
    head = f"{HEAD}class Held:\n    pass\nHELD = Held()\n{keep}def f(a, b, c, o):\n    o = HELD\n    o.v = ()\n{start}"
    return f"{head}    return n, len(o.v)\n", f"{head}    return n, n\n"


def _of_rounds(pick: random.Random) -> tuple[str, str]:
    """What goes through the rows of a table inside a generator, and the same written out: a row may stop it."""
    keys = pick.choice(("(1, 2)", "KEYS", "(1, 2)", "TABLE", "TABLE.values()"))
    table = pick.choice(("{1: 1, 2: 2}", "{1: 1, True: 2}", "{'a': 1, 'b': 2}"))
    asked = pick.choice(("o({})", "o({}) and a", "{} == a", "o.n == {}"))
    word, answers = pick.choice((("any", ("True", "False")), ("all", ("False", "True"))))
    test = asked if word == "any" else f"not ({asked})"
    lines = [f"if {test.format(k)}:\n        return {answers[0]}" for k in (1, 2)]
    if keys not in ("KEYS", "(1, 2)"):
        lines = [
            f"if {test.format(k)}:\n        return {answers[0]}" for k in pick.choice(((1, 2), (2,), ("'a'", "'b'")))
        ]
    written = "\n    ".join([*lines, f"return {answers[1]}"])
    at_once = f"return {word}({asked.format('k')} for k in {keys})"
    bodies = [at_once, written]
    if pick.random() < 0.5:
        inner = (b.replace("\n", "\n    ") for b in bodies)
        bodies = [
            f"try:\n        {b}\n    except {pick.choice(('StopIteration', 'RuntimeError'))}:\n        return 7"
            for b in inner
        ]
    head = f"{HEAD}KEYS = (1, 2)\nTABLE = {table}\ndef stops(k):\n    raise StopIteration\ndef f(a, b, c, o):\n    "
    return f"{head}{bodies[0]}\n", f"{head}{bodies[1]}\n"


def difference(one: dict[str, Any], other: dict[str, Any]) -> Any:
    """A call that tells the two modules apart; None when none was found."""
    for given in _given():
        said = [_said(space, given) for space in (one, other)]
        if said[0] != said[1]:
            return given, said
    return None


def _given() -> Iterator[str]:
    """Arguments, as they are written: what says of its truth, weights, a number that is too long to be written out."""
    for a, b, c in product((True, False), repeat=3):
        yield f"Told({a}), Told({b}), Told({c}), Told(True)"
    for kilos in ((1, 2, 3), (3, 2, 1), (1, 1, 1), (1, 3, 2)):
        yield ", ".join(f"Weight({k})" for k in kilos) + ", Told(True)"
    yield "1, 2, 3, None"
    yield from (f"'a', {name!r}, 1, None" for name in ("fee_a", "more", "keys"))  # private ones are assumed away
    yield from (f"{a}, 2, 3, stops" for a in (0, 1, 2))
    yield from (f"{a}, 2, 3, lambda k: k == {b}" for a in (0, 1, 2) for b in (1, 2))
    yield "10**5000, 1, 0, None"
    yield "Bin(), 1, 0, Bin()"


def _said(space: dict[str, Any], given: str) -> Any:
    if any(kind in given and kind not in space for kind in ("Bin", "Weight", "stops")):
        return None
    space["LOG"].clear()
    space["n"] = 0
    if "__call__" in vars(space.get("Told", int)):
        del space["Told"].__call__  # put there by the call before
    try:
        space.setdefault("Told", bool)
        result = eval(f"f({given})", space)
    except Exception as error:
        result = type(error).__name__
    plain = result if isinstance(result, int | str | tuple | None) else type(result).__name__
    kept = space.get("n")
    return plain, list(space["LOG"]), kept if isinstance(kept, int | list) else type(kept).__name__
