"""Where an object's end may be noticed: what the files say of it, and what `plain-lifetimes` takes as nobody's affair."""

from pathlib import Path

import pytest

from dreck.workbench.compare.compare import compare_texts
from dreck.workbench.compare.sides import read_text
from dreck.workbench.compare.wanted import Wanted

OLD = """\
def f(load, book):
    weight = book.weigh(load)
    lorry = load.lorry
    if lorry.weight > weight:
        book.note(lorry)
    return book.done({})
"""
NEW = """\
def _noted(load, book, weight):
    lorry = load.lorry
    if lorry.weight > weight:
        book.note(lorry)


def f(load, book):
    weight = book.weigh(load)
    _noted(load, book, weight)
    return book.done({})
"""
KEPT = """\
import weakref

_KNOWN = weakref.WeakValueDictionary()


def kept(permit):
    _KNOWN[permit.number] = permit
    return len(_KNOWN)


def rounded(weight):
    return weight // 10 * 10
"""
DYING = "class Permit:\n    def __del__(self):\n        print('gone')\n"
HELD = "import weakref\n\n_held = weakref.{}\n\n\ndef _hold(permit):\n    _held.add(permit)\n\n\n"


def judged(folder: Path, yard: str, given: str, beside: str = "", **wanted: object):
    for name, code in (("old", OLD), ("new", NEW)):
        (folder / name).mkdir()
        (folder / name / "yard.py").write_text(yard + code.format(given))
        (folder / name / "beside.py").write_text(beside)
    sides = (read_text(folder / name / "yard.py") for name in ("old", "new"))
    return dict(compare_texts(*sides, Wanted(trial=False, **wanted)).functions)["f"]


@pytest.mark.parametrize(
    ("yard", "given", "beside"),
    [
        ("from beside import rounded\n", "rounded(weight)", KEPT),
        ("import beside\n", "beside.rounded(weight)", KEPT),
        ("from beside import Permit\n", "weight", DYING),
        (HELD.format("WeakSet()"), "weight", ""),
        ("from beside import rounded\n\n\ndef finalize(load):\n    return load\n\n\n", "finalize(weight)", KEPT),
    ],
)
def test_nothing_here_leads_to_who_notices(tmp_path, yard, given, beside):
    verdict = judged(tmp_path, yard, given, beside)
    assert verdict.status == "proved" and "plain-lifetimes" in verdict.assumptions, str(verdict)


@pytest.mark.parametrize(
    ("yard", "given", "beside"),
    [
        ("from beside import kept\n", "kept(load)", KEPT),
        ("import beside\n", "beside.kept(load)", KEPT),
        ("from beside import Permit\n", "Permit()", DYING),
        ("from beside import kept\n\n\ndef told(load):\n    return kept(load)\n\n\n", "told(load)", KEPT),
        ("from beside import _KNOWN\n", "len(_KNOWN)", KEPT),
        ("import beside\n", "len(beside._KNOWN)", KEPT),
        ("from beside import hold\n", "hold(load)", "from weakref import ref\n\n\ndef hold(x):\n    return [ref(x)]\n"),
        ("from beside import r\n", "r(load)", "from weakref import ref as r\n"),
        ("from weakref import ref\n\n\n", "ref(load)", ""),
        ("from weakref import ref as r\n\nHELD = [r(print, print)]\n\n\n", "weight", ""),
        ("from weakref import finalize as fin\n\n\n", "weight", ""),
        ("from gc import get_objects as held\n\n\n", "weight", ""),
        (HELD.format("WeakSet()"), "len(_held)", ""),
        (HELD.format("WeakSet()"), "_hold(load)", ""),
        (HELD.format("finalize(print, print)"), "weight", ""),
        ("from weakref import finalize\n\n\ndef held(load):\n    finalize(load, print)\n\n\n", "weight", ""),
        ("from beside import finalize\n\n\ndef held(load):\n    finalize(load, print)\n\n\n", "weight", "from weakref import finalize"),
        ("import weakref\n\n_held = [weakref.ref(print, print)]\n\n\n", "weight", ""),
        ("import gc\n\n\ndef held():\n    return gc.get_objects()\n\n\n", "weight", ""),
        (DYING, "weight", ""),
    ],
)
def test_what_the_files_say_beats_it(tmp_path, yard, given, beside):
    assert judged(tmp_path, yard, given, beside).status != "proved"


def test_it_is_not_said_where_nobody_notices(tmp_path):
    verdict = judged(tmp_path, "from beside import rounded\n", "rounded(weight)", KEPT.split("\n\n\n")[-1])
    assert verdict.status == "proved" and "plain-lifetimes" not in verdict.assumptions
