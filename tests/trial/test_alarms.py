"""Alarms that end a run go off in it, and never after it."""

import signal
from typing import Any

import pytest

from dreck.trial.sandbox.cage import Cage, TimeUp


def test_one_that_goes_off_while_they_are_taken_back(monkeypatch):
    real, gone_off = signal.setitimer, list[int]()

    def late(which: int, seconds: float, *rest: float) -> Any:
        if not seconds and not gone_off:
            gone_off.append(which)
            raise TimeUp
        return real(which, seconds, *rest)

    monkeypatch.setattr(signal, "setitimer", late)
    with pytest.raises(TimeUp), Cage.timed(None, 60):  # type: ignore[arg-type]
        pass
    assert gone_off
    assert signal.getitimer(signal.ITIMER_PROF) == signal.getitimer(signal.ITIMER_REAL) == (0.0, 0.0)
