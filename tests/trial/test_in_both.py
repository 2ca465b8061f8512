"""What only one version knows is no input: a class that is added or removed makes no function differ."""

import pytest

import dreck

FEE = """class Load:
    def __init__(self, kilos):
        self.kilos = kilos

    def fee(self):
        return {answer} if self.kilos > 3 else 0


def price(load):
    if isinstance(load, Load):
        return {answer}
    return 0


def told(load: Load):
    return {answer} if load.kilos > 3 else 0
"""
WET = "\n\nclass Wet(Load):\n    def weight(self):\n        return 2\n"
STAGE = """from enum import Enum


class Stage(Enum):
    SORTED = 1
    GONE = 2


def price(stage: Stage):
    return {answer} if stage is Stage.SORTED else 0
"""


@pytest.mark.parametrize("apart", [False, True], ids=["side by side", "in two worlds"])
@pytest.mark.parametrize("added", [False, True], ids=["removed", "added"])
@pytest.mark.parametrize("more", ["class", "member"])
def test_what_one_version_lacks_comes_to_neither(tmp_path, more, added, apart):
    plain, text = (FEE, FEE + WET) if more == "class" else (STAGE, STAGE.replace("GONE = 2", "GONE = 2\n    BALED = 3"))
    old, new = (plain, text) if added else (text, plain)
    folders = []
    for side, code, answer in (("old", old, "1"), ("new", new, "int(str(1))")):
        folders.append(tmp_path / side)
        folders[-1].mkdir()
        (folders[-1] / "yard.py").write_text(f"{'import beside' if apart else ''}\n{code.format(answer=answer)}")
        (folders[-1] / "beside.py").write_text("")
    found = dict(dreck.compare(*folders).functions)
    judged = {name: verdict.status for name, verdict in found.items() if "__init__" not in name}
    assert judged.pop("yard.py::Stage", "unsettled") == "unsettled"  # the enum itself has a member more, or less
    assert judged and set(judged.values()) == {"tested"}, judged


SLIP = """from dataclasses import dataclass


class Load:
    def __init__(self, kilos):
        self.kilos = kilos


@dataclass
class Slip:
    number: int
    load: Load
    parts: list


def price(slip: Slip):
    if slip.load.kilos > 3 and slip.number:
        return {answer}
    return slip.number
"""


@pytest.mark.parametrize(
    ("old", "new"),
    [
        ("    parts: list\n", "    parts: list\n    note: str = ''\n"),
        ("@dataclass\nclass Slip:", "from typing import NamedTuple\n\n\nclass Slip(NamedTuple):"),
        ("@dataclass\n", "@dataclass(slots=True)\n"),
        ("class Load:\n", "class Load:\n    def __repr__(self):\n        return 'Load'\n\n"),
        ("        self.kilos = kilos\n", "        self.kilos = kilos\n        self.note = None\n"),
    ],
    ids=["a field", "a named tuple", "slots", "a repr", "an attribute"],
)
def test_what_a_class_adds_to_its_objects_is_no_difference_of_who_only_reads_them(tmp_path, old, new):
    files = []
    for side, text, answer in (("old", SLIP, "1"), ("new", SLIP.replace(old, new), "int(str(1))")):
        files.append(tmp_path / f"{side}.py")
        files[-1].write_text(text.format(answer=answer))
    assert dict(dreck.compare(*files).functions)["price"].status == "tested"


HEAD = """{beside}
LOG = []


def noted(n):
    LOG.append(n)


def put(desk, topic: str):
    if desk.x(topic) == desk.y():
"""
ARMS = """        if topic == "glass":
            LOG.append(1)
        elif topic == "jars":
            desk.n = 1
"""
TABLE = """        if topic in BY_TOPIC:
            BY_TOPIC[topic](desk)


def _glass(desk):
    LOG.append(len([1]))


def _jars(desk):
    desk.n = 1


BY_TOPIC = {"glass": _glass, "jars": _jars}
"""


@pytest.mark.parametrize("apart", [False, True], ids=["side by side", "in two worlds"])
def test_a_list_of_the_module_that_one_version_fills_by_way_of_a_table(tmp_path, apart):
    folders = []
    for side, text in (("old", HEAD + ARMS), ("new", HEAD + TABLE)):
        folders.append(tmp_path / side)
        folders[-1].mkdir()
        (folders[-1] / "yard.py").write_text(text.replace("{beside}", "import beside" if apart else ""))
        (folders[-1] / "beside.py").write_text("")
    found = dict(dreck.compare(*folders).functions)
    assert next(v for name, v in found.items() if name.endswith("put")).status == "tested"


SURROUNDINGS = {
    "a variable of the environment": (
        'def f(gate, wanted):\n    gate.ring()\n    return [n for n in wanted if n == os.environ.get("YARD", "")]\n',
        'def _named():\n    return os.environ.get("YARD", "")\n\n\ndef f(gate, wanted):\n    gate.ring()\n    found = []\n'
        "    for n in wanted:\n        if n == _named():\n            found.append(n)\n    return found\n",
    ),
    "names of files": (
        'def f(gate):\n    gate.ring()\n    return [os.path.exists("bins"), len(os.listdir("."))]\n',
        'def _there(name, kind="plain"):\n    return os.path.exists(name) if kind == "plain" else False\n\n\n'
        'def f(gate):\n    gate.ring()\n    found = [_there("bins")]\n    found.append(len(os.listdir(".")))\n'
        "    return found\n",
    ),
    "what is typed": (
        'def f(gate):\n    gate.ring()\n    return [input().strip(), "b"]\n',
        "def _typed():\n    return input().strip()\n\n\ndef f(gate):\n    gate.ring()\n    found = [_typed()]\n"
        '    found.append("b")\n    return found\n',
    ),
}


@pytest.mark.parametrize("apart", [False, True], ids=["side by side", "in two worlds"])
@pytest.mark.parametrize("old, new", SURROUNDINGS.values(), ids=list(SURROUNDINGS))
def test_a_helper_that_asks_the_surroundings_is_no_difference(tmp_path, old, new, apart):
    folders = []
    for side, text in (("old", old), ("new", new)):
        folders.append(tmp_path / side)
        folders[-1].mkdir()
        (folders[-1] / "yard.py").write_text(f"import os\n{'import beside' if apart else ''}\n\n\n{text}")
        (folders[-1] / "beside.py").write_text("")
    found = dict(dreck.compare(*folders).functions)
    verdict = next(v for name, v in found.items() if name.endswith("f"))
    assert verdict.status in ("tested", "proved"), str(verdict)


@pytest.mark.parametrize("answer", ['"open"', '"shut"'])
def test_a_helper_that_asks_the_surroundings_for_something_else_is_one(answer):
    old = 'import os\n\n\ndef f(x):\n    return x if os.environ.get("YARD") == "open" else None\n'
    new = f'import os\n\n\ndef _is_open():\n    return os.environ.get("YARD") == {answer}\n\n\n'
    new += "def f(x):\n    if _is_open():\n        return x\n    return None\n"
    assert (dreck.compare(old, new).status == "differs") == (answer == '"shut"')
