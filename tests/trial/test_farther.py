"""What a run changes in other modules of the project counts as what it does."""

from pathlib import Path

import pytest

import dreck

BESIDE = """\
LIMIT = {limit}
WEIGHED = []
LOADS = 0


def note(kilos):
    WEIGHED.append(kilos)


def count(kilos):
    global LOADS
    LOADS += 1
    return kilos


class Scale:
    used = 0

    def __init__(self):
        self.kept = []

    def put(self, kilos):
        self.kept.append(kilos)

    def __getattr__(self, name):
        WEIGHED.append(name)
        return name


SCALE = Scale()


def made(kilos):
    Scale.used += 1
    return kilos
"""
HEAD = "import scale\nfrom scale import SCALE, note, count, made\n\n\n"
TWICE = "def f(kilos: int):\n    {act}\n    if kilos > 3:\n        {act}\n    return kilos\n"
ONCE = "def f(kilos: int):\n    {act}\n    if kilos > 3:\n        return kilos\n    return kilos\n"
ACTS = ("note(kilos)", "count(kilos)", "SCALE.put(kilos)", "made(kilos)", "scale.note(kilos)", "scale.WEIGHED.append(kilos)",
        "scale.SCALE.put(kilos)", "SCALE.tare")  # fmt: skip


def folders(to: Path, old: str, new: str, limits: tuple[int, int] = (1, 1)) -> tuple[Path, Path]:
    for name, text, limit in zip(("old", "new"), (old, new), limits, strict=True):
        (to / name).mkdir()
        (to / name / "scale.py").write_text(BESIDE.replace("{limit}", str(limit)))
        (to / name / "yard.py").write_text(HEAD + text)
    return to / "old", to / "new"


@pytest.mark.parametrize("act", ACTS)
def test_what_is_done_once_less_is_seen(tmp_path, act):
    found = dreck.compare(*folders(tmp_path, TWICE.replace("{act}", act), ONCE.replace("{act}", act)))
    assert found.status == "differs", str(found)
    assert "scale." in str(found) or "SCALE" in str(found)


def test_each_run_begins_with_what_stood_there(tmp_path):
    """The same twice is the same, however often it was tried, and whatever a constant there is."""
    asked = "def f(kilos: int):\n    if kilos > scale.LIMIT:\n        note(kilos)\n    return len(scale.WEIGHED)\n"
    turned = (
        "def f(kilos: int):\n    if not kilos <= scale.LIMIT:\n        note(kilos)\n    return len(scale.WEIGHED)\n"
    )
    assert dict(dreck.compare(*folders(tmp_path, asked, turned)).functions)["yard.py::f"].status in ("proved", "tested")


def test_another_constant_beside_is_no_difference_of_what_is_done(tmp_path):
    same = "def f(kilos: int):\n    note(kilos)\n    if kilos > 3:\n        return scale.LIMIT > 0\n    return False\n"
    other = same.replace("    if kilos > 3:\n", "    if not kilos <= 3:\n")
    verdict = dict(dreck.compare(*folders(tmp_path, same, other, (1, 2))).functions)["yard.py::f"]
    assert verdict.status != "differs", str(verdict)


def test_an_order_that_hangs_on_addresses_is_no_difference(tmp_path):
    """A set of classes is gone through in another order in every process."""
    kinds = "KINDS = {type(word, (), {}) for word in 'ABCDEFGHIJKLMNOP'}\n\n\n"
    there = "[kind.__name__ for kind in KINDS]"
    old = f"{kinds}def f(kilos: int):\n    if kilos > 3:\n        return {there}\n    return []\n"
    new = f"{kinds}def f(kilos: int):\n    if not kilos > 3:\n        print(end='')\n        return []\n    return {there}\n"
    verdict = dict(dreck.compare(*folders(tmp_path, old, new)).functions)["yard.py::f"]
    assert verdict.status == "unsettled" and "where objects lie in memory" in verdict.reason, str(verdict)


ARMS = """\
def weigh(load):
    return load + 1


def keep(load):
    SCALE.put(load)
    return 2


WAYS = dict(zip((int, str), (weigh, keep)))
"""


def test_what_the_functions_of_a_table_lead_to_is_looked_at_in_both(tmp_path):
    """Whoever is called may change an object beside: in one version a function names it, in the other a table does."""
    head = f"{ARMS}\n\ndef f(load, log):\n    log(load)\n"
    old = head + "    if type(load) is int:\n        return load + 1\n    SCALE.put(load)\n    return 2\n"
    new = head + "    return WAYS[int if type(load) is int else str](load)\n"
    verdict = dict(dreck.compare(*folders(tmp_path, old, new)).functions)["yard.py::f"]
    assert verdict.status == "tested", str(verdict)


def test_one_change_less_by_a_table_is_seen(tmp_path):
    head = f"{ARMS}\n\ndef f(load, log):\n    log(load)\n"
    old = head + "    if type(load) is int:\n        return load + 1\n    SCALE.put(load)\n    return 2\n"
    new = head.replace("SCALE.put(load)", "pass") + "    return WAYS[int if type(load) is int else str](load)\n"
    assert dict(dreck.compare(*folders(tmp_path, old, new)).functions)["yard.py::f"].status == "differs"
