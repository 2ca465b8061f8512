"""A trial leaves open what one version asks more often, where a class of the files has a say in it."""

from pathlib import Path

import pytest

from dreck.workbench.compare.compare import compare_texts
from dreck.workbench.compare.sides import Text
from dreck.workbench.compare.wanted import Wanted

HEAD = """\
class Bin:
    size = 3

    def __init__(self, rows):
        self.rows = rows

    @property
    def first(self):
        return next(self.rows)

    @property
    def plain(self):
        return self.rows

    def __len__(self):
        return len(list(self.rows))
"""


def judged(old: str, new: str, head: str = "def f(load, n: int, own: Bin):"):
    sides = (Text(Path("yard.py"), f"{HEAD}{head}\n    {body}\n") for body in (old, new))
    return compare_texts(*sides, Wanted(assume=("quiet-tests",))).verdict


@pytest.mark.parametrize(
    ("old", "new"),
    [
        ("return load.first, n + 0", "return load.first, n * 1"),
        ("return load.plain, load.plain, n + 0", "rows = load.plain\n    return rows, rows, n * 1"),
        ("return 1 if load and n + 0 else 2", "if not load:\n        return 2\n    return 1 if n * 1 else 2"),
        ("return not (load and n > 2), n + 0", "return not (load and n > 2), n * 1"),
    ],
)
def test_what_is_asked_as_often_is_no_matter(old, new):
    verdict = judged(old, new)
    assert verdict.status in ("tested", "proved"), str(verdict)


@pytest.mark.parametrize(
    ("old", "new", "told"),
    [
        ("return load.first, load.first, n + 0", "one = load.first\n    return one, one, n * 1", "`.first`"),
        ("return len(load) + len(load) + n", "return 2 * len(load) + n", "a length"),
        (
            "return not (load and n > 2), n + 0",
            "if load and n > 2:\n        return False, n + 0\n    return True, n + 0",
            "truth",
        ),
        ("kept = load or n\n    return 1 if kept else 2", "return 1 if load or n else 2", "truth"),
    ],
)
def test_what_one_asks_more_often_is_left_open(old, new, told):
    verdict = judged(old, new)
    assert verdict.status == "unsettled", str(verdict)
    assert told in str(verdict)


def test_what_a_default_reads_in_its_class_is_left_open():
    body = "    def f(self, load, n=size):\n        return load.tip(n) and {}\n"
    texts = (HEAD.replace("size = 3", f"size = {size}") + body.format(test) for size, test in ((3, "n"), (4, "(n)")))
    verdict = compare_texts(*(Text(Path("yard.py"), text) for text in texts), Wanted()).verdict
    assert verdict.status != "tested", str(verdict)
