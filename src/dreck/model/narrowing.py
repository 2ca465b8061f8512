"""Narrowing: what one comparison with a constant says about another.

The one place that knows it: proofs, outlines and the step that removes decided tests all ask here. Sound for values
that compare as the built-in types do; `None` is the answer wherever it is not sure.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True, slots=True)
class Member:
    """A member of a plain enum: one object, equal to itself alone."""

    enum: str
    name: str

    def __repr__(self) -> str:
        return f"{self.enum}.{self.name}"


SCALARS = (bool, int, float, str, bytes, Member)
MIRRORED = {"<": ">", "<=": ">=", ">": "<", ">=": "<=", "==": "=="}
TURNED = {"<": ">=", "<=": ">", ">": "<=", ">=": "<"}
"""What a comparison that came out false says, where every two values can be ordered."""


def implied(had: str, value: Any, holds: bool, asked: str, constant: Any, total: bool) -> bool | None:
    """Whether `x asked constant`, given that `x had value` came out as `holds`.

    Relations are `<`, `<=`, `>`, `>=`, `==`, `is`, `truth`. `total`: "not less" may be read as "greater or equal".
    """
    if holds:
        return follows(had, value, asked, constant)
    if had == "truth":
        return follows("not truth", None, asked, constant)
    if total and had in TURNED:
        outcome = follows(TURNED[had], value, asked, constant)
        if outcome is not None:
            return outcome
    if asked in ("is", "truth"):
        return None
    # What would make a test true that came out false is false itself.
    return False if follows(asked, constant, had, value) else None


def follows(had: str, value: Any, asked: str, constant: Any) -> bool | None:
    """Whether `x had value` settles `x asked constant`."""
    try:
        match had:
            case "is":
                return _from_value(value, asked, constant)
            case "==":
                if asked == "is" and not isinstance(value, Member):
                    return False if constant is None and value is not None else None
                return _from_value(value, asked, constant) if isinstance(value, SCALARS) else None
            case "truth":
                if asked == "is":
                    return False if constant is None or constant is False else None
                return False if asked == "==" and isinstance(constant, SCALARS) and not constant else None
            case "not truth":
                return False if asked == "==" and isinstance(constant, SCALARS) and constant else None
            case "<" | "<=" | ">" | ">=":
                return _from_order(had, value, asked, constant)
    except TypeError:
        return None
    return None


def _from_value(value: Any, asked: str, constant: Any) -> bool | None:
    match asked:
        case "is":
            if value is None or constant is None or isinstance(value, bool) or isinstance(constant, bool):
                return value is constant
            if isinstance(value, Member) and isinstance(constant, Member):
                return value == constant
            return None
        case "truth":
            return bool(value)
        case "==":
            return bool(value == constant)
        case "<":
            return bool(value < constant)
        case "<=":
            return bool(value <= constant)
        case ">":
            return bool(value > constant)
        case ">=":
            return bool(value >= constant)
    return None


def _from_order(had: str, value: Any, asked: str, constant: Any) -> bool | None:
    if asked == "is":
        return False if constant is None else None
    if asked == "truth":
        if not isinstance(value, int | float):
            return None
        positive = (had == ">" and value >= 0) or (had == ">=" and value > 0)
        negative = (had == "<" and value <= 0) or (had == "<=" and value < 0)
        return True if positive or negative else None
    if had in (">", ">="):
        return _upper(MIRRORED[had], value, MIRRORED[asked], constant, lambda a, b: bool(a > b))
    return _upper(had, value, asked, constant, lambda a, b: bool(a < b))


def _upper(had: str, value: Any, asked: str, constant: Any, before: Callable[[Any, Any], bool]) -> bool | None:
    """`x < value` (or `<=`), read along the order `before`, against `x asked constant`."""
    strict = had == "<"
    reaches = before(value, constant) or (value == constant)
    if not reaches and not before(constant, value):
        return None  # NaN, or values without an order
    match asked:
        case "<":
            return True if before(value, constant) or (strict and value == constant) else None
        case "<=":
            return True if reaches else None
        case ">":
            return False if reaches else None
        case ">=" | "==":
            beyond = before(value, constant) or (strict and value == constant)
            return False if beyond else None
    return None
