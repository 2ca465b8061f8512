"""What an assumption that is asked for brings, and where it ends: `steady-kind`, `plain-kind`, `quiet-tests`."""

import pytest

import dreck

LINE = """\
class Line:
    def __init__(self, kind):
        self.kind = kind
{more}
    def step(self, item):
        if self.kind == "glass":
            item.weigh()
        {second} self.kind == "metal":
            item.magnet()
"""
LOAD = """\
def f(load, book):
    if load["kind"] == "glass":
        book.note(load)
    {second} load["kind"] == "metal":
        book.skip(load)
"""
FLIP = '\n    def flip(self):\n        self.kind = "metal"\n'
SETS = "\n    def put(self, name, value):\n        setattr(self, name, value)\n"


def compared(code: str, **more: str):
    texts = [code.format(second=word, **more) for word in ("if", "elif")]
    return [dreck.compare(*texts, assume=assume) for assume in ([], ["steady-kind"])]


@pytest.mark.parametrize(("code", "more"), [(LINE, {"more": ""}), (LOAD, {})])
def test_it_is_named_where_it_is_needed(code, more):
    without, with_it = compared(code, **more)
    assert without.status == "differs", str(without)
    assert with_it.status == "proved" and "steady-kind" in with_it.assumptions


@pytest.mark.parametrize("more", [FLIP, SETS])
def test_what_is_set_outside_of_constructors_is_not_steady(more):
    assert [v.status for v in compared(LINE, more=more)] == ["differs", "differs"]


OTHERS = {
    "its dict is changed": '    def flip(self):\n        self.__dict__["kind"] = "metal"\n',
    "it is set by hand": '    def flip(self):\n        object.__setattr__(self, "kind", "metal")\n',
    "it is made anew": '    def flip(self):\n        self.__init__("metal")\n',
    "all it has is asked for": '    def flip(self):\n        vars(self).update(kind="metal")\n',
    "setattr goes by another name": "    put = setattr\n",
}
CHANGED = {
    "a key that is worked out": 'load[book] = "metal"',
    "an update": 'load.update(kind="metal")',
    "something is taken out": "load.pop(book)",
    "something is deleted": "del load[0]",
    "another is joined": "load |= book",
    "all is put in another way": "load[:] = book",
}


@pytest.mark.parametrize("more", OTHERS.values(), ids=OTHERS)
def test_an_attribute_that_may_be_set_by_any_name_is_not_steady(more):
    assert compared(LINE, more=f"\n{more}")[1].status != "proved"


@pytest.mark.parametrize("how", CHANGED.values(), ids=CHANGED)
def test_an_item_that_may_be_set_under_any_key_is_not_steady(how):
    assert compared(LOAD + f"\n\ndef g(load, book):\n    {how}\n")[1].status != "proved"


def test_what_a_class_works_out_is_not_steady():
    worked_out = LINE.replace("self.kind = kind", "self._kind = kind").replace("item.weigh()", 'self._kind = "metal"')
    got = "\n    @property\n    def kind(self):\n        return self._kind\n"
    assert compared(worked_out, more=got)[1].status == "differs"


def test_only_what_a_switch_is_on_is_steady():
    code = "def f(load, book):\n    if load.kilos > 3:\n        book.go()\n    {second}\n        book.stop()\n"
    old, new = code.format(second="if load.kilos > 3:"), code.replace("    {second}\n", "")
    assert dreck.compare(old, new, assume=["steady-kind"]).status == "differs"


def test_a_trial_that_leans_on_it_says_so():
    old = LINE.format(more="", second="if").replace("item.magnet()", "item.magnet([*[item.n, 1]])")
    new = LINE.format(more="", second="elif").replace("item.magnet()", "item.magnet([item.n] + [1])")
    found = dreck.compare(old, new, assume=["steady-kind"])
    assert found.status == "tested" and "steady-kind" in found.assumptions, str(found)


def test_not_in_is_as_quiet_as_in():
    """One side alone leaves a test out; prover and checker have to mean the same by what stands in a test."""
    kept, gone = (
        "def f(b, xs, o):\n    if b not in xs:\n        pass\n    return o.p\n",
        "def f(b, xs, o):\n    return o.p\n",
    )
    assert dreck.compare(kept, gone, assume=["quiet-tests"]).status == "proved"
    assert dreck.compare(kept, gone).status != "proved"


_FLAG = """
def weigh(scale, loads, wet=False):
    rows = [scale.read(load) for load in loads]
    if wet:
        return sum(rows) * 0.9
    return sum(rows)
"""
_SPLIT = """
def weigh(scale, loads, wet=False):
    if wet:
        rows = [scale.read(load) for load in loads]
        return sum(rows) * 0.9
    rows = [scale.read(load) for load in loads]
    return sum(rows)
"""


@pytest.mark.parametrize(
    ("old", "new", "holds"),
    [
        (_FLAG, _SPLIT, True),
        (_FLAG.replace("wet=False", "wet: list = False"), _SPLIT.replace("wet=False", "wet: list = False"), False),
        (_FLAG.replace("wet=False", "wet=0"), _SPLIT.replace("wet=False", "wet=0"), False),
        (_FLAG, _SPLIT.replace("wet=False", "wet=None"), False),
        (_FLAG.replace("if wet", "if wet == 1"), _FLAG.replace("if wet", "if wet is True"), False),
    ],
)
def test_a_flag_by_default_is_true_or_false_where_that_is_assumed(old, new, holds):
    found = dreck.compare(old, new, assume=["true-or-false"])
    assert (found.status == "proved", "true-or-false" in found.assumptions) == (holds, holds), str(found)
    assert dreck.compare(old, new).status != "proved"


STRANGE = """\
LOG = []
class Strange:
    def __eq__(self, other):
        LOG.append(other)
        return len(LOG) % 2 == 0
    __hash__ = None
"""
FEES = {
    "a ladder": 'def fee(kind):\n    if kind == "wet":\n        return 1\n    if kind == "dry":\n        return 2\n    return 0\n',
    "a table": 'FEES = {"wet": 1, "dry": 2}\ndef fee(kind):\n    return FEES.get(kind, 0)\n',
    "the other way": 'def fee(kind):\n    if kind == "dry":\n        return 2\n    if kind == "wet":\n        return 1\n    return 0\n',
    "not a constant": "def fee(kind, other):\n    if kind == other:\n        return 1\n    if kind == other:\n        return 2\n    return 0\n",
    "not a constant, asked once": "def fee(kind, other):\n    if kind == other:\n        return 1\n    return 0\n",
}


@pytest.mark.parametrize("new", ["a table", "the other way"])
def test_a_plain_kind_is_compared_as_texts_are(new):
    texts = [STRANGE + FEES[name] for name in ("a ladder", new)]
    without, with_it = (
        dreck.compare(*texts, assume=["hashable-key", *more], trial=False) for more in ([], ["plain-kind"])
    )
    assert without.status == "unsettled" and "plain-kind" in without.reason, str(without)
    assert with_it.status == "proved" and "plain-kind" in with_it.assumptions, str(with_it)


def test_a_plain_kind_says_nothing_of_two_unknown_values():
    texts = [STRANGE + FEES[name] for name in ("not a constant", "not a constant, asked once")]
    found = dreck.compare(*texts, assume=["plain-kind"], trial=False)
    assert found.status == "unsettled", str(found)


def test_where_no_class_has_a_say_a_plain_kind_is_not_named():
    texts = [FEES[name] for name in ("a ladder", "a table")]
    found = dreck.compare(*texts, assume=["hashable-key", "plain-kind"], trial=False)
    assert found.status == "proved" and "plain-kind" not in found.assumptions


MASKS = {
    "picked by": ("loads[loads != 0] = 1", "loads[not loads == 0] = 1"),
    "picked by, in rows": ("loads[loads != 0, :] = 1", "loads[not loads == 0, :] = 1"),
    "joined": ("out = (loads < 3) & (loads == wet)", "out = (loads < 3) & (not loads != wet)"),
    "joined in place": ("out &= loads == wet", "out &= not loads != wet"),
    "asked": ("out = (loads == wet).all()", "out = (not loads != wet).all()"),
    "turned": ("out = ~(loads == wet)", "out = ~(not loads != wet)"),
    "handed on": ("out = np.where(loads == wet, 1, 2)", "out = np.where(not loads != wet, 1, 2)"),
    "named": ("is_wet = loads == wet\n    out = loads[is_wet]", "is_wet = not loads != wet\n    out = loads[is_wet]"),
}


@pytest.mark.parametrize("how", MASKS)
def test_what_answers_with_many_truths_is_not_compared_plainly(how):
    text = "def f(loads, wet, out=0):\n    import numpy as np\n    {}\n    return loads, out\n"
    many, plain = MASKS[how], ("out = loads == wet", "out = not loads != wet")
    many, plain = (dreck.compare(*map(text.format, pair), trial=False) for pair in (many, plain))
    assert many.status != "proved", str(many)
    assert plain.status == "proved" and "plain-comparisons" in plain.assumptions


def test_a_table_is_looked_up_by_a_comparison():
    old = 'def f(kilos, most):\n    return ("fine", "heavy")[kilos == most], kilos == most\n'
    assert dreck.compare(old, old.replace(", kilos == most", ", not kilos != most"), trial=False).status == "proved"


UNBOUND = {
    "nowhere": ("", "n > a"),
    "taken away": ("n = 3\ndel n\n", "n > a"),
    "a class that is not there": ("", "isinstance(a, Bin)"),
    "something of a name that is not there": ("", "n.kilos == a"),
}
BOUND = {
    "perhaps": ("try:\n    from yard import n\nexcept ImportError:\n    n = 3\n", "n > a"),
    "all of another module": ("from yard import *\n", "n > a"),
}


@pytest.mark.parametrize("how", [*UNBOUND, *BOUND])
def test_a_test_is_not_quiet_where_its_name_has_no_meaning(how):
    head, test = {**UNBOUND, **BOUND}[how]
    old, new = "def f(a):\n    return a\n", f"def f(a):\n    if {test}:\n        pass\n    return a\n"
    found = dreck.compare(head + old, head + new, assume=["quiet-tests"], trial=False)
    assert (found.status == "proved") is (how in BOUND), str(found)


def test_a_test_of_a_shared_variable_that_has_no_value_yet_is_not_quiet():
    old = "def f(a):\n    def g():\n        return n\n    n = 3\n    if n:\n        a()\n    return g\n"
    new = old.replace("    n = 3\n", "    if n:\n        pass\n    n = 3\n")
    assert dreck.compare(old, new, assume=["quiet-tests"], trial=False).status != "proved"
