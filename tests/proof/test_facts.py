"""What follows from a decided test, checked against every value: a fact may never settle a test wrongly."""

import ast
import itertools
import math
import operator

import pytest

from dreck.model.ir.terms import Terms
from dreck.model.views.decided import Known
from dreck.proof.conditions import Facts

VALUES = (-2, -1, 0, 0.5, 1, 1.0, True, False, 2, 3, 10, "", "a", "b", None, math.nan, math.inf)
CONSTANTS = (-1, 0, 1, True, 1.5, 2, "", "a", None)
ORDERS = {"lt": operator.lt, "le": operator.le}


def every_test(terms: Terms, x: object) -> list:
    """(term, what it comes to for a value) for every kind of test of `x` against a constant."""
    made = [(terms.make("truth", x), bool)]
    for constant in CONSTANTS:
        c = terms.const(constant)
        made.append((terms.make("eq", x, c), lambda v, c=constant: v == c))
        if constant is None or isinstance(constant, bool):
            made.append((terms.make("is", x, c), lambda v, c=constant: v is c))
        for name, order in ORDERS.items():
            if constant is not None:
                made.append((terms.make(name, x, c), lambda v, c=constant, o=order: o(v, c)))
                made.append((terms.make(name, c, x), lambda v, c=constant, o=order: o(c, v)))
    for members in ((1, 2), ("a", None), (0, "")):
        container = terms.make("tuple", *map(terms.const, members))
        made.append((terms.make("in", x, container), lambda v, m=members: v in m))
    return made


def outcome(test, value):
    try:
        return bool(test(value))
    except TypeError:
        return None


@pytest.mark.parametrize("total", [False, True])
def test_nothing_follows_that_is_not_so(total):
    terms = Terms()
    x = terms.make("param", "x")
    settled = 0
    every = every_test(terms, x)
    for (first, check), (second, asked) in itertools.permutations(every, 2):
        for holds in (True, False):
            facts = Facts()
            facts.assume(first, holds)
            found = facts.decide(second, total)
            if found is None:
                continue
            settled += 1
            for value in VALUES:
                if total and isinstance(value, float) and math.isnan(value):
                    continue
                # Only values for which both tests can be made at all, and the first came out so.
                if outcome(check, value) is holds and outcome(asked, value) is not None:
                    assert outcome(asked, value) is found[0], f"{first} is {holds}, {second}, {value!r}"
    assert settled > 300


def test_two_facts_together():
    terms = Terms()
    x = terms.make("param", "x")
    facts = Facts()
    pair = terms.make("tuple", terms.const(1), terms.const(2))
    facts.assume(terms.make("eq", x, terms.const(1)), False)
    assert facts.decide(terms.make("in", x, pair), False) is None
    facts.assume(terms.make("eq", x, terms.const(2)), False)
    assert facts.decide(terms.make("in", x, pair), False)[0] is False


def test_classes():
    terms = Terms()
    x, a, b = terms.make("param", "x"), terms.make("global", "A"), terms.make("global", "B")
    facts = Facts()
    facts.assume(terms.make("isinstance", x, a), False)
    assert facts.decide(terms.make("isinstance", x, b), False) is None
    both = terms.make("tuple", a, b)
    assert facts.decide(terms.make("isinstance", x, both), False) is None
    facts.assume(terms.make("isinstance", x, b), False)
    assert facts.decide(terms.make("isinstance", x, both), False)[0] is False


NUMBERS = (
    "x < 0",
    "x < 2",
    "x <= 2",
    "x > 1",
    "x >= 1",
    "x == 1",
    "x != 1",
    "x == 2",
    "x is None",
    "x is not None",
    "x",
    "not x",
)


def test_settled_tests_of_the_step_are_settled():
    """`known-test` proposes only what no number contradicts; the judge has the last word on everything else."""
    proposed = 0
    for first, second in itertools.product(NUMBERS, repeat=2):
        code = f"def f(x):\n    if {first}:\n        return 1\n    if {second}:\n        return 2\n    return 3\n"
        for _, _, line, settled, _ in Known(ast.parse(code).body[0]).settled():
            assert line == 4
            proposed += 1
            for value in (-1, 0, 0.5, 1, 1.5, 2, 3):
                if not eval(first, {"x": value}):
                    assert bool(eval(second, {"x": value})) is settled, code
    assert proposed >= 20


KEPT = {
    "assigned between": "if x:\n    x = g()\nif x:\n    return 1",
    "a call between, and an attribute": "if x.a:\n    return 1\ng()\nif x.a:\n    return 2",
    "a loop between": "if x.a:\n    return 1\nfor y in z:\n    pass\nif x.a:\n    return 2",
    "in a loop that assigns": "if x == 1:\n    return 1\nwhile g():\n    if x == 1:\n        return 2\n    x = g()",
    "the branch does not leave": "if x == 1:\n    g()\nif x == 1:\n    return 2",
    "asked by a call": "if g(x):\n    return 1\nif g(x):\n    return 2",
    "a walrus": "if (x := g()):\n    return 1\nif x:\n    return 2\nif (x := g()):\n    return 3",
}


@pytest.mark.parametrize("code", KEPT.values(), ids=KEPT)
def test_not_settled(code):
    lines = "".join(f"    {line}\n" for line in code.splitlines())
    found = Known(ast.parse(f"def f(x, z):\n{lines}").body[0]).settled()
    assert not found


def test_what_is_among_others_says_nothing_of_the_others_as_a_whole():
    """`x in ("a", "b")` is also a fact that mentions the tuple; the tuple itself is neither of the two."""
    terms = Terms()
    x, a, b = terms.make("param", "x"), terms.const("a"), terms.const("b")
    both = terms.make("tuple", a, b)
    facts = Facts()
    facts.assume(terms.make("in", x, both), True)
    facts.assume(terms.make("eq", both, b), False)
    assert facts.decide(terms.make("eq", both, a), False) is None
    facts.assume(terms.make("eq", x, b), False)
    assert facts.decide(terms.make("eq", x, a), False)[0] is True
