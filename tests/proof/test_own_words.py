"""Words for asking what a module or a class holds that a file has for something of its own; helpers in their place."""

from pathlib import Path

import pytest

import dreck
from dreck.workbench.compare.compare import compare_texts
from dreck.workbench.compare.sides import Text
from dreck.workbench.compare.wanted import Wanted

_OLD = "    def f(self, n):\n        if n:\n            return self.told()\n        return 0\n"
_NEW = (
    "    def f(self, n):\n        if n:\n            return self._of()\n        return 0\n\n"
    "    def _of(self):\n        return self.told()\n"
)


def judged(head: str, told: str):
    sides = (Text(Path("gate.py"), f"{head}class Gate:\n{told}{part}") for part in (_OLD, _NEW))
    return dict(compare_texts(*sides, Wanted(trial=False)).functions)["Gate.f"]


@pytest.mark.parametrize(
    ("head", "told"),
    [
        (
            "",
            "    def __init__(self, vars):\n        self.vars = vars\n    def told(self):\n        return len(self.vars)\n",
        ),
        ("", "    def told(self):\n        vars = self.rows()\n        return vars\n"),
        ("", "    def told(self):\n        return [m for m in self.getmembers()]\n"),
        ("", "    def told(self):\n        __import__('json')\n        return 1\n"),
        ("import importlib\n", "    def told(self):\n        return importlib.import_module('json.decoder')\n"),
        ("", "    def told(self):\n        self.__dict__.clear()\n        return 1\n"),
    ],
)
def test_words_of_the_file_itself_list_nothing(head, told):
    verdict = judged(head, told)
    assert verdict.status == "proved", str(verdict)


@pytest.mark.parametrize(
    ("head", "told"),
    [
        ("from inspect import *\n", "    def told(self):\n        return [m for m in self.getmembers()]\n"),
        (
            "import inspect\n",
            "    getmembers = inspect.getmembers\n    def told(self):\n        return self.getmembers()\n",
        ),
        ("", "    def told(self):\n        return vars(type(self))\n"),
        ("", "    def told(self):\n        return len(self.vars(Gate))\nGate2 = 1\nclass More:\n    vars = vars\n"),
        ("", "    def told(self, gate=None):\n        return (gate or self).dir()\n"),
        ("from plant import Far\n", "    def told(self):\n        return len(self.vars(Gate))\n"),
        ("TOLD = 'vars'\n", "    def told(self):\n        return self.vars(Gate)\n"),
    ],
)
def test_what_may_list_counts(head, told):
    if "class More" in told:
        head, told = f"{head}class More:\n    vars = vars\n\n\n", told.partition("Gate2")[0]
    assert judged(head, told).status != "proved"


def test_a_helper_stands_above_what_a_decorator_of_others_may_call(tmp_path):
    file = tmp_path / "gate.py"
    file.write_text(
        "from plant import told\n\n\n@told\ndef fee(load, rate):\n"
        "    kilos = load.kilos - load.tare\n    if kilos < 0:\n        kilos = 0\n    due = kilos * rate\n"
        "    if load.wet:\n        due += 3\n    return due\n"
    )
    result = dreck.untangle(f"{file}::fee:9-11", steps="named-block", name="_due")
    assert result.source.index("def _due") < result.source.index("@told"), result.refused
    assert [taken.verdict.status for taken in result.steps] == ["proved"]


def test_a_private_method_that_any_name_may_ask_for_is_taken_not_to_be_asked_for():
    ask = "def ask(gate, word):\n    return hasattr(gate, word)\n\n\n"
    texts = (f"{ask}class Gate:\n    def told(self):\n        return 1\n{part}" for part in (_OLD, _NEW))
    found = compare_texts(*(Text(Path("gate.py"), text) for text in texts), Wanted(trial=False))
    assert found.verdict.status == "proved", str(found.verdict)
    assert "private-names" in found.verdict.assumptions
