"""Nothing that is said of a thousand pairs has changed: any rule that works otherwise shows here."""

import difflib
import os
import re
import subprocess
import sys

import pytest

from tests.proof.said import FILE, TESTS, lines

ROOMS = {
    "adversary": 500,
    "deception": 100,
    "same": 30,
    "random function": 15,
    "random module": 8,
    "further": 30,
    "variations": 75,
    "steps": 8,
    "random method": 8,
    "random kinds": 8,
}
"""So many pairs of each room are looked at; with `DRECK_SAID=1` all."""


@pytest.mark.skipif(sys.version_info[:2] != (3, 11), reason="put down with 3.11, which writes code its own way")
@pytest.mark.parametrize("room", ROOMS)
def test_the_prover_says_what_it_said(room):
    most = None if os.environ.get("DRECK_SAID") else ROOMS[room]
    now = lines(f"{room}:", most)
    before = [line for line in FILE.read_text().splitlines() if line.startswith(f"{room}: ")][:most]
    assert now
    wrong = [line for line in now if not re.search(r"passed wrongly \[[0, ]*\]", line)]
    assert not wrong, "the checker lets pass what is made wrong"
    changed = [
        line for line in difflib.unified_diff(before, now, "before", "now", lineterm="", n=0) if line[:2] != "@@"
    ]
    assert not changed, "\n".join(
        [
            "read these, and if they are meant so: python -m tests.proof.said",
            *changed[:40],
            f"{len(changed)} lines in all",
        ]
    )


def test_no_certificate_depends_on_the_order_of_a_set():
    """Hashes of strings differ from run to run; what is put down of a proof does not."""
    ask = "from tests.proof.said import lines; print(*lines('random module: 4'), sep='\\n')"
    said = [
        subprocess.run(
            [sys.executable, "-c", ask],
            env={**os.environ, "PYTHONHASHSEED": seed},
            cwd=TESTS.parent,
            capture_output=True,
            check=True,
        ).stdout
        for seed in ("0", "1")
    ]
    assert said[0] == said[1]
