"""A new private method of a class whose bases stand in files of the project that are looked into for no other reason."""

from pathlib import Path

import pytest

from dreck.workbench.compare.compare import compare_texts
from dreck.workbench.compare.sides import read_text
from dreck.workbench.compare.wanted import Wanted

HEAD = "from plant.desk import Desk\n\n\nclass Gate(Desk):\n"
OLD = HEAD + "    def f(self, load):\n        load.weigh()\n        if load.wet:\n            load.dry()\n"
NEW = HEAD + (
    "    def f(self, load):\n        load.weigh()\n        self._dried(load)\n\n"
    "    def _dried(self, load):\n        if load.wet:\n            load.dry()\n"
)
DESK = "from plant.far import Far\n\n\nclass Desk(Far):\n    open = True\n    if open:\n        size = 3\n"
LOUD = "    def __getattribute__(self, name):\n        return object.__getattribute__(self, name)\n"
FAR = "class Far:\n    kilos = 1\n"


def judged(folder: Path, desk: str, far: str, head: str = HEAD):
    for name, code in (("old", OLD), ("new", NEW)):
        plant = folder / name / "plant"
        plant.mkdir(parents=True)
        for file, text in (("__init__", ""), ("gate", code.replace(HEAD, head)), ("desk", desk), ("far", far)):
            (plant / f"{file}.py").write_text(text)
    sides = (read_text(folder / name / "plant" / "gate.py") for name in ("old", "new"))
    return dict(compare_texts(*sides, Wanted(trial=False)).functions)["Gate.f"]


@pytest.mark.parametrize(
    ("desk", "far", "head"),
    [
        (DESK, FAR, HEAD),
        (DESK.replace("from plant.far", "from .far"), FAR, HEAD.replace("plant.desk", ".desk")),
        ("from plant import far\n\n\nclass Desk(far.Far):\n    pass\n", FAR, HEAD),
        (DESK, "import json\n\n\nclass Far(json.JSONEncoder):\n    pass\n", HEAD),
    ],
)
def test_bases_that_leave_it_alone(tmp_path, desk, far, head):
    verdict = judged(tmp_path, desk, far, head)
    assert verdict.status == "proved", str(verdict)


@pytest.mark.parametrize(
    ("desk", "far"),
    [
        (DESK, FAR + LOUD),
        (DESK + LOUD, FAR),
        (DESK, FAR + "    if kilos:\n    " + LOUD.replace("\n    ", "\n        ")),
        (DESK, FAR + "    def _dried(self, load):\n        return 1\n"),
        (DESK, FAR + "\n\nNAMES = ['_dried']\n"),
        (DESK, FAR + "\n\nFar.__getattribute__ = print\n"),
        (DESK, FAR + "\n\ndef other(load):\n    load.__class__ = Far\n"),
        (DESK, "class Meta(type):\n    pass\n\n\nclass Far(metaclass=Meta):\n    kilos = 1\n"),
        (DESK, FAR + "    def __init_subclass__(cls):\n        cls.size = 1\n"),
        (DESK, FAR + "    exec('size = 1')\n"),
        (DESK, "def told(kind):\n    return kind\n\n\n@told\n" + FAR),
        (DESK, FAR + "\n\nFar = print(Far)\n"),
        (DESK, "from nowhere import Far\n"),
        (DESK.replace("class Desk(Far)", "class Desk(Far, kept())"), FAR),
        ("from plant.far import *\n\n\nclass Desk(Far):\n    pass\n", FAR + LOUD),
    ],
)
def test_bases_that_have_a_say(tmp_path, desk, far):
    assert judged(tmp_path, desk, far).status != "proved"
