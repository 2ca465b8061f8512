"""What code says to whoever listens: records of the log and warnings, with their levels and classes."""

import logging
import re
import warnings
from typing import Any

from dreck.trial.running.captured import Turns
from dreck.trial.running.describe import Describer, shown, without_addresses

_ASKS_FOR_LEVEL = re.compile(r"isEnabledFor|getEffectiveLevel|\.level\b|setLevel|\.disable\(")


class Hearing:
    """Listens in this process from `listen` on; `told` holds what was heard since `begin`."""

    def __init__(self) -> None:
        self.told: list[tuple[str, ...]] = []
        self._lowest = False
        self._turns = Turns()
        self._handlers: list[logging.Handler] = []
        self._records: list[tuple[int, logging.LogRecord]] = []

    def listen(self, text: str) -> None:
        """`text` is the code: where it asks for no level itself, records of each level are heard."""
        self._lowest = "log" in text and not _ASKS_FOR_LEVEL.search(text)
        self._handlers = list(logging.getLogger().handlers)
        made = logging.getLogRecordFactory()

        def record(*args: Any, **kwargs: Any) -> logging.LogRecord:
            one = made(*args, **kwargs)
            error = shown(Describer(left=False).of(one.exc_info[1])) if one.exc_info and one.exc_info[1] else ""
            self._turns.note("the log", len(self.told))
            self._records.append((len(self.told), one))
            self.told.append(("log", one.name, one.levelname, _message(one), error))
            return one

        def warning(message: Any, category: type[Warning], *others: Any, **more: Any) -> None:
            self._turns.note("the log", len(self.told))
            self.told.append(("warning", category.__name__, without_addresses(str(message))))

        logging.setLogRecordFactory(record)
        vars(warnings)["showwarning"] = warning

    def begin(self, turns: Turns) -> None:
        """`turns` is told when something is heard."""
        self.told.clear()
        self._records.clear()
        self._turns = turns
        logging.getLogger().handlers[:] = self._handlers  # those that a run has put there write to its own streams
        warnings.simplefilter("always")
        if self._lowest:
            logging.getLogger().setLevel(1)

    def heard(self) -> tuple[tuple[str, ...], ...]:
        """What was heard, with what was put beside records of the log (`extra`) once they were made."""
        told = list(self.told)
        for at, record in self._records:
            extra = {name: value for name, value in vars(record).items() if name not in _OF_ANY_RECORD}
            if extra or record.stack_info:
                told[at] = (*told[at], shown(Describer(left=False).of(extra)), "stack" if record.stack_info else "")
        return tuple(told)


_OF_ANY_RECORD = frozenset({*vars(logging.makeLogRecord({})), "message", "asctime"})


def _message(record: logging.LogRecord) -> str:
    try:
        return without_addresses(record.getMessage())
    except Exception as error:  # logging itself tells of it and goes on
        return f"{record.msg!r}, which cannot be written: {type(error).__name__}"


HEARING = Hearing()
"""The one of this process."""
