"""Trial: both versions of a function run on the same inputs in a caged child process, everything compared."""

import ast
import atexit
import json
import os
import subprocess
import sys
import threading
import time
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Protocol

from dreck.trial.case import Case
from dreck.trial.sandbox.folder import KEPT, sweep

_GRACE = 2.0
DEFAULT_INPUTS = 1_200
DEFAULT_SECONDS = 2.0


@dataclass(frozen=True, slots=True)
class Version:
    """A version of a function to be run: the path its module stands at, the module's text, the dotted name."""

    path: Path
    text: str
    name: str
    aliases: tuple[tuple[str, str], ...] = ()
    """Parameters that the other version calls otherwise: own name, name there."""

    def as_json(self) -> dict[str, Any]:
        return {
            "path": str(self.path.absolute()),
            "text": self.text,
            "name": self.name,
            "aliases": dict(self.aliases),
        }


@dataclass(frozen=True, slots=True)
class Wanted:
    """How long to try, what the cage lets go, a condition under which a difference is expected, recorded calls
    to start from, and whether a difference is wanted as a test case."""

    inputs: int = DEFAULT_INPUTS
    seconds: float = DEFAULT_SECONDS
    open_cage: frozenset[str] = frozenset()
    cage: str = ""
    """`kernel` when nothing may be run without the kernel's walls."""
    expect: str = ""
    calls: tuple[dict[str, str], ...] = ()
    case: bool = False
    hashable: bool = False
    """Whether keys may be taken to be hashable: an input on which only that differs counts for nothing."""
    ordered: bool = False
    """Whether what is compared may be taken to have an order: an input with a NaN may differ."""
    quiet: bool = False
    """Whether plain tests may be taken to raise nothing: an input on which one does counts for nothing."""
    steady: bool = False
    """Whether what switches are on may be taken to keep its value, whatever is called."""
    sums: bool = False
    """Whether what the code adds numbers to may be taken to be one: an input where it is none may differ."""
    apart: bool = False
    """Whether each version gets a process of its own, however plain their modules are."""
    case_maker: str = "dreck.pins.difference:as_case"
    """What makes the test case, by `module:name`."""


@dataclass(frozen=True, slots=True)
class Difference:
    """An input for which two versions differ, and what each of them does there.

    `case` is the same as a test case, when one was asked for; `no_case` says why there is none.
    """

    input: str
    old: str
    new: str
    case: Case | None = None
    no_case: str = ""

    def as_json(self) -> dict[str, str]:
        return {"input": self.input, "old": self.old, "new": self.new}


@dataclass(frozen=True, slots=True)
class Unnoticed:
    """A slip no input noticed: in which version (0 the old one), at which line, what it is, the function so changed."""

    side: int
    line: int
    what: str
    function: str


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
    expected: Difference | None = None
    held: int = 0
    """Inputs for which the declared condition holds."""
    unknown: tuple[str, ...] = ()
    """Parameters without an annotation."""
    finished: int = 0
    """Inputs on which the old version came to its end without an exception."""
    free: tuple[str, ...] = ()
    """What a function inside another one reads there; a trial gives these any value."""
    slips: tuple[int, int] = (0, 0)
    """Small wrong changes of the changed region that the inputs noticed, and how many there are."""
    unnoticed: "tuple[Unnoticed, ...]" = ()
    not_looked_at: int = 0
    """Slips for which there was no time."""
    overlooked: int = 0
    """Inputs left out of account because a key in them cannot be hashed."""
    unordered: int = 0
    """Inputs left out of account because a NaN is in them."""
    loud: int = 0
    """Inputs left out of account because a plain test raises on them in one version."""
    held_steady: bool = False
    """Whether something was kept from changing because a switch is on it."""
    unsummed: int = 0
    """Inputs left out of account because what a number is added to is none in them."""
    old_not_executed: bool = False
    """Whether the module of the old version cannot be executed: no trial of a function in it comes to anything."""


class Known(Protocol):
    """Answers to requests made before."""

    def get(self, request: dict[str, Any]) -> dict[str, Any] | None:
        """The answer, as long as everything it leans on is what it was."""

    def put(self, request: dict[str, Any], answer: dict[str, Any]) -> None:
        """Keeps an answer."""


def run_trial(old: Version, new: Version, wanted: Wanted = Wanted(), known: Known | None = None) -> Trial:
    """Runs `old` and `new` on inputs made for them, unless `known` tells what came of it before."""
    request = {
        "old": old.as_json(),
        "new": new.as_json(),
        "inputs": wanted.inputs,
        "seconds": wanted.seconds,
        "open": sorted(wanted.open_cage),
        "cage": wanted.cage,
        "expect": wanted.expect,
        "calls": list(wanted.calls),
        "case": wanted.case_maker if wanted.case else "",
        "hashable": wanted.hashable,
        "ordered": wanted.ordered,
        "quiet": wanted.quiet,
        "steady": wanted.steady,
        "sums": wanted.sums,
        "apart": wanted.apart,
    }
    executed = (old.path, old.text)
    answer = _not_executed.get(executed) or (known.get(request) if known is not None else None)
    if answer is None:
        answer = _server.ask(request)
        if answer.get("difference") and _has_no_order(request) and _differs_from_itself(request, answer):
            answer = {**answer, "difference": None, "unstable": True, "wavers": _BY_ADDRESS}
        if answer.get("old_not_executed"):
            _not_executed[executed] = answer
        if known is not None:
            known.put(request, answer)
    return _read(answer)


_not_executed: dict[tuple[Path, str], dict[str, Any]] = {}
"""What was answered of modules that cannot be executed as they were, as long as the work goes on."""
_BY_ADDRESS = "where objects lie in memory"


def look_anew() -> None:
    """What could not be executed is tried again: what it lacked may have been put there."""
    _not_executed.clear()


def _has_no_order(request: dict[str, Any]) -> bool:
    """Whether what the old version does may hang on addresses: it, or a file beside it, goes through sets."""
    if request["apart"]:
        return True
    nodes = ast.walk(ast.parse(request["old"]["text"]))
    return any(isinstance(n, ast.Set | ast.SetComp) or getattr(n, "id", "") in _WITHOUT_ORDER for n in nodes)


_WITHOUT_ORDER = frozenset({"set", "frozenset", "id", "hash", "WeakSet", "WeakKeyDictionary", "WeakValueDictionary"})


def _differs_from_itself(request: dict[str, Any], answer: dict[str, Any]) -> bool:
    """Whether the old version, executed twice so that its objects lie at other places, shows a difference, too.

    Sets of classes, and of objects that say nothing of their hash, are gone through in the order of their addresses.
    """
    same = {**request, "new": request["old"], "shifted": True, "case": "", "expect": ""}
    again = _server.ask({**same, "inputs": answer["inputs"]})
    return bool(again.get("difference") or again.get("unstable"))


def seconds_worked() -> float:
    """Seconds of the processor's time that this process and its trials have worked for."""
    return time.process_time() + _server.worked


def ask_child(request: dict[str, Any]) -> dict[str, Any]:
    """Any other request to the warm child, such as the one to pin a function."""
    return _server.ask(request)


def _read(answer: dict[str, Any]) -> Trial:
    if "error" in answer:
        return Trial(problem=answer["error"], old_not_executed=answer.get("old_not_executed", False))
    missing = tuple(map(_unreached, answer["missing"]))
    return Trial(
        answer["inputs"],
        tuple(answer["outcomes"]),
        tuple(answer["old"]),
        tuple(answer["new"]),
        missing,
        _difference(answer["difference"]),
        _problem(answer),
        _difference(answer["expected"]),
        answer["held"],
        tuple(answer["unknown"]),
        answer["finished"],
        tuple(answer["free"]),
        (answer["slips"]["noticed"], answer["slips"]["wanted"]),
        tuple(Unnoticed(**told) for told in answer["slips"]["unnoticed"]),
        answer["slips"]["left_out"],
        answer["overlooked"],
        answer["unordered"],
        answer["loud"],
        answer["held_steady"],
        answer["unsummed"],
    )


def _difference(told: dict[str, Any] | None) -> Difference | None:
    if told is None:
        return None
    case = Case.from_json(told["case"]) if told.get("case") else None
    return Difference(told["input"], told["old"], told["new"], case, told.get("no_case", ""))


def _unreached(missing: dict[str, Any]) -> str:
    side = "new" if missing["side"] else "old"
    if missing["outcome"] is None:
        return f"line {missing['line']}: `{missing['test']}` never done to its end in the {side} version"
    outcome = "true" if missing["outcome"] else "false"
    return f"line {missing['line']}: `{missing['test']}` never {outcome} in the {side} version"


def _problem(answer: dict[str, Any]) -> str:
    if answer["difference"]:
        return ""
    if answer["unstable"]:
        source = f" (it reads {answer['wavers']})" if answer["wavers"] else ""
        told = "the old version itself gives another result when asked again"
        if answer["wavers"] == _BY_ADDRESS:
            return f"{told}{source}; sort what it goes through, so that it comes in one order"
        return f"{told}{source}; pass that in as an argument, so that it can be held still"
    if answer["died"]:
        return f"the process died or hung on {answer['died']} inputs"
    if answer["refused"]:
        return (
            f"the cage ends every run that comes there (refused: {answer['refused']}), so what follows is not seen; "
            "--open-cage lets through what you allow"
        )
    if answer["hidden"]:
        kinds = " and ".join(answer["hidden"][:2])
        return f"what it gives or hands on holds a `{kinds}`, and nobody can look into that"
    if not answer["finished"] and len(answer["deaths"]) <= 1:
        died = answer["deaths"][0] if answer["deaths"] else "nothing ran"
        return f"every input ended in the same way ({died}); annotate the parameters so that better inputs can be made"
    return ""


class GivenUp(Exception):
    """Whoever waited for a trial has said that it is not wanted any more."""


def give_up() -> None:
    """Ends the trial that is going on, or the next one that is asked for: whoever asks for it gets GivenUp."""
    _server.give_up()


def begin() -> None:
    """New work is begun: what was given up before has nothing to do with it."""
    _server.given_up = False


@dataclass(slots=True)
class _Server:
    """The warm child, started when first asked and again when it has died."""

    process: "subprocess.Popen[str] | None" = None
    asked: int = 0
    worked: float = 0.0
    lock: threading.Lock = field(default_factory=threading.Lock)
    given_up: bool = False

    def ask(self, request: dict[str, Any]) -> dict[str, Any]:
        """The answer to this very request. Whatever interrupts the waiting ends the child: its answer must not be
        taken for that of the next request."""
        with self.lock:
            for _ in range(2):
                self._still_wanted()
                self.asked += 1
                try:
                    answer = self._answer({**request, "number": self.asked})
                except (BrokenPipeError, json.JSONDecodeError):
                    answer = None
                except BaseException:
                    self.stop()
                    raise
                if answer is not None and answer.pop("number", None) == self.asked:
                    self.worked += answer.pop("worked", 0.0)
                    return answer
                self.stop()
            self._still_wanted()
            return {"error": "the child process that runs trials died twice"}

    def give_up(self) -> None:
        self.given_up = True
        process = self.process
        if self.lock.locked() and process is not None:
            process.terminate()

    def _still_wanted(self) -> None:
        if self.given_up:
            self.given_up = False
            raise GivenUp("the trial was not wanted any more")

    def _answer(self, request: dict[str, Any]) -> dict[str, Any] | None:
        process = self._started()
        assert process.stdin and process.stdout
        process.stdin.write(json.dumps(request) + "\n")
        process.stdin.flush()
        line = process.stdout.readline()
        return json.loads(line) if line else None

    def _started(self) -> "subprocess.Popen[str]":
        if self.process is None or self.process.poll() is not None:
            command = [sys.executable, "-P", "-m", "dreck.trial.child"]
            pipes: dict[str, Any] = {"stdin": subprocess.PIPE, "stdout": subprocess.PIPE, "stderr": subprocess.DEVNULL}
            # The order of sets would otherwise differ from one process to the next, and with it what is tried.
            self.process = subprocess.Popen(command, text=True, env=_surroundings(), **pipes)
            atexit.register(self.stop)
        return self.process

    def stop(self) -> None:
        process, self.process = self.process, None
        if process is None:
            return
        for pipe in (process.stdin, process.stdout):
            if pipe:
                pipe.close()
        process.terminate()  # it ends its job and takes its folder with it
        try:
            process.wait(_GRACE)
        except subprocess.TimeoutExpired:
            process.kill()
            process.wait()
        sweep()  # the signal may have met it while it was tidying up


def _surroundings() -> dict[str, str]:
    """The environment of the child: nothing that could be a secret comes near the code that is tried."""
    kept = {n: v for n, v in os.environ.items() if n in (*KEPT, "HOME", "TMPDIR") or n.startswith("PYTHON")}
    return {**kept, "PYTHONHASHSEED": "0"}


_server = _Server()
