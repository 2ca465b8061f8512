"""The child process: a warm server that forks a caged job for each trial. Run as `python -m dreck.trial.child`.

Requests and answers are JSON lines. A job tells, before each input, its number; when it dies or hangs the
server starts it again with that input left out, so that one bad input costs one input.
"""

import contextlib
import importlib
import json
import os
import secrets
import select
import shutil
import signal
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from dreck.trial.inputs.candidates import Candidates
from dreck.trial.inputs.recipes import Make, played
from dreck.trial.inputs.setups import find_set_ups
from dreck.trial.inputs.texts import pieces, table_words
from dreck.trial.inputs.usage import Usages
from dreck.trial.playing.world import A_CALL, World
from dreck.trial.running.describe import shown
from dreck.trial.running.expectation import outside
from dreck.trial.running.installed import import_installed
from dreck.trial.running.load import CannotRun, Version, forget_neighbours, load, plausible, project_of, whole_project
from dreck.trial.running.nested import lifted
from dreck.trial.running.outcome import WAITS
from dreck.trial.running.region import changed_lines
from dreck.trial.running.renaming import renamed
from dreck.trial.running.run import Runner, watch_common_globals
from dreck.trial.sandbox.cage import Cage, NoWalls
from dreck.trial.sandbox.determinism import Still, wavering
from dreck.trial.sandbox.folder import private_folder
from dreck.trial.sandbox.kernel import die_with_parent
from dreck.trial.search.moves import Tried
from dreck.trial.search.search import Search
from dreck.trial.slips import Slips, as_json, look_for_slips

_FIRST, _SILENCE = 20.0, 3.0
"""Seconds of work in which a job has to be heard of: at its start, and from one input to the next."""
_WAITING = 10
"""So many times as long by the clock, for one that only waits."""
_LOOK = 0.25
_RESTARTS = 4
_SLIPS = 2.0
"""So much of the time of the search goes into slips."""


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
    return {"error": f"its process died or hung on {len(skipped)} inputs"}


def _in_fork(request: dict[str, Any], skipped: list[int], folder: Path) -> tuple[dict[str, Any] | None, int]:
    """One caged job in an empty folder. Its answer, or None and the input it was at."""
    folder.mkdir()
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
    try:
        if request.get("work"):
            answer = _called(request["work"])(request, answers.tell, skipped)
        else:
            answer = _trial(request, skipped, answers)
    except (CannotRun, NoWalls) as error:
        answer = {"error": str(error)}
    except BaseException as error:
        answer = {"error": f"the trial itself failed: {type(error).__name__}: {error}"}
    answers.give(answer)


def _trial(request: dict[str, Any], skipped: frozenset[int], answers: Answers) -> dict[str, Any]:
    cage, still = Cage(frozenset(request["open"])), Still()
    if request["case"]:
        import unittest.mock  # noqa: F401 - cannot be imported for the first time in the cage
    before, after = request["old"], request["new"]
    cage.wall([whole_project(Path(side["path"])) for side in (before, after)], request["cage"])
    for side in (before, after):
        import_installed(Path(side["path"]), side["text"], project_of(Path(side["path"])))
    cage.close()
    still.hold(before["text"] + after["text"])
    old = load(before["path"], before["text"], before["name"])
    if project_of(Path(before["path"])) != project_of(Path(after["path"])):
        forget_neighbours(Path(before["path"]))
    new = load(after["path"], after["text"], after["name"])
    usages = Usages()
    for side, version in ((after, new), (before, old)):
        usages.add(_original(side, request["expect"]), version.methods, version.varying, version.beside)
    candidates = Candidates(usages, old.namespace, dict(old.types), plausible(old))
    candidates.words = table_words((old.node, new.node), old.namespace)
    find_set_ups(before["text"], (old, new), candidates, cage)
    runners = (Runner(old, cage, still), Runner(new, cage, still, after["aliases"], old.owner))
    watch_common_globals(*runners)
    search = Search(
        runners,
        candidates,
        usages,
        inputs=request["inputs"],
        seconds=request["seconds"],
        announce=answers.tell,
        skipped=skipped,
        pieces=pieces(usages.constants, old.namespace),
        starts=tuple(map(played, request["calls"])),
        expects=_expecting(request["expect"], runners[0], candidates),
        overlooks=_dies_unhashed if request["hashable"] else lambda tried: False,
    )
    search.run()
    answer, slips = _result(search, old, new), Slips()
    settled = answer["difference"] or answer["missing"] or search.unstable or not search.finished
    if not settled and not request["open"]:  # with an open cage a slip could do harm
        slips = look_for_slips(search, request["seconds"] * _SLIPS)
        answer = _result(search, old, new)
    answer["slips"] = as_json(slips)
    answer["overlooked"] = sum(map(_dies_unhashed, search.all_tried)) if request["hashable"] else 0
    answer["wavers"] = wavering(before["text"]) if search.unstable else ""
    answer["unknown"] = [name for name in runners[0].parameters() if name not in old.types and name != "self"]
    if request["case"] and search.different is not None:
        answer["difference"] |= _called(request["case"])(search, before, after)
    return answer


def _dies_unhashed(tried: Tried) -> bool:
    """Whether one version dies of a key that cannot be hashed, and the other does not."""
    deaths = [
        ("TypeError" in told and "unhashable type" in told) for told in (repr(tried.old.error), repr(tried.new.error))
    ]
    return deaths[0] != deaths[1]


def _expecting(test: str, runner: Runner, candidates: Candidates) -> Callable[[dict[str, Make]], bool] | None:
    """Whether the declared condition holds for the arguments of an input; one that cannot be asked does not."""
    if not test:
        return None
    code = compile(test.strip(), "<expect>", "eval")

    def holds(choice: dict[str, Make]) -> bool:
        world = World(candidates, choice, runner.version.namespace)
        args, kwargs = runner.arguments(world)
        named = dict(zip(runner.parameters(), args, strict=False)) | kwargs
        result, error, _ = runner.guarded(lambda: bool(eval(code, runner.version.namespace, named)))
        return error is None and bool(result)

    return holds


def _called(dotted: str) -> Callable[..., Any]:
    """A function of another room, by `module:name`: what else a job can do is not this room's business."""
    module, _, name = dotted.partition(":")
    found: Callable[..., Any] = getattr(importlib.import_module(module), name)
    return found


def _original(side: dict[str, Any], expect: str) -> Any:
    """The function of one side as the search has to see it: parameters matched, the declared condition asked first."""
    import ast

    from dreck.source.functions import functions_in

    functions = functions_in(ast.parse(side["text"]), side["text"])
    function = next(f for f in functions if f.name == side["name"])
    node = lifted(function, functions)[0] if function.nested else function.node
    if side["aliases"]:
        node = renamed(node, side["aliases"])
    return outside(node, expect) if expect else node


def _result(search: Search, old: Version, new: Version) -> dict[str, Any]:
    region = changed_lines(old.node, new.node)
    wanted = {o for o in search.wanted() if _line((old, new)[o[0]].watched.tests[o[1]]) in region[o[0]]}
    if not wanted:
        wanted = search.wanted()
    missing = sorted(wanted - search.reached)
    there = [tried for tried in search.all_tried if tried.reached & wanted]
    refused = there[0].old.refused[:1] if there and all(map(_ends_refused, there)) else ()
    return {
        "inputs": search.count + search.in_bulk,
        "outcomes": [len(wanted & search.reached), len(wanted)],
        "old": [len([o for o in wanted & search.reached if o[0] == 0]), len([o for o in wanted if o[0] == 0])],
        "new": [len([o for o in wanted & search.reached if o[0] == 1]), len([o for o in wanted if o[0] == 1])],
        "missing": [_missing(old if side == 0 else new, side, number, outcome) for side, number, outcome in missing],
        "deaths": sorted(search.deaths),
        "finished": search.finished,
        "free": sorted({*old.free, *new.free}),
        "refused": refused[0] if refused else "",
        "unstable": search.unstable,
        "difference": _difference(search.different) if search.different else None,
        "expected": _difference(search.expected) if search.expected else None,
        "held": search.held,
    }


def _ends_refused(tried: Tried) -> bool:
    return bool(tried.old.refused) and "refused: " in repr(tried.old.error)


def _missing(version: Version, side: int, number: int, outcome: bool) -> dict[str, Any]:
    import ast

    test = version.watched.tests[number]
    try:
        code = ast.unparse(test).splitlines()[0]
    except Exception:
        code = type(test).__name__
    return {"side": side, "test": code, "outcome": outcome, "line": _line(test)}


def _line(test: Any) -> int:
    return int(getattr(test, "lineno", 0) or getattr(getattr(test, "pattern", None), "lineno", 0))


def _difference(tried: Tried) -> dict[str, Any]:
    told = {"input": _input(tried)}
    for name, mine, other in (("old", tried.old, tried.new), ("new", tried.new, tried.old)):
        theirs = other.parts()
        parts = [f"{part}: {_part(part, value)}" for part, value in mine.parts().items() if value != theirs[part]]
        told[name] = "; ".join(parts) or "the same"
    return told


def _part(part: str, value: Any) -> str:
    match part:
        case "calls":
            text = ", ".join(_call(*entry) for entry in value) or "none"
        case "exception" if value is None:
            text = "none"
        case "refused" | "module globals":
            text = str(value) if value else "none"
        case _:
            text = shown(value) if isinstance(value, tuple) else repr(value)
    return text if len(text) < 400 else text[:397] + "..."


def _call(what: str, path: str, *values: Any) -> str:
    if what != "call":
        return " ".join([what, path, *map(shown, values)])
    args, kwargs = values
    given = [shown(a) for a in args[1]] + [f"{k[1]}={shown(v)}" for k, v in kwargs[1]]
    return f"{path}({', '.join(given)})"


_AS_EVER = frozenset({A_CALL, WAITS})
"""Questions whose answer goes without saying when it is that nothing happens."""


def _input(tried: Tried) -> str:
    """The values decided on, shortest path first; a stand-in of which nothing else is told stands for itself."""
    used = sorted(tried.used.items())
    used = [(path, make) for path, make in used if path not in _AS_EVER or make.what != "nothing"]
    told = [f"{path} = {make!r}" for path, make in used if make.kind != "stand-in"]
    bare = [
        f"{path} = any object"
        for path, make in used
        if make.kind == "stand-in"
        and path.isidentifier()
        and not any(p != path and _speaks_of(p, path) for p, _ in used)
    ]
    return ", ".join(told + bare) or "no arguments"


def _speaks_of(path: str, name: str) -> bool:
    return path.startswith((f"{name}.", f"{name}[", f"{name}(")) or name in path.split()


if __name__ == "__main__":
    with contextlib.suppress(_Orphaned, KeyboardInterrupt):
        serve()
