"""Strings that a regular expression matches: one short one, and one in which everything repeated is longer."""

import re
from collections.abc import Iterable
from typing import Any

_CATEGORIES = {"DIGIT": "1", "NOT_DIGIT": "a", "WORD": "a", "NOT_WORD": "-", "SPACE": " ", "NOT_SPACE": "a"}
_TRIED = "a1 -Z_.x0"


def matched_by(pattern: str | bytes, flags: int = 0) -> list[str]:
    """Up to five strings `pattern` matches; none when it is too clever for this."""
    if isinstance(pattern, bytes):
        return []
    try:
        tree = re._parser.parse(pattern, flags)  # type: ignore[attr-defined]
        made = [_of(tree, extra) for extra in (0, 1, 2, 3, 60)]
        return [text for text in dict.fromkeys(made) if re.search(pattern, text, flags)]
    except (re.error, AttributeError, ValueError, RecursionError, TypeError):
        return []


def _of(tree: Iterable[Any], extra: int) -> str:
    return "".join(_one(str(op), args, extra) for op, args in tree)


def _one(op: str, args: Any, extra: int) -> str:
    match op:
        case "LITERAL":
            return chr(args)
        case "NOT_LITERAL":
            return "b" if chr(args) == "a" else "a"
        case "ANY":
            return "a"
        case "IN":
            return _in(args)
        case "MAX_REPEAT" | "MIN_REPEAT" | "POSSESSIVE_REPEAT":
            least, most, inner = args
            times = min(int(least) + extra, int(most))
            return _of(inner, extra) * times
        case "SUBPATTERN":
            return _of(args[3], extra)
        case "ATOMIC_GROUP":
            return _of(args, extra)
        case "BRANCH":
            options = args[1]
            return _of(options[extra % len(options)], extra)
    return ""


def _in(items: list[Any]) -> str:
    if str(items[0][0]) == "NEGATE":
        return next(c for c in _TRIED if not any(_fits(str(op), args, c) for op, args in items[1:]))
    op, args = str(items[0][0]), items[0][1]
    match op:
        case "LITERAL":
            return chr(args)
        case "RANGE":
            return chr(args[0])
    return _CATEGORIES[str(args).removeprefix("CATEGORY_")]


def _fits(op: str, args: Any, char: str) -> bool:
    match op:
        case "LITERAL":
            return chr(args) == char
        case "RANGE":
            return bool(args[0] <= ord(char) <= args[1])
    kind = str(args).removeprefix("CATEGORY_")
    word = char.isalnum() or char == "_"
    held = {"DIGIT": char.isdigit(), "SPACE": char.isspace(), "WORD": word}[kind.removeprefix("NOT_")]
    return not held if kind.startswith("NOT_") else held
