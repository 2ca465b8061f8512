"""What code under trial prints, and the standard streams it finds."""

import io
import os
import sys
from collections.abc import Iterator
from contextlib import contextmanager

from dreck.trial.running.surroundings import Typed

_MOST_TURNS = 1_000


class Turns:
    """In what order several are written to: at each change from one to another, which it is, how much it had taken."""

    def __init__(self) -> None:
        self.told: list[tuple[str, int]] = []

    def note(self, name: str, taken: int) -> None:
        if (not self.told or self.told[-1][0] != name) and len(self.told) < _MOST_TURNS:
            self.told.append((name, taken))


class Output(io.StringIO):
    """What is printed; code that closes it loses nothing."""

    def __init__(self, name: str, turns: Turns) -> None:
        super().__init__()
        self._name, self._turns, self._lines = name, turns, 0

    def write(self, text: str) -> int:
        if text:
            self._turns.note(self._name, self._lines)
        self._lines += text.count("\n")
        return super().write(text)

    def close(self) -> None:
        self.write("<closed>")


@contextmanager
def captured(output: io.StringIO, errors: io.StringIO) -> Iterator[None]:
    """Standard output and error go there as long as the block lasts; nothing is to be read."""
    _open_again()
    before = sys.stdout, sys.stderr, sys.stdin
    sys.stdout, sys.stderr = output, errors
    sys.stdin = sys.stdin if isinstance(sys.stdin, Typed) else io.StringIO("")
    try:
        yield
    finally:
        sys.stdout, sys.stderr, sys.stdin = before


def _open_again() -> None:
    """Standard input, output and error of the process, closed by the code that ran before, are opened again."""
    for descriptor in (0, 1, 2):
        try:
            os.fstat(descriptor)
        except OSError:
            opened = os.open(os.devnull, os.O_RDONLY)
            os.dup2(opened, descriptor)
            if opened != descriptor:
                os.close(opened)
