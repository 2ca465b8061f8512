"""Changes to conditions, the changed region, ways and their names, expectations, parameters with other names."""

import ast
from pathlib import Path

import pytest

from dreck.errors import DreckError
from dreck.model.names.modules import ModuleNames
from dreck.trial.running.expectation import knows, outside, parsed
from dreck.trial.running.loading.swap import code_of, swapped
from dreck.trial.running.region import changed_lines
from dreck.trial.running.renaming import other_names, renamed
from dreck.trial.running.ways import condition, way_name
from dreck.trial.strength import changes
from dreck.workbench.compare.compare import compare_texts
from dreck.workbench.compare.sides import Text
from dreck.workbench.compare.wanted import Wanted


def function(code):
    return ast.parse(code).body[0]


@pytest.mark.parametrize(
    ("test", "told"),
    [
        ("a", ["`a` flipped", "`a` always true", "`a` always false"]),
        ("a > 5", ["`a > 5` flipped", "`a > 5` always true", "`a > 5` always false", "as `a >= 5`", "as `a > 6`"]),
        ("a in (1, 2)", ["flipped", "always true", "always false", "as `a in (2,)`", "as `a in (1,)`"]),
        ("a and b", ["flipped", "always true", "always false", "`a` dropped", "`a` flipped", "`b` dropped", "`b` flipped"]),
        ("not a <= 0.5", ["flipped", "always true", "always false", "as `a < 0.5`", "as `a <= 1.5`"]),
        ("3 < a < 9", ["flipped", "always true", "always false", "as `3 <= a < 9`", "as `3 < a <= 9`", "as `4 < a < 9`", "as `3 < a < 10`"]),
        ("a == True", ["flipped", "always true", "always false"]),
    ],
)  # fmt: skip
def test_one_condition_at_a_time(test, told):
    found = changes(function(f"def f(a, b):\n    if {test}:\n        return 1\n    return 2\n"))
    assert len(found) == len(told)
    assert all(part in change.what and change.line == 2 for change, part in zip(found, told, strict=True))


def test_a_change_is_undone_and_can_be_kept():
    f = function("def f(a):\n    while a > 3:\n        a -= 1\n    return a == 2 or a\n")
    before = ast.unparse(f)
    copies = [ast.unparse(change.copied()) for change in changes(f)]
    assert ast.unparse(f) == before
    assert len(set(copies)) == len(copies) and before not in copies


def test_a_live_function_runs_the_change_and_then_itself_again():
    class_code = "class Yard:\n    def __weigh(self):\n        return 7\n    def kilos(self, a):\n        return self.__weigh() + (a > 3)\n"
    tree = ast.parse(class_code)
    space = {}
    exec(compile(tree, "yard.py", "exec"), space)
    method = tree.body[0].body[1]
    flipped = next(
        c
        for c in changes(ast.parse(class_code.replace("+ (a > 3)", "if a > 3 else 0")).body[0].body[1])
        if "flipped" in c.what
    )
    yard = space["Yard"]()
    with swapped(space["Yard"].kilos, code_of(tree, "yard.py", method, flipped.copied())):
        assert (yard.kilos(5), yard.kilos(1)) == (0, 7)
    assert yard.kilos(5) == 8


@pytest.mark.parametrize(
    ("old", "new", "lines"),
    [
        ("if a:\n        return 1\n    return g(b)", "if a:\n        return 1\n    return h(b)", ({4}, {4})),
        ("if a:\n        return 1\n    if b:\n        return 2\n    return 3", "if a:\n        return 1\n    if not b:\n        return 3\n    return 2", ({4, 5, 6}, {4, 5, 6})),
        ("for x in a:\n        if x:\n            g(1)\n        h(x)\n    return 1", "for x in a:\n        if x:\n            g(2)\n        h(x)\n    return 1", ({2, 3, 4}, {2, 3, 4})),
        ("return a", "return a", (set(), set())),
        ("x = 1\n    return x", "x = 1\n    y = 2\n    return x", (set(), {3})),
    ],
)  # fmt: skip
def test_the_changed_region(old, new, lines):
    found = changed_lines(function(f"def f(a, b):\n    {old}\n"), function(f"def f(a, b):\n    {new}\n"))
    assert found == (frozenset(lines[0]), frozenset(lines[1]))


@pytest.mark.parametrize(
    ("code", "outcome", "told"),
    [
        ("a > 3", True, "a > 3"),
        ("a > 3", False, "a <= 3"),
        ("not a", False, "a"),
        ("a", False, "not a"),
        ("a in b", False, "a not in b"),
        ("a is None", False, "a is not None"),
        ("f(a)", False, "not f(a)"),
    ],
)
def test_a_condition_as_it_came_out(code, outcome, told):
    assert condition(ast.parse(code, mode="eval").body, outcome) == told


def test_a_way_is_named_by_what_held_and_what_was_asked_last():
    tests = {i: ast.parse(code, mode="eval").body for i, code in enumerate(["a", "b > 3", "c"])}
    assert way_name([(0, False), (1, True), (2, False)], tests) == "b > 3, not c"
    assert way_name([(0, False)], tests) == "not a"
    assert way_name([], tests) == "straight through"
    long = {i: ast.parse(f"some_quite_long_condition_{i}", mode="eval").body for i in range(6)}
    assert len(way_name([(i, True) for i in range(6)], long)) <= 72


def test_an_expectation_cuts_both_short():
    f = function("def f(code, table):\n    return table[code]\n")
    names = ModuleNames(ast.parse("LIMIT = 3\n"))
    assert knows("code not in table", f, names) and knows("len(code) > LIMIT", f, names)
    assert not knows("kind == 3", f, names)
    assert ast.unparse(outside(f, "code not in table")).splitlines()[1:3] == [
        "    if code not in table:",
        "        return None",
    ]
    with pytest.raises(DreckError, match="no Python expression"):
        parsed("code not")


@pytest.mark.parametrize(
    ("old", "new", "names"),
    [
        ("a, b", "x, y", {"x": "a", "y": "b"}),
        ("a, b", "a, y", {"y": "b"}),
        ("a, b", "b, a", {"b": "a", "a": "b"}),
        ("a, b", "a", {}),
        ("a, *, b", "x, *, y", {}),
        ("a, *b", "x, y", {}),
    ],
)
def test_parameters_matched_by_position(old, new, names):
    assert other_names(function(f"def f({old}): pass"), function(f"def f({new}): pass")) == names


def test_names_that_would_clash_are_not_matched():
    assert other_names(function("def f(a): return a"), function("def f(x):\n    a = 1\n    return x + a")) == {}
    made = renamed(function("def f(x):\n    def g(y):\n        nonlocal x\n        x = y\n    return x\n"), {"x": "a"})
    assert "x" not in {n.id for n in ast.walk(made) if isinstance(n, ast.Name)} and "nonlocal a" in ast.unparse(made)


UNNAMED = {
    "a constructor": ("class A:\n    def __init__(self):\n        self.n = {}\ndef f():\n    return A().n\n", "1", "2"),
    "equality": ("class A:\n    def __eq__(self, o):\n        return {}\ndef f(a):\n    return 1 if a == 1 else 2\n", "True", "False"),
    "a truth": ("class A:\n    def __bool__(self):\n        return {}\ndef f(a):\n    return 1 if a else 2\n", "True", "False"),
    "a length": ("class A:\n    def __len__(self):\n        return {}\ndef f(a):\n    return len(a)\n", "1", "2"),
    "a call": ("class A:\n    def __call__(self):\n        return {}\ndef f(a):\n    return a()\n", "1", "2"),
    "a sum": ("class A:\n    def __add__(self, o):\n        return {}\ndef f(a):\n    return a + 1\n", "1", "2"),
    "a context": ("class A:\n    def __exit__(self, *a):\n        return {}\ndef f(a):\n    with a:\n        return 1\n", "True", "False"),
    "a loop": ("class A:\n    def __iter__(self):\n        return {}\ndef f(a):\n    for x in a:\n        return x\n", "1", "2"),
    "an item": ("class A:\n    def __getitem__(self, i):\n        return {}\ndef f(a):\n    return a[0]\n", "1", "2"),
    "a missing attribute": ("class A:\n    def __getattr__(self, n):\n        return {}\ndef f(a):\n    return a.x\n", "1", "2"),
    "a text": ("class A:\n    def __str__(self):\n        return {}\ndef f(a):\n    return str(a)\n", "'1'", "'2'"),
    "a property": ("class A:\n    @property\n    def k(self):\n        return {}\ndef f(a):\n    return a.k\n", "1", "2"),
}  # fmt: skip


@pytest.mark.parametrize("name", UNNAMED)
def test_methods_that_run_without_being_named(name):
    code, old, new = UNNAMED[name]
    texts = [Text(Path("yard.py"), code.format(value)) for value in (old, new)]
    found = dict(compare_texts(*texts, Wanted(only=("f",), trial=False)).functions)
    assert found["f"].status != "proved" and "which is not the same" in found["f"].reason
    assert dict(compare_texts(texts[0], texts[0], Wanted(only=("f",), trial=False)).functions)["f"].status == "proved"


def test_methods_that_cannot_run_do_not_count():
    code = "class A:\n    def __len__(self):\n        return {}\n    def __init__(self):\n        self.n = {}\ndef f(a):\n    return a.x\n"
    texts = [Text(Path("yard.py"), code.format(value, value)) for value in (1, 2)]
    assert dict(compare_texts(*texts, Wanted(only=("f",), trial=False)).functions)["f"].status == "proved"


SAME_BODY = (
    "def f(a):\n    if a:\n        return 1\n    else:\n        return 2\n",
    "def f(a):\n    return 1 if a else 2\n",
)


@pytest.mark.parametrize(
    ("old", "new", "status"),
    [
        ("", "import typing as t\nif t.TYPE_CHECKING:\n    import odd\n    P = odd.Spec('P')\n", "proved"),
        ("", "from typing import TYPE_CHECKING\nif TYPE_CHECKING:\n    P = print('P')\n", "proved"),
        ("", "import typing as t\nif t.TYPE_CHECKING:\n    pass\nelse:\n    print('here')\n", "unsettled"),
        ("", "TYPE_CHECKING = True\nif TYPE_CHECKING:\n    print('here')\n", "unsettled"),
        ("", "import typing as t\nt.TYPE_CHECKING = True\nif t.TYPE_CHECKING:\n    print('here')\n", "unsettled"),
        ("import sys\n_WIN = sys.platform.startswith('win')\n", "import sys\n_WIN = not sys.platform.startswith('win')\n", "proved"),
        ("import sys\n_WIN = sys.platform.startswith('win')\n", "import sys\n_WIN = sys.stdin.close()\n", "unsettled"),
    ],
)  # fmt: skip
def test_what_a_module_does_when_it_is_imported(old, new, status):
    texts = [Text(Path("yard.py"), head + body) for head, body in zip((old, new), SAME_BODY, strict=True)]
    assert compare_texts(*texts, Wanted(trial=False)).verdict.status == status


def test_a_call_of_somebody_else_stays_on_its_side_of_a_function():
    """Whoever is called may know the module, and put something else under the name."""
    told, call = "def f(a):\n    if a:\n        return 1\n    return 2\n\n\n", 'helper.put("yard")\n'
    before, after = f"import helper\n\n{call}\n\n{told}", f"import helper\n\n\n{told}{call}"
    for other, status in ((after, "unsettled"), (before + "\n", "proved")):
        texts = (Text(Path("yard.py"), text) for text in (before, other))
        assert compare_texts(*texts, Wanted(trial=False)).verdict.status == status


@pytest.mark.parametrize(
    "read",
    [
        "globals()['LIM' + k]",
        "importlib.import_module(__name__).LIMIT",
        "__import__(__name__).LIMIT",
        "inspect.getmodule(read).LIMIT",
        "getattr(sys.modules[__name__], 'LIM' + k)",
        "gc.get_referents(read)",
        "runpy.run_path(__file__)",
        "yard.LIMIT",
    ],
)
def test_what_a_module_holds_is_read_by_other_ways_than_its_name(read):
    head = "import gc, importlib, inspect, runpy, sys\n" + ("import yard\n" if read.startswith("yard") else "")
    old = f"{head}LIMIT = 3\n\ndef read(k):\n    if k:\n        return {read}\n    else:\n        return 0\n"
    straight = old.replace("    else:\n        return 0\n", "    return 0\n")
    for new, status in ((straight, "proved"), (straight.replace("LIMIT = 3", "LIMIT = 4"), "unsettled")):
        texts = (Text(Path("yard.py"), text) for text in (old, new))
        assert compare_texts(*texts, Wanted(trial=False, only=("read",))).verdict.status == status
