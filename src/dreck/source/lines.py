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
