"""Pairs of folders in which something beside differs: `f` gives another answer, and neither it nor the whole is proved."""

import os
import subprocess
import sys
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

import pytest

import dreck


@dataclass
class Folders:
    """The files of either version by path, the module asked and what it is asked."""

    name: str
    files: dict[str, dict[str, str]] = field(default_factory=lambda: {"old": {}, "new": {}})
    main: str = "yard.py"
    call: str = ""

    def written(self, to: Path) -> tuple[Path, Path]:
        for side, files in self.files.items():
            for place, text in files.items():
                (to / side / place).parent.mkdir(parents=True, exist_ok=True)
                (to / side / place).write_text(text)
        return to / "old", to / "new"


def folders_in(text: str) -> Iterator[Folders]:
    """`=== name`, then `@@ old/place`, `@@ new/place` or `@@ both/place` with its lines, `@@ main place`, `@@ call`."""
    for part in text.split("=== ")[1:]:
        head, _, rest = part.partition("\n")
        found = Folders(head.strip())
        for block in rest.split("@@ ")[1:]:
            told, _, lines = block.partition("\n")
            side, _, place = told.strip().partition("/")
            if told.startswith("main "):
                found.main = told.split()[1]
            elif told.strip() == "call":
                found.call = lines.strip()
            else:
                for one in ("old", "new") if side == "both" else (side,):
                    found.files[one][place] = lines
        yield found


FOLDERS = [pair for file in sorted(Path(__file__).parent.glob("*.txt")) for pair in folders_in(file.read_text())]


def answer(folder: Path, pair: Folders) -> str:
    module = pair.main.removesuffix(".py").replace("/", ".")
    code = f"import {module} as yard\nprint(repr({pair.call}))"
    alone = {name: value for name, value in os.environ.items() if name != "PYTHONPATH"}
    done = subprocess.run([sys.executable, "-c", code], cwd=folder, capture_output=True, text=True, env=alone)
    return done.stdout or (done.stderr.splitlines() or [""])[-1]


@pytest.mark.parametrize("pair", FOLDERS, ids=[pair.name for pair in FOLDERS])
def test_what_lies_beside_counts(pair: Folders, tmp_path: Path):
    old, new = pair.written(tmp_path)
    assert answer(old, pair) != answer(new, pair), "the pair itself is wrong"
    whole = dreck.compare(old, new, trial=False)
    assert whole.status != "proved", str(whole)
    alone = dreck.compare(old / pair.main, new / pair.main, only="f", trial=False)
    assert alone.status != "proved", str(alone)
