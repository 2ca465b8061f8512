"""Steps on generic code: new functions have the type parameters that they speak of, and no others."""

import sys

import pytest

import dreck

pytestmark = pytest.mark.skipif(sys.version_info < (3, 12), reason="not valid for this Python")

LINE = """\
class Line[Load]:
    def __init__(self, loads: list[Load]) -> None:
        self.loads = loads

    def total[Key: (int, str)](self, kilos: float, default: Key, other: Load) -> float | Key | Load:
        for load in self.loads:
            print(load)
            print("on the line")
        # nothing weighed
        if kilos:
            print("weighed")
            result = kilos
        elif other:
            result = other
        else:
            result = default
        return result
"""
WEIGHED = """\
def weighed[Load: float, Note](load: Load, note: Note, dry: bool) -> tuple[Load, Note] | None:
    if dry:
        print("dry", load)
        return load, note
    print("wet", load)
    return None
"""


def taken(tmp_path, text, target="", **wishes):
    path = tmp_path / "yard.py"
    path.write_text(text)
    return dreck.untangle(f"{path}{target}", **wishes)


@pytest.mark.parametrize(("lines", "arrow"), [("9-16", ""), ("9-17", " -> float | Key | Load")])
def test_a_block_brings_what_its_annotations_speak_of(tmp_path, lines, arrow):
    result = taken(tmp_path, LINE, f"::Line.total:{lines}", steps="named-block", name="told")
    assert [s.verdict.status for s in result.steps] == ["proved"], result.refused
    assert "def told[Load, Key: (int, str)](" in result.source and f"){arrow}:\n    # nothing" in result.source
    compile(result.source, "yard.py", "exec")


def test_two_functions_of_a_flag_have_the_parameters_of_the_one(tmp_path):
    result = taken(tmp_path, WEIGHED, steps="flag-split")
    assert [s.verdict.status for s in result.steps] in (["proved"], ["tested"]), result.refused
    assert "def weighed_dry[Load: float, Note](load: Load, note: Note) -> tuple[Load, Note] | None:\n" in result.source


def test_rows_can_be_passed_in_beside_type_parameters_only_where_they_stand_last(tmp_path):
    text = "def total[T](counts: T):\n    kilos = 0\n"
    text += "".join(
        f"    kilos += bulk(counts, {kind!r}, {at})\n" for kind, at in (("glass", 4), ("paper", 3), ("metal", 2))
    )
    text += "    return kilos\n\n\ndef bulk(counts, name, at):\n    return counts.get(name, 0) * at\n"
    assert taken(tmp_path, text, steps="rule-list").steps
    assert not taken(tmp_path, text, steps="rule-list", form="parameter").steps


@pytest.mark.parametrize("slip", ["return 5", "return T.__name__ * 2"])
def test_a_type_parameter_that_is_read_is_seen_by_a_trial(slip):
    text = "class Bin[S]:\n    def take[T](self, kilos: int):\n        if kilos > 3:\n            return T.__name__\n        return 5\n"
    assert dreck.compare(text, text.replace("return T.__name__", slip, 1)).status == "differs"
