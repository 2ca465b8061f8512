"""Life in the other world: a version is loaded from its own tree, and what is asked of it is answered."""

import importlib
import os
import pickle
import time
from collections.abc import Callable
from contextlib import ExitStack
from typing import Any

from dreck.source.functions import FunctionNode
from dreck.trial.apart.far import Facts, told_operands
from dreck.trial.apart.wire import Wire, can_leave
from dreck.trial.inputs.candidates import Candidates, SetUp
from dreck.trial.inputs.recipes import Make
from dreck.trial.running.loading.imports import CannotRun
from dreck.trial.running.run import Runner
from dreck.trial.sandbox.cage import TimeUp


class Telling(Candidates):
    """Candidates of this world, which tell the other one what runs have shown."""

    told: list[tuple[str, tuple[Any, ...]]]

    def hint(self, path: str, value: Any) -> None:
        self._tell("hint", path, value)
        super().hint(path, value)

    def offered(self, path: str, values: tuple[Any, ...]) -> None:
        self._tell("offered", path, values)
        super().offered(path, values)

    def offer(self, path: str, set_up: SetUp) -> None:
        self._tell("offer", path, set_up)
        super().offer(path, set_up)

    def offer_as_it_is(self, path: str) -> None:
        self._tell("offer_as_it_is", path)
        super().offer_as_it_is(path)

    def need_not_be(self, path: str) -> None:
        self._tell("need_not_be", path)
        super().need_not_be(path)

    def _tell(self, name: str, *args: Any) -> None:
        self.__dict__.setdefault("told", []).append((name, args))

    def taken(self) -> list[tuple[str, tuple[Any, ...]]]:
        """What there was to tell since the last time."""
        told = [event for event in self.__dict__.get("told", []) if can_leave(event)]
        self.told = []
        return told


class Life:
    """Answers, one after the other, what the other end of the wire asks."""

    def __init__(self, wire: Wire, runner: Runner, candidates: Telling) -> None:
        self._wire = wire
        self._runners = [runner]
        self._candidates = candidates
        self._doing = ExitStack()

    def go_on(self) -> None:
        """Until the pipe is closed."""
        while True:
            what, number, *args = self._wire.receive()
            begun = time.process_time()
            answer = getattr(self, f"_{what}")(self._runners[number], *args)
            say(self._wire, "answer", answer, begun)

    def _run(self, runner: Runner, choice: dict[str, Make], seconds: float) -> Any:
        try:
            observation, world, _ = runner.run(self._candidates, choice, seconds)
        except (Exception, TimeUp):
            return None  # what the input is made of cannot be built, or not be described
        watcher = runner.version.watcher
        watch = watcher.reached, watcher.trail, told_operands(watcher.operands), watcher.parted
        used = {path: make for path, make in world.used.items() if can_leave(make)}
        answer = observation, used, world.died_at, watch, self._candidates.taken()
        return answer if can_leave(answer) else None

    def _globals(self, runner: Runner, names: list[str]) -> None:
        runner.globals = names

    def _by_change(self, runner: Runner, on: bool) -> None:
        runner.by_change = on

    def _described(self, runner: Runner, names: list[str]) -> dict[str, Any]:
        return runner.described(names)

    def _places(self, runner: Runner) -> list[tuple[str, str]]:
        return runner.farther.names()

    def _look_at(self, runner: Runner, places: list[tuple[str, str]]) -> None:
        runner.farther.look_at(places)

    def _takes(self, runner: Runner, function: FunctionNode) -> bool:
        return runner.takes(function)

    def _does(self, runner: Runner, function: FunctionNode | None) -> bool:
        self._doing.close()
        return function is not None and self._doing.enter_context(runner.doing(function))

    def _beside(self, runner: Runner, function: FunctionNode) -> tuple[int, Facts] | None:
        other = runner.beside(function)
        if other is None:
            return None
        other.globals, other.by_change = runner.globals, runner.by_change
        self._runners.append(other)
        return len(self._runners) - 1, Facts.of(other)

    def _call(self, runner: Runner, dotted: str, *args: Any) -> Any:
        module, _, name = dotted.partition(":")
        return getattr(importlib.import_module(module), name)(runner, self._candidates, *args)


def say(wire: Wire, kind: str, answer: Any, begun: float) -> None:
    """One answer, with the seconds of work it took; `cannot` goes with a reason."""
    try:
        wire.send((kind, answer, time.process_time() - begun))
    except pickle.PicklingError:
        wire.send((kind, None, time.process_time() - begun))


def answering(wire: Wire, live: Callable[[], Life]) -> None:
    """Lives in this world until the other one is no more; a version that cannot be run says so."""
    try:
        life = live()
    except CannotRun as error:
        say(wire, "cannot", str(error), time.process_time())
        return
    except Exception as error:
        say(wire, "cannot", f"the trial itself failed: {type(error).__name__}: {error}", time.process_time())
        return
    life.go_on()
    os._exit(0)
