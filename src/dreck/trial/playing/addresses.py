"""Where objects are in memory: it differs from run to run, and says nothing of what code does."""

import re

_ADDRESS = re.compile(
    r"(?<= at )0x[0-9a-fA-F]+|\b0x[5-7f][0-9a-f]{11}\b|(?<![0-9a-zA-Z])(?:7f|5[56])[0-9a-f]{10}(?![0-9a-zA-Z])"
)
"""Behind `at`, and alone, with `0x` and without, as code that takes such texts apart or writes `id` leaves it."""
_LONE = re.compile(r"7f|5[56]")
_WRITTEN: set[str] = set()
"""What looks like one of them and stands in the code itself."""


def keep_what_is_written(code: str) -> None:
    """From now on what `code` itself writes is no place in memory."""
    _WRITTEN.update(_ADDRESS.findall(code))


def without_places(text: str) -> str:
    """A text without the places in memory that objects are told by."""
    if "0x" not in text and not _LONE.search(text):
        return text
    return _ADDRESS.sub(lambda found: found[0] if found[0] in _WRITTEN else "0x…", text)
