"""Objects set up, texts reworded, inputs put together: differences that only a well-made input shows."""

import random

import pytest

import dreck
from dreck.trial.inputs.asked.texts import mutated, pieces
from dreck.trial.inputs.mishaps import learned
from dreck.trial.inputs.recipes import Make
from dreck.trial.server import Version, run_trial

DIFFER = {
    "only an object that its constructor has set up gets that far": (
        "class Bin:\n"
        "    def __init__(self, places):\n"
        "        self.loads = bytearray(b'')\n"
        "        self.at = 0\n"
        "        self.places = int(places)\n"
        "    def take(self, count):\n",
        "        if count < 0:\n            count = len(self.loads)\n        if len(self.loads) <= self.at:\n"
        "            return b''\n        found = self.loads[self.at:self.at + count]\n        self.at += len(found)\n"
        "        return bytes(found)\n",
        ("count < 0", "count <= 0"),
    ),
    "a class that makes its objects whole": (
        "class Weight:\n"
        "    __slots__ = ('kilos', 'odd')\n"
        "    def __new__(cls, text='0'):\n"
        "        made = object.__new__(cls)\n"
        "        made.odd = text == 'many'\n"
        "        made.kilos = 0 if made.odd else int(text)\n"
        "        return made\n"
        "    def over(self, limit):\n",
        "        if self.odd:\n            return True\n        return self.kilos > limit\n",
        ("return True", "return False"),
    ),
    "a method that is there to be overridden answers what is needed": (
        "class Line:\n    def waiting(self):\n        raise NotImplementedError\n    def full(self, most):\n",
        "        if self.waiting() > most:\n            return 'stop'\n        return 'go'\n",
        ("self.waiting() > most", "self.waiting() >= most"),
    ),
    "what a helper asks of an argument": (
        "def is_odd(load):\n    return load.tag.startswith('x-') and load.kilos == 4821\n\ndef f(load):\n",
        "    if is_odd(load):\n        return 1\n    return 2\n",
        ("return 1", "return 3"),
    ),
    "an attribute that may be missing": (
        "def f(load):\n",
        "    if hasattr(load, 'seal'):\n        return 1\n    return 2\n",
        ("return 2", "return 3"),
    ),
    "the very same object twice": (
        "def f(load, last):\n",
        "    if load is last.load and load.kilos:\n        return 1\n    return 2\n",
        ("return 1", "return 3"),
    ),
    "a sentinel of the module": (
        "_END = object()\n\ndef f(queue):\n",
        "    while True:\n        load = queue.next()\n        if load is _END:\n            return 1\n"
        "        queue.weigh(load)\n",
        ("return 1", "return 3"),
    ),
    "two guards that both would fire": (
        "def f(load):\n",
        "    if load.kilos > 2147483647:\n        return 'heavy'\n    if load.litres > 90210:\n        return 'big'\n    return ''\n",
        (
            "    if load.kilos > 2147483647:\n        return 'heavy'\n    if load.litres > 90210:\n        return 'big'\n",
            "    if load.litres > 90210:\n        return 'big'\n    if load.kilos > 2147483647:\n        return 'heavy'\n",
        ),
    ),
    "one member of a membership": (
        "def f(load):\n",
        "    if load.kind in ('glass', 'paper', 'metal'):\n        return 1\n    return 2\n",
        ("('glass', 'paper', 'metal')", "('glass', 'paper')"),
    ),
    "a text of a certain form": (
        "def f(tag):\n",
        "    parts = tag.split('/')\n    if len(parts) == 3 and parts[1] == 'dry' and not parts[2]:\n        return 1\n    return 2\n",
        ("return 1", "return 3"),
    ),
    "a text that no ASCII holds": (
        "def f(tag):\n",
        "    try:\n        return tag.encode('ascii')\n    except UnicodeEncodeError:\n        return b''\n",
        ("return b''", "return b'?'"),
    ),
    "a long text": ("def f(tag):\n", "    if len(tag) >= 64:\n        return 1\n    return 2\n", (">= 64", "> 64")),
    "a change of the environment": (
        "import os\n\ndef f(on):\n",
        "    if on:\n        os.environ['YARD'] = 'open'\n    return on\n",
        ("'open'", "'shut'"),
    ),
    "a member as self": (
        "from enum import Enum\n\nclass Kind(Enum):\n    GLASS = 1\n    PAPER = 2\n    METAL = 3\n\n    def line(self):\n",
        "        return 'magnet' if self is Kind.METAL else 'belt'\n",
        ("Kind.METAL", "Kind.PAPER"),
    ),
    "a metaclass's class": (
        "class Meta(type):\n    def name_of(cls):\n",
        "        if cls.__doc__ is None:\n            return 1\n        return 2\n",
        ("return 1", "return 3"),
    ),
}


@pytest.mark.parametrize("name", DIFFER)
def test_the_difference_is_found(name):
    head, body, (was, becomes) = DIFFER[name]
    assert was in body
    verdict = dreck.compare(head + body, head + body.replace(was, becomes))
    assert verdict.status == "differs", str(verdict)


SAME = {
    "an attribute set to the value it had": (
        "class Bin:\n    def __init__(self):\n        self.at = 0\n    def rest(self, n):\n",
        "        if n > 2:\n            return 1\n        return 2\n",
        "        if n > 2:\n            self.at = self.at\n            return 1\n        return 2\n",
    ),
    "a constructor that does not run through": (
        "class Bin:\n    def __init__(self, path):\n        self.file = open(path, 'w')\n    def size(self, n):\n",
        "        if n in self.known:\n            return 1\n        return 2\n",
        "        if not (n in self.known):\n            return 2\n        return 1\n",
    ),
}


ODD_CLASSES = {
    "it counts": "class C:\n    made = 0\n    def __init__(self):\n        C.made += 1\n        self.open = C.made\n",
    "it prints": "class C:\n    def __init__(self):\n        print('made')\n        self.open = True\n",
    "it goes with a word": "class C:\n    def __init__(self):\n        self.open = 1\n    def __del__(self):\n        print('gone')\n",
    "it is told by its address": "class C:\n    def __init__(self):\n        self.open = id(self)\n",
    "it writes down that it was made": "MADE = []\nclass C:\n    def __init__(self):\n        MADE.append(1)\n        self.open = 1\n",
    "it never ends": "class C:\n    def __init__(self):\n        while True: pass\n",
    "it is no equal": "class C:\n    def __init__(self):\n        self.open = True\n    def __eq__(self, o): raise ValueError\n    __hash__ = None\n",
    "it cannot be set": "class C:\n    open = True\n    def __setattr__(self, n, v): raise AttributeError(n)\n",
    "it is final": "class C:\n    open = True\n    def __init_subclass__(cls): raise TypeError('final')\n",
    "its class is not called": "class M(type):\n    def __call__(cls): raise TypeError('no')\nclass C(metaclass=M):\n    open = True\n",
    "it is a tuple": "from typing import NamedTuple\nclass C(NamedTuple):\n    open: bool\n",
    "it is a flag": "from enum import Flag\nclass C(Flag):\n    A = 1\n    B = 2\n    @property\n    def open(self): return self is C.A\n",
}
LATE = "    def f(self, n):\n        if n > 3 and self.open:\n            return 1\n        return 2\n"
EARLY = "    def f(self, n):\n        known = self.open\n        return {True: 1}.get(bool(n > 3 and known), 2)\n"


@pytest.mark.parametrize("name", ODD_CLASSES)
def test_what_a_constructor_does_is_no_difference(name):
    head = ODD_CLASSES[name]
    assert dreck.compare(head + LATE, head + EARLY).status == "tested"
    assert dreck.compare(head + LATE, head + EARLY.replace("> 3", ">= 3")).status == "differs"


@pytest.mark.parametrize("name", SAME)
def test_no_difference_is_made_up(name):
    head, old, new = SAME[name]
    verdict = dreck.compare(head + old, head + new)
    assert verdict.status != "differs", str(verdict)


def test_what_the_cage_always_ends_is_not_called_tested():
    old = "import subprocess\ndef f(n):\n    if n > 2:\n        a = 1\n    else:\n        a = 2\n    return subprocess.Popen(['x'], bufsize=a)\n"
    verdict = dreck.compare(old, old.replace("a = 1", "a = 3"))
    assert verdict.status == "unsettled"
    assert "--open-cage" in verdict.reason


def test_a_function_without_tests_is_tried_too():
    verdict = dreck.compare(
        "def f(loads):\n    return sum(x.kilos for x in loads)\n",
        "def f(loads):\n    return sum([x.kilos for x in loads])\n",
    )
    assert verdict.status == "tested"
    assert verdict.outcomes == (0, 0)


def test_a_function_whose_name_another_module_takes_is_tried_as_it_is_written():
    old = "def reduce(items, start):\n    if start:\n        return start\n    return items\ntry:\n    from functools import reduce\nexcept ImportError:\n    pass\n"
    assert dreck.compare(old, old.replace("return items", "return 3")).status == "differs"


@pytest.mark.parametrize(
    ("words", "kind", "first"),
    [
        ("expected str, bytes or os.PathLike object, not StandIn", "StandIn", "text"),
        ("a bytes-like object is required, not 'StandIn'", "StandIn", b"text"),
        ("'StandIn' object cannot be interpreted as an integer", "StandIn", 3),
        ("unsupported operand type(s) for &: 'StandIn' and 'int'", "StandIn", "text"),
        ("'str' object has no attribute 'kilos'", "str", None),
        ("'int' object is not iterable", "int", 2),
        ('can only concatenate str (not "int") to str', "int", "text"),
        ("sequence item 0: expected str instance, NoneType found", "NoneType", "text"),
        ("replace() argument 1 must be str, not list", "list", "text"),
        ("something else", "", "nothing"),
    ],
)
def test_what_a_type_error_says_is_wanted(words, kind, first):
    found, makes = learned(("TypeError", ("tuple", (("str", words),), ()), ()))
    assert found == kind
    assert (makes[0].what if makes else "nothing") == first


def test_texts_are_made_of_pieces_the_code_names():
    known = pieces(["x-", 7, "é" * 40], {"MARKS": {"(", ")"}, "__doc__": "no"})
    assert known[0] == "x-" and "-" in known and "(" in known and "é" * 40 not in known
    pick = random.Random(3)
    assert any("x-" in mutated("abc", known, pick) for _ in range(50))
    assert max(len(mutated("a" * 199, known, pick)) for _ in range(50)) <= 200


def test_recipes_say_what_they_are():
    assert repr(Make("same", "load.last")) == "the very load.last"
    assert repr(Make("as set up", "Bin")) == "as Bin() leaves it"


NESTED = """\
def outer(limit, log):
    def inner(load):
        if load.kilos > limit:
            log.append(load)
            return 1
        return 2

    return [inner(x) for x in list(log)]
"""


@pytest.mark.parametrize(
    ("old", "was", "becomes", "status"),
    [
        (
            NESTED,
            "if load.kilos > limit:\n            log.append(load)\n            return 1\n        return 2",
            "heavy = load.kilos > limit\n        if heavy:\n            log.append(load)\n        return int(heavy) or 2",
            "tested",
        ),
        (NESTED, "> limit", ">= limit", "unsettled"),  # the limits it differs for may never come
        (NESTED.replace("limit:", "3:").replace("log.append(load)", "pass"), "> 3", ">= 3", "differs"),
        (NESTED.replace("log.append(load)", "nonlocal limit; limit += 1"), "return 2", "return 3", "unsettled"),
        (NESTED.replace("log.append(load)", "inner(load)"), "return 2", "return 3", "unsettled"),
    ],
)
def test_a_function_inside_another_is_lifted_out(old, was, becomes, status):
    assert was in old
    verdict = dreck.compare(old, old.replace(was, becomes))
    inner = dict(verdict.functions).get("outer.inner", verdict) if verdict.functions else verdict
    assert inner.status == status, str(verdict)


def test_where_things_stand_in_memory_is_no_difference(tmp_path):
    code = "from functools import partial\ndef fee(rate, kilos):\n    return rate * kilos\ndef f(rate):\n    return partial(fee, rate)\n"
    other = code.replace("return partial(fee, rate)", "made = partial(fee, rate)\n    return made")
    found = run_trial(Version(tmp_path / "m.py", code, "f"), Version(tmp_path / "m.py", other, "f"))
    assert found.difference is None


CRANE = """class Crane:
    def __init__(self, side):
        self.row = 0
        self.side = side

    def forward(self, log):
        if self.side == "in":
            self.row += 1
        log.note(self.row)
"""


def test_what_a_constructor_leaves_counts_as_the_number_it_is():
    """`numbers-in-sums` leaves out inputs without a number, and no others."""
    early = CRANE.replace("        log.note(self.row)\n", "").replace(
        "if self.side ==", "log.note(self.row)\n        if self.side =="
    )
    assert dreck.compare(CRANE, early, assume=["numbers-in-sums"]).status == "differs"


@pytest.mark.parametrize(("fills", "status"), [("fill(self)", "tested"), ("self.open = 1", "differs")])
def test_what_a_function_elsewhere_sets_is_taken_to_be_there(fills, status):
    head = f"def fill(heap):\n    heap.rate = 3\n\n\nclass Heap:\n    def __init__(self):\n        {fills}\n\n    def f(self, n):\n"
    late = "        if n > 3:\n            return self.rate\n        return 0\n"
    early = "        rate = self.rate\n" + late.replace("self.rate", "rate")
    assert dreck.compare(head + late, head + early).status == status
