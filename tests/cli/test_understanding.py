"""Looking first: survey, outline, census, report, as commands and calls."""

import json
import shutil
import subprocess
from concurrent.futures import ThreadPoolExecutor

import pytest

import dreck
from tests.conftest import YARD


@pytest.fixture
def yard(tmp_path):
    shutil.copytree(YARD, tmp_path / "yard", ignore=shutil.ignore_patterns("__pycache__"))
    return tmp_path / "yard"


def git(folder, *args):
    subprocess.run(
        ["git", "-c", "user.name=yard", "-c", "user.email=yard@example.org", *args],
        cwd=folder,
        check=True,
        capture_output=True,
    )


def test_an_outline_reads_like_a_decision_table(yard, call):
    done = call("outline", "gate.py::admit", cwd=yard)
    lines = done.stdout.splitlines()
    assert done.returncode == 0
    assert lines[1].startswith("admit(load, permit, gate) -> 'admit' | 'refuse: too heavy'")
    assert "  B  permit is not None" in lines
    assert any(line.split()[:2] == ["6", "no"] and "yard closed" in line for line in lines)
    assert all(len(line) <= 100 for line in lines[2:])


def test_an_outline_from_python(yard):
    found = dreck.outline(yard / "gate.py::check_in")
    assert found.signature.endswith("raises Refused")
    frame = found.to_frame()
    assert list(frame["exit"])[-1] == "raise Refused('no load')" and len(frame) == 5
    with pytest.raises(dreck.BadTarget):
        dreck.outline(yard / "gate.py")


HOLES = """
import enum


class Kind(enum.Enum):
    GLASS = 1
    METAL = 2
    WOOD = 3


class Item: ...
class Bale(Item): ...
class Drum(Item): ...
class Heap(Item): ...


def band(kilos):
    if kilos < 100:
        return "A"
    elif 100 < kilos < 500:
        return "B"
    elif kilos > 500:
        return "C"


def kind(k):
    if k is Kind.GLASS:
        return 1
    elif k is Kind.METAL:
        return 2


def twice(code):
    if code in ("a", "b"):
        return 1
    elif code == "b":
        return 2
    return 3


def item(i):
    if isinstance(i, Item):
        return 1
    elif isinstance(i, Bale):
        return 2
    return 3


def place(i):
    if isinstance(i, Bale):
        return 1
    elif isinstance(i, Drum):
        return 2


def late(kilos):
    if kilos > 10:
        return 1
    elif kilos > 20:
        return 2
    return 1
"""


@pytest.mark.parametrize(
    ("name", "notes"),
    [
        ("band", [("hole", "kilos == 100: no branch"), ("hole", "kilos == 500: no branch")]),
        ("kind", [("hole", "k = Kind.WOOD: no branch; then: falls off the end")]),
        ("twice", [("overlap", "'b' is taken at line")]),
        ("item", [("overlap", "already, as a Item: never runs")]),
        ("place", [("hole", "i = Heap: no branch")]),
        ("late", [("overlap", "kilos > 20 is all taken by branches above"), ("same exit", "say `return 1`"), ("decided", "is always False")]),
    ],
)  # fmt: skip
def test_holes_and_overlaps(name, notes, write):
    found = dreck.outline(f"{write(HOLES)}::{name}").notes
    for kind, text in notes:
        assert any(note.kind == kind and text in note.text for note in found), found


def test_outlines_as_csv_and_json(yard, call):
    done = call("outline", "fees.py", "--csv", "ways.csv", "--json", "--through", "material == 'metal'", cwd=yard)
    tables = {f["function"]: f["tables"][0] for f in json.loads(done.stdout)["functions"]}
    assert len(tables["fees.py::fee"]["ways"]) == 3
    assert (yard / "ways.csv").read_text().startswith("function,table,")
    bad = call("outline", "fees.py::fee", "--through", "material ==", cwd=yard)
    assert bad.returncode == 2 and "no Python expression" in bad.stderr


def test_a_census_marks_what_is_missing(yard, call, write):
    census = dreck.census(yard)
    kind = next(g for g in census.groups if g.discriminant == "kind")
    assert {p.function.rpartition("::")[2] for p in kind.places} == {"handle", "handling"}
    assert kind.missing == 3
    done = call("census", ".", cwd=yard)
    assert done.returncode == 0 and "MISSING" in done.stdout
    odd = dreck.census(write(HOLES))
    items = next(g for g in odd.groups if g.discriminant == "Item")
    assert dict(zip(items.kinds, items.cells, strict=True))["Heap"] == ("handled", "missing")
    enum = next(g for g in odd.groups if g.by == "enum")
    assert enum.kinds == ("Kind.GLASS", "Kind.METAL", "Kind.WOOD") and enum.cells[2] == ("missing",)
    assert set(odd.to_frame()["cell"]) == {"handled", "missing"}
    assert "default" in set(census.to_frame()["cell"])


def test_survey_as_a_gate_and_since_a_revision(yard, call):
    done = call("survey", ".", "--most", "50", cwd=yard)
    assert done.returncode == 1 and "over 50: desk.py::handle" in done.stdout
    assert call("survey", ".", "--most", "5000", cwd=yard).returncode == 0
    git(yard, "init", "-q")
    git(yard, "add", "-A")
    git(yard, "commit", "-qm", "yard")
    assert "0 functions" in call("survey", ".", "--since", "HEAD", cwd=yard).stdout
    text = (yard / "gate.py").read_text()
    (yard / "gate.py").write_text(text.replace("queue * 4", "queue * 5"))
    (yard / "new.py").write_text("def fresh(a):\n    return a\n")
    rows = json.loads(call("survey", ".", "--since", "HEAD", "--json", cwd=yard).stdout)["functions"]
    assert {row["function"] for row in rows} == {"gate.py::waiting_time", "new.py::fresh"}
    wrong = call("survey", ".", "--since", "nowhere", cwd=yard)
    assert wrong.returncode == 2 and len(wrong.stderr.splitlines()) == 1


def test_what_untangling_would_bring_is_worked_out(yard):
    before = {row.function: row for row in dreck.survey(yard / "gate.py", after=True)}
    admit = next(row for name, row in before.items() if name.endswith("::admit"))
    assert (admit.tangle, admit.after, admit.buried) == (45, 5, 5)
    assert dreck.load(yard / "gate.py::admit").tangle == 45


def test_any_executor_gives_the_same_rows(yard):
    with ThreadPoolExecutor(2) as pool:
        assert dreck.survey(yard, executor=pool).rows == dreck.survey(yard).rows


def test_a_report_is_one_page_that_needs_nothing_else(yard, call):
    done = call("report", "gate.py", "-o", "gate.html", cwd=yard)
    page = (yard / "gate.html").read_text()
    assert done.returncode == 0 and "4 functions before and after" in done.stdout
    assert "http" not in page.replace("http://www.w3.org", "") and "<script" not in page and 'src="' not in page
    assert page.count("<figure") == 8 and "guard-clauses" in page and "prefers-color-scheme: dark" in page
    (yard / "odd.py").write_text("def f(a):\n    if a == '<b>&':\n        return 1\n    else:\n        return 2\n")
    call("report", "odd.py", "-o", "odd.html", cwd=yard)
    assert "&lt;b&gt;&amp;" in (yard / "odd.html").read_text()


@pytest.mark.parametrize(("target", "name"), [("gate.py::admit", "pair.png"), (".", "map.png")])
def test_figures_are_png(yard, call, target, name):
    assert call("report", target, "-o", name, cwd=yard).returncode == 0
    assert (yard / name).read_bytes().startswith(b"\x89PNG")


@pytest.mark.parametrize(
    ("args", "told"),
    [
        (["report", "gate.py", "-o", "x.pdf"], "an .html page or a .png figure"),
        (["report", "desk.py::nothing"], "no function or class"),
        (["outline", "nowhere.py"], "no such file"),
        (["census", "nowhere"], "no such file or folder"),
        (["outline", "gate.py::"], "a name is wanted"),
    ],
)
def test_wrong_calls_are_one_line(yard, call, args, told):
    done = call(*args, cwd=yard)
    assert done.returncode == 2 and told in done.stderr and len(done.stderr.splitlines()) == 1


def test_examples_stand_beside_the_rows(yard, call):
    done = call("outline", "gate.py::admit", "--examples", cwd=yard)
    told = [line for line in done.stdout.splitlines() if line.startswith("  row ")]
    assert len(told) == 6 and told[-1].endswith("returns 'refuse: yard closed'")
    found = dreck.outline(yard / "gate.py::admit", examples=True)
    for row, example in found.examples:
        assert found.tables[0].ways[row].exit.removeprefix("return ") == example.result.removeprefix("returns ")
    answer = json.loads(call("outline", "gate.py::admit", "--examples", "--json", cwd=yard).stdout)
    assert [e["row"] for e in answer["functions"][0]["examples"]] == list(range(6))


def test_what_cannot_be_run_says_why_there_are_no_examples(write, call):
    path = write("import nowhere\n\ndef f(a):\n    if a:\n        return 1\n    return 2\n")
    assert "no examples: its module cannot be executed" in call("outline", path.name, "--examples").stdout


def test_a_folder_gives_a_table_a_function(yard, call):
    done = call("outline", ".", cwd=yard)
    assert done.returncode == 0 and "gate.py::admit  line" in done.stdout and "fees.py::" in done.stdout
    some = call("outline", "gate.py::admit", "fees.py", cwd=yard)
    assert "gate.py::admit  line" in some.stdout and "gate.py::check_in" not in some.stdout


def test_through_refuses_a_name_that_is_not_there(yard, call):
    done = call("outline", "gate.py::admit", "--through", "permitt is None", cwd=yard)
    assert done.returncode == 2 and "there is no 'permitt' in it; did you mean 'permit'?" in done.stderr


MANY = (
    "def f(a, b, c, d, e, g):\n"
    + "".join(f"    if {n} > 3:\n        log({i}, {n})\n" for i, n in enumerate("abcdeg"))
    + "    return a\n"
)


def test_many_ways_are_folded_by_the_tests_that_split_them_best(write, call):
    path = write(MANY)
    done = call("outline", path.name)
    assert "64 ways folded: --all shows each" in done.stdout and "8 ways: return a (8)" in done.stdout
    assert len(done.stdout.splitlines()) < 24
    assert len(call("outline", path.name, "--all").stdout.splitlines()) > 64


LONG = """
def f(load, gate):
    gate.greet(load)
    if load.wet:
        gate.send_to_the_hall_where_everything_is_dried(load, load.kilos, load.material)
        return gate.number_of_the_hall_where_everything_is_dried(load.kilos)
    if load.torn:
        gate.mend(load)
    return None
"""


@pytest.mark.parametrize("columns", [80, 100, 160])
def test_a_table_fits_the_terminal(write, call, columns):
    path = write(LONG)
    lines = call("outline", path.name, COLUMNS=str(columns)).stdout.splitlines()
    assert "  first, on every way: gate.greet(load)" in lines
    rows = [line for line in lines if line[:1].isdigit()]
    assert all(len(line.rstrip()) <= columns for line in rows)
    assert columns > 100 or any(line.startswith("  (1)  gate.send_to_the_hall") for line in lines)


def test_an_example_ends_as_its_row_says(tmp_path):
    """An error that an act raises on the way is no example of the row that raises another."""
    (tmp_path / "gate.py").write_text(
        "def f(load):\n    if load > 3:\n        int(load)\n        raise EOFError(load)\n    return load\n"
    )
    found = dreck.outline(tmp_path / "gate.py::f", examples=True)
    ends = {found.tables[0].ways[row].exit: example.result for row, example in found.examples}
    assert ends["raise EOFError(load)"].startswith("raises EOFError")
