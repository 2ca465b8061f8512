"""A class whose kinds became subclasses: what the judge reads back, and what it does not believe."""

from pathlib import Path

import pytest

import dreck
from dreck.proof.readback import NotOneFamily, seen_through
from dreck.workbench.engine.request import Request
from dreck.workbench.engine.untangle import untangle
from dreck.workbench.store.journal import Journal

HOME = Path("loads.py")
FAMILY = """\
class Load:
    def __init__(self, kind, kilos):
        self.kind = kind
        self.kilos = kilos

    def fee(self, season):
        return 1


class GlassLoad(Load):
    def fee(self, season):
        return 2


class PaperLoad(Load):
    def fee(self, season):
        return 3


KINDS = {"glass": GlassLoad, "paper": PaperLoad}


def make_load(kind, kilos):
    return KINDS.get(kind, Load)(kind, kilos)


def heavy() -> Load:
    return make_load("glass", 2)
"""
CALL = '    return make_load("glass", 2)'


def test_it_is_read_back_as_one_class():
    text = seen_through(HOME, "Load", {HOME: FAMILY})[HOME]
    assert "GlassLoad" not in text and "KINDS" not in text and "make_load" not in text
    assert "if self.kind == 'glass':\n            return 2" in text
    assert "return Load('glass', 2)" in text


NOT_BELIEVED = {
    "one is made without the factory": (CALL, '    return Load("glass", 2)', "without the factory"),
    "the class goes by another name": (CALL, '    f = Load\n    return f("glass", 2)', "without the factory"),
    "a kind is made by itself": (CALL, '    return GlassLoad("paper", 2)', "speaks of GlassLoad"),
    "a kind is asked for": (CALL, "    return isinstance(3, GlassLoad)", "speaks of GlassLoad"),
    "the very class is asked for": (CALL, "    return type(3) is Load", "very class Load"),
    "the name of the class is read": (CALL, "    return type(3).__name__", "reads __name__"),
    "the factory is handed on": (CALL, "    return [make_load]", "hands the factory on"),
    "the code is set later": (CALL, f"{CALL.replace('return', 'x =')}\n    x.kind = 'paper'\n    return x", "2 places"),
    "the code is set by name": (CALL, "    return setattr(3, 'kind', 4)", "uses setattr"),
    "the table changes": ("def heavy", 'KINDS["metal"] = Load\n\n\ndef heavy', "factory"),
    "the table is emptied": ("def heavy", "KINDS.clear()\n\n\ndef heavy", "speaks of KINDS"),
    "the factory turns arguments round": ("(kind, kilos)\n\n\ndef heavy", "(kilos, kind)\n\n\ndef heavy", "hand on"),
    "the factory has a default": ("def make_load(kind, kilos)", "def make_load(kind, kilos=2)", "other arguments"),
    "the factory falls back to a kind": ("get(kind, Load)", "get(kind, GlassLoad)", "no factory"),
    "a kind brings an attribute": ("class PaperLoad(Load):\n", "class PaperLoad(Load):\n    rate = 3\n\n", "brings"),
    "a kind is compared in its own way": (
        "class PaperLoad(Load):\n",
        "class PaperLoad(Load):\n    def __eq__(self, other):\n        return True\n\n",
        "brings",
    ),
    "a kind takes other arguments": ("season):\n        return 3", "season=1):\n        return 3", "other arguments"),
    "a kind asks what stands above": ("return 3", "return super().fee(season)", "above it"),
    "a kind yields": ("return 3", "yield 3", "yields"),
    "a kind of a kind": ("class PaperLoad(Load)", "class PaperLoad(GlassLoad)", "more than a kind"),
    "a further class below": ("def heavy", "class Odd(GlassLoad):\n    pass\n\n\ndef heavy", "derives"),
    "the constructor asks": ("self.kilos = kilos", "self.kilos = self.fee(3)", "calls what its kinds do"),
    "the constructor changes the code": ("self.kilos = kilos", "self.kilos = kind = kilos", "changes kind"),
    "one is made of the own class": ("return 1", "return type(self)('glass', 2)", "uses type"),
}


@pytest.mark.parametrize("name", NOT_BELIEVED)
def test_what_could_tell_the_objects_apart_is_refused(name):
    was, becomes, told = NOT_BELIEVED[name]
    assert was in FAMILY
    with pytest.raises(NotOneFamily, match=told):
        seen_through(HOME, "Load", {HOME: FAMILY.replace(was, becomes, 1)})


def test_a_file_that_uses_it_is_looked_at_too():
    with pytest.raises(NotOneFamily, match=r"desk\.py, line 2"):
        seen_through(HOME, "Load", {HOME: FAMILY, Path("desk.py"): "from loads import Load\nx = Load('glass', 3)\n"})


BEFORE = '''\
"""Loads at the gate."""


class Load:
    def __init__(self, kind: str, kilos: int, *, member: bool = False) -> None:
        self.kind = kind
        self.kilos = kilos
        self.member = member

    def fee(self, season: int) -> int:
        """What it costs."""
        # everybody
        start = 10
        if self.kind == "glass":
            start += self.kilos
            if season > 3:
                start += 2  # winter
        elif self.kind == "paper":
            start += self.kilos // 2
        if self.member and self.kind != "battery":
            start -= 1
        return start

    def line(self) -> str:
        if self.kind == "glass":
            return "crusher"
        return "belt"


def heavy() -> Load:
    return Load("glass", 2000)
'''
DESK = """\
import loads
from loads import Load


def entry(kind: str) -> Load:
    return Load(kind, 20, member=True)


def all_of(rows):
    return [loads.Load(k, n) for k, n in rows]
"""


@pytest.fixture
def yard(tmp_path):
    (tmp_path / ".git").mkdir()
    (tmp_path / "loads.py").write_text(BEFORE)
    (tmp_path / "desk.py").write_text(DESK)
    return tmp_path


def test_a_class_with_a_code_becomes_subclasses_made_by_a_factory(yard):
    result = untangle([f"{yard / 'loads.py'}::Load.fee"], Request(("kind-subclasses",), write=True))
    (step,) = result.steps
    assert {"made-by-factory", "hashable-key"} <= set(step.verdict.assumptions)
    assert "lines 18-19 never run where self.kind is 'glass'" in step.reason
    after = (yard / "loads.py").read_text()
    assert (
        "class GlassLoad(Load):" in after and "class PaperLoad(Load):" in after and "class BatteryLoad(Load):" in after
    )
    assert "def make_load(kind: str, kilos: int, *, member: bool = False) -> Load:" in after
    assert "KINDS_OF_LOAD.get(kind, Load)(kind, kilos, member=member)" in after
    assert after.count("# winter") == 1 and "# everybody" in after
    assert 'return make_load("glass", 2000)' in after
    desk = (yard / "desk.py").read_text()
    assert "from loads import Load, make_load" in desk and "loads.make_load(k, n)" in desk
    assert len(Journal.of(yard / "loads.py").back(1)) == 2
    assert (yard / "loads.py").read_text() == BEFORE
    assert (yard / "desk.py").read_text() == DESK


@pytest.mark.parametrize(
    ("was", "becomes"),
    [
        ('    return Load("glass", 2000)', '    load = Load("glass", 2000)\n    load.kind = "paper"\n    return load'),
        ('    return Load("glass", 2000)', '    return type(Load("glass", 2)).__name__'),
    ],
)
def test_not_where_an_object_could_be_told_apart(yard, was, becomes):
    (yard / "loads.py").write_text(BEFORE.replace(was, becomes, 1))
    result = untangle([f"{yard / 'loads.py'}::Load.fee"], Request(("kind-subclasses",)))
    assert not result.steps


def test_the_code_need_not_be_the_first_attribute(yard):
    turned = BEFORE.replace(
        "        self.kind = kind\n        self.kilos = kilos\n",
        "        self.kilos = kilos\n        self.kind = kind\n",
    )
    assert turned != BEFORE
    (yard / "loads.py").write_text(turned)
    (step,) = untangle([f"{yard / 'loads.py'}::Load.fee"], Request(("kind-subclasses",))).steps
    assert "made-by-factory" in step.verdict.assumptions


def test_the_scripts_of_a_project_may_use_it_from_python(yard):
    assert dreck.untangle(f"{yard / 'loads.py'}::Load.fee", steps=["kind-subclasses"]).steps


def test_what_was_proved_before_does_not_change_what_is_proved_next(write):
    """The loop inside was written out for one proof, and kept as it is for another."""
    code = (
        "def f(a, b, c, o, xs):\n    if o.p and b > c:\n        for y in xs:\n            for y in (0, 1, 2):\n"
        "                x += 1\n            raise ValueError(1)\n            for y in xs:\n                o.q = 0\n"
        "    for y in (1, 2):\n        continue\n        for y in (0, 1, 2):\n            if b != 2 or a:\n"
        "                continue\n"
    )
    path = write(code)
    path.write_text(dreck.untangle(path, verdict="proved").source)
    assert not dreck.untangle(path, verdict="proved").steps
