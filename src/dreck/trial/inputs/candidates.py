"""Candidates: what may plausibly stand at a path of an input, by how it is used and by its annotation."""

import builtins
import dataclasses
import datetime
import decimal
import enum
import math
import os
import typing
from typing import Any

from dreck.trial.inputs.library import WRITTEN_NUMBERS, is_path, near_parts, paths_of
from dreck.trial.inputs.near import (
    MISSING,
    between,
    derives,
    is_below,
    is_of_keys,
    is_plain,
    last_resorts,
    of_patterns,
    sums_of_flags,
)
from dreck.trial.inputs.plain import BELOW, DICT_METHODS, HUGE, LIST_METHODS, PLAIN, STRING_METHODS, WORDED, of_numpy
from dreck.trial.inputs.recipes import LATER, Make, distinct
from dreck.trial.inputs.textual import Textual, as_octets, as_text, says_octets
from dreck.trial.inputs.usage import Usages
from dreck.trial.inputs.uses import Usage
from dreck.trial.playing.standins import general
from dreck.trial.surely import is_class

_EARLY = 9
"""So early stands what is no number: only the first dozen is tried everywhere."""
_FAR = 2
_DEEPEST = 3
"""Lists in lists in lists; no deeper."""


@dataclasses.dataclass(frozen=True, slots=True)
class SetUp:
    """How objects of a class are set up: what its constructor needs and takes, and what it leaves.

    `first` is what it ran through with, `attributes` what it leaves with what else may stand there; a `whole`
    object has no parts to be chosen: its class makes it in one. `used` tells what is done with the arguments.
    """

    kind: str
    needed: tuple[str, ...]
    optional: tuple[str, ...]
    first: tuple[Make, ...]
    attributes: tuple[tuple[str, tuple[Make, ...]], ...]
    whole: bool
    used: tuple[tuple[str, Usage], ...]
    types: tuple[tuple[str, Any], ...] = ()
    """What is said of the arguments, and of attributes (`.kilos`) that are arguments, as far as it is plain."""


class Candidates(Textual):
    """For each path, what may stand there, most plausible first. Learns from runs what paths are compared with."""

    def __init__(
        self,
        usages: Usages,
        namespace: dict[str, Any],
        types: dict[str, Any],
        extra: dict[str, list[Make]] | None = None,
    ) -> None:
        """`types` are annotations by path; `extra` what else is plausible there, such as defaults."""
        super().__init__(usages, namespace)
        self.types = types
        self.extra = extra or {}
        self.set_ups: dict[str, SetUp] = {}
        """By the name of the class, of those whose constructor runs through."""
        self.kept: list[Any] = []
        """Objects that would do something when they are forgotten, in the middle of another run."""
        self._wanted_at: dict[str, bool] = {}
        self._set_up_at: set[tuple[str, str]] = set()
        self._known: dict[str, list[Make]] = {}
        self._hints: dict[str, list[Any]] = {}

    def at(self, path: str) -> list[Make]:
        name = general(path)
        name = name if name in self._known else name.rstrip(LATER)
        found = self._known.get(name)
        if found is None:
            found = self._known[name] = distinct(self._made(name))
        return found

    def hint(self, path: str, value: Any) -> None:
        """A run has compared what stands at `path` with `value`."""
        if value is None or not is_plain(value):
            return
        name = general(path).rstrip(LATER)
        hints = self._hints.setdefault(name, [])
        if value not in hints and len(hints) < 24:
            hints.append(value)
            known = self.at(path)
            near = [*self._around(value, True), *between([value])]
            known += [m for m in near if m not in known]

    def offered(self, path: str, values: tuple[Any, ...]) -> None:
        """Answers of a stand-in that no usage tells of, such as its length."""
        self._known.setdefault(general(path), [Make("value", v) for v in values])

    def offer(self, path: str, set_up: SetUp) -> None:
        """An object set up that way stands at `path`: its arguments and attributes may be chosen."""
        name = general(path)
        if (name, set_up.kind) in self._set_up_at:
            return
        self._set_up_at.add((name, set_up.kind))
        for part, kind in set_up.types:
            self.types.setdefault(f"{name}{part}" if part[0] == "." else f"{name}({part})", kind)
        for parameter, usage in set_up.used:
            self.usages.at(f"{name}({parameter})").join(usage)
        for parameter, make in zip(set_up.needed, set_up.first, strict=False):
            self._prefer(f"{name}({parameter})", (make,))
        for attribute, others in set_up.attributes:
            self._prefer(f"{name}.{attribute}", (Make("as set up", set_up.kind), *others))

    def offer_as_it_is(self, path: str) -> None:
        """What stands at `path` without any choice is a candidate, and the first."""
        if (general(path), "") not in self._set_up_at:
            self._set_up_at.add((general(path), ""))
            self._prefer(general(path), (Make("as it is"),))

    def want(self, path: str, makes: tuple[Make, ...]) -> None:
        """A run has died of what stands at `path`; these would have done."""
        known = self.at(path)
        if not self._wanted_at.get(general(path)):
            self._wanted_at[general(path)] = True
            known[1:1] = [m for m in makes if m not in known[:4]]

    def _prefer(self, name: str, makes: tuple[Make, ...]) -> None:
        known = self.at(name)
        known[:] = distinct([*makes, *known])

    def _made(self, name: str) -> list[Make]:
        extra = self.extra.get(name, [])
        plausible = self._plausible(name)
        first = any(make.kind == "as it is" for make in extra) or self.usages.known(name) == Usage()
        made = [*extra, *plausible] if first else [*plausible, *extra]
        made.sort(key=lambda make: make.kind != "class")
        if name.count("[") > _DEEPEST:
            made = [m for m in made if m.kind not in ("list", "tuple", "set", "dict")] or [Make("stand-in")]
        if name.count(".") >= _FAR and (self.usages.known(name).tested_none or self._by_last_part(name).tested_none):
            made.sort(key=lambda make: make.kind != "value" or make.what is not None)  # a chain comes to its end
        caught = self.usages.caught
        if ("AttributeError" in caught or self.usages.cleans_up) and "." in name and not name.endswith((")", "]")):
            made.append(Make("raise", "AttributeError"))
        if self.usages.known(name).optional:
            made.insert(1, Make("raise", "AttributeError"))
        if name.endswith("()"):
            made += [Make("raise", error) for error in caught or ["Exception"]]
        return made

    def _plausible(self, name: str) -> list[Make]:
        usage = self.usages.by_path.get(name) or self._by_position(name) or self._by_last_part(name)
        kind = self.types.get(name, self._type_of_item(name))
        if kind is not MISSING:
            return self._of_type(kind, usage, name)
        return self._of_usage(usage, name)

    def _by_position(self, name: str) -> Usage | None:
        """A part of a tuple is used as any of its parts is."""
        whole, mark, position = name.rpartition("#")
        return self.usages.by_path.get(f"{whole}[]") if mark and position.isdigit() else None

    def _type_of_item(self, name: str) -> Any:
        """What an annotation says of the values of a mapping: `fees['glass']` is what `dict[str, int]` holds."""
        whole, mark, position = name.rpartition("#")
        if mark and position.isdigit():
            return self.types.get(f"{whole}[]", MISSING)
        whole, bracket, _ = name.rpartition("[")
        return self.types.get(f"{whole}[*]", MISSING) if bracket and name.endswith("]") else MISSING

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
        family = self._family([*u.classes, *self._registered(u)])
        made += [Make("exact" if k in u.exact else "instance", k) for k in family]
        made += [Make("value", v) for k in family for v in self._examples(k)]
        made += [make for k in family for make in self._odd_ones(k, u)]
        made += [Make("json")] if u.is_json else []
        made += [Make("value", text) for text in u.texts]
        made += [Make("value", text) for pattern in u.patterns for text in (*self._matched(pattern), "text", "")]
        made += self._of_methods(u, name)
        if u.arithmetic or u.ordered:
            made += [Make("value", v) for v in (2, 1, 0, -1, 10, 1000, 2.5)]
            made += between(u.constants) if u.ordered else []
            made += self._scalars()
        if u.iterated or u.indexed or u.sizes or u.spread_in_pattern:
            made += self._lists(u)
        made += of_patterns(u)
        if u.attributes - STRING_METHODS - LIST_METHODS - DICT_METHODS - {"get", "pop"}:
            made.insert(len(made) if u.classes else 0, Make("stand-in"))
        if u.is_path:
            made[:0] = [Make("value", name) for name in ("missing", "/", os.devnull)]
        if says_octets(u):
            made += as_octets(self._of_class(str, (), as_text(u), name), bytes)
        if u.called:
            made.insert(0, Make("stand-in"))
        if not made and u.tested_truth:
            made += [Make("value", v) for v in (True, False, None, 3, 0, "text", "")]
        elif not made:
            made += [Make("stand-in"), Make("value", 3), Make("value", "text")]
        elif u.tested_truth:
            made += [Make("value", v) for v in (None, 0, "")]
        if u.converted:
            made += [Make("value", v) for v in ("12", "text", None, *WRITTEN_NUMBERS)]
        if u.hashed:
            made.append(Make("value", []))
        if u.formatted:
            made += [Make("value", WORDED), Make("value", ""), Make("value", 0)]
        if u.percent:
            made += [Make("value", v) for v in (("text",), (1, 2), ())]
        if u.classes:  # one stranger
            made += [Make("stand-in"), Make("value", None)]
        if u.tested_none:
            made += [Make("value", None)]
            if all(m.kind == "value" and m.what is None for m in made):
                made.insert(0, Make("stand-in"))
        if u.ordered and not any(isinstance(c, str) for c in u.constants):
            made.insert(_EARLY, Make("value", math.nan))
        return made + last_resorts(made, u)

    def _of_methods(self, u: Usage, name: str, is_text: bool = False) -> list[Make]:
        made: list[Make] = []
        texts = [c for c in u.contains if isinstance(c, str)]
        if is_text or u.methods & STRING_METHODS:
            made += self._texts(u, name)
        elif u.keys or u.methods & DICT_METHODS or (u.contains and "get" in u.methods) or _is_mapping(u):
            made.append(Make("dict"))
            made += [Make("value", "text")] if name.endswith("]") else []  # what a mapping holds may be no mapping
        elif u.contains and not u.attributes:
            made += [Make("value", [c]) for c in u.contains] + [Make("value", [])]
            made += [Make("value", list(u.contains))] + [Make("value", t) for t in texts]
        elif u.methods & LIST_METHODS:
            made += self._lists(u)
        return made

    def _family(self, kinds: list[str]) -> list[str]:
        """The classes asked for, as far as the old version knows them, and those that derive from them."""
        known = [k for k in kinds if self._lookup(k) is not MISSING or hasattr(builtins, k)]
        own = [(name, found) for name, found in self.namespace.items() if is_class(found)]
        below = [
            name
            for kind in known
            if isinstance(base := self._lookup(kind), type)
            for name, found in own
            if base is not object and found is not base and derives(found, base) and name not in known
        ]
        return list(dict.fromkeys([*known, *below[:6]]))

    def _odd_ones(self, name: str, u: Usage) -> list[Make]:
        """Where the code looks at types: values of classes below the one asked for."""
        if not u.exact and not u.kind_asked and name not in u.classes:
            return []
        return [Make("value", True)] if name == "int" else [Make("below", name)] if name in BELOW else []

    def _examples(self, name: str) -> tuple[Any, ...]:
        """Values of a class that is made of nothing but its value."""
        kind = bytes if name == "bytes" else self._lookup(name)
        if not (isinstance(kind, type) and issubclass(kind, datetime.date | datetime.time | decimal.Decimal | bytes)):
            return ()
        return next((values for k, values in PLAIN.items() if k.__name__ == kind.__name__), ())

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
        if kind in PLAIN and kind is not dict:
            if kind is str:
                fits += [Make("value", text) for text in (*u.texts, *self.words)]
                fits += [Make("json")] if u.is_json else []
                fits += [Make("value", text) for text in WRITTEN_NUMBERS if u.converted]
                fits += [Make("value", text) for pattern in u.patterns for text in self._matched(pattern)]
                used = [u, *filter(None, [self.usages.by_path.get(f"{name}[]")])]
                fits += [m for asked in used for m in self._of_methods(asked, name, True) if isinstance(m.what, str)]
            if kind in (bytes, bytearray):
                fits += as_octets(self._of_class(str, (), as_text(u), name), kind)
            if kind is float:
                fits += [Make("value", float(m.what)) for m in near if type(m.what) is int]
            fits += self._spans(u) if kind is datetime.timedelta else []
            fits += near_parts(kind, u, self.usages.constants)
            plain = [v for v in PLAIN[kind] if not (self.usages.grows and v == HUGE)]
            return fits + [Make("value", v) for v in plain] + self._odd_ones(kind.__name__, u)
        if is_path(kind):
            return paths_of(kind, [c for c in (*u.contains, *self.usages.constants) if isinstance(c, str)])
        if issubclass(kind, enum.Enum):
            named = self._found(kind)
            one = [Make("named", f"{kind.__qualname__}.{m.name}") if named else Make("value", m) for m in kind]
            return one + [Make("flags", (kind.__qualname__, names)) for names in sums_of_flags(kind) if named]
        if kind.__module__ == "numpy":
            return of_numpy(kind, near)
        if (
            kind in (list, set, frozenset, tuple, dict)
            or is_of_keys(kind)
            or (kind.__module__ == "collections.abc" and kind.__name__ != "Callable")
        ):
            return self._of_container(kind, args, u, name)
        if kind.__module__ in ("builtins", "collections.abc"):
            return [Make("stand-in")]
        self._learn_fields(kind, name)
        below = [
            n
            for n in self._family([*u.classes, kind.__qualname__])
            if n != kind.__name__ and is_below(self._lookup(n), kind)
        ]
        return [Make("class", kind), *(Make("instance", n) for n in below)]

    def _of_container(self, kind: type, args: tuple[Any, ...], u: Usage, name: str) -> list[Make]:
        if is_of_keys(kind):
            if len(args) == 2:
                self.types.setdefault(f"{name}{{}}", args[0])
                self.types.setdefault(f"{name}[*]", args[1])
                self.types.setdefault(f"{name}[]", args[1])
            return [Make("dict")]
        if args and args[0] is not Ellipsis:
            self.types.setdefault(f"{name}[]", args[0])
            self._types_by_position(kind, args, name)
        if kind.__name__ in ("Iterator", "Generator"):
            return [Make("iterator", n) for n in (2, 1, 0, 3)]
        shape = "tuple" if kind is tuple else "set" if kind in (set, frozenset) else "list"
        if shape == "tuple" and args and args[-1] is not Ellipsis:
            return [Make("tuple", len(args))]
        made = [Make(shape, m.what) for m in self._lists(u) if m.kind == "list"]
        if kind.__name__ in ("Iterable", "Collection", "Sequence"):
            made.insert(3, Make("tuple", 2))
        return [*made, Make("iterator", 2), Make("iterator", 3)] if kind.__name__ == "Iterable" else made

    def _types_by_position(self, kind: type, args: tuple[Any, ...], name: str) -> None:
        if kind is tuple and args[-1] is not Ellipsis:
            for position, arg in enumerate(args):
                self.types.setdefault(f"{name}#{position}", arg)

    def _found(self, kind: type) -> bool:
        return self._lookup(kind.__qualname__) is kind

    def _learn_fields(self, kind: type, name: str) -> None:
        try:
            hints = typing.get_type_hints(kind)
        except Exception:
            return
        for field, hint in hints.items():
            self.types.setdefault(f"{name}.{field}", hint)


def _is_mapping(u: Usage) -> bool:
    return (
        bool(u.key_paths)
        and not u.indexed
        and u.methods <= {"get", "pop", "setdefault"}
        and not u.attributes - u.methods
    )
