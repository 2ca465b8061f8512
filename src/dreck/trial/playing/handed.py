"""What code elsewhere was handed, as it is in the end: whoever has kept it sees what is done to it later."""

from collections import deque
from collections.abc import Iterable
from typing import Any

from dreck.trial.running.describe import Describer

_CONTAINERS = (list, dict, set, deque, bytearray)
_MOST = 24


class Handed:
    """Containers, and objects of the module's own classes, that calls were given, with what they were then."""

    def __init__(self, module: Any) -> None:
        self._module = module
        self._given: list[tuple[str, Any, Any]] = []

    def note(self, path: str, values: Iterable[Any]) -> None:
        """A call at `path` was given these."""
        for value in values:
            own = type(value).__module__ == self._module and not isinstance(value, type)
            if (own or isinstance(value, _CONTAINERS)) and len(self._given) < _MOST:
                self._given.append((path, value, Describer().of(value)))

    def changed(self) -> list[tuple[str, Any]]:
        """Those that are something else by now, in the order of the calls."""
        now = ((path, Describer().of(value), then) for path, value, then in self._given)
        return [(path, described) for path, described, then in now if described != then]
