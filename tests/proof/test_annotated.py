"""What annotations say of classes, and when nobody may believe them."""

import ast

import pytest

import dreck
from dreck.model.names.modules import ModuleNames
from dreck.proof.annotations import annotated_classes, annotated_kinds

CLASSES = """\
class Load:
    pass


class Bale(Load):
    pass


class Drum(Load):
    pass


"""
ASKED = "    if isinstance(x, Bale):\n        return 1\n    if isinstance(x, Drum):\n        return 2\n    return 3\n"
SHORT = "    if isinstance(x, Bale):\n        return 1\n    return 2\n"


@pytest.mark.parametrize("told", ["x: Bale | Drum", "x: 'Bale | Drum'", "x: Drum", "x: Bale"])
def test_a_class_that_is_named_is_believed(told):
    verdict = dreck.compare(f"{CLASSES}def f({told}):\n{ASKED}", f"{CLASSES}def f({told}):\n{SHORT}")
    assert verdict.status == "proved"
    assert "annotations-hold" in verdict.assumptions


@pytest.mark.parametrize(
    "told",
    [
        "x",
        "x: Load",
        "x: Bale = None",
        "x: Bale = 3",
        "x: Bale | None",
        "*x: Bale",
        "**x: Bale",
        "x: type[Bale]",
        "x: list[Bale]",
    ],
)
def test_not_where_it_says_something_else(told):
    verdict = dreck.compare(f"{CLASSES}def f({told}):\n{ASKED}", f"{CLASSES}def f({told}):\n{SHORT}")
    assert verdict.status != "proved"


@pytest.mark.parametrize(
    "head",
    [
        "class M(type):\n    def __instancecheck__(cls, x):\n        return False\nclass Bale(metaclass=M):\n    pass\n",
        "class M(type):\n    def __instancecheck__(cls, x):\n        return False\nclass R(metaclass=M):\n    pass\n"
        "class Bale(R):\n    pass\n",
        "from typing import Protocol\nclass Bale(Protocol):\n    kilos: int\n",
        "from elsewhere import Root\nclass Bale(Root):\n    pass\n",
    ],
)
def test_not_of_a_class_that_may_say_more(head):
    old = f"{head}def f(x: Bale):\n    if isinstance(x, Bale):\n        return 1\n    return 3\n"
    assert dreck.compare(old, f"{head}def f(x: Bale):\n    return 1\n").status != "proved"


PROPERTY = "class Load:\n    @property\n    def fee(self):\n        return 3\n\n    def cost(self):\n        return self.fee\n\n"


def test_a_property_that_one_function_alone_asks_for_is_looked_into():
    verdict = dreck.compare(
        f"{PROPERTY}def f(x: Load):\n    return 3\n", f"{PROPERTY}def f(x: Load):\n    return x.fee\n"
    )
    assert verdict.status == "proved"
    assert "closed-families" in verdict.assumptions


@pytest.mark.parametrize(
    "more",
    [
        "class Big(Load):\n    @property\n    def fee(self):\n        return 4\n",
        "class Big(Load):\n    fee = 4\n",
        "Load.fee = 5\n",
        "setattr(Load, 'fee', 5)\n",
    ],
)
def test_not_where_it_may_be_another(more):
    head = PROPERTY + more
    verdict = dreck.compare(f"{head}def f(x: Load):\n    return 3\n", f"{head}def f(x: Load):\n    return x.fee\n")
    assert verdict.status != "proved"


@pytest.mark.parametrize(
    "head",
    [
        "class Enum:\n    def __init_subclass__(cls):\n        cls.GLASS = cls.PAPER\n",
        "from odd import Enum\n",
        "from enum import Enum as Odd\nclass Enum(Odd):\n    def __eq__(self, other):\n        return True\n    __hash__ = None\n",
    ],
)
def test_members_are_believed_to_differ_only_in_a_real_enum(head):
    head += "class Kind(Enum):\n    GLASS = 1\n    PAPER = 2\n"
    one, two = ("    if k == Kind.GLASS:\n        return 1\n", "    if k == Kind.PAPER:\n        return 2\n")
    verdict = dreck.compare(f"{head}def f(k):\n{one}{two}    return 3\n", f"{head}def f(k):\n{two}{one}    return 3\n")
    assert verdict.status != "proved"


def test_not_where_the_class_of_an_object_changes():
    head = f"{CLASSES}def f(x: Bale):\n    x.__class__ = Load\n"
    old, new = f"{head}    if isinstance(x, Bale):\n        return 1\n    return 2\n", f"{head}    return 1\n"
    assert dreck.compare(old, new).status != "proved"


def test_not_where_the_default_is_of_another_type():
    assert (
        dreck.compare("def f(a: int = 2.5):\n    return a + 0\n", "def f(a: int = 2.5):\n    return a\n").status
        != "proved"
    )


@pytest.mark.parametrize(
    ("module", "kinds"),
    [
        ("class Paper: pass\n", ["Paper"]),
        ("class Base: pass\nclass Paper(Base): pass\n", ["Paper"]),
        ("class Paper(Exception): pass\n", ["Paper"]),
        ("from enum import Enum\nclass Paper(Enum): A = 1\n", ["Paper"]),
        ("from enum import Enum as E\nclass Paper(E): A = 1\n", ["Paper"]),
        ("from typing import NamedTuple\nclass Paper(NamedTuple):\n    n: int\n", ["Paper"]),
        ("from typing import Protocol\nclass Paper(Protocol): pass\n", None),
        ("from typing import Protocol as NamedTuple\nclass Paper(NamedTuple): pass\n", None),
        ("from abc import ABC as Enum\nclass Paper(Enum): pass\n", None),
        ("class Odd(type): pass\nclass Paper(metaclass=Odd): pass\n", None),
        ("class Odd(type): pass\nclass Base(metaclass=Odd): pass\nclass Paper(Base): pass\n", None),
        ("import yard\nclass Paper(yard.Base): pass\n", None),
        ("from yard import Base\nclass Paper(Base): pass\n", None),
        ("class Paper: pass\nPaper = 3\n", None),
        ("class Bale: pass\nPaper = Bale\n", ["Bale"]),
        ("class Bale: pass\nclass Drum: pass\nPaper = Bale | Drum\n", ["Bale", "Drum"]),
        ("from typing import Union\nclass Bale: pass\nPaper = Union[Bale, 'Bale']\n", ["Bale", "Bale"]),
        ("class Bale: pass\nPaper = Bale if Bale else None\n", None),
        ("class Bale: pass\nPaper = list[Bale]\n", None),
        ("from typing import NewType\nclass Bale: pass\nPaper = NewType('Paper', Bale)\n", ["Bale"]),
        ("from yard import NewType\nclass Bale: pass\nPaper = NewType('Paper', Bale)\n", None),
        ("from typing import TypeAlias\nclass Bale: pass\nPaper: TypeAlias = Bale\n", ["Bale"]),
        ("class Bale: pass\nPaper: Bale = Bale\n", None),
    ],
)
def test_classes_that_annotations_name(module, kinds):
    names = ModuleNames(ast.parse(module))
    for said in ("Paper", "'Paper'"):
        function = ast.parse(f"def f(x: {said}): pass").body[0]
        found = annotated_classes(function, names, names)
        assert found == ({"x": kinds} if kinds else {})
        assert annotated_classes(function, names, names, frozenset({"Paper"})) == {}


def test_both_modules_have_to_mean_plain_classes():
    plain, odd = "class Bale: pass\n", "class Odd(type): pass\nclass Bale(metaclass=Odd): pass\n"
    function = ast.parse("def f(x: Bale): pass").body[0]
    modules = [ModuleNames(ast.parse(text)) for text in (plain, odd)]
    assert annotated_classes(function, modules[0], modules[0]) == {"x": ["Bale"]}
    assert annotated_classes(function, *modules) == annotated_classes(function, *modules[::-1]) == {}


AROUND = {"int", "float", "str", "Kilos", "Literal", "Wetness"}


@pytest.mark.parametrize(
    ("said", "kinds"),
    [
        ("n: int", {"int", "bool"}),
        ("n: 'int'", {"int", "bool"}),
        ("n: int = 3", {"int", "bool"}),
        ("n: int = True", {"int", "bool"}),
        ("n: float = 3", {"int", "bool", "float"}),
        ("n: str = 'a'", {"str"}),
        ("n: Kilos", {"int", "bool"}),
        ("*, n: Kilos = 3", {"int", "bool"}),
        ("n: int = None", None),
        ("n: int = 'a'", None),
        ("n: int = LIMIT", None),
        ("n: bool = 1", None),
        ("n: int | None", {"int", "bool", "NoneType"}),
        ("n: 'int | None' = None", {"int", "bool", "NoneType"}),
        ("n: Optional[Kilos] = None", {"int", "bool", "NoneType"}),
        ("n: t.Union[str, bytes, 'float']", {"str", "bytes", "int", "bool", "float"}),
        ("n: Literal['wet', 3]", {"str", "int", "bool"}),
        ("n: Optional[Literal[True]]", {"bool", "NoneType"}),
        ("n: Wetness", {"str"}),
        ("n: Literal[Color.RED]", None),
        ("n: Own[int]", None),
        ("n: int | list", None),
        ("n: Optional[list[int]]", None),
        ("n: 'int |'", None),
        ("n: list", None),
        ("*n: int", None),
        ("n", None),
    ],
)
def test_plain_types_that_annotations_name(said, kinds):
    code = (
        "import typing as t\nfrom typing import Literal, NewType, Optional, TypeAlias\nKilos = NewType('Kilos', int)\n"
    )
    code += "LIMIT = 3\nWetness: TypeAlias = Literal['wet', 'dry']\nclass Own: pass\n"
    names = ModuleNames(ast.parse(code))
    function = ast.parse(f"def f({said}): pass").body[0]
    assert annotated_kinds(function, names, names) == ({"n": frozenset(kinds)} if kinds else {})
    assert annotated_kinds(function, names, names, around=frozenset(AROUND)) == {}
