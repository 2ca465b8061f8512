"""Files in which nothing was found to straighten are not gone through again, as long as nothing has changed."""

import pytest

import dreck
import dreck.workbench.engine.flattening as engine

STRAIGHT = "def fee(kilos):\n    if kilos > 3:\n        return 2\n    return 1\n"
TANGLED = "def fee(kilos):\n    if kilos > 3:\n        return 2\n    else:\n        return 1\n"
REFUSED = "class Bin:\n    def __eq__(self, other):\n        print(other)\n        return True\ndef f(a, b):\n    x = 0\n    if a == b:\n        x = 1\n    if not a == b:\n        x = 2\n    return x\n"


@pytest.fixture
def worked(monkeypatch, tmp_path):
    """The functions that were gone through."""
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    names = []
    straighten = engine.straighten
    monkeypatch.setattr(engine, "straighten", lambda *args: names.append(args[1].name) or straighten(*args))
    return names


@pytest.fixture
def yard(tmp_path):
    file = tmp_path / "yard.py"
    file.write_text(STRAIGHT)
    return file


def test_a_straight_file_is_gone_through_once(yard, worked):
    first, again = dreck.untangle(yard), dreck.untangle(yard)
    assert worked == ["fee"]
    assert again.functions == first.functions and again.files[0].new == STRAIGHT
    assert again.as_json() == first.as_json()


def test_a_file_with_a_step_is_worked_on_each_time(yard, worked):
    yard.write_text(TANGLED)
    for _ in range(2):
        assert [taken.verdict.status for taken in dreck.untangle(yard).steps] == ["proved"]
    assert worked == ["fee", "fee"]


@pytest.mark.parametrize(
    "change",
    [
        lambda yard: yard.write_text(STRAIGHT + "\n"),
        lambda yard: (yard.parent / "pyproject.toml").write_text("[tool.dreck]\ndoubt = ['total-order']\n"),
    ],
    ids=["its text", "the project's settings"],
)
def test_it_is_gone_through_again_when_something_changes(change, yard, worked):
    dreck.untangle(yard)
    change(yard)
    dreck.untangle(yard)
    assert worked == ["fee", "fee"]


@pytest.mark.parametrize(
    "asked", [{"cache": False}, {"verdict": "proved"}, {"assume": "total-order"}, {"steps": "elif-chain"}]
)
def test_it_is_gone_through_again_when_something_else_is_asked(asked, yard, worked):
    dreck.untangle(yard)
    dreck.untangle(yard, **asked)
    assert worked == ["fee", "fee"]


def test_a_function_alone_is_always_gone_through(yard, worked):
    dreck.untangle(yard)
    dreck.untangle(f"{yard}::fee")
    assert worked == ["fee", "fee"]


def test_what_is_refused_without_a_trial_is_told_again(yard, worked):
    yard.write_text(REFUSED)
    first, again = (dreck.untangle(yard, steps=(), verdict="proved") for _ in range(2))
    assert [f.refused for f in again.functions] == [f.refused for f in first.functions]
