"""Conditions by the solver: what it proves of whole numbers, and what it must not. Skipped where it is not installed."""

import itertools

import pytest

import dreck
from dreck.proof.solver import solver_module

pytestmark = pytest.mark.skipif(solver_module() is None, reason="the solver is not installed")

HEAD = "def f(a: int, b: int, c: int, xs: list):\n    if {}:\n        return 1\n    return 2\n"
SAME = {
    "three in a row": ("a < b and b < c", "a < b and b < c and a < c"),
    "one more is at least": ("a > b", "a >= b + 1"),
    "a half": ("a // 2 == 3", "6 <= a < 8"),
    "rounds down below zero": ("a // 2 == -1", "-2 <= a < 0"),
    "divided by less than nothing": ("a // -2 == 1", "-3 <= a <= -2"),
    "a remainder": ("a % 2 == 0", "not a % 2 == 1"),
    "a remainder is never negative": ("a % 3 >= 0 and b > 1", "b > 1"),
    "the sign of the divisor": ("a % -3 > 0 or b > 1", "b > 1"),
    "twice as much": ("2 * a > 9", "a >= 5"),
    "a sum on either side": ("a + b > c", "a > c - b"),
    "no length below nothing": ("len(xs) < 1", "len(xs) == 0"),
    "neither less nor more": ("a <= b and b <= a", "a == b"),
    "between two": ("a > 4 and a < 6", "a == 5"),
    "one of three": ("a in (1, 2, 3)", "0 < a < 4"),
    "two limits": ("a > 5 or a < 3", "not (3 <= a <= 5)"),
    "a truth is a number": ("a and b > 1", "a != 0 and b > 1"),
}


@pytest.mark.parametrize("name", SAME)
def test_proved_with_the_solver(name):
    one, other = SAME[name]
    assert str(dreck.compare(HEAD.format(one), HEAD.format(other), trial=False).status) == "proved"


def test_an_outcome_is_returned():
    texts = [f"def f(a: int):\n    return {code}\n" for code in ("a > 3", "a >= 4")]
    assert dreck.compare(*texts, trial=False).status == "proved"


DIFFERENT = {
    "a half, one off": ("a // 2 == 3", "6 <= a < 9"),
    "truncated": ("a // 2 == -1", "-2 < a < 1"),
    "the remainder's sign": ("a % -3 >= 0 and b > 1", "b > 1"),
    "a product may turn about": ("a * b > 0", "a > 0 and b > 0"),
    "one less": ("a > b", "a >= b + 2"),
    "divided by what may be nothing": ("a // b >= 0 or True", "True"),
}


@pytest.mark.parametrize("name", DIFFERENT)
def test_not_proved_with_the_solver(name):
    one, other = DIFFERENT[name]
    assert dreck.compare(HEAD.format(one), HEAD.format(other), trial=False).status != "proved"


@pytest.mark.parametrize("parameter", ["a: float", "a", "a: str"])
def test_only_of_whole_numbers(parameter):
    texts = [f"def f({parameter}):\n    if {code}:\n        return 1\n    return 2\n" for code in ("a > 3", "a >= 4")]
    assert dreck.compare(*texts, trial=False).status != "proved"


def test_division_and_remainder_are_those_of_python():
    """Each of the solver's readings of `//` and `%` against Python, value by value."""
    for by, value in itertools.product((-3, -2, 2, 3), range(-5, 6)):
        quotient, rest = value // by, value % by
        for code, right in (
            (f"a // {by} == {quotient}", True),
            (f"a % {by} == {rest}", True),
            (f"a // {by} == {quotient + 1}", False),
        ):
            told = f"def f(a: int):\n    if a == {value}:\n        return {{}}\n    return None\n"
            texts = told.format(f"1 if {code} else 2"), told.format(1 if right else 2)
            assert dreck.compare(*texts, trial=False).status == "proved", (code, value)


@pytest.mark.parametrize(
    "code", ["a // b == 2", "a / 2 == 1", "a == (b > c) / 1", "a % (b - b) == 0", "a ** 2 == 4", "-a // c > 0"]
)
def test_what_it_is_not_asked_about_is_left_open(code):
    head = "def f(a: int, b: int, c: int):\n    if {}:\n        return 1\n    if {}:\n        return {}\n    return 3\n"
    assert (
        dreck.compare(head.format(code, "a > b", 2), head.format(code, "a >= b + 1", 2), trial=False).status == "proved"
    )
    assert dreck.compare(head.format(code, "a > b", 2), head.format(code, "a > b", 4), trial=False).status != "proved"
