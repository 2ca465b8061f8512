"""The clock of a search: real time and real work, whatever the code under trial is told."""

from time import monotonic, process_time


class Clock:
    """Seconds of work since it was made: the processor's time, so that a busy machine does not cut a search short,
    and at the least a quarter of what has really gone by, for code that waits.

    The real clocks, whatever the code under trial is told.
    """

    def __init__(self) -> None:
        self._worked, self._begun = process_time(), monotonic()

    def __call__(self) -> float:
        return max(process_time() - self._worked, (monotonic() - self._begun) / 4)
