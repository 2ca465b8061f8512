"""Parts of random modules: classes that misbehave, rows, enums, helpers, tables, and what speaks when it dies."""

BODIES = ("return 1", "return self.n", "return super().size()", "self.n += 1\n        return self.n", "return 2")
SPECIAL = (
    "",
    "",
    "",
    "    def __eq__(self, other):\n        return True\n",
    "    def __eq__(self, other):\n        self.n += 1\n        return self.n % 2 == 0\n",
    "    def __bool__(self):\n        self.n += 1\n        return self.n % 2 == 0\n",
    "    def __len__(self):\n        return self.n\n",
    "    def __getattr__(self, name):\n        LOG.append(name)\n        return 1\n",
    "    def __getitem__(self, key):\n        return self.n\n",
    "    def __getitem__(self, key):\n        self.n += 1\n        return self.n\n",
    "    def get(self, key, default=None):\n        self.n += 1\n        return default\n",
    "    def __lt__(self, other):\n        return self.n % 2 == 0\n",
    "    def __eq__(self, other):\n        if not isinstance(other, A):\n            return False\n        LOG.append('eq')\n"
    "        return True\n    __hash__ = None\n",
    "    def __eq__(self, other):\n        if type(self) is type(other):\n            LOG.append('eq')\n            return True\n"
    "        return NotImplemented\n    def __hash__(self):\n        return hash(self.n)\n",
    "    def __eq__(self, other):\n        return isinstance(other, A) and self.kilos == other.kilos\n",
    "    def __eq__(self, other):\n        LOG.append('eq')\n        return isinstance(other, A)\n",
    "    if LOG is not None:\n        def __eq__(self, other):\n            LOG.append('eq')\n            return self.n == other\n",
    "    def __hash__(self):\n        return hash(self.kilos)\n",
    "    def __len__(self):\n        return self.kilos\n",
    "    def __bool__(self):\n        return self.kilos > 0\n",
    "    def __len__(self):\n        return sum(self.line)\n    line = iter((1, 2))\n",
    "    def __contains__(self, other):\n        return other in self.line\n    line = iter((0, 1, 2))\n",
    "    def __ne__(self, other):\n        return not self == other\n",
    "    def __ne__(self, other):\n        LOG.append('ne')\n        return True\n",
    "    def __eq__(self, other):\n        LOG.append('eq')\n        return [other]\n",
    "    def __eq__(self, other):\n        LOG.append('eq')\n        return self.n == 1\n    __hash__ = None\n",
    "    def __str__(self):\n        LOG.append('told')\n        return 'k'\n",
    "    def __eq__(self, other):\n        if not isinstance(other, (A, dict)):\n            return False\n        LOG.append('eq')\n"
    "        return True\n    def __ne__(self, other):\n        if not isinstance(other, (A, dict)):\n            return True\n"
    "        LOG.append('ne')\n        return False\n",
    "    def __ne__(self, other):\n        return not isinstance(other, self.__class__) or LOG.append('ne') is not None\n",
    "    def __eq__(self, other):\n        if not isinstance(other, self.__class__):\n            return NotImplemented\n"
    "        LOG.append('eq')\n        return True\n    __hash__ = object.__hash__\n",
    "    __eq__ = object.__eq__\n    __hash__ = object.__hash__\n",
    "    def __hash__(self):\n        return self.kilos.__hash__()\n",
    "    def __hash__(self):\n        return hash(repr(self))\n    def __repr__(self):\n        LOG.append('told')\n        return 'k'\n",
)
COMPUTED = (
    "    @property\n    def kilos(self):\n        return self.n\n",
    "    @property\n    def kilos(self):\n        self.n += 1\n        return self.n\n",
    "    kilos = 3\n",
)
ROWS = (
    "class Row(NamedTuple):\n    x: int\n    y: int = 2\n",
    "@dataclass\nclass Row:\n    x: int\n    y: int = 2\n",
    "@dataclass(frozen=True)\nclass Row:\n    x: int\n    y: int = 2\n",
    "@dataclass\nclass Row:\n    x: int\n    y: ClassVar[int] = 2\n",
    "class Row:\n    def __init__(self, x, y):\n        self.x = x\n        self.y = y\n",
    "@dataclass\nclass Row:\n    x: int\n    y: int = 2\n    def __post_init__(self):\n        self.x = self.y\n",
)
ENUMS = (
    "class Kind(Enum):\n    GLASS = 1\n    PAPER = 2\n",
    "class Kind(Enum):\n    GLASS = 1\n    PAPER = 1\n",
    "class Kind(IntEnum):\n    GLASS = 1\n    PAPER = 2\n",
)
HELPERS = (
    "def helper(x, y=1):\n    return x\n",
    "def helper(x, y=1):\n    if x == y:\n        return 0\n    return y\n",
    "def helper(x, y=1):\n    LOG.append('h')\n    return x\n",
    "def helper(x, y=1):\n    raise KeyError(x)\n",
    "def helper(x, y=1):\n    return sys.exc_info()[0] is None\n",
    "def helper(x, y=1):\n    def inner():\n        return x\n    x = y\n    return inner()\n",
    "def helper(x, y=1):\n    return 5\ndef helper(x, y=1):\n    return x\n",
    "def helper(x, y=1):\n    return 5\nhelper = min\n",
)
GENERATORS = (
    "def rows(xs):\n    for x in xs:\n        yield x\n",
    "def rows(xs):\n    it = iter(xs)\n    while True:\n        yield next(it)\n",
    "def rows(xs):\n    yield from xs\n    return 1\n",
    "def rows(xs):\n    try:\n        yield from xs\n    finally:\n        LOG.append('left')\n",
)
TABLES = ('TABLE = {0: "none", 1: "one"}\n', 'TABLE = {1: "one", 2: helper}\n', 'TABLE = {Kind.GLASS: 1, Kind.PAPER: 2}\n',
           'TABLE = {0: 1}\nTABLE[0] = 2\n', 'TABLE = {True: 1, 0: 2}\n',
           'import colorsys\nTABLE = {0: colorsys.rgb_to_hls, 1: colorsys.rgb_to_hsv}\n')  # fmt: skip
BANDS = ('BANDS = ((1, "A"), (2, "B"))\n', 'BANDS = ((2, "B"), (1, "A"))\n', 'BANDS = ((1, "A"), (1, "B"))\n')
FILLED = (
    "FILLED = OrderedDict(k=1)\n",
    "FILLED = OrderedDict(k=1)\n",
    "from collections import defaultdict\nFILLED = defaultdict(int)\n",
)
MORTAL = "class Mortal:\n    n = 1\n    def __del__(self):\n        LOG.append('gone')\n"
"""An object that speaks when it dies; where it is about, functions bind it, let go of it and hand it on."""
HELD = "import weakref\nHELD = weakref.WeakValueDictionary()\n"
SHOWN = "def shown(g):\n    return lambda *given: (g.__doc__, g(*given))\n"
DESCRIBED = "    'what it says'\n"
CHANGES = (
    *["def change():\n    pass\n"] * 6,
    "def change():\n    global LIMIT\n    LIMIT = 0\n",
    "def change():\n    globals()['LIMIT'] = 0\n",
    "def change():\n    change.__globals__['LIMIT'] = 0\n",
    "def change():\n    sys.modules[__name__].LIMIT = 0\n",
    "import importlib\ndef change():\n    importlib.import_module(__name__).LIMIT = 0\n",
    "def change():\n    setattr(__import__(__name__), 'LIMIT', 0)\n",
    "import colorsys\ndef change():\n    colorsys.rgb_to_hls = LOG\n",
)
"""What whoever is called may call in turn."""
TYPES = (
    "Whole = int\n",
    "from typing import NewType\nWhole = NewType('Whole', int)\n",
    "Whole = int\nWhole = float\n",
    "if LOG is None:\n    Whole = int\nelse:\n    Whole = float\n",
)
"""Names for a type; some mean another one than they seem to."""
STARTED = "    it = rows(xs)\n    next(it, 0)\n"
HEAD = """\
import sys
from collections import OrderedDict
from dataclasses import dataclass
from enum import Enum, IntEnum
from typing import ClassVar, NamedTuple
LOG = []
"""
