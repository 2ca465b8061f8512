"""Classes and values that are written otherwise and have come to the same: nothing is held against them."""

import pytest

import dreck
from tests.adversary.running import pairs_in

ALIKE = pairs_in("""
=== amounts on the members of an enum
from enum import Enum
--- old
class Kind(Enum):
    GLASS = 1
    PAPER = 2
def fee(k: Kind) -> int:
    if k is Kind.GLASS:
        return 3
    return 5
--- new
class Kind(Enum):
    GLASS = 1, 3
    PAPER = 2, 5
    def __new__(cls, value, fee):
        self = object.__new__(cls)
        self._value_ = value
        self.fee = fee
        return self
def fee(k: Kind) -> int:
    return k.fee
--- call
fee(Kind.GLASS)
=== a base with an abstract method
--- old
class Glass:
    def __init__(self, kilos):
        self.kilos = kilos
class Paper:
    def __init__(self, kilos):
        self.kilos = kilos
def fee(x: Glass | Paper) -> int:
    if isinstance(x, Glass):
        return 3
    return 5
--- new
from abc import ABC, abstractmethod
class Load(ABC):
    @abstractmethod
    def fee(self) -> int: ...
class Glass(Load):
    def __init__(self, kilos):
        self.kilos = kilos
    def fee(self) -> int:
        return 3
class Paper(Load):
    def __init__(self, kilos):
        self.kilos = kilos
    def fee(self) -> int:
        return 5
def fee(x: Glass | Paper) -> int:
    return x.fee()
--- call
fee(Glass(3))
=== another annotation of a field
from dataclasses import dataclass, field
--- old
@dataclass
class Bin:
    kilos: int
    kinds: list = field(default_factory=list)
    def heavy(self):
        if self.kilos > 5:
            return True
        return False
--- new
@dataclass
class Bin:
    kilos: int
    kinds: list[str] = field(default_factory=list)
    def heavy(self):
        return bool(self.kilos > 5)
--- call
Bin(3).heavy()
=== a table written otherwise
FEES = {}
--- old
FEES = {"glass": 3}
def fee(k: str) -> int:
    return FEES.get(k, 0)
--- new
FEES: dict[str, int] = dict(glass=3)
def fee(k: str) -> int:
    if k in FEES:
        return FEES[k]
    return 0
--- call
fee("glass")
=== a logger by its name
import logging
--- old
log = logging.getLogger("yard")
def fee(x: int) -> int:
    return x * 3
--- new
log = logging.getLogger(__name__)
def fee(x: int) -> int:
    return 3 * x
--- call
log.name
""")


@pytest.mark.parametrize("pair", ALIKE, ids=[pair.name for pair in ALIKE])
def test_what_has_come_to_the_same_is_the_same(pair, tmp_path):
    files = []
    for side, text in zip(("old", "new"), pair.texts, strict=True):
        files.append(tmp_path / side / "yard.py")
        files[-1].parent.mkdir()
        files[-1].write_text(text)
    found = dreck.compare(*files)
    assert found.status in ("proved", "tested"), str(found)
    assert dreck.compare(*files, trial=False).status in ("proved", "unsettled")


def test_what_differs_is_told_by_its_part(tmp_path):
    old = "class Bin:\n    WIDE = 3\n\n    def __len__(self):\n        return 3\n\n\nRATE = {'wet': 2}\n"
    new = "class Bin:\n    WIDE = 4\n\n\nRATE = {'wet': 2.5}\n"
    for name, text in (("old.py", old), ("new.py", new)):
        (tmp_path / name).write_text(text)
    rows = dict(dreck.compare(tmp_path / "old.py", tmp_path / "new.py").functions)
    assert {name: verdict.reason for name, verdict in rows.items()} == {
        "Bin": "`__len__` is in the old version only; the attribute `WIDE` was 3, is 4",
        "RATE": "its value was {'wet': 2}, is {'wet': 2.5}",
    }
    without = dreck.compare(tmp_path / "old.py", tmp_path / "new.py", trial=False)
    assert without.status == "unsettled" and "no trial is wanted" in str(without)


def test_long_values_are_told_where_they_part(tmp_path):
    for name, last in (("old.py", "wet"), ("new.py", "dry")):
        (tmp_path / name).write_text(f"LINES = {[f'line {n}' for n in range(40)] + [last]!r}\n")
    ((_, verdict),) = dreck.compare(tmp_path / "old.py", tmp_path / "new.py").functions
    assert "'line 39', 'wet']" in verdict.reason and "'dry']" in verdict.reason and len(verdict.reason) < 200


MADE_OF = {
    "Bin": "_LIMIT = 3\n\n\nclass Bin:\n    limit = _LIMIT\n",
    "FEES": "_LIMIT = 3\n_BASE = {'wet': _LIMIT}\nFEES = dict(_BASE)\n",
}
"""A public name, and a module in which it is made of a private one."""


@pytest.mark.parametrize("name", MADE_OF)
def test_what_is_made_of_something_else_is_looked_at_as_well(name, tmp_path):
    for side, text in (("old.py", MADE_OF[name]), ("new.py", MADE_OF[name].replace("= 3", "= 4"))):
        (tmp_path / side).write_text(text)
    rows = dict(dreck.compare(tmp_path / "old.py", tmp_path / "new.py").functions)
    assert list(rows) == [name] and "4" in rows[name].reason


def test_a_private_enum_that_makes_its_members_otherwise_is_left_open(tmp_path):
    old = "from enum import Enum\n\n\nclass _Kind(Enum):\n    GLASS = 1\n\n\ndef kind():\n    return _Kind\n"
    made = "    def __new__(cls, value):\n        self = object.__new__(cls)\n        self._value_ = value + 1\n        return self\n"
    for side, text in (("old.py", old), ("new.py", old.replace("GLASS = 1\n", f"GLASS = 1\n\n{made}"))):
        (tmp_path / side).write_text(text)
    assert dreck.compare(tmp_path / "old.py", tmp_path / "new.py").status == "unsettled"
