"""Where objects are in memory: it differs from run to run, and says nothing of what code does."""

import re

_ADDRESS = re.compile(
    r"(?<= at )0x[0-9a-fA-F]+|\b0x[5-7f][0-9a-f]{11}\b|(?<![0-9a-zA-Z])(?:7f|5[56])[0-9a-f]{10}(?![0-9a-zA-Z])"
)
"""Behind `at`, and alone, with `0x` and without, as code that takes such texts apart or writes `id` leaves it."""
_LONE = re.compile(r"7f|5[56]")


def without_places(text: str) -> str:
    """A text without the places in memory that objects are told by."""
    return _ADDRESS.sub("0x…", text) if "0x" in text or _LONE.search(text) else text
