"""Files as they should not be: one clear line that names them, and a folder goes on without them."""

import gc
import os
import sys
import threading
import warnings

import pytest

import dreck

BAD = {
    "a codec that fails": b"# coding: undefined\nx = 1\n",
    "a codec of no text": b"# coding: rot13\nx = 1\n",
    "a codec for names": b"# coding: idna\nx = '\xe9'\n",
    "a zero byte": b"x = 1\0\n",
    "a huge number": b"x = 0x" + b"f" * 5000 + b"\n",
    "a huge decimal": b"x = " + b"9" * 5000 + b"\n",
}
GOOD = "def f(a):\n    if a:\n        return 1\n    else:\n        x = a.b\n        return x\n"


@pytest.mark.parametrize("name", BAD)
@pytest.mark.parametrize("command", ["survey", "untangle", "census", "outline"])
def test_one_clear_line(call, tmp_path, name, command):
    (tmp_path / "odd.py").write_bytes(BAD[name])
    done = call(command, "odd.py")
    assert done.returncode == 2
    assert "odd.py" in done.stderr and "Dreck's own" not in done.stderr
    assert len(done.stderr.strip().splitlines()) == 1


def test_a_folder_goes_on(run, tmp_path):
    for number, data in enumerate(BAD.values()):
        (tmp_path / f"odd{number}.py").write_bytes(data)
    os.mkfifo(tmp_path / "pipe.py")
    (tmp_path / "zero.py").symlink_to("/dev/zero")
    (tmp_path / "nowhere.py").symlink_to("gone.py")
    (tmp_path / "good.py").write_text(GOOD)
    for command in (["survey", "."], ["untangle", ".", "--verdict", "proved"]):
        done = run(*command)
        assert done.returncode == 0, done.stderr
        for name in ("pipe.py", "zero.py", "nowhere.py", "odd0.py", "odd5.py"):
            assert name in done.stdout + done.stderr
        assert "good.py" in done.stdout


@pytest.mark.parametrize("ends", ["\r", "\r\n"], ids=["old Mac", "Windows"])
def test_line_ends_stay(run, tmp_path, ends):
    (tmp_path / "gate.py").write_bytes(GOOD.replace("\n", ends).encode())
    assert run("untangle", "gate.py", "--write").returncode == 0
    text = (tmp_path / "gate.py").read_bytes().decode()
    assert "else" not in text and text.count(ends) == len(text.replace("\r\n", "\n").replace("\r", "\n").splitlines())


def test_the_host_is_as_it_was_with_four_threads(tmp_path):
    (tmp_path / "gate.py").write_text(GOOD)
    before = list(warnings.filters), sys.getrecursionlimit(), gc.get_threshold()
    threads = [
        threading.Thread(target=lambda: [dreck.untangle(tmp_path / "gate.py", verdict="proved") for _ in range(6)])
        for _ in range(4)
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert (list(warnings.filters), sys.getrecursionlimit(), gc.get_threshold()) == before
