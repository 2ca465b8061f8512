"""The hunt for functions of the library in tables: what is proved of them does the same, whatever the files set."""

import colorsys
import os
import random
import types
from pathlib import Path
from typing import Any
from unittest import mock

from dreck.workbench.compare.compare import compare_texts
from dreck.workbench.compare.sides import Text
from dreck.workbench.compare.wanted import Wanted
from tests.hunt.steadily import pair

PAIRS = int(os.environ.get("DRECK_HUNT", "500")) // 4
SEED = int(os.environ.get("DRECK_HUNT_SEED", "7"))
ASSUMED = ("hashable-key", "steady-constants")


def come_to(code: str) -> list[str]:
    """What `f` gives before and after the change; nothing when the module cannot be executed."""
    had = dict(vars(colorsys))
    module = types.ModuleType("steady")
    try:
        exec(code, module.__dict__)
        return [_told(module, "f", kind) for kind in ("hls", "hsv", "yiq", "no")] + [
            _told(module, "change", _spoils),
            *(_told(module, "f", kind) for kind in ("hls", "hsv", "yiq", "no")),
        ]
    except Exception:
        return []
    finally:
        mock.patch.stopall()
        vars(colorsys).clear()
        vars(colorsys).update(had)


def _spoils(told: Any) -> None:
    """What somebody else does to what it is given."""
    for name in ("rgb_to_hls", "rgb_to_hsv"):
        setattr(told, name, max)


def _told(module: types.ModuleType, name: str, *given: Any) -> str:
    try:
        return repr(getattr(module, name)(*given))
    except Exception as error:
        return repr(error)


def test_no_false_proof_of_what_the_library_works_out():
    pick = random.Random(SEED + 77)
    proved = tried = different = 0
    while tried < PAIRS:
        old, new = pair(pick)
        before = come_to(old)
        if not before:
            continue
        tried += 1
        after = come_to(new)
        different += before != after
        found = compare_texts(Text(Path("y.py"), old), Text(Path("y.py"), new), Wanted(assume=ASSUMED, trial=False))
        if dict(found.functions)["f"].status == "proved" and found.same:
            proved += 1
            assert before == after, f"{old}\n=====\n{new}\n{before}\n{after}"
    assert proved > tried / 20 and different > tried / 4, "so few proofs or differences that the hunt means nothing"
    print(f"{tried} pairs, {different} of them different, {proved} proved")
