"""`--ask` on a real terminal: a pseudo-terminal of 80 and of 120 columns."""

import fcntl
import os
import pty
import select
import struct
import subprocess
import sys
import termios
import time

import pytest

CODE = "def f(load):\n    if load:\n        return 1\n    else:\n        return 2\n"
NAMED = "def f(load, gate):\n    if load.kilos > 5 and gate.is_open and not load.wet:\n        gate.lift()\n    return load\n"
CHOICES = "[t]ake  [s]kip  [r]ename  [l]eave this function  [q]uit"


@pytest.fixture(params=[80, 120])
def terminal(request, tmp_path):
    """Runs `dreck` on a terminal; answers each prompt with the next of `answers`; gives exit code and screen."""

    def done(args, answers):
        master, slave = pty.openpty()
        fcntl.ioctl(slave, termios.TIOCSWINSZ, struct.pack("HHHH", 40, request.param, 0, 0))
        env = {k: v for k, v in os.environ.items() if k != "COLUMNS"} | {"TERM": "xterm"}
        command = [sys.executable, "-m", "dreck", *args]
        process = subprocess.Popen(command, cwd=tmp_path, stdin=slave, stdout=slave, stderr=slave, env=env)
        os.close(slave)
        screen, answers, seen = b"", list(answers), 0
        until = time.monotonic() + 60
        while time.monotonic() < until:
            ready, _, _ = select.select([master], [], [], 0.1)
            if ready:
                try:
                    data = os.read(master, 4096)
                except OSError:
                    break
                if not data:
                    break
                screen += data
            elif answers and (screen.endswith((b"> ", b"]: "))) and len(screen) > seen:
                seen = len(screen)
                os.write(master, answers.pop(0).encode() + b"\n")
        os.close(master)
        return process.wait(), screen.decode()

    return done


def test_the_prompt_is_shown_in_full_and_taking_takes(terminal, write):
    path = write(CODE)
    code, screen = terminal(["untangle", path.name, "--write", "--ask"], ["r", "x", "t"])
    assert code == 0 and CHOICES in screen
    assert "this step makes no name" in screen and "'x' is none of these" in screen
    assert "else" not in path.read_text()


def test_a_folder_says_how_many_are_left_and_quitting_keeps_what_was_taken(terminal, tmp_path):
    for name in ("a", "b", "c"):
        (tmp_path / f"{name}.py").write_text(CODE)
    code, screen = terminal(["untangle", ".", "--write", "--ask"], ["t", "s", "q"])
    assert code == 0
    assert "2 files left after this one" in screen and "1 file left after this one" in screen
    assert ["else" in (tmp_path / f"{n}.py").read_text() for n in "abc"] == [False, True, True]


def test_a_name_is_asked_for_with_a_default(terminal, write):
    path = write(NAMED)
    code, screen = terminal(
        ["untangle", path.name, "--write", "--ask", "--step", "named-predicate"], ["r", "may_pass", "t"]
    )
    assert code == 0 and "instead of " in screen
    assert "may_pass" in path.read_text()
