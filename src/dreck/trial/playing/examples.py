"""Plain values of built-in types, and of the abstract classes of the standard library."""

import fractions
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
ABSTRACT_EXAMPLES: tuple[Any, ...] = (
    3, fractions.Fraction(1, 2), 2.5, "text", ["text"], {"key": "text"}, {1}, b"text", PurePath("a"),
    io.StringIO("text"), io.BytesIO(b"text"), math, len, math.isnan, _anything, iter([1]),
)  # fmt: skip
