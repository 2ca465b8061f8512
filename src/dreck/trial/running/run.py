"""One run: a version of a function called with one input in the cage, and everything observable about it."""

import ast
import copy
import enum
import functools
import inspect
import os
import sys
from collections.abc import Callable, Container, Iterable, Iterator
from contextlib import AbstractContextManager, contextmanager
from dataclasses import dataclass, field
from typing import Any

from dreck.source.functions import FunctionNode
from dreck.source.walking import walk
from dreck.trial.inputs.candidates import Candidates
from dreck.trial.inputs.recipes import Make
from dreck.trial.playing.keys import keywords_at, spread_at
from dreck.trial.playing.partial import partial
from dreck.trial.playing.world import World
from dreck.trial.running.by_change import HELD, at_first, changes
from dreck.trial.running.captured import Output, Turns, captured
from dreck.trial.running.describe import Describer, without_addresses
from dreck.trial.running.farther import Farther
from dreck.trial.running.heard import HEARING
from dreck.trial.running.held import parts_held
from dreck.trial.running.kept import (
    beside,
    fill,
    keeping,
    names_kept,
    parts_kept,
    put_anew,
    state_of,
)
from dreck.trial.running.loading.below import BELOW, below_in_both, class_below
from dreck.trial.running.loading.load import Version
from dreck.trial.running.loading.slipped import code_for, slipped, with_code
from dreck.trial.running.outcome import (
    hand_on,
    line_of_death,
    place_of_death,
    use_what_is_held,
    use_what_was_handed_on,
    used_up,
)
from dreck.trial.running.surroundings import Surroundings, put_back
from dreck.trial.sandbox.cage import Cage, TimeUp
from dreck.trial.sandbox.determinism import Still

RUN_SECONDS = 0.25
_SUSPENDS = inspect.CO_GENERATOR | inspect.CO_COROUTINE | inspect.CO_ASYNC_GENERATOR
_OF_OURS = (os.path.dirname(sys.modules[World.__module__].__file__ or ""), f"{os.path.dirname(__file__)}/watch.py")
"""Where the objects of a trial are at home, and what compares in the place of the code."""
ENDLESS = "it did not come to an end"


@dataclass(frozen=True, slots=True)
class Observation:
    """What a caller and the world around could see of one run."""

    result: Any
    error: Any
    arguments: Any
    log: Any
    output: str
    refused: tuple[str, ...]
    globals: Any
    shared: bool
    died_in: str = field(default="", compare=False)
    """The dump of the expression of the function in which an exception came up, if one did."""
    environment: tuple[tuple[str, str | None], ...] = ()
    """Variables of the process's environment it has set, and None for those it has removed."""
    errors: str = ""
    """What it has written to standard error."""
    heard: tuple[tuple[str, ...], ...] = ()
    """Records of the log and warnings."""
    turns: tuple[tuple[str, int], ...] = ()
    """In what order standard output, standard error and the log were written to, and code elsewhere was called."""
    files: tuple[tuple[str, str], ...] = ()
    """Files it has written in its folder, with what they hold then."""
    hidden: tuple[str, ...] = field(default=(), compare=False)
    """Kinds of things it gives or hands on that keep something nobody can look at."""

    def parts(self) -> dict[str, Any]:
        return {
            "result": self.result,
            "exception": self.error,
            "arguments afterwards": self.arguments,
            "calls": self.log,
            "output": self.output,
            "refused": self.refused,
            "module globals": self.globals,
            "same object handed out again": self.shared,
            "environment": self.environment,
            "standard error": self.errors,
            "log and warnings": self.heard,
            "order of what is done": self.turns,
            "files": self.files,
        }


class Runner:
    """Runs one version. Remembers mutable results, to see when one object is handed out twice."""

    def __init__(
        self,
        version: Version,
        cage: Cage,
        still: Still,
        aliases: dict[str, str] | None = None,
        like: type | None = None,
    ) -> None:
        """`aliases` are the names the other version has for parameters, `like` the class of its `self`."""
        self.version = version
        self._aliases = aliases or {}
        self._like = like
        self._there: dict[str, Any] = {}
        self.again = False  # whether a call that leaves something in the module is followed by another one
        self.asked_otherwise: frozenset[str] = frozenset()  # methods the other version asks for in another way
        self.itself_otherwise = False  # whether they say otherwise which class they mean
        self.both_await = True  # whether whoever calls awaits what either gives
        self.both_take: int | None = None  # arguments by position; what only one version takes, no caller has given
        self.by_change = False  # whether of its arguments only what a run changes is told
        self.left_out: frozenset[str] = frozenset()  # new parameters, which callers from before do not give
        self.there: Container[str] = version.namespace  # the names that the module of the other version has, too
        self._classes_below: dict[type, type | None] = {}
        self.cage, self.still = cage, still
        self._results: list[Any] = []
        self._expressions: dict[Any, str] | None = None
        self._environment: tuple[tuple[str, str | None], ...] = ()
        self._said: tuple[str, Any, Any, Any] = ("", (), (), ())
        self._turns = Turns()
        self.globals = self._global_names()
        self.farther = Farther(version.function.__code__, version.namespace, version.path)
        self.filled = version.filled
        self._signature = inspect.signature(version.function)
        self.surroundings = Surroundings(version.node, version.beside.values(), version.namespace, cage)

    def parameters(self) -> list[str]:
        """The names of the parameters, in the order they stand."""
        return list(self._signature.parameters)

    def is_plain(self) -> bool:
        """Whether it is an ordinary function with parameters by position only: nothing to build around it."""
        version, kinds = self.version, {p.kind for p in self._signature.parameters.values()}
        by_position = {inspect.Parameter.POSITIONAL_ONLY, inspect.Parameter.POSITIONAL_OR_KEYWORD}
        if version.owner is not None or version.plain is None or self._aliases:
            return False
        return kinds <= by_position and not version.plain.__code__.co_flags & _SUSPENDS

    def takes(self, function: FunctionNode) -> bool:
        """Whether the version can be made to do what `function` says."""
        return code_for(self.version, function) is not None

    def doing(self, function: FunctionNode) -> AbstractContextManager[bool]:
        """As long as the block lasts, runs do what `function` says."""
        return with_code(self.version, function)

    def beside(self, function: FunctionNode) -> "Runner | None":
        """A runner of the same version with what `function` says in the place of its own code."""
        version = slipped(self.version, function)
        if version is None:
            return None
        found = copy.copy(self)  # it is given the same, and looks at the same afterwards
        found.version, found._results, found._expressions = version, [], None
        return found

    def described(self, names: Iterable[str]) -> dict[str, Any]:
        """Those of the module's names that there are, described."""
        space = self.version.namespace
        return {name: state_of(space[name]) for name in names if name in space}

    def run(
        self, candidates: Candidates, choice: dict[str, Make], seconds: float = RUN_SECONDS
    ) -> tuple[Observation, World, set[tuple[int, bool]]]:
        """One run on one input: what was seen, the world it built, the outcomes it reached."""
        world = World(candidates, choice, self.version.namespace)
        world.on_record = self._recorded
        world.maker = self.version.function.__qualname__
        world.on_handed = functools.partial(hand_on, world, self.cage)
        args, kwargs = self.arguments(world)
        shown = {**{f"argument {i}": a for i, a in enumerate(args[: self.both_take])}, **kwargs}
        world.watch([*args, *kwargs.values()])
        held = parts_held([*args, *kwargs.values()])
        before_call = at_first(world, shown, held, self.version.namespace) if self.by_change else ()
        self.version.watcher.begin()
        with self._varying(world), self.farther.put_back(), self.surroundings.given(world):
            before, kept = self._state(), parts_kept(self._there.values())
            result, error, output = self.guarded(functools.partial(self._used_up, world, args, kwargs), seconds)
            if self.again and error is None and self._state() != before:
                self._once_more(world, args, kwargs, seconds)
            state = (*self._state(), *(("kept at first", Describer().of(part)) for part in kept))
        if not world.turns and (changed := world.handed_over.changed()):
            shown["what others were handed"] = changed
        if touched := world.touched():
            shown["what they hold"] = touched
        if held:
            shown[HELD] = [repr(Describer().of(part)) for part in held]
        world.died_at = line_of_death(error, self.version.function.__code__)
        reached = set(self.version.watcher.reached)
        return self._observed(world, result, error, (shown, before_call), output, state), world, reached

    def _recorded(self, recorded: int) -> None:
        """Code elsewhere is called: in what order with what is written, and it takes its time."""
        self._turns.note("calls", recorded)
        self.still.passes()

    def _used_up(self, world: World, args: list[Any], kwargs: dict[str, Any]) -> Any:
        result = used_up(self.version.function(*args, **kwargs), world, self.cage, awaited=self.both_await)
        use_what_was_handed_on(world, self.cage)
        use_what_is_held(world, self.cage, [*args, *kwargs.values()])
        return result

    def _state(self) -> tuple[tuple[str, Any], ...]:
        space = self.version.namespace
        told = ((name, state_of(space[name])) for name in self.globals if name in space)
        anew = ((name, "another object") for name in put_anew(self._there, space))
        return (*((name, state) for name, state in told if state), *anew, *self.farther.state())

    def _once_more(self, world: World, args: list[Any], kwargs: dict[str, Any], seconds: float) -> None:
        """The call has left something in the module: what it does then is part of what it does, also to others."""
        held = parts_kept(self._there.values())
        for given in (args, [beside(a) for a in args]):
            result, error, _ = self.guarded(functools.partial(self._used_up, world, given, kwargs), seconds)
            world.log.append(("called again", "", Describer().of(result), Describer().of(error)))
        world.log += [("held meanwhile", "", Describer().of(part)) for part in held]

    @contextmanager
    def _varying(self, world: World) -> Iterator[None]:
        """The module's names that functions bind anew stand as the input says; afterwards all stand as before."""
        namespace = self.version.namespace
        with self.keeping():
            for name in self.version.varying:
                if name in namespace and world.chosen(name).kind != "as it is":
                    namespace[name] = world.at(name)
            for name in self.filled:
                fill(namespace[name], name, world)
            self._there = {name: namespace.get(name) for name in self.globals}
            yield

    def keeping(self) -> AbstractContextManager[None]:
        """Afterwards the module's names stand for what they stood for, and hold what they held."""
        return keeping(self.version.namespace, {*self.version.varying, *self.filled, *self.globals})

    def _died_in(self, error: Any) -> str:
        """What the function was working out when an exception came up in it, and not in what it called."""
        return self._places().get(place_of_death(error, self.version.function.__code__, _OF_OURS), "")

    def _places(self) -> dict[Any, str]:
        """The expressions of the function by where they stand."""
        if self._expressions is None:
            nodes = [n for n in walk(self.version.node) if isinstance(n, ast.expr)]
            self._expressions = {(n.lineno, n.end_lineno, n.col_offset, n.end_col_offset): ast.dump(n) for n in nodes}
        return self._expressions

    def guarded(self, work: Callable[[], Any], seconds: float = RUN_SECONDS) -> tuple[Any, Any, str]:
        """What `work` gives, what it raises or how else it ends, and what it prints, in the cage."""
        self.cage.begin()
        result: Any = None
        error: Any = None
        self._turns = turns = Turns()
        output, errors = Output("output", turns), Output("standard error", turns)
        before = dict(os.environ)
        self.still.begin()
        HEARING.begin(turns)
        with captured(output, errors):
            try:
                with self.cage.timed(seconds):
                    result = work()
            except TimeUp:
                error = ENDLESS
            except RecursionError:
                error = ("RecursionError",)
            except MemoryError:
                error = ("MemoryError",)
            except BaseException as raised:
                error = raised
        self._environment = put_back(before)
        heard = HEARING.heard(), tuple(turns.told)
        self._said = without_addresses(errors.getvalue()[:100_000]), *heard, self.cage.left()
        return result, error, output.getvalue()

    def _observed(self, world: World, result: Any, error: Any, given: Any, output: str, state: Any) -> Observation:
        (shown, before), describe = given, Describer(error is None, world.handled, self.version.namespace, world.maker)
        arguments = changes(describe, shown, before) if self.by_change else describe.of(shown)
        described = describe.of(result)
        told_error = describe.of(error) if isinstance(error, BaseException) else error
        return Observation(
            described,
            told_error,
            arguments,
            tuple(world.log),
            without_addresses(output[:100_000]),
            tuple(self.cage.told),
            state,
            self._handed_out(result, shown),
            self._died_in(error),
            self._environment,
            *self._said,
            hidden=tuple(sorted(world.hidden | describe.hidden)),
        )

    def _handed_out(self, result: Any, shown: dict[str, Any]) -> bool:
        if not isinstance(result, list | dict | set | bytearray):
            return False
        if any(result is value for value in self.version.namespace.values()) or any(r is result for r in self._results):
            return True
        if not any(result is argument for argument in shown.values()) and len(self._results) < 200:
            self._results.append(result)
        return False

    def arguments(self, world: World) -> tuple[list[Any], dict[str, Any]]:
        """The arguments of a call, built in `world`."""
        args: list[Any] = []
        kwargs: dict[str, Any] = {}
        owner = self.version.owner
        for position, (own_name, parameter) in enumerate(self._signature.parameters.items()):
            name = self._aliases.get(own_name, own_name)
            if own_name in self.left_out:
                continue
            if position == 0 and owner is not None and (own_name in ("self", "cls", "mcs") or self._is_of_class(owner)):
                of_object = own_name == "self" and not self._is_of_class(owner)
                args.append((self._self if of_object else self._class)(world, name, owner))
                continue
            if position == 0 and name == "self" and self._like is not None:
                args.append(self._self(world, name, self._like))
                continue
            match parameter.kind:
                case parameter.VAR_POSITIONAL:
                    args += spread_at(world, name)
                case parameter.VAR_KEYWORD:
                    kwargs |= keywords_at(world, name)
                case parameter.KEYWORD_ONLY:
                    if self._given(world, name, parameter):
                        kwargs[name] = world.at(name)
                case _:
                    args.append(world.at(name))
        return args, kwargs

    def _is_of_class(self, owner: type) -> bool:
        return isinstance(inspect.getattr_static(owner, self.version.node.name, None), classmethod)

    def _given(self, world: World, name: str, parameter: inspect.Parameter) -> bool:
        if parameter.default is parameter.empty:
            return True
        return bool(world.answer(f"{name} given", (True, False)))

    def _one_below(self, world: World, name: str, owner: type) -> type:
        """The class itself, or one of the module that derives from it: it may bring methods of its own."""
        below = below_in_both(owner, self.version.namespace, self.there)
        if (made := self._class_below(owner)) is not None:
            below[BELOW] = made
        if not below or issubclass(owner, tuple | enum.Enum):
            return owner
        return below.get(world.answer(f"type({name})", (owner.__name__, *sorted(below)[:4])), owner)

    def _class_below(self, owner: type) -> type | None:
        if owner not in self._classes_below:
            self._classes_below[owner] = class_below(owner, self.asked_otherwise, self.itself_otherwise)
        return self._classes_below[owner]

    def _self(self, world: World, name: str, owner: type) -> Any:
        given = world.choice.get(name)
        if given is not None and given.kind == "recorded":
            return world.at(name)
        if issubclass(owner, enum.Enum) and len(owner):
            return self._member(world, name, owner)
        owner = self._one_below(world, name, owner)
        made = partial(world, name, owner)
        world.built[name] = made
        return made

    def _class(self, world: World, name: str, owner: type) -> type:
        """What a class method is called on: the class or one below it; for a metaclass a class made by it."""
        if not issubclass(owner, type):
            return self._one_below(world, name, owner)
        made = {n: k for n, k in self.version.namespace.items() if type(k) is owner}
        try:
            made["Made"] = owner("Made", (), {})
        except Exception:
            made.setdefault(owner.__name__, owner)
        return made[world.answer(f"which {name}", tuple(made)[-5:])]

    def _member(self, world: World, name: str, owner: type[enum.Enum]) -> Any:
        """A member of an enum by its name, as this version has it."""
        known = self.version.namespace.get(owner.__name__, owner)
        made = known[world.answer(f"which {name}", tuple(owner.__members__))]
        world.built[name] = made
        return made

    def _global_names(self) -> list[str]:
        return names_kept(self.version.function.__code__, self.version.owner, self.version.namespace)
