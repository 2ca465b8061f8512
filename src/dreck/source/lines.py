"""Lines as Python's tokenizer counts them: form feeds and exotic separators do not end a line."""

import re
from functools import lru_cache

_LINE = re.compile(r"[^\r\n]*(?:\r\n|\r|\n)|[^\r\n]+")

_NO_ENDS_HERE = "\v\f\x1c\x1d\x1e"
"""What `str.splitlines` takes for the end of a line and Python does not, in ASCII."""


def split_lines(text: str) -> list[str]:
    """The lines of `text` with their ends kept; joined they are `text` again.

    `str.splitlines` also splits at form feeds and U+2028, where `ast` line numbers do not.
    """
    return list(_split(text))


@lru_cache(maxsize=8)
def _split(text: str) -> list[str]:
    """The same few texts are split for every function that stands in them."""
    if text.isascii() and not any(end in text for end in _NO_ENDS_HERE):
        return text.splitlines(keepends=True)
    return _LINE.findall(text)


def indent_of(line: str) -> str:
    """The blanks and tabs a line starts with (a form feed resets the count, as in the tokenizer)."""
    body = line.rpartition("\f")[2]
    return body[: len(body) - len(body.lstrip(" \t"))]


USUAL_WIDTH = 88
_WIDTHS = (79, 88, 100, 120)
_ENOUGH = 100
"""So many lines of code say what width they keep to."""
_NEAR = 7


def width_of(text: str) -> int:
    """The width in characters that a file keeps to: the smallest usual one into which 99 of 100 lines of code fit.

    A short file, or one whose lines come near no limit, says nothing: then it is 88.
    """
    code = (line.rstrip() for line in split_lines(text) if "#" not in line and "://" not in line)
    lengths = sorted(len(line) for line in code if line)
    if len(lengths) < _ENOUGH:
        return USUAL_WIDTH
    nearly_all = lengths[int(0.99 * (len(lengths) - 1))]
    found = next((width for width in _WIDTHS if nearly_all <= width), _WIDTHS[-1])
    return found if nearly_all > found - _NEAR else USUAL_WIDTH
