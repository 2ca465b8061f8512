"""What code under trial prints, and the standard streams it finds."""

import io
import os
import sys
from collections.abc import Iterator
from contextlib import contextmanager


class Output(io.StringIO):
    """What is printed; code that closes it loses nothing. `turns`, shared by two, tells in what order they were
    written to: at each change from one to the other, which it is and how many lines it had taken."""

    def __init__(self, name: str, turns: list[tuple[str, int]]) -> None:
        super().__init__()
        self._name, self._turns, self._lines = name, turns, 0

    def write(self, text: str) -> int:
        if text and (not self._turns or self._turns[-1][0] != self._name):
            self._turns.append((self._name, self._lines))
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
    sys.stdin = io.StringIO("")
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
