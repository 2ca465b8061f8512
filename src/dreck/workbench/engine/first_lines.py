"""Lines of a text that steps have changed, told by where they stood at first: nothing may have been saved yet."""

import re
from difflib import SequenceMatcher

from dreck.source.lines import split_lines

_TOLD = re.compile(r"\blines \d+ to \d+\b|::[\w.]+:\d+-\d+\b|\bline \d+\b")
"""How reasons and the commands in them speak of lines."""


class FirstLines:
    """Where the lines of one text stand in an earlier one."""

    def __init__(self, first: str, now: str) -> None:
        self._first: dict[int, int] = {}
        matcher = SequenceMatcher(None, split_lines(first), split_lines(now), autojunk=False)
        for old, new, size in matcher.get_matching_blocks():
            self._first |= {new + n + 1: old + n + 1 for n in range(size)}

    def of(self, line: int) -> int | None:
        return self._first.get(line)

    def told(self, reason: str) -> str | None:
        """A reason with its lines as they stood at first; None when one of them did not stand there."""
        lost = False

        def put(number: re.Match[str]) -> str:
            nonlocal lost
            line = self.of(int(number[0]))
            lost |= line is None
            return str(line)

        told = _TOLD.sub(lambda found: re.sub(r"\b\d+\b", put, found[0]), reason)
        return None if lost else told
