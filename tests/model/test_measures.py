"""Measures: the tangle is the area of the silhouette."""

import ast
import textwrap

import pytest

from dreck.model.views.measures import lines_of_thought, measure

CASES = {
    "straight": ("a()\nb()", 0, 0, 1, 0),
    "one test": ("if x:\n    a()\n    b()", 2, 1, 2, 1),
    "a guard that has left": ("if x:\n    return\na()\nb()", 1, 1, 2, 1),
    "else holds one too": ("if x:\n    a()\nelse:\n    b()", 2, 1, 2, 1),
    "elif holds one, not two": ("if x:\n    a()\nelif y:\n    b()\nelif z:\n    c()", 3, 1, 4, 1),
    "nested": ("if x:\n    if y:\n        a()", 3, 2, 3, 1),
    "operands add at their line": ("if x and (y or not z):\n    a()", 3, 1, 2, 3),
    "loops hold none": ("for i in x:\n    a()\n    b()", 0, 1, 2, 0),
    "while holds its test": ("while x:\n    a()", 1, 1, 2, 1),
    "conditional expression": ("return a if x else b", 1, 0, 1, 1),
    "filter": ("return [a for a in b if a if c]", 2, 0, 1, 1),
    "match": ("match x:\n    case 1:\n        a()\n    case _:\n        b()", 2, 2, 2, 0),
    "try holds none": ("try:\n    a()\nexcept E:\n    b()", 0, 1, 2, 0),
    "a call over three lines": ("if x:\n    a(\n        1,\n    )", 3, 1, 2, 1),
    "exits inside a loop": ("for i in x:\n    if y:\n        continue\n    return i", 1, 2, 3, 1),
}


@pytest.mark.parametrize(("code", "tangle", "depth", "ways", "longest"), CASES.values(), ids=CASES)
def test_measures(code, tangle, depth, ways, longest):
    text = "def f(x, y, z):\n" + textwrap.indent(code, "    ")
    node = ast.parse(text).body[0]
    for lines in (None, text.splitlines(keepends=True)):
        found = measure(node, lines)
        assert (found.tangle, found.depth, found.ways, found.longest_test) == (tangle, depth, ways, longest)


def test_a_docstring_is_no_code():
    plain = ast.parse("def f():\n    a()").body[0]
    told = ast.parse('def f():\n    """Words.\n\n    More."""\n    a()').body[0]
    assert measure(plain).lines == measure(told).lines == 2


def test_lines_of_thought():
    late = ast.parse("def f(x):\n    r = 1\n    if x:\n        r = 2\n    return r").body[0]
    early = ast.parse("def f(x):\n    if x:\n        return 2\n    return 1").body[0]
    assert lines_of_thought(late).longest == 4
    assert lines_of_thought(early).longest == 2
    assert lines_of_thought(early).mean < lines_of_thought(late).mean
