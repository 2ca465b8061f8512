"""Trials: inputs that reach, what is compared, and verdicts that say no more than they know."""

import textwrap
from pathlib import Path

import pytest

from dreck.trial.server import Trial, Version, run_trial


@pytest.fixture
def trial(tmp_path: Path):
    def done(old: str, new: str, name: str = "f") -> Trial:
        path = tmp_path / "module.py"
        old, new = textwrap.dedent(old), textwrap.dedent(new)
        return run_trial(Version(path, old, name), Version(path, new, name))

    return done


REACHED = {
    "five at once": """
        def f(code, kilos, tag, a, b):
            if code == 48213 and kilos > code * 3 and tag.endswith("-x"):
                if a.total % 7 == 3:
                    if len(b) > 3:
                        return 1
            return 2
    """,
    "arithmetic": """
        def f(a, b, n):
            if a + b == 12:
                if n * 3 - 7 == 200:
                    return a
            return b
    """,
    "dicts and strings": """
        def f(row):
            parts = row["code"].split("-")
            if len(parts) == 3 and parts[0] == "glass":
                return 1
            if row.get("wet") and row["kilos"] > 40:
                return 2
            return 3
    """,
    "objects deep down": """
        def f(load):
            if load.owner.permit is None:
                return 0
            if load.owner.permit.rest() < 20 and not load.owner.blocked:
                return 1
            for part in load.parts:
                if part.kind == "battery":
                    return 2
            return 3
    """,
    "enums and dataclasses": """
        from dataclasses import dataclass
        from enum import Enum

        class Kind(Enum):
            GLASS = 1
            PAPER = 2

        @dataclass
        class Load:
            kind: Kind
            kilos: int

        def f(load: Load, limit: float = 3.0):
            if load.kind is Kind.PAPER and load.kilos > limit:
                return 1
            return load.kilos
    """,
    "dates": """
        import datetime

        def f(day: datetime.date):
            if day.month == 2 and day.day == 29:
                return 1
            return 0
    """,
    "isinstance": """
        class Bale:
            def __init__(self, kilos):
                self.kilos = kilos

        def f(item):
            if isinstance(item, Bale):
                return 1 if item.kilos > 800 else 2
            if isinstance(item, (int, float)):
                return 3
            return 4
    """,
    "handlers": """
        def f(scale):
            try:
                return scale.read() > 3
            except OSError:
                return None
    """,
    "coroutines": """
        async def f(scale):
            if await scale.ready():
                return 1
            return 2
    """,
}


@pytest.mark.parametrize("code", REACHED.values(), ids=REACHED)
def test_every_outcome_is_reached(trial, code):
    found = trial(code, code)
    assert found.problem == ""
    assert found.missing == ()
    assert found.difference is None
    assert found.outcomes[0] == found.outcomes[1] > 0


DIFFERENT = {
    "type of the result": ("return 1 if a else 0", "return True if a else False"),
    "minus zero": ("return 0.0 if a else 1", "return -0.0 if a else 1"),
    "kind of exception": ("if a: raise ValueError('x')", "if a: raise KeyError('x')"),
    "words of the exception": ("if a: raise ValueError('x')", "if a: raise ValueError('y')"),
    "argument afterwards": ("if a: xs.append(1)", "if a: xs.append(2)"),
    "calls in order": ("if a: b.x(); b.y()", "if a: b.y(); b.x()"),
    "output": ("if a: print('x')", "if a: print('y')"),
    "boundary": ("return 'x' if n < 40 else 'y'", "return 'x' if n <= 40 else 'y'"),
    "default shared": ("return [] if a else ''", "return SHARED if a else ''"),
    "module global": ("global N\nif a: N = 1", "global N\nif a: N = 2"),
    "yields": ("for x in (1, 2):\n    if a: yield x", "for x in (2, 1):\n    if a: yield x"),
    "attribute set": ("if a: b.ready = True", "if a: b.ready = 1"),
    "eager operand": (
        "return b is not None and b.kilos > 3 and bool(a)",
        "k = b.kilos\nreturn b is not None and k > 3 and bool(a)",
    ),
    "lost case": ("if k == 'g': return 1\nif k == 'p': return 2\nreturn 0", "if k == 'g': return 1\nreturn 0"),
    "unhashable": ("if k in ('g', 'p'): return 1\nreturn 0", "if k in {'g', 'p'}: return 1\nreturn 0"),
    "NaN": ("if not n < 3: return 1\nreturn 0", "if n >= 3: return 1\nreturn 0"),
    "refused by the cage": ("if a: open('/tmp/x', 'w')", "if a: open('/tmp/y', 'w')"),
    "does not end": ("if a: return 1", "while a: pass\nreturn None"),
}


@pytest.mark.parametrize(("old", "new"), DIFFERENT.values(), ids=DIFFERENT)
def test_differences_are_seen(trial, old, new):
    def code(lines: str) -> str:
        return "SHARED = []\nN = 0\n\ndef f(a, b, k, n, xs):\n" + textwrap.indent(lines, "    ") + "\n"

    assert trial(code(old), code(new)).difference is not None


def test_the_difference_is_told_with_its_input(trial):
    found = trial("def f(n):\n    return n > 41\n", "def f(n):\n    return n > 42\n").difference
    assert found.input == "n = 42"
    assert (found.old, found.new) == ("result: True", "result: False")


def test_nothing_reached_is_never_tested(trial):
    dying = "def f(a):\n    a = missing\n    if a > 3:\n        return 1\n    return 2\n"
    found = trial(dying, dying.replace("return 1", "return 7"))
    assert found.difference is None
    assert "NameError" in found.problem
    assert found.missing


def test_what_wavers_is_not_compared_and_is_named(trial):
    code = "import time\ndef f(a):\n    if a:\n        return time.perf_counter()\n    return 0\n"
    problem = trial(code, code).problem
    assert "another result" in problem and "time.perf_counter" in problem


@pytest.mark.parametrize(
    "source",
    [
        "import os\ndef f(a):\n    if a:\n        return os.urandom(4)\n    return os.urandom(8)\n",
        "import random\ndef f(a):\n    if a:\n        return random.random()\n    return 0\n",
        "import uuid\ndef f(a):\n    if a:\n        return uuid.uuid4().hex\n    return uuid.uuid1()\n",
        "from time import time\ndef f(a):\n    if a:\n        return time()\n    return 0\n",
        "import time\ndef f(a):\n    start = time.time()\n    while time.time() < start + 3:\n        time.sleep(1)\n    return time.time() if a else 0\n",
        "from datetime import datetime, date\ndef f(a):\n    if a:\n        return datetime.now()\n    return date.today()\n",
    ],
)
def test_clock_and_chance_are_held_still(trial, source):
    found = trial(source, source)
    assert not found.problem and found.difference is None
    assert found.outcomes[0] == found.outcomes[1] > 0


def test_a_date_that_is_held_still_is_a_date_like_others(trial):
    code = (
        "import datetime\ndef f(day: datetime.date):\n    if day > datetime.date.today():\n        return 'later'\n"
        "    if isinstance(datetime.datetime.now(), datetime.date):\n        return 'earlier'\n    return 'never'\n"
    )
    found = trial(code, code.replace("'earlier'", "'before'"))
    assert found.difference is not None and "'before'" in found.difference.new


@pytest.mark.parametrize(
    ("old", "new"),
    [
        ("if kilos < 7301:\n        return 1", "if kilos <= 7301:\n        return 1"),
        ("if kilos * 3 + tare > 4000:\n        return 1", "if kilos * 3 + tare >= 4000:\n        return 1"),
        (
            "if kilos % 97 == 13 and tare == 5:\n        return 1",
            "if kilos % 97 == 14 and tare == 5:\n        return 1",
        ),
        (
            "print(kilos)\n    if kilos > 3:\n        return 1",
            "print(kilos)\n    if kilos > 3:\n        print('!')\n        return 1",
        ),
    ],
)
def test_boundaries_are_found_among_plain_values(trial, old, new):
    frame = "def f(kilos, tare):\n    {}\n    return 0\n"
    assert trial(frame.format(old), frame.format(new)).difference is not None


def test_plain_values_are_tried_by_the_thousand(trial):
    code = "def f(kilos, tare):\n    if kilos > tare:\n        return kilos - tare\n    return 0\n"
    assert trial(code, code).inputs > 5_000


def test_a_nested_function_and_a_broken_module_say_so(trial):
    code = "def f(a):\n    def g():\n        nonlocal a\n        a = 1\n"
    assert "inside a function" in trial(code, code, "f.g").problem
    assert "cannot be executed" in trial("import nosuch\ndef f(): pass\n", "def f(): pass\n").problem


def test_relative_imports_work(tmp_path):
    package = tmp_path / "works"
    package.mkdir()
    (package / "__init__.py").write_text("")
    (package / "rates.py").write_text("RATE = 3\n")
    text = "from .rates import RATE\n\ndef f(a):\n    return RATE if a else 0\n"
    found = run_trial(Version(package / "fees.py", text, "f"), Version(package / "fees.py", text, "f"))
    assert not found.problem
    assert not found.missing


def test_what_is_annotated_is_given_no_number_that_is_none(tmp_path):
    old = "def f(d: dict, k: str):\n    if k in d:\n        v = d[k]\n        del d[k]\n        return v\n    return None\n"
    new = "def f(d: dict, k: str):\n    return d.pop(k, None)\n"
    found = run_trial(Version(tmp_path / "m.py", old, "f"), Version(tmp_path / "m.py", new, "f"))
    assert found.difference is None and found.slips[0] == found.slips[1]


def test_an_attribute_that_a_class_has_a_value_for_may_be_missing_and_methods_stay_real(trial):
    code = """
        class Gate:
            busy = False

            def handle(self, error):
                if self.busy:
                    raise ValueError("twice") from error
                self.busy = True
                try:
                    raise error
                finally:
                    del self.busy

            def level(self, loads):
                kilos = {}
                try:
                    return self.scale.read(kilos)
                except OSError as error:
                    self.handle(error)

            def sum_of(self, loads):
                return sum(load.kilos for load in loads)
    """
    found = trial(code.format("sum(load.kilos for load in loads)"), code.format("self.sum_of(loads)"), "Gate.level")
    assert found.difference is None, found.difference
