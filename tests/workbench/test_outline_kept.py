"""What is known of a text's outlines is told again, as long as the text and those beside it are the same."""

import shutil
from concurrent.futures import ThreadPoolExecutor

import pytest

from dreck.errors import BadSource
from dreck.workbench.queries import outline
from dreck.workbench.queries.outline import outlines
from tests.conftest import YARD

BESIDE = "from enum import Enum\n\nclass Kind(Enum):\n    GLASS = 1\n    PAPER = 2\n"
SWITCH = (
    "from kinds import Kind\n\ndef fee(kind: Kind):\n    if kind == Kind.GLASS:\n        return 1\n"
    "    elif kind == Kind.PAPER:\n        return 2\n"
)


@pytest.fixture
def worked_out(tmp_path, monkeypatch):
    """The functions that were looked into, and not told from before."""
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    monkeypatch.delenv("DRECK_NO_CACHE", raising=False)
    found, before = [], outline._outlined
    monkeypatch.setattr(outline, "_outlined", lambda *given: (found.append(given[2].name), before(*given))[1])
    return found


def test_the_second_time_nothing_is_worked_out(tmp_path, worked_out):
    shutil.copytree(YARD, tmp_path / "yard")
    first = outlines(tmp_path / "yard")
    count = len(worked_out)
    assert count == len(first) > 10
    assert outlines(tmp_path / "yard") == first and len(worked_out) == count
    assert [o.as_json() for o in outlines(tmp_path / "yard", cache=False)] == [o.as_json() for o in first]
    assert len(worked_out) == 2 * count


def test_what_stands_beside_counts_also_when_it_comes_later(tmp_path, worked_out):
    (tmp_path / "fees.py").write_text(SWITCH)
    assert "any other value" in outlines(tmp_path / "fees.py")[0].notes[0].text
    for text, notes in ((BESIDE, []), (BESIDE + "    METAL = 3\n", ["hole"]), (BESIDE, [])):
        (tmp_path / "kinds.py").write_text(text)
        for _ in range(2):
            assert [n.kind for n in outlines(tmp_path / "fees.py")[0].notes] == notes
    assert worked_out == ["fee"] * 4


def test_a_condition_given_is_another_question(tmp_path, worked_out):
    (tmp_path / "fees.py").write_text(SWITCH)
    every = outlines(tmp_path / "fees.py")
    some = outlines(tmp_path / "fees.py", "kind == Kind.GLASS")
    assert [len(o.tables[0].ways) for o in (*every, *some)] == [3, 1]
    assert outlines(tmp_path / "fees.py", "kind == Kind.GLASS") == some and worked_out == ["fee", "fee"]


def test_a_file_that_cannot_be_read_is_refused_each_time(tmp_path, worked_out):
    (tmp_path / "fees.py").write_text("def fee(:\n")
    assert outlines(tmp_path) == []
    with pytest.raises(BadSource):
        outlines(tmp_path / "fees.py")


def test_several_processes_tell_the_same(tmp_path, worked_out):
    for i in range(50):
        (tmp_path / f"fees_{i}.py").write_text(SWITCH.replace("fee", f"fee_{i}"))
    alone = outlines(tmp_path, cache=False)
    assert outlines(tmp_path, jobs=2, cache=False) == alone and len(alone) == 50
    with ThreadPoolExecutor(2) as executor:
        assert outlines(tmp_path, executor=executor, cache=False) == alone
