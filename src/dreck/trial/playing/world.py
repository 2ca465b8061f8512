"""The world of one input: what stands at each path, built afresh for each version from the same choices."""

import contextlib
import copy
import dataclasses
import enum
import functools
import io
import json
import math
import operator
from collections import deque
from collections.abc import Callable
from types import MappingProxyType
from typing import Any

from dreck.trial.inputs.candidates import Candidates, SetUp
from dreck.trial.inputs.plain import BELOW, a_member
from dreck.trial.inputs.recipes import A_CALL, LATER, Make, Unpickler, general
from dreck.trial.playing.changes import another, changed, equal_to, parts_of
from dreck.trial.playing.examples import EXAMPLES, NO_EXAMPLE, example_of, of_both
from dreck.trial.playing.handed import Handed
from dreck.trial.playing.keys import below_dict, mapping_at
from dreck.trial.playing.live import live_parts
from dreck.trial.playing.mishaps import Failing, made_up
from dreck.trial.playing.partial import partial
from dreck.trial.playing.patience import Patience, later_on
from dreck.trial.playing.standins import StandIn
from dreck.trial.playing.touched import Touched
from dreck.trial.running.describe import Describer
from dreck.trial.sandbox.cage import TimeUp

_MISSING = object()
_PLAIN_VALUES = (bool, int, float, str, bytes, type(None))
_LOOKS_AROUND = frozenset({"call", "leave", "await"})
_MOST_TURNS = 2


class World:
    """One input being played for one version: builds what stands at a path on first look, and keeps a log."""

    def __init__(self, candidates: Candidates, choice: dict[str, Make], namespace: dict[str, Any]) -> None:
        self.candidates = candidates
        self.choice = choice
        self.namespace = namespace
        self.built: dict[str, Any] = {}
        self.used: dict[str, Make] = {}
        self.log: list[Any] = []
        self.on_record: Callable[[int], None] | None = None
        self.maker = ""
        """The name of the function that is tried."""
        self.on_handed: Callable[[str, list[Any]], None] | None = None
        self._touched = Touched()
        self.handed_over = Handed(namespace.get("__name__"))
        self.handed: list[tuple[str, list[Any]]] = []
        """What code elsewhere was handed, and uses once the function has come to its end."""
        self.handled: set[int] = set()
        """The places of things that are told by what they do."""
        self.used_up: set[int] = set()
        """The places of those that have been used."""
        self.hidden: set[str] = set()
        """Kinds of things that others were given, and that nobody can look into."""
        self.met: set[tuple[str, str]] = set()
        """Where things made up stand that were asked whether they are equal, and were not."""
        self.died_at = 0
        self.kinds: dict[str, type] = {}
        """The classes of objects made up attribute by attribute."""
        self.turns = 0
        """How often objects have changed behind the back of the code."""
        self.beyond: list[Callable[[], None]] = []
        self.patience = Patience()
        self._watched: list[Any] = []
        self._looked: Any = None
        self._looking = False

    def at(self, path: str, keep: Any = None) -> Any:
        """What stands at `path`."""
        if path in self.built:
            return self.built[path]
        make = self.chosen(path)
        value = self.built[path] = self.build(path, make)
        self._touched.made(path, value)
        return value

    def touched(self) -> dict[str, Any]:
        """Containers below arguments that the code has changed, by path; none once others have changed objects."""
        return self._touched.changed() if not self.turns else {}

    def chosen(self, path: str) -> Make:
        if len(path) > _LONGEST_PATH or len(self.used) > _MOST_PATHS:
            raise TimeUp  # it looks for the end of something made up that has none
        base = path.rstrip(LATER)
        options = self.candidates.at(base)  # what fits is learnt there, whatever is chosen
        make = self.choice.get(path)
        if make is None:
            make = later_on(self.choice.get(base), options, len(path) - len(base))
        self.used[path] = make
        return make

    def answer(self, question: str, values: tuple[Any, ...]) -> Any:
        self.candidates.offered(question.rstrip(LATER), values)
        return self.chosen(question).what

    def is_asked(self, path: str, name: str) -> bool:
        """Whether the code itself asks what stands at `path` for an attribute, and not only Python does."""
        usage = self.candidates.usages.by_path.get(general(path))
        return usage is not None and name in usage.attributes

    def is_mapping(self, path: str) -> bool:
        """Whether the code takes what stands there for a mapping: asks it for `[key]` or `in`, and for `get`."""
        usage = self.candidates.usages.by_path.get(general(path))
        return usage is not None and usage.subscripted and "get" in usage.methods

    def hint(self, path: str, value: Any) -> None:
        self.candidates.hint(path, value)

    def record(self, what: str, path: str, *values: Any) -> None:
        if self._looking:
            return  # only because something is described: its `repr` asks for what is made up
        if len(self.log) >= _LONGEST_LOG:
            raise TimeUp  # a loop that asks stand-ins for ever
        if self.on_record is not None:
            self.on_record(len(self.log))
        self._looking = True
        try:
            describe = Describer(handled=self.handled, module=self.namespace, maker=self.maker)
            self.log.append((what, path, *(describe.of(v) for v in values)))
            self.hidden |= describe.hidden
            if what == "call":
                self.handed_over.note(path, (*values[0], *values[1].values()))
            if what in _LOOKS_AROUND:
                self._look()
        finally:
            self._looking = False

    def called(self, path: str, args: tuple[Any, ...], kwargs: dict[str, Any]) -> Any:
        handed = self.live_in((args, kwargs))
        self.record("call", path, args, kwargs)
        if handed and self.on_handed is not None:
            self.on_handed(path, handed)
        if self.answer(A_CALL, ("nothing", "the objects")) == "the objects":
            self.change_objects()
        return self._answered(f"{path}()")

    def live_in(self, whole: Any) -> list[Any]:
        """What in it can do or give something: it is told by what it does from now on."""
        found = live_parts(whole, self.namespace)
        self.handled.update(map(id, found))
        return found

    def _answered(self, path: str) -> Any:
        """What a call gives: another thing once objects have changed; an error it may also raise only later on."""
        self.patience.note(path)
        if self.chosen(path).kind == "raise":
            first = self.answer(f"{path} raises at call", (1, 2))
            if self.patience.calls[path] < first:
                return self.built.setdefault(f"{path} before", StandIn(self, path))
        return self.at(self.patience.answer(path, self.turns))

    # --- what others see and do meanwhile ----------------------------------------------------------

    def watch(self, arguments: list[Any]) -> None:
        """These are looked at whenever code elsewhere is called: it may know them, too."""
        self._watched = [a for a in arguments if not isinstance(a, (StandIn, type, *_PLAIN_VALUES))]
        self._looked = self._seen_now()

    def _seen_now(self) -> Any:
        touched = [t] if (t := self.touched()) else []
        return tuple(Describer().of(value) for value in (*self._watched, *touched))

    def _look(self) -> None:
        if (now := self._seen_now()) != self._looked:
            self._looked = now
            self.log.append(("meanwhile", "the arguments are", *now))

    def change_objects(self) -> None:
        """What is called, or whoever drives a generator, changes the objects it may know."""
        self.turns += 1
        if self.turns <= _MOST_TURNS:
            for value in [*self._watched, *self._parts()]:
                changed(value, self.candidates.usages.steady)
            for path, value in list(self.built.items()):
                self._change_parts(path.rstrip(LATER), value)
            for change in self.beyond:
                change()
            self.candidates.usages.held_steady |= bool(self._watched and self.candidates.usages.steady)
            for name in [n for n, make in self.used.items() if n in self.namespace and make.kind == "as it is"]:
                known = self.candidates.usages.known(name).constants
                self.namespace[name] = self.at(name + self._turn()) if known else another(self.namespace[name])
        self._looked = self._seen_now()

    def _turn(self) -> str:
        return LATER * min(self.turns, _MOST_TURNS)

    def _change_parts(self, path: str, value: Any) -> None:
        """Parts of a real object that code compares with something: they may be what it asks for, later on."""
        if isinstance(value, StandIn):
            return
        by_path, steady = self.candidates.usages.by_path, self.candidates.usages.steady
        for name, key, put in parts_of(value):
            part = f"{path}{name}"
            if key not in steady and (usage := by_path.get(general(part))) is not None and usage.constants:
                with contextlib.suppress(AttributeError, TypeError):  # what cannot be set stays
                    put(self.at(part + self._turn()))

    def _parts(self) -> list[Any]:
        """Containers that objects hold: whoever is called may have them, too."""
        return [v for path, v in self.built.items() if "." in path and isinstance(v, list | dict | set)]

    def read(self, path: str, keep: Any = None) -> Any:
        """An attribute of something made up: as it was, or as it is after a change; methods stay."""
        whole, _, name = path.rpartition(".")
        turn = min(self.turns, _MOST_TURNS)
        usage = self.candidates.usages.by_path.get(general(whole))
        is_method = usage is not None and name in usage.methods
        stays = is_method or name in self.candidates.usages.steady
        self.candidates.usages.held_steady |= bool(turn) and stays and not is_method
        return self.at(path if not turn or stays else path + LATER * turn, keep)

    def made_up_error(self) -> BaseException:
        """An exception that the code itself waits for, when it waits for one."""
        names = tuple(dict.fromkeys([*self.candidates.usages.caught, "ValueError"]))
        return made_up(self.answer("what is thrown in", names), self._named)

    # --- building ----------------------------------------------------------------------------------

    def build(self, path: str, make: Make) -> Any:
        """What a recipe gives at `path`."""
        match make.kind:
            case "value":
                if isinstance(make.what, _MUTABLE) or type(make.what).__module__ == "numpy":
                    return copy.copy(make.what)
                if type(make.what) is float and math.isnan(make.what):
                    return math.nan  # the very same one in each world: a key is found by what it is
                return self._own_member(make.what)
            case "named":
                return self._named(str(make.what))
            case "any member":
                return a_member(self._named(str(make.what)))
            case "flags":
                kind = self._named(make.what[0])
                return functools.reduce(operator.or_, (kind[name] for name in make.what[1]), kind(0))
            case "recorded":
                return Unpickler(make.what, self.namespace).load()
            case "same":
                return self.at(make.what)
            case "equal":
                return equal_to(self.at(make.what))
            case "as set up":
                return self._as_set_up(path)
            case "list":
                return [self.at(f"{path}[{i}]") for i in range(make.what)]
            case "set":
                return {self._hashable(f"{path}[{i}]") for i in range(make.what)}
            case "tuple":
                return tuple(self.at(f"{path}#{i}") for i in range(make.what))
            case "deque":
                return deque(self.at(f"{path}[{i}]") for i in range(make.what))
            case "proxy":
                return MappingProxyType(mapping_at(self, path))
            case "below dict":
                return below_dict(self, path, *make.what)
            case "buffer":
                return io.StringIO(make.what) if isinstance(make.what, str) else io.BytesIO(make.what)
            case "iterator":
                return iter([self.at(f"{path}[{i}]") for i in range(make.what)])
            case "failing":
                items, error = make.what
                return Failing([self.at(f"{path}[{i}]") for i in range(items)], made_up(error, self._named))
            case "json":
                return json.dumps(self.at(f"{path}(json)"), default=repr)
            case "below":
                return BELOW[make.what]()
            case "dict":
                return mapping_at(self, path)
            case "exact":
                return self._exactly(path, str(make.what))
            case "instance":
                return self._instance(path, str(make.what))
            case "both":
                return of_both(*map(self._named, make.what))
            case "class":
                return self._of_class(path, self.own_class(make.what))
            case "raise":
                raise made_up(str(make.what), self._named)
        return StandIn(self, path)

    def set_up(self, path: str, kind: type, how: SetUp) -> Any:
        """A new object of `kind`, its constructor called with what stands at `path(parameter)`."""
        args = [self.at(f"{path}({name})") for name in how.needed]
        given = [n for n in how.optional if self.answer(f"{path}({n}) given", (False, True))]
        made = kind(*args, **{name: self.at(f"{path}({name})") for name in given})
        if hasattr(kind, "__del__"):
            self.candidates.kept.append(made)
        return made

    def may_raise(self, place: str) -> None:
        """Something made up is at its end, or is asked for an item: it may raise what the code waits for."""
        errors = self.candidates.errors
        if errors and (error := self.answer(place, ("nothing", *errors))) != "nothing":
            raise made_up(error, self._named)

    def _as_set_up(self, path: str) -> Any:
        """The attribute as the constructor of the object it belongs to leaves it."""
        whole, _, attribute = path.rpartition(".")
        made = f"{whole} as set up"
        try:
            if made not in self.built:
                kind = self.kinds[whole]
                self.built[made] = self.set_up(whole, kind, self.candidates.set_ups[kind.__qualname__])
            return getattr(self.built[made], attribute)
        except Exception:
            return StandIn(self, path)

    def _hashable(self, path: str) -> Any:
        value = self.at(path)
        return repr(value) if isinstance(value, list | dict | set) else value

    def _own_member(self, value: Any) -> Any:
        """A member of an enum that both versions define for themselves, as this version knows it."""
        if not isinstance(value, enum.Enum):
            return value
        kind = self._named(type(value).__qualname__)
        if kind is type(value) or not (isinstance(kind, type) and issubclass(kind, enum.Enum)):
            return value
        return kind.__members__.get(value.name, value)

    def own_class(self, kind: type) -> type:
        """The class of that name in this version's own module."""
        found = self._named(kind.__qualname__)
        return found if isinstance(found, type) else kind

    def _named(self, name: str) -> Any:
        first, *others = name.split(".")
        found = self.namespace.get(first, _MISSING)
        if found is _MISSING:
            import builtins

            found = getattr(builtins, first, None)
        for part in others:
            found = getattr(found, part, None)
        return found

    def _exactly(self, path: str, name: str) -> Any:
        """An object whose class is the very one, with the attributes that are looked at set."""
        kind = self._named(name)
        if not isinstance(kind, type) or kind in EXAMPLES or kind.__flags__ & _BUILT_IN_LAYOUT:
            return self._instance(path, name)
        try:
            made: Any = object.__new__(kind)
            start, usages = general(path) + ".", self.candidates.usages
            own = {p[len(start) :] for p in usages.by_path if p.startswith(start)}
            whole = usages.known(general(path))
            asked = sorted(own | (whole.attributes - whole.methods))
            for attribute in asked:
                if attribute.isidentifier() and not hasattr(kind, attribute):
                    object.__setattr__(made, attribute, self.at(f"{path}.{attribute}"))
        except Exception:
            return self._instance(path, name)
        return made

    def _instance(self, path: str, name: str) -> Any:
        kind = self._named(name)
        if not isinstance(kind, type):
            return StandIn(self, path)
        example = example_of(kind)
        return self._of_class(path, kind) if example is NO_EXAMPLE else example

    def _of_class(self, path: str, kind: type) -> Any:
        if dataclasses.is_dataclass(kind):
            return self._dataclass(path, kind)
        if issubclass(kind, tuple) and hasattr(kind, "_fields"):
            return kind(*(self.at(f"{path}.{name}") for name in kind._fields))
        return partial(self, path, kind)

    def _field(self, path: str, field: Any) -> Any:
        """A field the function never looks at has its default, unless the object is looked at as a whole."""
        usages = self.candidates.usages
        if not self.candidates.is_seen_whole(path) and general(f"{path}.{field.name}") not in usages.by_path:
            if field.default is not dataclasses.MISSING:
                return field.default
            if field.default_factory is not dataclasses.MISSING:
                return field.default_factory()
        return self.at(f"{path}.{field.name}")

    def _dataclass(self, path: str, kind: Any) -> Any:
        made = object.__new__(kind)
        for field in dataclasses.fields(kind):
            self.candidates.read(f"{path}.{field.name}", kind)
            with contextlib.suppress(AttributeError):  # it is not there
                object.__setattr__(made, field.name, self._field(path, field))
        return made


_BUILT_IN_LAYOUT = 0b1111_1111 << 24
"""Flags of classes that derive from int, list, tuple, bytes, str, dict, an exception or type (CPython's object.h)."""
_LONGEST_LOG = 600
_LONGEST_PATH = 300
_MOST_PATHS = 1_500
_MUTABLE = (list, set, dict, bytearray, deque)
