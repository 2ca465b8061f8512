"""Pairs that are the same: each is proved, under just the assumptions that stand in the last part of the pair."""

from pathlib import Path

import pytest

from dreck.trial.running.renaming import BY_POSITION
from dreck.workbench.compare.compare import compare_texts
from dreck.workbench.compare.sides import Text
from dreck.workbench.compare.wanted import Wanted
from tests.adversary.running import pairs_in

PAIRS = pairs_in((Path(__file__).parent / "pairs.txt").read_text())


@pytest.mark.parametrize("pair", PAIRS, ids=[pair.name for pair in PAIRS])
def test_proved_under_what_it_needs(pair):
    needed = () if pair.call == "nothing" else tuple(pair.call.split(", "))
    sides = [Text(Path("yard.py"), text) for text in pair.texts]
    asked = tuple(one for one in needed if one != BY_POSITION)  # nobody can take that back
    verdict = compare_texts(*sides, Wanted(trial=False, assume=asked)).verdict
    assert (verdict.status, verdict.assumptions) == ("proved", needed), str(verdict)
