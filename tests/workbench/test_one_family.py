"""What may tell an object from what it was, once its class is one of several: each is refused, and its like is not."""

from pathlib import Path

import pytest

from dreck.proof.one_family import NotOneFamily
from dreck.proof.readback import seen_through
from dreck.source.functions import parse
from tests.workbench.test_families import CALL, FAMILY, HOME

REFUSED = {
    "a method that gets the class": ([("class GlassLoad", "    @classmethod\n    def of(kin):\n        return 1\n\n\nclass GlassLoad")], "gets the class"),
    "slots": ([("class Load:", "class Load:\n    __slots__ = ('kind', 'kilos')")], "has __slots__"),
    "what notices classes below": ([("class Load:", "class Load:\n    def __init_subclass__(kin):\n        pass\n")], "has __init_subclass__"),
    "another name in the class": ([("        return 1\n", "        return 1\n\n    total = fee\n")], "speaks of fee"),
    "a property of it": ([("        return 1\n", "        return 1\n\n    total = property(fee)\n")], "speaks of fee"),
    "a default of it": ([("        return 1\n", "        return 1\n\n    def more(self, how=fee):\n        return how\n")], "speaks of fee"),
    "a decorator of it": ([("        return 1\n", "        return 1\n\n    @wrapped(fee)\n    def more(self):\n        return 2\n")], "speaks of fee"),
    "a name of its own class": ([("return 3", "return self.__rate")], "another name in another class"),
    "a global name of its own class": ([("return 3", "return __rate")], "another name in another class"),
    "a class above that nobody binds": ([("class Load:", "class Load(Shed):")], "may notice"),
    "another object above": ([("class Load:", "class object(metaclass=Meta):\n    pass\n\n\nclass Load(object):")], "may notice"),
    "the name of what comes in": ([(CALL, "    kin = CALLED\n    return kin.__name__")], "reads __name__"),
    "a parameter of its own class": ([("return 3", "return (lambda __x: 3)(1)")], "another name in another class"),
    "a default that is made anew": ([("season)", "season=[])")], "worked out once more"),
    "a default of the class": ([("class Load:", "class Load:\n    rate = 2\n"), ("season)", "season=rate)")], "worked out once more"),
    "a default that changes": ([("class Load:", "RATE = 1\nRATE = 2\n\n\nclass Load:"), ("season)", "season=RATE)")], "worked out once more"),
    "a keyword that is made anew": ([("season)", "*, season=[])")], "worked out once more"),
    "an annotation that is worked out": ([("season)", "season: list[int])")], "annotation"),
    "an annotation of the class": ([("class Load:", "class Load:\n    Rate = int\n"), ("season)", "season: Rate)")], "annotation"),
    "what it gives, of the class": ([("class Load:", "class Load:\n    Rate = int\n"), ("season):\n        return 3", "season) -> Rate:\n        return 3")], "annotation"),
    "a special method of a kind": ([("        return 1\n", "        return 1\n\n    def __len__(self):\n        return 0\n"), ("        return 3\n", "        return 3\n\n    def __len__(self):\n        return 2\n")], "Python asks|brings"),
    "a class from elsewhere above": ([("class Load:", "from shed import Shed\n\n\nclass Load(Shed):")], "may notice"),
    "a class above that is bound twice": ([("class Load:", "class Shed:\n    pass\n\n\nclass Shed:\n    x = 1\n\n\nclass Load(Shed):")], "may notice"),
    "a class above that functions bind": ([("class Load:", "class Shed:\n    pass\n\n\ndef f():\n    global Shed\n    Shed = 1\n\n\nclass Load(Shed):")], "may notice"),
    "a metaclass above": ([("class Load:", "class Shed(metaclass=Meta):\n    pass\n\n\nclass Load(Shed):")], "may notice"),
    "a decorator above": ([("class Load:", "@seen\nclass Shed:\n    pass\n\n\nclass Load(Shed):")], "may notice"),
    "a class above that notices": ([("class Load:", "class Shed:\n    def __init_subclass__(kin):\n        pass\n\n\nclass Load(Shed):")], "notices what is made below"),
    "a class further above that notices": ([("class Load:", "class Top:\n    def __init_subclass__(kin):\n        pass\n\n\nclass Shed(Top):\n    pass\n\n\nclass Load(Shed):")], "notices what is made below"),
    "a code that is bound twice": ([("class Load:", "GLASS = 1\nGLASS = 2\n\n\nclass Load:"), ('"glass": G', "GLASS: G")], "another value"),
    "a code that functions bind": ([("class Load:", "GLASS = 1\n\n\ndef f():\n    global GLASS\n    GLASS = 2\n\n\nclass Load:"), ('"glass": G', "GLASS: G")], "another value"),
    "a code that anything may bind": ([("class Load:", "GLASS = 1\nglobals()['GLASS'] = 3\n\n\nclass Load:"), ('"glass": G', "GLASS: G")], "another value"),
    "a code of an object that is set": ([("class Load:", "class Kind:\n    GLASS = 1\n\n\ndef f():\n    Kind.GLASS = 3\n\n\nclass Load:"), ('"glass": G', "Kind.GLASS: G")], "set again"),
    "an end before the code": ([("        self.kind = kind\n", "        if kilos:\n            return\n        self.kind = kind\n")], "before it has its kind"),
    "the object before the code": ([("        self.kind = kind\n", "        seen(self)\n        self.kind = kind\n")], "before it has its kind"),
    "an attribute before the code": ([("        self.kind = kind\n", "        self.x = self.rate\n        self.kind = kind\n")], "before it has its kind"),
    "what is above before the code": ([("        self.kind = kind\n", "        super().__init__()\n        self.kind = kind\n")], "before it has its kind"),
    "a handler before the code": ([("        self.kind = kind\n", "        try:\n            self.x = int(kilos)\n        except ValueError:\n            pass\n        self.kind = kind\n")], "before it has its kind"),
    "a code that is changed by keyword": ([("(self, kind, kilos)", "(self, kind, *, kilos)"), ("(kind, kilos):", "(kind, *, kilos):"), ("(kind, kilos)\n", "(kind, kilos=kilos)\n"), ("self.kilos = kilos", "self.kilos = kilos = 3")], "changes kilos"),
    "a constructor that is run again": ([(CALL, "    return make_load('glass', 1).__init__('paper', 2)")], "reads __init__"),
    "the words of an object": ([(CALL, "    return make_load('glass', 1).__dict__")], "reads __dict__"),
    "a class by its name": ([(CALL, "    return find('Load')")], "by its name"),
    "a kind by its name": ([(CALL, "    return find('GlassLoad')")], "by its name"),
    "all names of the module": ([(CALL, "    return globals()")], "uses globals"),
    "a module that looks into objects": ([("class Load:", "import pickle\n\n\nclass Load:")], "uses pickle"),
    "two classes compared": ([(CALL, "    return type(make_load(1, 2)) is type(make_load(3, 4))")], "uses type"),
    "a class compared with what comes in": ([(CALL, "    kin = int\n    return type(make_load(1, 2)) is kin")], "uses type"),
    "a class compared with a star": ([("class Load:", "from shed import *\n\n\nclass Load:"), (CALL, "    return type(make_load(1, 2)) is int")], "uses type"),
    "a class compared with one bound anew": ([("class Load:", "class Shed:\n    pass\n\n\ndef f():\n    global Shed\n    Shed = 1\n\n\nclass Load:"), (CALL, "    return type(make_load(1, 2)) is Shed")], "uses type"),
    "a class compared with a function": ([("class Load:", "def shed():\n    pass\n\n\nclass Load:"), (CALL, "    return type(make_load(1, 2)) is shed")], "uses type"),
    "a class compared with a builtin function": ([(CALL, "    return type(make_load(1, 2)) is len")], "uses type"),
    "a name that is a variable of another kind": ([("return 1", "season = 4\n        x = season\n        return x"), ("return 3", "return x")], "a variable of another"),
    "a constructor that is decorated": ([("    def __init__", "    @seen\n    def __init__")], "no plain constructor"),
    "a factory that does more": ([("def make_load(kind, kilos):\n", "def make_load(kind, kilos):\n    seen(kind)\n")], "does more than choose"),
    "a factory of three lines": ([("def make_load(kind, kilos):\n", "def make_load(kind, kilos):\n    'A load.'\n    seen(kind)\n")], "no plain constructor"),
    "a factory with another default": ([("get(kind, Load)", "get(kind, Load or Load)")], "fall back"),
    "a factory with three words": ([("get(kind, Load)", "get(kind, Load, 3)")], "fall back"),
    "a factory with words by name": ([("get(kind, Load)", "get(kind, Load, more=3)")], "fall back"),
    "a factory that is handed more": ([("(kind, kilos):", "(kind, kilos, *rest):"), ("(self, kind, kilos)", "(self, kind, kilos, *rest)")], "other arguments"),
    "a factory that is handed more by name": ([("(kind, kilos):", "(kind, kilos, **rest):"), ("(self, kind, kilos)", "(self, kind, kilos, **rest)")], "other arguments"),
    "a factory by position alone": ([("(self, kind, kilos)", "(self, kind, kilos, /)")], "other arguments"),
    "a factory that hands on something else by name": ([("(self, kind, kilos)", "(self, kind, *, kilos)"), ("(kind, kilos):", "(kind, *, kilos):"), ("Load)(kind, kilos)", "Load)(kind, kilos=3)")], "hand on"),
    "a kind with an option": ([("class PaperLoad(Load)", "class PaperLoad(Load, more=1)")], "more than a kind"),
    "a kind that is decorated": ([("class PaperLoad(Load)", "@seen\nclass PaperLoad(Load)")], "more than a kind"),
    "a method of a kind that is decorated": ([("class PaperLoad(Load):\n", "class PaperLoad(Load):\n    @seen\n")], "other arguments"),
    "a method that is decorated above": ([("    def fee(self, season):\n        return 1", "    @seen\n    def fee(self, season):\n        return 1")], "other arguments"),
    "a method that the class does not have": ([("        return 3\n", "        return 3\n\n    def more(self):\n        return 1\n")], "brings something"),
    "a table that holds what is called": ([('"paper": PaperLoad', '"paper": made()')], "more than classes|derives"),
    "a table by what is worked out": ([('"paper": PaperLoad', 'made(): PaperLoad')], "more than classes"),
    "a table that is called": ([('KINDS = {"glass": GlassLoad, "paper": PaperLoad}', 'KINDS = dict(glass=GlassLoad)')], "no factory"),
    "a code that another object keeps": ([("self.kind = kind", "kilos.kind = kind")], "does not keep"),
    "a default of the factory": ([("kilos):", "kilos=RATE):"), ("class Load:", "RATE = 2\n\n\nclass Load:")], "worked out where"),
}  # fmt: skip
"""By title the changes of the family, wherever their text stands, and what is said against it."""
READ_BACK = {
    "below object": [("class Load:", "class Load(object):")],
    "below a plain class": [("class Load:", "class Shed:\n    pass\n\n\nclass Load(Shed):")],
    "what is above behind the code": [("        self.kilos = kilos\n", "        self.kilos = kilos\n        super().__init__()\n")],
    "something set before the code": [("        self.kind = kind\n", "        self.x = 3\n        self.kind = kind\n")],
    "a default that stays": [("class Load:", "RATE = 1\n\n\nclass Load:"), ("season)", "season=RATE)")],
    "a constant default": [("season)", "season=3)")],
    "an annotation that stays": [("season)", "season: int)")],
    "a name of Python's": [("return 3", "return 3 if __debug__ else 4")],
    "the code is read": [("return 3", "return self.kind")],
    "a private name in the class": [("        return 1\n", "        return 1\n\n    def own(self):\n        return self.__rate\n")],
    "a name with bars behind it": [(CALL, "    return make_load(1, 2).kilos__")],
    "its class compared within": [("        return 1\n", "        return 1\n\n    def own(self):\n        return type(self) is int\n")],
    "a name that the class reads": [("class Load:", "RATE = 1\n\n\nclass Load:\n    own = RATE\n"), ("season)", "season=RATE)")],
    "a kind with a word to it": [("class PaperLoad(Load):\n", "class PaperLoad(Load):\n    'Of paper.'\n\n"), ("class GlassLoad(Load):\n", "class GlassLoad(Load):\n    pass\n\n")],
    "a class below another's": [("class Load:", "class Odd(shed.Thing):\n    pass\n\n\nclass Load:")],
    "what the factory says": [("def make_load(kind, kilos):\n", "def make_load(kind, kilos):\n    'A load.'\n")],
    "handed on by name": [("(self, kind, kilos)", "(self, kind, *, kilos)"), ("(kind, kilos):", "(kind, *, kilos):"), ("Load)(kind, kilos)", "Load)(kind, kilos=kilos)")],
    "a static method": [("class GlassLoad", "    @staticmethod\n    def of(kind):\n        return 1\n\n\nclass GlassLoad")],
    "a code of a name": [("class Load:", "GLASS = 1\n\n\nclass Load:"), ('"glass": G', "GLASS: G")],
    "a code of an object": [("class Load:", "class Kind:\n    GLASS = 1\n\n\nclass Load:"), ('"glass": G', "Kind.GLASS: G")],
    "compared with another class": [("class Load:", "class Shed:\n    pass\n\n\nclass Load:"), (CALL, "    return type(make_load(1, 2)) is Shed")],
    "compared with a builtin": [(CALL, "    return type(make_load(1, 2)) is int")],
    "the class of a constant": [(CALL, "    return type(3)")],
    "the name of a module": [("class Load:", "import json\n\n\nclass Load:"), (CALL, "    return json.__name__")],
    "asked with isinstance": [(CALL, "    return isinstance(3, Load)")],
    "named among what is exported": [("class Load:", "__all__ = ['Load', 'make_load']\n\n\nclass Load:")],
}  # fmt: skip


def changed(changes):
    text = FAMILY
    for was, becomes in changes:
        assert was in text, was
        text = text.replace(was, becomes)
    return text


@pytest.mark.parametrize("title", REFUSED)
def test_refused(title):
    changes, told = REFUSED[title]
    with pytest.raises(NotOneFamily, match=told):
        seen_through(HOME, "Load", {HOME: changed(changes)})


@pytest.mark.parametrize("title", READ_BACK)
def test_read_back(title):
    text = seen_through(HOME, "Load", {HOME: changed(READ_BACK[title])})[HOME]
    assert "GlassLoad" not in text and "make_load" not in text.replace("'make_load'", "")


DESKS = {
    "the class under another name": ("from loads import Load as L\n", "calls Load L"),
    "the factory under another name": ("from loads import make_load as made\n", "calls make_load made"),
    "two objects compared": ("def same(a, b):\n    return type(a) is type(b)\n", "uses type"),
    "an object set anew": ("def change(a):\n    a.kind = 'paper'\n", "2 places"),
}


@pytest.mark.parametrize("title", DESKS)
@pytest.mark.parametrize("importing", [True, False])
def test_another_file_that_an_object_comes_to(title, importing):
    text, told = DESKS[title]
    desk = Path("desk.py")
    texts = {HOME: FAMILY, desk: text} if importing else {HOME: FAMILY}
    beside = {} if importing else {desk: parse(text, desk)}
    with pytest.raises(NotOneFamily, match=told):
        seen_through(HOME, "Load", texts, beside)


def test_codes_from_another_file():
    kinds = parse("GLASS = 1\nPAPER = 2\n", Path("kinds.py"))
    text = "from kinds import GLASS, PAPER\n\n\n" + FAMILY.replace('"glass": G', "GLASS: G").replace('"paper": P', "PAPER: P")
    back = seen_through(HOME, "Load", {HOME: text}, {Path("kinds.py"): kinds})[HOME]
    assert back.index("return 2") < back.index("return 3")


def test_a_file_that_names_the_module_is_read_back():
    desk = Path("desk.py")
    text = "import loads\nx = loads.make_load('glass', 1)\ny = other.make_load(3)\nz = loads.seen(4)\n"
    back = seen_through(HOME, "Load", {HOME: FAMILY, desk: text})[desk]
    assert back == text.replace("loads.make_load", "loads.Load")


CODES = {
    "two constants": ("", '"glass"', '"paper"', True),
    "two that are equal": ("", "1", "True", False),
    "constants of names": ("GLASS = 1\nPAPER = 2\n", "GLASS", "PAPER", True),
    "constants of names that are equal": ("GLASS = 1\nPAPER = 1.0\n", "GLASS", "PAPER", False),
    "a name that is worked out": ("GLASS = int('1')\nPAPER = 2\n", "GLASS", "PAPER", False),
    "members": ("class Kind(Enum):\n    GLASS = 1\n    PAPER = 2\n", "Kind.GLASS", "Kind.PAPER", True),
    "members of a class with more in it": ("class Kind(Enum):\n    'kinds'\n    GLASS = 1\n    PAPER = 2\n    def of(self):\n        return 1\n", "Kind.GLASS", "Kind.PAPER", True),
    "members that are equal": ("class Kind(Enum):\n    GLASS = 1\n    PAPER = 1\n", "Kind.GLASS", "Kind.PAPER", False),
    "members by number": ("class Kind(Enum):\n    GLASS = auto()\n    PAPER = auto()\n", "Kind.GLASS", "Kind.PAPER", True),
    "members half by number": ("class Kind(Enum):\n    GLASS = auto()\n    PAPER = 1\n", "Kind.GLASS", "Kind.PAPER", False),
    "members of two classes": (
        "class Kind(IntEnum):\n    GLASS = auto()\nclass Other(IntEnum):\n    PAPER = auto()\n", "Kind.GLASS", "Other.PAPER", False,
    ),
    "members of a class that is there twice": (
        "class Kind:\n    GLASS = 1\nclass Kind:\n    GLASS = 2\n    PAPER = 1\n", "3", "4", True,
    ),
}  # fmt: skip


@pytest.mark.parametrize("title", CODES)
def test_of_two_equal_codes_the_last_stands_in_the_table(title):
    head, glass, paper, in_order = CODES[title]
    text = head + FAMILY.replace('"glass": G', f"{glass}: G").replace('"paper": P', f"{paper}: P")
    back = seen_through(HOME, "Load", {HOME: text})[HOME]
    assert (back.index("return 2") < back.index("return 3")) is in_order
