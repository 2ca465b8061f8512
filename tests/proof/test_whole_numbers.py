"""Sums of whole numbers: one form for what is the same, and never the same for what is not."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import dreck

HEAD = "def f(a: int, b: int, c: int):\n    return "
ATOMS = st.sampled_from(["a", "b", "c", "0", "1", "2", "-1", "3"])
SUMS = st.recursive(
    ATOMS,
    lambda inner: st.one_of(
        st.tuples(inner, st.sampled_from(["+", "-"]), inner).map(lambda t: f"({t[0]} {t[1]} {t[2]})"),
        st.tuples(st.sampled_from(["2", "-1", "0", "3"]), inner).map(lambda t: f"({t[0]} * {t[1]})"),
        inner.map(lambda one: f"(-{one})"),
    ),
    max_leaves=6,
)
POINTS = [(3, 5, 7), (-2, 11, 0), (1, 1, 1), (0, 0, 0), (101, -37, 13)]


@settings(max_examples=30, deadline=None)
@given(SUMS, SUMS)
def test_proved_exactly_when_they_are_one_sum(one, other):
    outcomes = [[eval(e, {"a": a, "b": b, "c": c}) for a, b, c in POINTS] for e in (one, other)]
    alike = [(type(v), v) for v in outcomes[0]] == [(type(v), v) for v in outcomes[1]]
    verdict = dreck.compare(f"{HEAD}{one}\n", f"{HEAD}{other}\n", assume=["exact-ints"])
    assert (verdict.status == "proved") is alike, (one, other, str(verdict))


NOT_SUMS = {
    "a float has a negative zero": ("a: float", "a + 0", "a"),
    "a bool may be passed": ("a: int", "a + 0", "a"),
    "a bool becomes an int": ("a: bool", "a + 0", "a"),
    "the type of an int is asked for": ("a: int", "a is True", "False"),
    "a text is added, too": ("a: str", "a + a", "2 * a"),
    "nothing is said of it": ("a", "a + 0", "a"),
    "int may be another class": ("a: int", "a + 0", "a"),
}


@pytest.mark.parametrize("name", NOT_SUMS)
def test_not_where_it_may_be_something_else(name):
    parameter, one, other = NOT_SUMS[name]
    head = "class int:\n    def __add__(self, other):\n        return 5\n\n" if "another class" in name else ""
    codes = [f"{head}def f({parameter}):\n    return {code}\n" for code in (one, other)]
    assert dreck.compare(*codes).status != "proved"
