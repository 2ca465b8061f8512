"""A silent default made loud: only where it is meant, told with who relies on it; and what stands against it."""

import pytest

import dreck
import dreck.errors

PRICES = 'PRICES = {"glass": 3, "paper": 5}\n\n\n'
GUARD = (
    PRICES
    + """\
def price_of(material, kilos):
    if kilos < 0:
        raise ValueError(kilos)
    if material not in PRICES:
        return 0  # nothing for it
    return PRICES[material] * kilos


def is_free(material):
    return price_of(material, 1) == 0
"""
)


def loud(write, code, function, error="LookupError(material)", **options):
    file = write(code)
    return dreck.untangle(f"{file}::{function}", steps="loud-default", raise_=error, **options)


def test_a_guard_raises_and_all_else_is_proved(write):
    result = loud(write, GUARD, "price_of")
    assert result.source == GUARD.replace("return 0  #", "raise LookupError(material)  #")
    (step,) = result.steps
    assert step.verdict.status == "proved" and step.verdict.expected is not None
    assert "LookupError" in step.verdict.expected.new and "0" in step.verdict.expected.old
    assert "asks `price_of(material, 1) == 0`" in step.reason and not result.refused


def test_without_a_trial_no_input_shows_it(write):
    (step,) = loud(write, GUARD, "price_of", verdict="proved").steps
    assert step.verdict.status == "proved" and step.verdict.expected is None


def test_the_default_of_a_table(write):
    code = PRICES + "def price_of(material):\n    return PRICES.get(material, 0)\n"
    result = loud(write, code, "price_of")
    assert result.source.endswith(
        "    if material not in PRICES:\n        raise LookupError(material)\n    return PRICES[material]\n"
    )
    assert result.steps[0].verdict and result.steps[0].verdict.expected is not None


def test_what_is_left_when_nothing_else_fits(write):
    code = (
        "def line_of(kind):\n    if kind == 'glass':\n        n = 1\n    elif kind == 'paper':\n        n = 2\n"
        "    else:\n        n = 0\n    return n\n"
    )
    result = loud(write, code, "line_of", "LookupError(kind)", on="else")
    assert result.source == code.replace("n = 0", "raise LookupError(kind)")
    assert loud(write, code, "line_of", "LookupError(kind)").source == result.source  # the others have keys
    several = loud(write, code.replace("kind == 'paper'", "kind.wet"), "line_of", "LookupError(kind)")
    assert not several.steps and "several defaults; say which" in several.refused[0].reason
    assert "--on else" in several.refused[0].reason


def test_what_stands_against_it_is_told(write):
    asked = dreck.untangle(write(GUARD), steps="loud-default").refused
    assert any("say what to raise: --raise" in r.reason for r in asked)
    (unknown,) = loud(write, GUARD, "price_of", "LookupError(stuff)").refused
    assert "stuff is not known there" in unknown.reason
    (elsewhere,) = loud(write, GUARD, "price_of", on="kilos > 3").refused
    assert "no silent default stands behind kilos > 3" in elsewhere.reason
    assert "--on 'material not in PRICES'" in elsewhere.reason


def test_nothing_but_the_block_named_may_change(write, monkeypatch):
    """A step that changed more than it says is found out."""
    from dreck.steps.replace import loud_default

    planned = loud_default._planned

    def wrong(scene, default):
        from dataclasses import replace

        plan = planned(scene, default)
        return replace(plan, text=plan.text.replace("* kilos", "+ kilos"))

    monkeypatch.setattr(loud_default, "_planned", wrong)
    (refused,) = loud(write, GUARD, "price_of").refused
    assert "more than one block is another" in refused.reason


SPELT = [
    ("not (load.wet or load.hot)", "is_fine = not load.wet and not load.hot"),
    ("not load.wet and not load.hot", "is_fine = not load.wet and not load.hot"),
    ("10 < load.kilos", "is_fine = load.kilos > 10"),
    ("not load.kilos <= 10", "is_fine = load.kilos > 10"),
]
NEAR = [
    (
        "load.wet or load.hot",
        "it stands there the other way round; name that: --name 'not load.wet and not load.hot=NAME'",
    ),
    ("load.kilos <= 10", "it stands there the other way round; name that: --name 'load.kilos > 10=NAME'"),
    ("load.hot and load.wet", "the target; near it is `not load.wet and not load.hot`"),
    ("gate.is_open", "nothing like `gate.is_open` stands in the target"),
]
SPELT_CODE = """
def f(load):
    if not load.wet and not load.hot:
        return 1
    if load.kilos > 10:
        return 2
    return 3
"""


@pytest.mark.parametrize(("wish", "line"), SPELT)
def test_a_condition_is_found_however_it_is_spelt(write, wish, line):
    found = dreck.untangle(write(SPELT_CODE), steps="named-predicate", names={wish: "is_fine"}, assume=["total-order"])
    assert f"    {line}\n" in found.source


@pytest.mark.parametrize(("wish", "told"), NEAR)
def test_what_is_near_is_told(write, wish, told):
    with pytest.raises(dreck.errors.DreckError) as error:
        dreck.untangle(write(SPELT_CODE), steps="named-predicate", names={wish: "is_fine"})
    assert told in str(error.value)
