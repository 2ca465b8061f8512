"""Strings that a regular expression matches: one short one, and one in which everything repeated is longer; and some
that are nearly such: with a line's end in or behind them, letters of the other case, digits of another script."""

import re
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

_CATEGORIES = {"DIGIT": "1", "NOT_DIGIT": "a", "WORD": "a", "NOT_WORD": "-", "SPACE": " ", "NOT_SPACE": "a"}
_LONGEST = 400
_TRIED = "a1 -Z_.x0"


def matched_by(pattern: str | bytes, flags: int = 0) -> list[str]:
    """Up to five strings `pattern` matches; none when it is too clever for this."""
    if isinstance(pattern, bytes):
        return []
    try:
        tree = re._parser.parse(pattern, flags)  # type: ignore[attr-defined]
        made = [_Made(extra, ahead).of(tree) for ahead in (False, True) for extra in (0, 1, 2, 3, 60)]
        return [text for text in dict.fromkeys(made) if len(text) <= _LONGEST and re.search(pattern, text, flags)][:5]
    except (re.error, AttributeError, ValueError, RecursionError, TypeError, StopIteration):
        return []


def nearly_matched(pattern: str | bytes, flags: int = 0) -> list[str]:
    """Strings that `$`, `.`, `\\d`, `\\w`, `\\s` and flags take or refuse, whether `pattern` matches them or not."""
    if isinstance(pattern, bytes):
        return []
    try:
        tree = re._parser.parse(pattern, flags)  # type: ignore[attr-defined]
        whole, of_lines = _Made(0, False).of(tree), _Made(0, False, dot="\n").of(tree)
        longer = _Made(1, False).of(tree)  # what may be missing is there
    except (re.error, AttributeError, ValueError, RecursionError, TypeError, StopIteration):
        return []
    odd = whole.translate({ord("1"): "\u0663", ord("a"): "\u00e9", ord(" "): "\n"})
    near = (f"{longer}\n", f"{longer}x", f"x{longer}") if longer != whole else ()
    made = (whole + "\n", of_lines, f"{whole}x", f"x{whole}", f"x\n{whole}\nx", whole.swapcase(), odd, *near)
    return [text for text in dict.fromkeys(made) if len(text) <= _LONGEST and text != whole]


@dataclass(slots=True)
class _Made:
    """A string by a pattern: what is repeated comes `extra` times more; with `ahead`, what has to follow is put in."""

    extra: int
    ahead: bool
    dot: str = "a"
    """What stands for a dot."""
    groups: dict[int, str] = field(default_factory=dict)

    def of(self, tree: Iterable[Any]) -> str:
        return "".join(self._one(str(op), args) for op, args in tree)

    def _one(self, op: str, args: Any) -> str:
        match op:
            case "LITERAL":
                return chr(args)
            case "NOT_LITERAL":
                return "b" if chr(args) == "a" else "a"
            case "ANY":
                return self.dot
            case "IN":
                return _in(args)
            case "MAX_REPEAT" | "MIN_REPEAT" | "POSSESSIVE_REPEAT":
                least, most, inner = args
                text, times = self.of(inner), min(int(least) + self.extra, int(most))
                return text * min(times, max(int(least), _LONGEST // max(1, len(text))))
            case "SUBPATTERN":
                text = self.of(args[3])
                if args[0] is not None:
                    self.groups[args[0]] = text
                return text
            case "GROUPREF":
                return self.groups.get(args, "")
            case "GROUPREF_EXISTS":
                return self.of((args[1] if args[0] in self.groups else args[2]) or ())
            case "ATOMIC_GROUP":
                return self.of(args)
            case "ASSERT":
                return self.of(args[1]) if self.ahead else ""
            case "BRANCH":
                options = args[1]
                return self.of(options[self.extra % len(options)])
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
