"""Writing values as Python source: literals where there are literals, else a few lines that build them."""

import dataclasses
import datetime
import decimal
import enum
import fractions
import math
import re
import sys
import types
import uuid
from collections import OrderedDict, defaultdict, deque
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import PurePath
from typing import Any

from dreck.trial.case import quoted
from dreck.trial.inputs.recipes import Make
from dreck.trial.playing.standins import StandIn
from dreck.trial.running.describe import state_of

_BY_REPR = (
    datetime.date,
    datetime.time,
    datetime.timedelta,
    decimal.Decimal,
    fractions.Fraction,
    uuid.UUID,
    range,
    complex,
    deque,
    OrderedDict,
)
_DEEP = 6
_LONG = 2_000


class Unwritable(Exception):
    """A value that no few lines of Python give; the message names it."""


@dataclass(slots=True)
class Writer:
    """Writes values and remembers what the lines need: imports, names of the module, helpers, set-up lines.

    `used` are the choices of the world the values were built in, for stand-ins, which only know their path.
    `known` are names for objects that exist already, by id.
    """

    module: str
    namespace: dict[str, Any]
    used: dict[str, Make] = field(default_factory=dict)
    built: Callable[[str], Any] | None = None
    imports: set[str] = field(default_factory=set)
    own: set[str] = field(default_factory=set)
    helpers: set[str] = field(default_factory=set)
    setup: list[str] = field(default_factory=list)
    known: dict[int, str] = field(default_factory=dict)
    shared: frozenset[int] = frozenset()
    taken: set[str] = field(default_factory=set)
    met: dict[int, int] = field(default_factory=dict)

    def of(self, value: Any, depth: int = 0) -> str:
        """`value` as an expression. Raises Unwritable."""
        if depth > _DEEP:
            raise Unwritable("something nested too deep")
        if _is_plain(value) or isinstance(value, type | types.FunctionType | types.BuiltinFunctionType):
            return self._of_real(value, depth)
        if id(value) in self.known:
            return self.known[id(value)]
        if not (isinstance(value, StandIn) and self._is_bare(value._dreck_path)):
            self.met[id(value)] = self.met.get(id(value), 0) + 1
        is_made_up = isinstance(value, StandIn)
        text = self._stand_in(value._dreck_path, depth) if is_made_up else self._of_real(value, depth)
        if id(value) in self.shared:
            text = self._named(value, text)
        return text

    def _named(self, value: Any, text: str) -> str:
        """Something met twice gets a name, so that it is the same object in both places."""
        path = value._dreck_path if isinstance(value, StandIn) else type(value).__name__
        base = re.sub(r"\W+", "_", path.rpartition(".")[2]).strip("_").lower() or "thing"
        name, number = base, 2
        while name in self.taken:
            name, number = f"{base}_{number}", number + 1
        self.taken.add(name)
        self.setup.append(f"{name} = {text}")
        self.known[id(value)] = name
        return name

    def _of_real(self, value: Any, depth: int) -> str:
        kind = type(value)
        if isinstance(value, enum.Enum):
            return self._member(value)
        if kind is float:
            return repr(value) if math.isfinite(value) else f'float("{value}")'
        if kind is str or kind is bytes:
            return self._short(quoted(value))
        if value is None or value is Ellipsis or kind in (bool, int, bytearray):
            return self._short(repr(value))
        if kind in (list, tuple, set, frozenset):
            return self._sequence(value, kind, depth)
        if kind is dict:
            pairs = (f"{self.of(k, depth + 1)}: {self.of(v, depth + 1)}" for k, v in value.items())
            return "{" + ", ".join(pairs) + "}"
        if kind is defaultdict:
            self.imports.add("from collections import defaultdict")
            factory = "None" if value.default_factory is None else self._name_of(value.default_factory)
            return f"defaultdict({factory}, {self.of(dict(value), depth + 1)})"
        if isinstance(value, type | types.FunctionType | types.BuiltinFunctionType):
            return self._name_of(value)
        if isinstance(value, types.ModuleType) and sys.modules.get(value.__name__) is value:
            self.imports.add(f"import {value.__name__}")
            return value.__name__
        if isinstance(value, BaseException):
            return f"{self._name_of(kind)}({', '.join(self.of(a, depth + 1) for a in value.args)})"
        if isinstance(value, re.Pattern):
            self.imports.add("import re")
            return f"re.compile({value.pattern!r})"
        if isinstance(value, (*_BY_REPR, PurePath)):
            return self._by_repr(value)
        if kind.__module__ == "unittest.mock":
            return self._mock(value)
        if kind.__module__ == "numpy":
            return self._numpy(value, depth)
        return self._object(value, depth)

    def _sequence(self, value: Any, kind: type, depth: int) -> str:
        items = [self.of(v, depth + 1) for v in value]
        if kind in (set, frozenset):
            items.sort()
        if len(items) > 200:
            raise Unwritable("a very long sequence")
        text = ", ".join(items)
        match kind.__name__:
            case "list":
                return f"[{text}]"
            case "tuple":
                return f"({text},)" if len(items) == 1 else f"({text})"
            case "set":
                return "{" + text + "}" if items else "set()"
        return "frozenset({" + text + "})" if items else "frozenset()"

    def _member(self, value: enum.Enum) -> str:
        kind = self._name_of(type(value))
        if value.name is None or value.name not in type(value).__members__:
            return f"{kind}({value.value!r})"
        return f"{kind}.{value.name}"

    def _by_repr(self, value: Any) -> str:
        kind = type(value)
        if kind.__module__ not in ("builtins",):
            self.imports.add(_import_of(kind))
        text = repr(value)
        if " object at 0x" in text:
            raise Unwritable(f"a {kind.__name__}")
        return self._short(text)

    def _mock(self, value: Any) -> str:
        """What lines written here have made before: a sentinel, or a part of `calls`."""
        if kind_is_sentinel(type(value)):
            self.imports.add("from unittest.mock import sentinel")
            return f"sentinel.{value.name}"
        name = value._extract_mock_name()
        return "calls" + str(name).partition("mock")[2].replace("()", ".return_value")

    def _numpy(self, value: Any, depth: int) -> str:
        self.imports.add("import numpy as np")
        if hasattr(value, "tolist") and value.ndim:
            return f"np.array({self.of(value.tolist(), depth + 1)}, dtype={str(value.dtype)!r})"
        return f"np.{type(value).__name__}({self.of(value.item(), depth + 1)})"

    def _name_of(self, thing: Any) -> str:
        """A class or function by its name, imported from where it lives."""
        name, home = getattr(thing, "__qualname__", ""), getattr(thing, "__module__", None)
        if not name or "<" in name:
            raise Unwritable(f"{name or type(thing).__name__}, which has no name to import")
        first, *others = name.split(".")
        if home == "builtins":
            return str(name)
        if self._same_thing(self.namespace.get(first), others, thing):
            self.own.add(first)
            return str(name)
        module = sys.modules.get(home or "")
        if module is None or not self._same_thing(getattr(module, first, None), others, thing):
            raise Unwritable(f"{name}, which cannot be imported")
        self.imports.add(f"from {home} import {first}")
        return str(name)

    def _same_thing(self, found: Any, others: list[str], thing: Any) -> bool:
        for part in others:
            found = getattr(found, part, None)
        return found is thing

    # --- objects -----------------------------------------------------------------------------------

    def _object(self, value: Any, depth: int) -> str:
        kind = own_kind(type(value))
        state = state_of(value)
        path = vars(type(value)).get("_dreck_path")
        if path is not None:
            state = {**self._attributes(path, depth), **state}
        if isinstance(value, tuple) and hasattr(kind, "_fields"):
            parts = (f"{n}={self.of(v, depth + 1)}" for n, v in zip(kind._fields, value, strict=True))
            return f"{self._name_of(kind)}({', '.join(parts)})"
        if kind is types.SimpleNamespace:
            self.imports.add("from types import SimpleNamespace")
            return f"SimpleNamespace({self._keywords(state, depth)})"
        if isinstance(value, int | float | str | bytes | tuple | list | dict | set):
            raise Unwritable(f"a {kind.__qualname__}, a subclass of a built-in type")
        if kind is object:
            return "object()"
        name = self._name_of(kind)
        if dataclasses.is_dataclass(kind) and _by_constructor(kind, state):
            return f"{name}({self._keywords(state, depth)})"
        if kind.__module__ in sys.stdlib_module_names:
            raise Unwritable(f"a {kind.__qualname__}")
        self.helpers.add("made")
        given = self._keywords(state, depth)
        return f"made({name}, {given})" if given else f"made({name})"

    def _keywords(self, state: dict[str, Any], depth: int) -> str:
        if any(not str(name).isidentifier() for name in state):
            raise Unwritable("an attribute whose name is no identifier")
        return ", ".join(f"{name}={self.of(value, depth + 1)}" for name, value in state.items())

    def _attributes(self, path: str, depth: int) -> dict[str, Any]:
        """What the world decided for attributes of the object at `path`."""
        assert self.built is not None
        found = {}
        for name in self._below(path, "."):
            if name.isidentifier():
                found[name] = self.built(f"{path}.{name}")
        return found

    # --- stand-ins ---------------------------------------------------------------------------------

    def _below(self, path: str, mark: str) -> list[str]:
        """The first parts that follow `path` in the choices: attribute names, keys in brackets, or calls."""
        found: dict[str, None] = {}
        for other in self.used:
            if not other.startswith(path + mark):
                continue
            rest = other[len(path) + len(mark) :]
            end = re.match(r"\w+", rest) if mark == "." else re.match(r"[^\]]*\]", rest) if mark == "[" else None
            if end:
                found[end.group()] = None
            elif mark == "(":
                found[rest[:1]] = None
        return list(found)

    def _stand_in(self, path: str, depth: int) -> str:
        assert self.built is not None
        asked = [q for q in self.used if q.endswith(f" in {path}")]
        attributes, keys = self._below(path, "."), self._below(path, "[")
        if "__enter__" in attributes and f"{path}.__enter__()" in self.used:
            self.imports.add("from contextlib import nullcontext")
            return f"nullcontext({self.of(self.built(f'{path}.__enter__()'), depth + 1)})"
        truth = self.used.get(f"bool({path})")
        if "await" in attributes or asked or (truth is not None and not truth.what):
            return self._odd_stand_in(path, asked)
        if f"len({path})" in self.used or keys:
            return self._items(path, keys, attributes, depth)
        if self._below(path, "(") or self.used.get(f"{path}()") is not None:
            return self._callable(path, depth)
        if not attributes:
            return self._sentinel(path)
        self.imports.add("from types import SimpleNamespace")
        return f"SimpleNamespace({self._keywords(self._attributes(path, depth), depth)})"

    def _is_bare(self, path: str) -> bool:
        marks = (f"{path}.", f"{path}[", f"{path}(", f"len({path})", f"bool({path})")
        return not any(other.startswith(marks) or other.endswith(f" in {path}") for other in self.used)

    def _sentinel(self, path: str) -> str:
        """An object of which nothing is asked but who it is."""
        self.imports.add("from unittest.mock import sentinel")
        return "sentinel." + (re.sub(r"\W+", "_", path).strip("_") or "thing")

    def _odd_stand_in(self, path: str, asked: list[str]) -> str:
        """Only asked whether it is true: something plain that is."""
        if not asked and not self._below(path, ".") and not self._below(path, "["):
            self.imports.add("from unittest.mock import MagicMock")
            return 'MagicMock(**{"__bool__.return_value": False})'
        raise Unwritable(f"{path}, an object asked in ways no plain object answers")

    def _items(self, path: str, keys: list[str], attributes: list[str], depth: int) -> str:
        assert self.built is not None
        if attributes or f"{path}()" in self.used:
            raise Unwritable(f"{path}, both a container and an object")
        names = [key[:-1] for key in keys]
        if all(name.isdigit() for name in names):
            length = self.used.get(f"len({path})")
            count = int(length.what) if length else 1 + max(map(int, names), default=-1)
            return f"[{', '.join(self.of(self.built(f'{path}[{i}]'), depth + 1) for i in range(count))}]"
        if all(name[:1] in "'\"" for name in names):
            return "{" + ", ".join(f"{n}: {self.of(self.built(f'{path}[{n}]'), depth + 1)}" for n in names) + "}"
        raise Unwritable(f"{path}, indexed by other objects")

    def _callable(self, path: str, depth: int) -> str:
        """A recording stand-in below one parent, so that the order of all calls can be pinned."""
        assert self.built is not None
        self.imports.add("from unittest.mock import Mock, call")
        if "calls = Mock()" not in self.setup:
            self.setup.append("calls = Mock()")
        name = "calls." + re.sub(r"\W+", "_", path.replace("self.", "")).strip("_")
        answer = self.used.get(f"{path}()")
        if answer is not None and answer.kind == "raise":
            self.setup.append(f"{name}.side_effect = {self._error(str(answer.what))}")
        elif answer is not None:
            awaited = f"{path}().await"
            if awaited in self.used:
                self.imports.add("from unittest.mock import AsyncMock")
                self.setup.append(f"{name} = AsyncMock(return_value={self.of(self.built(awaited), depth + 1)})")
            else:
                self.setup.append(f"{name}.return_value = {self.of(self.built(f'{path}()'), depth + 1)}")
        return name

    def _error(self, name: str) -> str:
        first, *others = name.split(".")
        found = self.namespace.get(first)
        if found is None:
            import builtins

            found = getattr(builtins, first, None)
        for part in others:
            found = getattr(found, part, None)
        if not isinstance(found, type):
            return 'RuntimeError("made up")'
        return f'{self._name_of(found)}("made up")'

    def _short(self, text: str) -> str:
        if len(text) > _LONG:
            raise Unwritable("a very long value")
        return text


def _is_plain(value: Any) -> bool:
    return value is None or isinstance(value, bool | int | float | str | bytes | enum.Enum)


def kind_is_sentinel(kind: type) -> bool:
    return kind.__module__ == "unittest.mock" and kind.__name__ == "_SentinelObject"


def own_kind(kind: type) -> type:
    """The class a twin made for the world stands for."""
    return kind.__bases__[0] if "_dreck_path" in vars(kind) else kind


def _import_of(kind: type) -> str:
    if kind.__module__ == "datetime":
        return "import datetime"
    return f"from {'pathlib' if issubclass(kind, PurePath) else kind.__module__} import {kind.__name__}"


def _by_constructor(kind: Any, state: dict[str, Any]) -> bool:
    """Whether giving the fields to the constructor makes the same object."""
    names = [f.name for f in dataclasses.fields(kind)]
    return (
        set(names) == set(state)
        and all(f.init for f in dataclasses.fields(kind))
        and not hasattr(kind, "__post_init__")
        and "__init__" in vars(kind)
    )
