"""The watcher a watched function tells its tests to."""

import operator
from collections.abc import Callable
from typing import Any

from dreck.trial.playing.standins import StandIn

_COMPARE: dict[str, Callable[[Any, Any], Any]] = {
    "Eq": operator.eq,
    "NotEq": operator.ne,
    "Lt": operator.lt,
    "LtE": operator.le,
    "Gt": operator.gt,
    "GtE": operator.ge,
    "Is": operator.is_,
    "IsNot": operator.is_not,
    "In": lambda a, b: a in b,
    "NotIn": lambda a, b: a not in b,
}


_ASKABLE = (int, float, str, bytes, list, tuple, dict, set, frozenset, type(None), StandIn)


_LONG_TRAIL = 60
AGAIN = 1_000_000
"""Added to the number of a test for what it compared when it was asked for the last time of several."""


class Watcher:
    """Collects, during one run, which tests came out how, and the operands of the last comparison in each."""

    def __init__(self) -> None:
        self.reached: set[tuple[int, bool]] = set()
        self.trail: list[tuple[int, bool]] = []
        self.operands: dict[int, list[tuple[str, Any, Any]]] = {}
        self._last: list[tuple[str, Any, Any]] = []

        self.parted = False
        """Whether a condition asked in two forms has come out otherwise in the second."""

    def begin(self) -> None:
        self.parted = False
        self.reached = set()
        self.trail = []
        self.operands = {}
        self._last = []

    def compare(self, op: str, left: Any, right: Any) -> Any:
        self._last.append((op, left, right))
        return _COMPARE[op](left, right)

    def method(self, name: str, base: Any, *args: Any) -> Any:
        if isinstance(base, str | bytes):
            self._last.append((name, base, args[0] if args else None))
        return getattr(base, name)(*args)

    def parts(self, mine: Any, other: Any) -> bool:
        self.parted |= bool(mine) != bool(other)
        return bool(other)

    def test(self, number: int, value: Any) -> bool:
        outcome = bool(value)
        self._note(number, outcome, value)
        return outcome

    def value(self, number: int, value: Any) -> Any:
        if isinstance(value, bool):
            self._note(number, value, value)
        else:  # an array of them, or whatever a class answers: there is no yes and no no to be reached
            self.reached |= {(number, True), (number, False)}
        return value

    def operand(self, number: int, value: Any) -> Any:
        if isinstance(value, _ASKABLE):
            self._note(number, bool(value), value)
        return value

    def entered(self, number: int) -> None:
        self._reach(number, True)

    def passed(self, number: int) -> None:
        self.reached.add((number, True))

    def worked_out(self, number: int, value: Any) -> Any:
        self.reached.add((number, True))
        return value

    def _reach(self, number: int, outcome: bool) -> None:
        self.reached.add((number, outcome))
        if len(self.trail) < _LONG_TRAIL:
            self.trail.append((number, outcome))

    def _note(self, number: int, outcome: bool, value: Any) -> None:
        self._reach(number, outcome)
        told = self._last or [("truth", value, None)]
        if number in self.operands:
            number += AGAIN  # the last round in which it is asked: each may compare with something else
            self.operands[number] = told[-3:]
        self.operands.setdefault(number, told[-3:])
        self._last = []
