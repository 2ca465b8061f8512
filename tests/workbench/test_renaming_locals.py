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
