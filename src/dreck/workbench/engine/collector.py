"""The garbage collector, made calmer while many trees are built and dropped."""

import gc
from collections.abc import Iterator
from contextlib import contextmanager

from dreck.source.guest import Borrowed

_CALM = (50_000, 20, 100)


def _calmed() -> tuple[int, int, int]:
    before = gc.get_threshold()
    gc.set_threshold(*_CALM)
    return before


_collector = Borrowed(_calmed, lambda before: gc.set_threshold(*before))


@contextmanager
def calm() -> Iterator[None]:
    """Fewer collections inside: trees come and go by the million, and hardly any of them is garbage in a cycle."""
    with _collector.held():
        yield
