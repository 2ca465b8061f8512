"""The world of one input: what stands at each path, built afresh for each version from the same choices."""

import builtins
import copy
import dataclasses
import datetime
import decimal
import enum
import fractions
import inspect
import io
import math
import pickle
import re
import typing
from pathlib import PurePath
from typing import Any

from dreck.evidence.matching import matched_by
from dreck.evidence.observe import Describer
from dreck.evidence.standins import StandIn, general
from dreck.evidence.usage import Named, Usage, Usages

_STRING_METHODS = frozenset(
    [
        "startswith",
        "endswith",
        "upper",
        "lower",
        "strip",
        "lstrip",
        "rstrip",
        "split",
        "rsplit",
        "splitlines",
        "isdigit",
        "isalpha",
        "isupper",
        "islower",
        "isspace",
        "isalnum",
        "title",
        "capitalize",
        "casefold",
        "zfill",
        "partition",
        "rpartition",
        "encode",
        "removeprefix",
        "removesuffix",
        "replace",
        "join",
        "format",
        "find",
        "rfind",
        "ljust",
        "rjust",
        "center",
        "expandtabs",
        "translate",
        "swapcase",
        "isidentifier",
        "isnumeric",
        "isdecimal",
        "isascii",
    ]
)
_LIST_METHODS = frozenset(["append", "extend", "sort", "insert", "reverse"])
_DICT_METHODS = frozenset(["items", "keys", "values", "setdefault"])
_MISSING = object()


def _is_mapping(u: Usage) -> bool:
    return (
        bool(u.key_paths)
        and not u.indexed
        and u.methods <= {"get", "pop", "setdefault"}
        and not u.attributes - u.methods
    )


@dataclasses.dataclass(frozen=True, slots=True)
class Make:
    """A recipe: `value` (as it is), `named`, `list`, `tuple`, `dict`, `instance`, `stand-in`."""

    kind: str
    what: Any = None

    def __repr__(self) -> str:
        match self.kind:
            case "value":
                return repr(self.what)
            case "list" | "tuple" | "set":
                return f"a {self.kind} of {self.what}"
            case "exact":
                return f"an instance of {self.what} itself"
            case "instance":
                return f"an instance of {self.what}"
            case "class":
                return f"an instance of {self.what.__name__}"
            case "raise":
                return f"raises {self.what}"
            case "named":
                return str(self.what)
            case "recorded":
                return recorded_repr(self.what)
        return f"a {self.kind}"


def played(call: dict[str, str]) -> dict[str, Make]:
    """The choice that puts recorded arguments (pickled, in hex, by parameter) where they came in."""
    return {name: Make("recorded", data) for name, data in call.items()}


class _Unpickler(pickle.Unpickler):
    """Recorded arguments, with the classes of the version that runs: the other one has its own."""

    def __init__(self, data: str, namespace: dict[str, Any]) -> None:
        super().__init__(io.BytesIO(bytes.fromhex(data)))
        self.namespace = namespace

    def find_class(self, module: str, name: str) -> Any:
        if module == self.namespace.get("__name__"):
            found: Any = self.namespace.get(name.partition(".")[0])
            for part in name.split(".")[1:]:
                found = getattr(found, part, None)
            if found is not None:
                return found
        return super().find_class(module, name)


def recorded_repr(data: str) -> str:
    """A recorded argument as people read it, cut to a line."""
    text = repr(pickle.loads(bytes.fromhex(data)))
    return text if len(text) <= 120 else text[:117] + "..."


class Candidates:
    """For each path, what may stand there, most plausible first. Learns from runs what paths are compared with."""

    def __init__(
        self,
        usages: Usages,
        namespace: dict[str, Any],
        types: dict[str, Any],
        extra: dict[str, list[Make]] | None = None,
    ) -> None:
        """`types` are annotations by path; `extra` what else is plausible there, such as defaults."""
        self.usages = usages
        self.namespace = namespace
        self.types = types
        self.extra = extra or {}
        self._known: dict[str, list[Make]] = {}
        self._hints: dict[str, list[Any]] = {}

    def at(self, path: str) -> list[Make]:
        name = general(path)
        found = self._known.get(name)
        if found is None:
            found = self._known[name] = self._unique(self._made(name))
        return found

    def hint(self, path: str, value: Any) -> None:
        """A run has compared what stands at `path` with `value`."""
        if isinstance(value, StandIn) or not isinstance(value, int | float | str | bytes | enum.Enum | tuple):
            return
        name = general(path)
        hints = self._hints.setdefault(name, [])
        if value not in hints and len(hints) < 24:
            hints.append(value)
            known = self.at(path)
            known += [m for m in self._around(value, True) if m not in known]

    def offered(self, path: str, values: tuple[Any, ...]) -> None:
        """Answers of a stand-in that no usage tells of, such as its length."""
        self._known.setdefault(general(path), [Make("value", v) for v in values])

    def _unique(self, makes: list[Make]) -> list[Make]:
        found: dict[str, Make] = {}
        for make in makes:
            found.setdefault(f"{make.kind} {type(make.what).__name__} {make.what!r}", make)
        return list(found.values())

    def _made(self, name: str) -> list[Make]:
        extra = self.extra.get(name, [])
        plausible = self._plausible(name)
        first = any(make.kind == "as it is" for make in extra) or self.usages.at(name) == Usage()
        made = [*extra, *plausible] if first else [*plausible, *extra]
        if "AttributeError" in self.usages.caught and "." in name and not name.endswith((")", "]")):
            made.append(Make("raise", "AttributeError"))
        if name.endswith("()"):
            made += [Make("raise", error) for error in self.usages.caught]
        return made

    def _plausible(self, name: str) -> list[Make]:
        usage = self.usages.by_path.get(name) or self._by_last_part(name)
        if name in self.types:
            return self._of_type(self.types[name], usage, name)
        return self._of_usage(usage, name)

    def _by_last_part(self, name: str) -> Usage:
        """A path the function does not name itself is used as its like: same last attribute."""
        last = "." + name.rpartition(".")[2]
        for path, usage in self.usages.by_path.items():
            if "." in name and path.endswith(last):
                return usage
        return Usage()

    # --- by use ------------------------------------------------------------------------------------

    def _of_usage(self, u: Usage, name: str) -> list[Make]:
        if u.awaited:
            return [Make("stand-in")]
        if u.mapped:
            return [Make("dict")]
        made: list[Make] = []
        for value in u.constants:
            made += self._around(value, u.ordered or u.arithmetic)
        made += [Make("exact" if k in u.exact else "instance", k) for k in self._family(u.classes)]
        made += [Make("value", text) for pattern in u.patterns for text in (*self._matched(pattern), "text", "")]
        made += self._of_methods(u, name)
        if u.arithmetic or u.ordered:
            made += [Make("value", v) for v in (2, 1, 0, -1, 10, 1000, 2.5)]
            made += self._scalars()
        if u.iterated or u.indexed or u.sizes:
            made += self._lists(u)
        if u.attributes - _STRING_METHODS - _LIST_METHODS - _DICT_METHODS - {"get", "pop"}:
            made.insert(len(made) if u.classes else 0, Make("stand-in"))
        if u.called:
            made.insert(0, Make("stand-in"))
        if not made and u.tested_truth:
            made += [Make("value", v) for v in (True, False, None, 3, 0, "text", "")]
        elif not made:
            made += [Make("stand-in"), Make("value", 3), Make("value", "text")]
        elif u.tested_truth:
            made += [Make("value", v) for v in (None, 0, "")]
        if u.converted:
            made += [Make("value", v) for v in ("12", "text", None)]
        if u.hashed:
            made.append(Make("value", []))
        if u.classes:  # one stranger
            made += [Make("stand-in"), Make("value", None)]
        if u.tested_none:
            made.append(Make("value", None))
            if all(m.kind == "value" and m.what is None for m in made):
                made.insert(0, Make("stand-in"))
        if u.ordered and not any(isinstance(m.what, str) for m in made if m.kind == "value"):
            made.append(Make("value", math.nan))
        return made + self._last_resorts(made, u)

    def _last_resorts(self, made: list[Make], u: Usage) -> list[Make]:
        """What the use does not speak of, but code elsewhere may ask for: a string, a number, a list."""
        kinds = {type(m.what) for m in made if m.kind == "value"}
        if (
            u.classes
            or u.called
            or u.attributes - _STRING_METHODS
            or {"list", "tuple"} & {m.kind for m in made} == {"tuple"}
        ):
            return []
        found = [Make("value", v) for v in ("text", 3) if type(v) not in kinds]
        return found if any(m.kind == "list" for m in made) or u.indexed else [*found, Make("list", 2), Make("list", 0)]

    def _matched(self, pattern: Any) -> list[str]:
        found = self._lookup(pattern.name) if isinstance(pattern, Named) else pattern
        if isinstance(found, re.Pattern):
            return matched_by(found.pattern, found.flags)
        return matched_by(found) if isinstance(found, str) else []

    def _of_methods(self, u: Usage, name: str) -> list[Make]:
        made: list[Make] = []
        texts = [c for c in u.contains if isinstance(c, str)]
        if u.methods & _STRING_METHODS:
            made += [Make("value", v) for t in texts for v in (t, t + "x", "x" + t, f"x{t}y", t + t)]
            made += [Make("value", f"{a}x{b}") for a in texts for b in texts if a != b]
            made += [Make("value", f"x{t}y{t}z") for t in texts]
            made += [Make("value", v) for v in ("text", "", "12", "A b", " ")]
        elif u.keys or u.methods & _DICT_METHODS or (u.contains and "get" in u.methods) or _is_mapping(u):
            made.append(Make("dict"))
        elif u.contains and not u.attributes:
            made += [Make("value", [c]) for c in u.contains] + [Make("value", [])]
            made += [Make("value", list(u.contains))] + [Make("value", t) for t in texts]
        elif u.methods & _LIST_METHODS:
            made += self._lists(u)
        return made

    def _lists(self, u: Usage) -> list[Make]:
        tuples = [-n for n in u.sizes if n < 0]
        sizes = [n + d for n in u.sizes if n >= 0 for d in (0, 1, -1) if 0 <= n + d <= 210]
        made = [Make("tuple", n) for n in tuples]
        return made + [Make("list", n) for n in dict.fromkeys([2, 1, 0, 3, *sizes])]

    def _around(self, value: Any, ordered: bool) -> list[Make]:
        """A constant and its neighbours on both sides."""
        match value:
            case Named(name=name):
                return self._around_named(name, ordered)
            case bool():
                return [Make("value", v) for v in (value, not value, int(value), int(not value))]
            case int():
                return [Make("value", v) for v in (value, value + 1, value - 1)]
            case float():
                if math.isnan(value) or math.isinf(value):
                    return [Make("value", value)]
                return [Make("value", v) for v in (value, value + 0.5, value - 0.5)]
            case str():
                return [Make("value", v) for v in (value, value + "x", "")]
            case enum.Enum():
                return [Make("value", m) for m in (value, *(m for m in type(value) if m is not value))]
        return [Make("value", value)]

    def _around_named(self, name: str, ordered: bool) -> list[Make]:
        found = self._lookup(name)
        if found is _MISSING or isinstance(found, type):
            return []
        if isinstance(found, enum.Enum):
            members = [found, *(m for m in type(found) if m is not found)]
            return [Make("named", f"{type(m).__qualname__}.{m.name}") for m in members]
        if isinstance(found, int | float | str):
            return self._around(found, ordered)
        if isinstance(found, list | tuple | set | frozenset) and len(found) < 30:
            return [m for v in sorted(found, key=repr) for m in self._around(v, ordered)]
        if isinstance(found, dict) and len(found) < 30:
            return [m for v in found for m in self._around(v, ordered)]
        return [Make("named", name)]

    def _scalars(self) -> list[Make]:
        """Numbers of numpy, for a module that works with it."""
        np = next((v for v in self.namespace.values() if getattr(v, "__name__", "") == "numpy"), None)
        return [Make("value", np.float64(2.5)), Make("value", np.int64(3))] if np is not None else []

    def _family(self, kinds: list[str]) -> list[str]:
        """The classes asked for, as far as the old version knows them, and those that derive from them."""
        known = [k for k in kinds if self._lookup(k) is not _MISSING or hasattr(builtins, k)]
        own = [(name, found) for name, found in self.namespace.items() if isinstance(found, type)]
        below = [
            name
            for kind in known
            if isinstance(base := self._lookup(kind), type)
            for name, found in own
            if base is not object and found is not base and _derives(found, base) and name not in known
        ]
        return list(dict.fromkeys([*known, *below[:6]]))

    def _lookup(self, name: str) -> Any:
        first, *others = name.split(".")
        found = self.namespace.get(first, _MISSING)
        for part in others:
            found = getattr(found, part, _MISSING)
        return found

    # --- by annotation -----------------------------------------------------------------------------

    def _of_type(self, kind: Any, u: Usage, name: str) -> list[Make]:
        origin, args = typing.get_origin(kind), typing.get_args(kind)
        if origin is typing.Union or type(kind).__name__ == "UnionType":
            return [m for arg in args for m in self._of_type(arg, u, name)]
        if origin is typing.Literal:
            return [Make("value", a) for a in args]
        if kind is None or kind is type(None):
            return [Make("value", None)]
        if kind is typing.Any or isinstance(kind, typing.TypeVar):
            return self._of_usage(u, name)
        base = getattr(origin or kind, "real", None) if type(kind).__name__ == "Held" else origin or kind
        if not isinstance(base, type):
            return [Make("stand-in")]
        return self._of_class(base, args, u, name)

    def _of_class(self, kind: type, args: tuple[Any, ...], u: Usage, name: str) -> list[Make]:
        near = [m for c in u.constants for m in self._around(c, True)]
        fits = [m for m in near if m.kind == "named" or type(m.what) is kind]
        if kind in _PLAIN:
            if kind is str:
                fits += [Make("value", text) for pattern in u.patterns for text in self._matched(pattern)]
                fits += [m for m in self._of_methods(u, name) if isinstance(m.what, str)]
            if kind is float:
                fits += [Make("value", float(m.what)) for m in near if type(m.what) is int]
            return fits + [Make("value", v) for v in _PLAIN[kind]]
        if issubclass(kind, enum.Enum):
            return (
                [Make("named", f"{kind.__qualname__}.{m.name}") for m in kind]
                if self._found(kind)
                else [Make("value", m) for m in kind]
            )
        if kind.__module__ == "numpy":
            return _of_numpy(kind, near)
        if kind in (list, set, frozenset, tuple) or (
            kind.__module__ == "collections.abc" and kind.__name__ != "Callable"
        ):
            return self._of_container(kind, args, u, name)
        if kind.__module__ in ("builtins", "collections.abc"):
            return [Make("stand-in")]
        self._learn_fields(kind, name)
        return [Make("class", kind)]

    def _of_container(self, kind: type, args: tuple[Any, ...], u: Usage, name: str) -> list[Make]:
        if kind.__name__ in ("Mapping", "MutableMapping"):
            return [Make("dict")]
        if args and args[0] is not Ellipsis:
            self.types.setdefault(f"{name}[]", args[0])
        shape = "tuple" if kind is tuple else "set" if kind in (set, frozenset) else "list"
        if shape == "tuple" and args and args[-1] is not Ellipsis:
            return [Make("tuple", len(args))]
        return [Make(shape, m.what) for m in self._lists(u) if m.kind == "list"]

    def _found(self, kind: type) -> bool:
        return self._lookup(kind.__qualname__) is kind

    def _learn_fields(self, kind: type, name: str) -> None:
        try:
            hints = typing.get_type_hints(kind)
        except Exception:
            return
        for field, hint in hints.items():
            self.types.setdefault(f"{name}.{field}", hint)


_PLAIN: dict[type, tuple[Any, ...]] = {
    int: (1, 0, -1, 2, 10, 1000),
    float: (1.0, 0.0, -1.0, 2.5, 1000.0, math.nan),
    str: ("text", "", "A", "12"),
    bool: (True, False),
    bytes: (b"text", b""),
    complex: (1j, 0j),
    object: (3, "text", None),
    datetime.date: (datetime.date(2024, 2, 29), datetime.date(2025, 1, 1), datetime.date(1999, 12, 31)),
    datetime.datetime: (datetime.datetime(2024, 2, 29, 12, 30), datetime.datetime(1999, 12, 31, 23, 59)),
    datetime.timedelta: (datetime.timedelta(1), datetime.timedelta(0), datetime.timedelta(-1)),
    datetime.time: (datetime.time(12, 30), datetime.time(0)),
    decimal.Decimal: (decimal.Decimal("1.5"), decimal.Decimal(0), decimal.Decimal(-1)),
    PurePath: (PurePath("a/b.txt"), PurePath(".")),
    dict: (),
}


class World:
    """One input being played for one version: builds what stands at a path on first look, and keeps a log."""

    def __init__(self, candidates: Candidates, choice: dict[str, Make], namespace: dict[str, Any]) -> None:
        self.candidates = candidates
        self.choice = choice
        self.namespace = namespace
        self.built: dict[str, Any] = {}
        self.used: dict[str, Make] = {}
        self.log: list[Any] = []
        self.died_at = 0

    def at(self, path: str, keep: Any = None) -> Any:
        """What stands at `path`."""
        if path in self.built:
            return self.built[path]
        make = self.chosen(path)
        value = self.built[path] = self.build(path, make)
        return value

    def chosen(self, path: str) -> Make:
        make = self.choice.get(path)
        if make is None:
            options = self.candidates.at(path)
            make = options[0] if options else Make("stand-in")
        self.used[path] = make
        return make

    def answer(self, question: str, values: tuple[Any, ...]) -> Any:
        self.candidates.offered(question, values)
        return self.chosen(question).what

    def hint(self, path: str, value: Any) -> None:
        self.candidates.hint(path, value)

    def record(self, what: str, path: str, *values: Any) -> None:
        if len(self.log) < 2_000:
            describe = Describer()
            self.log.append((what, path, *(describe.of(v) for v in values)))

    def called(self, path: str, args: tuple[Any, ...], kwargs: dict[str, Any]) -> Any:
        self.record("call", path, args, kwargs)
        return self.at(f"{path}()")

    # --- building ----------------------------------------------------------------------------------

    def build(self, path: str, make: Make) -> Any:
        """What a recipe gives at `path`."""
        match make.kind:
            case "value":
                if isinstance(make.what, list) or type(make.what).__module__ == "numpy":
                    return copy.copy(make.what)
                return self._own_member(make.what)
            case "named":
                return self._named(str(make.what))
            case "recorded":
                return _Unpickler(make.what, self.namespace).load()
            case "list":
                return [self.at(f"{path}[{i}]") for i in range(make.what)]
            case "set":
                return {self._hashable(f"{path}[{i}]") for i in range(make.what)}
            case "tuple":
                return tuple(self.at(f"{path}[{i}]") for i in range(make.what))
            case "dict":
                return self._dict(path)
            case "exact":
                return self._exactly(path, str(make.what))
            case "instance":
                return self._instance(path, str(make.what))
            case "class":
                return self._of_class(path, self._mine(make.what))
            case "raise":
                raise self._error(str(make.what))
        return StandIn(self, path)

    def _error(self, name: str) -> BaseException:
        kind = self._named(name)
        if not (isinstance(kind, type) and issubclass(kind, BaseException)):
            return RuntimeError("made up")
        try:
            return kind("made up")
        except Exception:
            return kind.__new__(kind)

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

    def _mine(self, kind: type) -> type:
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

    def _dict(self, path: str) -> dict[Any, Any]:
        usage = self.candidates.usages.at(general(path))
        keys = dict.fromkeys([*usage.keys, *(c for c in usage.contains if isinstance(c, str | int))])
        if usage.key_paths and not keys:
            return self._looked_up(path, usage.key_paths)
        if not keys:
            size = self.answer(f"len({path})", (2, 1, 0))
            return {f"key{i}": self.at(f"{path}[{i}]") for i in range(size)}
        return {key: self.at(f"{path}[{key!r}]") for key in keys if self.answer(f"{key!r} in {path}", (True, False))}

    def _looked_up(self, path: str, key_paths: list[str]) -> dict[Any, Any]:
        """A mapping in which inputs are looked up: it holds them, or does not."""
        made: dict[Any, Any] = {}
        for number, key_path in enumerate(key_paths):
            if "{}" in key_path or "#" in key_path or "()" in key_path:
                continue
            key_path = key_path.replace("[]", "[0]")
            key = self.at(key_path)
            if isinstance(key, int | str | float | tuple | enum.Enum | StandIn | None) and self.answer(
                f"{key_path} in {path}", (True, False)
            ):
                made[key] = self.at(f"{path}[{number}]")
        return made

    def _exactly(self, path: str, name: str) -> Any:
        """An object whose class is the very one, with the attributes that are looked at set."""
        kind = self._named(name)
        if not isinstance(kind, type) or kind in _EXAMPLES or kind.__flags__ & _BUILT_IN_LAYOUT:
            return self._instance(path, name)
        try:
            made: Any = object.__new__(kind)
            start = general(path) + "."
            asked = [p[len(start) :] for p in self.candidates.usages.by_path if p.startswith(start)]
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
        if kind in _EXAMPLES:
            return _EXAMPLES[kind]() if callable(_EXAMPLES[kind]) else _EXAMPLES[kind]
        if inspect.isabstract(kind) or kind.__module__ in _ABSTRACT_HOMES:
            for example in _ABSTRACT_EXAMPLES:
                if isinstance(example, kind):
                    return copy.copy(example)
        return self._of_class(path, kind)

    def _of_class(self, path: str, kind: type) -> Any:
        if dataclasses.is_dataclass(kind):
            return self._dataclass(path, kind)
        if issubclass(kind, tuple) and hasattr(kind, "_fields"):
            return kind(*(self.at(f"{path}.{name}") for name in kind._fields))
        return partial(self, path, kind)

    def _field(self, path: str, field: Any) -> Any:
        """A field the function never looks at has its default."""
        if general(f"{path}.{field.name}") not in self.candidates.usages.by_path:
            if field.default is not dataclasses.MISSING:
                return field.default
            if field.default_factory is not dataclasses.MISSING:
                return field.default_factory()
        return self.at(f"{path}.{field.name}")

    def _dataclass(self, path: str, kind: Any) -> Any:
        values = {f.name: self._field(path, f) for f in dataclasses.fields(kind)}
        made = object.__new__(kind)
        for name, value in values.items():
            object.__setattr__(made, name, value)
        return made


_EXAMPLES: dict[type, Any] = {
    int: 3,
    float: 2.5,
    str: "text",
    bytes: b"text",
    bool: True,
    list: list,
    dict: dict,
    set: set,
    tuple: (),
    type(None): None,
    complex: 1j,
    type: int,
}


def _anything(*args: Any) -> None:
    """A plain function, for code that asks for one."""


_ABSTRACT_HOMES = ("numbers", "collections.abc", "os", "io", "_io", "types", "typing")
_ABSTRACT_EXAMPLES: tuple[Any, ...] = (
    3, fractions.Fraction(1, 2), 2.5, "text", ["text"], {"key": "text"}, {1}, b"text", PurePath("a"),
    io.StringIO("text"), io.BytesIO(b"text"), math, len, math.isnan, _anything, iter([1]),
)  # fmt: skip


_BUILT_IN_LAYOUT = 0b1111_1111 << 24
"""Flags of classes that derive from int, list, tuple, bytes, str, dict, an exception or type (CPython's object.h)."""


def partial(world: World, path: str, kind: type) -> Any:
    """An object of class `kind` that was never set up: its methods are real, its attributes decided by path."""

    def missing(self: Any, name: str) -> Any:
        if name.startswith("__") and name.endswith("__"):
            raise AttributeError(name)
        return world.at(f"{path}.{name}")

    try:
        body: dict[str, Any] = {
            "__getattr__": missing,
            "_dreck_path": path,
            "__module__": kind.__module__,
            "__qualname__": kind.__qualname__,
        }
        meta: Any = type(kind)
        twin = meta(kind.__name__, (kind,), body)
        if issubclass(kind, BaseException):
            return twin()
        try:
            return object.__new__(twin)
        except TypeError:
            return twin.__new__(twin)
    except Exception:
        return StandIn(world, path)


def _of_numpy(kind: Any, near: list[Make]) -> list[Make]:
    """Arrays of one and two dimensions, empty too; of a scalar type, numbers near those the code names."""
    import numpy as np

    if issubclass(kind, np.ndarray):
        shapes: list[Any] = [[1.0, -2.0, 3.5], [], [0.0], [[1.0, 2.0], [3.0, 4.0]], [1, 2, 3], [math.nan, 1.0]]
        numbers = sorted({m.what for m in near if type(m.what) in (int, float)})
        return [Make("value", np.array(shape)) for shape in ([numbers, *shapes] if numbers else shapes)]
    made = []
    for number in (*(m.what for m in near if m.kind == "value"), 1, 0, -1, 2.5, math.nan):
        try:
            made.append(Make("value", kind(number)))
        except (TypeError, ValueError, OverflowError):
            continue
    return made or [Make("stand-in")]


def _derives(kind: type, base: type) -> bool:
    try:
        return issubclass(kind, base)
    except Exception:
        return False
