"""Pairs that differ, written to deceive: none of them may come out proved. Each is first shown to differ by running both."""

import sys
from pathlib import Path

import pytest

import dreck
from dreck.workbench.compare.compare import compare_texts
from dreck.workbench.compare.sides import Text
from dreck.workbench.compare.wanted import Wanted
from tests.adversary.running import Pair, files_in, pairs_in, seen

FILES = files_in(Path(__file__).parent)
PAIRS = [pair for file in FILES for pair in pairs_in(file.read_text())]
NAMES = [pair.name for pair in PAIRS]
ALONE = [
    pair
    for file in FILES
    if file.stem in ("alone", "hidden_classes", "generics")
    for pair in pairs_in(file.read_text())
    if file.stem != "generics" or " @" in pair.name
]
"""Here `f`, or what stands behind an `@`, is asked for alone: what it leads to tells the difference."""


AT_ONCE = {"annotations of a function inside are worked out", "an annotation names what is not there"}
"""Since Python 3.14 annotations are worked out when somebody reads them, and these do the same."""


@pytest.mark.parametrize("pair", PAIRS, ids=NAMES)
def test_the_two_differ(pair: Pair):
    if pair.name in AT_ONCE and sys.version_info >= (3, 14):
        pytest.skip("annotations are not worked out at once")
    old, new = pair.texts
    assert seen(old, pair.call) != seen(new, pair.call)


@pytest.mark.filterwarnings("ignore::SyntaxWarning")
@pytest.mark.parametrize("pair", PAIRS, ids=NAMES)
def test_not_proved(pair: Pair):
    verdict = compare_texts(*(Text(Path("yard.py"), text) for text in pair.texts), Wanted(trial=False)).verdict
    assert verdict.status != "proved", str(verdict)


@pytest.mark.parametrize("pair", ALONE, ids=[pair.name for pair in ALONE])
def test_a_function_rests_on_what_it_leads_to(pair: Pair):
    verdict = dreck.compare(*pair.texts, only=pair.name.partition(" @")[2] or "f", trial=False)
    assert verdict.status != "proved", str(verdict)


def test_a_function_that_leads_to_nothing_else_stays_proved():
    beside = "def weigh(x): return {}\nclass Bin:\n    def full(self): return {}\nTABLE = {{'a': weigh}}\n"
    one = "def f(x, d):\n    if x: return d.full\n    return sorted(d)\n"
    assert dreck.compare(beside.format(1, 1) + one, beside.format(2, 1) + one, only="f", trial=False).status == "proved"
