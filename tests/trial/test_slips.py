"""How strong a trial is: small wrong changes put into the changed region have to be noticed, or it passes nothing."""

import ast
import subprocess
import sys

import pytest

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


ALIKE = {
    "a loop that would count up to a huge number": (
        "def f(n: int) -> tuple:\n    hours = 0\n    while n >= 60:\n        n -= 60\n        hours += 1\n    return hours, n\n",
        "def f(n: int) -> tuple:\n    if n < 60:\n        return 0, n\n    return divmod(n, 60)\n",
    ),
    "what Python says of a sum that cannot be had": (
        "def f(loads: list[dict]) -> int:\n    kilos = 0\n    for load in loads:\n        kilos += load['kilos']\n    return kilos\n",
        "def f(loads: list[dict]) -> int:\n    return sum(load['kilos'] for load in loads)\n",
    ),
    "each month of a year": (
        "from datetime import date\n\n\ndef f(day: date) -> int:\n    return (day.month - 1) // 3 + 1\n",
        "from datetime import date\n\n\ndef f(day: date) -> int:\n    return day.month // 3 + 1 if day.month % 3 else day.month // 3\n",
    ),
}


@pytest.mark.parametrize("case", ALIKE)
def test_what_is_the_same_is_seen_to_be(write, case):
    found = compared(write, *ALIKE[case])
    assert found.status == "tested", str(found)


def test_a_loop_that_never_ends_is_no_loop_that_takes_long(write):
    old = "def f(n: int) -> int:\n    return max(n - 2000000, 0)\n"
    found = compared(write, old, old.replace(":\n", ":\n    while n == 2000000:\n        pass\n"))
    assert found.status == "differs", str(found)


HALVES = "def f(x: float) -> int:\n    n = 0\n    while x > 1:\n        x /= 2\n        n += 1\n    return n\n"
SIXTIES = "def f(n: int) -> int:\n    k = 0\n    while n > 60:\n        n -= 60\n        k += 1\n    return k\n"


def test_a_guard_against_what_takes_for_ever_counts(write):
    """What only such inputs come to has not been seen to be the same."""
    guarded = HALVES.replace(":\n    n = 0", ":\n    if math.isinf(x):\n        return 0\n    n = 0", 1)
    assert compared(write, f"import math\n\n\n{guarded}", f"import math\n\n\n{HALVES}").status == "differs"
    guarded = SIXTIES.replace(":\n    k = 0", ":\n    if n > 10**9:\n        raise ValueError(n)\n    k = 0", 1)
    assert compared(write, guarded, SIXTIES).status in ("differs", "unsettled")


WIDE = """from dataclasses import dataclass
from datetime import date


@dataclass
class Permit:
    holder: str
    until: date
    kinds: list[str]


@dataclass
class Load:
    kind: str
    kilos: float
    wet: bool
    permit: Permit | None = None
    pallets: int = 0


"""
"""Classes of which much has to be made for each input."""


def test_a_search_goes_on_where_a_slip_was_not_noticed(write):
    old = """def report(loads: list[Load], kind=None, least=None, only_wet=False):
    result = []
    for load in loads:
        if kind is not None and load.kind != kind:
            continue
        if least is not None and load.kilos < least:
            continue
        if only_wet and not load.wet:
            continue
        result.append(load)
    return result
"""
    new = """def report(loads: list[Load], kind=None, least=None, only_wet=False):
    rules = [
        lambda load: kind is None or load.kind == kind,
        lambda load: least is None or not load.kilos < least,
        lambda load: not only_wet or load.wet,
    ]
    return [load for load in loads if all(rule(load) for rule in rules)]
"""
    assert compared(write, WIDE + old, WIDE + new).status == "tested"
