"""`--name old=new` for locals and parameters: every name of it, callers by keyword in every file, and the judge."""

import pytest

import dreck
from dreck.errors import DreckError

SCALE = '''def weigh(tp, kg, *, sw=1):
    """Weighs a tp."""
    lst = []  # tp by tp
    for turn in range(sw):
        lst.append(f"{tp}: {kg!r:>{sw}} {tp.tp}")
    key = lambda row: row + tp
    return sorted(lst, key=key) if tp else other(tp=tp, kg=kg)


def other(tp, kg):
    return weigh(tp=tp, kg=kg, sw=2)
'''
GATE = """import scale
from scale import weigh

a = weigh("x", 3, sw=3)
b = scale.weigh(tp="y",
                kg=3)
"""


@pytest.fixture
def yard(tmp_path):
    (tmp_path / "pyproject.toml").write_text("")
    (tmp_path / "scale.py").write_text(SCALE)
    (tmp_path / "gate.py").write_text(GATE)
    return tmp_path


def renamed(yard, old, new, function="weigh"):
    return dreck.untangle(f"{yard / 'scale.py'}::{function}", names={old: new}, write=True)


def test_a_local(yard):
    found = renamed(yard, "lst", "rows")
    assert [step.verdict.status for step in found.steps] == ["proved"]
    assert (yard / "scale.py").read_text() == SCALE.replace("lst", "rows")
    assert (yard / "gate.py").read_text() == GATE


def test_a_parameter_and_its_callers(yard, run):
    found = renamed(yard, "tp", "kind")
    assert found.steps[0].verdict
    text = (yard / "scale.py").read_text()
    assert "def weigh(kind, kg, *, sw=1):" in text
    assert '"""Weighs a tp."""' in text and "# tp by tp" in text, "what is said is not touched"
    assert "{kind.tp}" in text and "other(tp=kind, kg=kg)" in text and "def other(tp, kg):" in text
    assert "return weigh(kind=tp, kg=kg, sw=2)" in text
    assert (yard / "gate.py").read_text() == GATE.replace('tp="y"', 'kind="y"')
    assert run("back", cwd=yard).returncode == 0
    assert ((yard / "scale.py").read_text(), (yard / "gate.py").read_text()) == (SCALE, GATE)


def test_a_parameter_by_keyword_only(yard):
    assert renamed(yard, "sw", "width").steps[0].verdict.status == "proved"
    assert 'weigh("x", 3, width=3)' in (yard / "gate.py").read_text()


@pytest.mark.parametrize(
    ("old", "new", "told"),
    [
        ("tp", "kg", "taken already"),
        ("tp", "turn", "taken already"),
        ("nope", "kind", "no local of it either"),
    ],
)
def test_refused(yard, old, new, told):
    with pytest.raises(DreckError, match=told):
        renamed(yard, old, new)
    assert (yard / "scale.py").read_text() == SCALE


def test_a_name_that_is_bound_inside_once_more(yard):
    (yard / "scale.py").write_text("def f(x):\n    return [x for x in x]\n")
    with pytest.raises(DreckError, match="has a 'x' of its own"):
        renamed(yard, "x", "rows", "f")


def test_one_function_is_to_be_named(yard):
    with pytest.raises(DreckError, match="a function is to be named"):
        dreck.untangle(yard / "scale.py", names={"tp": "kind"})


CALLED = {
    "a dict of arguments": ("ROW = {'tp': 1}\ndef asked():\n    return fee(**ROW)\n", "a dict of arguments"),
    "handed on": ("from functools import partial\nready = partial(fee, tp=1)\n", "line 7"),
    "another name": ("charge = fee\ndef asked():\n    return charge(tp=1)\n", "line 8"),
    "an object that has another": ("class Desk:\n    pass\n\n\ndesk = Desk()\ndesk.fee = int\ndesk.fee(tp=1)\n", "this one or another"),
    "another object": ("def asked(desk):\n    return desk.fee(tp=1)\n", "this one or another"),
}


@pytest.mark.parametrize("title", CALLED)
def test_callers_that_may_mean_it_keep_the_name(tmp_path, title):
    more, told = CALLED[title]
    (tmp_path / "fee.py").write_text("def fee(tp):\n    if tp:\n        return 1\n    return 2\n\n" + more)
    with pytest.raises(DreckError, match=told):
        dreck.untangle(f"{tmp_path / 'fee.py'}::fee", names={"tp": "kind"})


@pytest.mark.parametrize("body", ["'%(tp)s' % locals()", "sorted(vars())"])
def test_names_that_are_read_as_text_stay(tmp_path, body):
    (tmp_path / "fee.py").write_text(f"def fee(tp):\n    if tp:\n        return {body}\n    return 2\n")
    with pytest.raises(DreckError, match="could not be shown"):
        dreck.untangle(f"{tmp_path / 'fee.py'}::fee", names={"tp": "kind"})


def test_what_decorates_a_function_may_ask_for_names(tmp_path):
    code = "def by_name(f):\n    return lambda tp: f(tp=tp)\n\n\n@by_name\ndef fee(tp):\n    return 1 if tp else 2\n"
    (tmp_path / "fee.py").write_text(code)
    with pytest.raises(DreckError, match="@by_name"):
        dreck.untangle(f"{tmp_path / 'fee.py'}::fee", names={"tp": "kind"})


YARD = """\
class Yard:
    def __init__(self, tp):
        self.tp = tp

    def weigh(self, tp):
        return 1 if tp else 0

    def all(self):
        return self.weigh(tp=1)


class Side(Yard):
    def __init__(self):
        super().__init__(tp=3)

    def half(self):
        return super().weigh(tp=2) / 2


def asked(yard: Yard, **rest):
    own = Yard(tp=1)
    return yard.weigh(tp=3), own.weigh(tp=2), Yard(tp=1).weigh(tp=4)
"""
USE = "from yard import Yard as Y\nimport yard\n\n\ndef use():\n    return Y(tp=1).weigh(tp=2), yard.Yard(tp=3)\n"


def test_methods_and_constructors_and_their_callers(tmp_path):
    for name, text in (("yard.py", YARD), ("use.py", USE), ("pyproject.toml", "")):
        (tmp_path / name).write_text(text)
    dreck.untangle(f"{tmp_path / 'yard.py'}::Yard.weigh", names={"tp": "kind"}, write=True)
    texts = (tmp_path / "yard.py").read_text(), (tmp_path / "use.py").read_text()
    assert [text.count("kind") for text in texts] == [7, 1]
    dreck.untangle(f"{tmp_path / 'yard.py'}::Yard.__init__", names={"tp": "code"}, write=True)
    texts = (tmp_path / "yard.py").read_text(), (tmp_path / "use.py").read_text()
    assert [text.count("code") for text in texts] == [5, 2]
    assert "yard.Yard(code=3)" in texts[1] and "Y(code=1).weigh(kind=2)" in texts[1]


def test_two_classes_with_such_a_method(tmp_path):
    more = "\n\nclass Gate:\n    def weigh(self, tp):\n        return 5\n"
    (tmp_path / "yard.py").write_text(YARD + more)
    with pytest.raises(DreckError, match="this one or another"):
        dreck.untangle(f"{tmp_path / 'yard.py'}::Yard.weigh", names={"tp": "kind"})


def test_callers_who_import_it_from_where_it_is_handed_on(tmp_path):
    (tmp_path / "pyproject.toml").write_text("")
    (tmp_path / "yard").mkdir()
    (tmp_path / "yard" / "__init__.py").write_text("from .fees import fee\n")
    (tmp_path / "yard" / "fees.py").write_text("def fee(tp):\n    if tp:\n        return 1\n    return 2\n")
    use = tmp_path / "use.py"
    use.write_text("from yard import fee\n\nx = 1\x0c\n\n\ndef f():\n    return fee(tp=1)\n")
    dreck.untangle(f"{tmp_path / 'yard' / 'fees.py'}::fee", names={"tp": "kind"}, write=True)
    assert use.read_text() == "from yard import fee\n\nx = 1\x0c\n\n\ndef f():\n    return fee(kind=1)\n"


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("from yard import fee as charge\ncharge = charge or print\ncharge(tp=1)\n", "line 3"),
        ("import yard\nyard.fee(tp=1)\n", "line 2"),
        ("from yard import *\nfee(tp=1)\n", "line 2"),
    ],
)
def test_callers_of_what_is_handed_on_that_are_not_sure(tmp_path, text, told):
    (tmp_path / "pyproject.toml").write_text("")
    (tmp_path / "yard").mkdir()
    (tmp_path / "yard" / "__init__.py").write_text("from .fees import fee\n")
    (tmp_path / "yard" / "fees.py").write_text("def fee(tp):\n    if tp:\n        return 1\n    return 2\n")
    (tmp_path / "use.py").write_text(text)
    with pytest.raises(DreckError, match=told):
        dreck.untangle(f"{tmp_path / 'yard' / 'fees.py'}::fee", names={"tp": "kind"})


def test_a_lambda_with_a_name_of_its_own(tmp_path):
    more = "\n\ndef odd(yard: Yard):\n    return lambda yard: yard.weigh(tp=5)\n"
    (tmp_path / "yard.py").write_text(YARD + more)
    with pytest.raises(DreckError, match="this one or another"):
        dreck.untangle(f"{tmp_path / 'yard.py'}::Yard.weigh", names={"tp": "kind"})


def test_a_level_of_the_stack_is_no_name(tmp_path):
    code = """import warnings


def ping(self, again=False):
    if again:
        warnings.warn("again", DeprecationWarning, 2)
        again = False
    return self.send(again)
"""
    (tmp_path / "desk.py").write_text(code)
    found = dreck.untangle(f"{tmp_path / 'desk.py'}::ping", names={"again": "anew"})
    assert [step.verdict.status for step in found.steps] == ["proved"]
