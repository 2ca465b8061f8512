"""The journal: what was taken can be read and undone, and a killed process leaves files and journal that agree."""

import json
import os
import random
import signal
import subprocess
import sys
import time

import pytest

import dreck
from dreck.workbench.store.journal import Journal
from tests.conftest import YARD


@pytest.fixture
def gate(tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    (tmp_path / "gate.py").write_bytes((YARD / "gate.py").read_bytes())
    return tmp_path / "gate.py"


def test_back_undoes_step_by_step_to_the_first_byte(run, gate):
    texts = [gate.read_text()]
    taken = len(dreck.untangle(gate, write=True, verdict="proved").steps)
    assert gate.read_text() != texts[0]
    for number in range(taken):
        before = gate.read_text()
        if number % 5 == 0:
            done = run("back")
            assert done.returncode == 0
            assert done.stdout.startswith("undone: ")
        else:
            Journal.here().back(1)
        assert gate.read_text() != before
        compile(gate.read_text(), "gate.py", "exec")
    assert gate.read_text() == texts[0]
    assert run("back").returncode == 2
    assert not list((gate.parent / ".dreck").glob("0*.json"))


def test_back_many_over_several_files(run, gate):
    other = gate.parent / "permits.py"
    other.write_bytes((YARD / "permits.py").read_bytes())
    old = gate.read_bytes(), other.read_bytes()
    first = len(dreck.untangle(gate, write=True, verdict="proved").steps)
    second = len(dreck.untangle(other, write=True, verdict="proved").steps)
    assert run("back", second + 1).returncode == 0
    assert other.read_bytes() == old[1]
    assert gate.read_bytes() != old[0]
    assert run("back", first).returncode == 2
    assert run("back", first - 1).returncode == 0
    assert (gate.read_bytes(), other.read_bytes()) == old


def test_back_refuses_what_somebody_changed(run, gate):
    dreck.untangle(gate, write=True, verdict="proved")
    gate.write_text(gate.read_text() + "# mine\n")
    changed = gate.read_text()
    done = run("back", 2)
    assert done.returncode == 2
    assert "gate.py: was changed by someone else" in done.stderr
    assert gate.read_text() == changed


def test_the_record_tells_the_story(gate):
    result = dreck.untangle(gate, write=True, verdict="proved")
    record = Journal.here().records()[0]
    assert [e.step for e in record.entries].count("guard-clauses") == [s.step for s in result.steps].count(
        "guard-clauses"
    )
    entry = record.entries[0]
    assert entry.verdict == "proved"
    assert entry.before != entry.after
    assert entry.reason
    data = json.loads(next((gate.parent / ".dreck").glob("0*.json")).read_text())
    assert set(data) == {"time", "files"} and set(data["files"][0]) == {"path", "new", "steps", "fingerprints"}


def test_a_nested_function_and_its_outer_one_can_both_be_undone(run, gate):
    code = (
        "def outer(loads):\n    def keep(load):\n        if load.ok:\n            return True\n        else:\n"
        "            weigh(load)\n            return False\n    if loads:\n        sort(loads)\n        return keep\n"
        "    else:\n        raise ValueError\n\ndef later(x):\n    if x:\n        return 1\n    else:\n        y = x.y\n        return y\n"
    )
    gate.write_text(code)
    count = len(dreck.untangle(gate, write=True, verdict="proved").steps)
    assert count >= 3
    assert run("back", count).returncode == 0
    assert gate.read_text() == code


def test_killed_at_any_moment(gate):
    """kill -9 in a loop: the file is always one of the texts between steps, and `back` gets to the first."""
    old = gate.read_bytes()
    script = (
        "import dreck, itertools\nfrom dreck.workbench.store.journal import Journal\nprint('ready', flush=True)\n"
        "for i in itertools.count():\n    n = len(dreck.untangle('gate.py', write=True, verdict='proved').steps)\n    Journal.here().back(n)\n"
    )
    pick = random.Random(3)
    for _ in range(12):
        child = subprocess.Popen([sys.executable, "-c", script], cwd=gate.parent, stdout=subprocess.PIPE)
        child.stdout.readline()
        time.sleep(pick.uniform(0.0, 0.35))
        os.kill(child.pid, signal.SIGKILL)
        child.wait()
        child.stdout.close()
        compile(gate.read_bytes(), "gate.py", "exec")
        journal = Journal.here()
        journal.recover()
        left = sum(len(r.entries) for r in journal.records())
        if left:
            journal.back(left)
        assert gate.read_bytes() == old
        assert not list(gate.parent.glob(".dreck-*"))


def test_check_drops_the_step_that_turns_red(run, gate):
    # The check wants the very words of one line that a step would change.
    check = "grep -q 'if load.material in permit.materials:' gate.py"
    done = run("untangle", "gate.py::admit", "--write", "--check", check)
    assert done.returncode == 0
    assert "turned red" in done.stdout
    text = gate.read_text()
    assert "if load.material in permit.materials:" in text
    assert "if permit is None:" in text
    compile(text, "gate.py", "exec")
    count = sum(len(r.entries) for r in Journal.here().records())
    assert run("back", count).returncode == 0
    assert gate.read_bytes() == (YARD / "gate.py").read_bytes()


def test_check_must_be_green_before_and_needs_write(run, gate):
    assert "red before any step" in run("untangle", "gate.py", "--write", "--check", "false").stderr
    assert "needs --write" in run("untangle", "gate.py", "--check", "true").stderr
    assert gate.read_bytes() == (YARD / "gate.py").read_bytes()


def test_ask_takes_skips_leaves_and_stops(gate):
    def asked(answers):
        command = [sys.executable, "-m", "dreck", "untangle", "gate.py", "--write", "--ask"]
        return subprocess.run(command, cwd=gate.parent, input=answers, capture_output=True, text=True)

    done = asked("t\nq\n")
    assert done.returncode == 0
    assert "1 step in 1 function" in done.stdout
    taken = gate.read_text()
    assert taken != (YARD / "gate.py").read_text()
    done = asked("perhaps\nl\ns\n" + "l\n" * 20)
    assert "is none of" in done.stderr
    assert gate.read_text() == taken
    assert len(Journal.here().records()) == 1


def test_folders_are_worked_on_with_both_cores_alike(run, tmp_path):
    import shutil

    for name in ("one", "two"):
        shutil.copytree(YARD, tmp_path / name, ignore=shutil.ignore_patterns("__pycache__"))
    one = run("untangle", "one", "--write", "--verdict", "proved", "--jobs", "1")
    two = run("untangle", "two", "--write", "--verdict", "proved", "--jobs", "2")
    assert one.stdout.replace("one/", "two/") == two.stdout
    for file in (tmp_path / "one").glob("*.py"):
        assert file.read_bytes() == (tmp_path / "two" / file.name).read_bytes()
    assert run("untangle", "two", "--verdict", "proved").stdout.startswith(("nothing to straighten", "nothing taken"))
