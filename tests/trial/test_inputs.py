"""How inputs are made: what a function does with them, strings that match, values written as source."""

import ast
import datetime
import decimal
import enum
import math
import re
import types
from collections import OrderedDict, defaultdict
from dataclasses import dataclass, field
from pathlib import PurePosixPath

import pytest
from hypothesis import given
from hypothesis import strategies as st

import dreck
from dreck.pins.literals import Unwritable, Writer
from dreck.trial.case import exact_repr, quoted
from dreck.trial.inputs.asked.usage import Named, Usages
from dreck.trial.inputs.candidates import Candidates
from dreck.trial.inputs.matching import matched_by
from dreck.trial.inputs.recipes import Make, played
from dreck.trial.playing.world import World
from dreck.trial.search.bulk import Bulk


def usages(code):
    made = Usages()
    made.add(ast.parse(code).body[0])
    return made


@pytest.mark.parametrize(
    ("code", "path", "what", "value"),
    [
        ("def f(a):\n    if a.kilos > 5: pass", "a.kilos", "ordered", True),
        ("def f(a):\n    if a['kilos'] == 5: pass", "a['kilos']", "constants", [5]),
        ("def f(a):\n    if a.get('kilos') == 5: pass", "a['kilos']", "constants", [5]),
        ("def f(a):\n    b = a.parts\n    if b.first is None: pass", "a.parts.first", "tested_none", True),
        ("def f(a):\n    for x in a:\n        if x.ok: pass", "a[].ok", "tested_truth", True),
        ("def f(a):\n    for i, x in enumerate(a):\n        if x == 'z': pass", "a[]", "constants", ["z"]),
        ("def f(a):\n    for k, v in a.items():\n        if v > 2: pass", "a[]", "ordered", True),
        ("def f(a):\n    if max(a) > 2: pass", "a[]", "ordered", True),
        ("def f(a):\n    last = a[-3:]\n    if sum(last) > 2: pass", "a[]", "ordered", True),
        ("def f(a):\n    if len(a) == 4: pass", "a", "sizes", [4]),
        ("def f(a):\n    return a[7]", "a", "sizes", [8]),
        ("def f(a):\n    for k in a:\n        if a[k] > 3: pass", "a", "mapped", True),
        ("def f(a, b):\n    if a.get(b.kind) is None: pass", "a", "key_paths", ["b.kind"]),
        ("def f(a):\n    if a.strip().lower().startswith('ab'): pass", "a", "contains", ["ab"]),
        ("def f(a):\n    if isinstance(a, (Bale, Drum)): pass", "a", "classes", ["Bale", "Drum"]),
        ("def f(a):\n    if type(a) is Bale: pass", "a", "classes", ["Bale"]),
        ("def f(a):\n    match a:\n        case Kind.A: pass", "a", "constants", [Named("Kind.A")]),
        ("def f(a):\n    if re.match(r'\\d+', a): pass", "a", "patterns", [r"\d+"]),
        ("def f(a):\n    if CODE.fullmatch(a): pass", "a", "patterns", [Named("CODE")]),
        ("def f(a):\n    if a & Perm.IN: pass", "a", "constants", [Named("Perm.IN")]),
        ("async def f(a):\n    await a.open()", "a.open()", "awaited", True),
    ],
)
def test_what_a_function_does_with_a_path(code, path, what, value):
    assert getattr(usages(code).by_path[path], what) == value


def test_what_a_method_of_self_asks_is_asked_by_its_call():
    tree = ast.parse(
        "class A:\n    def f(self):\n        if self.full(): pass\n    def full(self):\n        return self.kilos > 800\n"
    )
    f, full = tree.body[0].body
    made = Usages()
    made.add(f, {"f": f, "full": full})
    assert made.by_path["self.kilos"].constants == [800]
    assert "self.kilos" in made.depends(f.body[0].test)


@pytest.mark.parametrize(
    "pattern",
    [
        r"\d+-[a-z]+$", r"^(ab|cd)?x{2,4}$", r"[^a1]\s\w*", r"(?P<kind>[A-F]\d{3})", r"a.c|b..", r"\Aload:(\d+)kg\Z", r"[\d_]+\S",
    ],
)  # fmt: skip
def test_strings_made_for_a_pattern_match_it(pattern):
    made = matched_by(pattern)
    assert made and all(re.search(pattern, text) for text in made)


@given(st.from_regex(r"[a-c\d\[\]\\^$.|?*+()-]{0,12}", fullmatch=True))
def test_no_pattern_breaks_it(pattern):
    for text in matched_by(pattern):
        assert re.search(pattern, text)


class Kind(enum.Enum):
    GLASS = "g"


@dataclass
class Load:
    kilos: float
    notes: list = field(default_factory=list)


class Bin:
    def __init__(self):
        raise RuntimeError("is never set up")


def made(kind, /, **attributes):
    thing = kind.__new__(kind)
    vars(thing).update(attributes)
    return thing


def filled(**attributes):
    return made(Bin, **attributes)


@pytest.mark.parametrize(
    "value",
    [
        None, True, -3, 2.5, math.inf, "text", 'a "word"', "it's", b"\x00z", (1,), [], [1, [2]], {"a": (1, 2)}, set(), {3}, frozenset({1}),
        Kind.GLASS, Load(3.0, ["a"]), datetime.date(2024, 2, 29), datetime.timedelta(1), decimal.Decimal("1.50"), PurePosixPath("a/b"),
        OrderedDict(a=1), defaultdict(list, {1: [2]}), 1j, range(3), ValueError("no", 3), re.compile("a+"), types.SimpleNamespace(a=1, b=[2]), int, Load,
        filled(kilos=3, kind=Kind.GLASS), math,
    ],
)  # fmt: skip
def test_a_value_written_and_read_again_is_the_same(value):
    writer = Writer("yard", globals())
    source = writer.of(value)
    space = {**globals()}
    for line in writer.imports:
        exec(line, space)
    again = eval(source, space)
    assert type(again) is type(value)
    if isinstance(value, Bin | types.SimpleNamespace):
        assert vars(again) == vars(value)
    elif isinstance(value, BaseException):
        assert again.args == value.args
    else:
        assert again == value


@pytest.mark.parametrize("value", [lambda: 0, iter([1]), open, type("Local", (), {})(), [[[[[[[[1]]]]]]]], "x" * 5000])
def test_what_cannot_be_written_says_so(value):
    if value is open:
        assert Writer("yard", {}).of(value) == "open"
        return
    with pytest.raises(Unwritable):
        Writer("yard", {}).of(value)


@given(st.text())
def test_quoted_text_is_the_same_text(text):
    assert ast.literal_eval(quoted(text)) == text


@pytest.mark.parametrize(
    ("source", "exact"),
    [("[1]", ["[1]"]), ("(1.0, 'a')", ["(1.0, 'a')"]), ("['a']", []), ("3", []), ("load", []), ("{1}", [])],
)
def test_numbers_in_containers_are_pinned_exactly(source, exact):
    assert exact_repr(source) == exact


def test_the_same_choice_builds_the_same_world_twice():
    candidates = Candidates(
        usages("def f(a):\n    if a.kilos > 5 and a.kind == 'x' and len(a.parts) > 2: pass"), {}, {}
    )
    choice = {"a.kilos": Make("value", 6), "a.parts": Make("list", 3)}
    for _ in range(2):
        world = World(candidates, choice, {})
        a = world.at("a")
        assert (a.kilos, len(a.parts)) == (6, 3) and a is world.at("a")


def test_recorded_arguments_come_back_with_the_classes_of_the_version():
    import pickle

    data = pickle.dumps(Load(3.0)).hex()
    other = type("Load", (), {"__module__": __name__})
    world = World(Candidates(Usages(), {}, {}), played({"load": data}), {"__name__": __name__, "Load": other})
    assert type(world.at("load")) is other


def test_bulk_is_for_plain_values_and_containers_of_them():
    class Plain:
        def is_plain(self):
            return True

        def parameters(self):
            return ["a"]

    both = (Plain(), Plain())
    assert Bulk.fits(both, {"a": Make("value", 3)})
    assert Bulk.fits(both, {"a": Make("list", 1), "a[0]": Make("value", 3)})
    assert not Bulk.fits(both, {"a": Make("stand-in"), "a.kilos": Make("value", 3)})
    assert not Bulk.fits((Plain(),), {"a": Make("value", 3)})


ARRAYS = """\
import numpy as np


def peak(x: np.ndarray, k: np.float64):
    if x.ndim == 2:
        return x.sum()
    if k > 3:
        return x * 2
    if len(x) == 0:
        return None
    return x.max()
"""


@pytest.mark.parametrize(
    ("was", "becomes", "status"),
    [
        ("k > 3", "k >= 3", "differs"),
        ("len(x) == 0", "len(x) == 1", "differs"),
        ("x.ndim == 2", "x.ndim > 2", "differs"),
        ("x * 2", "x + x", "tested"),
    ],
)
def test_arrays_and_their_scalars_are_made(was, becomes, status):
    pytest.importorskip("numpy")
    assert dreck.compare(ARRAYS, ARRAYS.replace(was, becomes)).status == status


@pytest.mark.parametrize(("assume", "status"), [((), "differs"), (("total-order",), "tested")])
def test_numbers_that_are_none_are_left_out_of_account_when_asked_for(assume, status):
    old = "def f(loads, least: float):\n    return [n for n in loads if not n.kilos < least]\n"
    verdict = dreck.compare(old, old.replace("not n.kilos < least", "n.kilos >= least"), assume=assume)
    assert verdict.status == status
    assert ("total-order" in verdict.assumptions) == bool(assume)
