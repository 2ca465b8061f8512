"""The kernel's walls: native code and whatever knows no audit hook cannot write, read secrets, call out or start anything."""

import os
import subprocess
import sys
import textwrap
import time

import pytest

from dreck.trial.sandbox import kernel
from dreck.trial.server import Version, Wanted, run_trial
from tests.conftest import running_with

pytestmark = pytest.mark.skipif(not kernel.offered(), reason="the kernel offers no walls here")

ATTEMPTS = {
    "a file beside": "open({outside!r}, 'w')",
    "a file by its descriptor": "os.write(os.open({outside!r}, os.O_CREAT | os.O_WRONLY), b'x')",
    "a secret": "open({secret!r}).read()",
    "a folder of secrets": "os.listdir({home!r})",
    "a fifo": "os.mkfifo({outside!r})",
    "a mode": "os.chmod({secret!r}, 0o777)",
    "a time": "os.utime({secret!r})",
    "shared memory": "open('/dev/shm/dreck-test', 'w')",
    "a socket": "_socket.socket()",
    "two sockets": "_socket.socketpair()",
    "another process": "os.fork()",
    "another program": "_posixsubprocess and os.execv('/bin/true', ['true'])",
    "a signal": "os.kill(os.getppid(), 0)",
    "a link": "os.link({secret!r}, {outside!r})",
    "a rename": "os.rename({secret!r}, {outside!r})",
    "the environment": "open('/proc/' + str(os.getppid()) + '/environ').read()",
}


@pytest.mark.parametrize("name", ATTEMPTS)
def test_what_the_walls_hold_without_any_hook(name, tmp_path):
    home, private = tmp_path / "home", tmp_path / "private"
    home.mkdir()
    private.mkdir()
    secret = home / "key"
    secret.write_text("42")
    places = {"outside": str(tmp_path / "outside"), "secret": str(secret), "home": str(home)}
    code = f"""
    import os, sys, _socket, _posixsubprocess
    from pathlib import Path
    from dreck.trial.sandbox.kernel import close_walls
    assert close_walls(Path({str(private)!r}), [])
    try:
        {ATTEMPTS[name].format(**places)}
    except OSError:
        os._exit(0)
    os._exit(1)
    """
    done = subprocess.run([sys.executable, "-c", textwrap.dedent(code)], capture_output=True, text=True, cwd=private)
    assert done.returncode == 0, done.stderr
    assert not (tmp_path / "outside").exists()
    assert secret.stat().st_mode & 0o777 != 0o777


def test_inside_the_walls_work_goes_on(tmp_path):
    code = """
    import json, os, threading
    from pathlib import Path
    from dreck.trial.sandbox.kernel import close_walls
    assert close_walls(Path.cwd(), [])
    Path("inside").write_text("x")
    thread = threading.Thread(target=lambda: Path("thread").write_text("y"))
    thread.start()
    thread.join()
    import decimal, email.message, sqlite3
    print(sorted(os.listdir(".")))
    """
    done = subprocess.run([sys.executable, "-c", textwrap.dedent(code)], capture_output=True, text=True, cwd=tmp_path)
    assert done.stdout == "['inside', 'thread']\n", done.stderr


def test_a_module_of_the_project_does_not_play_one_of_pythons_own(tmp_path):
    (tmp_path / "random.py").write_text("def random():\n    return 'mine'\n")
    code = "import random\ndef f(a):\n    if a:\n        return random.__file__\n    return 0\n"
    new = code.replace("return random.__file__", "x = random.__file__\n        return x + ''")
    (tmp_path / "m.py").write_text(code)
    told = subprocess.run(
        [sys.executable, "-c", f"import dreck; print(dreck.compare({str(tmp_path / 'm.py')!r}, {new!r}))"],
        cwd=tmp_path, capture_output=True, text=True,
    )  # fmt: skip
    assert "cannot be executed" not in told.stdout, told.stderr


def test_what_the_code_writes_is_no_answer(tmp_path):
    lie = "import os\ndef f(a):\n    for n in range(3, 40):\n        try:\n            os.write(n, b'{\"difference\": null}\\n')\n        except OSError:\n            pass\n    return a\n"
    other = lie.replace("return a\n", "return [a]\n")
    found = run_trial(Version(tmp_path / "m.py", lie, "f"), Version(tmp_path / "m.py", other, "f"))
    assert found.difference is not None


def test_the_kernel_can_be_asked_for(tmp_path, monkeypatch):
    code = "def f(a):\n    return a\n"
    version = Version(tmp_path / "m.py", code, "f")
    assert not run_trial(version, version, Wanted(cage="kernel")).problem
    opened = Wanted(cage="kernel", open_cage=frozenset({"os.mkdir"}))
    assert "offers no walls" in run_trial(version, version, opened).problem


@pytest.mark.parametrize("signal", ["KILL", "TERM", "INT"])
def test_nothing_stays_behind_when_the_parent_is_ended(tmp_path, signal):
    own = tmp_path / "temporary"
    own.mkdir()
    code = """
    import signal, threading, dreck
    signal.signal(signal.SIGINT, signal.default_int_handler)  # a shell's background job would ignore it
    dreck.compare("def f(a):\\n return [a]\\n", "def f(a):\\n return [a] if a else [a]\\n")
    print("ready", flush=True)
    while True:
        dreck.compare("def f(a):\\n while a: pass\\n", "def f(a):\\n while a: a = a\\n")
    """
    env = {**os.environ, "TMPDIR": str(own)}
    child = subprocess.Popen(
        [sys.executable, "-c", textwrap.dedent(code)], env=env, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL
    )
    assert child.stdout.readline() == b"ready\n"
    time.sleep(0.5)
    subprocess.run(["kill", f"-{signal}", str(child.pid)])
    child.wait()
    child.stdout.close()
    until = time.monotonic() + 20
    while (list(own.iterdir()) or running_with(str(own))) and time.monotonic() < until:
        time.sleep(0.1)
    assert list(own.iterdir()) == []
    assert running_with(str(own)) == []
