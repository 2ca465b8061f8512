"""Steps on code as people have it, asked for by name: the module before and after, and the evidence."""

import shlex
from pathlib import Path

import pytest

import dreck

CASES = {}
for part in (Path(__file__).parent / "reaching.txt").read_text().split("=== ")[1:]:
    head, before, after = part.split("\n---\n")
    title, _, typed = head.partition(" | ")
    CASES[title] = shlex.split(typed), before.strip("\n") + "\n", after.rstrip("\n") + "\n"
_OPTIONS = {"--on": "on", "--kinds": "kinds", "--raise": "raise_", "--as": "as_"}


@pytest.mark.parametrize("title", CASES)
def test_a_wish_is_fulfilled(write, title):
    (step, verdict, *typed), before, after = CASES[title]
    options = {_OPTIONS[o]: v for o, v in zip(typed[::2], typed[1::2], strict=True) if o in _OPTIONS}
    names = dict(v.rpartition("=")[::2] for o, v in zip(typed[::2], typed[1::2], strict=True) if o == "--name")
    if "kinds" in options:
        options["kinds"] = options["kinds"].split(",")
    result = dreck.untangle(write(before), steps=step, names=names, **options)
    assert result.source == after, result.refused
    assert {taken.verdict.status for taken in result.steps} == {verdict}


WHY_NOT = {
    "other things asked": ("probe-list", "def f(x):\n    v = a(x)\n    if v is None:\n        v = b(x.y)\n    return v\n", "no good name was found for 2 of the ways; give each one with --name 'a(x)=NAME' --name 'b(x.y)=NAME'"),
    "an answer of more": ("probe-list", "def f(x, out):\n    m = x.get('a')\n    if m:\n        return out.add(m)\n    m = x.get('b')\n    if m:\n        return out.put(m)\n    return None\n", "the answer `out.add(m)` works with out, too"),
    "each is asked before the next": ("probe-list", "import os\n\n\ndef f(a, b, c):\n    path = os.path.join(a, c)\n    if os.path.exists(path):\n        return path\n    path = os.path.join(b, c)\n    if os.path.exists(path):\n        return path\n    return None\n", "each `path` is asked `os.path.exists(path)` before the next is worked out"),
    "a table of its own keys": ("lookup-table", "def f(kind, out, book):\n    if kind == 'glass':\n        out.append(book('glass').put(out))\n    elif kind == 'paper':\n        out.append(book('paper').put(out))\n    elif kind == 'metal':\n        out.append(book('metal').put(out))\n", "each arm works with the very value that it asks for"),
    "two ways": ("probe-list", "def weigh_in(load, scale, book):\n    found = scale.ask(load, 3)\n    if found is None:\n        found = book.seen(load, 4)\n    return found\n", "two ways are told apart faster by a test than by functions of their own"),
    "two limits": ("band-table", "def f(x):\n    if x > 10:\n        return 3\n    elif x > 5:\n        return 2\n    return 1\n", "it has 2 limits, and a table pays from 3 on"),
    "a rule of two things": ("policy-class", "def f(x):\n    if x.wet and x.cold:\n        return 3\n    return 1\n", "it asks 2 things"),
    "a short branch": ("named-branch", "def f(x, y):\n    if x:\n        y.add(x)\n        y.add(3)\n    return y\n", "its longest branch has 2 lines"),
    "one choice": ("split-choice", "def f(a, b):\n    if a and b:\n        x = 1\n        y = 1\n    elif a:\n        x = 2\n        y = 2\n    else:\n        x = 3\n        y = 3\n    return x, y\n", "x depends on every test"),
    "the same test": ("split-choice", "def f(a):\n    if a:\n        x = 1\n        y = 2\n    else:\n        x = 3\n        y = 4\n    return x, y\n", "x and y depend on the same tests"),
    "a test that does": ("split-choice", "def f(a, b):\n    if a() and b:\n        x = 1\n        y = 1\n    else:\n        x = 3\n        y = 3\n    return x, y\n", "`a()` may do more than ask"),
    "only one class": ("polymorphic-methods", "class A:\n    pass\n\n\ndef f(x):\n    if isinstance(x, A):\n        return 1\n    return 2\n", "say who else can come: --kinds A,..."),
    "classes of elsewhere": ("regroup", "def f(x, n):\n    r = 0\n    if isinstance(x, A):\n        r += 1\n    if n and isinstance(x, B):\n        r += 2\n    if isinstance(x, A) or n:\n        r += 4\n    return r\n", "where A comes from is not known here"),
    "many variables": ("call-table", "def f(xs):\n    a = b = c = d = 0\n    for x in xs:\n        if x == 'wet':\n            a += x\n            b += a\n        elif x == 'dry':\n            c += a\n            d += b\n        elif x == 'hot':\n            a -= c\n            d -= a\n    return a, b, c, d\n", "would hand back 4 variables (a, b, c, ...)"),
    "more given than answered": ("lookup-table", 'def record(kind, records, make_the_frame_of_it, make_the_shell_of_it):\n    if kind == "frame":\n        made = make_the_frame_of_it(records, "made of planks that were sorted out")\n    elif kind == "closed shell":\n        made = make_the_shell_of_it(records, "made of sheets that were sorted out")\n    elif kind == "open shell":\n        made = make_the_shell_of_it(records, "made of cords that were sorted out")\n    else:\n        raise ValueError(kind)\n    return made\n', "too long for a row"),
    "a sum of no name": ("shared-term", "def f(x, log):\n    if x.kilos + 7 > 9:\n        log(x.kilos + 7)\n    return x.kilos + 7\n", "no name was found"),
    "more than a key": ("call-table", "def f(x, log):\n    match x:\n        case 'a' if log:\n            log(1)\n        case 'a':\n            log(2)\n        case 'b':\n            log(3)\n        case 'c':\n            log(4)\n", "`case 'a' if log` asks for more than a key"),
    "more than a class": ("polymorphic-methods", "class A:\n    pass\n\n\nclass B:\n    pass\n\n\ndef f(x, n):\n    if isinstance(x, A) and n:\n        return 1\n    elif isinstance(x, B) and n > 2:\n        return 2\n    return 3\n", "`isinstance(x, A) and n` asks for more than the class"),
    "a condition again": ("shared-term", "def f(a, b, g):\n    if g and (a > 1 or b):\n        g(1)\n    if a and (a > 1 or b):\n        g(2)\n", "is a condition: --step named-predicate names it"),
    "a class in a comprehension": ("polymorphic-methods", "class A:\n    pass\n\n\ndef f(xs):\n    return sum(x.n for x in xs if isinstance(x, A))\n", "picks inside of a comprehension"),
    "a default in a handler": ("loud-default", "def f(x, y):\n    try:\n        return x[y]\n    except KeyError:\n        return 0\n", "it gives 0 where KeyError is raised"),
    "a comparison again": ("shared-term", "def f(a, b):\n    if a > 1 and b:\n        return 1\n    if a > 1:\n        return 2\n    return 3\n", "--name 'a > 1=NAME' makes it a variable"),
    "ways of other forms": ("probe-list", "def f(x):\n    if 'a' in x:\n        return x['a']\n    try:\n        return g(x)\n    except KeyError:\n        pass\n    if 'b' in x:\n        return x['b']\n    return 3\n", "the 3 ways in lines 2 to 9 answer in forms of their own"),
    "a name for what comes in": ("lookup-table", "def f(x):\n    match x:\n        case 'a':\n            return 1\n        case 'b':\n            return 2\n        case other:\n            return other\n", "`case other` names what comes in"),
    "patterns that look into it": ("call-table", "def f(x, log):\n    match x:\n        case {'a': y}:\n            log(y)\n        case {'b': y}:\n            log(y, 2)\n        case [y]:\n            log(y, 3)\n", "takes x apart, and a table finds keys alone"),
    "a name of Python's": ("lookup-table", "class A:\n    def __str__(self):\n        if self.kind == 1:\n            ks = 'p'\n        elif self.kind == 2:\n            ks = 'q'\n        elif self.kind == 3:\n            ks = 'r'\n        else:\n            ks = '?'\n        return ks\n", "no good name was found for its table"),
    "a comment in a test": ("lookup-table", "def f(x, y, log):\n    if ('a' in x  # first\n            and y):\n        log(1)\n    elif 'b' in x and y:\n        log(2)\n    elif 'c' in x and y:\n        log(3)\n", "a comment stands inside a test"),
    "a text of lines": ("lookup-table", "def f(x, log):\n    if 'a' in x:\n        log('''p\n  q''', 1)\n    elif 'b' in x:\n        log('''p\n  q''', 2)\n    elif 'c' in x:\n        log('''p\n  q''', 3)\n", "a text over several lines stands in it"),
    "a round left": ("lookup-table", "def f(xs):\n    for x in xs:\n        if 'a' in x:\n            continue\n        elif 'b' in x:\n            continue\n        elif 'c' in x:\n            break\n        print(x)\n", "an arm leaves a round of the loop around it"),
    "other things": ("lookup-table", "def f(a, b):\n    if a.wet:\n        return 1\n    elif b > 3:\n        return 2\n    elif a == b:\n        return 3\n    return 4\n", "its tests ask for different things"),
    "guards of a loop": ("rule-list", "def f(xs, log):\n    for x in xs:\n        if x.wet:\n            continue\n        if x.cold:\n            continue\n        log(x)\n        log(1)\n", "does more than collect what passes 2 guards"),
    "in no test": ("shared-term", "def f(x, log):\n    log(x['box'])\n    log(x['box'])\n    return x['box']\n", "but no test asks it; --name"),
    "worked out": ("rule-list", "def f(a, b):\n    g(a, b)\n    g(a, b + 1)\n    g(a, b + 2)\n", "what differs between the calls is worked out"),
}  # fmt: skip


@pytest.mark.parametrize("title", WHY_NOT)
def test_a_wish_that_cannot_be_fulfilled_is_answered(write, title):
    step, code, reason = WHY_NOT[title]
    result = dreck.untangle(write(code), steps=step)
    assert not result.steps and reason in " ".join(r.reason for r in result.refused)


BLOCKS = {}
for part in (Path(__file__).parent / "blocks.txt").read_text().split("=== ")[1:]:
    head, before, after = part.split("\n---\n")
    title, _, typed = head.partition(" | ")
    BLOCKS[title] = typed.split(), before.strip("\n") + "\n", after.rstrip("\n") + "\n"


@pytest.mark.parametrize("title", BLOCKS)
def test_lines_become_a_function(write, title):
    (target, name), before, after = BLOCKS[title]
    result = dreck.untangle(f"{write(before)}::{target}", name=name)
    assert result.source == after
    assert [taken.verdict.status for taken in result.steps] == ["proved"]


def test_what_is_gone_through_at_once_may_be_cut_out(write):
    """A generator sees the variables of the new function as they are; it is gone when the call has ended."""
    code = "def f(xs, out):\n    if out:\n        out.n = sum(x.n for x in xs if x.n > out.least)\n        out.done = True\n    return out\n"
    result = dreck.untangle(f"{write(code)}::f:3-4", name="note_sum")
    assert [taken.verdict.status for taken in result.steps] == ["proved"]
    assert "def note_sum(xs, out):\n    out.n = sum(" in result.source


def test_what_a_function_around_it_knows_is_handed_on(write):
    """The variables of the function around may change meanwhile; that they do not is tested, not proved."""
    code = "def admitting(least, note):\n    def admit(load):\n        kilos = load.kilos\n        if kilos > least:\n            note(load)\n            note(kilos)\n        return kilos\n\n    return admit\n"
    result = dreck.untangle(f"{write(code)}::admitting.admit:4-6", name="weigh")
    assert [taken.verdict.status for taken in result.steps] == ["tested"]
    assert "        weigh(load, kilos, least, note)\n" in result.source
    assert "def weigh(load, kilos, least, note):\n    if kilos > least:\n        note(load)\n" in result.source


NOT_CUT = {
    "a value that others hold and a return": ("def f(n, g):\n    h = lambda: n\n    if n > 3:\n        n = g(n)\n        if n is None:\n            return 0\n    return h\n", "f:4-5", "it returns on some ways, and on others n, which others hold, would have to come back"),
    "no lines of it": ("def f(n):\n    return n\n", "f:20-30", "hold no whole statements"),
    "a function that sees a variable of later": ("def f(n, g):\n    if n:\n        g(lambda: n)\n        g(1)\n    n = 2\n    return n\n", "f:3-4", "would see other variables"),
    "a function of what is bound in each round": ("def f(xs, out):\n    for x in xs:\n        y = x.n\n        out.append(lambda: y)\n    return out\n", "f:3-4", "would see other variables"),
    "a function in a loop": ("def f(xs, g):\n    for x in xs:\n        g(lambda: x)\n        g(1)\n", "f:3-4", "would see other variables"),
    "no name": ("def f(n, g):\n    if n:\n        g(1)\n        g(2)\n", "f:3-4", "--step named-block --name NAME"),
}  # fmt: skip


@pytest.mark.parametrize("title", NOT_CUT)
def test_lines_that_cannot_be_cut_out_are_told_why(write, title):
    code, target, reason = NOT_CUT[title]
    result = dreck.untangle(f"{write(code)}::{target}", steps="named-block")
    assert not result.steps and reason in " ".join(r.reason for r in result.refused)


def test_lines_stand_in_one_target_and_in_order(write):
    file = write("def f(n):\n    return n\n")
    for target, told in ((f"{file}::f:9-2", "line 2 stands before line 9"),):
        with pytest.raises(dreck.DreckError, match=told):
            dreck.untangle(target)
    with pytest.raises(dreck.DreckError, match="lines can be named of one function only"):
        dreck.untangle([f"{file}::f:1-2", str(file)])


def test_a_comment_inside_of_an_arm_is_not_put_beside_its_row(straighten):
    arms = [
        f'    {word} kind == "{kind}":\n        out.write({n})\n        # and told\n        out.tell("{kind}")\n'
        for word, kind, n in (("if", "glass", 1), ("elif", "paper", 2), ("elif", "wood", 3))
    ]
    result = straighten("def f(kind, out):\n" + "".join(arms), "lookup-table")
    assert not result.steps
    assert [r.reason for r in result.refused] == [
        "comments stand inside an arm, and speak of its lines; call-table keeps them there"
    ]
