"""What a run may do with files: its own folder, the same before each run, and what it leaves there."""

import os
from pathlib import Path

import pytest

import dreck
from dreck.trial.sandbox.files import THERE, Files

WRITES = """\
def note(path, text: str):
    with open(path, {mode!r}) as file:
        file.write({text})
"""
READS = "def note(path):\n    with open(path) as file:\n        return {}\n"


def test_what_is_written_is_seen():
    old, new = (WRITES.format(mode="w", text=text) for text in ("text", "text.rstrip()"))
    found = dreck.compare(old, new)
    assert found.status == "differs" and "holds" in str(found), str(found)


def test_to_append_is_not_to_write():
    old, new = (WRITES.format(mode=mode, text="text") for mode in ("a", "w"))
    assert dreck.compare(old, new).status == "differs"


@pytest.mark.parametrize("other", ["file.readline()", "file.read().rstrip()", "len(file.readlines())"])
def test_what_is_read_is_there(other):
    found = dreck.compare(READS.format("file.read()"), READS.format(other))
    assert found.status == "differs", str(found)


def test_a_run_finds_what_the_run_before_has_found(tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    files = Files(tmp_path)
    files.begin(False)
    assert files.may_write("more") and files.left() == ()
    (tmp_path / "more").write_text("1")
    (tmp_path / "there").write_text("2")
    assert files.left() == (("more", "1"), ("there", "2"))
    files.begin(False)
    assert {path.name: path.read_text() for path in tmp_path.iterdir()} == THERE


def test_nothing_is_written_elsewhere(tmp_path, monkeypatch):
    own, other = tmp_path / "own", tmp_path / "other"
    own.mkdir()
    other.mkdir()
    (own / "link").symlink_to(other)
    (own / "name").symlink_to(other / "kept")
    monkeypatch.chdir(own)
    files = Files(own)
    outside = ("../x", "link/x", "name", str(other / "x"), b"../x", Path("x"), 3, None, "/", "", "a\0b")
    assert not any(map(files.may_write, outside))
    assert files.may_write("x") and files.may_write(b"y") and files.may_write(str(own / "z"))


def test_a_descriptor_that_begins_elsewhere_is_refused(tmp_path):
    code = (
        "import os\ndef note(name):\n    at = os.open('/tmp', os.O_RDONLY)\n"
        f"    os.close(os.open({f'dreck-never-{os.getpid()}'!r}, os.O_WRONLY | os.O_CREAT, dir_fd=at))\n    return {{}}\n"
    )
    found = dreck.compare(code.format(1), code.format(2))
    assert found.status == "unsettled", str(found)
    assert not Path(f"/tmp/dreck-never-{os.getpid()}").exists()


def test_no_pin_and_no_test_case_rests_on_files_of_a_trial(tmp_path):
    yard = tmp_path / "yard.py"
    yard.write_text(READS.format("len(file.read()) > 3"))
    pins = dreck.pin(yard, output=tmp_path / "test_yard.py")
    assert "there" not in (tmp_path / "test_yard.py").read_text(), pins
    other = tmp_path / "other.py"
    other.write_text(READS.format("len(file.readline()) > 3"))
    found = dreck.compare(yard, other)
    assert found.status in ("differs", "unsettled", "tested")


def test_what_a_file_holds_is_told():
    found = dreck.compare(READS.format("file.read()"), READS.format("file.readline()"))
    assert "the file there holds" in str(found)


ARGUMENTS = "import sys\ndef main():\n    if len(sys.argv) > 1 and {}:\n        print('all')\n        return\n    print('some')\n"
TYPED = "def ask():\n    return input('open? '){}\n"


def test_the_words_of_a_command_line_are_inputs():
    found = dreck.compare(*(ARGUMENTS.format(test) for test in ("sys.argv[1] == '--all'", "'--all' in sys.argv")))
    assert found.status == "differs" and "sys.argv[1:] = " in str(found), str(found)


def test_what_somebody_types_is_an_input():
    found = dreck.compare(TYPED.format(".strip()"), TYPED.format(""))
    assert found.status == "differs" and "what is typed" in str(found), str(found)


def test_no_pin_rests_on_what_somebody_types(tmp_path):
    yard = tmp_path / "yard.py"
    yard.write_text(TYPED.format("") + "\n\ndef fee(kilos: int):\n    return 1 if kilos > 3 else 2\n")
    dreck.pin(yard, output=tmp_path / "test_yard.py")
    text = (tmp_path / "test_yard.py").read_text()
    assert "what somebody types" in text and "ask()" not in text and "fee(" in text


@pytest.mark.parametrize(
    ("one", "other"),
    [(b"x" * 200_000 + b"a", b"x" * 200_000 + b"b"), (b"\\xff", b"\xff"), (b"b'\\xff'", b"\xfe")],
)
def test_files_that_hold_another_thing_are_told_otherwise(tmp_path, monkeypatch, one, other):
    monkeypatch.chdir(tmp_path)
    told = []
    for content in (one, other):
        files = Files(tmp_path)
        files.begin(False)
        assert files.may_write("more")
        (tmp_path / "more").write_bytes(content)
        told.append(files.left())
    assert told[0] != told[1]
