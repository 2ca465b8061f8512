"""One input: run through both versions, what came of it kept."""

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any

from dreck.trial.inputs.asked.usage import Usages
from dreck.trial.inputs.candidates import Candidates
from dreck.trial.inputs.mishaps import learned
from dreck.trial.playing.world import World
from dreck.trial.running.describe import shown
from dreck.trial.running.run import ENDLESS, RUN_SECONDS, Observation, Runner
from dreck.trial.sandbox.cage import TimeUp
from dreck.trial.search.clock import Clock
from dreck.trial.search.moves import Choice, Moves, Outcome, Tried
from dreck.trial.search.smaller import mark_of

_MENDED = 24
_FIRST = 3


@dataclass(slots=True)
class Attempts:
    """What is known of both versions by the inputs that were tried."""

    runners: tuple[Runner, ...]
    candidates: Candidates
    usages: Usages
    inputs: int = 1_200
    seconds: float = 1.2
    announce: Callable[[int], None] = lambda number: None
    skipped: frozenset[int] = frozenset()
    pieces: tuple[str, ...] = ("a", "1", " ")
    """What texts are made of here: pieces the code names."""
    starts: tuple[Choice, ...] = ()
    """Recorded calls, tried before anything else."""
    count: int = 0
    reached: set[Outcome] = field(default_factory=set)
    reaching: dict[tuple[int, int], list[Tried]] = field(default_factory=dict)
    different: Tried | None = None
    deaths: set[str] = field(default_factory=set)
    finished: int = 0
    unstable: bool = False
    endless: int = 0
    not_charged: float = 0.0
    expects: Callable[[Choice], bool] | None = None
    """Whether the versions are meant to differ on an input."""
    overlooks: Callable[[Tried], bool] = lambda tried: False
    """Differences that are none for whoever asks."""
    expected: Tried | None = None
    held: int = 0
    in_bulk: int = 0
    all_tried: list[Tried] = field(default_factory=list)
    mended: list[Choice] = field(default_factory=list)
    """Inputs that died of several values at once, with others in the place of all of them."""
    _seen: dict[str, Tried | None] = field(default_factory=dict)
    _until: float = 0.0
    _now: Clock = field(default_factory=Clock)
    _moves: Moves = field(init=False)

    def attempt(self, choice: Choice) -> Tried | None:
        """Runs both versions on one input; None when it was tried before or the time is up."""
        mark = mark_of(choice)
        if mark in self._seen:
            return None
        self._seen[mark] = None
        self.count += 1
        self.announce(self.count)
        if self.count in self.skipped:
            return None
        seen: list[Observation] = []
        worlds: list[World] = []
        reached: set[Outcome] = set()
        operands: dict[tuple[int, int], list[tuple[str, Any, Any]]] = {}
        given = choice
        for side, runner in enumerate(self.runners):
            told = given
            begun = self._now()
            try:
                observation, world, outcomes = runner.run(self.candidates, given)
            except (Exception, TimeUp):
                return None  # what the input is made of cannot be built, or not be described
            self._allow_for(observation, self._now() - begun)
            seen.append(observation)
            worlds.append(world)
            given = {**given, **world.used}  # what the first one met stands there for the next one, too
            reached |= {(side, number, outcome) for number, outcome in outcomes}
            operands |= {(side, n): told for n, told in runner.version.watcher.operands.items()}
        used = {path: make for world in reversed(worlds) for path, make in world.used.items()}
        trail = tuple(outcome for runner in self.runners for outcome in runner.version.watcher.trail)
        alike = seen[0] == seen[-1] or _both_endless(*seen)
        if not alike and _only_arguments_differ(*seen):
            seen, alike = self._by_change(choice, told, seen)
        far = (seen[0].error is None, len(trail), worlds[0].died_at)
        met = frozenset(pair for world in worlds for pair in world.met)
        tried = Tried(choice, used, frozenset(reached), operands, alike, seen[0], seen[-1], trail, told, met, far)
        self._seen[mark] = tried
        self._keep(tried)
        return tried

    def _by_change(self, choice: Choice, given: Choice, seen: list[Observation]) -> tuple[list[Observation], bool]:
        """Where arguments differ by what their classes are alone, what a run changes of them counts from now on."""
        if self.runners[0].by_change:
            return seen, False
        self._tell_by_change(True)
        try:
            again = [r.run(self.candidates, c)[0] for r, c in zip(self.runners, (choice, given), strict=True)]
        except (Exception, TimeUp):
            again = seen
        if again[0] == again[-1]:
            return again, True
        self._tell_by_change(False)
        return seen, False

    def _both(self, tried: Tried, seconds: float = RUN_SECONDS) -> list[Observation]:
        """What both versions do on an input that was tried before."""
        choices = [tried.choice, *[tried.given] * (len(self.runners) - 1)]
        return [r.run(self.candidates, c, seconds)[0] for r, c in zip(self.runners, choices, strict=True)]

    def _ways(self) -> list[Tried]:
        """One input of every way through, the shortest."""
        shortest_last = sorted(self.all_tried, key=lambda tried: -len(tried.choice))
        return list({tried.trail: tried for tried in shortest_last}.values())

    def _told(self, choice: Choice) -> Tried | None:
        """What came of an input, tried before or now."""
        return self.attempt(choice) or self._seen.get(mark_of(choice))

    def _confirm(self, tried: Tried) -> None:
        """Asked again the old version has to say the same; and what ran out of time gets more of it."""
        ran_out = ENDLESS in (tried.old.error, tried.new.error)
        seconds = RUN_SECONDS * (8 if ran_out else 1)
        old, new = self._both(tried, seconds)
        if ran_out and (old == new or _both_endless(old, new)):
            return
        before = tried.old
        again = (old.result, old.error, old.environment) == (before.result, before.error, before.environment)
        mine, theirs, first = old.parts(), new.parts(), before.parts()
        told = [part for part in mine if mine[part] != theirs[part] and mine[part] == first[part]]
        self.unstable = not again or not told
        self.different = None if self.unstable else self._as_a_whole(tried)

    def _as_a_whole(self, tried: Tried) -> Tried:
        """A difference as it is told: with all that the arguments are afterwards."""
        if not self.runners[0].by_change:
            return tried
        self._tell_by_change(False)
        old, new = self._both(tried)
        self._tell_by_change(True)
        return replace(tried, old=old, new=new)

    def _tell_by_change(self, on: bool) -> None:
        for runner in self.runners:
            runner.by_change = on

    def _learn(self, tried: Tried) -> None:
        """An input that died of a value's class says which class is wanted there."""
        unfit, wanted = learned(tried.old.error)
        if not wanted:
            return
        died_of = list(tried.died_of(unfit))
        for path in died_of:
            self.candidates.want(path, wanted)
        if len(died_of) > 1 and len(self.mended) < _MENDED:
            self.mended += [{**tried.choice, **dict.fromkeys(died_of, make)} for make in wanted[:_FIRST]]

    def _allow_for(self, observation: Observation, seconds: float) -> None:
        """The first few runs that do not end, or are very slow, are not charged to the search; later ones that do
        not end are charged like work, also where they only waited."""
        is_endless = observation.error == ENDLESS
        if (is_endless or seconds > 0.1) and self.endless < 12 and self.not_charged < 3 * self.seconds:
            self.endless += 1
            self.not_charged += seconds
            self._until += seconds
        elif is_endless:
            self._until -= max(0.0, RUN_SECONDS - seconds)

    def _keep(self, tried: Tried) -> None:
        self.all_tried.append(tried)
        self._learn(tried)
        meant = self.expects is not None and self.expects(tried.choice)
        self.held += meant
        if meant:
            if not tried.alike and self.expected is None:
                self.expected = tried
        elif not tried.alike and self.different is None and not self.overlooks(tried):
            self._confirm(tried)
        self.finished += tried.old.error is None
        self.deaths.add(_as_told(tried.old.error))
        if tried.reached - self.reached:
            for side, number, _ in tried.reached:
                self.reaching.setdefault((side, number), []).append(tried)
        if tried.alike or not _ran_out(tried):  # what nobody has seen the end of shows nothing of the way there
            self.reached |= tried.reached


def _ran_out(tried: Tried) -> bool:
    """Whether a version was let run no longer, or has filled the memory."""
    ends = [error for error in (tried.old.error, tried.new.error) if isinstance(error, str | tuple)]
    return ENDLESS in ends or ("MemoryError",) in ends


def _as_told(error: Any) -> str:
    """How a run ended, as people read it; '' when it came to its end."""
    if error is None:
        return ""
    return (shown(error) if isinstance(error, tuple) and len(error) > 1 else str(error))[:200]


def _only_arguments_differ(old: Observation, new: Observation) -> bool:
    return replace(old, arguments=None) == replace(new, arguments=None)


def _both_endless(*seen: Observation) -> bool:
    """Whether none came to its end: where each was when its time was up says nothing."""
    return all(one.error == ENDLESS for one in seen)
