"""What is printed can be applied, and what works for a run ends with it."""

import os
import shutil
import subprocess
import sys
import time
from pathlib import Path

import pytest

from tests.conftest import YARD, running_with

NO_END = "def f(a):\n    if a:\n        return 1\n    else:\n        x = a.b\n        return x"


def test_git_takes_the_diff(run, tmp_path):
    def git(*args, **more):
        return subprocess.run(["git", *args], cwd=tmp_path, capture_output=True, text=True, check=True, **more)

    git("init", "-q", ".")
    (tmp_path / "yard").mkdir()
    for name in ("gate.py", "sorting.py"):
        shutil.copy(YARD / name, tmp_path / "yard" / name)
    (tmp_path / "yard" / "fees.py").write_text(NO_END)
    old = {p.name: p.read_bytes() for p in (tmp_path / "yard").glob("*.py")}
    preview = run("untangle", ".", "--verdict", "proved", cwd=tmp_path / "yard").stdout
    assert "--- a/yard/gate.py" in preview
    git("apply", "-", input=preview)
    applied = {p.name: p.read_bytes() for p in (tmp_path / "yard").glob("*.py")}
    for name, data in old.items():
        assert applied[name] != data
        (tmp_path / "yard" / name).write_bytes(data)
    assert run("untangle", "yard", "--verdict", "proved", "--write").returncode == 0
    assert {p.name: p.read_bytes() for p in (tmp_path / "yard").glob("*.py")} == applied


@pytest.mark.skipif(not Path("/proc").exists(), reason="processes are looked up in /proc")
def test_workers_end_with_the_run_that_started_them(tmp_path):
    for number in range(40):
        shutil.copy(YARD / "gate.py", tmp_path / f"gate{number}.py")
    command = [sys.executable, "-m", "dreck", "untangle", str(tmp_path), "--verdict", "proved", "--jobs", "2"]
    child = subprocess.Popen(command, stdout=subprocess.DEVNULL, env={**os.environ, "YARD_MARK": str(tmp_path)})
    until = time.monotonic() + 20
    while len(running_with(str(tmp_path))) < 2 and child.poll() is None and time.monotonic() < until:
        time.sleep(0.05)
    child.kill()
    child.wait()
    until = time.monotonic() + 20
    while running_with(str(tmp_path)) and time.monotonic() < until:
        time.sleep(0.1)
    assert running_with(str(tmp_path)) == []
