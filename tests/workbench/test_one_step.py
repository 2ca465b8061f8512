"""One step over several files: all of them or none, whatever happens to the process, the disk or the files."""

import errno
import json
import os
import shutil
import signal
import subprocess
import sys
import threading
from pathlib import Path

import pytest

import dreck.source.files as files
from dreck.errors import BadSource, DreckError
from dreck.source.files import read
from dreck.workbench.store.journal import Entry, Journal, Saving

EVENTS = {"open", "os.rename", "os.remove", "os.mkdir", "os.rmdir", "os.chmod", "os.truncate", "os.link"}


def entry(before, after):
    return Entry("named-constant", "f", 1, "a test", "proved", (), 1, before, after)


def savings(folder: Path) -> list[Saving]:
    """The same small step in every file of a folder, and a new file."""
    made = []
    for path in sorted(folder.glob("*.py")):
        file = read(path)
        made.append(Saving(path, file, [entry(file.text, file.text + "# more\n")], file.text + "# more\n"))
    table = folder / "table.csv"
    return [*made, Saving(table, None, [entry("", "glass,1\n")], "glass,1\n")] if not table.exists() else made


@pytest.fixture
def yard(tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    (tmp_path / "pyproject.toml").write_text("")
    for name in ("gate", "scale", "fees"):
        (tmp_path / f"{name}.py").write_text(f"{name} = 1\n")
    return tmp_path


def texts(folder: Path) -> dict[str, str]:
    return {p.name: p.read_text() for p in folder.iterdir() if p.is_file() and p.suffix in (".py", ".csv")}


def killed_at(yard: Path, call: int, work: str) -> bool:
    """Runs the step in a process that is killed at its Nth call to the file system; False when it came to its end."""
    pid = os.fork()
    if pid:
        _, status = os.waitpid(pid, 0)
        assert os.WIFSIGNALED(status) or os.WEXITSTATUS(status) == 0
        return os.WIFSIGNALED(status)
    count = 0

    def heard(event, args):
        nonlocal count
        if event in EVENTS and not isinstance(args[0], int) and ".py" not in str(args[0])[-4:-2]:
            count += 1
            if count == call:
                os.kill(os.getpid(), signal.SIGKILL)

    try:
        journal, made = Journal.of(yard / "gate.py"), savings(yard)
        sys.addaudithook(heard)
        journal.save(made) if work == "save" else journal.back(1)
        os._exit(0)
    finally:
        os._exit(1)


@pytest.mark.parametrize("linked", [False, True], ids=["renamed", "in place"])
@pytest.mark.parametrize("work", ["save", "back"])
def test_killed_at_every_file_call(yard, work, linked):
    if linked:
        os.link(yard / "scale.py", yard / "scale.twin")
    old = texts(yard)
    new = {**{n: t + "# more\n" for n, t in old.items()}, "table.csv": "glass,1\n"}
    seen, call = set(), 0
    while True:
        call += 1
        if work == "back" and texts(yard) == old:
            Journal.of(yard / "gate.py").save(savings(yard))
        killed = killed_at(yard, call, work)
        journal = Journal.of(yard / "gate.py")
        journal.recover()
        assert texts(yard) in (old, new), call
        seen.add(texts(yard) == new)
        assert len(journal.records()) == (texts(yard) == new), call
        assert not list(yard.glob(".dreck-*"))
        if texts(yard) == new and work == "save":
            journal.back(1)
            assert texts(yard) == old
        if not killed:
            break
    assert seen == {True, False}
    Journal.of(yard / "gate.py").save(savings(yard)[:1])
    assert not list((yard / ".dreck").glob(".dreck-*")) and not (yard / ".dreck" / "held").exists()
    assert call > 20


def test_disk_full_at_every_write(yard, monkeypatch):
    old, real = texts(yard), os.write
    for stop in range(1, 40):
        count = 0

        def write(handle, data, stop=stop):
            nonlocal count
            count += 1
            if count == stop:
                raise OSError(errno.ENOSPC, "No space left on device")
            return real(handle, data)

        monkeypatch.setattr(files.os, "write", write)
        journal = Journal.of(yard / "gate.py")
        try:
            journal.save(savings(yard))
        except DreckError as error:
            monkeypatch.setattr(files.os, "write", real)
            assert "No space left" in str(error)
            if "nothing written" in str(error):
                assert texts(yard) == old
            else:
                journal.recover()
                journal.back(1)
            assert not list(yard.glob(".dreck-*"))
            continue
        break
    else:
        pytest.fail("it never came to its end")
    monkeypatch.setattr(files.os, "write", real)
    journal.back(1)
    assert texts(yard) == old


def test_what_cannot_be_written_stops_all(yard):
    old = texts(yard)
    made = savings(yard)
    (yard / "scale.py").chmod(0o444)
    with pytest.raises(BadSource, match=r"scale\.py: is read-only.*nothing written"):
        Journal.of(yard / "gate.py").save(made)
    (yard / "scale.py").chmod(0o644)
    (yard / "scale.py").write_text("mine\n")
    with pytest.raises(BadSource, match=r"scale\.py: was changed by someone else.*nothing written"):
        Journal.of(yard / "gate.py").save(made)
    (yard / "scale.py").unlink()
    with pytest.raises(BadSource, match=r"scale\.py: was changed"):
        Journal.of(yard / "gate.py").save(made)
    assert texts(yard) == {n: t for n, t in old.items() if n != "scale.py"}


def test_ten_files_and_what_files_keep(yard):
    for number in range(10):
        (yard / f"bin{number}.py").write_text("x = 1\n")
    (yard / "bin1.py").chmod(0o750)
    os.link(yard / "bin2.py", yard / "twin.txt")
    if hasattr(os, "setxattr"):
        os.setxattr(yard / "bin3.py", "user.yard", b"glass")
    old = texts(yard)
    journal = Journal.of(yard / "gate.py")
    journal.save(savings(yard))
    assert (yard / "bin1.py").stat().st_mode & 0o777 == 0o750
    assert (yard / "twin.txt").read_text() == "x = 1\n# more\n"
    if hasattr(os, "getxattr"):
        assert os.getxattr(yard / "bin3.py", "user.yard") == b"glass"
    assert len(journal.back(1)) == 14
    assert texts(yard) == old


def test_two_writers_one_after_the_other(yard):
    journals = [Journal.of(yard / "gate.py") for _ in range(2)]
    failed = []

    def write(journal):
        for _ in range(10):
            try:
                file = read(yard / "gate.py")
                journal.save([Saving(yard / "gate.py", file, [entry(file.text, file.text + "#\n")], file.text + "#\n")])
            except BadSource as error:
                failed.append(str(error))

    threads = [threading.Thread(target=write, args=(j,)) for j in journals]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert all("changed by someone else" in told for told in failed)
    records = journals[0].records()
    assert len(records) == 20 - len(failed)
    journals[0].back(len(records))
    assert (yard / "gate.py").read_text() == "gate = 1\n"


def test_a_copy_goes_back_alone(yard, run, tmp_path_factory):
    Journal.of(yard / "gate.py").save(savings(yard))
    copy = tmp_path_factory.mktemp("copies") / "copy"
    shutil.copytree(yard, copy)
    assert run("back", cwd=copy).returncode == 0
    assert (copy / "gate.py").read_text() == "gate = 1\n" and not (copy / "table.csv").exists()
    assert (yard / "gate.py").read_text() == "gate = 1\n# more\n"


def test_the_journal_belongs_to_the_project_of_the_file(yard, run, tmp_path_factory):
    elsewhere = tmp_path_factory.mktemp("elsewhere")
    code = "def f(a):\n    if a:\n        return 1\n    else:\n        x = a.b\n        return x\n"
    (yard / "gate.py").write_text(code)
    assert run("untangle", yard / "gate.py", "--write", cwd=elsewhere).returncode == 0
    assert (yard / ".dreck").is_dir() and not (elsewhere / ".dreck").exists()
    assert (yard / ".dreck" / ".gitignore").read_text() == "*\n"
    listed = run("back", "--list", cwd=yard).stdout
    assert "gate.py::f" in listed and listed.lstrip().startswith("1 ")
    assert run("back", cwd=yard).returncode == 0


@pytest.mark.parametrize("path", ["../outside.py", "/etc/hosts", "link.py"])
def test_a_record_never_leads_outside(yard, path):
    outside = yard.parent / "outside.py"
    outside.write_text("mine\n# more\n")
    (yard / "link.py").symlink_to(outside)
    journal = Journal.of(yard / "gate.py")
    journal.save([s for s in savings(yard) if s.path.name == "gate.py"])
    record = journal.folder / "000001.json"
    data = json.loads(record.read_text())
    data["files"][0]["path"] = path
    record.write_text(json.dumps(data))
    with pytest.raises(DreckError, match="only 0 steps"):
        journal.back(1)
    assert outside.read_text() == "mine\n# more\n"
    assert "set aside" in journal.said[0]


@pytest.mark.parametrize("damage", [b"", b"{", b"[]", b'{"time": 1, "files": [{"path": "gate.py"}]}', b"\xff\xfe"])
def test_a_damaged_record_blocks_nothing(yard, run, damage):
    journal = Journal.of(yard / "gate.py")
    journal.save(savings(yard))
    (journal.folder / "000002.json").write_bytes(damage)
    done = run("back", cwd=yard)
    assert done.returncode == 0, done.stderr
    assert "000002.json" in done.stderr and "set aside" in done.stderr
    assert (yard / "gate.py").read_text() == "gate = 1\n"


def test_a_file_in_the_way_is_one_clear_line(yard, run):
    (yard / ".dreck").write_text("mine")
    code = "def f(a):\n    if a:\n        return 1\n    else:\n        x = a.b\n        return x\n"
    (yard / "gate.py").write_text(code)
    done = run("untangle", "gate.py", "--write", cwd=yard)
    assert done.returncode == 2 and "is a file, where the journal would stand" in done.stderr
    assert (yard / "gate.py").read_text() == code


def test_many_records_cost_what_few_cost(yard, monkeypatch):
    journal = Journal.of(yard / "gate.py")
    made = [s for s in savings(yard) if s.path.name == "gate.py"]
    journal.save(made)
    text = (journal.folder / "000001.json").read_text()
    for number in range(2, 3001):
        (journal.folder / f"{number:06d}.json").write_text(text)
    read_now: list[Path] = []
    monkeypatch.setattr(Journal, "_read", lambda self, file: read_now.append(file))
    file = read(yard / "gate.py")
    journal.save([Saving(yard / "gate.py", file, [entry(file.text, file.text + "#\n")], file.text + "#\n")])
    assert read_now == []


def test_a_shared_folder_is_no_project(tmp_path):
    shared = tmp_path / "shared"
    (shared / ".dreck").mkdir(parents=True)
    shared.chmod(0o1777)
    mine = shared / "mine"
    mine.mkdir()
    (mine / "gate.py").write_text("x = 1\n")
    assert Journal.of(mine / "gate.py").root == mine.resolve()


def test_two_writing_commands_at_once(tmp_path, run):
    """Two processes on one project, on the same files: whole files, a journal that is right, and back to the first byte."""
    (tmp_path / "pyproject.toml").write_text("")
    code = "def f{0}(a, b):\n    if a:\n        if b:\n            return {0}\n        else:\n            return 2\n    else:\n        return 3\n"
    for number in range(3):
        (tmp_path / f"bin{number}.py").write_text(code.format(number))
    old = texts(tmp_path)
    started = [
        subprocess.Popen([sys.executable, "-m", "dreck", "untangle", ".", "--write", "--verdict", "proved"], cwd=tmp_path,
                         stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True)
        for _ in range(2)
    ]  # fmt: skip
    ends = [(process.communicate()[1], process.returncode) for process in started]
    assert all(code in (0, 1, 2) and "Traceback" not in told for told, code in ends), ends
    assert all("changed by someone else" in told for told, code in ends if code == 2), ends
    assert run("untangle", ".", "--write", "--verdict", "proved", cwd=tmp_path).returncode in (0, 1)
    for number in range(3):
        assert (tmp_path / f"bin{number}.py").read_text().count("else") == 0
    while run("back", cwd=tmp_path).returncode == 0:
        pass
    assert texts(tmp_path) == old
