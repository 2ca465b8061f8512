"""A mark in the text of an open file."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Mark:
    """Something to be marked in the text: a line, what is said, and the rule it comes from."""

    line: int
    text: str
    rule: str
