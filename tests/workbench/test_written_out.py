"""Loops over rows that stand there ask as often as the tests they stand for."""

import dreck

CLASSES = "class Lot:\n    asked = 0\n\n    def __bool__(self):\n        Lot.asked += 1\n        return True\n\n\n"
BY_HAND = (
    'def f(slip, way):\n    if slip.get("open"):\n        return way(1)\n    elif slip.get("shut"):\n'
    '        return way(2)\n    elif slip.get("lost"):\n        return way(3)\n    return 4\n'
)
ROWS = '_ROWS = (("open", 1), ("shut", 2), ("lost", 3))\n\n\n'
LOOP = "def f(slip, way):\n    for key, number in {rows}:\n        if slip.get(key):\n            return way(number)\n    return 4\n"


def verdict(tmp_path, old, new):
    sides = [tmp_path / "old.py", tmp_path / "new.py"]
    for side, text in zip(sides, (old, new), strict=True):
        side.write_text(text)
    return dict(dreck.compare(*sides).functions)["f"]


def test_a_loop_over_rows_asks_as_often_as_the_tests_did(tmp_path):
    found = verdict(tmp_path, CLASSES + BY_HAND, CLASSES + ROWS + LOOP.replace("{rows}", "_ROWS"))
    assert found.status in ("proved", "tested"), str(found)


def test_a_local_display_is_written_out_as_well(tmp_path):
    local = LOOP.replace("    for key", '    rows = (("open", 1), ("shut", 2), ("lost", 3))\n    for key').replace(
        "{rows}", "rows"
    )
    found = verdict(tmp_path, CLASSES + BY_HAND, CLASSES + local)
    assert "asked for more often" not in str(found), str(found)


def test_one_row_more_asks_more_often(tmp_path):
    more = ROWS.replace('("open", 1), ', '("open", 1), ("open", 1), ')
    found = verdict(tmp_path, CLASSES + BY_HAND, CLASSES + more + LOOP.replace("{rows}", "_ROWS"))
    assert found.status not in ("proved", "tested"), str(found)
