"""What the comments of a block say of all of it, and lines that give back at once what they come to."""

import pytest

import dreck
from dreck.steps.naming.blocks import shortened
from dreck.steps.support.arm_comments import said_of_block
from dreck.steps.support.sheet import Sheet

BLOCK = "# read the head of a note\nnote = first(lines)\nif note:\n    {}\n    line = lines.pop()\n"


@pytest.mark.parametrize(
    ("inner", "said"),
    [
        ("# read the head of a load", ["read", "head", "of"]),
        ("# weigh the load", ["read", "head", "of", "note"]),
        ("# read everything else", None),
        ("pass  # read nothing", ["read", "head", "of", "note"]),
    ],
)
def test_a_block_is_called_by_what_its_comments_have_in_common(inner, said):
    assert next(said_of_block(Sheet(BLOCK.format(inner)), 2, 5), None) == said


@pytest.mark.parametrize(
    ("lines", "told"),
    [
        (["fee = kilos * 2", "return fee"], ["return kilos * 2"]),
        (["fee = kilos * 2", "return fee, wet"], ["return kilos * 2, wet"]),
        (["wet = load.wet", "return fee, wet"], ["return fee, load.wet"]),
        (["fee = kilos, 2", "return fee, wet"], None),
        (["fee = 1 if wet else 2", "return fee, wet"], None),
        (["fee = (wet := 2)", "return fee, wet"], None),
        (["fee = self.fee = 2", "return fee"], None),
        (["fee = 2; wet = 3", "return fee"], None),
        (["fee = 2  # at most", "return fee"], None),
        (["    fee = 2", "return fee"], None),
        (["wet = load.wet", "return fee"], None),
        (["total = \\", "fee = 2", "return fee"], None),
        (["fee = " + "a" * 70, "return fee, wet"], None),
    ],
)
def test_a_result_is_given_back_at_once(lines, told):
    assert shortened(lines, 79) == (told or lines)


LAZY = """\
def sort(loads, desk):
    desk.open()
    kept = [load for load in loads if load]
    rows = (load.upper() for load in kept)
    desk.take(rows)
    desk.close()
    return len(loads)
"""


def test_what_a_generator_goes_through_first_is_not_handed_back(tmp_path):
    (tmp_path / "yard.py").write_text(LAZY)
    found = dreck.untangle(f"{tmp_path / 'yard.py'}::sort:3-5", name="rows_of")
    assert "    desk.open()\n    rows_of(loads, desk)\n    desk.close()" in found.source
    assert "    rows = (load.upper() for load in kept)\n    desk.take(rows)\n" in found.source
