"""Processes that share the work, and end when whoever has started them is no more."""

import os
import threading
import time
from concurrent.futures import ProcessPoolExecutor

_LOOK = 0.25


def pool(jobs: int) -> ProcessPoolExecutor:
    """A pool of up to `jobs` processes, never more than there are cores."""
    return ProcessPoolExecutor(min(jobs, os.cpu_count() or 1), initializer=_end_with, initargs=(os.getpid(),))


def _end_with(parent: int) -> None:
    def watch() -> None:
        while os.getppid() == parent:
            time.sleep(_LOOK)
        os._exit(1)

    threading.Thread(target=watch, daemon=True).start()
