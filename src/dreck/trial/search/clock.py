"""The clock of a search: real time and real work, whatever the code under trial is told."""

from time import monotonic, process_time

_WAITING = 30
"""Code that only waits is charged one second for so many."""


class Clock:
    """Seconds of work since it was made: the processor's time, so that a busy machine changes no verdict."""

    def __init__(self) -> None:
        self._worked, self._begun = process_time(), monotonic()

    def __call__(self) -> float:
        return max(process_time() - self._worked, (monotonic() - self._begun) / _WAITING)
