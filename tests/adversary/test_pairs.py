"""Pairs that differ, written to deceive: none of them may come out proved. Each is first shown to differ by running both."""

from pathlib import Path

import pytest

from dreck.workbench.compare.compare import compare_texts
from dreck.workbench.compare.sides import Text
from dreck.workbench.compare.wanted import Wanted
from tests.adversary.running import Pair, pairs_in, seen

PAIRS = [pair for file in sorted(Path(__file__).parent.glob("*.txt")) for pair in pairs_in(file.read_text())]
NAMES = [pair.name for pair in PAIRS]


@pytest.mark.parametrize("pair", PAIRS, ids=NAMES)
def test_the_two_differ(pair: Pair):
    old, new = pair.texts
    assert seen(old, pair.call) != seen(new, pair.call)


@pytest.mark.filterwarnings("ignore::SyntaxWarning")
@pytest.mark.parametrize("pair", PAIRS, ids=NAMES)
def test_not_proved(pair: Pair):
    verdict = compare_texts(*(Text(Path("yard.py"), text) for text in pair.texts), Wanted(trial=False)).verdict
    assert verdict.status != "proved", str(verdict)
