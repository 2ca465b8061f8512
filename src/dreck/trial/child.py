"""The child process: a warm server that forks a caged job for each trial. Run as `python -m dreck.trial.child`.

Requests and answers are JSON lines. A job tells, before each input, its number; when it dies or hangs the
server starts it again with that input left out, so that one bad input costs one input.
"""

import contextlib
import json
import os
import secrets
import select
import shutil
import signal
import sys
import time
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from dreck.trial.inputs.examples import remember
from dreck.trial.job import called, run_job
from dreck.trial.running.loading.imports import CannotRun, NotExecuted, whole_project
from dreck.trial.sandbox.cage import NoWalls
from dreck.trial.sandbox.folder import private_folder
from dreck.trial.sandbox.kernel import die_with_parent
from dreck.trial.search.clock import Clock

_FIRST, _SILENCE = 20.0, 3.0
"""Seconds of work in which a job has to be heard of: at its start, and from one input to the next."""
_WAITING = 10
"""So many times as long by the clock, for one that only waits."""
_LOOK = 0.25
_RESTARTS = 4


def serve() -> None:
    """Answers requests on standard input until it is closed."""
    answers = os.fdopen(os.dup(1), "w")
    quiet = os.open(os.devnull, os.O_RDWR)
    for descriptor in (1, 2):
        os.dup2(quiet, descriptor)
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
    with private_folder() as folder:
        for line in sys.stdin:
            request = json.loads(line)
            answer = {**_answer(request, folder), "number": request.get("number")}
            try:
                answers.write(json.dumps(answer) + "\n")
                answers.flush()
            except BrokenPipeError:
                return


class _Orphaned(Exception):
    """Whoever asked is no more."""


def _answer(request: dict[str, Any], folder: Path) -> dict[str, Any]:
    skipped: list[int] = []
    for _ in range(_RESTARTS):
        answer, last = _in_fork(request, skipped, folder / "job")
        if answer is not None:
            answer["died"] = len(skipped)
            return answer
        if last == 0:
            return {"error": "its process died or hung while the module was executed"}
        skipped.append(last)
    answer, _ = _in_fork({**request, "most": skipped[-1] - 1}, skipped, folder / "job")
    if answer is None:
        return {"error": f"its process died or hung on {len(skipped)} inputs"}
    return {**answer, "died": len(skipped)}


def _in_fork(request: dict[str, Any], skipped: list[int], folder: Path) -> tuple[dict[str, Any] | None, int]:
    """One caged job in an empty folder. Its answer, or None and the input it was at."""
    folder.mkdir()
    _prepare(request)
    seal = secrets.token_hex(8).encode()  # what the code under trial writes into the pipe is no answer
    reading, writing = os.pipe()
    pid = os.fork()
    if pid == 0:
        try:
            signal.signal(signal.SIGTERM, signal.SIG_DFL)
            die_with_parent()
            os.dup2(1, 0)  # the null device: neither requests nor answers of others are within reach
            os.closerange(3, writing)
            os.closerange(writing + 1, 1024)
            os.chdir(folder)
            os.setpgid(0, 0)
            _job(request, frozenset(skipped), Answers(writing, seal))
        finally:
            os._exit(0)
    os.close(writing)
    try:
        return _listen(reading, pid, seal)
    finally:
        os.close(reading)
        try:
            os.killpg(pid, signal.SIGKILL)
        except (ProcessLookupError, PermissionError):
            with contextlib.suppress(ProcessLookupError):
                os.kill(pid, signal.SIGKILL)
        os.waitpid(pid, 0)
        shutil.rmtree(folder, ignore_errors=True)


def _prepare(request: dict[str, Any]) -> None:
    """What a job imports and reads that runs no code of others is there for every job that is forked later."""
    if request.get("work"):
        called(request["work"])
    for side in (request[name] for name in ("old", "new") if name in request):
        remember(side["name"].rpartition(".")[2], whole_project(Path(side["path"])))


def _listen(reading: int, pid: int, seal: bytes) -> tuple[dict[str, Any] | None, int]:
    """What a job tells, until it has worked, or waited, too long without a word."""
    last, buffer, parent = 0, b"", os.getppid()
    heard, worked, allowed = time.monotonic(), _work_of(pid), _FIRST
    while True:
        ready, _, _ = select.select([reading], [], [], _LOOK)
        if os.getppid() != parent:
            raise _Orphaned
        if not ready:
            if _work_of(pid) - worked > allowed or time.monotonic() - heard > _WAITING * allowed:
                return None, last
            continue
        data = os.read(reading, 1 << 16)
        if not data:
            return None, last
        heard, worked, allowed = time.monotonic(), _work_of(pid), _SILENCE
        buffer += data
        *lines, buffer = buffer.split(b"\n")
        for sealed in lines:
            found, _, line = sealed.partition(b" ")
            if found != seal:
                continue
            if line.startswith(b"{"):
                return json.loads(line), last
            last = int(line)


def _work_of(pid: int) -> float:
    """Seconds another process has worked for, where the system tells; else what the clock says."""
    try:
        return time.clock_gettime((~pid << 3) | 2)  # its processor clock, as clock_getcpuclockid(3) makes it on Linux
    except (OSError, OverflowError):
        return time.monotonic()


@dataclass(frozen=True, slots=True)
class Answers:
    """The way back to the server: lines under a seal that the code under trial is not told."""

    writing: int
    seal: bytes

    def tell(self, number: int) -> None:
        """Which input comes next."""
        os.write(self.writing, b"%b %d\n" % (self.seal, number))

    def give(self, answer: dict[str, Any]) -> None:
        data = b"%b %b\n" % (self.seal, json.dumps(answer).encode())
        while data:
            data = data[os.write(self.writing, data) :]


def _job(request: dict[str, Any], skipped: frozenset[int], answers: Answers) -> None:
    begun = time.process_time()
    try:
        if request.get("work"):
            answer = called(request["work"])(request, answers.tell, skipped)
        else:
            answer = run_job(request, skipped, answers.tell)
    except (CannotRun, NoWalls) as error:
        answer = {"error": str(error), "old_not_executed": isinstance(error, NotExecuted) and error.of_old}
    except BaseException as error:
        answer = {"error": f"the trial itself failed: {type(error).__name__}: {error}"}
    answers.give(answer | {"worked": time.process_time() - begun + Clock.worked_elsewhere})


if __name__ == "__main__":
    with contextlib.suppress(_Orphaned, KeyboardInterrupt):
        serve()
