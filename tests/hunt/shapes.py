"""Random pairs of functions over classes that say little of themselves: records, enums, what is shaped from outside."""

import random
import re
from typing import Any

_HEAD = """\
import collections, dataclasses, enum, typing
from abc import ABC, ABCMeta
from collections import UserDict, namedtuple
from dataclasses import dataclass, field, make_dataclass
from enum import Enum, IntEnum, auto, unique
from numbers import Number
from typing import Any, ClassVar, Generic, NamedTuple, Optional, TypeVar
LOG = []
T = TypeVar("T")
def ev(n):
    LOG.append(n)
    return n
def asked(self):
    LOG.append("asked")
    return len(LOG)
"""
ASSUMED = ("hashable-key",)
_ROWS = (
    "class Row(NamedTuple):\n    x: int\n    y: 'Optional[int]' = 2\n",
    "class Row(typing.NamedTuple):\n    y: int\n    x: int\n",
    "class Row(NamedTuple):\n    x: int = 1\n    y: 'list[int] | None' = None\n    def both(self):\n        return self.x\n",
    "class Row(NamedTuple):\n    x: int\n    y: int\n    def __bool__(self):\n        return False\n",
    "@dataclass\nclass Row:\n    x: Any\n    y: Any = None\n",
    "@dataclasses.dataclass\nclass Row:\n    'Both.'\n    x: typing.Any\n    y: 'int' = 2\n    pass\n",
    "@dataclass(frozen=True, slots=True)\nclass Row:\n    x: int\n    y: int\n",
    "@dataclass(kw_only=True)\nclass Row:\n    x: int\n    y: int\n",
    "@dataclass(init=False)\nclass Row:\n    x: int = 1\n    y: int = 2\n",
    "@dataclass\nclass Row:\n    x: int\n    y: ClassVar[int] = 2\n",
    "@dataclass\nclass Row:\n    x: int\n    y: 'ClassVar[int]' = 2\n",
    "@dataclass\nclass Row:\n    x: int\n    y: dataclasses.InitVar[int] = 2\n",
    "@dataclass\nclass Row:\n    x: int\n    y: int = field(default=2, init=False)\n",
    "@dataclass\nclass Row:\n    x: int\n    y: int = 2\n    def __post_init__(self):\n        self.x = self.y\n",
    "@dataclass\nclass Row:\n    x: int\n    y: int\n    @property\n    def z(self):\n        return self.x\n",
    "@dataclass\nclass Row:\n    x: int\n    y: int = 2\n    y = 3\n",
    "@dataclass\n@unlike\nclass Row:\n    x: int\n    y: int\n",
    "class Base:\n    pass\n@dataclass\nclass Row(Base):\n    x: int\n    y: int\n",
    "class Base:\n    __slots__ = ('x',)\n@dataclass\nclass Row(Base):\n    x: int\n    y: int\n",
    "class Base:\n    def __setattr__(self, name, value):\n        object.__setattr__(self, name, ev(7))\n"
    "class Row(Base):\n    def __init__(self, x, y):\n        self.x = x\n        self.y = y\n",
    "class Row:\n    def __init__(self, x, y):\n        'Both.'\n        self.x = x\n        self.y = y\n",
    "class Row:\n    def __init__(self, x, y):\n        self.y = y\n        self.x = x\n",
    "class Row:\n    def __init__(self, x, y):\n        self.x = y\n        self.y = x\n",
    "class Row:\n    def __init__(self, x, y=2):\n        self.x = x\n        self.y = y\n",
    "class Row:\n    x = 7\n    def __init__(self, x, y):\n        self.y = y\n",
    "class Row:\n    def __init__(self, x, y):\n        self.x = x\n        self.y = y\n    def y(self):\n        return 1\n",
    "class Row:\n    def __init__(self, x, y):\n        self.x = x\n        self.y = y\n    y = property(asked, asked)\n",
    "class Base:\n    def x(self):\n        return 1\n@dataclass\nclass Row(Base):\n    y: int\n    x: int\n",
    "class Base:\n    def y(self):\n        return 1\n@dataclass\nclass Row(Base):\n    x: int\n    y: int\n",
    "class Base:\n    @property\n    def x(self):\n        return 1\nclass Row(Base):\n    def __init__(self, x, y):\n"
    "        self.x = x\n        self.y = y\n",
    "class Row:\n    x = y = 1\n",
    "Row = namedtuple('Row', 'x y')\n",
    "Row = make_dataclass('Row', ['x', 'y'])\n",
)
_AFTER = (
    *[""] * 14,
    "Row.x = 9\n",
    "setattr(Row, 'x', property(asked))\n",
    "Row.__getattribute__ = lambda self, name: 9\n",
    "def Row(x, y):\n    return LOG\n",
    "Row.__init__.__defaults__ = (5,)\n",
)
_MADE = (
    *("Row(a, b)", "Row(x=a, y=b)") * 3,
    *("Row(b, a)", "Row(y=b, x=a)", "Row(a, y=b)", "Row(a)", "Row(a, b, 1)", "Row(*(a, b))", "Row(x=a)", "Row()"),
    "Row(ev(a), ev(b))",
    "Row(y=ev(b), x=ev(a))",
)
_READ = ("return {x}", "return {x}, {y}", "if {x}:\n    return {y}\nreturn {x}", "ev({y})\nreturn {x}",
         "if {x} == {y}:\n    return 1\nreturn {y}", "return {x} if {y} is None else {y}")  # fmt: skip
_ODD_READ = ("x, y = row", "x, y = row[0], row[1]", "row.x = b\nx, y = row.x, row.y", "x, y = row.y, row.x",
             "x, y = row.x, getattr(row, 'y')")  # fmt: skip

_MEMBERS = (
    "    GLASS = 1\n    PAPER = 2\n    METAL = 3\n",
    "    GLASS = auto()\n    PAPER = auto()\n    METAL = auto()\n",
    "    GLASS = 'g'\n    PAPER = 'p'\n    METAL = 'm'\n    @property\n    def told(self):\n        return ev(1)\n",
    "    GLASS = 1\n    PAPER = 2\n    METAL = 3\n    @staticmethod\n    def of(n):\n        return Kind.GLASS\n",
    "    GLASS = 1\n    PAPER = True\n    METAL = 3\n",
    "    GLASS = 1\n    PAPER = auto()\n    METAL = 2\n",
    "    GLASS = PAPER = 1\n    METAL = 3\n",
    "    GLASS: int = 1\n    PAPER = 2\n    METAL = 3\n",
    "    GLASS = 1\n    PAPER = 2\n    METAL = 3\n    def __eq__(self, other):\n        return ev(1) == 1\n    __hash__ = None\n",
    "    GLASS = 1\n    PAPER = 2\n    METAL = 3\n    def __bool__(self):\n        return self.value > 2\n",
    "    GLASS = 1\n    PAPER = 2\n    METAL = 3\n    @classmethod\n    def _missing_(cls, value):\n        return cls.METAL\n",
    "    _ignore_ = ['METAL']\n    GLASS = 1\n    PAPER = 2\n    METAL = 3\n",
    "    GLASS = 1\n    PAPER = 2\n    def METAL(self):\n        return 1\n",
    "    GLASS = 1\n    PAPER = 2\n    @unlike\n    def METAL(self):\n        return 1\n",
    "    GLASS = (1,)\n    PAPER = [1]\n    METAL = ev(3)\n",
)
_MEMBERS += (
    "    GLASS = 'g'\n    PAPER = 'p'\n    METAL = 'm'\n    def __str__(self):\n        return str(ev(2))\n",
    "    GLASS = 'g'\n    PAPER = 'p'\n    METAL = 'g'\n",
    "    GLASS = -1\n    PAPER = 1\n    METAL = 2\n",
    "    GLASS = 0\n    PAPER = 1\n    METAL = 2\n    def __repr__(self):\n        return 'k'\n",
    "    GLASS = 1\n    PAPER = 2\n    METAL = 3\n    def __hash__(self):\n        return ev(4)\n",
)
_ENUMS = ("class Kind(Enum):\n", "class Kind(enum.Enum):\n", "class Kind(IntEnum):\n", "@unique\nclass Kind(Enum):\n",
          "class Kind(str, Enum):\n", "class Kind(IntEnum):\n", "class Kind(enum.StrEnum):\n", "class Kind(int, Enum):\n",
          "class Kind:\n", "class Kind(enum.Flag):\n")  # fmt: skip
_KIND_TESTS = ("k is Kind.GLASS", "k == Kind.GLASS", "k is Kind.PAPER", "k == Kind.PAPER", "k is Kind.METAL", "k == 1",
               "k in (Kind.GLASS, Kind.PAPER)", "k is not Kind.GLASS", "k != Kind.METAL", "not k")  # fmt: skip
_CASES = {"k == Kind.GLASS": "Kind.GLASS", "k == Kind.PAPER": "Kind.PAPER", "k == 1": "1",
          "k in (Kind.GLASS, Kind.PAPER)": "Kind.GLASS | Kind.PAPER"}  # fmt: skip
_KEYS = {"k == Kind.GLASS": "Kind.GLASS", "k == Kind.PAPER": "Kind.PAPER", "k == 1": "1",
         "k is Kind.METAL": "Kind.METAL", "k == Kind.METAL": "Kind.METAL"}  # fmt: skip
_PAST = (*[""] * 12, "object.__new__(Kind)\n", "try:\n    Kind.GLASS = Kind.PAPER\nexcept AttributeError:\n    pass\n")
_SPLIT = (
    *[""] * 5,
    "try:\n    Kind._member_map_['GLASS'] = Kind.PAPER\nexcept AttributeError:\n    pass\n",
    "type.__setattr__(Kind, 'GLASS', Kind.PAPER)\n",
    "Kind.__hash__ = lambda self: ev(9)\n",
    "Kind.__eq__ = lambda self, other: ev(8) == 8\nKind.__hash__ = object.__hash__\n",
    "setattr(Kind, '__ha' + 'sh__', lambda self: ev(len(LOG)))\n",
    "for made in (Kind,):\n    setattr(made, '__e' + 'q__', lambda self, other: ev(8) == 8)\n",
    "getattr(type, '__set' + 'attr__')(Kind, 'GLASS', Kind.PAPER)\n",
    "import gc\ngc.get_referents(Kind.__dict__)[0]['GLASS'] = getattr(Kind, 'PAPER', 1)\n",
    "def told(x, type=type):\n    return type.mro(x) if isinstance(x, type) else object.__setattr__\n",
    "class Loose(type(Kind)):\n    def __setattr__(self, name, value):\n        type.__setattr__(self, name, value)\n"
    "Kind.__class__ = Loose\nKind.GLASS = Kind.PAPER\n",
)

_BESIDE_KINDS = (
    *[""] * 2,
    "class Load:\n    def __eq__(self, other):\n        ev(8)\n        return True\n    __hash__ = object.__hash__\n",
    "class Load:\n    def __bool__(self):\n        return ev(8) == 8\n",
    "class Load(int):\n    def __eq__(self, other):\n        return ev(8) == 8\n",
)

_BIN = "class Bin{bases}:\n    n = 1\n    line = {line}\n    def __init__(self):\n        self.kilos = 3\n{more}"
_SHAPING = (
    *[""] * 40,
    "setattr(Bin, 'full', property(asked))\n",
    "setattr(Bin, 'f' + 'ull', property(asked))\n",
    "for name in ('full',):\n    setattr(Bin, name, property(asked))\n",
    "def given(of, name):\n    setattr(of, name, property(asked))\ngiven(Bin, 'full')\n",
    "class Giver:\n    def __set_name__(self, owner, name):\n        setattr(owner, 'full', property(asked))\n"
    "class Bin(Bin):\n    given = Giver()\n",
    "Bin.full = property(asked)\n",
    "type.__setattr__(Bin, 'full', property(asked))\n",
    "vars(Bin)['n']\n",
    "set_it = setattr\nset_it(Bin, 'full', property(asked))\n",
    "Bin = type('Bin', (Bin,), {'full': property(asked)})\n",
    "Bin = type('Bin', (Bin,), {'full': 3})\n",
    "Bin = type('Bin', (Bin,), dict(full=property(asked)))\n",
    "Bin = type('Bin', (Bin,), dict(full=3))\n",
    "Bin = type.__new__(type, 'Bin', (Bin,), {'full': property(asked)})\n",
    "import types\nBin = types.new_class('Bin', (Bin,), {}, lambda own: own.update(full=property(asked)))\n",
    "Bin = make_dataclass('Bin', [], bases=(Bin,), namespace={'full': property(asked)})\n",
    "exec('Bin.full = property(asked)')\n",
    "object.__setattr__\n",
    "[setattr(kind, 'full', property(asked)) for kind in object.__subclasses__() if kind is Bin]\n",
    "class Giver:\n    def __init_subclass__(cls):\n        cls.full = property(asked)\nclass Bin(Bin, Giver):\n    pass\n",
    "class Giver:\n    @classmethod\n    def give(cls, name):\n        setattr(cls, name, property(asked))\n"
    "class Bin(Bin, Giver):\n    pass\nBin.give('full')\n",
    "class Giver:\n    def give(self, name):\n        setattr(self, name, 4)\n    def __init__(self):\n"
    "        self.give('full')\nclass Bin(Giver, Bin):\n    kilos = 3\n",
    "class Meta(type):\n    def __new__(meta, name, bases, names):\n        names['full'] = property(asked)\n"
    "        return type.__new__(meta, name, bases, names)\nclass Bin(Bin, metaclass=Meta):\n    pass\n",
    "class Meta(type):\n    def __new__(meta, name, bases, names):\n        if names.get('full') or 'full' in names:\n"
    "            pass\n        return super().__new__(meta, name, bases, names)\nclass Bin(Bin, metaclass=Meta):\n    pass\n",
    "class Meta(type):\n    def __new__(meta, name, bases, names):\n        return type.__new__(meta, name, bases, "
    "{**names, 'full': property(asked)})\nclass Bin(Bin, metaclass=Meta):\n    pass\n",
    "class Meta(type):\n    @classmethod\n    def __prepare__(meta, name, bases):\n        return {'full': property(asked)}\n"
    "class Bin(Bin, metaclass=Meta):\n    pass\n",
    "def shaped(kind):\n    kind.full = property(asked)\n    return kind\n@shaped\nclass Bin(Bin):\n    pass\n",
    "def shaped(kind):\n    setattr(kind, 'full', property(asked))\n    return kind\n@shaped\nclass Bin(Bin):\n    pass\n",
    "def shaped(kind):\n    return kind\n@shaped\nclass Bin(Bin):\n    pass\n",
)
_BASES = ("", "", "(ABC)", "(Generic[T])", "(Number)", "(UserDict)", "(metaclass=ABCMeta)", "(int)", "(Other)",
          "(Register)")  # fmt: skip
_LINES = ("[1, 2]", "(1, 2)", "iter((1, 1, 2))", "{1: 2}", "range(3)", "list(range(2))", "(n for n in (1, 1, 1))",
          "'12'.split('1')", "[n for n in (1, 2)]", "None or [1]", "[1] if LOG else (1, 3)", "map(ev, (1, 1))")  # fmt: skip
_NOTICED = (
    *[""] * 3,
    "def __eq__(self, other):\n    return isinstance(other, Bin) and other.n == self.n\n__hash__ = None\n",
    "def __eq__(self, other):\n    if not isinstance(other, Bin):\n        return NotImplemented\n    return self.n == other.n\n",
    "def __eq__(self, other):\n    return type(self) is type(other) and other.n in self.line\n",
    "def __eq__(self, other):\n    return self.__class__ is other.__class__ and self.full\n@property\ndef full(self):\n    return 1\n",
    "def __eq__(self, other):\n    return self is other or other in (1, 2)\n",
    "def __eq__(self, other):\n    return isinstance(other, (UserDict, Number)) and self.n == 1\n",
    "def __eq__(self, other):\n    return isinstance(other, (Bin, dict)) and self.kilos == 3\n",
    "def __bool__(self):\n    return self.kilos > 2 or self.full\n@property\ndef full(self):\n    return ev(3)\n",
    "def __len__(self):\n    return self.kilos if self.n else 3\n",
    "def __len__(self):\n    return len(self.line)\n",
    "def __contains__(self, other):\n    return other == self.n\n",
    "def __lt__(self, other):\n    return self.kilos < other\n",
    "def __eq__(self, other):\n    return isinstance(other, Bin) and ev(1) == self.n\n__hash__ = None\n",
    "def __eq__(self, other):\n    if not isinstance(other, Bin):\n        return NotImplemented\n    return ev(1) == 1\n",
    "def __eq__(self, other):\n    if type(other) is not type(self):\n        return False\n    LOG.append(1)\n    return True\n",
    "def __eq__(self, other):\n    if isinstance(other, (Bin, Number)):\n        LOG.append('eq')\n        return True\n"
    "    return False\n",
    "def __eq__(self, other):\n    return other in self.line\n",
    "def __contains__(self, other):\n    return other in self.line\n",
    "def __bool__(self):\n    return 1 in self.line\n",
    "def __bool__(self):\n    return bool(sum(self.line))\n",
    "def __len__(self):\n    return len(tuple(self.line))\n",
    "def __len__(self):\n    return max(self.line, default=0)\n",
    "def __len__(self):\n    return min(self.line, key=ev)\n",
    "@property\ndef full(self):\n    return 1 in self.line\n",
    "@property\ndef full(self):\n    return self.kilos > 2\n",
    "def __ne__(self, other):\n    return not self == other\ndef __eq__(self, other):\n    return self is other\n",
)
_MADE_OTHERWISE = (
    "def __hash__(self):\n    return 5\n",
    "def __getattr__(self, name):\n    return 1\n",
    "def __iter__(self):\n    return iter((1,))\n",
    "def __lt__(self, other):\n    return True\n",
    "full = 4\n",
)
_BIN_TESTS = ("o.full", "o.kilos", "o.n", "o == 1", "o is None", "o == None", "not o", "o != 1", "1 in o", "len(o)",
              "o == o.n", "isinstance(o, Bin)", "o.kilos > 2", "o < 4", "o == o", "isinstance(o, Other)", "o.full == 1")  # fmt: skip
_BELOW = (
    "class Other:\n    pass\n",
    "class Other(ABC):\n    pass\nOther.register(int)\n",
    "class Meta(type):\n    def __instancecheck__(cls, o):\n        return True\nclass Other(metaclass=Meta):\n    pass\n",
)
_REGISTER = "class Register:\n    def __init_subclass__(cls):\n        LOG.append(cls)\n"


def pair(pick: random.Random) -> tuple[str, str]:
    """The text of a module with `f`, and that of one that may do the same."""
    head = _HEAD + pick.choice(_BELOW) + _REGISTER + "def unlike(g):\n    return g\n"
    while True:
        old, new = pick.choice((_in_a_row, _of_a_kind, _of_a_kind, _of_a_bin, _of_a_bin))(pick)
        try:  # not every class can be made so
            for text in (old, new):
                exec(head + text, {"__name__": "hunted"})
        except (TypeError, ValueError, AttributeError):
            continue
        return head + old, head + new


def _in_a_row(pick: random.Random) -> tuple[str, str]:
    """Values, and the same values in an object that only holds them."""
    read, made = pick.choice(_READ), pick.choice(_MADE)
    given = ("ev(a)", "ev(b)") if "ev(" in made else ("a", "b")
    row = pick.choice(_ROWS)
    if pick.random() < 0.15:
        new = [f"row = {made}", pick.choice(_ODD_READ), read.format(x="x", y="y")]
    elif pick.random() < 0.3:
        new = [read.format(x=f"{made}.x", y=f"{made}.y")]
    else:
        new = [f"row = {made}", read.format(x="row.x", y="row.y")]
    default = pick.choice(("b", "b", "b", "2", "None")) if "b" not in made else given[1]
    old = [f"x = {given[0]}", f"y = {default}", read.format(x="x", y="y")]
    if pick.random() < 0.15:
        old[0], old[1] = old[1], old[0]
    rows = row + pick.choice(_AFTER)
    return (rows if pick.random() < 0.1 else "") + _function("a, b", old), rows + _function("a, b", new)


def _of_a_kind(pick: random.Random) -> tuple[str, str]:
    """A ladder over the members of an enum, in another order, as `match`, or with an arm that may be dead."""
    kind = pick.choice(_ENUMS[:2] if pick.random() < 0.5 else _ENUMS) + pick.choice(_MEMBERS) + pick.choice(_PAST)
    kind += pick.choice(_SPLIT) + pick.choice(_BESIDE_KINDS)
    if pick.random() < 0.3:
        return _as_a_table(kind, pick)
    tests = [pick.choice(_KIND_TESTS) for _ in range(pick.choice((1, 2, 2, 3)))]
    arms = [(test, pick.choice(("1", "2", "ev(3)", "k"))) for test in tests]
    rest = pick.choice(("0", "1", "None"))
    new = list(arms)
    match pick.randrange(4):
        case 0:
            pick.shuffle(new)
        case 1:
            new.insert(pick.randrange(1, len(new) + 1), (pick.choice(_KIND_TESTS), pick.choice(("1", "5"))))
        case 2:
            new.pop(pick.randrange(len(new)))
    given = pick.choice(("k", "k: Kind", "k: 'Kind'"))
    text = _ladder(new, rest)
    if new and all(test in _CASES for test, _ in new) and pick.random() < 0.5:
        text = ["match k:", *(f"    case {_CASES[test]}:\n        return {answer}" for test, answer in new)]
        text.append(f"return {rest}")
    return kind + _function(given, _ladder(arms, rest)), kind + _function(given, text)


def _as_a_table(kind: str, pick: random.Random) -> tuple[str, str]:
    """The same choice by a table that is made once."""
    keys = sorted(_KEYS) if pick.random() < 0.2 else [key for key in _KEYS if " == Kind." in key]
    arms = [(test, pick.choice("123")) for test in pick.sample(keys, pick.choice((2, 2, 3)))]
    rows = [f"{_KEYS[test]}: {answer}" for test, answer in arms]
    if pick.random() < 0.3:
        rows = pick.sample(rows, len(rows) - 1)
    asked = pick.choice(("return ROWS.get(k, 0)", "if k in ROWS:\n    return ROWS[k]\nreturn 0"))
    if pick.random() < 0.4:  # the table is the function's own
        answers = (*"123", "ev(3)", "ev(4)", "k", "k.name")
        worked = pick.choice(answers) if pick.random() < 0.4 else ""
        spoilt = pick.choice(("", "", "", "", "Kind = 1\n", "ROWS.pop(Kind.GLASS)\n", "ev(5)\n"))
        rows = [row[:-1] + worked if worked and pick.random() < 0.5 else row for row in rows]
        return kind + _function("k", _ladder(arms, "0")), kind + _function(
            "k", [f"ROWS = {{{', '.join(rows)}}}", f"{spoilt}{asked}"]
        )
    return kind + _function("k", _ladder(arms, "0")), f"{kind}ROWS = {{{', '.join(rows)}}}\n" + _function("k", [asked])


def _ladder(arms: list[tuple[str, str]], rest: str) -> list[str]:
    return [*(f"if {test}:\n    return {answer}" for test, answer in arms), f"return {rest}"]


def _of_a_bin(pick: random.Random) -> tuple[str, str]:
    """Tests of an object that its class may answer with more than a look: asked once more, once less, earlier."""
    more = "".join(f"    {line}\n" for line in pick.choice(_NOTICED).splitlines())
    kind = _BIN.format(bases=pick.choice(_BASES), line=pick.choice(_LINES), more=more) + pick.choice(_SHAPING)
    first, second = pick.choice(_BIN_TESTS), pick.choice(_BIN_TESTS)
    old = [f"x = {first}", f"if {second}:\n    return 7", pick.choice(("return x, ev(4)", "return x", "return ev(5)"))]
    new = list(old)
    match pick.randrange(5):
        case 0:
            new[0], new[1] = new[1], new[0]
            new[1:1] = ["x = 0"] if "x" in new[0] else []
        case 1:
            old[1:1], new[1:1] = [f"y = {first}"], ["y = x"]
        case 2:
            old.insert(1, f"{first}")
        case 3:
            old.insert(pick.randrange(3), "if ev(0):\n    return o.full")
        case _:
            new[1] = f"if {second}:\n    return 7 if {second} else 8"
    if pick.random() < 0.1:
        new[-1] = "return x, ev(5)"
    given = pick.choice(("o: Bin", "o: Bin", "o"))
    grown = kind
    if pick.random() < 0.2:  # and then its class has got something of its own
        method = "".join(f"    {line}\n" for line in pick.choice(_NOTICED + _MADE_OTHERWISE).splitlines())
        grown, new = kind.replace("    n = 1\n", f"    n = 1\n{method}", 1), pick.choice((old, old, new))
    return kind + _function(given, old), grown + _function(given, new)


def _function(given: str, parts: list[str]) -> str:
    return f"def f({given}):\n" + "".join(f"    {line}\n" for part in parts for line in part.split("\n"))


def difference(old: dict[str, Any], new: dict[str, Any]) -> Any:
    """Arguments that the two are not the same for; None when there are none among these."""
    for given in _given(old):
        if "ROWS" in new and not all(_has_a_hash(space, given) for space in (old, new)):
            continue
        seen = [_seen(space, given) for space in (old, new)]
        if seen[0] != seen[1]:
            return given, seen
    return None


def _has_a_hash(space: dict[str, Any], given: str) -> bool:
    try:
        eval(f"hash({given})", space)
    except TypeError:
        return False
    except AttributeError:
        return True
    return True


def _given(space: dict[str, Any]) -> list[str]:
    if "Kind" in space:
        members = [name for name in ("Kind.GLASS", "Kind.PAPER", "Kind.METAL") if _is_of(name, space)]
        if space["f"].__annotations__:  # which hold
            return members or ["Kind()"]
        return ["Kind.GLASS", "Kind.PAPER", "Kind.METAL", "1", "2", "0", "None", "'g'", "'Kind'"]
    if "Bin" in space:
        return ["Bin()"]
    return ["0, 0", "1, 2", "2, None", "None, 1", "1, True", "(1, 2), []"]


def _is_of(name: str, space: dict[str, Any]) -> bool:
    try:
        return isinstance(eval(name, space), space["Kind"])
    except AttributeError:
        return False


def _seen(space: dict[str, Any], given: str) -> Any:
    space["LOG"].clear()
    try:
        found = repr(eval(f"f({given})", space))
    except Exception as error:
        found = type(error).__name__
    return re.sub(r" at 0x\w+", "", found), list(map(repr, space["LOG"]))
