"""record: the calls a function really gets while a command runs, for pins and trials to use.

The module is given to the command with one line at the start of each watched function that keeps a pickled
copy of the arguments. It is the text that is changed on the way in, in memory: no file is touched.
"""

import os
import subprocess
import sys
import tempfile
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

import dreck
from dreck.errors import DreckError

_SITE = """import os, sys
sys.path[:] = [p for p in sys.path if p != os.environ["DRECK_WATCH_SITE"]]
sys.path.insert(0, os.environ["DRECK_WATCH_HOME"])
import _dreck_listen
sys.path.remove(os.environ["DRECK_WATCH_HOME"])
_dreck_listen.listen()
sys.modules.pop("sitecustomize", None)
try:
    import sitecustomize
except ImportError:
    pass
"""


@dataclass(frozen=True, slots=True)
class Recording:
    """Calls by function: for each call, each parameter's pickled value in hex. `lost` could not be pickled."""

    calls: tuple[tuple[str, dict[str, str]], ...]
    lost: int
    status: int

    def calls_of(self, name: str) -> tuple[dict[str, str], ...]:
        return tuple(call for function, call in self.calls if function == name)


def record(command: str, path: Path, functions: Iterable[str]) -> Recording:
    """Runs `command` in a shell, with `functions` of the file at `path` watched.

    Raises DreckError when no call came in, which is also what a command that cannot be run leads to.
    """
    functions = list(functions)
    with tempfile.TemporaryDirectory(prefix="dreck-watch-") as folder:
        site = Path(folder, "site")
        site.mkdir()
        (site / "sitecustomize.py").write_text(_SITE)
        told = Path(folder, "calls")
        environment = {
            **os.environ,
            "PYTHONPATH": os.pathsep.join([str(site), *filter(None, [os.environ.get("PYTHONPATH", "")])]),
            "PYTHONDONTWRITEBYTECODE": "1",
            "DRECK_WATCH_SITE": str(site),
            "DRECK_WATCH_HOME": str(Path(dreck.__file__).parent / "listening"),
            "DRECK_WATCH_FILE": str(path.resolve()),
            "DRECK_WATCH_NAMES": "\n".join(functions),
            "DRECK_WATCH_TOLD": str(told),
            "PATH": os.pathsep.join([str(Path(sys.executable).parent), os.environ.get("PATH", "")]),
        }
        done = subprocess.run(command, shell=True, env=environment, capture_output=True, text=True, check=False)
        calls, lost = _read(told)
    if not calls:
        said = (done.stderr or done.stdout).strip().splitlines()[-1:]
        last = f"; it ended with {done.returncode}, saying: {said[0]}" if said and done.returncode else ""
        unpickled = f" that could be kept ({lost} could not)" if lost else ""
        raise DreckError(f"{command}: made no call{unpickled} of {', '.join(functions)} in {path}{last}")
    return Recording(tuple(calls), lost, done.returncode)


def _read(told: Path) -> tuple[list[tuple[str, dict[str, str]]], int]:
    import json

    calls, lost, seen = [], 0, set()
    for line in told.read_text().splitlines() if told.exists() else ():
        try:
            entry = json.loads(line)
        except ValueError:
            continue
        if entry["call"] is None:
            lost += 1
        elif line not in seen:
            seen.add(line)
            calls.append((entry["function"], entry["call"]))
    return calls, lost
