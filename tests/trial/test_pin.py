"""Pins: files that pass as they stand, notice changes, need nothing of Dreck, and come out the same again."""

import subprocess
import sys
from pathlib import Path

import pytest

import dreck
from dreck.workbench.pinning.record import record
from tests.conftest import YARD

ODD = """
import asyncio, datetime, enum, random, time, uuid
from dataclasses import dataclass

TOTAL = 0
SEEN = []


class Kind(enum.Enum):
    METAL = "m"
    GLASS = "g"


@dataclass
class Ticket:
    kind: Kind
    kilos: float


class Desk:
    rate = 3

    def __init__(self, name, limit=5):
        if limit < 0:
            raise ValueError("limit below zero")
        self.name = name
        self.limit = limit

    def price(self, ticket: Ticket, rebate=0):
        if ticket.kilos <= 0 or ticket.kind is Kind.GLASS and rebate:
            return 0
        if ticket.kilos > self.limit:
            self.log.append("heavy")
            return self.rate * ticket.kilos + 7
        return self.rate * ticket.kilos - rebate

    @property
    def is_open(self):
        return self.hour > 7

    @classmethod
    def small(cls, n):
        if n == 3:
            return cls("three", 3)
        return cls("any")

    @staticmethod
    def parse(line):
        parts = line.split(";")
        if len(parts) != 2:
            raise ValueError(f"bad line {line}")
        return parts[0].strip()

    def __hidden(self, x):
        return x > 4


def count(n):
    global TOTAL
    if n > 3:
        TOTAL += n
        SEEN.append(n)
    return TOTAL


def each(loads):
    for load in loads:
        if load > 3:
            yield load
        elif load < 0:
            return


async def wait_for(gate, n):
    if n > 2:
        return await gate.opens(n)
    return None


def shout(n):
    if n > 2:
        print("heavy", n)
    return n


def close(gate, log):
    try:
        if gate.shut():
            log.append("shut")
        else:
            gate.bell.ring(twice=True)
    except OSError:
        return False
    return True


def deep(code, kilos, tag):
    if code == 48213:
        if kilos > code * 3:
            if tag.endswith("-x"):
                return "found"
    return None


def ratio(a):
    if a > 0:
        return float("nan")
    return -0.0
"""


def run_pins(folder: Path, file: Path) -> subprocess.CompletedProcess[str]:
    command = [sys.executable, "-m", "pytest", "-q", "-p", "no:cacheprovider", str(file)]
    return subprocess.run(command, cwd=folder, capture_output=True, text=True)


@pytest.fixture(scope="module")
def odd(tmp_path_factory):
    """A module of odd functions, its pins, and what is known of them."""
    folder = tmp_path_factory.mktemp("odd")
    (folder / "desk_odd.py").write_text(ODD)
    return folder, dreck.pin(folder / "desk_odd.py", folder / "test_pins.py")


def test_pins_pass_as_they_stand_and_need_no_dreck(odd):
    folder, pins = odd
    done = run_pins(folder, folder / "test_pins.py")
    assert done.returncode == 0, done.stdout
    assert not any("dreck" in line for line in pins.text.splitlines() if "import" in line)


@pytest.mark.parametrize(
    "function",
    [
        *("Desk.__init__", "Desk.price", "Desk.is_open", "Desk.small", "Desk.parse", "Desk.__hidden"),
        *("count", "each", "wait_for", "shout", "close", "deep", "ratio"),
    ],
)
def test_every_outcome_is_reached_and_every_change_noticed(odd, function):
    found = next(f for f in odd[1].functions if f.function == function)
    assert found.outcomes[0] == found.outcomes[1], found.missing
    assert found.strength[0] == found.strength[1], found.survivors


def test_the_same_file_comes_out_again_from_several_processes(odd):
    folder, pins = odd
    assert dreck.pin(folder / "desk_odd.py", folder / "test_pins.py", jobs=2).text == pins.text


@pytest.mark.parametrize(
    ("old", "new"),
    [
        ("limit < 0", "limit <= 0"),
        ("n > 3:\n        TOTAL", "n > 4:\n        TOTAL"),
        ("yield load", "yield load + 0.0"),
        ('log.append("shut")', "pass"),
        ("twice=True", "twice=False"),
        ('print("heavy", n)', "pass"),
        ("except OSError", "except ValueError"),
        ('raise ValueError(f"bad line {line}")', 'raise ValueError("bad line")'),
        ("rebate:\n            return 0", "rebate:\n            return False"),
        ("SEEN.append(n)", "SEEN.append(-n)"),
    ],
)
def test_pins_turn_red_when_the_code_changes(odd, old, new, tmp_path):
    _, pins = odd
    assert old in ODD
    (tmp_path / "desk_odd.py").write_text(ODD.replace(old, new))
    (tmp_path / "test_pins.py").write_text(pins.text)
    assert run_pins(tmp_path, tmp_path / "test_pins.py").returncode == 1


@pytest.mark.parametrize("name", ["gate", "fees", "sorting"])
def test_the_yard_can_be_pinned(name, tmp_path):
    for file in YARD.glob("*.py"):
        (tmp_path / file.name).write_text(file.read_text())
    pins = dreck.pin(tmp_path / f"{name}.py", tmp_path / "test_pins.py")
    assert run_pins(tmp_path, tmp_path / "test_pins.py").returncode == 0
    assert all(f.outcomes[0] == f.outcomes[1] for f in pins.functions)


def test_what_depends_on_the_clock_or_the_cage_is_not_pinned(write, tmp_path):
    path = write(
        """
        import os, uuid, datetime
        def stamp(n):
            if n > 3:
                return uuid.uuid4().hex
            return datetime.date.today().year
        def clear(n):
            if n > 3:
                os.remove("never")
            return n
        """
    )
    pins = dreck.pin(path)
    stamp, clear = pins.functions
    assert not stamp.cases and "clock" in stamp.dropped[0][0]
    assert clear.missing and any("cage refuses" in why for why, _ in clear.dropped)
    assert "never" not in pins.text


def test_real_calls_are_pinned_first(tmp_path, run):
    (tmp_path / "desk_odd.py").write_text(ODD)
    (tmp_path / "day.py").write_text(
        "from desk_odd import *\nd = Desk('east', 7)\nd.log = []\n"
        "d.price(Ticket(Kind.METAL, 911.0), 1)\nd.price(Ticket(Kind.GLASS, 4.25))\n"
        "d.price(lambda: 0, 1) if False else None\n"
    )
    done = run("pin", "desk_odd.py::Desk.price", "--from", f"{sys.executable} day.py", "-o", "test_pins.py")
    assert done.returncode == 0, done.stderr
    assert "2 of them real calls" in done.stdout
    text = (tmp_path / "test_pins.py").read_text()
    assert "kilos=911.0" in text and "limit=7" in text
    assert run_pins(tmp_path, tmp_path / "test_pins.py").returncode == 0


@pytest.mark.parametrize(
    ("args", "told"),
    [
        (["nowhere.py"], "no such file"),
        (["yard.py::nothing"], "no function or class 'nothing'"),
        (["yard.py"], "cannot be pinned"),
        (["yard.py", "--from", "true"], "made no call"),
        (["yard.py::"], "a name is wanted"),
    ],
)
def test_what_cannot_be_pinned_is_one_line(args, told, write, run, tmp_path):
    write("def f(a):\n    import time\n    return time.perf_counter()\n")
    done = run("pin", *args)
    assert done.returncode == 2 and told in done.stderr and len(done.stderr.splitlines()) == 1
    assert not list(tmp_path.glob("test_*"))


SCRIPT = """\
import sys


class Load:
    def __init__(self, kilos):
        self.kilos = kilos


def fee(load, member):
    if load.kilos > 100 and member:
        return 1
    if load.kilos == 4821:
        return 7
    return 2


async def queue(loads, limit):
    for load in loads:
        if load > limit:
            yield "big"
        elif load < 0:
            raise ValueError(load)
        else:
            yield load


if __name__ == "__main__":
    print(fee(Load(4821), False), fee(Load(int(sys.argv[1])), True))
    sys.exit(3)
"""


def test_calls_of_a_script_that_is_run_itself_are_heard(tmp_path):
    (tmp_path / "gate.py").write_text(SCRIPT)
    recording = record(f"cd {tmp_path} && python -X utf8 gate.py 250", tmp_path / "gate.py", ["fee"])
    assert recording.status == 3
    assert len(recording.calls_of("fee")) == 2


def test_an_asynchronous_generator_is_pinned(tmp_path):
    (tmp_path / "gate.py").write_text(SCRIPT)
    pins = dreck.pin(f"{tmp_path / 'gate.py'}::queue")
    assert "asyncio.run(collected(queue(" in pins.text
    (tmp_path / "test_gate.py").write_text(pins.text)
    done = run_pins(tmp_path, tmp_path / "test_gate.py")
    assert done.returncode == 0, done.stdout


STRANGE = '''
import asyncio
import os
from dataclasses import dataclass, field


def admit(request, limit: int = 40):
    """Whether a load may come in.

    >>> admit({"kilos": 17, "permit": "P-77-green"})
    'in'
    """
    if not request["permit"]:
        return "no"
    if request["permit"].startswith("P-77"):
        return "in"
    return "over" if request["kilos"] > limit else "wait"


@dataclass
class Bin:
    name: str
    kilos: float = 0.0
    notes: list[str] = field(default_factory=list)

    def put(self, kilos: float) -> bool:
        if self.kilos + kilos > 100:
            self.notes.append("full")
            return False
        self.kilos += kilos
        return True

    async def send(self, gate):
        if self.kilos > 50:
            await gate.open()
            return "sent"
        return "kept"


def dies(kilos: int):
    if kilos == 3:
        os._exit(4)
    return kilos


def writes(path: str):
    with open(path, "w") as file:
        file.write("full")


def fee(monkeypatch: int, result: list, fee: int):
    if fee > 3:
        result.append(monkeypatch)
        return result
    return monkeypatch


def gap(distance: float) -> str:
    return "far" if distance > 9 else "near"
'''
OWN_TESTS = """
import pytest
from yard import admit

@pytest.mark.parametrize(("permit", "told"), [("P-12-brown", "over")])
def test_over(permit, told):
    assert admit({"kilos": 91, "permit": permit}, 90) == told
"""


def test_odd_functions_are_pinned_and_what_cannot_be_is_named(write, run, tmp_path):
    path = write(STRANGE)
    (tmp_path / "tests").mkdir()
    (tmp_path / "tests/test_yard.py").write_text(OWN_TESTS)
    (tmp_path / "pyproject.toml").write_text("")
    done = run("pin", path.name, "-o", "tests/test_pins.py")
    assert done.returncode == 0, done.stderr
    text = (tmp_path / "tests/test_pins.py").read_text()
    assert "Not pinned:\n    writes: no input could be written as a test: a file that is written" in text
    assert '"P-77-green"' in text and '"P-12-brown"' in text  # what people have written is taken first
    assert "nan" not in text
    assert "dies(" in text and "request_" in text and "monkeypatch_" in text and "bin.send(gate)" in text
    assert "a file that is written" in done.stdout
    passed = run_pins(tmp_path, tmp_path / "tests/test_pins.py")
    assert passed.returncode == 0, passed.stdout


def test_a_pin_with_no_number_in_it_is_made_where_the_code_speaks_of_one(write, run, tmp_path):
    path = write("import math\n\n\ndef gap(d: float):\n    if math.isnan(d):\n        return 'none'\n    return d\n")
    run("pin", path.name, "-o", "test_pins.py")
    assert "nan" in (tmp_path / "test_pins.py").read_text()
