"""Families of pairs: what is proved of them is the same when both versions are run."""

import ast
from pathlib import Path

import pytest

from dreck.workbench.compare.compare import compare_texts
from dreck.workbench.compare.sides import Text
from dreck.workbench.compare.wanted import Wanted
from tests.adversary.running import seen
from tests.variations import Variation, variations

EVERY = list(variations())


@pytest.mark.parametrize("pair", EVERY, ids=[pair.name for pair in EVERY])
def test_what_is_proved_is_so(pair: Variation):
    ast.parse(pair.old), ast.parse(pair.new)
    sides = [Text(Path("yard.py"), text) for text in (pair.old, pair.new)]
    verdict = compare_texts(*sides, Wanted(trial=False, assume=pair.assumed)).verdict
    if verdict.status == "proved":
        for call in pair.calls:
            assert seen(pair.old, call) == seen(pair.new, call), f"{call}: {verdict}"
