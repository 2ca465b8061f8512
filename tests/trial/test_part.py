"""Where hardly an input leads to what differs, it is tried alone; and not where it cannot stand alone."""

import textwrap

import pytest

import dreck

HEAD = """\
class Sign:
    def __init__(self, word):
        self.word = word

    def __eq__(self, other):
        return self.word == other

    def __hash__(self):
        return hash(self.word)


def f(yard, load, mode):
    n = yard.count()
    kilos, kind = 0, None
    if hash((n, "yard")) % 100003 == 7:
"""
LADDER = """\
if mode == "in":
    kind = load.first()
elif mode == "out":
    kind = load.second()
else:
    kind = load.third()
"""
TABLE = """\
kind = TABLE.get(mode, third)(load)
"""
MADE = """\
def first(load):
    return load.first()


def second(load):
    return load.second()


def third(load):
    return load.third()


TABLE = {"in": first, "out": second}
"""


def compared(write, old, new, made="", head=HEAD, tail="    return kilos, kind\n"):
    """What is said of two runs of statements that stand where hardly an input leads."""
    deep = " " * (4 + len(head.splitlines()[-1]) - len(head.splitlines()[-1].lstrip()))
    texts = [head + textwrap.indent(body, deep) + tail for body in (old, new)]
    paths = write(texts[0], "old.py"), write(texts[1] + "\n\n" + made, "new.py")
    return dreck.compare(*paths, assume=["hashable-key"])


def test_what_differs_is_tried_alone(write):
    found = compared(write, LADDER, TABLE, MADE)
    assert found.status == "tested", str(found)
    assert "inputs to lines 16 to 21 alone, given mode, load" in str(found)


def test_alone_it_is_seen_what_it_does_wrong(write):
    assert compared(write, LADDER, TABLE, MADE.replace("load.second", "load.fourth")).status == "unsettled"
    assert compared(write, LADDER, TABLE, MADE.replace('"in": first', '"on": first')).status == "unsettled"


LOOP = HEAD + "        for kilos in load:\n"
TRIED = HEAD + "        try:\n"
CAUGHT = "        except OSError:\n            pass\n    return kilos, kind\n"
KEPT = {
    "lines through one another": ("load.first()\nkind = mode.size\nload.second()\n", "load.first()\nload.second()\nkind = mode.size\n"),
    "another value read afterwards": (LADDER, LADDER.replace("kind = load.third()", "kilos = kind = load.third()")),
    "a name without a value": ("if mode:\n    more = load.size\nif mode == 'a':\n    kind = more\n", "if mode:\n    more = load.size\nkind = [more, None][mode != 'a']\n"),
    "an error that is being handled": ("kind = format_exc()\n", "kind = str(format_exc())\n"),
    "a copy in the place of the list": ("if mode == 'a':\n    kind = load\nelse:\n    kind = []\n", "kind = load[:] if mode == 'a' else []\n"),
    "two names of one list": ("if mode == 'a':\n    kind, kilos = [], []\nelse:\n    kind, kilos = load, load\n", "kind = kilos = [] if mode == 'a' else load\n"),
    "a value too early": ("if mode == 'a':\n    kind = load[0]\nelif mode == 'b':\n    kind = load[-1]\n", "kind = {'a': load[0], 'b': load[-1]}.get(mode, kind)\n"),
    "what decides in the place of its truth": ("if mode and load:\n    kind = True\nelse:\n    kind = False\n", "kind = mode and load\n"),
    "what is equal in its place": ("if mode == 1:\n    kind = mode\nelse:\n    kind = 0\n", "if mode == 1:\n    kind = 1\nelse:\n    kind = 0\n"),
    "variables of the frame": ("kind = sorted(locals())\nif mode:\n    kind = 1\n", "kind = 1 if mode else sorted(locals())\n"),
}  # fmt: skip


@pytest.mark.parametrize("name", KEPT)
def test_what_rests_on_its_place_is_not_tried_alone(write, name):
    assert compared(write, *KEPT[name]).status == "unsettled"


def test_what_is_bound_when_an_error_comes_is_seen_where_it_is_caught(write):
    old, new = "kind = mode\nif mode == 1:\n    load.first()\n", "if mode == 1:\n    load.first()\nkind = mode\n"
    assert compared(write, old, new, head=TRIED, tail=CAUGHT).status == "unsettled"


def test_the_ways_out_of_a_loop_are_told_apart(write):
    arms = "if mode == 'a':\n    {}\nelif mode == 'b':\n    kind = 1\nelse:\n    kind = 2\n"
    match = "match mode:\n    case 'a':\n        {}\n    case 'b':\n        kind = 1\n    case _:\n        kind = 2\n"
    assert compared(write, arms.format("break"), match.format("break"), head=LOOP).status in ("tested", "proved")
    for left in ("continue", "return None", "kind = 3"):
        assert compared(write, arms.format("break"), match.format(left), head=LOOP).status == "unsettled"


def test_what_a_function_inside_changes_is_not_held_still(write):
    head = HEAD.replace(
        "    if hash", "    def weigh():\n        nonlocal kilos\n        kilos += load.kilos\n\n    if hash"
    )
    old = "if mode == 1:\n    weigh()\n    kind = kilos\nelif mode == 2:\n    kind = 0\nelse:\n    kind = 1\n"
    new = "kind = TABLE.get(mode, other)(weigh, kilos)\n"
    made = (
        "def one(weigh, kilos):\n    weigh()\n    return kilos\n\n\ndef two(weigh, kilos):\n    return 0\n\n\n"
        "def other(weigh, kilos):\n    return 1\n\n\nTABLE = {1: one, 2: two}\n"
    )
    assert compared(write, old, new, made, head=head).status != "tested"
