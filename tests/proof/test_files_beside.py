"""Two versions among files of their own: what these define otherwise counts, however far away."""

from pathlib import Path

import pytest

import dreck
from dreck.workbench.compare.compare import compare_texts
from dreck.workbench.compare.sides import Text, read_text
from dreck.workbench.compare.wanted import Wanted

YARD = "from {} import {}\ndef f(x):\n    return {}\n"
FILES = {
    "a helper": ("helper", "helper(x)", "def helper(x):\n    return x\n", "def helper(x):\n    return x + 1\n"),
    "what a helper calls": (
        "helper",
        "helper(x)",
        "def other(x):\n    return x\ndef helper(x):\n    return other(x)\n",
        "def other(x):\n    return x + 1\ndef helper(x):\n    return other(x)\n",
    ),
    "a constant behind a helper": (
        "helper",
        "helper(x)",
        "LIMIT = 1\ndef helper(x):\n    return x > LIMIT\n",
        "LIMIT = 2\ndef helper(x):\n    return x > LIMIT\n",
    ),
    "a base of a class": (
        "Bin",
        "isinstance(x, Bin)",
        "class Box:\n    pass\nclass Bin(Box):\n    def size(self):\n        return 1\n",
        "class Box:\n    def __new__(cls):\n        return 1\nclass Bin(Box):\n    def size(self):\n        return 1\n",
    ),
    "a constant": ("LIMIT", "x > LIMIT", "LIMIT = 1\n", "LIMIT = 2\n"),
    "an enum": (
        "Kind",
        "x == Kind.GLASS",
        "from enum import Enum\nclass Kind(Enum):\n    GLASS = 1\n",
        "from enum import Enum\nclass Kind(Enum):\n    GLASS = 2\n",
    ),
    "a monkey patch": (
        "Bin",
        "Bin().size()",
        "class Bin:\n    def size(self):\n        return 1\n",
        "class Bin:\n    def size(self):\n        return 1\nBin.size = lambda self: 2\n",
    ),
    "a name bound again": (
        "helper",
        "helper(x)",
        "def helper(x):\n    return x\n",
        "def helper(x):\n    return x\nfrom operator import neg as helper\n",
    ),
}


def two(tmp_path: Path, yard: str, old: dict[str, str], new: dict[str, str]):
    for name, files in (("old", old), ("new", new)):
        (tmp_path / name).mkdir()
        for file, text in {"yard": yard, **files}.items():
            (tmp_path / name / f"{file}.py").write_text(text)
    sides = (read_text(tmp_path / name / "yard.py") for name in ("old", "new"))
    return dict(compare_texts(*sides, Wanted(trial=False)).functions)["f"]


@pytest.mark.parametrize("name", FILES)
def test_what_a_file_beside_defines_otherwise(tmp_path, name):
    imported, code, old, new = FILES[name]
    assert two(tmp_path, YARD.format("beside", imported, code), {"beside": old}, {"beside": new}).status != "proved"


@pytest.mark.parametrize("name", FILES)
def test_as_a_module(tmp_path, name):
    imported, code, old, new = FILES[name]
    yard = f"import beside\ndef f(x):\n    return {code.replace(imported, 'beside.' + imported)}\n"
    assert two(tmp_path, yard, {"beside": old}, {"beside": new}).status != "proved"


@pytest.mark.parametrize("name", FILES)
def test_two_files_away(tmp_path, name):
    imported, code, old, new = FILES[name]
    through = f"from far import {imported}\n"
    found = two(
        tmp_path,
        YARD.format("beside", imported, code),
        {"beside": through, "far": old},
        {"beside": through, "far": new},
    )
    assert found.status != "proved"


def test_what_does_not_lead_there_does_not_count(tmp_path):
    same = "def helper(x):\n    return x\n"
    old, new = same + "def unused():\n    return 1\n", same + "def unused():\n    return 2\n"
    found = two(tmp_path, YARD.format("beside", "helper", "helper(x)"), {"beside": old}, {"beside": new})
    assert found.status == "proved"


def test_a_file_named_from_inside_its_own_package(tmp_path, monkeypatch):
    """The path is a relative one and the package has no end above it: the looking for neighbours has."""
    (tmp_path / "__init__.py").write_text("")
    (tmp_path / "gate.py").write_text("LIMIT = 3\n")
    old = "import gate\nfrom gate import LIMIT\n\n\ndef fee(kilos):\n    return LIMIT if kilos else 0\n"
    new = (
        "import gate\nfrom gate import LIMIT\n\n\ndef fee(kilos):\n    if kilos:\n        return LIMIT\n    return 0\n"
    )
    (tmp_path / "old.py").write_text(old)
    (tmp_path / "new.py").write_text(new)
    monkeypatch.chdir(tmp_path)
    assert dreck.compare("old.py", "new.py").status == "proved"


PACKAGES = {
    "the package itself": ("from yard import helper", "helper(x)", {"__init__": "def helper(x):\n    return x{}\n"}),
    "a module of it": (
        "from yard import gate",
        "gate.helper(x)",
        {"__init__": "", "gate": "def helper(x):\n    return x{}\n"},
    ),
    "a module of it, by way of the package": (
        "from yard import helper",
        "helper(x)",
        {"__init__": "from .gate import helper\n", "gate": "def helper(x):\n    return x{}\n"},
    ),
    "what comes before a module of it": (
        "from yard import gate",
        "gate.helper(x)",
        {
            "__init__": "from . import other as gate\n",
            "other": "def helper(x):\n    return x{}\n",
            "gate": "def helper(x):\n    return x\n",
        },
    ),
}


@pytest.mark.parametrize("name", PACKAGES)
def test_packages(name: str, tmp_path):
    """A package is its `__init__.py`, and what that binds comes before the modules that lie in it."""
    imported, value, files = PACKAGES[name]
    code = f"{imported}\ndef f(x):\n    return {value}\n"
    alike, apart = ({f: t.format("", "") for f, t in files.items()}, {f: t.format(" + 1") for f, t in files.items()})
    for place, inside in (("old", alike), ("new", apart)):
        (tmp_path / place / "yard").mkdir(parents=True)
        (tmp_path / place / "main.py").write_text(code)
        for file, text in inside.items():
            (tmp_path / place / "yard" / f"{file}.py").write_text(text)
    sides = [read_text(tmp_path / place / "main.py") for place in ("old", "new")]
    assert dict(compare_texts(*sides, Wanted(trial=False)).functions)["f"].status != "proved"
    inlined = Text(sides[0].path, f"{imported}\ndef f(x):\n    return x\n")
    looked_into = name != "what comes before a module of it"
    told = dict(compare_texts(sides[0], inlined, Wanted(trial=False)).functions)["f"].status
    assert (told == "proved") is (looked_into and "by way" not in name)


def test_a_module_is_not_looked_into_where_its_package_has_something_else_of_that_name(tmp_path):
    (tmp_path / "yard").mkdir()
    (tmp_path / "yard" / "gate.py").write_text("def helper(x):\n    return x\n")
    for first, is_known in (("", True), ("gate = 3\n", False), ("def __getattr__(name):\n    return 3\n", False)):
        (tmp_path / "yard" / "__init__.py").write_text(first)
        sides = [
            Text(tmp_path / "main.py", f"from yard import gate\ndef f(x):\n    return {v}\n")
            for v in ("gate.helper(x)", "x")
        ]
        told = dict(compare_texts(*sides, Wanted(trial=False)).functions)["f"].status
        assert (told == "proved") is is_known, first


THIRD = {
    "found by its name": ("import importlib\ndef f(): return importlib.import_module('b').g()\n", "", ""),
    "all names of a file": ("from b import *\ndef f(): return g()\n", "", ""),
    "put into a list elsewhere": (
        "from b import L\nimport c\ndef f(): return L[0]()\n",
        "L = []\n",
        "from b import L\ndef g(): return {}\nL.append(g)\n",
    ),
    "handed to a decorator elsewhere": (
        "from b import L\nimport c\ndef f(): return L[0]()\n",
        "L = []\ndef keep(g):\n    L.append(g)\n    return g\n",
        "from b import keep\n@keep\ndef g(): return {}\n",
    ),
    "a class named in a text": (
        "from b import B\ndef f(x: 'B'): return x.m()\n",
        "class B:\n    def m(self): return {}\n",
        "",
    ),
    "a constant in a class": ("from b import N\nclass C:\n    n = N\ndef f(): return C.n\n", "N = {}\n", ""),
    "a constant in a table": ("from b import N\nTABLE = (N, 5)\ndef f(x): return x in TABLE\n", "N = {}\n", ""),
}
"""A file, one it imports, and a third one; `{}` is another number in each version."""


@pytest.mark.parametrize("name", THIRD)
def test_what_others_do_to_what_it_uses(tmp_path, name):
    files = dict(zip(("a", "b", "c"), THIRD[name], strict=True))
    for side, number in (("old", 1), ("new", 2)):
        (tmp_path / side).mkdir()
        for file, text in files.items():
            text = text or "def g(): return {}\n"
            (tmp_path / side / f"{file}.py").write_text(text.replace("{}", str(number)))
    verdict = dreck.compare(f"{tmp_path}/old/a.py::f", f"{tmp_path}/new/a.py::f", trial=False)
    assert verdict.status != "proved"


STRAIGHT = "def t(a):\n    if a:\n        return 1\n    return 2\n"
NESTED = "def t(a):\n    if a:\n        return 1\n    else:\n        return 2\n"
USES = {"a": f"from b import g\n{STRAIGHT}def f(a):\n    return g(a)\n"}
ASKS = "def g(x):\n    return t(x)\n"
HELD = {"b": "K = {}\ndef g(x):\n    return K.get(x)\n"}
PUTS = {"c": "import b\ndef inner():\n    b.K['a'] = 1\ndef go():\n    inner()\n", "d": "import c\nc.go()\n"}
FOLDERS = {
    "filled by a file nobody imports": ({**HELD, "c": "import b\nb.K['a'] = 1\n"}, {"c": "import b\nb.K['a'] = 2\n"}),
    "set by a file nobody imports": ({**HELD, "c": "import b\n"}, {"c": "import b\nb.g = lambda x: 1\n"}),
    "filled in a loop": ({**HELD, "c": "import b\n"}, {"c": "from b import K\nfor i in range(3):\n    K[i] = i\n"}),
    "filled by what another file calls": ({**HELD, **PUTS}, {"c": PUTS["c"].replace("= 1", "= 2")}),
    "filled by a file that is new": (HELD, {"c": "import b\nb.K['a'] = 2\n"}),
    "bound again after it is filled": (
        {"e": "K = {}\n", "b": "from e import K\nK = {}\nK.update(a=1)\ndef g(x):\n    return K.get(x)\n"},
        {"b": "from e import K\nK.update(a=1)\ndef g(x):\n    return K.get(x)\nK = {}\n"},
    ),
    "kept by a decorator of another file": (
        {"b": "H = []\ndef reg(f):\n    H.append(f)\n    return f\ndef g(x):\n    return H[0](x)\n", "c": "import b\n@b.reg\ndef h(x):\n    return x\n"},
        {"c": "import b\n@b.reg\ndef h(x):\n    return x + 1\n"},
    ),
    "registered for a generic function of another file": (
        {"b": "from functools import singledispatch\n@singledispatch\ndef g(x):\n    return 0\n", "c": "from b import g\n@g.register(int)\ndef h(x):\n    return 1\n"},
        {"c": "from b import g\n@g.register(int)\ndef h(x):\n    return 2\n"},
    ),
    "below a class that knows what is below it": (
        {"b": "class P:\n    def __init_subclass__(cls):\n        P.last = cls\ndef g(x):\n    return P.last().m()\n", "c": "import b\nclass Q(b.P):\n    def m(self):\n        return 1\n"},
        {"c": "import b\nclass Q(b.P):\n    def m(self):\n        return 2\n"},
    ),
    "found among the classes below": (
        {"b": "class P:\n    pass\ndef g(x):\n    return P.__subclasses__()[0]().m()\n", "c": "import b\nclass Q(b.P):\n    def m(self):\n        return 1\n"},
        {"c": "import b\nclass Q(b.P):\n    def m(self):\n        return 2\n"},
    ),
    "what the function of the other file rests on": (
        {"e": "N = 1\n", "b": "from e import N\ndef g(x):\n    return N\n"},
        {"e": "N = 2\n"},
    ),
}  # fmt: skip
ALIKE = {
    "the function of the other file, proved": ({"b": ASKS + NESTED}, {"b": ASKS + STRAIGHT}),
    "a helper taken out of it": ({"b": "def g(x):\n    return x + 1\n"}, {"b": "def _plus(x):\n    return x + 1\ndef g(x):\n    return _plus(x)\n"}),
    "a new file that does nothing": (HELD, {"c": "import b\ndef h():\n    return b.g(1)\n"}),
}  # fmt: skip


def in_folders(tmp_path: Path, old: dict[str, str], new: dict[str, str]) -> str:
    turned = {"a": USES["a"].replace(STRAIGHT, NESTED)}
    for side, files in (("old", {**old, **turned}), ("new", {**old, **USES, **new})):
        (tmp_path / side).mkdir()
        for name, text in files.items():
            (tmp_path / side / f"{name}.py").write_text(text)
    found = dict(dreck.compare(tmp_path / "old", tmp_path / "new", trial=False).functions)
    assert found["a.py::t"].status == "proved"
    return found["a.py::f"].status


@pytest.mark.parametrize("name", FOLDERS)
def test_what_files_of_two_folders_do_to_one_another(tmp_path, name):
    assert in_folders(tmp_path, *FOLDERS[name]) != "proved"


@pytest.mark.parametrize("name", ALIKE)
def test_a_function_rests_on_what_is_proved_in_another_file(tmp_path, name):
    assert in_folders(tmp_path, *ALIKE[name]) == "proved"


GATE = "class Gate:\n    width = {width}\n\n    def go(self):\n        return {answer}\n"
USING = "from {where} import {what}\n\n\ndef f(one, two):\n    if two:\n        return one.{asked}\n    return 0\n"
TURNED = USING.replace(
    "if two:\n        return one.{asked}\n    return 0", "if not two:\n        return 0\n    return one.{asked}"
)


@pytest.mark.parametrize(
    ("where", "what", "asked", "status"),
    [
        ("gate", "Gate", "go()", "unsettled"),
        ("gate", "Gate", "width", "unsettled"),
        ("hall", "Gate", "go()", "unsettled"),
        ("hall", "Other", "go()", "proved"),
        ("gate", "Gate", "height", "proved"),
    ],
)
def test_methods_of_classes_that_are_imported_count_by_their_last_names(tmp_path, where, what, asked, status):
    told = {"where": where, "what": what, "asked": asked}
    for side, text, width in (("old", USING, 1), ("new", TURNED, 2)):
        (tmp_path / side).mkdir()
        (tmp_path / side / "gate.py").write_text(GATE.format(width=width, answer=width))
        (tmp_path / side / "hall.py").write_text("from gate import Gate\n\n\nclass Other:\n    pass\n")
        (tmp_path / side / "yard.py").write_text(text.format(**told))
    files = tmp_path / "old" / "yard.py", tmp_path / "new" / "yard.py"
    assert dreck.compare(*map(str, files), trial=False).status == status


DESK = """\
class Glass: pass
class Paper: pass
class Desk:
    def take(self, x):
        return x > 3
    def kind(self, one):
        if isinstance(one, Glass):
            return 1
        if isinstance(one, Paper):
            return 2
        return 0
def toll(one):
    if isinstance(one, Glass):
        return 1
    return 0
"""
DESK_CUT = """\
from functools import singledispatch
class Glass: pass
class Paper: pass
class Desk:
    def take(self, x):
        return self.weigh(x)
    def weigh(self, x):
        return x > 3
    def kind(self, one):
        if isinstance(one, Paper):
            return 2
        if isinstance(one, Glass):
            return 1
        return 0
def toll(one):
    return toll_of(one)
@singledispatch
def toll_of(one):
    return 0
@toll_of.register(Glass)
def _(one):
    return 1
"""
KIN = {
    "nothing": ("", {"Desk.take", "Desk.kind", "toll"}),
    "a class that inherits": ("class Small(Desk): pass\n", {"Desk.take", "Desk.kind", "toll"}),
    "a class that overrides": ("class Small(Desk):\n    def weigh(self, x): return 9\n", {"Desk.kind", "toll"}),
    "the same by another name": (
        "from desk import Desk as D\nclass Small(D):\n    def weigh(self, x): return 9\n",
        {"Desk.kind", "toll"},
    ),
    "the same with more in its statement": (
        "class Small(Desk, **dict(zip(('a'[0:0]), (1,)))):\n    def weigh(self, x): return 9\n",
        {"Desk.kind", "toll"},
    ),
    "the same one further": (
        "class Less(Desk): pass\nclass Small(Less):\n    def weigh(self, x): return 9\n",
        {"Desk.kind", "toll"},
    ),
    "a class of both kinds": ("class Both(Paper, Glass): pass\n", {"Desk.take", "toll"}),
    "something is registered": (
        "def set_up():\n    desk.toll_of.register(int)(lambda one: 7)\n",
        {"Desk.take", "Desk.kind"},
    ),
    "the same by another name for it": (
        "from desk import toll_of as t\ndef set_up():\n    t.register(int)(lambda one: 7)\n",
        {"Desk.take", "Desk.kind"},
    ),
}


@pytest.mark.parametrize("name", KIN)
def test_classes_of_other_files_count_for_those_they_derive_from(tmp_path, name):
    text, proved = KIN[name]
    beside = "import desk\nfrom desk import Desk, Glass, Paper\n"
    for side, own, other in (("old", DESK, beside + text), ("new", DESK_CUT, beside + text)):
        (tmp_path / side).mkdir()
        (tmp_path / side / "desk.py").write_text(own)
        (tmp_path / side / "small.py").write_text(other)
    found = dict(dreck.compare(tmp_path / "old", tmp_path / "new", trial=False).functions)
    assert {n for n in ("Desk.take", "Desk.kind", "toll") if found[f"desk.py::{n}"].status == "proved"} == proved


LOAD = "class Load:\n    def __init__(self):\n        self.n = []\n"
LOUD = "property(lambda s: s.n.append(1) or len(s.n))"
OPENED = f"def opened(kind):\n    for word in ('k', 'm'):\n        setattr(kind, word, {LOUD})\n    return kind\n"
SHAPED = {
    "nothing": ({"kinds": LOAD}, "from kinds import Load", "x.k", True),
    "a third file under names worked out": (
        {"kinds": LOAD, "put": f"from kinds import Load\nfor word in ('k', 'm'):\n    setattr(Load, word, {LOUD})\n"},
        "from kinds import Load",
        "x.k",
        False,
    ),
    "a third file under its name": (
        {"kinds": LOAD, "put": f"from kinds import Load\nLoad.k = {LOUD}\n"},
        "from kinds import Load",
        "x.k",
        False,
    ),
    "a decorator of a third file": (
        {"opening": OPENED, "kinds": f"from opening import opened\n@opened\n{LOAD}"},
        "from kinds import Load",
        "x.k",
        False,
    ),
    "a module that answers itself": (
        {"rates": "LOG = []\ndef __getattr__(name):\n    LOG.append(name)\n    return len(LOG)\n"},
        "import rates",
        "rates.k",
        False,
    ),
    "a module that answers itself for others": (
        {"rates": "k = 3\ndef __getattr__(name):\n    return len(name)\n"},
        "import rates",
        "rates.k",
        True,
    ),
}


@pytest.mark.parametrize("name", SHAPED)
def test_attributes_that_other_files_give(tmp_path, name):
    files, brings, asked, is_proved = SHAPED[name]
    kind = ": Load" if "Load" in brings else ""
    for side, body in (("old", f"return {asked} + {asked}"), ("new", f"k = {asked}\n    return k + k")):
        (tmp_path / side).mkdir()
        for file, text in {**files, "desk": f"{brings}\ndef f(x{kind}):\n    {body}\n"}.items():
            (tmp_path / side / f"{file}.py").write_text(text)
    found = dict(dreck.compare(tmp_path / "old", tmp_path / "new", trial=False).functions)
    assert (found["desk.py::f"].status == "proved") is is_proved
