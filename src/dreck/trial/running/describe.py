"""Describing values so that two runs can be compared: by type and value, floats bit by bit, shared parts told."""

import copy
import datetime
import decimal
import enum
import hashlib
import math
import re
import types
from collections.abc import Collection, Iterable, Mapping, Sequence
from pathlib import Path, PurePath
from typing import Any

from dreck.trial.playing.addresses import without_places
from dreck.trial.playing.live import LEFT_TO_SEE
from dreck.trial.playing.standins import StandIn
from dreck.trial.running.content import OF_MODULE, beside_args, content_of, held_by, hides_something, in_slots, named
from dreck.trial.sandbox.cage import TimeUp

_LIMIT = 2_000_000
"""So many parts of a value are described. A longer one is not compared: it would be passed without being looked at."""
_LONG = 200
"""Containers of more items than this are told by their length and a digest of all items."""
_UNORDERED = re.compile(r"'[<>]=?' not supported between instances of '(.+)' and '(.+)'")
_IN_PLACE = re.compile(r"(unsupported operand type\(s\) for [^\s=]+)=(: .*)")
_TRACED = re.compile(r'(  File "[^"\n]*", line )\d+([^\n]*)(?:\n {4,}[^\n]*)*')
_WRITTEN = (datetime.date, datetime.time, datetime.timedelta, datetime.tzinfo, decimal.Decimal)
"""What objects below these are is told by how they are written, beside what attributes say."""
_OWN_PLACE = str(Path(__file__).parents[2])
_OWN_FRAME = re.compile(rf'  File "{re.escape(_OWN_PLACE)}[^"\n]*", line \d+[^\n]*\n(?: {{4,}}[^\n]*\n)*')
"""How deep below a trial the code runs is no difference of what is done."""
_PLAYED_BY = "dreck.trial.playing.world"
_OF_ENUMS = frozenset({"_name_", "_value_", "_sort_order_", "__objclass__", "_inverted_"})
_PLACES: list[str] = []
"""Folders in which the two versions lie: that they are two is no difference of what is done."""


def hide_places(places: Iterable[str]) -> None:
    _PLACES[:] = sorted({place for place in places if len(place) > 1}, key=len, reverse=True)


class TooLong(Exception):
    """A value has too many parts to be described as a whole."""


class Describer:
    """Describes values of one run. Things met twice are told by number, so shared structure shows."""

    def __init__(
        self,
        left: bool = True,
        handled: Collection[int] = (),
        module: Mapping[str, Any] | None = None,
        maker: str = "",
    ) -> None:
        """`left`: what is left of iterators is told, too. `handled`: the places of what is told by its use.

        `module`: functions that this module has made, and that no name in it stands for, hide what they do, unless
        they hold nothing, and another one than the `maker` has made them.
        """
        self.hidden: set[str] = set()
        """Kinds of things met that keep something nobody can look at."""
        self._left_told = left
        self._handled = handled
        self._module = module
        self._maker = f"{maker}.<locals>."
        self._seen: dict[int, int | str] = {}
        self._told_by_path = 0
        self._kept: list[Any] = []
        self._left = _LIMIT

    def tell_by_path(self, paths: Mapping[int, str]) -> None:
        """From now on these are told by their paths, and what else was described is described anew."""
        self._seen, self._told_by_path = dict(paths), len(paths)

    def of(self, value: Any) -> Any:
        """`value` as nested tuples and strings; equal descriptions mean no difference a caller could see."""
        self._left -= 1
        if self._left < 0:
            raise TooLong(f"a value of more than {_LIMIT} parts cannot be compared")
        try:
            return self._of(value)
        except (TooLong, RecursionError, MemoryError, TimeUp):
            raise
        except BaseException as error:  # it plays another object, and cannot
            return (type(value).__qualname__, f"<cannot be looked at: {type(error).__name__}>")

    def _of(self, value: Any) -> Any:
        if type(value) is str:
            return ("str", without_addresses(value))
        if type(value) is int and value.bit_length() > _WRITTEN_OUT:
            return (_OF_MANY_DIGITS, hex(value))
        if value is None or isinstance(value, bool) or type(value) in (int, bytes):
            return (type(value).__name__, value)
        if type(value) is float:
            return ("float", "nan" if math.isnan(value) else value.hex())
        if isinstance(value, StandIn):
            state = {k: v for k, v in vars(value).items() if not k.startswith("_dreck_")}
            if id(value) in self._seen:
                return ("stand-in", value._dreck_path)
            self._seen[id(value)] = len(self._seen) - self._told_by_path
            self._kept.append(value)
            return ("stand-in", value._dreck_path, self._pairs(state)) if state else ("stand-in", value._dreck_path)
        number = self._seen.get(id(value))
        if number is not None:
            return ("same as", number)
        self._seen[id(value)] = len(self._seen) - self._told_by_path
        self._kept.append(value)
        return self._compound(value)

    def _compound(self, value: Any) -> Any:
        kind = type(value)
        name = self._named(kind)
        if isinstance(value, type | types.FunctionType | types.BuiltinFunctionType | types.ModuleType):
            if self._is_made_inside(value):
                self.hidden.add("class" if isinstance(value, type) else "function")
            whose = getattr(value, "__self__", None)
            if isinstance(value, types.BuiltinFunctionType) and not isinstance(whose, types.ModuleType | type | None):
                return (name, value.__qualname__, self.of(whose))
            return (name, without_addresses(self._named(value)))
        if isinstance(value, types.MethodType):
            return (name, value.__func__.__qualname__, self.of(value.__self__))
        if isinstance(value, types.MethodWrapperType):
            return (name, value.__name__, self.of(value.__self__))
        if isinstance(value, types.GeneratorType | types.CoroutineType | types.AsyncGeneratorType):
            return (name, value.__name__)  # in which function it was made is nobody's business
        if kind.__module__ == _PLAYED_BY:
            return (name, "the world of this input")  # whoever asks a thing made up for all its attributes meets it
        if kind.__module__ == "unittest.mock":
            return ("mock", _plain_repr(value))
        if isinstance(value, dict):
            if kind is dict:
                return (name, self._pairs(value), ())
            made_by = getattr(value, "default_factory", None)
            whole = ("dict", self._pairs(value), ())
            return (name, whole, self._state(value), *([("made by", self.of(made_by))] if made_by is not None else []))
        if isinstance(value, list | tuple):
            return (name, self._items(value), self._state(value))
        if isinstance(value, set | frozenset):
            items, state = tuple(sorted((self.of(v) for v in value), key=repr)), self._state(value)
            return (name, items, state) if state else (name, items)
        if kind in LEFT_TO_SEE and self._left_told:
            return (name, (("left", ("list", self._items(list(copy.copy(value))), ())),))
        if isinstance(value, BaseException):
            if kind is TypeError and (odd := _UNORDERED.fullmatch(str(value))):
                # `not a > b` and `a <= b` fail alike; only Python's words for it tell them apart.
                return (name, f"cannot be ordered: {' and '.join(sorted(odd.groups()))}")
            kept = self._by_name({**beside_args(value), **self._held(value)})
            in_place = _IN_PLACE.fullmatch(str(value)) if kind is TypeError and not kept else None
            # `x += y` and `x + y` of what has no `+` fail alike, too
            args = (f"{in_place[1]}{in_place[2]}",) if in_place else value.args
            return (name, self.of(args), kept, *self._chain(value))
        if isinstance(value, enum.Enum) and value.name is not None:
            own = {k: v for k, v in vars(value).items() if k not in _OF_ENUMS}
            return ("member", f"{name}.{value.name}", self.of(value.value), self._pairs(own))
        if isinstance(value, PurePath) and kind.__module__.partition(".")[0] == "pathlib":
            return (name, f"({value.as_posix()!r})")  # what it has worked out of itself so far is nobody's business
        if isinstance(value, int | str | float | bytes | complex):
            return (name, repr(_builtin_base(kind).__repr__(value)), self._state(value))
        return self._of_object(value, name)

    def _of_object(self, value: Any, name: str) -> Any:
        """Its attributes, and what else it holds; else what it says of itself."""
        if id(value) in self._handled or isinstance(value, LEFT_TO_SEE):
            return (name, _plain_repr(value))
        state = self._state(value)
        content = content_of(value)
        if content is not None:
            return (name, self._pairs(content), *([state] if state else []))
        if hides_something(value):
            self.hidden.add(name)
        if not state or isinstance(value, _WRITTEN):
            return (name, _plain_repr(value), *([state] if state else []))
        return (name, state)

    def _named(self, thing: Any) -> str:
        """The name of a class or function; where the module means something else by it, the one it is known by, too."""
        name, space = named(thing), self._module
        if space is None or getattr(thing, "__module__", None) != space.get("__name__") or space.get(name) is thing:
            return name
        known = next((known for known, value in space.items() if value is thing), "")
        return known if known and name == "<lambda>" else f"{name}, known as {known}" if known else name

    def _is_made_inside(self, value: Any) -> bool:
        """Whether it is a function, or a class, that a function of the module has made."""
        space = self._module
        if space is None or id(value) in self._handled or not isinstance(value, type | types.FunctionType):
            return False
        is_inner = "<locals>" in value.__qualname__ and value.__module__ == space.get("__name__")
        if isinstance(value, types.FunctionType) and not value.__qualname__.startswith(self._maker):
            is_inner = is_inner and bool(value.__closure__ or value.__defaults__ or value.__kwdefaults__)
        return is_inner and not any(known is value for known in space.values())

    def _chain(self, error: BaseException) -> tuple[Any, ...]:
        """What an exception was raised from, and while which other one was handled."""
        found: list[Any] = []
        if error.__cause__ is not None:
            found.append(("raised from", self.of(error.__cause__)))
        if error.__context__ is not None and not error.__suppress_context__:
            found.append(("raised while", self.of(error.__context__)))
        return tuple(found)

    def _items(self, value: Sequence[Any]) -> Any:
        if len(value) <= _LONG:
            return tuple(self.of(v) for v in value)
        return self._digest(len(value), (self.of(v) for v in value))

    def _pairs(self, value: dict[Any, Any]) -> Any:
        own = (pair for pair in value.items() if not (type(pair[0]) is str and pair[0].startswith("_dreck_")))
        pairs = ((self.of(k), self.of(v)) for k, v in own)
        return tuple(pairs) if len(value) <= _LONG else self._digest(len(value), pairs)

    def _digest(self, count: int, parts: Iterable[Any]) -> Any:
        found = hashlib.sha256()
        for part in parts:
            found.update(repr(part).encode(errors="surrogatepass") + b"\0")
        return (("items", f"<{count} items>"), ("digest", f"<{found.hexdigest()}>"))

    def _state(self, value: Any) -> Any:
        return self._by_name(self._held(value))

    def _by_name(self, state: dict[str, Any]) -> Any:
        return self._pairs({name: state[name] for name in sorted(state, key=str)}) if state else ()

    def _held(self, value: Any) -> dict[str, Any]:
        state = {k: v for k, v in held_by(value).items() if not str(k).startswith("_dreck_")}
        state |= in_slots(value)
        world = vars(type(value)).get("_dreck_world")
        if world is not None:
            state = {k: v for k, v in state.items() if not _is_unchanged(world, f"{type(value)._dreck_path}.{k}", v)}
        return state


def without_addresses(text: str) -> str:
    """A text without the places in memory that objects are told by, the lines of code a traceback shows, and the
    folders in which the versions lie."""
    if _OWN_PLACE in text:
        text = _OWN_FRAME.sub("", text)
    for place in _PLACES:
        text = text.replace(place, "…")
    if "Traceback (most recent call last)" in text:
        text = _TRACED.sub(r"\1…\2", text)
    return without_places(text)


def _is_unchanged(world: Any, path: str, value: Any) -> bool:
    """Whether an attribute was only set to what it was: nobody can see that."""
    try:
        before = world.at(path)
    except TimeUp:
        raise
    except BaseException:
        return False
    plain = isinstance(value, bool | int | float | str | bytes | type(None))
    return before is value or (plain and type(before) is type(value) and repr(before) == repr(value))


def _builtin_base(kind: type) -> Any:
    return next(base for base in kind.__mro__ if base in (int, str, float, bytes, complex))


def _plain_repr(value: Any) -> str:
    kind = type(value)
    if not any("__repr__" in vars(parent) for parent in kind.__mro__[:-1]):
        return f"<{kind.__qualname__} object>"
    try:
        text = repr(value)
    except TimeUp:
        raise
    except BaseException as error:  # what it holds may be made up, and raise an exit
        return f"<no repr: {type(error).__name__}>"
    return without_addresses(text)


def state_of(value: Any) -> dict[str, Any]:
    """What an object holds, by attribute: its dictionary and its slots."""
    state = {k: v for k, v in held_by(value).items() if not str(k).startswith("_dreck_")}
    return state | {k: v for k, v in in_slots(value).items() if k not in ("__dict__", "__weakref__")}


_OF_MANY_DIGITS = "int of many digits"
_WRITTEN_OUT = 10_000
"""Numbers of more bits may have more digits than Python writes out."""
_CHAINED = ("raised from", "raised while", "made by")


_HOME = re.compile(rf"[\w.]+{OF_MODULE}")


def shown(description: Any) -> str:
    """A description as people read it."""
    return _HOME.sub("", _written(description))


def shown_whole(description: Any) -> str:
    """The same with the modules of what has a name in one."""
    return _written(description).replace(OF_MODULE, ".")


def _written(description: Any) -> str:
    match description:
        case ("NoneType", _):
            return "None"
        case ("float", "nan"):
            return "nan"
        case ("float", str() as text):
            return repr(float.fromhex(text))
        case ("bool" | "int" | "str" | "bytes", value):
            return repr(value)
        case ("int of many digits", str() as text):
            return f"{text[:12]}… ({len(text) - 2} hexadecimal digits)"
        case ("list", tuple() as items, ()):
            return f"[{', '.join(map(_written, items))}]"
        case ("tuple", tuple() as items, ()):
            return f"({', '.join(map(_written, items))}{',' if len(items) == 1 else ''})"
        case ("dict", tuple() as pairs, ()):
            return "{" + ", ".join(f"{_written(k)}: {_written(v)}" for k, v in pairs) + "}"
        case ("stand-in", path, *_):
            return f"<{_in_words(path)}>"
        case ("member", text, value, state):
            return f"<{text}: {_written(value)}{_holding(state)}>"
        case ("same as", _):
            return "<an object that was there before>"
        case (name, str() as text):
            if text.startswith("("):
                return f"{name}{text}"
            return text if text.startswith("<") or "(" in text else f"{name} {text}"
        case (name, tuple() as state) if all(isinstance(p, tuple) and len(p) == 2 for p in state):
            return f"{name}({', '.join(f'{_bare(k)}={_written(v)}' for k, v in state)})"
        case (name, inner, *rest):
            chain = [f", {r[0]} {_written(r[1])}" for r in rest if isinstance(r, tuple) and r[:1] and r[0] in _CHAINED]
            holds = _holding(rest[0]) if rest else ""
            return f"{name}{_written(inner) if isinstance(inner, tuple) else inner}{holds}{''.join(chain)}"
    return str(description)


def _holding(state: Any) -> str:
    """What an exception, or an object of a class below a built-in one, holds beside its value."""
    is_state = isinstance(state, tuple) and state and all(isinstance(p, tuple) and len(p) == 2 for p in state)
    return f" with {', '.join(f'{_bare(k)}={_written(v)}' for k, v in state)}" if is_state else ""


def _in_words(path: str) -> str:
    """What stands at a path, said as people would: `load.weigh()` is what `load.weigh(…)` gave."""
    plain = path.replace(".await.value", "").replace("()", "(…)")
    return f"what {plain} gave" if plain.endswith("(…)") else plain


def _bare(key: Any) -> str:
    return str(key[1]) if isinstance(key, tuple) and key and key[0] == "str" else _written(key)
