"""`dreck compare` in full: moved functions, classes, differences on purpose, cases, real calls, own tests."""

import json
import subprocess
import sys

import pytest

import dreck

OLD = """
class Yard:
    LIMIT = 5

    def moved(self, kilos):
        if self.rate > kilos:
            return 1
        else:
            return 2

    def fits(self, kilos):
        return kilos < self.LIMIT


def find(code, table):
    if code in table:
        return table[code]
    return 0


def points(loads):
    total = 0
    for load in loads:
        if load.kilos > 10:
            total += 2
    return total
"""
NEW = """
class Yard:
    LIMIT = 5

    def fits(self, kilos):
        return kilos < self.LIMIT


def moved(yard, kilos):
    if yard.rate > kilos:
        return 1
    return 2


def find(code, table):
    if code not in table:
        raise LookupError(code)
    return table[code]


def points(loads):
    total = 0
    for load in loads:
        total += worth(load)
    return total


def worth(load):
    if load.kilos > 10:
        return 2
    return 0
"""


@pytest.fixture
def both(tmp_path):
    (tmp_path / "before.py").write_text(OLD)
    (tmp_path / "after.py").write_text(NEW)
    return tmp_path


def told(call, *args):
    done = call("compare", *args, "--json")
    return done.returncode, json.loads(done.stdout)


def test_moved_functions_and_helpers_are_followed(both, call):
    _, found = told(call, "before.py", "after.py")
    verdicts = {f["function"]: f["verdict"] for f in found["functions"]}
    assert found["moved"] == {"Yard.moved": "moved"}
    assert verdicts == {"Yard.fits": "proved", "Yard.moved": "proved", "find": "differs", "points": verdicts["points"]}
    assert verdicts["points"] in ("proved", "tested")
    assert found["only_new"] == ["worth"] and found["only_old"] == []


def test_a_difference_on_purpose_is_allowed_and_must_occur(both, call):
    code, found = told(call, "before.py::find", "after.py::find", "--expect", "code not in table")
    assert code == 0 and found["functions"][0]["verdict"] == "proved"
    assert "LookupError" in found["functions"][0]["expected"]["new"]
    code, found = told(call, "before.py::find", "after.py::find", "--expect", "code == 77")
    assert code == 1 and found["functions"][0]["verdict"] == "differs"
    code, found = told(call, "before.py::find", "before.py::find", "--expect", "code not in table")
    assert code == 1 and "did not occur" in found["functions"][0]["reason"]


@pytest.mark.parametrize(
    ("test", "message"),
    [("code not in tab", "the parameters are code, table"), ("code ==", "no Python expression")],
)
def test_an_expectation_that_means_nothing_is_one_line(both, call, test, message):
    done = call("compare", "before.py::find", "after.py::find", "--expect", test)
    assert done.returncode == 2 and message in done.stderr and len(done.stderr.splitlines()) == 1


def test_the_smallest_difference_becomes_a_case_that_fails(both, call):
    done = call("compare", "before.py", "after.py", "--case", "test_case.py")
    assert done.returncode == 1 and "written to test_case.py" in done.stdout
    pytest_run = [sys.executable, "-m", "pytest", "-q", "-p", "no:cacheprovider", "test_case.py"]
    assert subprocess.run(pytest_run, cwd=both, capture_output=True).returncode == 1
    (both / "after.py").write_text(OLD)
    assert subprocess.run(pytest_run, cwd=both, capture_output=True).returncode == 0
    assert "no difference" in call("compare", "before.py", "after.py", "--case", "other.py").stdout
    assert not (both / "other.py").exists()


def test_own_tests_count(both, call):
    (both / "after.py").write_text(OLD)
    code, found = told(call, "before.py", "after.py", "--check", "true")
    assert code == 0 and found["check"]["green"]
    code, found = told(call, "before.py", "after.py", "--check", "echo two red; false")
    assert code == 1 and found["check"] == {"command": "echo two red; false", "green": False, "said": "two red"}


def test_real_calls_are_tried_first(both, call):
    rare = "def f(row):\n    key = row.strip().split('|')\n    if len(key) == 4 and key[3][::-1] == 'drak':\n        return {}\n    return 0\n"
    (both / "before.py").write_text(rare.format(1))
    (both / "after.py").write_text(rare.format(2))
    (both / "day.py").write_text("from after import f\nf('a|b|c|kard')\n")
    code, found = told(call, "before.py", "after.py", "--from", f"{sys.executable} day.py")
    assert code == 1 and found["functions"][0]["difference"]["input"] == "row = 'a|b|c|kard'"


@pytest.mark.parametrize(
    ("change", "function"),
    [
        (("LIMIT = 5", "LIMIT = 6"), "Yard.fits"),
        (
            ("class Yard:", "class Base:\n    def fits(self, kilos):\n        return 1\n\n\nclass Yard(Base):"),
            "Yard.moved",
        ),
    ],
)
def test_what_a_class_is_counts_for_its_methods(both, call, change, function):
    (both / "after.py").write_text(OLD.replace(*change))
    _, found = told(call, "before.py", "after.py")
    verdict = next(f for f in found["functions"] if f["function"] == function)
    assert verdict["verdict"] != "proved"


def test_other_parameter_names_are_an_assumption(call, tmp_path):
    (tmp_path / "a.py").write_text(
        "def f(kilos, tare):\n    if kilos > tare:\n        return 1\n    else:\n        return 2\n"
    )
    (tmp_path / "b.py").write_text("def f(gross, net):\n    if gross > net:\n        return 1\n    return 2\n")
    code, found = told(call, "a.py", "b.py")
    assert code == 0 and found["functions"][0]["assumptions"] == ["calls-by-position"]
    (tmp_path / "b.py").write_text("def f(tare, kilos):\n    if kilos > tare:\n        return 1\n    return 2\n")
    assert told(call, "a.py", "b.py")[0] == 1


@pytest.mark.parametrize(
    ("old", "new"),
    [
        ("def f(a, n=3):", "def f(a, n=4):"),
        ("def f(a, *, n=3):", "def f(a, *, n=4):"),
        ("def f(a, n):", "def f(a, /, n):"),
        ("import functools\n@functools.lru_cache\ndef f(a, n):", "import functools\ndef f(a, n):"),
    ],
)
def test_what_a_trial_cannot_see_is_never_tested(call, tmp_path, old, new):
    body = "\n    if a:\n        return [n]\n    return []\n"
    (tmp_path / "a.py").write_text(old + body)
    (tmp_path / "b.py").write_text(new + body)
    code, found = told(call, "a.py", "b.py")
    assert code == 1 and found["functions"][0]["verdict"] in ("unsettled", "differs")


def test_a_difference_for_nan_alone_says_what_leaves_it_out(write):
    old = "def f(kilos, book):\n    if kilos < 3:\n        return 0\n    return book(kilos)\n"
    new = "def f(kilos, book):\n    if kilos >= 3:\n        return book(kilos)\n    return 0\n"
    found = dreck.compare(write(old, "old.py"), write(new, "new.py"))
    assert found.status == "differs" and "nan" in found.difference.input
    assert "--assume total-order" in found.reason
    assert dreck.compare(write(old, "old.py"), write(new, "new.py"), assume=["total-order"]).status == "proved"
    other = new.replace("return 0", "return 1")
    assert "--assume total-order" not in dreck.compare(write(old, "old.py"), write(other, "new.py")).reason


def test_functions_are_found_again_under_other_names_and_in_other_files(call, tmp_path):
    weigh = "(load, scale):\n    scale.zero()\n    gross = scale.read(load)\n    if gross < 0:\n        raise ValueError(gross)\n    return gross - load.tare\n"
    admit = "(load, permit):\n    if permit is None:\n        return 'no permit'\n    if load.kilos > permit.most:\n        return 'too heavy'\n    return 'in'\n"
    for folder, files in {
        "old": {"gate.py": f"def admit{admit}\n\ndef weigh{weigh}\n\ndef book(a):\n    return a.next()\n"},
        "new": {
            "gate.py": f"def may_enter{admit.replace('kilos >', 'kilos >=')}",
            "desk.py": f"def book(a):\n    return a.next()\n\n\ndef net_weight{weigh}",
        },
    }.items():
        (tmp_path / folder).mkdir()
        for name, text in files.items():
            (tmp_path / folder / name).write_text(text)
    done = call("compare", tmp_path / "old", tmp_path / "new")
    assert done.returncode == 1
    lines = done.stdout.splitlines()
    assert lines[0] == "! differs  gate.py::admit  now gate.py::may_enter, the most alike"
    assert "= proved  gate.py::weigh  now desk.py::net_weight" in lines
    assert "= proved  gate.py::book  now desk.py::book" in lines
    assert "only in the old" not in done.stdout


def test_what_is_hardly_alike_is_not_taken_for_the_same(call, tmp_path):
    old, new = tmp_path / "old.py", tmp_path / "new.py"
    old.write_text("def admit(a):\n    x = a.first\n    y = a.second\n    return x + y\n\n\ndef stay():\n    pass\n")
    new.write_text(
        "def stay():\n    pass\n\n\ndef leave(a):\n    for b in a:\n        b.go()\n        b.stop()\n    return None\n"
    )
    done = call("compare", old, new)
    assert "only in the old version: admit" in done.stdout and "only in the new version: leave" in done.stdout
