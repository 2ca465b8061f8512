"""What functions decide: ways through, switches, spans, silhouettes."""

import ast

import pytest

from dreck.model.views.decided import Known
from dreck.model.views.measures import measure, silhouette
from dreck.model.views.switches import Span, switches, tables_of
from dreck.model.views.walking import ways_through
from dreck.source.functions import functions_in
from tests.conftest import YARD


def function(code):
    tree = ast.parse(code)
    return functions_in(tree, code)[0].node, tree


def ways(code, given=None):
    return ways_through(function(code)[0], ast.parse(given, mode="eval").body if given else None)


def rows(table):
    return [(tuple(way.asked), way.acts, way.exit) for way in table.ways]


def test_operands_are_asked_one_by_one():
    table = ways("def f(a, b):\n    if a and not b:\n        return 1\n    return 2\n")[0]
    assert rows(table) == [
        ((("a", True), ("b", True)), (), "return 2"),
        ((("a", True), ("b", False)), (), "return 1"),
        ((("a", False),), (), "return 2"),
    ]


@pytest.mark.parametrize(
    ("code", "exits", "impossible"),
    [
        ("if k == 'a':\n        x = 1\n    if k == 'b':\n        return 2\n    return 3", ["return 3", "return 2", "return 3"], 1),
        ("if k > 5:\n        pass\n    if k > 3:\n        return 1\n    return 2", ["return 1", "return 1", "return 2"], 1),
        ("n = 0\n    if n > 0:\n        return 1\n    return n", ["return 0"], 1),
        ("if k:\n        k = g()\n    if k:\n        return 1\n    return 2", ["return 1", "return 2", "return 2"], 1),
    ],
)  # fmt: skip
def test_ways_that_contradict_themselves_are_left_out(code, exits, impossible):
    table = ways(f"def f(k):\n    {code}\n")[0]
    assert [way.exit for way in table.ways] == exits
    assert table.impossible == impossible


def test_what_does_not_matter_is_any():
    table = ways(
        "def f(a, b):\n    if a:\n        if b:\n            x = 1\n        else:\n            x = 1\n        return x\n    return 0\n"
    )[0]
    assert rows(table)[0] == ((("a", True), ("b", None)), (), "return 1")
    assert len(table.ways) == 2


def test_loops_and_handlers_have_tables_and_rows():
    tables = ways(
        "def f(xs):\n    try:\n        for x in xs:\n            if x:\n                return x\n    except OSError:\n        return 0\n    return 1\n"
    )
    assert [t.title for t in tables] == ["", "try for x in xs", "for x in xs"]
    assert sorted((w.exit for w in tables[0].ways), key=["return x", "return 0", "return 1"].index) == [
        "return x",
        "return 0",
        "return 1",
    ]
    assert ("OSError comes up", True) in [pair for way in tables[1].ways for pair in way.asked]
    assert [w.exit for w in tables[2].ways] == ["return x", "goes round again"]


def test_match_is_a_row_a_case():
    table = ways(
        "def f(k):\n    match k:\n        case 1:\n            return 'a'\n        case _:\n            return 'b'\n"
    )[0]
    assert rows(table) == [((("k is case 1", True),), (), "return 'a'"), ((("k is case 1", False),), (), "return 'b'")]


def test_too_many_ways_are_counted_and_narrowed():
    code = "def f(k, *a):\n" + "".join(f"    if a[{i}]:\n        g({i})\n" for i in range(12)) + "    return 1\n"
    table = ways(code)[0]
    assert not table.ways and table.count >= 4096
    ladder = (
        "def f(k):\n" + "".join(f"    if k == 'c{i}':\n        return {i}\n" for i in range(20)) + "    return 99\n"
    )
    assert len(ways(ladder)[0].ways) == 21
    assert [way.exit for way in ways(ladder, "k == 'c7'")[0].ways] == ["return 7"]


@pytest.mark.parametrize(
    ("body", "by", "kinds", "default", "form"),
    [
        ("if k == 'a':\n        return 1\n    elif k in ('b', 'c'):\n        return 2", "value", ("'a'", "'b'", "'c'"), "", "if"),
        ("if k == 1:\n        return 1\n    if 2 == k:\n        return 2\n    return 3", "value", ("1", "2"), "after", "if"),
        ("if isinstance(k, Bale):\n        x = 1\n    elif isinstance(k, (Drum, Heap)):\n        x = 2\n    else:\n        x = 3", "type", ("Bale", "Drum", "Heap"), "else", "if"),
        ("if type(k) is Bale:\n        return 1\n    elif k.__class__.__name__ == 'Drum':\n        return 2", "type", ("Bale", "Drum"), "", "if"),
        ("match k:\n        case Kind.A | Kind.B:\n            return 1\n        case Kind.C:\n            return 2", "value", ("Kind.A", "Kind.B", "Kind.C"), "", "match"),
        ("match k:\n        case Bale():\n            return 1\n        case _:\n            return 2\n    if k == 1 or k == 2:\n        pass", "value", ("1", "2"), "", "if"),
        ("return TABLE[k]", "value", ("'a'", "'b'"), "KeyError", "table"),
        ("return {1: 'x', 2: 'y'}.get(k)", "value", ("1", "2"), "get", "table"),
        ("x = 1\n    if k == 'a' and x:\n        x = 2\n    y()\n    if k == 'b':\n        x = 3", "value", ("'a'", "'b'"), "", "scattered"),
        ("if k == 'a':\n        x = 1\n    else:\n        if k == 'b':\n            x = 2\n        else:\n            x = 3", "value", ("'a'", "'b'"), "else", "if"),
    ],
)  # fmt: skip
def test_switches_in_every_form(body, by, kinds, default, form):
    node, tree = function(f"TABLE = {{'a': 1, 'b': 2}}\ndef f(k):\n    {body}\n")
    (found,) = [s for s in switches(node, tables_of(tree)) if s.by == by]
    assert (found.kinds, found.default, found.form) == (kinds, default, form)


@pytest.mark.parametrize(
    ("a", "b", "left"),
    [
        (Span(), Span(high=5, high_in=False), ["k >= 5"]),
        (Span(0, 10), Span(3, 4), ["0 <= k < 3", "4 < k <= 10"]),
        (Span(0, 10), Span(low=20), ["0 <= k <= 10"]),
        (Span(high=100, high_in=False), Span(), []),
        (Span(low=100), Span(low=100, low_in=False), ["k == 100"]),
    ],
)
def test_spans_leave_what_they_do_not_take(a, b, left):
    assert [part.told("k") for part in a.without(b)] == left


def test_the_silhouette_is_as_large_as_the_tangle():
    for file in YARD.glob("*.py"):
        text = file.read_text()
        for f in functions_in(ast.parse(text), text):
            assert sum(silhouette(f.node).values()) == measure(f.node).tangle


def test_what_a_statement_may_do_is_kept_with_the_statement():
    """Not under its place in memory: that is another statement's when it is gone."""
    code = "def f(self, n):\n    if self.s:\n        if ask(n):\n            a = 1\n    if self.c:\n        if n.b:\n            if self.c:\n                b = 2\n"
    known = Known(function(code)[0])
    assert [line for _, _, line, _, _ in known.settled()] == [7]
    assert known.effects and all(isinstance(s, ast.stmt) for s in known.effects)
