"""What stays as it is although a step applies, unless it is asked for by name; and what of it is not held back."""

from pathlib import Path

import pytest

import dreck

STAYS = {
    part.partition("\n")[0]: part.partition("\n")[2]
    for part in (Path(__file__).parent / "leave" / "stays.txt").read_text().split("=== ")[1:]
}


@pytest.mark.parametrize("name", STAYS)
def test_it_stays(write, name):
    result = dreck.untangle(write(STAYS[name]), verdict="proved")
    assert result.diff == ""


def test_asked_for_by_name_it_is_done(straighten):
    code = STAYS["an optional addition behind the main work"]
    assert "if not self.told:" in straighten(code, "guard-clauses").source


def test_the_exception_is_told_first_although_both_leave(straighten):
    code = """
    def f(load):
        if load.ok:
            return load.book()
        else:
            raise ValueError(load)
    """
    assert "if not load.ok:\n        raise" in straighten(code).source


def test_a_comment_that_fits_the_guard_holds_nothing_back(straighten):
    code = """
    def f(load, permit):
        # nobody gets in without papers
        if permit is not None:
            load.weigh()
            load.store()
            load.sell()
            return load.fee()
        else:
            return None
    """
    assert "# nobody gets in without papers\n    if permit is None:" in straighten(code).source


@pytest.mark.parametrize("code", ["x = True\n    else:\n        x = False", "x = False\n    else:\n        x = True"])
def test_true_if_c_else_false_is_never_written(straighten, code):
    source = straighten(f"def f(load):\n    if load.fee():\n        {code}\n    return [x]\n").source
    assert "True if" not in source and "False if" not in source


def test_no_negation_stands_before_a_whole(straighten):
    code = """
    def f(load, yard):
        if (n := load.count()) > 3 and n < yard.limit(n):
            load.weigh()
            load.store()
            load.sell()
            load.fee()
        else:
            raise ValueError
    """
    assert "not (" not in straighten(code).source


FINISHED = {
    part.partition("\n")[0]: part.partition("\n")[2].split("--- after\n")
    for part in (Path(__file__).parent / "finished.txt").read_text().split("=== ")[1:]
}


@pytest.mark.parametrize("name", FINISHED)
def test_what_is_begun_is_finished(write, name):
    before, after = FINISHED[name]
    path = write(before)
    dreck.untangle(path, write=True)
    assert path.read_text() == after


def test_a_flag_is_not_compared_with_true(write):
    path = write("""
def f(loads, kind):
    found = False
    for load in loads:
        if load.kind == kind:
            found = True
    if found == True:
        return "yes"
    return "no"
""")
    assert "    if found:\n" in dreck.untangle(path).source


def test_an_order_in_doubt_is_not_negated_but_told(write, call):
    path = write(
        "import numpy\n\ndef f(rows):\n    for a in rows:\n        if a.x <= 8:\n" + "            a.go()\n" * 6
    )
    done = call("untangle", path.name)
    assert "not " not in done.stdout.split("---")[0].split("would")[0]
    assert "1 test in 1 function would be turned round without a `not` with --assume total-order" in done.stdout


def test_one_function_takes_no_more_than_its_seconds(write, call, tmp_path):
    (tmp_path / "pyproject.toml").write_text("[tool.dreck]\nseconds = 0\n")
    path = write("def f(a):\n    if a:\n        return 1\n    else:\n        return 2\n")
    done = call("untangle", path.name)
    assert "its 0 seconds of work are used up" in done.stdout and "nothing taken" in done.stdout


FORMAT = "import sys; sys.stdout.write(sys.stdin.read().replace('1', '{}'))"


@pytest.mark.parametrize(
    ("command", "told"),
    [
        ("cat", ""),
        ("exit 3", "format `exit 3` failed: exit code 3; left as it was"),
        ("no-such-formatter", "failed: not found"),
        ("tr 1 3", "gave other code than it was given"),
        ("echo '('", "gave something that is not Python"),
    ],
)
def test_the_projects_formatter_is_believed_when_the_tree_stays(write, call, tmp_path, command, told):
    (tmp_path / "pyproject.toml").write_text(f"[tool.dreck]\nformat = {command!r}\n")
    path = write("def f(a):\n    if a:\n        return 1\n    else:\n        return 2\n")
    done = call("untangle", path.name, "--write")
    assert done.returncode == 0 and told in done.stdout
    assert path.read_text() == "def f(a):\n    if a:\n        return 1\n    return 2\n"


def test_what_the_formatter_does_can_be_undone(write, call, tmp_path):
    (tmp_path / "pyproject.toml").write_text("[tool.dreck]\nformat = \"sed s/'  #'/'   #'/\"\n")
    before = "X = 1  # one\n\n\ndef f(a):\n    if a:\n        return 1\n    else:\n        return 2\n"
    path = write(before)
    assert call("untangle", path.name, "--write").returncode == 0
    assert "X = 1   # one" in path.read_text() and "else" not in path.read_text()
    assert call("untangle", path.name, "--write", "--verdict", "proved").returncode == 0
    while path.read_text() != before:
        assert call("back").returncode == 0
