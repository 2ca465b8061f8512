"""A good guest: in a running event loop, in a pool, where standard output is no file, the host stays as it was."""

import asyncio
import gc
import io
import os
import signal
import sys
import threading
import warnings
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context

import dreck

OLD = "def fee(kilos):\n    return [kilos] if kilos > 9 else []\n"
NEW = "def fee(kilos):\n    if kilos > 9:\n        return [kilos]\n    return [][:]\n"


def told(_: int = 0) -> str:
    return dreck.compare(OLD, NEW).status


def host() -> tuple[object, ...]:
    handlers = tuple(signal.getsignal(s) for s in (signal.SIGINT, signal.SIGTERM, signal.SIGALRM))
    limits = sys.getrecursionlimit(), gc.get_threshold(), gc.isenabled(), sys.flags, os.getcwd(), dict(os.environ)
    return (list(warnings.filters), handlers, limits, sys.stdout, sys.stdin, sys.excepthook, threading.excepthook)


def test_in_a_running_event_loop():
    before = host()

    async def work() -> list[str]:
        ticks = 0

        async def tick() -> None:
            nonlocal ticks
            while True:
                await asyncio.sleep(0)
                ticks += 1

        ticking = asyncio.create_task(tick())
        found = [told(), *await asyncio.gather(*(asyncio.to_thread(told) for _ in range(4)))]
        ticking.cancel()
        assert ticks
        return found

    assert asyncio.run(work()) == ["tested"] * 5
    assert host() == before


def test_in_a_pool_of_processes():
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        assert list(pool.map(told, range(3))) == ["tested"] * 3


def test_where_standard_output_is_no_file(monkeypatch):
    """As in a notebook: nothing of it has a descriptor."""
    for name in ("stdout", "stderr", "stdin"):
        monkeypatch.setattr(sys, name, io.StringIO())
    before = host()
    assert told() == "tested"
    assert repr(dreck.compare(OLD, NEW))
    assert host() == before
    assert sys.stdout.getvalue() == "" == sys.stderr.getvalue()
