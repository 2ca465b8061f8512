"""Settings of the whole process, changed for a while and put back, with several threads at work too.

The first who comes in changes them, the last who goes out puts them back.
"""

import threading
import warnings
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any


class Borrowed:
    """One setting, borrowed by any number of threads at once."""

    def __init__(self, change: Callable[[], Any], restore: Callable[[Any], None]) -> None:
        """`change` changes it and gives what is to be handed to `restore`."""
        self._change, self._restore = change, restore
        self._lock, self._users = threading.Lock(), 0
        self._before: Any = None

    @contextmanager
    def held(self) -> Iterator[None]:
        with self._lock:
            if self._users == 0:
                self._before = self._change()
            self._users += 1
        try:
            yield
        finally:
            with self._lock:
                self._users -= 1
                if self._users == 0:
                    self._restore(self._before)


class _Never(Warning):
    """A warning that nobody gives."""


def _hush() -> list[Any]:
    before = list(warnings.filters)
    warnings.simplefilter("ignore", SyntaxWarning)
    warnings.simplefilter("ignore", DeprecationWarning)
    return before


def _unhush(before: list[Any]) -> None:
    warnings.filters[:] = before  # type: ignore[index]
    warnings.filterwarnings("default", category=_Never)  # the filters are looked at anew
    del warnings.filters[0]  # type: ignore[attr-defined]


no_warnings = Borrowed(_hush, _unhush)
"""What Python says of odd code that it reads is no business of whoever uses this library."""
