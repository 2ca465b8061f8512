"""A trial leaves open what the process has, where the two do not ask for it alike."""

from pathlib import Path

import pytest

from dreck.workbench.compare.compare import compare_texts
from dreck.workbench.compare.sides import Text
from dreck.workbench.compare.wanted import Wanted

HEAD = "import sys\nimport decimal\nfrom sys import path as places\n"


def judged(old: str, new: str):
    sides = (Text(Path("yard.py"), f"{HEAD}def f(load, n: int):\n    {body}\n") for body in (old, new))
    return compare_texts(*sides, Wanted()).verdict


@pytest.mark.parametrize(
    ("old", "new"),
    [
        ("return len(places), n + 0", "return len(places), n * 1"),
        ("sys.path.append(load)\n    return n + 0", "sys.path.append(load)\n    return n * 1"),
        ("return decimal.Decimal(n + 0)", "return decimal.Decimal(n * 1)"),
    ],
)
def test_what_both_ask_alike_is_no_matter(old, new):
    verdict = judged(old, new)
    assert verdict.status in ("tested", "proved"), str(verdict)


@pytest.mark.parametrize(
    ("old", "new"),
    [
        ("return len(places) > 0", "return True"),
        ("told = len(places)\n    load.tip()\n    return told", "load.tip()\n    return len(places)"),
        ("return sys.maxsize > 9", "return True"),
        ('return f"{n:n}"', 'return f"{n:d}"'),
        ("return 1", "return _told()\ndef _told():\n    return len(sys.argv) and 1"),
        ("return decimal.getcontext().prec == 28 and n + 0", "return n * 1"),
    ],
)
def test_what_one_asks_otherwise_is_left_open(old, new):
    assert judged(old, new).status in ("unsettled", "differs")
