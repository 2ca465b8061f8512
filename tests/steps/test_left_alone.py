"""What stays as it is although a step applies, unless it is asked for by name; and what of it is not held back."""

from pathlib import Path

import pytest

import dreck

STAYS = {
    part.partition("\n")[0]: part.partition("\n")[2]
    for part in (Path(__file__).parent / "leave" / "stays.txt").read_text().split("=== ")[1:]
}


@pytest.mark.parametrize("name", STAYS)
def test_it_stays(write, name):
    result = dreck.untangle(write(STAYS[name]), verdict="proved")
    assert result.diff == ""


def test_asked_for_by_name_it_is_done(straighten):
    code = STAYS["an optional addition behind the main work"]
    assert "if not self.told:" in straighten(code, "guard-clauses").source


def test_the_exception_is_told_first_although_both_leave(straighten):
    code = """
    def f(load):
        if load.ok:
            return load.book()
        else:
            raise ValueError(load)
    """
    assert "if not load.ok:\n        raise" in straighten(code).source


def test_a_comment_that_fits_the_guard_holds_nothing_back(straighten):
    code = """
    def f(load, permit):
        # nobody gets in without papers
        if permit is not None:
            load.weigh()
            load.store()
            load.sell()
            return load.fee()
        else:
            return None
    """
    assert "# nobody gets in without papers\n    if permit is None:" in straighten(code).source


@pytest.mark.parametrize("code", ["x = True\n    else:\n        x = False", "x = False\n    else:\n        x = True"])
def test_true_if_c_else_false_is_never_written(straighten, code):
    source = straighten(f"def f(load):\n    if load.fee():\n        {code}\n    return [x]\n").source
    assert "True if" not in source and "False if" not in source


def test_no_negation_stands_before_a_whole(straighten):
    code = """
    def f(load, yard):
        if (n := load.count()) > 3 and n < yard.limit(n):
            load.weigh()
            load.store()
            load.sell()
            load.fee()
        else:
            raise ValueError
    """
    assert "not (" not in straighten(code).source
