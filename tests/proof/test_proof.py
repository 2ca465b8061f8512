"""Proof on pairs whose true answer is known: the traps, and what must be proved all the same."""

import ast

import pytest

from dreck.model.names.modules import ModuleNames
from dreck.proof.assumptions import DEFAULT_ASSUMPTIONS
from dreck.proof.entry import prove
from dreck.proof.subject import Proof, Subject

ORDER = DEFAULT_ASSUMPTIONS | {"total-order"}


def proof(old: str, new: str, allowed: frozenset[str] = DEFAULT_ASSUMPTIONS, budget: int = 60_000) -> Proof:
    return prove(_subject(old), _subject(new), allowed, budget=budget)


def _subject(code: str) -> Subject:
    tree = ast.parse(code)
    function = [n for n in tree.body if isinstance(n, ast.FunctionDef | ast.AsyncFunctionDef)][-1]
    return Subject(function, ModuleNames(tree))


def body(lines: str, header: str = "def f(a, b, xs):") -> str:
    return header + "\n" + "\n".join(f"    {line}" for line in lines.strip("\n").split("\n")) + "\n"


SAME = {
    "guards": (
        "if a:\n    if b:\n        return 1\n    else:\n        return 2\nelse:\n    return 3",
        "if not a:\n    return 3\nif not b:\n    return 2\nreturn 1",
    ),
    "a temporary": ("return a.x(b.y)", "call = a.x\nreturn call(b.y)"),
    "early return in try finally": (
        "try:\n    if a:\n        return 1\nfinally:\n    b()\nreturn 2",
        "try:\n    if not a:\n        return 2\n    return 1\nfinally:\n    b()",
    ),
    "loop with else": (
        "for x in xs:\n    if x:\n        break\nelse:\n    return 0\nreturn 1",
        "for x in xs:\n    if x:\n        return 1\nreturn 0",
    ),
    "while with a counter": (
        "n = 0\nwhile n < a:\n    n += 1\n    if n != 3:\n        b(n)\nreturn n",
        "n = 0\nwhile n < a:\n    n += 1\n    if n == 3:\n        continue\n    b(n)\nreturn n",
    ),
    "nested loops": (
        "for x in xs:\n    for y in x:\n        if y:\n            b(y)\n        else:\n            a(x)",
        "for x in xs:\n    for y in x:\n        if not y:\n            a(x)\n            continue\n        b(y)",
    ),
    "generator": (
        "for x in xs:\n    if x:\n        yield x\n        a()",
        "for x in xs:\n    if not x:\n        continue\n    yield x\n    a()",
    ),
    "de morgan": ("if not (a or not b):\n    return 1\nreturn 2", "if a or not b:\n    return 2\nreturn 1"),
    "boolean value": ("if a == 1:\n    return True\nreturn False", "return a == 1"),
    "chained comparison": ("if 1 <= a and a < 5:\n    return 1\nreturn 0", "if 1 <= a < 5:\n    return 1\nreturn 0"),
    "match to ifs": (
        "match a:\n    case 1 | 2:\n        return 1\n    case None:\n        return 2\nreturn 3",
        "if a == 1 or a == 2:\n    return 1\nif a is None:\n    return 2\nreturn 3",
    ),
    "handler binds and returns": (
        "try:\n    r = a()\nexcept ValueError as e:\n    r = e.args\nreturn r",
        "try:\n    return a()\nexcept ValueError as e:\n    return e.args",
    ),
    "with, the result set before": (
        "r = None\nwith a as g:\n    if b:\n        r = g.x\n        g.y(r)\nreturn r",
        "r = None\nwith a as g:\n    if b:\n        r = g.x\n        g.y(r)\n    else:\n        pass\nreturn r",
    ),
    "elif after a branch that leaves": (
        "if a == 1:\n    return b\nelif a == 2:\n    return xs\nreturn a",
        "if a == 1:\n    return b\nif a == 2:\n    return xs\nreturn a",
    ),
    "swapped by unpacking": ("a, b = b, a\nreturn a", "return b"),
    "decided by what came before": (
        "if a < 5:\n    return 1\nif a < 3:\n    return 2\nreturn 3",
        "if a < 5:\n    return 1\nif a < 3:\n    return 4\nreturn 3",
    ),
    "a variable a lambda captures": (
        "n = a\ng = lambda: n\nif b:\n    return g\nelse:\n    return None",
        "n = a\ng = lambda: n\nif not b:\n    return None\nreturn g",
    ),
    "deleted and unbound": (
        "x = a\ndel x\nif b:\n    return 1\nelse:\n    return x",
        "x = a\ndel x\nif not b:\n    return x\nreturn 1",
    ),
    "except star": (
        "try:\n    a()\nexcept* ValueError:\n    if b:\n        xs()\n    else:\n        pass",
        "try:\n    a()\nexcept* ValueError:\n    if not b:\n        pass\n    else:\n        xs()",
    ),
}


@pytest.mark.parametrize(("old", "new"), SAME.values(), ids=SAME)
def test_proved(old, new):
    found = proof(body(old), body(new))
    assert found.holds, f"{found.reason} {found.path}"


DIFFERENT = {
    "exits swapped": ("if a:\n    return 1\nreturn 2", "if not a:\n    return 1\nreturn 2"),
    "finally wins": (
        "r = 1\ntry:\n    r = a()\nfinally:\n    r = 2\nreturn r",
        "try:\n    return a()\nfinally:\n    r = 2",
    ),
    "with may swallow": ("with a as g:\n    r = g.x()\nreturn r", "with a as g:\n    return g.x()"),
    "the end of a generator is skipped": (
        "for x in xs:\n    if x:\n        break\n    yield x\nyield a",
        "for x in xs:\n    if x:\n        return\n    yield x\nyield a",
    ),
    "break and continue": (
        "for x in xs:\n    if x:\n        continue\n    a(x)\nelse:\n    b()",
        "for x in xs:\n    if x:\n        break\n    a(x)\nelse:\n    b()",
    ),
    "elif becomes if": (
        "if a == 1:\n    a = 2\nelif a == 2:\n    a = 3\nreturn a",
        "if a == 1:\n    a = 2\nif a == 2:\n    a = 3\nreturn a",
    ),
    "a guard before another error": (
        "if a is None:\n    raise ValueError\nif b.x:\n    return 1\nreturn 2",
        "if b.x:\n    return 1\nif a is None:\n    raise ValueError\nreturn 2",
    ),
    "and protected it": ("if a and a.x:\n    return 1\nreturn 2", "x = a.x\nif a and x:\n    return 1\nreturn 2"),
    "and is no bool": ("return a and b", "return True if a and b else False"),
    "truth is no identity": ("if a is True:\n    return 1\nreturn 2", "if a:\n    return 1\nreturn 2"),
    "True is not 1": ("if a:\n    return 1\nreturn 0", "if a:\n    return True\nreturn 0"),
    "1.0 is not 1": ("if a:\n    return 1\nreturn 0", "if a:\n    return 1.0\nreturn 0"),
    "minus zero": ("return 0.0", "return -0.0"),
    "late-bound": (
        "fs = []\nfor x in xs:\n    fs.append(lambda: x)\nreturn fs",
        "fs = []\nfor x in xs:\n    fs.append(lambda x=x: x)\nreturn fs",
    ),
    "a cell is written before the call": (
        "n = 0\ndef g():\n    return n\nn = 1\nreturn g()",
        "n = 0\ndef g():\n    return n\nr = g()\nn = 1\nreturn r",
    ),
    "nonlocal is written by the call": (
        "n = 0\ndef g():\n    nonlocal n\n    n += 1\ng()\nreturn n",
        "n = 0\ndef g():\n    nonlocal n\n    n += 1\ng()\nreturn 0",
    ),
    "unbound": ("if a:\n    x = 1\nreturn x", "if a:\n    return 1\nreturn None"),
    "order of writes": ("a.x = 1\nb.x = 2", "b.x = 2\na.x = 1"),
    "a write between the two reads": ("x = a.x\nb()\nreturn x", "b()\nreturn a.x"),
    "a fact that a call may have changed": (
        "if a.x:\n    b()\n    if a.x:\n        return 1\nreturn 2",
        "if a.x:\n    b()\n    return 1\nreturn 2",
    ),
    "in place or not": ("a += b\nreturn a", "a = a + b\nreturn a"),
    "one list or two": ("x = []\ny = x\nreturn x, y", "x = []\ny = []\nreturn x, y"),
    "related classes": (
        "if isinstance(a, B):\n    return 1\nif isinstance(a, A):\n    return 2\nreturn 3",
        "if isinstance(a, A):\n    return 2\nif isinstance(a, B):\n    return 1\nreturn 3",
    ),
    "less is not greater-or-equal turned": (
        "if not a < b:\n    return 1\nreturn 2",
        "if a >= b:\n    return 1\nreturn 2",
    ),
    "evaluated twice": ("if 1 <= a() < 5:\n    return 1\nreturn 2", "if 1 <= a() and a() < 5:\n    return 1\nreturn 2"),
    "unhashable": ("if a in {1, 2}:\n    return 1\nreturn 2", "if a == 1 or a == 2:\n    return 1\nreturn 2"),
    "loop variables change places": (
        "x = a\ny = b\nfor z in xs:\n    x, y = y, x\nreturn x",
        "x = a\ny = b\nfor z in xs:\n    pass\nreturn x",
    ),
    "equal only the first time round": (
        "x = 0\ny = 0\nfor z in xs:\n    x = z\nreturn y",
        "x = 0\ny = 0\nfor z in xs:\n    x = z\nreturn x",
    ),
    "iterates something else": ("for x in xs:\n    a(x)", "for x in b:\n    a(x)"),
    "handler of another kind": (
        "try:\n    a()\nexcept ValueError:\n    return 1\nreturn 2",
        "try:\n    a()\nexcept Exception:\n    return 1\nreturn 2",
    ),
    "moved out of try": (
        "try:\n    a()\n    b()\nexcept ValueError:\n    return 1",
        "try:\n    a()\nexcept ValueError:\n    return 1\nb()",
    ),
    "logged outside the handler": (
        "try:\n    a()\nexcept ValueError:\n    b()\nreturn 1",
        "bad = False\ntry:\n    a()\nexcept ValueError:\n    bad = True\nif bad:\n    b()\nreturn 1",
    ),
    "assert is not raise": ("assert a\nreturn 1", "if not a:\n    raise AssertionError\nreturn 1"),
    "empty or None": ("if a is None:\n    return 1\nreturn 2", "if not a:\n    return 1\nreturn 2"),
    "default in f-string order": ("x = a()\ny = b()\nreturn f'{x}{y}'", "return f'{a()}{b()}'"),
    "while condition evaluated once more": (
        "while a():\n    if b():\n        break\nreturn 1",
        "while a():\n    if b():\n        return a()\nreturn 1",
    ),
    "walrus leaks": ("if (n := a()) and b:\n    return n\nreturn n", "if a() and b:\n    return 1\nreturn 2"),
    "locals are looked at": ("x = 1\nreturn locals()", "return locals()"),
    "a name in a loop is no local any more": (
        "if a:\n    while b():\n        xs.p = y\nelif not a:\n    y = 1",
        "if a:\n    while b():\n        xs.p = y\nelif not a:\n    pass",
    ),
    "a name in a comprehension is no local any more": (
        "if a:\n    b([y for _ in xs])\nelif not a:\n    y = 1",
        "if a:\n    b([y for _ in xs])\nelif not a:\n    pass",
    ),
    "a name in a lambda is no local any more": (
        "g = lambda: y\nif not a and a:\n    y = 1\nreturn g",
        "g = lambda: y\nif not a and a:\n    pass\nreturn g",
    ),
    "a name in a class body is no local any more": (
        "class C:\n    z = y\nif not a and a:\n    y = 1\nreturn C",
        "class C:\n    z = y\nif not a and a:\n    pass\nreturn C",
    ),
    "case True is identity": (
        "match a:\n    case True:\n        return 1\nreturn 2",
        "if a == True:\n    return 1\nreturn 2",
    ),
}


@pytest.mark.parametrize(("old", "new"), DIFFERENT.values(), ids=DIFFERENT)
def test_never_proved(old, new):
    for allowed in (DEFAULT_ASSUMPTIONS, frozenset()):
        assert not proof(body(old), body(new), allowed).holds


def test_order_needs_the_assumption_or_known_types():
    old, new = body("if not a < b:\n    return 1\nreturn 2"), body("if a >= b:\n    return 1\nreturn 2")
    assert "total-order" in proof(old, new, ORDER).assumptions
    typed = [code.replace("a, b, xs", "a: int, b: int, xs") for code in (old, new)]
    assert proof(*typed).assumptions == {"annotations-hold"}
    floats = [code.replace("a, b, xs", "a: float, b: float, xs") for code in (old, new)]
    assert not proof(*floats).holds
    optional = [code.replace("a, b, xs", "a: int = None, b: int = None, xs=()") for code in (old, new)]
    assert not proof(*optional).holds


def test_assumptions_are_named_and_needed():
    old = body("if a.x:\n    return a.x\nreturn 1")
    new = body("x = a.x\nif x:\n    return x\nreturn 1")
    assert "plain-attributes" in proof(old, new).assumptions
    assert not proof(old, new, frozenset({"plain-comparisons"})).holds
    assert proof(old, old, frozenset()).holds


def test_equality_spelt_otherwise_rests_on_plain_comparisons():
    old, new = body("if a == b:\n    return 1\nreturn 2"), body("if a != b:\n    return 2\nreturn 1")
    assert proof(old, new).assumptions == {"plain-comparisons"}
    assert not proof(old, new, frozenset()).holds


def test_helpers_of_the_same_file_are_followed():
    old = "def f(a):\n    if a.x > 3 and a.y:\n        return 1\n    return 2\n"
    new = (
        "def heavy(a):\n    return a.x > 3 and a.y\n\ndef f(a):\n    if not heavy(a):\n        return 2\n    return 1\n"
    )
    assert proof(old, new).holds
    assert not proof(old, new.replace("> 3", ">= 3")).holds


def test_a_failed_proof_tells_the_path():
    found = proof(
        body("if a == 1:\n    if b:\n        return 1\nreturn 2"),
        body("if a == 1:\n    if b:\n        return 3\nreturn 2"),
    )
    assert found.path == ("a == 1", "b")


def test_signatures_count():
    assert not proof("def f(a=1):\n    return a\n", "def f(a=2):\n    return a\n").holds
    assert not proof("def f(a):\n    return a\n", "async def f(a):\n    return a\n").holds
    assert not proof("def f(a):\n    yield a\n", "def f(a):\n    return iter([a])\n").holds


def test_the_budget_ends_in_a_reason():
    old = body("\n".join(f"if a.x{i}():\n    b({i})" for i in range(60)))
    new = body("\n".join(f"t = a.x{i}()\nif t:\n    b({i})" for i in range(60)))
    assert proof(old, new).holds
    found = proof(old, new, budget=200)
    assert not found.holds
    assert "budget" in found.reason


@pytest.mark.parametrize("count", [60, 240])
def test_independent_tests_cost_no_more_than_they_must(count):
    old = body("\n".join(f"if a.x{i}:\n    b({i})" for i in range(count)))
    new = body("\n".join(f"t{i} = a.x{i}\nif t{i}:\n    b({i})" for i in range(count)))
    assert proof(old, new, budget=60 * count).holds


def test_results_kept_to_the_end_do_not_multiply_paths():
    count = 40
    old = body(
        "\n".join(f"if a.x{i}:\n    v{i} = {i}\nelse:\n    v{i} = b({i})" for i in range(count))
        + f"\nreturn [{', '.join(f'v{i}' for i in range(count))}]"
    )
    new = body(
        "\n".join(f"if not a.x{i}:\n    v{i} = b({i})\nelse:\n    v{i} = {i}" for i in range(count))
        + f"\nreturn [{', '.join(f'v{i}' for i in range(count))}]"
    )
    assert proof(old, new).holds


NAMED = {
    "what was not less is not less than less": ("if a < 3:\n    return 1\nif a < 2:\n    return 2\nreturn 3", "if a < 3:\n    return 1\nreturn 3", {"plain-comparisons"}),
    "not less is at least": ("if a < 3:\n    return 1\nreturn 2", "if a >= 3:\n    return 2\nreturn 1", {"plain-comparisons", "total-order"}),
    "at most, and then not more": ("if a <= 3:\n    if a > 5:\n        return 1\n    return 2\nreturn 3", "if a <= 3:\n    return 2\nreturn 3", {"plain-comparisons"}),
    "more, and then not at most": ("if a > 3:\n    return 1\nif a <= 3:\n    return 2\nreturn 3", "if a > 3:\n    return 1\nreturn 2", {"plain-comparisons", "total-order"}),
    "asked once": ("if a < b:\n    return 1\nreturn 2", "if not a < b:\n    return 2\nreturn 1", set()),
    "read once": ("if a.x:\n    return 1\nreturn 2", "if not a.x:\n    return 2\nreturn 1", set()),
    "read twice": ("x = a.x\nb.y\nreturn x", "x = a.x\nb.y\nreturn a.x", {"plain-attributes"}),
    "a module's variable around a read": ("x = count\nb.y\nreturn x", "x = count\nb.y\nreturn count", {"plain-attributes"}),
    "a module's variable around a test": ("x = count\nif b:\n    a()\nreturn x", "x = count\nif b:\n    a()\n    return x\nreturn count", {"plain-comparisons"}),
    "a real bool": ("return a == b", "return bool(a == b)", {"plain-comparisons"}),
    "a real bool from isinstance": ("return isinstance(a, int)", "return bool(isinstance(a, int))", set()),
    "a type compared": ("return type(a) is int", "return type(a) == int", {"closed-families", "plain-comparisons"}),
    "the same identity": ("return a is None", "if a is None:\n    return True\nreturn False", set()),
}  # fmt: skip


@pytest.mark.parametrize("name", NAMED)
def test_exactly_what_was_used_is_named(name):
    old, new, named = NAMED[name]
    count = "count = 0\ndef up():\n    global count\n    count += 1\n" if "count" in old else ""
    found = proof(count + body(old), count + body(new), ORDER)
    assert found.holds, f"{found.reason} {found.path}"
    assert found.assumptions == named


ODD = "class Odd:\n    def __eq__(self, other):\n        return True\n    def __getattr__(self, name):\n        return 1\nclass Plain:\n    pass\n"
ELSEWHERE = {
    "compared": ("if isinstance(a, Plain):\n    if a == 1:\n        return 1\n    if a == 1:\n        return 2\nreturn 3", "if isinstance(a, Plain):\n    if a == 1:\n        return 1\nreturn 3"),
    "read": ("if isinstance(a, Plain):\n    x = a.x\n    y = a.x\n    return x, y\nreturn 3", "if isinstance(a, Plain):\n    x = a.x\n    return x, x\nreturn 3"),
}  # fmt: skip


@pytest.mark.parametrize("name", ELSEWHERE)
def test_what_a_class_takes_back_is_taken_back_of_its_objects_alone(name):
    old, new = (ODD + body(code) for code in ELSEWHERE[name])
    found = proof(old, new)
    assert found.holds and "closed-families" in found.assumptions, found.reason
    assert not proof(old.replace("isinstance(a, Plain)", "b"), new.replace("isinstance(a, Plain)", "b")).holds
    assert not proof(old.replace("(a, Plain)", "(a, Odd)"), new.replace("(a, Plain)", "(a, Odd)")).holds
