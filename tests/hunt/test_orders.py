"""The hunt among statements of a module in another order: what is proved there does the same, and can be imported."""

import os
import random
import sys
import types
import warnings
from pathlib import Path
from typing import Any

import pytest

import dreck
from dreck.workbench.compare.compare import compare_texts
from dreck.workbench.compare.sides import Text
from dreck.workbench.compare.wanted import Wanted
from tests.hunt import below, generics
from tests.hunt.orders import pair

PAIRS = int(os.environ.get("DRECK_HUNT", "500")) // 4
SEED = int(os.environ.get("DRECK_HUNT_SEED", "7"))


def come_to(code: str) -> dict[str, list[str]]:
    """What each function gives; nothing when the module cannot be imported."""
    module = types.ModuleType("ordered")
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        try:
            exec(code, module.__dict__)
        except Exception:
            return {}
    return {name: [_told(module, name, kilos) for kilos in (0, 3, 4, 9)] for name in ("fee", "other", "read", "look")}


def _told(module: types.ModuleType, name: str, kilos: int) -> str:
    try:
        return repr(getattr(module, name)(kilos))
    except Exception as error:
        return repr(error)


def test_no_false_proof_of_statements_in_another_order():
    pick = random.Random(SEED + 34)
    proved = tried = 0
    while tried < PAIRS:
        old, new = pair(pick)
        before = come_to(old)
        if not before:
            continue
        tried += 1
        after = come_to(new)
        found = compare_texts(Text(Path("y.py"), old), Text(Path("y.py"), new), Wanted(trial=False))
        for name, verdict in found.functions:
            if name in before and verdict.status == "proved" and found.same:
                proved += 1
                assert before[name] == after.get(name), f"{name}\n{old}\n=====\n{new}\n{before}\n{after}"
    assert proved > tried / 12, "so few proofs that the hunt means nothing"


def test_no_false_proof_beside_a_class_below_a_built_in_type():
    pick = random.Random(SEED + 55)
    proved = tried = 0
    while tried < PAIRS:
        old, new = below.pair(pick)
        spaces = [_executed(old), _executed(new)]
        if {} in spaces:
            continue
        tried += 1
        found = compare_texts(Text(Path("y.py"), old), Text(Path("y.py"), new), Wanted(trial=False))
        if found.verdict.status == "proved" and found.same:
            proved += 1
            told = below.difference(*spaces)
            assert told is None, f"{old}\n=====\n{new}\n{told}\n{found.verdict}"
    assert proved > tried / 25, "so few proofs that the hunt means nothing"


@pytest.mark.skipif(sys.version_info < (3, 12), reason="not valid for this Python")
def test_no_false_proof_of_what_reads_type_parameters():
    pick = random.Random(SEED + 89)
    proved = tried = 0
    while tried < PAIRS:
        old, new = generics.pair(pick)
        spaces = [_executed(old), _executed(new)]
        if {} in spaces:
            continue
        tried += 1
        spaces[0]["TEXT"], spaces[1]["TEXT"] = old, new
        for name, asked in (("f", "f"), ("take", "Desk.take"), ("around", "around.inner")):
            verdict = dreck.compare(old, new, only=asked, trial=False)
            if verdict.status == "proved":
                proved += 1
                told = generics.difference(*spaces, name)
                assert told is None, f"{name}\n{old}\n=====\n{new}\n{told}\n{verdict}"
    assert proved > tried / 25, "so few proofs that the hunt means nothing"


def _executed(code: str) -> dict[str, Any]:
    space: dict[str, Any] = {}
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        try:
            exec(code, space)
        except Exception:
            return {}
    return space
