"""Values of classes of the standard library around the constants that code compares their parts with."""

import datetime
import decimal
import itertools
from pathlib import PurePath
from typing import Any

from dreck.trial.inputs.plain import PLAIN
from dreck.trial.inputs.recipes import Make
from dreck.trial.inputs.uses import Usage

_MOST = 4
_WEEK = [datetime.timedelta(days=n) for n in range(7)]
_IN_SECONDS = frozenset({"seconds", "total_seconds"})
_NAMES = ("text", "yard.tar.gz", ".hidden", "a b.txt")
WRITTEN_NUMBERS = ("0x1f", "1_0", " 7 ", "+3", "1e3", "nan")
"""Texts that some ways of reading a number take, and others do not."""


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
    """The numbers the code names, as decimals, and their neighbours; halves, which some ways of rounding take up."""
    named = [c for c in constants if type(c) in (int, float) and abs(c) < 10**9][:_MOST]
    values = [decimal.Decimal(repr(c)) + d for c in named for d in (0, 1, -1)]
    return [Make("value", v) for v in (*values, decimal.Decimal("0.25"), decimal.Decimal("2.5"))]


def paths_of(kind: type, texts: list[str]) -> list[Make]:
    """Paths with the names the code looks for, as the last part, above it and at its end."""
    try:
        named = [p for t in texts[:_MOST] if t for p in (t, f"{t}/text", f"a/{t}", f"a{t}", f"a/{t}/text/b")]
        return [Make("value", kind(name)) for name in (*named, "a/b.txt", ".", "/", *_NAMES)]
    except (TypeError, ValueError, NotImplementedError):
        return []


def is_path(kind: type) -> bool:
    return issubclass(kind, PurePath) and kind.__module__.partition(".")[0] == "pathlib"


def _whole(constants: list[Any]) -> list[int]:
    return list(itertools.islice(dict.fromkeys(c for c in constants if type(c) is int and abs(c) < 10**9), _MOST))
