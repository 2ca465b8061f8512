"""The project's own tests as evidence: a command that is green or red."""

import subprocess
from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True, slots=True)
class Check:
    """How the command ended, and the last line it said when it was red."""

    command: str
    green: bool
    said: str = ""

    def __bool__(self) -> bool:
        return self.green

    def as_json(self) -> dict[str, Any]:
        return {"command": self.command, "green": self.green, "said": self.said or None}


def run_check(command: str) -> Check:
    """Runs the command in a shell, in the current folder; exit code 0 is green."""
    done = subprocess.run(
        command, shell=True, capture_output=True, stdin=subprocess.DEVNULL, check=False, text=True, errors="replace"
    )
    if done.returncode == 127:
        return Check(command, False, "cannot be run: not found")
    lines = (done.stdout + done.stderr).strip().splitlines()
    return Check(command, done.returncode == 0, "" if done.returncode == 0 or not lines else lines[-1][:200])
