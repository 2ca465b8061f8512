"""The hunt for false proofs of a class whose kinds became subclasses: the step's own, and what may tell them apart."""

import random

import dreck
from tests.hunt import families
from tests.hunt.test_hunt import PAIRS, SEED, executed

_NAMES = {"1": "OneLoad", "2": "TwoLoad", "0": "NoLoad"}


def test_no_false_proof_of_kinds_that_became_classes(tmp_path):
    pick = random.Random(SEED + 31)
    file = tmp_path / "random_yard.py"
    proved = 0
    for _ in range(PAIRS // 3):
        old = families.module(pick)
        file.write_text(old)
        steps = ("kind-subclasses",)
        found = dreck.untangle(file, steps=steps, verdict="proved", names=_NAMES)
        if found.steps:
            proved += 1
            difference = families.difference(executed(old), executed(found.files[0].new))
            assert difference is None, f"{old}\n=====\n{found.files[0].new}\n{difference}"
    assert proved > PAIRS / 40, "so few proofs that the hunt means nothing"
