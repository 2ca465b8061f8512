"""Outcomes that no member of an enum reaches, as far as an annotation holds."""

from pathlib import Path

import pytest

from dreck.workbench.compare.compare import compare_texts
from dreck.workbench.compare.sides import Text
from dreck.workbench.compare.wanted import Wanted

STAGES = """from enum import Enum


class Stage(Enum):
    A = 1
    B = 2


def f(stage: Stage, n):
    if stage is Stage.A:
        return n
    elif stage is Stage.B:
        return 0
    {}
"""


@pytest.mark.parametrize(
    ("last", "status"), [("raise ValueError(stage)", "tested"), ("raise KeyError(stage)", "unsettled")]
)
def test_what_stands_behind_all_members_is_excused_only_where_it_is_as_it_was(last, status):
    new = STAGES.format(last).replace("return 0", 'return int("0")')
    old = STAGES.format("raise ValueError(stage)")
    found = compare_texts(*(Text(Path("yard.py"), text, "f") for text in (old, new)), Wanted()).verdict
    assert found.status == status
