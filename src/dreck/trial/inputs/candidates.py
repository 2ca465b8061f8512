"""Candidates: what may plausibly stand at a path of an input, by how it is used and by its annotation."""

import builtins
import dataclasses
import datetime
import decimal
import enum
import math
import os
from collections.abc import Container, Mapping, Sequence
from itertools import permutations
from typing import Any

from dreck.trial.inputs.annotated import Typed
from dreck.trial.inputs.asked.texts import OF_DIGITS
from dreck.trial.inputs.asked.usage import Usages
from dreck.trial.inputs.asked.uses import NOT_THERE, Usage
from dreck.trial.inputs.containers import DEQUE_METHODS, containers, is_container
from dreck.trial.inputs.kin import with_a_say_below
from dreck.trial.inputs.lacking import Lacking
from dreck.trial.inputs.library import WRITTEN_NUMBERS
from dreck.trial.inputs.near import (
    BELOW_NOTHING,
    MISSING,
    between,
    equal_to,
    far_fetched,
    is_plain,
    last_resorts,
    of_patterns,
)
from dreck.trial.inputs.plain import DICT_METHODS, LIST_METHODS, PLAIN, STRING_METHODS, TOO_LARGE, WORDED
from dreck.trial.inputs.recipes import LATER, Make, distinct, general
from dreck.trial.inputs.textual import as_octets, as_text, says_octets
from dreck.trial.playing.examples import ABSTRACT_HOMES
from dreck.trial.sandbox.files import THERE

_EARLY = 9
"""So early stands what is no number: only the first dozen is tried everywhere."""
_AFTER_PLAIN, _MOST_OWN = 2, 6
_OF_RECIPE: dict[str, type] = {"dict": dict, "list": list, "set": set, "tuple": tuple}
_MAKING = {"__init__", "__new__", "__post_init__"}
_ALIKE = 2
"""What equals a constant and is another: so many early, the rest last."""
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


class Candidates(Typed):
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
        self.lacking = Lacking()
        self.there: Container[str] | None = None
        """The names the other version's module has, with the members of its enums; None where there is no other."""
        self.set_ups: dict[str, SetUp] = {}
        """By the name of the class, of those whose constructor runs through."""
        self.kept: list[Any] = []
        """Objects that would do something when they are forgotten, in the middle of another run."""
        self.apart: dict[str, frozenset[str]] = {}
        """Classes whose members differ, where the code speaks of these: an object of one may come anywhere."""
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

    def is_seen_whole(self, path: str) -> bool:
        """Whether something may look at all that an object holds: it is compared, handed on, or one of its methods is
        called; or that is done with what it lies in."""
        whole = self.usages.known(general(path))
        within = self.usages.known(general(path.rpartition("[")[0])) if path.endswith("]") else whole
        return whole.as_a_whole or bool(whole.methods) or bool(within.patterns)

    def hint(self, path: str, value: Any) -> None:
        """A run has compared what stands at `path` with `value`."""
        if value is None or not is_plain(value):
            return
        name = general(path).rstrip(LATER)
        hints = self._hints.setdefault(name, [])
        if value in hints or len(hints) >= 24:
            return
        hints.append(value)
        known = self.at(path)
        near = [*self._around(value, True), *between([value]), *equal_to([value])]
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

    def read(self, path: str, kind: type | None) -> None:
        """An attribute of an object of `kind` is read at `path`; None for one that nothing is known of."""
        if path not in self.lacking.read and self.lacking.may_lack(kind, path.rpartition(".")[2]):
            self.need_not_be(path)

    def need_not_be(self, path: str) -> None:
        """What is read at `path` need not be there."""
        self.lacking.read.add(path)

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
        if self.types.get(name, Any) in (Any, object) and (name.isidentifier() or Make("stand-in") in plausible):
            makers = [kind for kind, names in self.apart.items() if names & _MAKING]
            apart = [*(Make("instance", kind) for kind in self.apart), *(Make("named", kind) for kind in makers)]
            plausible[_AFTER_PLAIN:_AFTER_PLAIN] = apart
        first = any(make.kind == "as it is" for make in extra) or self.usages.known(name) == Usage()
        in_order = [*extra, *plausible] if first else [*plausible[:_AFTER_PLAIN], *extra, *plausible[_AFTER_PLAIN:]]
        made = [m for m in in_order if self._is_in_both(m)]
        made.sort(key=lambda make: make.kind != "class")
        if name.count("[") > _DEEPEST:
            made = [m for m in made if m.kind not in ("list", "tuple", "set", "dict")] or [Make("stand-in")]
        if name.count(".") >= _FAR and (self.usages.known(name).tested_none or self._by_last_part(name).tested_none):
            made.sort(key=lambda make: make.kind != "value" or make.what is not None)  # a chain comes to its end
        may_lack = "AttributeError" in self.usages.caught or self.usages.cleans_up or self.usages.read_safely
        if may_lack and "." in name and not name.endswith((")", "]")):
            made.append(Make("raise", "AttributeError"))
        if "." in name and any(name.rpartition(".")[2] in names for names in self.apart.values()):
            made.insert(1, Make("raise", f"{NOT_THERE}{name}"))
        if self.usages.known(name).optional:
            made.insert(1, Make("raise", "AttributeError"))
        if name.endswith(("()", ".await")):
            made += [Make("raise", error) for error in self.errors or ["Exception"]]
        return made + far_fetched(made) if name.isidentifier() and name not in self.types else made

    def _is_in_both(self, make: Make) -> bool:
        """Whether what it is made of is there in the other version, too."""
        match make.kind:
            case "instance" | "exact" | "named" | "any member":
                names = [str(make.what)]
            case "class":
                names = [make.what.__qualname__]
            case "both":
                names = list(make.what)
            case _:
                return True
        return all(self._has(name) for name in names)

    def _has(self, name: str) -> bool:
        first = name.partition(".")[0]
        kind = self.namespace.get(first)
        if kind is None or self.there is None:
            return True  # not of the module, or of the only one
        is_member = first != name and isinstance(kind, type) and issubclass(kind, enum.Enum)
        return (name if is_member else first) in self.there

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
        if u.mapped:  # and what else the code asks whether it is
            asked = u.classes or u.tested_none or u.tested_truth or u.constants
            others = self._of_usage(dataclasses.replace(u, mapped=False), name) if asked else []
            return distinct([Make("dict"), *others])
        made: list[Make] = []
        for value in u.constants:
            made += self._around(value, u.ordered or u.arithmetic)
        family = self._family([*u.classes, *self._registered(u)])
        made += [Make("exact" if k in u.exact else "instance", k) for k in family]
        made += [Make("value", v) for k in family for v in self._examples(k)]
        made += [Make("deque", n) for k in family for n in (2, 0) if k == "deque"]
        made += [Make("any member", k) for k in family if self._is_bare_enum(k)]
        made += [make for k in family for make in self._odd_ones(k, u)]
        made += [Make("both", pair) for pair in permutations(dict.fromkeys(filter(self._is_abstract, family)), 2)]
        made += [Make("json")] if u.is_json else []
        made += [Make("value", text) for text in u.texts if "get" not in u.methods]
        made += [Make("value", text) for pattern in u.patterns for text in (*self._matched(pattern), "text", "")]
        made += self._of_methods(u, name)
        if u.arithmetic or u.ordered:
            made += [Make("value", v) for v in (2, 1, 0, -1, 10, 1000, 2.5)]
            made += between(u.constants) if u.ordered else []
            made += self._scalars()
        if u.iterated or u.indexed or u.sizes or u.spread_in_pattern:
            made += self._lists(u)
            inside = self.usages.by_path.get(f"{name}[]")
            made += [Make("value", text) for text in OF_DIGITS] if inside is not None and inside.converted else []
        made += of_patterns(u)
        taken_apart = [k for k, asked in ((Sequence, u.spread_in_pattern), (Mapping, u.keyed_in_pattern)) if asked]
        made += [Make("instance", n) for kind in taken_apart for n in with_a_say_below(kind, self.namespace)]
        made += containers(u)
        if u.attributes - STRING_METHODS - LIST_METHODS - DICT_METHODS - {"get", "pop"}:
            made.insert(len(made) if u.classes or is_container(u) else 0, Make("stand-in"))
        if u.is_path:
            made[:0] = [Make("value", name) for name in (*THERE, "missing", "/", os.devnull)]
        if says_octets(u):
            made += as_octets(self._of_class(str, (), as_text(u), name), bytes)
        if u.called:
            made.insert(0, Make("stand-in"))
        if not made and u.tested_truth:
            made += [Make("value", v) for v in (True, False, None, 3, 0, "text", "")]
        elif not made:
            made += [Make("stand-in"), Make("value", 3), Make("value", "text"), Make("value", BELOW_NOTHING)]
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
        if u.classes:  # strangers
            made += [Make("stand-in"), *(Make("value", v) for v in (None, 3, "text", 2.5, b"text", [1], {"k": 1}))]
        if u.tested_none:
            made += [Make("value", None)]
            if all(m.kind == "value" and m.what is None for m in made):
                made.insert(0, Make("stand-in"))
        if u.ordered and not any(isinstance(c, str) for c in u.constants):
            made.insert(_EARLY, Make("value", math.nan))
        made += last_resorts(made, u)
        made += [Make("stand-in")] if self.usages.caught and (u.subscripted or u.keys or u.indexed) else []
        if u.arithmetic and not self.usages.grows:
            made.append(Make("value", TOO_LARGE))
        made[_AFTER_PLAIN:_AFTER_PLAIN] = self._own_below(made, u)
        alike = equal_to(u.constants)
        made[_EARLY - 1 : _EARLY - 1] = alike[:_ALIKE]
        return made + alike[_ALIKE:]

    def _own_below(self, made: list[Make], u: Usage) -> list[Make]:
        """Objects of classes of the module below a built-in one that may stand there: they have a say of their own."""
        kinds: set[type] = {type(m.what) for m in made if m.kind == "value"}
        kinds |= {_OF_RECIPE[m.kind] for m in made if m.kind in _OF_RECIPE}
        kinds |= {dict, list} if u.subscripted or u.keys or u.indexed else set()
        ordered = sorted(kinds - {type(None)}, key=lambda kind: kind.__name__)
        return [Make("instance", n) for kind in ordered for n in with_a_say_below(kind, self.namespace)][:_MOST_OWN]

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
        elif u.methods & LIST_METHODS and not (u.attributes & DEQUE_METHODS):
            made += self._lists(u)
        return made

    def _is_abstract(self, name: str) -> bool:
        """Whether objects of other classes are of it, too: nobody says that none is of two such classes."""
        return getattr(self._lookup(name), "__module__", "") in ABSTRACT_HOMES

    def _is_bare_enum(self, name: str) -> bool:
        """Whether it is `Enum` or a class like it, that has no members itself."""
        kind = self._lookup(name)
        return isinstance(kind, type) and issubclass(kind, enum.Enum) and not kind.__members__

    def _examples(self, name: str) -> tuple[Any, ...]:
        """Values of a class that is made of nothing but its value."""
        kind = getattr(builtins, name, None) or self._lookup(name)
        if not (isinstance(kind, type) and issubclass(kind, _OF_VALUE)):
            return ()
        return next((values[:_MOST_VALUES] for k, values in PLAIN.items() if k.__name__ == kind.__name__), ())


_MOST_VALUES = 6
_OF_VALUE = (
    datetime.date, datetime.time, datetime.timedelta, decimal.Decimal, bytes, bool, float, complex, range,
)  # fmt: skip
"""Classes whose objects are tried by their values where they are asked for: they are also zero, empty or False."""


def _is_mapping(u: Usage) -> bool:
    return (
        bool(u.key_paths)
        and not u.indexed
        and u.methods <= {"get", "pop", "setdefault"}
        and not u.attributes - u.methods
    )
