"""Random pairs in which small values get a class of their own, or are members of one, or are said to be of one."""

import random
import re
from typing import Any

_HEAD = """\
from collections import namedtuple
from dataclasses import InitVar, dataclass, field
from enum import Enum, Flag, IntEnum, auto, unique
from typing import Any, ClassVar, Literal, NamedTuple, Optional, Union
LOG = []
class Loud:
    m = 1
    def __eq__(self, other):
        LOG.append('eq')
        return len(LOG) % 2 == 0
    __hash__ = object.__hash__
def told(x):
    LOG.append(x)
    return x
"""
_TOLD = ("int", "Any", "'int'", "int | None", "Optional[int]", "list[int]", "Loud", "ClassVar", "ClassVar[int]",
         "'ClassVar[int]'", "InitVar[int]", "Number")  # fmt: skip
_GIVEN = ("", "", "", " = 0", " = None", " = field(default=3)", " = field(default_factory=list)", " = told(2)")
_WITHIN = (
    "    def first(self):\n        return self.x\n",
    "    def first(self):\n        return self.y\n",
    "    def first(self):\n        return told(self.x)\n",
    "    def __post_init__(self):\n        LOG.append('made')\n",
    "    def __getattribute__(self, name):\n        LOG.append(name)\n        return object.__getattribute__(self, name)\n",
    "    def __getattr__(self, name):\n        return 5\n",
    "    def __setattr__(self, name, value):\n        object.__setattr__(self, name, told(value))\n",
    "    def __bool__(self):\n        return bool(told(self.x))\n",
    "    def __iter__(self):\n        return iter((self.y, self.x))\n",
    "    @property\n    def y(self):\n        return 5\n",
    "    @staticmethod\n    def first():\n        return 1\n",
    "    x = 7\n",
    "    z = told(3)\n",
    "    x: int = 4\n",
    "    __slots__ = ('x', 'y')\n",
    "    __match_args__ = ('y', 'x')\n",
    '    """A row."""\n',
)
_DECORATED = ("@dataclass\n", "@dataclass(frozen=True)\n", "@dataclass(kw_only=True)\n", "@dataclass(order=True)\n",
              "@dataclass(init=False)\n", "@told\n@dataclass\n", "@dataclass(slots=True)\n", "@dataclass(eq=False)\n",
              "@dataclass()\n")  # fmt: skip
_ABOVE = ("", "", "", "(Above)", "(object)", "(Loud)", "(Above, object)", "(told(Above))")
_OVER = ("    pass\n", "    w = 1\n", "    def __init__(self, *given):\n        LOG.append(given)\n",
         "    def first(self):\n        return 9\n", "    x: int = 1\n", "    __slots__ = ()\n")  # fmt: skip
_LATER = ("", "", "", "", "", "Row.x = 9\n", "setattr(Row, 'y', 2)\n", "Row.__init__ = lambda self, *given: None\n",
          "def change():\n    Row.y = 3\nchange()\n", "for name in ('x',):\n    setattr(Row, name, 1)\n",
          "Row = told(Row)\n", "del Row.first\n", "Row.first = lambda self: 4\n")  # fmt: skip
_MADE = ("Row(a, b)", "Row(a, b)", "Row(a, b)", "Row(b, a)", "Row(x=a, y=b)", "Row(y=b, x=a)", "Row(a)", "Row(a, y=b)",
         "Row(told(a), b)", "Row(*[a, b])", "Row(y=told(b), x=told(a))", "rowed(a, b)")  # fmt: skip
_X, _Y = ("r.x", "r.x", "r.x", "r[0]", "r.first()", "r.y", "x"), ("r.y", "r.y", "r.y", "r[1]", "r.x", "y")
_LINES = (
    "if {x} == 1:\n        return {y}",
    "if {x} is None:\n        return {y}, {x}",
    "if {y}:\n        told({x})",
    "told({y})",
    "b = 3",
    "a = told({x})",
    "if not {x} and {y} != 2:\n        return 8",
    "for n in (1, 2):\n        told({x})",
)
_MEMBERS = ("    A = 1\n", "    B = 2\n", "    C = 'c'\n", "    B = 1\n", "    A = auto()\n", "    B = auto()\n",
            "    D = told(4)\n", "    D = 1\n", "    _E = 5\n", "    F = 3\n", "    def size(self):\n        return self.value\n",
            "    @property\n    def value(self):\n        return told(7)\n",
            "    def __eq__(self, other):\n        return told(True)\n    __hash__ = object.__hash__\n",
            "    def __hash__(self):\n        return told(1)\n", "    G = lambda self: 1\n", "    H = True\n",
            "    @classmethod\n    def _missing_(cls, value):\n        return cls.A\n")  # fmt: skip
_ENUMS = ("Enum", "Enum", "Enum", "Enum", "IntEnum", "Flag", "str, Enum", "Loud, Enum", "told(Enum)")
_OF_KIND = ("k is Kind.{m}", "k is Kind.{m}", "k == Kind.{m}", "Kind.{m} == k", "k.value == {v}", "k.name == '{m}'",
            "k in (Kind.{m},)", "k in (Kind.A, Kind.{m})", "k is not Kind.{m}", "isinstance(k, Kind)")  # fmt: skip
_KIND = ("k", "k", "k: Kind", "k: 'Kind'", "k: Kind | None", "k: Optional[Kind]", "k: Kind = None")
_SAID = ("a", "a: int", "a: bool", "a: Literal[1, 2]", "a: 'int'", "a: int | None", "a: float", "a: str", "a: Number",
         "a: Literal['wet', 'dry']", "a: Optional[str]", "a: Union[int, str]", "a: Row", "a: Row | Other",
         "a: 'Row | None'", "a: int = None", "a: object", "a: Either")  # fmt: skip
_OF_SAID = ("a == 1", "a < 2", "2 > a", "not a < 2", "a >= 2", "a is None", "a is not None", "isinstance(a, Row)",
            "isinstance(a, Other)", "not isinstance(a, Row)", "a == 'wet'", "a == 'dry'", "a != 'wet'", "a in (1, 2)",
            "a + 1 > 2", "a", "not a", "a == 0", "a * 2 > 3", "isinstance(a, (int, str))", "type(a) is Row")  # fmt: skip


def pair(pick: random.Random) -> tuple[str, str]:
    """The text of a module with `f`, and that of one that may do the same."""
    while True:
        old, new = pick.choice((_of_rows, _of_rows, _of_members, _of_annotated))(pick)
        try:
            for text in (old, new):
                exec(text, {"__name__": "hunted"})
        except (TypeError, ValueError, AttributeError, NameError, SyntaxError):
            continue
        return old, new


def _of_rows(pick: random.Random) -> tuple[str, str]:
    lines = [*pick.choices(_LINES, k=pick.choice((1, 2, 3))), "return {x}, {y}, len(LOG)"]
    old = ["x = a", "y = b", *(line.format(x="x", y="y") for line in lines)]
    new = [f"r = {_often(pick, _MADE)}", *(line.format(x=_often(pick, _X), y=_often(pick, _Y)) for line in lines)]
    if pick.random() < 0.25:
        new[1:1] = [pick.choice(("x, y = r", "y, x = r", "x, *y = r", "x, y, z = r"))]
        new[2:] = [line.format(x=pick.choice(("x", "r.x")), y=pick.choice(("y", "r.y"))) for line in lines]
    elif "x" in new[-1].split(" ") or pick.random() < 0.5:
        new.insert(0, "x, y = a, b")
    head = "Number = int\n" if pick.random() < 0.8 else "Number = ClassVar[int]\n"
    row = _row(pick) + _often(pick, _LATER) + "def rowed(p, q):\n    return Row(p, q)\n"
    return _HEAD + _function("a, b", old), _HEAD + head + row + _function("a, b", new)


def _often(pick: random.Random, ways: tuple[str, ...]) -> str:
    return ways[0] if pick.random() < 0.8 else pick.choice(ways)


def _row(pick: random.Random) -> str:
    over = _often(pick, _ABOVE)
    above = f"class Above:\n{pick.choice(_OVER)}" if "Above" in over else ""
    within = "".join(pick.sample(_WITHIN, pick.choice((0, 0, 0, 1, 2))))
    fields = "".join(f"    {n}: {_often(pick, _TOLD)}{_often(pick, _GIVEN)}\n" for n in ("x", "y"))
    match pick.randrange(4):
        case 0:
            return f"class Row(NamedTuple):\n{fields}{within}"
        case 1:
            return f"{above}{_often(pick, _DECORATED)}class Row{over}:\n{fields}{within}"
        case 2:
            return "Row = namedtuple('Row', 'x y')\n"
    kept = pick.choice((*[("x", "y")] * 6, ("y", "x"), ("x", "told(y)"), ("x", "x")))
    made = f"    def __init__(self, x, y):\n        self.x = {kept[0]}\n        self.y = {kept[1]}\n"
    return f"{above}class Row{over}:\n{made}{within}"


def _of_members(pick: random.Random) -> tuple[str, str]:
    members = "".join(pick.sample(_MEMBERS[2:], pick.choice((0, 0, 0, 1, 2))))
    kind = f"class Kind({_often(pick, _ENUMS)}):\n{_MEMBERS[0]}{_MEMBERS[1]}{members}"
    kind = f"@unique\n{kind}" if pick.random() < 0.1 else kind
    first, second = (_of_kind(pick, m) for m in pick.choice(("AB", "BA", "AB", "AC", "AD")))
    old = [f"if {first}:\n        return 1", f"if {second}:\n        return 2", "return told(3)"]
    new = list(old)
    match pick.randrange(6):
        case 0:
            new[:2] = new[1::-1]
        case 1:
            new[pick.randrange(2)] = f"if {_of_kind(pick, pick.choice('AB'))}:\n        return {pick.choice((1, 2))}"
        case 2:
            new = ["return {Kind.A: 1, Kind.B: 2}.get(k, 3)"]
        case 3:
            new = ["if k in {Kind.A: 1, Kind.B: 2}:\n        return {Kind.A: 1, Kind.B: 2}[k]", "return told(3)"]
        case 4:
            new = [
                "match k:\n        case Kind.A:\n            return 1\n        case Kind.B:\n            return 2",
                old[2],
            ]
        case _:
            new.pop(pick.choice((1, 2)))
    head, given = _HEAD + kind, pick.choice(_KIND)
    return head + _function(given, old), head + _function(given, new)


def _of_kind(pick: random.Random, member: str) -> str:
    return _often(pick, _OF_KIND).format(m=member, v="ABCD".index(member) + 1)


def _of_annotated(pick: random.Random) -> tuple[str, str]:
    other = pick.choice(("", "(Row)", "(Loud)"))
    head = f"class Row:\n    m = 1\nclass Other{other}:\n    m = 2\nNumber = int\nEither = Union[Row, Other]\n"
    first, second = pick.choices(_OF_SAID, k=2)
    old = [f"if {first}:\n        return 1", f"if {second}:\n        return told(2)", "return 3"]
    new = list(old)
    match pick.randrange(5):
        case 0:
            new[:2] = new[1::-1]
        case 1:
            new = [f"if {first} and {second}:\n        return 1", *old]
        case 2:
            new.pop(1)
        case 3:
            new[0] = f"if {pick.choice(_OF_SAID)}:\n        return 1"
        case _:
            new = [f"if {first}:\n        return 1", f"if not ({second}):\n        return 3", "return told(2)"]
    given = pick.choice(_SAID)
    return _HEAD + head + _function(given, old), _HEAD + head + _function(given, new)


def _function(given: str, lines: list[str]) -> str:
    return f"def f({given}):\n" + "".join(f"    {line}\n" for line in lines)


def difference(old: dict[str, Any], new: dict[str, Any]) -> Any:
    """What tells two modules apart, if anything does: inputs of the kind that they say, and what each comes to."""
    told = repr(old["f"].__annotations__)
    names = [name for name in ("Kind", "Row", "Other") if name in old]
    without = [()] if old["f"].__defaults__ else []
    for given in without + _inputs(len(old["f"].__code__.co_varnames[: old["f"].__code__.co_argcount]), told, names):
        seen = []
        for module in (old, new):
            module["LOG"].clear()
            try:
                came = module["f"](*(one(module) for one in given))
            except Exception as error:
                came = type(error).__name__  # which way round a comparison was asked is in its words
            seen.append(re.sub(r"0x\w+|\brow_?\w*", "", repr((came, module["LOG"]))))
        if seen[0] != seen[1]:
            return [repr(one(old)) for one in given], *seen
    return None


def _inputs(count: int, told: str, names: list[str]) -> list[tuple[Any, ...]]:
    """Functions that make an argument in a module: of what the annotations name, of everything where they say nothing."""
    plain: dict[str, list[Any]] = {
        "int": [0, 1, 2, 3, True], "bool": [True, False], "float": [0.5, 2.0, 1, -0.0, float("nan")],
        "str": ["", "wet", "dry", "1"], "None": [None], "Optional": [None], "Literal[1, 2]": [1, 2], "wet": ["wet", "dry"],
    }  # fmt: skip
    fitting = [lambda m, v=v: v for word, values in plain.items() if word in told or told == "{}" for v in values]
    if "Literal" in told:
        fitting = [lambda m, v=v: v for v in ([1, 2] if "1, 2" in told else ["wet", "dry"])]
    for name in names:
        if name == "Kind" and ("Kind" in told or told == "{}"):
            fitting += [lambda m, n=n: m["Kind"].__members__.get(n, m["Kind"].A) for n in "ABCDFH"]
        elif name != "Kind" and (name in told or told == "{}" or "object" in told):
            fitting.append(lambda m, name=name: m[name]())
    if "Row" in told:
        fitting.append(lambda m: type("Below", (m["Row"],), {})())
    if told == "{}":
        fitting += [lambda m: m["Loud"](), lambda m: []]
    if count == 1:
        return [(one,) for one in fitting]
    return [(one, other) for one in fitting for other in fitting]
