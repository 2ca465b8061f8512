"""How strong a trial is: small wrong changes put into the changed region have to be noticed, or it passes nothing."""

import ast
import subprocess
import sys

import dreck
from dreck.source.functions import functions_in
from dreck.trial.server import Version, Wanted, run_trial
from dreck.trial.strength import slips_in


def compared(write, old, new):
    return dreck.compare(write(old, "old.py"), write(new, "new.py"))


def test_a_verdict_says_how_many_slips_were_noticed(write):
    found = compared(
        write,
        "def f(loads):\n    found = []\n    for load in loads:\n        if load.wet:\n            found.append(load)\n    return found\n",
        "def f(loads):\n    return [load for load in loads if load.wet]\n",
    )
    assert found.status == "tested"
    noticed, wanted = found.slips
    assert noticed == wanted >= 5
    assert f"{noticed} of {wanted} slips noticed" in str(found)
    assert found.as_json()["slips"] == [noticed, wanted]


def test_what_no_input_would_notice_is_not_passed(write):
    found = compared(
        write,
        "def f(yard):\n    n = yard.count()\n    return [1] if hash((n, 'yard')) % 100003 == 7 else [0]\n",
        "def f(yard):\n    n = yard.count()\n    out = [0]\n    if hash((n, 'yard')) % 100003 == 7:\n        out = [1]\n    return out\n",
    )
    assert found.status in ("unsettled", "proved")


def test_a_slip_that_a_proof_shows_to_be_none_counts_for_nothing(write):
    old = """
    def f(rows):
        out = []
        fee = 1
        for row in rows:
            out.append(row)
        fee = 2
        return out, fee
    """
    new = """
    def f(rows):
        fee = 1
        out = [row for row in rows]
        fee = 2
        return out, fee
    """
    found = compared(write, old, new)
    assert found.status == "tested", str(found)
    assert found.slips[0] == found.slips[1] >= 1


def test_every_kind_of_slip_is_made():
    code = """
def f(a, b):
    if a > 3 and b:
        b.clear()
    x = a + 1
    y = x * 2
    return "wet" if y else x
"""
    tree = ast.parse(code)
    (function,) = functions_in(tree, code)
    told = [str(slip) for slip in slips_in(function.node, function.node)]
    for part in ("`a > 3 and b` flipped", "as `a >= 3`", "as `a > 4`", "`b` dropped", "without `b.clear()`", "`1` as `2`",
                 "`'wet'` as `'wetx'`", "`y = x * 2` before `x = a + 1`"):  # fmt: skip
        assert any(part in line for line in told), part


def test_the_same_verdict_beside_busy_processes(write):
    old = write(
        "def f(loads, gate):\n    for load in loads:\n        if load.kilos > gate.limit:\n            return load\n    return None\n",
        "old.py",
    )
    new = write(
        "def f(loads, gate):\n    heavy = [load for load in loads if load.kilos > gate.limit]\n    return heavy[0] if heavy else None\n",
        "new.py",
    )
    command = [sys.executable, "-m", "dreck", "compare", str(old), str(new), "--json"]
    alone = subprocess.run(command, capture_output=True, text=True).stdout
    busy = [subprocess.Popen([sys.executable, "-c", "while True: pass"]) for _ in range(4)]
    try:
        beside = subprocess.run(command, capture_output=True, text=True).stdout
    finally:
        for process in busy:
            process.kill()
            process.wait()
    assert alone == beside


def test_nothing_is_left_in_the_temporary_folder(write, tmp_path, monkeypatch):
    own = tmp_path / "temporary"
    own.mkdir()
    old = write("def f(a):\n    return [a]\n", "old.py")
    new = write("def f(a):\n    return [a] if a else [a]\n", "new.py")
    code = f"import dreck; print(dreck.compare({str(old)!r}, {str(new)!r}).status)"
    done = subprocess.run(
        [sys.executable, "-c", code], env={"TMPDIR": str(own), "PATH": "/usr/bin:/bin"}, capture_output=True, text=True
    )
    assert done.stdout, done.stderr
    assert list(own.iterdir()) == []


def test_a_call_of_the_base_can_be_left_out(tmp_path):
    """The method has a cell for its class, with and without `super()` in it."""
    code = (
        "class Base:\n    def __init__(self, a):\n        self.a = a\n\n\nclass Bin(Base):\n"
        "    def __init__(self, a: int):\n        super().__init__(a)\n        self.full = a > 3\n"
    )
    version = Version(tmp_path / "yard.py", code, "Bin.__init__")
    found = run_trial(version, version, Wanted(inputs=60))
    assert not found.problem and found.slips[0] >= 4  # which of the two lines comes first is not to be seen
