"""Trial: both versions of a function run on the same inputs in a caged child process, everything compared."""

import atexit
import json
import os
import subprocess
import sys
import threading
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

DEFAULT_INPUTS = 600
DEFAULT_SECONDS = 1.2


@dataclass(frozen=True, slots=True)
class Version:
    """A version of a function to be run: the path its module stands at, the module's text, the dotted name."""

    path: Path
    text: str
    name: str


@dataclass(frozen=True, slots=True)
class Difference:
    """An input for which two versions differ, and what each of them does there."""

    input: str
    old: str
    new: str


@dataclass(frozen=True, slots=True)
class Trial:
    """What a trial found. `outcomes` is reached and wanted, `old` and `new` the same for each version."""

    inputs: int = 0
    outcomes: tuple[int, int] = (0, 0)
    old: tuple[int, int] = (0, 0)
    new: tuple[int, int] = (0, 0)
    missing: tuple[str, ...] = ()
    difference: Difference | None = None
    problem: str = ""


def run_trial(
    old: Version,
    new: Version,
    inputs: int = DEFAULT_INPUTS,
    seconds: float = DEFAULT_SECONDS,
    open_cage: frozenset[str] = frozenset(),
) -> Trial:
    """Runs `old` and `new` on inputs made for them; at most `inputs` of them, for about `seconds`."""
    request = {
        "old": {"path": str(old.path.absolute()), "text": old.text, "name": old.name},
        "new": {"path": str(new.path.absolute()), "text": new.text, "name": new.name},
        "inputs": inputs,
        "seconds": seconds,
        "open": sorted(open_cage),
    }
    return _read(_server.ask(request))


def ask_child(request: dict[str, Any]) -> dict[str, Any]:
    """Any other request to the warm child, such as the one to pin a function."""
    return _server.ask(request)


def _read(answer: dict[str, Any]) -> Trial:
    if "error" in answer:
        return Trial(problem=answer["error"])
    difference = Difference(**answer["difference"]) if answer["difference"] else None
    missing = tuple(map(_unreached, answer["missing"]))
    return Trial(
        answer["inputs"],
        tuple(answer["outcomes"]),
        tuple(answer["old"]),
        tuple(answer["new"]),
        missing,
        difference,
        _problem(answer),
    )


def _unreached(missing: dict[str, Any]) -> str:
    outcome = "true" if missing["outcome"] else "false"
    side = "new" if missing["side"] else "old"
    return f"line {missing['line']}: `{missing['test']}` never {outcome} in the {side} version"


def _problem(answer: dict[str, Any]) -> str:
    if answer["difference"]:
        return ""
    if answer["unstable"]:
        return "the old version itself gives another result when asked again; hold still what it depends on"
    if answer["died"]:
        return f"the process died or hung on {answer['died']} inputs"
    if not answer["finished"] and len(answer["deaths"]) <= 1:
        died = answer["deaths"][0] if answer["deaths"] else "nothing ran"
        return f"every input ended in the same way ({died}); annotate the parameters so that better inputs can be made"
    return ""


@dataclass(slots=True)
class _Server:
    """The warm child, started when first asked and again when it has died."""

    process: "subprocess.Popen[str] | None" = None
    lock: threading.Lock = field(default_factory=threading.Lock)

    def ask(self, request: dict[str, Any]) -> dict[str, Any]:
        with self.lock:
            for _ in range(2):
                process = self._started()
                try:
                    assert process.stdin and process.stdout
                    process.stdin.write(json.dumps(request) + "\n")
                    process.stdin.flush()
                    line = process.stdout.readline()
                    if line:
                        return json.loads(line)  # type: ignore[no-any-return]
                except (BrokenPipeError, json.JSONDecodeError):
                    pass
                self.stop()
            return {"error": "the child process that runs trials died twice"}

    def _started(self) -> "subprocess.Popen[str]":
        if self.process is None or self.process.poll() is not None:
            command = [sys.executable, "-m", "dreck.evidence.child"]
            pipes: dict[str, Any] = {"stdin": subprocess.PIPE, "stdout": subprocess.PIPE, "stderr": subprocess.DEVNULL}
            # The order of sets would otherwise differ from one process to the next, and with it what is tried.
            self.process = subprocess.Popen(command, text=True, env={**os.environ, "PYTHONHASHSEED": "0"}, **pipes)
            atexit.register(self.stop)
        return self.process

    def stop(self) -> None:
        process, self.process = self.process, None
        if process is None:
            return
        for pipe in (process.stdin, process.stdout):
            if pipe:
                pipe.close()
        process.kill()
        process.wait()


_server = _Server()
