"""What a module does when it is imported: which statements act, and which only make a value and bind it."""

import ast

import pytest

from dreck.model.names.modules import ModuleNames
from dreck.proof.surroundings.importing import effects_of, is_for_scripts
from dreck.proof.surroundings.module_diff import registered

HEAD = """\
import enum, functools, re, sys, types, typing, abc, dataclasses
from collections import OrderedDict, defaultdict, namedtuple
from elsewhere import Base, Thing, made, other
LIMIT = 5
NAMES = ("a", "b")
ROWS = {"a": 1, "b": 2}
LOUD = made()
class Loud:
    def __eq__(self, other): return made()
    def setter(self, f): return made(f)
    n = made()
class Plain:
    n = 3
    m = made
    def weigh(self): ...
class Twice:
    n = 3
    n = LOUD
class Named:
    n = LOUD
class Other:
    def __init__(self): made()
class Meta(type): ...
class Kind(enum.Enum):
    GLASS = 1
class Hearing:
    def __init_subclass__(cls): made()
class Below(Hearing): ...
@functools.singledispatch
def fee(one): ...
def weigh(one): ...
@made
def shown(one): ...
@dataclasses.dataclass
class Row:
    n: int = 0
@made
class Marked: ...
LOUD_ONE = Loud()
PLAIN_ONE = re.compile("x")
AGAIN = zip(NAMES, NAMES)
GOING = (n for n in NAMES)
__half = made()
"""
QUIET = r"""
A = 3
A = weigh
A = LIMIT + 1
A: int = 3
A = B = 3
A, B = 1, 2
A, B = NAMES
A = [LIMIT, *NAMES]
A = {"a": LIMIT, **ROWS}
A = {1, LIMIT}
A = -LIMIT
A = not LIMIT
A = LIMIT > 3
A = 1 < LIMIT < 9
A = LIMIT if LIMIT > 3 else made
A = LIMIT and made
A = LIMIT or LOUD
A = f"{LIMIT}"
A = NAMES[0]
A = ROWS["a"]
A = NAMES[0:1]
A = re.compile("x")
A = re.I | re.M
A = OrderedDict(a=1)
A = defaultdict(list)
A = dict(ROWS)
A = sorted(NAMES)
A = sorted(NAMES, key=len)
A = lambda: made()
A = lambda one=LIMIT: made()
A = lambda one=LOUD: made()
A = [n for n in NAMES]
A = [n for n in NAMES if n == "a"]
A = {n: 1 for n in NAMES}
A = {n for n in NAMES}
A = (n for n in NAMES)
A = Row(1)
A = functools.partial(weigh, 1)
A = "a b".split()
A = sys.platform.startswith("w")
A = sys.platform
A = Kind
A = type(LIMIT)
A = Thing
A = re.VERBOSE
A = typing.Optional[int]
A = Plain.n
A = Plain.n == 1
A = Plain.m
A = Plain == 1
A = Kind.GLASS
A = Kind.GLASS == 1
A = Row == 1
A = weigh == 1
A = re.n.m == 1
A = PLAIN_ONE == 1
A = sorted(NAMES, key=functools.partial(len))
A = __file__ == 1
A = typing.TypeVar("A")
A = __name__
"a text"
pass
import os
from os import path
def a(one): return made()
def a(one=LIMIT): ...
def a(one: int) -> int: ...
def a(*, one, two=3): ...
@functools.cache
def a(one): ...
@functools.lru_cache(maxsize=3)
def a(one): ...
@functools.wraps(weigh)
def a(one): ...
@fee.register(int)
def a(one): ...
@fee.register
def a(one: int): ...
async def a(): ...
class A: ...
class A(Plain): n = 4
class A(metaclass=abc.ABCMeta): ...
class A(abc.ABC): ...
class A(Plain):\n    def __init__(self): made()
class A(enum.Enum): N = 1
class A(typing.Generic[typing.T]): ...
class A(Exception): ...
@dataclasses.dataclass
class A: n: int = 3
class A:\n    @property\n    def n(self): ...\n    @n.setter\n    def n(self, one): ...
class A:\n    @functools.singledispatchmethod\n    def n(self, one): ...\n    @n.register(int)\n    def m(self, one): ...
class A:\n    @property\n    def n(self): ...\n    @n.setter\n    @functools.cache\n    def n(self, one): ...
class A:\n    n = LIMIT\n    def weigh(self): made()
if LIMIT > 3: A = 1
if typing.TYPE_CHECKING: made()
try:\n    import fast\nexcept ImportError:\n    fast = None
"""
ACTING = r"""
made()
A = made()
A = other.part()
A: int = made()
A: made() = 3
A = B = made()
A, B = made()
A, B = LOUD
A.n = 3
ROWS["a"] = 3
A = [made()]
A = [LIMIT, made()]
A = [*LOUD]
A = {"a": made()}
A = {made(): 1}
A = {LOUD: 1}
A = {**LOUD}
A = {LOUD}
A = {1, made()}
A = -LOUD
A = not LOUD
A = LOUD + 1
A = 1 + LOUD
A = LOUD > 3
A = 3 > LOUD
A = 1 < 2 < LOUD
A = 1 if LOUD else 2
A = made() if LIMIT else 2
A = 2 if LIMIT else made()
A = LOUD and 3
A = 3 and LOUD and 4
A = 3 or made()
A = f"{LOUD}"
A = f"{1:{LOUD}}"
A = LOUD[0]
A = NAMES[LOUD]
A = NAMES[LOUD:]
A = LOUD.n
A = LOUD.n.m
A = LOUD.n == 1
A = Plain.other == 1
A = Plain.weigh == 1
A = Plain.m.k == 1
A = Twice.n == 1
A = Named.n == 1
A = Below == 1
A = Below.n
A = Marked == 1
A = [Marked == 1]
A = list(GOING)
A = sorted(NAMES, key=made(3))
A = sorted(NAMES, key=weigh(3))
A = weigh.n == made
A = __half == 1
class A:\n    def __get__(self, one, kind): ...\nB = Plain.n == 1
class A:\n    def __class_getitem__(cls, key): ...\nB = ROWS["a"]
class A(enum.Enum):\n    pass\nclass B(A):\n    def __init__(self, n): made()\n    N = 1
A = LOUD_ONE == 3
A = LOUD_ONE.n
A = OrderedDict(made())
A = OrderedDict(a=LOUD)
A = sorted(NAMES, key=weigh)
A = sorted(LOUD)
A = lambda one=made(): 3
A = lambda *, one=made(): 3
A = [n for n in LOUD]
A = [made() for n in NAMES]
A = [n for n in NAMES if made()]
A = [n for n in NAMES if LOUD]
A = {n: made() for n in NAMES}
A = {made(): n for n in NAMES}
A = {made() for n in NAMES}
A = [m for n in NAMES for m in LOUD]
A = list(AGAIN)
A = Row(made())
A = Loud()
A = Plain()
A = Marked.n == 1
A = shown == 1
A = weigh(1)
A = (B := 3)
A = type("A", (Plain,), {})
A = type(LOUD)
A = type(made())
A = "a {}".format(LOUD)
A = LOUD.split()
A = Kind(1)
A = Plain.m == 1
A = Loud.n == 1
del LIMIT
LIMIT += 1
assert LIMIT
raise ValueError
for A in NAMES: pass
while LIMIT: pass
with made(): pass
global LIMIT
if LOUD: A = 1
if LIMIT: made()
if LIMIT > 3: A = 1\nelse: made()
if made(): A = 1
if typing.TYPE_CHECKING: A = 1\nelse: made()
try:\n    made()\nexcept ImportError: ...
try:\n    import fast\nexcept ImportError:\n    made()
try:\n    import fast\nfinally:\n    made()
def a(one=made()): ...
def a(*, one=made()): ...
def a(one: made()): ...
def a(*one: made()): ...
def a(**one: made()): ...
def a(one: made(), /): ...
def a(*, one: made()): ...
def a() -> made(): ...
@made
def a(one): ...
@made()
def a(one): ...
@functools.lru_cache(maxsize=made())
def a(one): ...
@functools.wraps(made())
def a(one): ...
@weigh.register(int)
def a(one): ...
@LOUD.setter
def a(one): ...
@LOUD_ONE.setter
def a(one): ...
@Loud.setter
def a(one): ...
@other.part
def a(one): ...
@other.n.setter
def a(one): ...
@made().setter
def a(one): ...
@made
class A: ...
class A(made()): ...
class A(Base): ...
class A(Hearing): ...
class A(Below): ...
class A(metaclass=Meta): ...
class A(metaclass=made): ...
class A(Plain, kind=made()): ...
class A(**ROWS): ...
class A: made()
class A: n = made()
class A:\n    @made\n    def n(self): ...
class A:\n    def n(self, one=made()): ...
class A:\n    def __init_subclass__(cls): made()\nclass B(A): ...
class A:\n    n = LOUD\n    @n.setter\n    def m(self, one): ...
class A:\n    def n(self): ...\n    @n.setter\n    def m(self, one): ...
class A:\n    @property\n    def n(self): ...\n    n = LOUD\n    @n.setter\n    def m(self, one): ...
class A:\n    @property\n    def n(self): ...\n    def n(self): ...\n    @n.setter\n    def m(self, one): ...
class A:\n    @property\n    def n(self): ...\n    @functools.cache\n    def n(self): ...\n    @n.setter\n    def m(self, one): ...
class A:\n    @LOUD.getter\n    def m(self, one): ...
class A:\n    @n.register(int)\n    def m(self, one): ...
class A(enum.Enum):\n    N = 1\n    def __init__(self, n): made()
@dataclasses.dataclass
class A: n: int = made()
"""


def statements(told: str) -> list[str]:
    found: list[str] = []
    for line in told.strip().splitlines():
        if found and (found[-1].startswith("@") and "\n" not in found[-1]):
            found[-1] += f"\n{line}"
        else:
            found.append(line.replace("\\n", "\n"))
    return found


def acts(text: str) -> bool:
    before, after = ast.parse(HEAD), ast.parse(f"{HEAD}{text}\n")
    return effects_of(before, ModuleNames(before)) != effects_of(after, ModuleNames(after))


@pytest.mark.parametrize("text", statements(QUIET))
def test_what_only_makes_a_value_is_quiet(text):
    assert not acts(text)


@pytest.mark.parametrize("text", statements(ACTING))
def test_what_runs_code_acts(text):
    assert acts(text)


@pytest.mark.parametrize(
    "text", ["def a(one: made()): ...", "A: made() = 3", "class A:\n    def a(self) -> made(): ..."]
)
def test_annotations_that_nobody_works_out_are_quiet(text):
    before = ast.parse("from __future__ import annotations\nfrom elsewhere import made\n")
    after = ast.parse(f"from __future__ import annotations\nfrom elsewhere import made\n{text}\n")
    assert effects_of(before, ModuleNames(before)) == effects_of(after, ModuleNames(after))
    before, after = ast.parse("from elsewhere import made\n"), ast.parse(f"from elsewhere import made\n{text}\n")
    assert effects_of(before, ModuleNames(before)) != effects_of(after, ModuleNames(after))


@pytest.mark.parametrize(
    ("one", "other"),
    [
        ("A = 1\nmade(A)\nA = 2\n", "A = 1\nA = 2\nmade(A)\n"),
        ("made(len)\nlen = 3\n", "len = 3\nmade(len)\n"),
        ("a = 1\nfrom beside import *\nmade(a)\n", "from beside import *\nmade(a)\na = 1\n"),
        ("def a(): return B\nB = 1\nmade(a)\nB = 2\n", "def a(): return B\nB = 1\nB = 2\nmade(a)\n"),
    ],
)
def test_what_is_bound_by_then_counts(one, other):
    trees = ast.parse(f"from elsewhere import made\n{one}"), ast.parse(f"from elsewhere import made\n{other}")
    assert effects_of(trees[0], ModuleNames(trees[0])) != effects_of(trees[1], ModuleNames(trees[1]))


def test_other_names_may_be_bound_in_another_order():
    trees = ast.parse("import made\nA = 1\nmade(3)\n"), ast.parse("import made\nmade(3)\nA = 1\n")
    assert effects_of(trees[0], ModuleNames(trees[0])) == effects_of(trees[1], ModuleNames(trees[1]))


@pytest.mark.parametrize(
    ("text", "is_for"),
    [
        ("if __name__ == '__main__': made()", True),
        ("if __name__ == '__main__': made()\nelse: made()", False),
        ("if __name__ == 'yard': made()", False),
        ("while __name__ == '__main__': made()", False),
    ],
)
def test_what_only_scripts_do(text, is_for):
    assert is_for_scripts(ast.parse(text).body[0]) is is_for


def test_what_is_registered_is_told_by_function_and_class():
    text = HEAD + (
        "@fee.register(int)\ndef number(one): ...\nclass Desk:\n    @functools.singledispatchmethod\n"
        "    def toll(self, one): ...\n    @toll.register(int)\n    def number(self, one): ...\n"
    )
    tree = ast.parse(text)
    found = registered(tree, ModuleNames(tree))
    assert found.keys() == {"fee", ".toll"}
    assert len(found["fee"]) == 1 and len(found[".toll"]) == 2
