"""Values of classes of the standard library around the constants that code compares their parts with."""

import builtins
import datetime
import decimal
import fractions
import io
import ipaddress
import itertools
import re
import uuid
import zoneinfo
from collections import deque
from pathlib import PurePath
from typing import Any

from dreck.trial.inputs.asked.uses import Usage
from dreck.trial.inputs.plain import PLAIN
from dreck.trial.inputs.recipes import Make
from dreck.trial.sandbox.files import THERE

_MOST = 4
_ENDS = (1, 28, 29)
_WEEK = [datetime.timedelta(days=n) for n in range(7)]
_IN_SECONDS = frozenset({"seconds", "total_seconds"})
_NAMES = ("text", "yard.tar.gz", ".hidden", "a b.txt")
WRITTEN_NUMBERS = ("0x1f", "1_0", " 7 ", "+3", "1e3", "nan")
"""Texts that some ways of reading a number take, and others do not."""


_FRACTIONS = (fractions.Fraction(1, 2), fractions.Fraction(0), fractions.Fraction(2), fractions.Fraction(-7, 3))
_NUMBERS = (1, 0, -1, 2.5, fractions.Fraction(1, 2), 10**20 + 1)
_UUIDS = tuple(uuid.UUID(t) for t in ("12345678-1234-4234-8234-123456789abc", "12345678-1234-1234-8234-123456789abc"))
_PATTERNS = ("text", "", "a|b", r"(\w+)", "^text$", r"\d+")
_V4, _V6 = ("127.0.0.1", "10.0.0.1", "8.8.8.8", "0.0.0.0"), ("::1", "2001:db8::1", "::")
_WORDS = ("text\n\n a b \n", "", "text", "a\nb")
_OF_LIBRARY: dict[type, tuple[Any, ...]] = {
    fractions.Fraction: _FRACTIONS,
    uuid.UUID: (*_UUIDS, uuid.UUID(int=0)),
    re.Pattern: tuple(re.compile(text) for text in _PATTERNS),
    ipaddress.IPv4Address: tuple(map(ipaddress.IPv4Address, _V4)),
    ipaddress.IPv6Address: tuple(map(ipaddress.IPv6Address, _V6)),
    ipaddress.IPv4Network: tuple(map(ipaddress.IPv4Network, ("10.0.0.0/8", "127.0.0.1/32"))),
    datetime.tzinfo: (datetime.UTC, datetime.timezone(datetime.timedelta(hours=-5))),
    datetime.timezone: (datetime.UTC, datetime.timezone(datetime.timedelta(hours=-5))),
    slice: (slice(1, 3), slice(None), slice(None, None, -1), slice(5)),
}
_KINDS = ("int", "str", "bool", "object", "list", "Exception")
_MOST_KINDS = 60
_SPREAD = (2, 1, 0, 3)


def of_library(kind: type, numbers: list[Any], u: Usage) -> list[Make]:
    """Values of a class of the standard library that is made whole, near the `numbers` that the code names."""
    near = [n for n in numbers if type(n) is int and abs(n) < _FAR][:_MOST]
    if kind is range:
        bounds = [range(n + d) for n in near for d in (0, 1)] + [range(n, n + 2) for n in near]
        return [Make("value", r) for r in (range(3), range(0), range(1, 10, 3), range(3, 0, -1), *bounds)]
    if kind is deque:
        return [Make("deque", n) for n in _SPREAD]
    if kind.__module__ == "numbers":
        fits = [n for n in (*near, *_NUMBERS) if isinstance(n, kind)]
        return [Make("value", n) for n in fits]
    if kind is fractions.Fraction:
        return [Make("value", fractions.Fraction(n) + d) for n in near for d in (0, _FRACTIONS[0])] + _values(kind)
    if kind.__module__ in ("typing", "io", "_io") and kind.__name__ in _READ_AS:
        made = [Make("buffer", _READ_AS[kind.__name__](text)) for text in _WORDS]
        return made if all(hasattr(io.StringIO, name) for name in u.attributes) else [Make("class", kind), *made]
    if kind is zoneinfo.ZoneInfo:
        return _values(datetime.timezone)
    return _values(kind)


_FAR = 10**4
_READ_AS: dict[str, Any] = {
    **dict.fromkeys(("TextIO", "IO", "StringIO", "TextIOBase", "TextIOWrapper"), str),
    **dict.fromkeys(("BinaryIO", "BytesIO", "BufferedIOBase", "RawIOBase"), str.encode),
}


def _values(kind: type) -> list[Make]:
    return [Make("value", v) for v in _OF_LIBRARY.get(kind, ())]


def kinds_of(base: Any) -> list[str]:
    """Built-in classes for `type[base]`, by name."""
    if not isinstance(base, type) or base is object:
        return list(_KINDS)
    return [n for n, k in vars(builtins).items() if _is_below(k, base)][:_MOST_KINDS]


def _is_below(found: Any, base: type) -> bool:
    return isinstance(found, type) and issubclass(found, base)


def near_parts(kind: type, u: Usage, constants: list[Any]) -> list[Make]:
    """`moment.hour < 6` asks for five, six and seven o'clock; `.weekday()` for seven days one after another."""
    if kind is decimal.Decimal:
        return _decimals(constants)
    if kind not in (datetime.date, datetime.datetime, datetime.time):
        return []
    base = PLAIN[kind][0]
    numbers = _whole(constants)
    parts = sorted(u.attributes & {"year", "month", "day", "hour", "minute", "second"})
    near = dict.fromkeys(m for n in numbers for m in (n, n + 1, n - 1))
    values = [moment for part in parts for n in near for moment in _with(base, part, n)]
    if u.methods & {"weekday", "isoweekday"} and kind is not datetime.time:
        values += [base + days for days in _WEEK]
    if "month" in parts:
        values += [
            day for month in range(1, 13) for n in (15, *_ENDS) for day in _with(base.replace(day=n), "month", month)
        ]
    return [Make("value", v) for v in dict.fromkeys(values)]


def _with(base: Any, part: str, number: int) -> list[Any]:
    """The moment with one part of it as asked; nothing where there is no such hour or day."""
    try:
        return [base.replace(**{part: number})]
    except (ValueError, TypeError):
        return []


def spans_of_seconds(u: Usage, constants: list[Any]) -> list[Make]:
    """Spans of about as many seconds as are asked for, and of a day more: `.seconds` is not `.total_seconds()`."""
    if not (u.attributes | u.methods) & _IN_SECONDS:
        return []
    spans = [n + d for n in _whole(constants) if 0 <= n < 10**9 for d in (0, 1, -1, 86_400)]
    return [Make("value", datetime.timedelta(seconds=n)) for n in spans]


def _decimals(constants: list[Any]) -> list[Make]:
    """The numbers the code names, as decimals, and their neighbours; halves of the last place that is asked for, which
    some ways of rounding take up."""
    named = [c for c in constants if type(c) in (int, float) and abs(c) < 10**9][:_MOST]
    values = [decimal.Decimal(repr(c)) + d for c in named for d in (0, 1, -1)]
    places = [_places(c) for c in constants]
    halves = [_half(n).scaleb(-place) for place in dict.fromkeys((*places, 1, 0)) if place is not None for n in _HALVES]
    return [Make("value", v) for v in dict.fromkeys((*values, *halves))]


_HALVES = ("0.5", "1.5", "-0.5", "1.51")
_half = decimal.Decimal
_MOST_PLACES = 6


def _places(constant: Any) -> int | None:
    """How many places behind the point `Decimal("0.01")`, its text or a small whole number stand for."""
    if type(constant) is int:
        return constant if 0 <= constant <= _MOST_PLACES else None
    try:
        exponent = decimal.Decimal(constant).as_tuple().exponent if isinstance(constant, str | decimal.Decimal) else 1
    except ArithmeticError:
        return None
    return -exponent if isinstance(exponent, int) and 0 <= -exponent <= _MOST_PLACES else None


def beside(value: Any) -> list[Any]:
    """A moment or decimal number that the code names, and those that lie next to it."""
    match value:
        case decimal.Decimal():
            steps: tuple[Any, ...] = (decimal.Decimal(1), decimal.Decimal("0.01"))
        case datetime.datetime():
            steps = (datetime.timedelta(seconds=1), datetime.timedelta(days=1))
        case datetime.date():
            steps = (datetime.timedelta(days=1),)
        case _:
            day = datetime.datetime.combine(datetime.date(2024, 2, 29), value)
            return [moment.timetz() for moment in beside(day)[:3]]
    try:
        return [value, *(v for step in steps for v in (value + step, value - step))]
    except (OverflowError, ArithmeticError):
        return [value]


def paths_of(kind: type, texts: list[str]) -> list[Make]:
    """Paths with the names the code looks for, as the last part, above it and at its end."""
    try:
        named = [p for t in texts[:_MOST] if t for p in (t, f"{t}/text", f"a/{t}", f"a{t}", f"a/{t}/text/b")]
        return [Make("value", kind(name)) for name in (*named, "a/b.txt", *THERE, ".", "/", *_NAMES)]
    except (TypeError, ValueError, NotImplementedError):
        return []


def is_path(kind: type) -> bool:
    return issubclass(kind, PurePath) and kind.__module__.partition(".")[0] == "pathlib"


def _whole(constants: list[Any]) -> list[int]:
    return list(itertools.islice(dict.fromkeys(c for c in constants if type(c) is int and abs(c) < 10**9), _MOST))
