"""Plain values of built-in types, and of the abstract classes of the standard library."""

import copy
import fractions
import inspect
import io
import math
from pathlib import PurePath
from typing import Any

EXAMPLES: dict[type, Any] = {
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


ABSTRACT_HOMES = ("numbers", "collections.abc", "os", "io", "_io", "types", "typing")
_ABSTRACT_EXAMPLES: tuple[Any, ...] = (
    3, fractions.Fraction(1, 2), 2.5, "text", ["text"], {"key": "text"}, {1}, b"text", PurePath("a"),
    io.StringIO("text"), io.BytesIO(b"text"), math, len, math.isnan, _anything, iter([1]),
)  # fmt: skip


NO_EXAMPLE = object()


def example_of(kind: type) -> Any:
    """A plain value of a class; `NO_EXAMPLE` where there is none."""
    if kind in EXAMPLES:
        return EXAMPLES[kind]() if callable(EXAMPLES[kind]) else EXAMPLES[kind]
    if inspect.isabstract(kind) or kind.__module__ in ABSTRACT_HOMES:
        for example in _ABSTRACT_EXAMPLES:
            if isinstance(example, kind):
                return copy.copy(example)
    return NO_EXAMPLE


def of_both(one: Any, other: Any) -> Any:
    """An object of a class below two abstract classes, whose methods do nothing; a plain one where there is none."""
    try:
        kind = type(f"{one.__name__}And{other.__name__}", (one, other), {"__module__": one.__module__})
        kind.__abstractmethods__ = frozenset()  # type: ignore[attr-defined]
        return kind()
    except (TypeError, AttributeError):
        return object()
