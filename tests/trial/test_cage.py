"""The cage: code that tries to get out, and does not."""

import os
from pathlib import Path

import pytest

from dreck.trial.server import Version, Wanted, run_trial

ESCAPES = {
    "write": "open({mark!r}, 'w').write('x')",
    "append by number": "import os; os.open({mark!r}, os.O_WRONLY | os.O_CREAT)",
    "pathlib": "import pathlib; pathlib.Path({mark!r}).write_text('x')",
    "delete": "import os; os.remove({kept!r})",
    "rename": "import os; os.rename({kept!r}, {mark!r})",
    "chmod": "import os; os.chmod({kept!r}, 0)",
    "mkdir": "import os; os.mkdir({mark!r})",
    "symlink": "import os; os.symlink({kept!r}, {mark!r})",
    "subprocess": "import subprocess; subprocess.run(['touch', {mark!r}])",
    "system": "import os; os.system('touch ' + {mark!r})",
    "fork": "import os\n    if os.fork() == 0:\n        open({mark!r}, 'w')",
    "spawn": "import os; os.posix_spawn('/bin/touch', ['touch', {mark!r}], {{}})",
    "socket": "import socket; socket.socket().connect(('127.0.0.1', 9))",
    "ctypes": "import ctypes; ctypes.CDLL(None).system(b'touch x')",
    "kill the parent": "import os; os.kill(os.getppid(), 9)",
    "kill the group": "import os; os.killpg(0, 9)",
    "another folder": "import os; os.chdir('/')",
    "a thread that stays": "import threading, time; threading.Thread(target=time.sleep, args=(99,)).start()",
    "lift the limits": "import resource; resource.setrlimit(resource.RLIMIT_AS, (-1, -1))",
}


@pytest.mark.parametrize("escape", ESCAPES.values(), ids=ESCAPES)
def test_refused_and_told(tmp_path: Path, escape: str):
    mark, kept = tmp_path / "escaped", tmp_path / "kept"
    kept.write_text("whole")
    mode = kept.stat().st_mode
    code = escape.format(mark=str(mark), kept=str(kept))
    old = f"def f(a):\n    if not a:\n        return 0\n    {code}\n    return 1\n"
    found = run_trial(
        Version(tmp_path / "m.py", old, "f"), Version(tmp_path / "m.py", old.replace("return 1", "return 2"), "f")
    )
    assert not mark.exists()
    assert kept.read_text() == "whole"
    assert kept.stat().st_mode == mode
    # It never gets past the act, so it cannot be seen to differ; a version without the act is told apart.
    without = "def f(a):\n    if not a:\n        return 0\n    return 1\n"
    assert found.difference is None
    told = run_trial(Version(tmp_path / "m.py", old, "f"), Version(tmp_path / "m.py", without, "f"))
    assert "refused" in told.difference.old


@pytest.mark.parametrize(
    "deed",
    [
        "import os; os._exit(3)",
        "import sys; sys.exit(3)",
        "while True: pass",
        "f(a)",
        "x = [0]\n    while True: x += x",
        "import os; os.close(1); os.close(2)",
        "import signal; signal.alarm(0); signal.signal(signal.SIGALRM, signal.SIG_IGN)\n    while True: pass",
        "import sys; sys.stdout.close()",
    ],
)
def test_a_bad_input_costs_one_input(tmp_path: Path, deed: str):
    code = f"def f(a):\n    if a == 7:\n        {deed.replace(chr(10) + '    ', chr(10) + '        ')}\n    return 1 if a == 9 else 2\n"
    changed = code.replace("return 1 if a == 9", "return 5 if a == 9")
    path = tmp_path / "m.py"
    found = run_trial(Version(path, code, "f"), Version(path, changed, "f"))
    assert found.difference is not None
    assert found.difference.input == "a = 9"


def test_no_secrets_and_a_folder_with_two_files_of_its_own(tmp_path: Path, monkeypatch: pytest.MonkeyPatch):
    monkeypatch.setenv("YARD_SECRET", "42")
    code = "import os\ndef f(a):\n    if a:\n        return (os.environ.get('YARD_' + 'SECRET'), sorted(os.listdir('.')))\n    return 0\n"
    new = "def f(a):\n    if a:\n        return (None, ['there', 'there.json'])\n    return 0\n"
    found = run_trial(Version(tmp_path / "m.py", code, "f"), Version(tmp_path / "m.py", new, "f"))
    assert found.difference is None
    assert os.environ["YARD_SECRET"] == "42"


def test_the_cage_can_be_opened_for_a_thing(tmp_path: Path):
    code = f"import os\ndef f(a):\n    if a:\n        os.mkdir({str(tmp_path / 'made')!r})\n        os.rmdir({str(tmp_path / 'made')!r})\n        return 1\n    return 0\n"
    version = Version(tmp_path / "m.py", code, "f")
    opened = run_trial(
        version,
        Version(tmp_path / "m.py", "def f(a):\n    return 1 if a else 0\n", "f"),
        Wanted(open_cage=frozenset({"os.mkdir", "os.rmdir"})),
    )
    assert opened.difference is None


def test_an_open_cage_never_empties_a_folder_the_code_went_to(tmp_path: Path):
    yard = tmp_path / "yard"
    yard.mkdir()
    (yard / "ledger.txt").write_text("mine")
    code = f"import os\ndef f(a):\n    os.chdir({str(yard)!r})\n    return [a]\n"
    other = code.replace("return [a]", "found = [a]\n    return found")
    wanted = Wanted(open_cage=frozenset({"os.chdir"}))
    run_trial(Version(tmp_path / "m.py", code, "f"), Version(tmp_path / "m.py", other, "f"), wanted)
    assert (yard / "ledger.txt").read_text() == "mine"
