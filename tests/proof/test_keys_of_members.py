"""Tables by members of enums and by constants of classes: what is taken for one, and what takes it back."""

import pytest

import dreck

ASSUMED = ["hashable-key", "plain-kind", "steady-constants", "quiet-tests"]
LADDER = """\
def line(kind):
    if kind == Kind.GLASS:
        return "crusher"
    if kind == Kind.PAPER:
        return "press"
    return "hand"
"""
TABLE = """\
LINES = {Kind.GLASS: "crusher", Kind.PAPER: "press"}


def line(kind):
    return LINES.get(kind, "hand")
"""
LOCAL = """\
def line(kind):
    lines = {Kind.GLASS: "crusher", Kind.PAPER: "press"}
    return lines.get(kind, "hand")
"""
BASES = {
    "enum.Enum": ("1", "2"),
    "enum.IntEnum": ("1", "2"),
    "int, enum.Enum": ("0", "2"),
    "enum.StrEnum": ("'g'", "'p'"),
    "str, enum.Enum": ("'g'", "'p'"),
}
SHOWN = "\n    def __str__(self):\n        return self.name.lower()\n"
PUT = {
    "a hash": "Kind.__hash__ = lambda self: id(object())\n",
    "equality": "Kind.__eq__ = lambda self, other: False\nKind.__hash__ = object.__hash__\n",
    "a hash by a name put together": "setattr(Kind, '__ha' + 'sh__', lambda self: id(object()))\n",
    "a hash in a loop": "for made in (Kind,):\n    setattr(made, '__ha' + 'sh__', lambda self: 3)\n",
    "a hash above": "enum.IntEnum.__hash__ = lambda self: id(object())\n",
    "a member by two words": "type.__setattr__(*(Kind, 'GLASS'), Kind.PAPER)\n",
    "a member past its class": "type.__setattr__(Kind, 'GLASS', Kind.PAPER)\n",
}
CONSTANTS = {
    "set": "Kind.GLASS = Kind.PAPER\n",
    "set by name": "setattr(Kind, 'GLASS', 2)\n",
    "set in a function": "def put():\n    Kind.GLASS = 2\n\n\nput()\n",
    "set through a parameter": "def put(kind):\n    kind.GLASS = 2\n\n\nput(Kind)\n",
    "set under its own name": "globals()['Kind'].GLASS = 2\n",
    "set deep down": "import gc\ngc.get_referents(Kind.__dict__)[0]['GLASS'] = 2\n",
    "set in a loop": "for kind in (Kind,):\n    setattr(kind, 'GL' + 'ASS', 2)\n",
}


def kinds(bases: str, more: str = "") -> str:
    glass, paper = BASES.get(bases, ("1", "2"))
    given = f"({bases})" if bases else ""
    return f"import enum\n\n\nclass Kind{given}:\n    GLASS = {glass}\n    PAPER = {paper}\n{more}\n\n"


def proved(head: str, old: str = LADDER, new: str = TABLE) -> str:
    return dreck.compare(head + old, head + new, assume=ASSUMED, trial=False).status


@pytest.mark.parametrize("table", [TABLE, LOCAL], ids=["of the module", "of the function"])
@pytest.mark.parametrize("bases", ["", *BASES])
def test_a_ladder_over_members_is_a_table(bases, table):
    plain = "proved" if bases else "unsettled"
    assert proved(kinds(bases), new=table) == "proved"
    assert proved(kinds(bases).replace("class", "@enum.unique\nclass"), new=table) == plain
    assert "1" not in kinds(bases) or proved(kinds(bases).replace("= 1", "= -1"), new=table) == plain
    swapped = table.replace('"crusher"', '"shelf"')
    assert proved(kinds(bases), new=swapped) == "unsettled"


@pytest.mark.parametrize("bases", [*BASES][1:])
def test_how_members_are_shown_is_their_own_affair(bases):
    assert proved(kinds(bases, SHOWN)) == "proved"
    assert proved(kinds(bases, SHOWN), "def f(k):\n    return str(Kind.GLASS)\n", "def f(k):\n    return 'g'\n") != "proved"


PLAIN = {
    "set on one object": "class Load:\n    def put(self, name, value):\n        self.__setattr__(name, value)\n",
    "taken from one object": "def take(load, name):\n    load.__delattr__(name)\n",
    "said as a text": "COUNTS = {'count': '__len__', 'full': '__bool__'}\n",
}


@pytest.mark.parametrize("how", PLAIN)
@pytest.mark.parametrize("bases", BASES)
def test_what_leaves_members_where_a_table_finds_them(bases, how):
    assert proved(kinds(bases, f"\n\n{PLAIN[how]}")) == "proved"


@pytest.mark.parametrize("how", PUT)
@pytest.mark.parametrize("bases", BASES)
def test_what_may_be_put_on_a_class_of_members(bases, how):
    for table in (TABLE, LOCAL):
        assert proved(kinds(bases, f"\n\n{PUT[how]}"), new=table) != "proved"


@pytest.mark.parametrize("how", CONSTANTS)
def test_constants_of_a_class_that_may_be_set(how):
    for table in (TABLE, LOCAL):
        assert proved(kinds("", f"\n\n{CONSTANTS[how]}"), new=table) != "proved"


@pytest.mark.parametrize("bases", BASES)
def test_members_of_equal_values_are_no_two_keys(bases):
    one = kinds(bases).replace(f"PAPER = {BASES[bases][1]}", f"PAPER = {BASES[bases][0]}")
    assert proved(one) != "proved"
    more = f"class Tone({bases}):\n    LOUD = {BASES[bases][0]}\n\n\n"
    both = TABLE.replace("Kind.PAPER", "Tone.LOUD")
    assert proved(kinds(bases) + more, LADDER.replace("Kind.PAPER", "Tone.LOUD"), both) != "proved"


def test_members_of_a_module_beside_are_keys(tmp_path):
    for side, code in (("old", LADDER), ("new", TABLE)):
        yard = tmp_path / side / "yard"
        yard.mkdir(parents=True)
        (yard / "__init__.py").write_text("")
        (yard / "kinds.py").write_text(kinds("enum.Enum"))
        (yard / "gate.py").write_text(f"from yard.kinds import Kind\n\n\n{code}")
    found = dreck.compare(tmp_path / "old/yard/gate.py", tmp_path / "new/yard/gate.py", assume=ASSUMED, trial=False)
    assert found.status == "proved", str(found)


@pytest.mark.parametrize("table", [TABLE, LOCAL], ids=["of the module", "of the function"])
@pytest.mark.parametrize(
    ("text", "holds"),
    [
        ("GLASS = 1\nPAPER = 2\n", True),
        ("GLASS = 1\nPAPER = 1\n", False),
        ("GLASS = 1\nPAPER = GLASS\n", False),
        ("GLASS: int = 1\nPAPER: int = True\n", False),
        ("GLASS = 'g'\nPAPER = 'p'\n", True),
    ],
)
def test_constants_of_a_module_beside_are_keys_where_they_differ(tmp_path, text, holds, table):
    for side, code in (("old", LADDER), ("new", table)):
        yard = tmp_path / side / "yard"
        yard.mkdir(parents=True)
        (yard / "__init__.py").write_text("")
        (yard / "kinds.py").write_text(text)
        (yard / "gate.py").write_text(f"from yard import kinds\n\n\n{code}".replace("Kind.", "kinds."))
    found = dreck.compare(tmp_path / "old/yard/gate.py", tmp_path / "new/yard/gate.py", assume=ASSUMED, trial=False)
    assert (found.status == "proved") is holds, str(found)


@pytest.mark.parametrize("keys", ["EAGAIN, EWOULDBLOCK", "EAGAIN, EINTR"])
def test_a_test_over_constants_of_the_library_is_a_table(keys):
    one, two = keys.split(", ")
    head = "import errno\n\n\n"
    old, new = (text.replace("Kind.GLASS", f"errno.{one}").replace("Kind.PAPER", f"errno.{two}") for text in (LADDER, LOCAL))
    assert (proved(head, old, new) == "proved") is (two == "EINTR")


@pytest.mark.parametrize("word", ["CANS", "GLASS"])
def test_no_test_reads_quietly_what_is_not_there(word):
    old = LADDER.replace("Kind.PAPER", f"Kind.{word}")
    new = LADDER.replace("def line(kind):\n", f"def line(kind):\n    if kind == Kind.{word}:\n        pass\n")
    assert (proved(kinds("enum.Enum"), old, new.replace("Kind.PAPER", f"Kind.{word}")) == "proved") is (word == "GLASS")


STRANGE = "class Strange:\n    def __eq__(self, other):\n        return LOG.append(other)\n\n\nLOG = []\n\n\n"


@pytest.mark.parametrize(
    ("head", "holds"),
    [
        ("from yard.kinds import Kind\n\n\n", True),
        ("from yard.kinds import Strange, Kind\n\n\n", True),
        ("class Kind:\n    GLASS = Strange()\n    PAPER = Strange()\n\n\n", False),
        ("import yard.kinds\nKind = yard.kinds.of_today()\n\n\n", False),
    ],
)
def test_constants_of_elsewhere_are_plain_where_that_is_assumed(head, holds):
    texts = [STRANGE + head + code for code in (LADDER, LADDER.replace("if kind == Kind.PAPER", "elif kind == Kind.PAPER"))]
    again = "def line(kind):\n    if kind == Kind.PAPER:\n        pass\n" + LADDER.partition("\n")[2]
    for assume in ([], ["plain-kind", "steady-constants", "quiet-tests"]):
        found = dreck.compare(texts[0], STRANGE + head + again, assume=assume, trial=False)
        assert (found.status == "proved") is (holds and bool(assume)), str(found)
    assert dreck.compare(*texts, trial=False).status == "proved"


BY_ANY_NAME = {
    "a loop": "for made in (Kind,):\n    setattr(made, '__e' + 'q__', told)\n",
    "a comprehension": "[setattr(made, name, told) for made in (Kind,) for name in ('__e' + 'q__',)]\n",
}


@pytest.mark.parametrize("how", BY_ANY_NAME)
@pytest.mark.parametrize("bases", BASES)
@pytest.mark.parametrize("given", ["kind", "kind: int", "kind: Kind"])
def test_a_plain_kind_is_no_member_that_may_get_a_say(bases, how, given):
    told = "def told(self, other):\n    return LOG.append(other)\n\n\nLOG = []\n"
    old = LADDER.replace("kind)", f"{given})")
    new = f"def line({given}):\n    if kind == Kind.PAPER:\n        return 'press'\n" + old.partition("\n")[2]
    assert proved(kinds(bases, f"\n\n{told}{BY_ANY_NAME[how]}"), old, new) != "proved"
    some = SOME.replace(" == Kind.METAL", " in (Kind.PAPER,)").replace("kind)", f"{given})", 1)
    head = kinds(bases, f"\n\n{told}{BY_ANY_NAME[how]}")
    assert proved(head, some, some.replace("Kind.GLASS, Kind.PAPER", "Kind.PAPER, Kind.GLASS")) != "proved"


SOME = """\
def line(kind):
    if kind in (Kind.GLASS, Kind.PAPER):
        return "crusher"
    elif kind == Kind.METAL:
        return "magnet"
    return "hand"
"""
OTHERWISE = {
    "a table": (
        "ROWS = {Kind.GLASS: 'crusher', Kind.PAPER: 'crusher', Kind.METAL: 'magnet'}\n\n\n"
        "def line(kind):\n    return ROWS.get(kind, 'hand')\n",
        True,
    ),
    "one by one": (SOME.replace("in (Kind.GLASS, Kind.PAPER)", "== Kind.GLASS or kind == Kind.PAPER"), True),
    "none of them": (
        "def line(kind):\n    if kind not in (Kind.GLASS, Kind.PAPER):\n"
        "        return 'magnet' if kind == Kind.METAL else 'hand'\n    return 'crusher'\n",
        True,
    ),
    "the other way": (
        "def line(kind):\n    if kind == Kind.METAL:\n        return 'magnet'\n"
        "    if kind in (Kind.PAPER, Kind.GLASS):\n        return 'crusher'\n    return 'hand'\n",
        True,
    ),
    "one too few": (SOME.replace("Kind.GLASS, Kind.PAPER", "Kind.GLASS,"), False),
    "one too many": (SOME.replace("Kind.PAPER)", "Kind.PAPER, Kind.METAL)"), False),
    "another": (SOME.replace("Kind.PAPER)", "Kind.METAL)"), False),
    "of another enum": (SOME.replace("Kind.METAL", "Tone.LOUD").replace("elif", "if"), False),
    "a row too few": (
        "ROWS = {Kind.GLASS: 'crusher', Kind.METAL: 'magnet'}\n\n\n"
        "def line(kind):\n    return ROWS.get(kind, 'hand')\n",
        False,
    ),
}


@pytest.mark.parametrize("how", OTHERWISE)
@pytest.mark.parametrize("bases", BASES)
def test_one_of_several_members(bases, how):
    new, holds = OTHERWISE[how]
    metal = f"    METAL = {'3' if 'int' in bases.lower() or bases == 'enum.Enum' else repr('m')}\n"
    head = kinds(bases, metal) + f"class Tone({bases}):\n    LOUD = {BASES[bases][0]}\n\n\n"
    assert (proved(head, SOME, new) == "proved") is holds
    more = head.replace("METAL = 3", "METAL = 1").replace("METAL = 'm'", "METAL = 'g'")  # another name of GLASS
    assert bases == "int, enum.Enum" or proved(more, SOME, OTHERWISE["the other way"][0]) != "proved"
