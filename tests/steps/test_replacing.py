"""Steps that replace switches, across files and with wishes: what they write, on what evidence, and what they refuse."""

import pytest

import dreck
from dreck.steps.support.scene import Wishes
from dreck.workbench.engine.request import Request
from dreck.workbench.engine.untangle import untangle


@pytest.fixture
def files(tmp_path):
    (tmp_path / ".git").mkdir()

    def write(**texts):
        for name, text in texts.items():
            (tmp_path / f"{name}.py").write_text(text)
        return tmp_path

    return write


def taken(folder, target, step, **wishes):
    result = untangle([f"{folder}/{target}"], Request((step,), write=True, wishes=Wishes(**wishes)))
    return result, {path.stem: path.read_text() for path in folder.glob("*.py")}


# --- regroup ---------------------------------------------------------------------------------------------

SLIP = """\
def slip(kind, kilos, member, book):
    lines = []
    total = 0
    if kind == "paper":
        lines.append("press")
    if kind != "battery":
        # the usual way
        if member:
            lines.append("member")
        else:
            lines.append("pay")
            total += kilos * 3
        if kilos > 1000:
            lines.append("stamp")
            book.note(kind)
    else:
        lines.append("vault")
    if kind == "glass":
        lines.append("crush")
        total += 1
    return lines, total
"""


def test_lines_that_several_kinds_share_are_told_once(files):
    folder = files(desk=SLIP)
    result, texts = taken(folder, "desk.py::slip", "regroup")
    assert [s.verdict.status for s in result.steps] == ["proved"]
    assert texts["desk"].count("# the usual way") == 1
    assert texts["desk"].count("total = common_slip(kind, kilos, member, book, lines, total)") == 3
    assert "def common_slip(kind, kilos, member, book, lines, total):" in texts["desk"]
    assert texts["desk"].rstrip().endswith("return total")


def test_shared_lines_of_a_method_that_return(files):
    folder = files(
        desk="""\
class Desk:
    def close(self, kind: str, load) -> int:
        if kind == "glass":
            self.book.note("glass")
        if kind == "battery":
            return -1
        if kind == "metal":
            self.book.note("metal")
        if load.kilos > 30:
            self.count += 1
            self.book.add(load)
            return load.kilos
        self.book.small(load)
        return 0
"""
    )
    result, texts = taken(folder, "desk.py::Desk.close", "regroup")
    assert result.steps
    assert texts["desk"].count("return self._common_close(load)") == 3
    assert "    def _common_close(self, load) -> int:" in texts["desk"]


@pytest.mark.parametrize(
    "line", ["yield kilos", "await book.note(kind)", "del lines", "lines.sort(key=lambda x: kilos)"]
)
def test_lines_that_cannot_leave_their_function_stay(files, line):
    text = SLIP.replace('lines.append("stamp")', line)
    text = text.replace("def slip", "async def slip") if "await" in line else text
    folder = files(desk=text)
    _, texts = taken(folder, "desk.py::slip", "regroup")
    assert line not in texts["desk"].partition("def common_slip")[2]


def test_a_test_over_two_lines_with_a_backslash(files):
    text = SLIP.replace("if kilos > 1000:", "if kilos > 1000 and \\\n                member:")
    result, _ = taken(files(desk=text), "desk.py::slip", "regroup")
    assert [s.verdict.status for s in result.steps] == ["proved"]


def test_a_text_over_several_lines_stays_as_it_is(files):
    text = SLIP.replace('        lines.append("vault")', '        lines.append("""\n    in the\nvault""")')
    result, texts = taken(files(desk=text), "desk.py::slip", "regroup")
    assert [s.verdict.status for s in result.steps] == ["proved"]
    assert '"""\n    in the\nvault"""' in texts["desk"]


# --- member-data -----------------------------------------------------------------------------------------

MOTION = """\
from enum import Enum


class Motion(Enum):
    LIFT = "lift"
    LOWER = "lower"
    ADVANCE = "advance"


"""
MOVED = """\
def moved(motion: Motion, height: int, place: int, step: int) -> tuple[int, int]:
    if motion == Motion.LIFT:
        height += step
    elif motion == Motion.LOWER:
        height -= step  # down again
    elif motion == Motion.ADVANCE:
        place += step
    return height, place


def undone(motion: Motion, height: int, place: int, step: int) -> tuple[int, int]:
    if motion == Motion.LIFT:
        height -= step
    elif motion == Motion.LOWER:
        height += step
    elif motion == Motion.ADVANCE:
        place -= step
    return height, place
"""


def test_two_switches_that_do_the_opposite_share_one_datum_a_member(files):
    folder = files(belt=MOTION + MOVED)
    result, texts = taken(folder, "belt.py", "member-data")
    assert [s.verdict.status for s in result.steps] == ["proved", "proved"]
    text = texts["belt"]
    assert "height += step * motion.height_change" in text and "height -= step * motion.height_change" in text
    assert "place -= step * motion.place_change" in text
    assert text.count("def height_change(self) -> int:") == 1
    assert "    # down again\n    Motion.LOWER: -1," in text and "    Motion.ADVANCE: 0," in text


def test_an_enum_of_another_file_gets_the_data_there(files):
    folder = files(motions=MOTION.rstrip() + "\n", belt="from motions import Motion\n\n\n" + MOVED)
    result, texts = taken(folder, "belt.py::moved", "member-data")
    assert [s.verdict.status for s in result.steps] == ["proved"]
    assert "def height_change" in texts["motions"] and "HEIGHT_CHANGE_OF_MOTION = {" in texts["motions"]
    assert "# down again" in texts["motions"] and "if isinstance(motion, Motion):" in texts["belt"]


def test_what_is_taken_away_by_all_is_taken_away(files):
    folder = files(
        desk="""\
from enum import Enum


class Material(Enum):
    GLASS = 1
    PAPER = 2


def net(material: Material, kilos: int) -> int:
    if material is Material.GLASS:
        return kilos - 12
    elif material is Material.PAPER:
        return kilos - 3
    raise KeyError(material)
"""
    )
    result, texts = taken(folder, "desk.py::net", "member-data")
    assert [s.verdict.status for s in result.steps] == ["proved"]
    assert "return kilos - material.kilos_change" in texts["desk"] and "Material.GLASS: 12," in texts["desk"]


@pytest.mark.parametrize(
    ("was", "becomes"),
    [
        ("height: int", "height: float"),  # -0.0 + 0 is another zero
        ("height: int", "height"),  # a text takes no number
        ("height -= step  # down again", "height *= step"),
        ("place += step", "place += step * step"),
        ("height += step", "height += step or 1"),
    ],
)
def test_no_neutral_zero_where_it_is_not_neutral(files, was, becomes):
    folder = files(belt=MOTION + MOVED.partition("\n\n\ndef undone")[0].replace(was, becomes, 1) + "\n")
    result, texts = taken(folder, "belt.py::moved", "member-data")
    assert not result.steps or "step or 1" in texts["belt"] or "step * step" in texts["belt"]
    if result.steps:
        old = MOTION + MOVED.partition("\n\n\ndef undone")[0].replace(was, becomes, 1) + "\n"
        assert dreck.compare(old, texts["belt"], assume=["hashable-key"])


# --- polymorphic-methods ---------------------------------------------------------------------------------

LOADS = """\
class Bale:
    def __init__(self, kilos: int) -> None:
        self.kilos = kilos


class Drum:
    def __init__(self, litres: int) -> None:
        self.litres = litres


def fee(load: Bale | Drum, member: bool = False) -> int:
    # by kind
    if isinstance(load, Bale):
        return load.kilos * 2 if member else load.kilos * 3
    elif isinstance(load, Drum):
        return load.litres  # flat
    raise TypeError(load)


def first(load: Drum) -> int:
    return fee(load, member=True) + 1
"""
DESK = """\
import loads
from loads import Bale, Drum, fee


def bill(load: Bale | Drum) -> int:
    return fee(load) + 2


def other(load: Bale) -> int:
    return loads.fee(member=True, load=load)
"""


def test_a_protocol_declares_what_classes_need_not_derive_from(files):
    folder = files(loads=LOADS)
    result, texts = taken(folder, "loads.py::fee", "polymorphic-methods", form="protocol")
    assert [s.verdict.status for s in result.steps] == ["proved"]
    assert "from typing import Protocol\n" in texts["loads"]
    assert "class HasFee(Protocol):" in texts["loads"] and "class Bale:" in texts["loads"]
    assert "if not isinstance(load, (Bale, Drum)):" in texts["loads"]


def test_callers_call_the_method_and_the_function_goes(files):
    folder = files(loads=LOADS, desk=DESK)
    result, texts = taken(folder, "loads.py::fee", "polymorphic-methods", inline_callers=True)
    assert len(result.steps) == 1
    assert "def fee(load" not in texts["loads"] and "return load.fee(True) + 1" in texts["loads"]
    assert texts["loads"].count("# by kind") == 1 and texts["loads"].count("# flat") == 1
    assert "from loads import Bale, Drum\n" in texts["desk"]
    assert "return load.fee(False) + 2" in texts["desk"] and "return load.fee(True)" in texts["desk"]
    dreck.untangle(f"{folder}/loads.py")  # what is left can be read again


@pytest.mark.parametrize(
    ("was", "becomes", "told"),
    [
        ("    return fee(load) + 2", "    return sum(map(fee, load))", "without calling"),
        ("    return fee(load) + 2", "    return fee(*load)", "cannot be told apart"),
        ("load: Bale | Drum) -> int:\n    return fee", "load) -> int:\n    return fee", "differs"),
        ("from loads import Bale, Drum, fee", "from loads import Bale, Drum, fee as cost", "another name"),
        ("def bill", 'NAMES = ["fee"]\n\n\ndef bill', "in a text"),
    ],
)
def test_the_function_stays_where_a_caller_would_die_without_it(files, was, becomes, told):
    assert was in DESK
    folder = files(loads=LOADS, desk=DESK.replace(was, becomes))
    result, texts = taken(folder, "loads.py::fee", "polymorphic-methods", inline_callers=True)
    assert not result.steps and told in result.refused[0].reason
    assert texts["loads"] == LOADS


def test_every_switch_on_a_family_in_one_run(files):
    folder = files(
        loads=LOADS.partition("\n\ndef fee")[0] + "\n",
        desk="""\
from loads import Bale, Drum


def line(load):
    if isinstance(load, Bale):
        return "press"
    elif isinstance(load, Drum):
        return "pump"
    raise TypeError(load)


def space(load):
    if isinstance(load, Bale):
        return load.kilos // 100
    elif isinstance(load, Drum):
        return 1
    return 0
""",
    )
    result, texts = taken(folder, "desk.py", "polymorphic-methods")
    assert [s.verdict.status for s in result.steps] == ["proved", "proved"]
    assert texts["loads"].count("def line(self):") == 3 and texts["loads"].count("def space(self):") == 3
    assert texts["loads"].count("class Has") == 1


def test_what_the_file_of_the_classes_did_has_to_stay(tmp_path, monkeypatch):
    """With --kinds the classes may live elsewhere: a function there that a new method changes is judged, too."""
    monkeypatch.chdir(tmp_path)
    (tmp_path / "pyproject.toml").write_text("")
    tools = "class Spade:\n    pass\n\n\nclass Hose:\n    pass\n\n\ndef told():\n    return sorted(vars(Hose).keys() & {'total'})\n"
    (tmp_path / "tools.py").write_text(tools)
    desk = "from tools import Hose, Spade\n\n\ndef total(t):\n    if isinstance(t, Hose):\n        return t.metres * 2\n    return 0\n"
    (tmp_path / "desk.py").write_text(desk)
    judged = []
    from dreck.workbench.engine import known_kinds

    judge = known_kinds.judge_rewrite
    monkeypatch.setattr(
        known_kinds, "judge_rewrite", lambda old, *rest: judged.append(old.path.name) or judge(old, *rest)
    )
    dreck.untangle("desk.py", steps="polymorphic-methods", kinds=["Spade", "Hose"])
    assert set(judged) == {"desk.py", "tools.py"}
