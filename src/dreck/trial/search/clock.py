"""The clock of a search: real time and real work, whatever the code under trial is told."""

from time import monotonic, process_time

_WAITING = 30
"""Code that only waits is charged one second for so many."""


class Clock:
    """Seconds of work since it was made: the processor's time, so that a busy machine changes no verdict."""

    worked_elsewhere = 0.0
    """Seconds that another process has worked for this one."""

    def __init__(self) -> None:
        self._worked, self._begun = self._work(), monotonic()

    def _work(self) -> float:
        return process_time() + Clock.worked_elsewhere

    def __call__(self) -> float:
        return max(self._work() - self._worked, (monotonic() - self._begun) / _WAITING)
