"""Holding still what differs from run to run: the clock, randomness, unique names.

The process of a trial sees one instant, always the same at the start of a run; sleeping moves it on at once.
`hold` must be called before the code under trial is executed, so that `from time import time` gets it, too.
"""

import datetime
import os
import random
import re
import time
import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

_INSTANT = 1_750_000_000.0
_ZONE, _OTHER_ZONE = "YRD-05:45", "YRD+03:30"
"""Where the process stands, and where else it might: local time is not universal time (IEEE 1003.1, 8.3)."""
_A_CALL = 0.25
"""Seconds that a call of code elsewhere takes."""
_PROCESS = 4_242
"""The number of every process under trial."""
_SOURCES = {
    "time.time": r"\btime\s*\(\s*\)",
    "time.perf_counter": r"\bperf_counter(_ns)?\s*\(",
    "time.monotonic": r"\bmonotonic(_ns)?\s*\(",
    "time.process_time": r"\bprocess_time(_ns)?\s*\(",
    "uuid.uuid1": r"\buuid1\s*\(",
    "id": r"\bid\s*\(",
    "object addresses": r"\brepr\s*\(|!r\b",
}


class Still:
    """The instant and the chances of one run. `begin` before each run puts both back to where they were."""

    def __init__(self, instant: float = _INSTANT, seed: int = 20) -> None:
        self.instant = instant
        self.seed = seed
        self.slept = 0.0
        """Seconds slept since the run began."""
        self._now = instant
        self._chance = random.Random(seed)

    def begin(self) -> None:
        self._now = self.instant
        self.slept = 0.0
        self._chance = random.Random(self.seed)
        random.seed(self.seed)

    @contextmanager
    def another(self) -> Iterator[None]:
        """Another instant, other chances: what comes out the same does not depend on them."""
        before = self.instant, self.seed
        self.instant, self.seed = self.instant + 400 * 86_400 + 3_661, self.seed + 1
        _stand_in(_OTHER_ZONE)
        try:
            yield
        finally:
            self.instant, self.seed = before
            _stand_in(_ZONE)

    def hold(self, text: str) -> None:
        """From now on this process reads this clock. Dates are held when `text` asks for the current one."""
        _stand_in(_ZONE)
        place = vars(time)
        place["time"] = lambda: self._now
        place["time_ns"] = lambda: int(self._now * 1_000_000_000)
        place["sleep"] = self._sleep
        place = vars(os)
        place["getpid"], place["getppid"] = (lambda: _PROCESS), (lambda: _PROCESS - 1)
        place["urandom"] = lambda size: self._chance.randbytes(size)
        vars(random)["_urandom"] = place["urandom"]
        vars(uuid)["uuid1"] = lambda node=None, clock_seq=None: uuid.UUID(bytes=self._chance.randbytes(16), version=1)
        if re.search(r"\b(now|utcnow|today)\s*\(", text):
            self._hold_dates()

    def passes(self) -> None:
        """Something has been done elsewhere: the clock shows a little more, and chances have been taken."""
        self._now += _A_CALL
        self._chance.random()
        random.random()

    def _sleep(self, seconds: float) -> None:
        self.slept += max(0.0, float(seconds))
        self._now += max(0.0, float(seconds))

    def _hold_dates(self) -> None:
        """`datetime` and `date` that tell this clock; what they make are instances of the real ones as well."""
        real_datetime, real_date, still = datetime.datetime, datetime.date, self

        class Held(type):
            real: type

            def __instancecheck__(cls, instance: object) -> bool:
                return isinstance(instance, cls.real)

            def __subclasscheck__(cls, other: type) -> bool:
                return issubclass(other, cls.real)

        def now(cls: Any, tz: Any = None) -> Any:
            return real_datetime.fromtimestamp(still._now, tz)

        def utcnow(cls: Any) -> Any:
            return real_datetime.fromtimestamp(still._now, datetime.UTC).replace(tzinfo=None)

        def today(cls: Any) -> Any:
            return real_date.fromtimestamp(still._now)

        def plain(cls: Any, *args: Any, **kwargs: Any) -> Any:
            return cls.real(*args, **kwargs)

        told = {"__new__": plain, "__module__": "datetime"}
        moments = {"now": classmethod(now), "utcnow": classmethod(utcnow), "today": classmethod(now)}
        vars(datetime)["datetime"] = Held("datetime", (real_datetime,), {**told, **moments, "real": real_datetime})
        vars(datetime)["date"] = Held("date", (real_date,), {**told, "today": classmethod(today), "real": real_date})


def _stand_in(zone: str) -> None:
    os.environ["TZ"] = zone
    time.tzset()


def wavering(text: str) -> str:
    """What in `text` may differ from run to run and is not held still; empty when nothing is seen."""
    found = [name for name, pattern in _SOURCES.items() if re.search(pattern, text)]
    return ", ".join(name for name in found if name != "time.time")
