"""What lies near the constants that code names: their neighbours, other members, texts with them, lists as long."""

import datetime
import decimal
import enum
import itertools
import math
import re
from collections.abc import Mapping
from typing import Any

from dreck.trial.inputs.asked.usage import Usages
from dreck.trial.inputs.asked.uses import OF_SEVERAL, Named, Usage
from dreck.trial.inputs.kin import derives, errors_below
from dreck.trial.inputs.library import beside, spans_of_seconds
from dreck.trial.inputs.matching import matched_by, nearly_matched
from dreck.trial.inputs.plain import AGREEING, COMPOSED, HUGE, MARKED, NONE_LIKE, STRING_METHODS, VAGUE, OwnText
from dreck.trial.inputs.recipes import Make
from dreck.trial.surely import is_module

MISSING = object()
_WITH_NUMBERS = 24
_MOST_SUMS = 6
_MOST_FAILING = 6
_LONGEST_PERIOD = 16


class Near:
    """Candidates made of what the code itself names, and of what its module knows by that name."""

    def __init__(self, usages: Usages, namespace: dict[str, Any]) -> None:
        self.usages = usages
        self.namespace = namespace
        self.own: dict[str, Any] = {}
        """The class that a first parameter (`self`) is an object of, by the name of the parameter."""

    @property
    def errors(self) -> list[str]:
        """What may be raised, by name: each of those that a name stands for, as in `except FAULTS`."""
        found: list[str] = []
        for name in self.usages.raised:
            kinds = self._lookup(name) if name.replace(".", "").isidentifier() else MISSING
            several = range(len(kinds)) if isinstance(kinds, tuple) and len(kinds) > 1 else ()
            found += [f"{name}{OF_SEVERAL}{i}" for i in several][:_MOST_FAILING] or [name]
            found += [n for n in errors_below(name, kinds, self.namespace) if n not in found]
        return found

    def _spans(self, u: Usage) -> list[Make]:
        """Spans of as many seconds or days as the code names, and near them: `d.days > 7` is not `d > 7 days`."""
        days = dict.fromkeys(n for n in self.usages.constants if type(n) is int and 0 < n < 10**4)
        spans = [datetime.timedelta(days=n) for n in itertools.islice(days, 4)]
        beside = (datetime.timedelta(0), datetime.timedelta(hours=1), datetime.timedelta(seconds=-1))
        of_seconds = spans_of_seconds(u, self.usages.constants)
        return of_seconds + [Make("value", span + d) for span in spans for d in (*beside, datetime.timedelta(days=1))]

    def _matched(self, pattern: Any) -> list[str]:
        found = self._lookup(pattern.name) if isinstance(pattern, Named) else pattern
        found = getattr(found, "__self__", found)  # a name may stand for `PATTERN.match` itself
        if isinstance(found, re.Pattern):
            return [*matched_by(found.pattern, found.flags), *nearly_matched(found.pattern, found.flags)]
        return [*matched_by(found), *nearly_matched(found)] if isinstance(found, str) else []

    def _registered(self, u: Usage) -> list[str]:
        """The classes for which a generic function that the value is handed to does something of its own."""
        named = [self._lookup(p.name) for p in u.patterns if isinstance(p, Named)]
        generic = [g for g in named if isinstance(getattr(g, "registry", None), Mapping) and hasattr(g, "dispatch")]
        return [kind.__name__ for g in generic for kind in g.registry if kind is not object]

    def _with_numbers(self, texts: list[str]) -> list[str]:
        """Texts the code looks for, before or behind a number it compares with."""
        numbers = [n for n in self.usages.constants if type(n) is int and abs(n) < 10**6]
        near = dict.fromkeys(m for n in numbers[:4] for m in (n, n + 1, n - 1))
        return [made for t in texts[:4] for n in near for made in (f"{t}{n}", f"{n}{t}", f"{n}{t}{n}")][:_WITH_NUMBERS]

    def _twice_named(self, separators: list[str], name: str) -> list[str]:
        """`x=y;x=z`: the same name twice, where a text is taken apart by one sign and its parts by another."""
        parts = [u for path, u in self.usages.by_path.items() if path.startswith(f"{name}.")]
        inner = dict.fromkeys([*separators, *(c for u in parts for c in u.contains if isinstance(c, str))])
        return [f"x{b}y{a}x{b}z" for a in separators[:2] for b in list(inner)[:3] if a != b]

    def _more_parts(self, separators: list[str], name: str) -> list[str]:
        """A text of one part more than the code asks for."""
        parts = self.usages.by_path.get(f"{name}.split()") or self.usages.by_path.get(f"{name}.rsplit()")
        sizes = [n for n in parts.sizes if 0 < n < 9] if parts is not None else []
        return [s.join("123456789"[: n + 1]) for s in separators[:1] for n in dict.fromkeys(sizes)]

    def _lists(self, u: Usage) -> list[Make]:
        """Lists, and what can be gone through only once where nothing but that is done with it."""
        tuples = [-n for n in u.sizes if n < 0]
        sizes = [n + d for n in u.sizes if n >= 0 for d in (0, 1, -1) if 0 <= n + d <= 210]
        sizes += [2 * n + d for n in self.usages.periods if 1 < n < _LONGEST_PERIOD for d in (0, 1)]
        made = [Make("tuple", n) for n in tuples]
        once = u.iterated and not (u.indexed or u.sizes or u.contains)
        lists = [Make("list", n) for n in dict.fromkeys([2, 1, 0, 3, *sizes])]
        failing = [Make("failing", (n, error)) for error in self.errors for n in (1, 0)] if u.iterated else []
        if u.advanced:
            return [Make("iterator", n) for n in (2, 0, 1, 3)] + failing[:_MOST_FAILING] + lists[:1]
        return made + lists + ([Make("iterator", 2), Make("iterator", 3)] if once else []) + failing[:_MOST_FAILING]

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
            case datetime.date() | datetime.time() | decimal.Decimal():
                return [Make("value", v) for v in beside(value)]
            case enum.Enum():
                return [Make("value", m) for m in (value, *(m for m in type(value) if m is not value))]
        return [Make("value", value)]

    def _around_named(self, name: str, ordered: bool) -> list[Make]:
        found = self._lookup(name)
        if found is MISSING or isinstance(found, type):
            return []
        if isinstance(found, enum.Enum):
            kind = type(found)
            members = [Make("named", f"{kind.__qualname__}.{m.name}") for m in (found, *kind) if m.name is not None]
            flags = [Make("flags", (kind.__qualname__, names)) for names in sums_of_flags(kind)]
            return members + flags + _plain_ones(found)
        if isinstance(found, int | float | str | datetime.date | datetime.time | decimal.Decimal):
            return self._around(found, ordered)
        if isinstance(found, list | tuple | set | frozenset) and len(found) < 30:
            return [m for v in sorted(found, key=repr) for m in self._around(v, ordered)]
        if isinstance(found, dict):
            shown = list(found)[: 30 if len(found) < 30 else 4]
            return [m for v in shown for m in self._around(v, ordered)]
        return [Make("named", name)]

    def _scalars(self) -> list[Make]:
        """Numbers of numpy, for a module that works with it."""
        np = next((v for v in self.namespace.values() if is_module(v, "numpy")), None)
        return [Make("value", np.float64(2.5)), Make("value", np.int64(3))] if np is not None else []

    def constant(self, name: str) -> Any:
        """The text or number that a name of the module stands for; MISSING for anything else."""
        found = self._lookup(name)
        return found if type(found) in (str, int, float, bytes) else MISSING

    def _lookup(self, name: str) -> Any:
        first, *others = name.split(".")
        found = self.own[first] if first in self.own and others else self.namespace.get(first, MISSING)
        for part in others:
            found = getattr(found, part, MISSING)
        return found


def between(constants: list[Any]) -> list[Make]:
    """Beside whole numbers lie others: `n > 9` is not `n >= 10`."""
    whole = dict.fromkeys(v for v in constants if type(v) is int and abs(v) < HUGE)
    return [Make("value", v + half) for v in itertools.islice(whole, _MOST_SUMS) for half in (0.5, -0.5)]


def equal_to(constants: list[Any]) -> list[Make]:
    """What equals a constant and is another: `0.0` and `False` are not the 0 that was asked for, nor is a text of a
    class of its own the text."""
    made: list[Any] = []
    for value in itertools.islice(constants, _MOST_SUMS):
        if type(value) is int and abs(value) < HUGE:
            made += [float(value), *([-0.0] if not value else []), *([bool(value)] if value in (0, 1) else [])]
        elif type(value) is str and value:
            made.append(OwnText(value))
    return [Make("value", v) for v in made]


def _plain_ones(member: enum.Enum) -> list[Make]:
    """What a member that is a text or a number, too, is equal to, and is not."""
    same = isinstance(member, int | float | str | bytes) and not isinstance(member, enum.Flag)
    return [Make("value", member.value)] if same and is_plain(member.value) else []


def of_patterns(u: Usage) -> list[Make]:
    """Sequences and mappings of other kinds than most, where a pattern takes all kinds; what equals None and is not."""
    spread = [Make("deque", abs(n)) for n in dict.fromkeys(u.sizes)] if u.spread_in_pattern else []
    keyed = [Make("dict"), Make("proxy")] if u.keyed_in_pattern else []
    vague = VAGUE if u.answer_looked_at else ()
    agreeing = (AGREEING, NONE_LIKE) if u.equal_to_none else ()
    return [*spread, *keyed, *(Make("value", v) for v in (*agreeing, *vague))]


def sums_of_flags(kind: type[enum.Enum]) -> list[tuple[str, ...]]:
    """Flags are also several at once, and none."""
    if not issubclass(kind, enum.Flag):
        return []
    names = [m.name for m in kind if m.name is not None]
    return [(), *itertools.islice(itertools.combinations(names, 2), _MOST_SUMS), *([tuple(names)] if names[2:] else [])]


def is_of_keys(kind: type) -> bool:
    return kind.__name__ in ("Mapping", "MutableMapping") or derives(kind, dict)


def is_below(found: Any, kind: type) -> bool:
    return isinstance(found, type) and derives(found, kind)


def last_resorts(made: list[Make], u: Usage) -> list[Make]:
    """What the use does not speak of, but code elsewhere may ask for: a text, a number, a list."""
    kinds = {type(m.what) for m in made if m.kind == "value" and m.what}
    if (
        u.classes
        or u.called
        or u.attributes - STRING_METHODS
        or {"list", "tuple"} & {m.kind for m in made} == {"tuple"}
    ):
        return []
    found = [Make("value", v) for v in ("text", 3) if type(v) not in kinds]
    return found if any(m.kind == "list" for m in made) or u.indexed else [*found, Make("list", 2), Make("list", 0)]


def far_fetched(made: list[Make]) -> list[Make]:
    """What code elsewhere may treat in a way of its own, where a number or a text may stand: below nothing, with a
    part, with blanks; an unsorted dict, signs, letters."""
    numbers = [Make("value", BELOW_NOTHING)] if Make("value", 3) in made else []
    if Make("value", "text") not in made:
        return numbers
    unsorted = [] if any(m.kind == "dict" for m in made) else [Make("value", {"wet": 3, "dry": ["ß", None]})]
    return [*numbers, Make("value", " Text "), *unsorted, Make("value", MARKED), Make("value", COMPOSED)]


BELOW_NOTHING = -2.5


def is_plain(value: Any) -> bool:
    """A number, a text, a member, or a tuple of such: what can be handed in again as it is, to either version."""
    if isinstance(value, tuple):
        return all(map(is_plain, value))
    return isinstance(value, int | float | str | bytes | enum.Enum | type(None))
