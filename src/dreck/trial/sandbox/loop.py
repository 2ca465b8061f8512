"""An event loop that never waits: where all tasks sleep, its clock is moved on to the first that wakes.

Its clock begins anew with each run, and what a coroutine has started and not awaited is cancelled at its end, as
`asyncio.run` does. Where nothing can ever wake, for nobody else is in the cage, the wait ends at once.
"""

import asyncio
import contextlib
import selectors
from collections.abc import Coroutine
from typing import Any

_BEGIN = 1_000.0
_ROUNDS = 3
"""So often are tasks told to end that will not hear of it."""


class StillLoop(asyncio.SelectorEventLoop):
    """Raises `time_up` where it would wait for ever."""

    def __init__(self, time_up: type[BaseException]) -> None:
        self.passed = 0.0
        """Seconds that all tasks have slept since the run began."""
        super().__init__(_NeverWaiting(self, time_up))

    def time(self) -> float:
        return _BEGIN + self.passed

    def forward(self, seconds: float) -> None:
        self.passed += seconds

    def run(self, coroutine: Coroutine[Any, Any, Any]) -> Any:
        """What the coroutine comes to; whatever it has started has ended then, too."""
        try:
            return self.run_until_complete(coroutine)
        finally:
            self._end_all()

    def _end_all(self) -> None:
        for _ in range(_ROUNDS):
            left = asyncio.all_tasks(self)
            if not left:
                return
            for task in left:
                task.cancel()
            with contextlib.suppress(BaseException):
                self.run_until_complete(asyncio.wait(left, timeout=1))


class _NeverWaiting(selectors.SelectSelector):
    def __init__(self, loop: StillLoop, time_up: type[BaseException]) -> None:
        super().__init__()
        self._loop, self._time_up = loop, time_up

    def select(self, timeout: float | None = None) -> list[tuple[selectors.SelectorKey, int]]:
        ready = super().select(0)
        if not ready and timeout is None:
            raise self._time_up
        if not ready and timeout:
            self._loop.forward(timeout)
        return ready
