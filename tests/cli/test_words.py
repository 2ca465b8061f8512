"""What is said when something is wrong: one line, what and where and what to do about it."""

import os
import subprocess
import sys

import pytest

import dreck

CODE = "def f(a):\n    if a:\n        return 1\n    else:\n        return 2\n"


@pytest.mark.parametrize(
    ("args", "told"),
    [
        (
            ["untangle", "yard.py", "--step", "guard-clause"],
            "no step 'guard-clause'; did you mean 'guard-clauses'? `dreck steps`",
        ),
        (["untangle", "yard.py", "--assume", "total-ordr"], "no assumption 'total-ordr'; did you mean 'total-order'?"),
        (["untangle", "yard.py", "--hurry"], "(see: dreck untangle --help)"),
        (["survey"], "(see: dreck survey --help)"),
        (
            ["untangle", "yard.py", "--write", "--check", "no-such-command"],
            "`no-such-command` cannot be run: not found",
        ),
        (["compare", "yard.py"], "compare wants two of them, OLD and NEW"),
        (["compare", "yard.py", "."], "is a folder, the other is not"),
    ],
)
def test_a_wrong_call_says_what_was_meant(write, call, args, told):
    write(CODE)
    done = call(*args)
    assert done.returncode == 2 and told in done.stderr and len(done.stderr.splitlines()) == 1


@pytest.mark.parametrize(
    ("setting", "told"),
    [
        ("leav = []", "has no setting 'leav'; did you mean 'leave'?"),
        ("steps = ['guard-clause']", "steps names no step 'guard-clause'; did you mean 'guard-clauses'?"),
        ("assume = 'total-order'", "assume must be a list of texts"),
        ("most = -1", "most must be a whole number, 0 or more"),
        ("seconds = true", "seconds must be a number, 0 or more"),
        ("verdict = 'maybe'", "verdict names no verdict 'maybe'; there are: proved, tested"),
        ("check = 3", "check must be a text"),
        ("names = 3", "names must be a table of code and name"),
        ("cage = 'paper'", "cage names no cage 'paper'; there are: kernel"),
    ],
)
def test_configuration_is_checked_as_a_whole(write, call, tmp_path, setting, told):
    write(CODE)
    (tmp_path / "pyproject.toml").write_text(f"[tool.dreck]\n{setting}\n")
    done = call("untangle", "yard.py")
    assert done.returncode == 2 and told in done.stderr and "pyproject.toml" in done.stderr
    assert len(done.stderr.splitlines()) == 1


def test_settings_stand_in_for_options(write, call, tmp_path):
    write(CODE + "\n\ndef g(a):\n    if a is None:\n        b = 1\n    else:\n        b = 2\n    return b\n")
    (tmp_path / "pyproject.toml").write_text("[tool.dreck]\nsteps = ['choose-value']\nmost = 0\nline-length = 30\n")
    assert call("survey", "yard.py").returncode == 1
    assert "else:" in call("untangle", "yard.py", "--json").stdout
    (tmp_path / "pyproject.toml").write_text("[tool.dreck]\nverdict = 'proved'\n")
    assert "+    return 2" in call("untangle", "yard.py").stdout


@pytest.mark.skipif(sys.version_info >= (3, 12), reason="there it is valid")
@pytest.mark.parametrize(
    "code", ["type Load = int", "def f[T](a: T): ...", "class A[T]: ...", "try:\n    pass\nexcept A, B:\n    pass"]
)
def test_newer_python_is_told_from_no_python(write, call, code):
    write(code + "\n")
    told = call("survey", "yard.py").stderr
    assert "on which Dreck runs" in told and "run Dreck with the Python your code is for" in told
    write("def f(:\n")
    assert "run Dreck with" not in call("survey", "yard.py").stderr


def test_what_git_ignores_and_what_is_excluded_is_left_out(call, tmp_path):
    for place in ("src/a.py", "made/b.py", "old/c.py", "env/lib/d.py", "src/deep/e_made.py"):
        (tmp_path / place).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / place).write_text(CODE)
    (tmp_path / "env/pyvenv.cfg").write_text("")
    (tmp_path / ".git").mkdir()
    (tmp_path / ".gitignore").write_text("/made\n*_made.py\n")
    (tmp_path / "pyproject.toml").write_text('[tool.dreck]\nexclude = ["old/"]\n')
    assert [row.function for row in dreck.survey(tmp_path)] == [f"{tmp_path}/src/a.py::f"]
    assert [row.function for row in dreck.survey(tmp_path / "made")] == [f"{tmp_path}/made/b.py::f"]
    assert len(dreck.survey([tmp_path / "src", tmp_path / "src/a.py"])) == 1


@pytest.mark.parametrize(
    "code",
    [
        "# what we keep\n# dreck: leave, written elsewhere\n" + CODE,
        "class A:  # dreck: leave\n" + "".join(f"    {line}\n" for line in CODE.splitlines()),
        CODE.replace("def f(a):", "def f(a):  # dreck: leave"),
    ],
)
def test_what_is_to_be_left_is_left_and_told(write, call, code):
    path = write(code)
    assert dreck.untangle(path).diff == ""
    assert dreck.untangle(path, steps="exit-without-else").diff == ""
    assert "left alone" in call("survey", path.name).stdout


def test_from_python(write):
    assert set(dreck.__all__) <= set(dir(dreck)) and "importlib" not in dir(dreck)
    old, new = CODE, CODE.replace("    else:\n        return 2", "    return 2")
    assert dreck.compare(old, new).status == "proved"
    dreck.assert_same(old, new)
    with pytest.raises(AssertionError, match=r"input  .*\n  old    result: 2\n  new    result: 3"):
        dreck.assert_same(old, new.replace("2", "3"))
    space = {}
    path = write(CODE)
    exec(compile(CODE, str(path), "exec"), space)
    assert "else" not in dreck.untangle(space["f"], steps="exit-without-else").source
    with pytest.raises(dreck.BadTarget, match="stands in no file"):
        dreck.untangle(len)


HEAVY = {"libcst", "pandas", "jinja2", "matplotlib", "z3", "hypothesis"}
SLOW = {"rich", "libcst", "multiprocessing", "email", "tarfile", "asyncio"}


@pytest.mark.parametrize("columns", ["80", "90", "100", "140"])
def test_the_help_is_that_of_the_commands_at_each_width(columns):
    env = {**os.environ, "COLUMNS": columns}
    code = "import sys; sys.argv = ['dreck', '--help']; from {} import main; main()"
    told = [
        subprocess.run(
            [sys.executable, "-c", code.format(of)], env=env, capture_output=True, text=True, check=True
        ).stdout
        for of in ("dreck.cli", "dreck.cli.group")
    ]
    assert told[0] == told[1] and "untangle" in told[0]


@pytest.mark.parametrize(
    ("args", "left_out"),
    [
        (["outline", "yard.py"], HEAVY),
        (["compare", "yard.py", "yard.py"], HEAVY),
        (["words"], HEAVY),
        (["--version"], HEAVY | SLOW),
        (["--help"], HEAVY | SLOW),
        (["survey", "--help"], HEAVY | SLOW),
        (["survey", "yard.py"], HEAVY | SLOW),
        (["survey", "yard.py", "--no-cache"], {"libcst", "importlib.metadata", "dreck.steps.naming", "dreck.trial"}),
    ],
)
def test_commands_bring_along_only_what_they_need(write, tmp_path, args, left_out):
    """Asked a second time, when what can be known is known."""
    write(CODE)
    code = f"""
import subprocess
import sys
sys.argv = ["dreck", *{args!r}]
from dreck.cli import main
try:
    main()
except SystemExit as end:
    assert not end.code, end.code
assert not {left_out!r} & set(sys.modules), {left_out!r} & set(sys.modules)
"""
    subprocess.run([sys.executable, "-c", code], cwd=tmp_path, capture_output=True)
    done = subprocess.run([sys.executable, "-c", code], cwd=tmp_path, capture_output=True, text=True)
    assert done.returncode == 0, done.stderr


def test_reasons_of_one_form_are_told_once(write, call):
    ladder = "def {0}(a):\n    if isinstance(a, {1}):\n        return 1\n    if isinstance(a, {2}):\n        return 2\n    return 3\n"
    kinds = [("weigh", "Glass", "Paper"), ("fee", "Wood", "Metal"), ("tell", "Tyre", "Film")]
    write("from yard import *\n\n\n" + "\n\n".join(ladder.format(*names) for names in kinds))
    done = call("untangle", "yard.py", "--step", "polymorphic-methods")
    summary = [line for line in done.stdout.splitlines() if line.startswith("polymorphic-methods: not taken: ")]
    assert done.returncode == 1
    assert len(summary) == 1 and "(3 places alike)" in summary[0] and summary[0].count(" is not a class of ") == 1
