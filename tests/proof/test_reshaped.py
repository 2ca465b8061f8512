"""Classes that are another thing in the new version count for functions that only come upon their objects."""

import pytest

import dreck

RECORD = "from dataclasses import dataclass\n@dataclass{}\nclass Load:\n    kilos: int\n    kind: str\n"
OTHER_WAY = "from dataclasses import dataclass\n@dataclass{}\nclass Load:\n    kind: str\n    kilos: int\n"
TUPLE = "from typing import NamedTuple\nclass Load(NamedTuple):\n    {}: int\n    {}: int\n"
FIELD = "class Gate:\n    width = {}\n"
BASES = (
    "class Open:\n    def go(self):\n        return 1\nclass Shut:\n    def go(self):\n        return 2\n"
    "class Gate({}):\n    pass\n"
)
ABOVE = "class Load:\n    pass\nclass Heavy({}):\n    pass\nclass Bale(Heavy):\n    pass\n"
ERRORS = "class Bad(Exception):\n    pass\nclass Worse({}):\n    pass\n"
ELSEWHERE = "from yard import Open, Shut\nclass Gate({}):\n    pass\n"
SLOTS = "class Gate:\n    __slots__ = {}\n"
PATTERNS = "class Gate:\n    __match_args__ = {}\n"
INSIDE = "class Yard:\n    class Gate:\n        width = {}\n"
HOOK = "import abc\nclass Gate(abc.ABC):\n    @classmethod\n    def __subclasshook__(cls, kind):\n        return hasattr(kind, {})\n"
OLD = "def f(one, two):\n    if {test}:\n        return one\n    return two\n"
NEW = "def f(one, two):\n    if not ({test}):\n        return two\n    return one\n"


@pytest.mark.parametrize(
    ("before", "after", "test"),
    [
        (RECORD.format("(order=True)"), OTHER_WAY.format("(order=True)"), "one < two"),
        (RECORD.format(""), RECORD.format("(eq=False)"), "one == two"),
        (RECORD.format("(frozen=True)"), RECORD.format(""), "hash(one) > 3"),
        (TUPLE.format("kilos", "fee"), TUPLE.format("fee", "kilos"), "[*one][0]"),
        (FIELD.format(1), FIELD.format(2), "one.width > 1"),
        (BASES.format("Open"), BASES.format("Shut"), "one.go()"),
        (ABOVE.format("Load"), ABOVE.format(""), "isinstance(one, Load)"),
        (ELSEWHERE.format("Open"), ELSEWHERE.format("Shut"), "one.width"),
        (SLOTS.format("('a',)"), SLOTS.format("('a', 'b')"), "setattr(one, 'b', two)"),
        (INSIDE.format(1), INSIDE.format(2), "one.width > 1"),
        (HOOK.format("'go'"), HOOK.format("'stop'"), "isinstance(one, Gate)"),
    ],
)
def test_objects_of_a_class_that_is_another_thing(before: str, after: str, test: str):
    told = [before + OLD.format(test=test), after + NEW.format(test=test)]
    assert dreck.compare(*told, only="f", trial=False).status == "unsettled"
    quiet = "def f(one, two):\n    return {}\n"
    told = [before + quiet.format("(one, two)"), after + quiet.format("one, two")]
    assert dreck.compare(*told, only="f", trial=False).status == "proved"


def test_what_a_handler_takes_rests_on_what_derives_from_it():
    old = "def f(go):\n    try:\n        return go()\n    except Bad:\n        return None\n"
    new = "def f(go):\n    try:\n        found = go()\n    except Bad:\n        return None\n    return found\n"
    told = [ERRORS.format("Bad") + old, ERRORS.format("Exception") + new]
    assert dreck.compare(*told, only="f", trial=False).status == "unsettled"
    assert dreck.compare(told[0], ERRORS.format("Bad") + new, only="f", trial=False).status == "proved"


def test_a_pattern_rests_on_the_order_of_what_it_takes_apart():
    old = "def f(one):\n    match one:\n        case Gate(width, height):\n            return width\n    return None\n"
    told = [PATTERNS.format("('a', 'b')") + old, PATTERNS.format("('b', 'a')") + old]
    assert dreck.compare(*told, only="f", trial=False).status == "unsettled"


def test_fields_that_nobody_reads_do_not_count():
    told = [FIELD.format(1) + OLD.format(test="one.height > 1"), FIELD.format(2) + NEW.format(test="one.height > 1")]
    assert dreck.compare(*told, only="f", trial=False).status == "proved"
