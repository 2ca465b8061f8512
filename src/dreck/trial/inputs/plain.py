"""Plain values: what may stand where only a type is known, and the methods by which a type is known."""

import datetime
import decimal
import enum
import math
from functools import lru_cache
from typing import Any

from dreck.trial.inputs.recipes import Make

_TEXT = """
startswith endswith upper lower strip lstrip rstrip split rsplit splitlines isdigit isalpha
isupper islower isspace isalnum title capitalize casefold zfill partition rpartition encode
removeprefix removesuffix replace join format find rfind ljust rjust center expandtabs translate
swapcase isidentifier isnumeric isdecimal isascii
"""
STRING_METHODS = frozenset(_TEXT.split())
LIST_METHODS = frozenset(["append", "extend", "sort", "insert", "reverse"])
DICT_METHODS = frozenset(["items", "keys", "values", "setdefault"])

HUGE = 10**20 + 1
TOO_LARGE = 2**1100
"""No floating-point number is as large."""
TOO_LONG = 2**20_000
"""A number of more digits than Python writes out (library, `sys.set_int_max_str_digits`)."""
MARKED = "<a b='c'>\"&\" %d\\n{0}</a>"
"""Signs that some ways of writing a text have to write otherwise."""
COMPOSED = "e\u0301 \ufb01"
"""Letters that may be written in one sign or two."""
INDENTED = "  a\n\n    b\tc\n"
"""Lines that stand deeper and deeper."""
_EAST = datetime.timezone(datetime.timedelta(hours=5, minutes=30))
PLAIN: dict[type, tuple[Any, ...]] = {
    int: (1, 0, -1, 2, 10, 1000, HUGE, TOO_LARGE),
    float: (1.0, 0.0, -1.0, 2.5, 1000.0, math.nan, -0.0, 0.1, 1e16, 0.35, math.inf, 1e200),
    str: ("text", "", "A", "12", "Zß a", "ß", "a  b", MARKED, COMPOSED, INDENTED),
    bool: (True, False),
    bytes: (b"text", b"", b"\xff\xfe"),
    bytearray: (bytearray(b"text"), bytearray()),
    complex: (1j, 0j),
    object: (3, "text", None),
    datetime.date: (
        datetime.date(2024, 2, 29),
        datetime.date(2025, 1, 1),
        datetime.date(1999, 12, 31),
        datetime.date(2024, 1, 1),
        datetime.date(2023, 3, 31),
        datetime.date(2024, 12, 31),
    ),
    datetime.datetime: (
        datetime.datetime(2024, 2, 29, 12, 30),
        datetime.datetime(1999, 12, 31, 23, 59),
        datetime.datetime(2025, 1, 1, tzinfo=datetime.UTC),
        datetime.datetime(2025, 1, 1, tzinfo=_EAST),
    ),
    datetime.timedelta: (datetime.timedelta(1), datetime.timedelta(0), datetime.timedelta(-1)),
    range: (range(3), range(0), range(2, 8, 3)),
    datetime.time: (datetime.time(12, 30), datetime.time(0)),
    decimal.Decimal: tuple(decimal.Decimal(n) for n in ("1.5", "0", "-1", "0.35", "-0.05", "1E+30")),
}


class OwnText(str):
    """A text of a class of its own."""

    def __repr__(self) -> str:
        return f"OwnText({str.__repr__(self)})"


class _List(list):  # type: ignore[type-arg]
    """A list of a class of its own."""


class _Dict(dict):  # type: ignore[type-arg]
    """A mapping of a class of its own."""


class _Float(float):
    """A number of a class of its own."""


class _Tuple(tuple):  # type: ignore[type-arg]
    """A tuple of a class of its own."""


class _Set(set):  # type: ignore[type-arg]
    """A set of a class of its own."""


class _Whole(int):
    """A whole number of a class of its own."""


class _Octets(bytes):
    """Bytes of a class of their own."""


class _Fixed(frozenset):  # type: ignore[type-arg]
    """A set that stays, of a class of its own."""


class _Day(datetime.date):
    """A day of a class of its own."""


class _Moment(datetime.datetime):
    """A moment of a class of its own."""


class _Exact(decimal.Decimal):
    """A decimal of a class of its own."""


class Worded:
    """Something that is written in three ways: as a text, in a format, for whoever looks at it."""

    def __str__(self) -> str:
        return "as a text"

    def __format__(self, form: str) -> str:
        return f"in the format {form!r}"

    def __repr__(self) -> str:
        return "<an object with a format of its own>"


WORDED = Worded()


class Agreeing:
    """Something that says of everything that it equals it, as the stand-ins of test libraries do."""

    def __eq__(self, other: object) -> bool:
        return True

    def __ne__(self, other: object) -> bool:
        return False

    def __hash__(self) -> int:
        return 0

    def __repr__(self) -> str:
        return "<an object that equals everything>"


AGREEING = Agreeing()


class NoneLike:
    """Something that equals None and nothing else."""

    def __eq__(self, other: object) -> bool:
        return other is None

    def __hash__(self) -> int:
        return hash(None)

    def __repr__(self) -> str:
        return "<an object that equals None>"


NONE_LIKE = NoneLike()


class Vague:
    """Something whose comparisons answer neither True nor False, but what counts as such."""

    def __init__(self, answer: object) -> None:
        self.answer = answer

    def _answered(self, other: object) -> object:
        return self.answer

    __eq__ = __ne__ = __lt__ = __le__ = __gt__ = __ge__ = _answered  # type: ignore[assignment]

    def __hash__(self) -> int:
        return 0

    def __repr__(self) -> str:
        return f"<an object whose comparisons answer {self.answer!r}>"


VAGUE = (Vague("yes"), Vague(""))

BELOW: dict[str, Any] = {
    "str": lambda: OwnText("text"),
    "list": lambda: _List(["text"]),
    "dict": lambda: _Dict(key="text"),
    "float": lambda: _Float(2.5),
    "tuple": lambda: _Tuple(("text",)),
    "set": lambda: _Set(["text"]),
    "int": lambda: _Whole(3),
    "bytes": lambda: _Octets(b"text"),
    "frozenset": lambda: _Fixed(["text"]),
    "date": lambda: _Day(2024, 2, 29),
    "datetime": lambda: _Moment(2024, 2, 29, 12, 30),
    "Decimal": lambda: _Exact("1.5"),
}
"""An object of a class below a built-in one: `isinstance` takes it, `type(x) is` does not."""


def of_numpy(kind: Any, near: list[Make]) -> list[Make]:
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


@lru_cache(maxsize=8)
def a_member(kind: type[enum.Enum]) -> enum.Enum:
    """A member of an enum of that sort, where the code asks for any: `isinstance(x, enum.Enum)`."""
    value = "first" if issubclass(kind, str) else 1
    made: Any = kind
    found: enum.Enum = made("Sort", {"FIRST": value}).FIRST
    return found
