"""The other world seen from this one: a runner that has a version run in a process of its own."""

import os
import pickle
import secrets
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace
from typing import Any

from dreck.source.functions import FunctionNode
from dreck.trial.apart.wire import Broken, Wire, can_leave
from dreck.trial.inputs.candidates import Candidates
from dreck.trial.inputs.recipes import Make
from dreck.trial.playing.world import World
from dreck.trial.running.instrument import Watched
from dreck.trial.running.loading.below import names_in
from dreck.trial.running.loading.imports import CannotRun
from dreck.trial.running.loading.load import Version, vary_alike
from dreck.trial.running.run import RUN_SECONDS, Observation, Runner
from dreck.trial.running.surroundings import Asked
from dreck.trial.running.watch import Watcher
from dreck.trial.sandbox.kernel import die_with_parent
from dreck.trial.search.clock import Clock


@dataclass(frozen=True, slots=True)
class Facts:
    """What one world tells the other of its version: trees and names, nothing that lives."""

    node: FunctionNode
    watched: Watched
    methods: dict[str, FunctionNode]
    beside: dict[str, FunctionNode]
    varying: tuple[str, ...]
    free: tuple[str, ...]
    parameters: tuple[str, ...]
    globals: tuple[str, ...]
    owner: str
    is_plain: bool
    path: str
    bound: frozenset[str]
    settable: frozenset[tuple[str, str]]
    chains: frozenset[tuple[str, ...]]
    filled: tuple[str, ...]
    asked: Asked
    rebound: frozenset[str]
    lent: tuple[str, ...]

    def alike(self, theirs: "Facts") -> tuple[tuple[str, ...], "Facts"]:
        """What is bound anew in this world and may be an input of both, and what the other tells without the rest."""
        told = vary_alike(theirs.varying, theirs.rebound, self.varying, self.rebound, self.bound)
        mine = vary_alike(self.varying, self.rebound, theirs.varying, theirs.rebound, theirs.bound)
        return mine, replace(theirs, varying=told)

    @classmethod
    def of(cls, runner: Runner) -> "Facts":
        v, owner = runner.version, runner.version.owner
        return cls(
            v.node, v.watched, v.methods, v.beside, v.varying, v.free, tuple(runner.parameters()),
            tuple(runner.globals), owner.__qualname__ if owner is not None else "", runner.is_plain(), v.path,
            names_in(v.namespace), runner.surroundings.settable.known, runner.surroundings.settable.chains,
            v.filled, runner.surroundings.asked, v.rebound, v.lent,
        )  # fmt: skip


def open_world(live: Callable[[Wire], None]) -> Wire:
    """Forks a process in which `live` answers at the other end of the wire. It ends with this one."""
    seal = secrets.token_bytes(8)
    asked, asking = os.pipe()
    answering, answered = os.pipe()
    if os.fork() == 0:
        try:
            os.close(asking)
            os.close(answering)
            die_with_parent()
            live(Wire(asked, answered, seal))
        except (Broken, OSError):
            pass
        finally:
            os._exit(0)
    os.close(asked)
    os.close(answered)
    return Wire(answering, asking, seal)


def ask(wire: Wire, *message: Any) -> Any:
    """What the other world answers. The process ends when there is none: whoever waits for it tries again without
    the input it was at. Raises CannotRun when the version cannot be run there."""
    try:
        wire.send(message)
    except BrokenPipeError:
        os._exit(0)
    return listen(wire)


def listen(wire: Wire) -> Any:
    """The next answer of the other world."""
    try:
        kind, answer, worked = wire.receive()
    except (Broken, OSError, EOFError, pickle.UnpicklingError):
        os._exit(0)
    Clock.worked_elsewhere += worked
    if kind == "cannot":
        raise CannotRun(answer)
    return answer


class FarPlaces:
    """The places in other modules that a version in the other world leads to."""

    def __init__(self, wire: Wire, number: int) -> None:
        self._wire, self._number = wire, number

    def names(self) -> list[tuple[str, str]]:
        found: list[tuple[str, str]] = ask(self._wire, "places", self._number)
        return found

    def look_at(self, names: Iterable[tuple[str, str]]) -> None:
        ask(self._wire, "look_at", self._number, list(names))


class FarRunner(Runner):
    """Runs a version that lives in the other world, the `number`th of those there."""

    def __init__(self, wire: Wire, facts: Facts, number: int = 0) -> None:
        self.version = Version(
            _nowhere, {}, facts.node, facts.watched, Watcher(), None, {}, varying=facts.varying,
            methods=facts.methods, beside=facts.beside, free=facts.free, path=facts.path,
        )  # fmt: skip
        self._wire = wire
        self._facts = facts
        self._number = number
        self._globals = list(facts.globals)
        self._by_change = False
        self.settable = facts.settable | {("", "")}
        self.chains = facts.chains
        self.farther = FarPlaces(wire, number)  # type: ignore[assignment]

    @property
    def globals(self) -> list[str]:
        return self._globals

    @globals.setter
    def globals(self, names: list[str]) -> None:
        self._globals = names
        ask(self._wire, "globals", self._number, names)

    @property
    def by_change(self) -> bool:
        return self._by_change

    @by_change.setter
    def by_change(self, on: bool) -> None:
        self._by_change = on
        ask(self._wire, "by_change", self._number, on)

    def parameters(self) -> list[str]:
        return list(self._facts.parameters)

    def is_plain(self) -> bool:
        return self._facts.is_plain

    def described(self, names: Iterable[str]) -> dict[str, Any]:
        found: dict[str, Any] = ask(self._wire, "described", self._number, list(names))
        return found

    def run(
        self, candidates: Candidates, choice: dict[str, Make], seconds: float = RUN_SECONDS
    ) -> tuple[Observation, World, set[tuple[int, bool]]]:
        """As in this world; ValueError when the input cannot be built or told there."""
        answer = ask(self._wire, "run", self._number, _without_strangers(choice), seconds)
        if answer is None:
            raise ValueError("the input cannot be built in the other world")
        observation, used, died_at, watch, told = answer
        for name, args in told:
            getattr(candidates, name)(*args)
        world = World(candidates, choice, {})
        world.used, world.died_at = {**{p: choice[p] for p in used if p in choice}, **used}, died_at
        watcher = self.version.watcher
        watcher.reached, watcher.trail, watcher.operands, watcher.parted = watch
        return observation, world, set(watcher.reached)

    def takes(self, function: FunctionNode) -> bool:
        return bool(ask(self._wire, "takes", self._number, function))

    @contextmanager
    def doing(self, function: FunctionNode) -> Iterator[bool]:
        done = ask(self._wire, "does", self._number, function)
        try:
            yield bool(done)
        finally:
            ask(self._wire, "does", self._number, None)

    def beside(self, function: FunctionNode) -> "FarRunner | None":
        answer = ask(self._wire, "beside", self._number, function)
        if answer is None:
            return None
        number, facts = answer
        return FarRunner(self._wire, facts, number)

    def call(self, dotted: str, *args: Any) -> Any:
        """What a function of ours, by `module:name`, gives when it is called with the runner over there and `args`."""
        return ask(self._wire, "call", self._number, dotted, *args)


def _without_strangers(choice: dict[str, Make]) -> dict[str, Make]:
    """A choice as it can be told; raises ValueError when it holds what lives in this world alone."""
    if not can_leave(choice):
        raise ValueError("what is chosen cannot be told to the other world")
    return choice


def _nowhere() -> None:
    """The function is not in this world."""


def told_operands(
    operands: dict[int, list[tuple[str, Any, Any]]],
) -> dict[int, list[tuple[str, Any, Any]]]:
    """Of what tests were comparing, the plain values."""
    plain = (bool, int, float, str, bytes, type(None))
    return {n: [t for t in told if all(isinstance(v, plain) for v in t[1:])] for n, told in operands.items()}
