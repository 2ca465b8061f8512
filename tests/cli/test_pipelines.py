"""For reviews and pipelines: SARIF, JUnit, Markdown, schemas, the ratchet, text on standard input."""

import io
import json
import sys
from xml.etree import ElementTree

import jsonschema
import pytest
from sarif_pydantic import Sarif

from tests.conftest import YARD

DEEP = "def f(a, b, c):\n    if a:\n        if b:\n            if c:\n                return 1\n    return 2\n"


@pytest.fixture
def sides(tmp_path):
    old, new = tmp_path / "old.py", tmp_path / "new.py"
    text = (
        "def same(a):\n    return a\n\n\ndef other(kilos):\n    if kilos > 10:\n        return 'a|b'\n    return 'c'\n"
    )
    old.write_text(text)
    new.write_text(text.replace("> 10", ">= 10").replace("return a\n", "b = a\n    return b\n"))
    return old, new


COMMANDS = {
    "survey": ("survey", YARD),
    "outline": ("outline", YARD / "gate.py", YARD / "sorting.py"),
    "census": ("census", YARD),
    "untangle": ("untangle", YARD / "fees.py", "--verdict", "proved"),
    "offer": ("offer", YARD / "gate.py"),
    "pin": ("pin", f"{YARD / 'gate.py'}::lane_for"),
}


@pytest.mark.parametrize("command", COMMANDS)
def test_what_is_printed_is_what_the_schema_says(call, command):
    data = json.loads(call(*COMMANDS[command], "--json").stdout)
    schema = json.loads(call("schema", command).stdout)
    jsonschema.Draft202012Validator.check_schema(schema)
    jsonschema.validate(data, schema)


def test_a_comparison_as_its_schema_says(call, sides):
    jsonschema.validate(
        json.loads(call("compare", *sides, "--json").stdout), json.loads(call("schema", "compare").stdout)
    )
    unknown = call("schema", "back")
    assert unknown.returncode == 2 and "there is one for survey" in unknown.stderr


def sarif(path):
    """The results of a file that is SARIF, as a library for it reads it."""
    data = json.loads(path.read_text())
    Sarif.model_validate(data)
    (run,) = data["runs"]
    rules = [rule["id"] for rule in run["tool"]["driver"]["rules"]]
    assert all(rules[r["ruleIndex"]] == r["ruleId"] for r in run["results"])
    return [
        (r["ruleId"], r["level"], r["locations"][0]["physicalLocation"]["region"]["startLine"]) for r in run["results"]
    ]


def test_sarif_of_what_looks(call, tmp_path):
    file = tmp_path / "found.sarif"
    assert call("survey", YARD / "gate.py", "--most", "30", "--sarif", file).returncode == 1
    assert sarif(file) == [("tangled-function", "warning", 10)]
    call("census", YARD, "--sarif", file)
    assert {rule for rule, *_ in sarif(file)} == {"missing-kind"}
    call("outline", YARD, "--sarif", file)
    assert sarif(file)


def test_a_comparison_for_a_review(call, tmp_path, sides):
    files = [tmp_path / name for name in ("a.md", "a.sarif", "a.xml")]
    options = [word for pair in zip(("--markdown", "--sarif", "--junit"), files, strict=True) for word in pair]
    assert call("compare", *sides, *options).returncode == 1
    comment = files[0].read_text()
    assert comment.index("### Differs") < comment.index("The same: 1") and "`other`" in comment
    assert "'a\\|b'" in comment and "| input | `kilos = 10` |" in comment
    assert sarif(files[1]) == [("differs", "error", 6)]
    suite = ElementTree.parse(files[2]).getroot().find("testsuite")
    assert suite.get("tests") == "2" and suite.get("failures") == "1"
    assert [c.get("name") for c in suite if c.find("failure") is not None] == ["other"]


def test_no_function_may_get_worse(call, tmp_path):
    file, ratchet = tmp_path / "yard.py", tmp_path / "tangle.json"
    file.write_text(DEEP)
    survey = ("survey", file, "--most", "2", "--ratchet", ratchet)
    assert call(*survey).returncode == 0
    kept = json.loads(ratchet.read_text())["functions"]
    assert len(kept) == 1
    assert call(*survey).returncode == 0
    file.write_text(DEEP.replace("return 1", "x = a\n                return x"))
    worse = call(*survey)
    assert (
        worse.returncode == 1 and "has tangle" in worse.stderr and json.loads(ratchet.read_text())["functions"] == kept
    )
    other = tmp_path / "other.py"
    other.write_text(DEEP)
    also = ("survey", file, other, "--most", "2", "--ratchet", ratchet)
    ratchet.unlink()
    file.write_text(DEEP)
    assert call(*also).returncode == 0 and len(json.loads(ratchet.read_text())["functions"]) == 2
    assert call(*survey).returncode == 0 and len(json.loads(ratchet.read_text())["functions"]) == 2
    other.unlink()
    file.write_text("def f(a):\n    return a\n")
    assert call(*survey).returncode == 0 and not json.loads(ratchet.read_text())["functions"]
    ratchet.write_text("[]")
    assert call(*survey).returncode == 2


class _Input:
    def __init__(self, data):
        self.buffer = io.BytesIO(data)


def test_text_in_and_text_out(call, tmp_path, monkeypatch):
    monkeypatch.setattr(sys, "stdin", _Input(b"\xef\xbb\xbf" + DEEP.encode()))
    told = call("untangle", "-", "--path", tmp_path / "never_saved.py")
    assert told.returncode == 0 and told.stdout.startswith("\ufeffdef f") and "if a and b and c:" in told.stdout
    assert not (tmp_path / "never_saved.py").exists()
    monkeypatch.setattr(sys, "stdin", _Input(DEEP.encode()))
    data = json.loads(call("untangle", "-", "--path", tmp_path / "never_saved.py", "--json").stdout)
    assert data["files"][0]["text"] == told.stdout.lstrip("\ufeff") and data["written"] is False
    for wrong in (("-",), (tmp_path, "--path", "x.py"), ("-", "--path", "x.py", "--write")):
        monkeypatch.setattr(sys, "stdin", _Input(b""))
        assert call("untangle", *wrong).returncode == 2


def test_rows_line_by_line_are_those_of_the_survey(call, tmp_path):
    whole = json.loads(call("survey", YARD, "--json").stdout)["functions"]
    lines = [json.loads(line) for line in call("survey", YARD, "--json-lines").stdout.splitlines()]
    assert sorted(map(str, lines)) == sorted(map(str, whole))
    (tmp_path / "broken.py").write_text("def f(:\n")
    (tmp_path / "whole.py").write_text(DEEP)
    told = call("survey", tmp_path, "--json-lines")
    assert len(told.stdout.splitlines()) == 1 and "left out" in told.stderr and "broken.py" in told.stderr
    refused = call("survey", YARD, "--json-lines", "--top", "3")
    assert refused.returncode == 2 and "--json-lines" in refused.stderr and not refused.stdout
