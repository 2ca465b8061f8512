"""The real command, as people and other programs use it."""

import json
import shutil
import stat

import pytest

from tests.conftest import YARD

GATE = """\
def admit(load, permit):
    if permit is not None:
        if load.kilos > 0:
            weigh(load)
            return "in"
        else:
            raise ValueError(load)
    else:
        return "no permit"
"""


@pytest.fixture
def yard(tmp_path):
    shutil.copytree(YARD, tmp_path / "yard", ignore=shutil.ignore_patterns("__pycache__"))
    return tmp_path / "yard"


def test_untangle_previews_and_writes_nothing(call, tmp_path):
    file = tmp_path / "gate.py"
    file.write_text(GATE)
    done = call("untangle", "gate.py")
    assert done.returncode == 0
    assert "guard-clauses" in done.stdout
    assert "= proved" in done.stdout
    assert "+    if permit is None:" in done.stdout
    assert "tangle 9 -> 2" in done.stdout
    assert "nothing written" in done.stdout
    assert file.read_text() == GATE


def test_untangle_writes_and_a_second_run_changes_nothing(call, tmp_path):
    file = tmp_path / "gate.py"
    file.write_text(GATE)
    assert call("untangle", "--write", "gate.py::admit").returncode == 0
    written = file.read_text()
    assert written.startswith("def admit(load, permit):\n    if permit is None:\n        return")
    assert "nothing to straighten" in call("untangle", "--write", "gate.py").stdout
    assert file.read_text() == written


def test_untangle_as_json(call, tmp_path):
    (tmp_path / "gate.py").write_text(GATE)
    data = json.loads(call("untangle", "gate.py", "--json").stdout)
    function = data["functions"][0]
    assert data["written"] is False
    assert data["skipped"] == []
    assert function["function"] == "gate.py::admit"
    assert set(function["before"]) == {"tangle", "depth", "ways", "lines"}
    assert function["after"]["depth"] == 1
    step = function["steps"][0]
    assert step["step"] == "guard-clauses"
    assert step["verdict"] == "proved"
    assert step["outcomes"][0] == step["outcomes"][1] > 0
    assert step["line"] == 2


def test_steps_can_be_chosen_and_left(call, tmp_path):
    (tmp_path / "gate.py").write_text(GATE)
    assert "nothing to straighten" in call("untangle", "gate.py", "--step", "return-at-once").stdout
    left = call("untangle", "gate.py", "--leave", "guard-clauses").stdout
    assert "guard-clauses" not in left


def test_a_wanted_step_that_does_not_hold(call, tmp_path):
    (tmp_path / "scale.py").write_text(
        "def f(load):\n    with load as scale:\n        if scale.kilos:\n            fee = 1\n"
        "        else:\n            fee = 2\n    return fee\n"
    )
    done = call("untangle", "scale.py", "--step", "return-at-once", "--verdict", "proved")
    assert done.returncode == 1
    assert "not taken" in done.stdout


def test_leave_comment_and_configuration(call, tmp_path):
    (tmp_path / "gate.py").write_text(GATE.replace("):\n", "):  # dreck: leave - the clerk reads it like this\n", 1))
    assert "nothing to straighten" in call("untangle", "gate.py").stdout
    (tmp_path / "gate.py").write_text(GATE.replace("> 0", "< 0"))
    (tmp_path / "pyproject.toml").write_text('[tool.dreck]\nassume = ["total-order"]\n')
    assert "if load.kilos >= 0" in call("untangle", "gate.py").stdout
    (tmp_path / "pyproject.toml").write_text('[tool.dreck]\nleave = ["guard-clauses", "exit-without-else"]\n')
    assert "nothing to straighten" in call("untangle", "gate.py").stdout
    (tmp_path / "pyproject.toml").write_text("[tool.dreck]\nhurry = true\n")
    assert call("untangle", "gate.py").returncode == 2


def test_compare(call, tmp_path):
    (tmp_path / "old.py").write_text(GATE)
    (tmp_path / "same.py").write_text(GATE.replace("permit is not None", "not (permit is None)"))
    (tmp_path / "other.py").write_text(GATE.replace("> 0", ">= 0"))
    same = call("compare", "old.py", "same.py")
    assert (same.returncode, "= proved  admit" in same.stdout) == (0, True)
    other = call("compare", "old.py::admit", "other.py::admit", "--json")
    assert other.returncode == 1
    found = json.loads(other.stdout)["functions"][0]
    assert found["function"] == "admit"
    assert found["verdict"] == "differs"
    assert "load.kilos = 0" in found["difference"]["input"]
    assert "ValueError" in found["difference"]["old"]


def test_compare_names_functions_of_one_side_only(call, tmp_path):
    (tmp_path / "old.py").write_text(GATE + "\ndef gone():\n    pass\n")
    (tmp_path / "new.py").write_text(GATE + "\ndef come():\n    pass\n")
    data = json.loads(call("compare", "old.py", "new.py", "--json").stdout)
    assert data["only_old"] == ["gone"]
    assert data["only_new"] == ["come"]
    assert call("compare", "old.py", "new.py").returncode == 1
    assert call("compare", "old.py", "new.py", "--only", "admit").returncode == 0


def test_a_changed_constant_or_helper_is_no_proof(call, tmp_path):
    old = "LIMIT = 40\n\ndef half(n):\n    return n / 2\n\ndef f(n):\n    if n > LIMIT:\n        return half(n)\n    return 0\n"
    (tmp_path / "old.py").write_text(old)
    (tmp_path / "limit.py").write_text(old.replace("40", "41"))
    (tmp_path / "half.py").write_text(old.replace("n / 2", "n / 3"))
    for file in ("limit.py", "half.py"):
        found = json.loads(call("compare", "old.py", file, "--only", "f", "--json").stdout)["functions"]
        verdicts = {f["function"]: f["verdict"] for f in found}
        assert verdicts["f"] != "proved", file
    both = json.loads(call("compare", "old.py", "half.py", "--json").stdout)["functions"]
    assert {f["function"]: f["verdict"] for f in both} == {"half": "differs", "f": "differs"}


def test_survey(call, yard):
    done = call("survey", yard, "--top", "3")
    assert done.returncode == 0
    assert "desk.py::handle" in done.stdout.splitlines()[1]
    assert "the first 3 shown" in done.stdout
    data = json.loads(call("survey", yard, "--json").stdout)
    tangles = [f["tangle"] for f in data["functions"]]
    assert tangles == sorted(tangles, reverse=True)
    assert {"function", "line", "tangle", "depth", "ways", "longest_test", "steps"} <= set(data["functions"][0])


def test_survey_names_broken_files_and_goes_on(call, yard):
    (yard / "broken.py").write_text("def f(:\n")
    (yard / "strange.py").write_bytes(b"x = '\xff'\n")
    done = call("survey", yard, "--csv", yard / "all.csv")
    assert done.returncode == 0
    assert "broken.py:1: not Python" in done.stdout
    assert "strange.py: cannot be decoded" in done.stdout
    assert len((yard / "all.csv").read_text().splitlines()) == 33


@pytest.mark.parametrize(
    ("args", "words"),
    [
        (["untangle", "nowhere.py"], "no such file"),
        (["untangle", "gate.py::nobody"], "no function or class 'nobody'"),
        (["untangle", "gate.py::admi"], "did you mean 'admit'"),
        (["untangle", "gate.py::"], "a name is wanted"),
        (["untangle", "broken.py"], "broken.py:1: not Python"),
        (["untangle", "latin.py"], "cannot be decoded"),
        (["untangle", "gate.py", "--step", "magic"], "no step 'magic'"),
        (["untangle", "gate.py", "--assume", "luck"], "no assumption 'luck'"),
        (["survey", "nowhere"], "no such file or folder"),
        (["compare", "gate.py", "nowhere.py"], "no such file"),
        (["compare", "gate.py", "."], "is a folder"),
        (["compare", "gate.py", "empty.py"], "no function in common"),
        (["steps", "magic"], "no step 'magic'"),
        (["frobnicate"], "No such command"),
        (["untangle"], "Missing argument"),
    ],
)
def test_wrong_calls_get_one_line_and_exit_code_2(call, tmp_path, args, words):
    (tmp_path / "gate.py").write_text(GATE)
    (tmp_path / "empty.py").write_text("")
    (tmp_path / "broken.py").write_text("def f(:\n")
    (tmp_path / "latin.py").write_bytes(b"# \xe9\n")
    done = call(*args)
    assert done.returncode == 2
    assert done.stdout == ""
    assert len(done.stderr.splitlines()) == 1
    assert words in done.stderr
    assert "Traceback" not in done.stderr


def test_read_only_files_are_not_written(call, tmp_path):
    file = tmp_path / "gate.py"
    file.write_text(GATE)
    file.chmod(stat.S_IRUSR)
    done = call("untangle", "--write", "gate.py")
    assert done.returncode == 2
    assert "read-only" in done.stderr
    assert file.read_text() == GATE


def test_steps_catalogue(call):
    assert "guard-clauses" in call("steps").stdout
    page = call("steps", "guard-clauses").stdout
    for part in ("Why", "When not", "Before", "After", "Traps"):
        assert part in page


def test_no_colour_when_piped(call, tmp_path):
    (tmp_path / "gate.py").write_text(GATE)
    assert "\x1b[" not in call("untangle", "gate.py").stdout
    assert "\x1b[" not in call("survey", "gate.py").stdout


def test_demo(run, tmp_path):
    done = run("demo", "copy")
    assert done.returncode == 0, done.stdout + done.stderr
    assert "! differs  admit" in done.stdout
    assert " passed" in done.stdout and "failed" not in done.stdout
    assert (tmp_path / "copy" / "gate.py").exists()
    again = run("demo", "copy")
    assert again.returncode == 2
    assert "is there already" in again.stderr


def test_compare_since_a_revision(call, tmp_path):
    import subprocess

    def git(*args):
        subprocess.run(
            ["git", "-c", "user.name=a", "-c", "user.email=a@b", *args], cwd=tmp_path, check=True, capture_output=True
        )

    package = tmp_path / "works"
    package.mkdir()
    (package / "__init__.py").write_text("")
    (package / "rates.py").write_text("RATES = {'glass': 2}\n")
    (package / "fees.py").write_text(
        "from works.rates import RATES\n\ndef f(k):\n    if k in RATES:\n        return RATES[k]\n    return 0\n"
    )
    git("init", "-q")
    git("add", ".")
    git("commit", "-qm", "first")
    # Today's module imports another name; the old text must run with the neighbours of then.
    (package / "rates.py").write_text("FEES = {'glass': 2}\n")
    (package / "fees.py").write_text("from works.rates import FEES\n\ndef f(k):\n    return FEES.get(k, 0)\n")
    done = call("compare", "--since", "HEAD", "works/fees.py::f", "--json")
    assert json.loads(done.stdout)["functions"][0]["verdict"] in ("tested", "differs")
    assert "cannot be executed" not in done.stdout
    (package / "fees.py").write_text("from works.rates import FEES\n\ndef f(k):\n    return FEES.get(k, 1)\n")
    assert call("compare", "--since", "HEAD", "works/fees.py").returncode == 1
    assert "differs" in call("compare", "--since", "HEAD").stdout
    # What cannot be run is open: of a whole change that is a finding for who asks for more.
    (package / "fees.py").write_text("from nowhere import FEES\n\ndef f(k):\n    return FEES.get(k, 1)\n")
    assert "unsettled" in call("compare", "--since", "HEAD").stdout
    assert call("compare", "--since", "HEAD").returncode == 0
    assert call("compare", "--since", "HEAD", "--verdict", "tested").returncode == 1
    assert "failed" in call("compare", "--since", "nowhere", "works/fees.py").stderr
    assert call("compare", "works/fees.py").returncode == 2
