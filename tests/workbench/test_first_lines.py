"""Hints name lines as they stand in the file, as long as nothing is saved."""

import re

import dreck
from dreck.workbench.engine.first_lines import FirstLines

CODE = """\
def settle(record, prices, log):
    # look up the price
    price = None
    for entry in prices:
        if entry.kind == record.kind:
            if entry.until is None or entry.until >= record.day:
                price = entry.price
                break
    if price is None:
        log.error("no price")
        return None

    result = price * record.kilos
    if record.damp:
        result = result * 2
    if record.member:
        if record.kilos > 100:
            result = result * 8
        else:
            result = result * 9
    if result < 0:
        result = 0
    return {"fee": result, "kilos": record.kilos}
"""


def test_a_hint_after_a_cut_names_lines_of_the_file(tmp_path):
    file = tmp_path / "yard.py"
    file.write_text(CODE)
    result = dreck.untangle(file, steps="named-block", verdict="proved")
    assert result.steps and "_look_up_price" in result.files[0].new
    hints = [r.reason for f in result.functions for r in f.refused if "type: dreck untangle" in r.reason]
    assert hints
    lines = CODE.splitlines()
    for hint in hints:
        first, last = map(int, re.search(r":(\d+)-(\d+) --step", hint).groups())
        assert f"lines {first} to {last}" in hint
        assert all(lines[n - 1].startswith("    ") for n in (first, last))


def test_lines_that_did_not_stand_there_are_not_told():
    first = FirstLines("a\nb\nc\n", "x\na\nc\n")
    assert [first.of(n) for n in (1, 2, 3)] == [None, 1, 3]
    assert (
        first.told("lines 2 to 3; type: dreck untangle y.py::f:2-3") == "lines 1 to 3; type: dreck untangle y.py::f:1-3"
    )
    assert first.told("line 1 does") is None
