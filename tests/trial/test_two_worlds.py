"""Each version in a process of its own, imported from its own whole tree."""

from pathlib import Path

import pytest

import dreck
from dreck.trial.apart.plain import are_apart
from dreck.trial.server import Version, Wanted, run_trial

REGISTRY = """
KNOWN = {}

def register(name):
    def put(f):
        if name in KNOWN:
            raise RuntimeError(f"{name} is already in the registry")
        KNOWN[name] = f
        return f
    return put

class Registered(type):
    made = {}
    def __new__(mcs, name, bases, body):
        if name in mcs.made:
            raise TypeError(f"{name} has been made already")
        kind = mcs.made[name] = super().__new__(mcs, name, bases, body)
        return kind
"""
GATE = """
from yard.registry import KNOWN, Registered, register

@register("weigh")
def weigh(load: int, wet: bool):
    if load > 10:
        if wet:
            return "wet"
        return "heavy"
    return "light"

@register("fee")
def fee(load: int, wet: bool):
    told = KNOWN["weigh"](load, wet)
    if told == "heavy":
        return 8
    return 3

class Bin(metaclass=Registered):
    full = False

    def put(self, kilos: int):
        if kilos > 3:
            self.full = True
            return kilos
        return 0
"""


@pytest.fixture
def trees(tmp_path):
    """Writes two trees of a package, `changes` made in the second; gives the two paths of its `gate`."""

    def written(*changes, name="gate.py"):
        for side in ("old", "new"):
            folder = tmp_path / side / "yard"
            folder.mkdir(parents=True)
            (folder / "__init__.py").write_text("from yard import gate\n")
            for file, text in (("registry.py", REGISTRY), ("gate.py", GATE)):
                for before, after in changes if side == "new" else ():
                    text = text.replace(before, after)
                (folder / file).write_text(text)
        return tmp_path / "old/yard" / name, tmp_path / "new/yard" / name

    return written


def verdicts(old, new):
    return {name: verdict.status for name, verdict in dreck.compare(old, new).functions}


def test_what_registers_itself_is_tried_in_both_versions(trees):
    old, new = trees(("if load > 10", "if load >= 10"), ("if kilos > 3:", "if kilos > 4:"))
    assert verdicts(old, new) == {"weigh": "differs", "fee": "differs", "Bin.put": "differs"}


def test_the_same_in_two_worlds_is_tested(trees):
    same = "    return {'wet': 'wet', 'dry': 'heavy'}['wet' if wet else 'dry']"
    old, new = trees(
        ('        if wet:\n            return "wet"\n        return "heavy"', same.replace("    ", "        ", 1))
    )
    found = dict(dreck.compare(old, new).functions)["weigh"]
    assert found.status == "tested", found
    assert found.slips[0] == found.slips[1] > 0


def test_each_version_sees_its_own_neighbours(trees):
    old, new = trees(
        ("KNOWN[name] = f\n", "KNOWN[name] = lambda *given: 'heavy'\n"), ('told == "heavy"', '"heavy" == told')
    )
    assert verdicts(old, new)["fee"] == "differs"


def test_a_version_that_dies_costs_its_input_and_nothing_else(tmp_path):
    files = []
    for side, how in (("old", "kilos == 1"), ("new", "1 == kilos")):
        (tmp_path / side).mkdir()
        files.append(tmp_path / side / "line.py")
        files[-1].write_text(
            f"import os\n\ndef sort(kilos: int):\n    if {how}:\n        os._exit(3)\n    return kilos\n"
        )
    found = dreck.compare(*files)
    assert found.status != "differs", found


def test_numbers_come_out_alike_whatever_the_process(tmp_path):
    text = "import os, uuid, random\n\ndef mark(kilos: int):\n    return (os.getpid(), uuid.uuid4().hex, random.random(){})\n"
    trial = tried(tmp_path, text.format(""), text.format(", "))
    assert trial.difference is None and not trial.problem


def tried(folder, old, new):
    sides = [Version(Path(folder, f"{side}.py"), text, "mark") for side, text in (("old", old), ("new", new))]
    return run_trial(*sides, Wanted(apart=True))


def test_the_command_and_the_input_are_told_as_ever(trees, run):
    old, new = trees(("if load > 10", "if load >= 10"))
    told = run("compare", f"{old}::weigh", f"{new}::weigh")
    assert told.returncode == 1 and "load = 10" in told.stdout


def test_many_plain_inputs_are_run_in_both_worlds(tmp_path):
    text = "def mark(kilos: int, fee: int):\n    return (kilos * 31 + fee) % 997 {} 5\n"
    trial = tried(tmp_path, text.format("=="), text.format("!="))
    assert trial.difference is not None
    rare = "def mark(kilos: int, fee: int):\n    return (kilos * 31 + fee) % 97 == {}\n"
    assert tried(tmp_path, rare.format(5), rare.format(5.0)).inputs > 1_000


@pytest.mark.parametrize(
    ("text", "is_plain"),
    [
        ("import re\nWORD = re.compile('a')\n", True),
        ("class Bin:\n    full = False\n", True),
        ("@app.command()\ndef f(): ...\n", False),
        ("class Bin(Model): ...\n", False),
        ("class Bin(metaclass=Registered): ...\n", False),
        ("signal.connect(print)\n", False),
        ("HANDLERS['gate'] = print\n", False),
        ("yard.open = True\n", False),
        ("from yard import KNOWN\nKNOWN += ['gate']\n", False),
        ("def enter(): ...\nDONE = enter()\n", False),
        ("def enter(kind=yard.add('gate')): ...\n", False),
        ("class Bin:\n    def __init_subclass__(cls): ...\nclass Big(Bin): ...\n", False),
        ("class Bin:\n    def __init__(self): yard.add(self)\nBIN = Bin()\n", False),
        ("class Bin:\n    def __init__(self): self.full = False\n", True),
        ("if True:\n    yard.open()\n", False),
        ("for name in names:\n    table.setdefault(name, [])\n", False),
    ],
)
def test_which_modules_are_plain(text, is_plain):
    sides = (Path("/yard/gate.py"), text)
    assert are_apart(sides, sides) is not is_plain


def test_callers_in_tests_are_judged_with_the_new_package(tmp_path):
    files = {
        "pyproject.toml": '[project]\nname = "yard"\nversion = "1"\n',
        "src/yard/__init__.py": "from yard.gate import weigh\n",
        "src/yard/gate.py": "def weigh(load, twice=False):\n    if twice:\n        return load.kilos * 2\n    return load.kilos\n",
        "src/yard/desk.py": "from yard.gate import weigh\n\n\ndef fee(load):\n    return weigh(load, twice=True) + weigh(load)\n",
        "tests/test_gate.py": "from types import SimpleNamespace\n\nfrom yard.gate import weigh\n\n\n"
        "def test_weigh():\n    assert weigh(SimpleNamespace(kilos=3), twice=True) == 6\n",
    }
    for place, text in files.items():
        (tmp_path / place).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / place).write_text(text)
    result = dreck.untangle(tmp_path / "src/yard/gate.py", steps="flag-split", write=True)
    assert result.steps, result.refused
    assert "weigh_twice(SimpleNamespace(kilos=3)) == 6" in (tmp_path / "tests/test_gate.py").read_text()
    assert "weigh_twice(load) + weigh_without_twice(load)" in (tmp_path / "src/yard/desk.py").read_text()


def test_a_test_that_would_turn_red_is_a_difference(tmp_path):
    text = "def weigh(kilos):\n    return kilos * 2\n\n\ndef test_weigh():\n    assert {} == 6\n"
    for side, call in (("old", "weigh(3)"), ("new", "weigh(4)"), ("same", "weigh(1 + 2)")):
        (tmp_path / side).mkdir()
        (tmp_path / side / "test_gate.py").write_text(text.format(call))
    files = {side: tmp_path / side / "test_gate.py" for side in ("old", "new", "same")}
    assert dreck.compare(files["old"], files["new"]).status == "differs"
    assert dreck.compare(files["old"], files["same"]).status in ("tested", "proved")
