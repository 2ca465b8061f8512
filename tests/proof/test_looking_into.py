"""What a proof looks into: tables, small classes, methods, families; and where it must not."""

import ast
from pathlib import Path

import pytest

import dreck
from dreck.model.names.bindings import bindings_of
from dreck.workbench.compare.compare import compare_texts
from dreck.workbench.compare.sides import Text
from dreck.workbench.compare.wanted import Wanted
from dreck.workbench.judging.verdict import Verdict

HASHABLE = ("hashable-key",)

SAME = {
    "table": (
        "f",
        HASHABLE,
        """\
def f(kind):
    if kind == "glass":
        line = "crusher"
    elif kind == "paper":
        line = "press"
    else:
        line = "hand"
    return line
""",
        """\
LINES = {"glass": "crusher", "paper": "press"}
def f(kind):
    return LINES.get(kind, "hand")
""",
    ),
    "table typed": (
        "f",
        (),
        """\
def f(kind: str):
    if kind == "glass":
        line = "crusher"
    elif kind == "paper":
        line = "press"
    else:
        line = "hand"
    return line
""",
        """\
LINES = {"glass": "crusher", "paper": "press"}
def f(kind: str):
    return LINES.get(kind, "hand")
""",
    ),
    "bands": (
        "f",
        (),
        """\
def f(kilos):
    if kilos < 100:
        return "A"
    elif kilos < 500:
        return "B"
    return "C"
""",
        """\
from typing import NamedTuple
class Band(NamedTuple):
    below: float
    letter: str
BANDS = (Band(100, "A"), Band(500, "B"))
def f(kilos):
    for band in BANDS:
        if kilos < band.below:
            return band.letter
    return "C"
""",
    ),
    "bands next": (
        "f",
        (),
        """\
def f(kilos):
    if kilos < 100:
        return "A"
    elif kilos < 500:
        return "B"
    return "C"
""",
        """\
BANDS = ((100, "A"), (500, "B"))
def f(kilos):
    return next((letter for limit, letter in BANDS if kilos < limit), "C")
""",
    ),
    "rules": (
        "f",
        (),
        """\
def f(load, today):
    return load.kilos > 0 and load.day >= today and not load.wet
""",
        """\
def has_weight(load, today):
    return load.kilos > 0
def is_due(load, today):
    return load.day >= today
RULES = (has_weight, is_due, lambda load, today: not load.wet)
def f(load, today):
    return all(rule(load, today) for rule in RULES)
""",
    ),
    "rules if": (
        "f",
        (),
        """\
def f(load, today):
    if load.kilos > 0 and load.day >= today and not load.wet:
        return 1
    return 0
""",
        """\
def has_weight(load, today):
    return load.kilos > 0
def is_due(load, today):
    return load.day >= today
RULES = (has_weight, is_due, lambda load, today: not load.wet)
def f(load, today):
    if all(rule(load, today) for rule in RULES):
        return 1
    return 0
""",
    ),
    "calls": (
        "f",
        HASHABLE,
        """\
def f(kind, bin, load):
    if kind == "a":
        bin.press(load)
    elif kind == "b":
        bin.crush(load)
        bin.count += 1
    else:
        raise ValueError(kind)
""",
        """\
def press(bin, load):
    bin.press(load)
def crush(bin, load):
    bin.crush(load)
    bin.count += 1
HANDLERS = {"a": press, "b": crush}
def f(kind, bin, load):
    handler = HANDLERS.get(kind)
    if handler is None:
        raise ValueError(kind)
    handler(bin, load)
""",
    ),
    "self method": (
        "Bin.f",
        (),
        """\
class Bin:
    def f(self, n):
        if self.full and self.open and n > 3:
            return 1
        return 0
""",
        """\
class Bin:
    def f(self, n):
        if self.can_empty(n):
            return 1
        return 0
    def can_empty(self, n):
        return self.is_ready and n > 3
    @property
    def is_ready(self):
        return self.full and self.open
""",
    ),
    "poly": (
        "f",
        (),
        """\
class Bale:
    def __init__(self, kilos): self.kilos = kilos
class Drum:
    def __init__(self, litres): self.litres = litres

def f(item):
    if isinstance(item, Bale):
        s = 1.5
        if item.kilos > 800:
            s = 2.5
    elif isinstance(item, Drum):
        s = item.litres / 400
    else:
        raise TypeError("no")
    return s
""",
        """\
class Stored:
    pass
class Bale(Stored):
    def __init__(self, kilos): self.kilos = kilos
    def space(self):
        if self.kilos > 800: return 2.5
        return 1.5
class Drum(Stored):
    def __init__(self, litres): self.litres = litres
    def space(self):
        return self.litres / 400

def f(item):
    if not isinstance(item, Stored):
        raise TypeError("no")
    return item.space()
""",
    ),
    "policy": (
        "f",
        (),
        """\
def f(permit, today):
    if permit.until >= today and not permit.suspended and permit.debt == 0:
        return "yes"
    return "no"
""",
        """\
class Renewal:
    def __init__(self, permit, today):
        self.permit = permit
        self.today = today
    def holds(self):
        return self._valid() and not self.permit.suspended and self._clean()
    def _valid(self):
        return self.permit.until >= self.today
    def _clean(self):
        return self.permit.debt == 0
def f(permit, today):
    if Renewal(permit, today).holds():
        return "yes"
    return "no"
""",
    ),
    "loop in helper": (
        "f",
        (),
        """\
def f(loads, log):
    if log:
        n = 0
        for load in loads:
            if load.wet:
                continue
            log.add(load)
            n += 1
        return n
    return 0
""",
        """\
def f(loads, log):
    if log:
        return note(loads, log)
    return 0
def note(loads, log):
    n = 0
    for load in loads:
        if load.wet:
            continue
        log.add(load)
        n += 1
    return n
""",
    ),
    "body helper": (
        "f",
        (),
        """\
def f(loads, log):
    n = 0
    for load in loads:
        if load.wet:
            log.wet(load)
            continue
        if load.kilos < 3:
            log.small(load)
            continue
        log.add(load)
        n += 1
    return n
""",
        """\
def f(loads, log):
    n = 0
    for load in loads:
        n = note(load, log, n)
    return n
def note(load, log, n):
    if load.wet:
        log.wet(load)
        return n
    if load.kilos < 3:
        log.small(load)
        return n
    log.add(load)
    n += 1
    return n
""",
    ),
    "enum": (
        "f",
        HASHABLE,
        """\
from enum import Enum
class M(Enum):
    A = 1
    B = 2
def f(load):
    if load.m == M.A:
        return 1
    if load.m == M.B and load.m != M.A:
        return 2
    return 3
""",
        """\
from enum import Enum
class M(Enum):
    A = 1
    B = 2
T = {M.B: 2, M.A: 1}
def f(load):
    return T.get(load.m, 3)
""",
    ),
    "const": (
        "f",
        (),
        """\
def f(k):
    if k > 48: return 1
    return 0
""",
        """\
LIMIT = 48
def f(k):
    if k > LIMIT: return 1
    return 0
""",
    ),
    "async": (
        "f",
        (),
        """\
async def f(k):
    if await k.ready() and k.n > 1: return 1
    return 0
""",
        """\
async def f(k):
    if await is_fit(k): return 1
    return 0
async def is_fit(k):
    return await k.ready() and k.n > 1
""",
    ),
}

NOT_SAME = {
    "shared list": (
        "f",
        HASHABLE,
        """\
def f(k):
    if k == "a": return []
    if k == "b": return [1]
    return None
""",
        """\
T = {"a": [], "b": [1]}
def f(k):
    return T.get(k)
""",
    ),
    "mutated table": (
        "f",
        HASHABLE,
        """\
def f(k):
    if k == "a": return 1
    return 0
""",
        """\
T = {"a": 1}
def g(x): T["b"] = x
def f(k):
    return T.get(k, 0)
def h(): g(3)
""",
    ),
    "table aliased": (
        "f",
        HASHABLE,
        """\
def f(k):
    if k == "a": return 1
    return 0
""",
        """\
T = {"a": 1}
U = T
U["b"] = 3
def f(k):
    return T.get(k, 0)
""",
    ),
    "table param shadow": (
        "f",
        HASHABLE,
        """\
def f(k, T):
    if k == "a": return 1
    return 0
""",
        """\
T = {"a": 1}
def f(k, T):
    return T.get(k, 0)
""",
    ),
    "true one": (
        "f",
        HASHABLE,
        """\
def f(k):
    if k == 1: return "one"
    if k is True: return "true"
    return 0
""",
        """\
T = {1: "one", True: "true"}
def f(k):
    return T.get(k, 0)
""",
    ),
    "late helper": (
        "f",
        HASHABLE,
        """\
def go(x): return 1
def f(k, x):
    if k == "a": return go(x)
    return 0
def go(x): return 2
""",
        """\
def go(x): return 1
T = {"a": go}
def f(k, x):
    if k == "a": return T[k](x)
    return 0
def go(x): return 2
""",
    ),
    "generator twice": (
        "f",
        (),
        """\
def g(x):
    yield x
def f(x):
    yield x
    yield x
""",
        """\
def h(x):
    yield x
def g(x):
    yield x
def f(x):
    it = h(x)
    yield from it
    yield from it
""",
    ),
    "coroutine twice": (
        "f",
        (),
        """\
async def f(x):
    await x.a()
    await x.a()
""",
        """\
async def h(x):
    await x.a()
async def f(x):
    it = h(x)
    await it
    await it
""",
    ),
    "band edge": (
        "f",
        (),
        """\
def f(k):
    if k < 10: return "a"
    if k < 20: return "b"
    return "c"
""",
        """\
B = ((10, "a"), (20, "b"))
BANDS = ((10, "a"), (20, "b"))
def f(k):
    for limit, v in BANDS:
        if k <= limit: return v
    return "c"
""",
    ),
    "override below": (
        "A.f",
        (),
        """\
class A:
    def f(self):
        if self.x and self.y: return 1
        return 0
class B(A):
    pass
""",
        """\
class A:
    def f(self):
        if self.both(): return 1
        return 0
    def both(self): return self.x and self.y
class B(A):
    def both(self): return self.x
""",
    ),
    "instance attr shadows": (
        "A.f",
        (),
        """\
class A:
    def __init__(self, q): self.q = q
    def f(self):
        if self.x and self.y: return 1
        return 0
""",
        """\
class A:
    def __init__(self, q):
        self.q = q
        self.both = lambda: True
    def f(self):
        if self.both(): return 1
        return 0
    def both(self): return self.x and self.y
""",
    ),
    "order of related": (
        "f",
        (),
        """\
class A: pass
class B(A): pass
def f(x):
    if isinstance(x, A): return 1
    if isinstance(x, B): return 2
    return 3
""",
        """\
class A:
    def m(self): return 1
class B(A):
    def m(self): return 2
def f(x):
    if not isinstance(x, A): return 3
    return x.m()
""",
    ),
    "stranger": (
        "f",
        (),
        """\
class A: pass
class B: pass
def f(x):
    if isinstance(x, A): return 1
    if isinstance(x, B): return 2
    return 3
""",
        """\
class A:
    def m(self): return 1
class B:
    def m(self): return 2
def f(x):
    return x.m()
""",
    ),
    "forgotten kind": (
        "f",
        (),
        """\
class A: pass
class B: pass
class C: pass
def f(x):
    if isinstance(x, A): return 1
    if isinstance(x, (B, C)): return 2
    raise TypeError(x)
""",
        """\
class Base:
    def m(self): raise NotImplementedError
class A(Base):
    def m(self): return 1
class B(Base):
    def m(self): return 2
class C(Base):
    pass
def f(x):
    if not isinstance(x, Base): raise TypeError(x)
    return x.m()
""",
    ),
    "eager default": (
        "f",
        HASHABLE,
        """\
def f(k, log):
    if k == "a": return 1
    if k == "b": return 2
    return log.add(k)
""",
        """\
T = {"a": 1, "b": 2}
def f(k, log):
    return T.get(k, log.add(k))
""",
    ),
    "nan limit": (
        "f",
        (),
        """\
def f(k):
    if not k >= 10: return "a"
    return "b"
""",
        """\
BANDS = ((10, "a"),)
def f(k):
    for limit, v in BANDS:
        if k < limit: return v
    return "b"
""",
    ),
    "closure late": (
        "f",
        (),
        """\
def f(xs):
    out = []
    for x in xs:
        if x: out.append(lambda: x)
    return [o() for o in out]
""",
        """\
def f(xs):
    out = [lambda x=x: x for x in xs if x]
    return [o() for o in out]
""",
    ),
    "row class changed": (
        "f",
        (),
        """\
from typing import NamedTuple
class Band(NamedTuple):
    low: int
    high: int
BANDS = (Band(1, 5), Band(7, 9))
def f(k):
    for b in BANDS:
        if b.low <= k <= b.high: return 1
    return 0
""",
        """\
from typing import NamedTuple
class Band(NamedTuple):
    high: int
    low: int
BANDS = (Band(1, 5), Band(7, 9))
def f(k):
    for b in BANDS:
        if b.low <= k <= b.high: return 1
    return 0
""",
    ),
    "enum alias": (
        "f",
        HASHABLE,
        """\
from enum import Enum
class M(Enum):
    A = 1
    B = True
def f(x):
    if x == M.A: return 1
    if x == M.B: return 2
    return 3
""",
        """\
from enum import Enum
class M(Enum):
    A = 1
    B = True
T = {M.A: 1, M.B: 2}
def f(x):
    return T.get(x, 3)
""",
    ),
    "record mutated": (
        "f",
        (),
        """\
class P: pass
def f(x):
    return x.a
""",
        """\
class Q:
    def __init__(self, x): self.x = x
    def go(self): return self.x.a
class P: pass
def f(x):
    q = Q(x)
    q.x = x.b
    return q.go()
""",
    ),
    "builtin shadowed": (
        "f",
        (),
        """\
def f(x):
    return len(x) > 3
""",
        """\
def len(x): return 9
def f(x):
    return len(x) > 3
""",
    ),
    "loop table shared text": (
        "f",
        (),
        """\
T = (1, 2)
def f(x):
    for i in x:
        for t in T:
            if i == t: return 1
    return 0
""",
        """\
T = (1, 3)
def f(x):
    for i in x:
        for t in T:
            if i == t: return 1
    return 0
""",
    ),
    "singledispatch order": (
        "f",
        (),
        """\
def f(x):
    if isinstance(x, int): return 1
    if isinstance(x, bool): return 2
    return 3
""",
        """\
from functools import singledispatch
@singledispatch
def g(x): return 3
@g.register(int)
def _a(x): return 1
@g.register(bool)
def _b(x): return 2
def f(x):
    return g(x)
""",
    ),
    "class const in dataclass": (
        "f",
        (),
        """\
from dataclasses import dataclass
@dataclass
class A:
    k: int
def f(x):
    if isinstance(x, A): return 3
    return 0
""",
        """\
from dataclasses import dataclass
@dataclass
class A:
    k: int
    extra: int = 3
def f(x):
    if isinstance(x, A): return x.extra
    return 0
""",
    ),
    "property raises attr": (
        "A.f",
        (),
        """\
class A:
    def f(self):
        if self.x.y: return 1
        return 0
""",
        """\
class A:
    def __getattr__(self, n): return 7
    def f(self):
        if self.deep: return 1
        return 0
    @property
    def deep(self): return self.x.y
""",
    ),
    "walrus in pred": (
        "f",
        (),
        """\
def f(x):
    if (n := x.a) and n > 3: return n
    return 0
""",
        """\
def p(x): return (n := x.a) and n > 3
def f(x):
    n = 5
    if p(x): return n
    return 0
""",
    ),
    "all vs and value": (
        "f",
        (),
        """\
def f(x):
    return x.a and x.b
""",
        """\
R = (lambda x: x.a, lambda x: x.b)
def f(x):
    return all(r(x) for r in R)
""",
    ),
    "helper loop var": (
        "f",
        (),
        """\
def f(xs, log):
    n = 0
    for x in xs:
        if x.ok:
            n += x.k
        else:
            n = 0
    return n
""",
        """\
def step(x, n):
    if x.ok:
        n += x.k
    return n
def f(xs, log):
    n = 0
    for x in xs:
        n = step(x, n)
    return n
""",
    ),
    "raise in branch helper": (
        "f",
        (),
        """\
def f(x, log):
    try:
        if x.a:
            log.go()
            raise KeyError(1)
    except KeyError:
        return 2
    return 3
""",
        """\
def h(x, log):
    log.go()
    return KeyError(1)
def f(x, log):
    try:
        if x.a:
            h(x, log)
    except KeyError:
        return 2
    return 3
""",
    ),
}

NOT_SAME["a property under __getattr__"] = (
    "A.f",
    (),
    "class A:\n    def __getattr__(self, n):\n        return 0\n\n    def f(self):\n        return self.p.q\n",
    """\
class A:
    def __getattr__(self, n):
        return 0

    def f(self):
        return self.deep

    @property
    def deep(self):
        return self.p.q
""",
)
NOT_SAME["a helper whose default is made once"] = (
    "f",
    (),
    "def f(x):\n    y = []\n    y.append(x)\n    return y\n",
    "def f(x):\n    return h(x)\n\n\ndef h(x, y=[]):\n    y.append(x)\n    return y\n",
)
NOT_SAME["a loop for a single test"] = (
    "f",
    (),
    "def f(x, log):\n    while x.more:\n        log.a()\n",
    "def f(x, log):\n    if x.more:\n        log.a()\n",
)

MISTAKES = (
    "lost case",
    "shared list",
    "eager default",
    "order of related",
    "forgotten kind",
    "band edge",
    "stranger",
    "true one",
    "enum alias",
    "override below",
    "singledispatch order",
    "builtin shadowed",
)

NOT_SAME["lost case"] = (
    "f",
    HASHABLE,
    SAME["table"][2],
    SAME["table"][3].replace("paper", "papr"),
)


def verdict(name: str, assume: tuple[str, ...], old: str, new: str, trial: bool) -> Verdict:
    texts = Text(Path("<text>"), old), Text(Path("<text>"), new)
    return dict(compare_texts(*texts, Wanted(assume=assume, trial=trial)).functions)[name]


@pytest.mark.parametrize("case", SAME)
def test_it_is_looked_into(case):
    name, assume, old, new = SAME[case]
    assert verdict(name, assume, old, new, trial=False).status == "proved"


@pytest.mark.parametrize("case", NOT_SAME)
def test_it_is_not_proved(case):
    name, assume, old, new = NOT_SAME[case]
    assert verdict(name, assume, old, new, trial=False).status == "unsettled"


@pytest.mark.parametrize("case", MISTAKES)
def test_mistakes_people_make_are_seen(case):
    name, assume, old, new = NOT_SAME[case]
    found = verdict(name, assume, old, new, trial=True)
    assert found.status == "differs", found


def test_a_key_that_cannot_be_hashed_counts_unless_it_is_ruled_out():
    name, _, old, new = SAME["table"]
    assert verdict(name, (), old, new, trial=True).status == "differs"
    assert verdict(name, HASHABLE, old, new, trial=False).assumptions == ("hashable-key", "plain-comparisons")


def test_a_function_in_a_table_that_changed_is_not_the_same():
    old = "def a(x):\n    return 1\n\n\nT = {'a': a}\n\n\ndef f(k, x):\n    return T[k](x)\n"
    texts = Text(Path("<text>"), old), Text(Path("<text>"), old.replace("return 1", "return 2"))
    assert not compare_texts(*texts, Wanted(only=("f",))).same


def test_a_constant_behind_a_helper_counts():
    old = "LIMIT = 3\n\n\ndef over(x):\n    return x > LIMIT\n\n\ndef f(x):\n    return 1 if over(x) else 0\n"
    texts = Text(Path("<text>"), old), Text(Path("<text>"), old.replace("= 3", "= 4"))
    assert dict(compare_texts(*texts, Wanted(only=("f",))).functions)["f"].status == "differs"


PRIVATE = """\
class C:
    def f(self, k):
        if k == "a":
            return self.__a()
        if k == "b":
            return self.__b(k)
        return 0
"""
OUTSIDE = """\
class C:
    def f(self, k):
        if k in T:
            return T[k](self, k)
        return 0


def a(self, k):
    return self.__a()


def b(self, k):
    return self.__b(k)


T = {"a": a, "b": b}
"""
INSIDE = PRIVATE.replace("self.__a()", "self.g()") + "\n    def g(self):\n        return self.__a()\n"


def test_private_names_are_those_of_the_class_they_stand_in():
    assert verdict("C.f", HASHABLE, PRIVATE, OUTSIDE, trial=False).status == "unsettled"
    assert verdict("C.f", (), PRIVATE, INSIDE, trial=False).status == "proved"
    one, two = (f"class {name}:\n    def f(self):\n        return self.__x\n" for name in "AB")
    assert dreck.compare(one, two, trial=False).status == "unsettled"


BESIDE = {
    "local shadow": (
        "def h(x): return x.a\n",
        "def h(x): return x.a\n",
        "from side import h\ndef f(x, h):\n    return x.a\n",
        "from side import h\ndef f(x, h):\n    return h(x)\n",
        False,
    ),
    "imported rebound": (
        "def h(x): return x.a\n",
        "def h(x): return x.a\n",
        "from side import h\nh = print\ndef f(x):\n    return x.a\n",
        "from side import h\nh = print\ndef f(x):\n    return h(x)\n",
        False,
    ),
    "imported table mutated there": (
        "T = {1: 2}\ndef g(): T[3] = 4\n",
        "T = {1: 2}\ndef g(): T[3] = 4\n",
        "from side import T\ndef f(x):\n    return 2 if x == 1 else None\n",
        "from side import T\ndef f(x):\n    return T.get(x)\n",
        False,
    ),
    "imported table mutated here": (
        "T = {1: 2}\n",
        "T = {1: 2}\n",
        "from side import T\ndef f(x):\n    return 2 if x == 1 else None\ndef g(): T[3] = 4\n",
        "from side import T\ndef f(x):\n    return T.get(x)\ndef g(): T[3] = 4\n",
        False,
    ),
    "helper of the same name here": (
        "def k(x): return x.b\ndef h(x): return k(x)\n",
        "def k(x): return x.b\ndef h(x): return k(x)\n",
        "from side import h\ndef k(x): return x.a\ndef f(x):\n    return k(x)\n",
        "from side import h\ndef k(x): return x.a\ndef f(x):\n    return h(x)\n",
        False,
    ),
    "good import": (
        "def k(x): return x.a\ndef h(x): return k(x)\n",
        "def k(x): return x.a\ndef h(x): return k(x)\n",
        "from side import h\ndef f(x):\n    return x.a\n",
        "from side import h\ndef f(x):\n    return h(x)\n",
        True,
    ),
    "neighbour changed": (
        "def h(x): return x.a\n",
        "def h(x): return x.b\n",
        "from side import h\ndef f(x):\n    return h(x)\n",
        "from side import h\ndef f(x):\n    return h(x)\n",
        False,
    ),
    "global in neighbour": (
        "N = 0\ndef h(x):\n    global N\n    N += 1\n    return x.a\n",
        "N = 0\ndef h(x):\n    global N\n    N += 1\n    return x.a\n",
        "from side import h\ndef f(x):\n    return x.a\n",
        "from side import h\ndef f(x):\n    return h(x)\n",
        False,
    ),
    "decorated there": (
        "import functools\n@functools.lru_cache\ndef h(x): return x.a\n",
        "import functools\n@functools.lru_cache\ndef h(x): return x.a\n",
        "from side import h\ndef f(x):\n    return x.a\n",
        "from side import h\ndef f(x):\n    return h(x)\n",
        False,
    ),
    "alias enum": (
        "from enum import Enum\nclass M(Enum):\n    A = 1\n    B = 1\n",
        "from enum import Enum\nclass M(Enum):\n    A = 1\n    B = 1\n",
        "from side import M\ndef f(x):\n    if x == M.A: return 1\n    if x == M.B: return 2\n    return 3\n",
        "from side import M\nT = {M.A: 1, M.B: 2}\ndef f(x):\n    return T.get(x, 3)\n",
        False,
    ),
}


@pytest.mark.parametrize("case", BESIDE)
def test_files_beside_are_looked_into_where_that_is_sound(tmp_path, case):
    side, side_after, old, new, proved = BESIDE[case]
    texts = []
    for folder, text, beside in (("a", old, side), ("b", new, side_after)):
        (tmp_path / folder).mkdir()
        (tmp_path / folder / "side.py").write_text(beside)
        texts.append(Text(tmp_path / folder / "m.py", text))
    found = dict(compare_texts(*texts, Wanted(assume=HASHABLE, trial=False)).functions)["f"]
    assert (found.status == "proved") is proved


@pytest.mark.parametrize(
    ("module", "count"),
    [
        ("X = 3\nY = [X for X in (1,)]\n", 1),
        ("X = 3\nY = [[X for X in row] for row in ((1,),)]\n", 1),
        ("X = 3\nY = [X := n for n in (1,)]\n", 2),
        ("X = 3\nY = [[X := n for n in row] for row in ((1,),)]\n", 2),
        ("X = 3\nfor X in (1,): pass\n", 2),
        ("X = 3\nY = lambda X=3: X\n", 1),
    ],
)
def test_a_comprehension_binds_names_of_its_own(module, count):
    assert len(bindings_of(ast.parse(module)).of["X"]) == count


def test_a_module_that_a_helper_gives_is_listed():
    head = "import sys\n\n\ndef me():\n    return sys.modules[__name__]\n\n\n"
    asks = "def f(x):\n    return {}\n"
    for code in ("len(me().__dict__)", "sorted(vars(me()))"):
        texts = [head + more + asks.format(code) for more in ("", "def _told(x):\n    return x\n\n\n")]
        assert dreck.compare(*texts, only="f", trial=False).status == "unsettled"
