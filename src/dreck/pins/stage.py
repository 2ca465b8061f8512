"""What stands around the lines of a case when they are run, and what there is to say of the values they meet."""

import types
from collections.abc import Callable
from typing import Any

from dreck.pins.literals import own_kind
from dreck.trial.case import HELPERS
from dreck.trial.running.describe import state_of


class _Raises:
    def __init__(self, kind: type[BaseException]) -> None:
        self.kind = kind
        self.value: BaseException | None = None

    def __enter__(self) -> "_Raises":
        return self

    def __exit__(self, kind: Any, value: Any, trace: Any) -> bool:
        assert kind is not None, "did not raise"
        self.value = value
        return issubclass(kind, self.kind)


class Pytest:
    raises = _Raises


class LiveModule:
    """A module's names as attributes."""

    def __init__(self, namespace: dict[str, Any]) -> None:
        object.__setattr__(self, "__dict__", namespace)


def known_parts(values: dict[str, Any]) -> dict[int, str]:
    """Names for the objects reached from the arguments, by id."""
    found: dict[int, str] = {}
    pending: list[tuple[str, Any, int]] = [(name, value, 0) for name, value in values.items()]
    while pending:
        name, value, depth = pending.pop(0)
        if id(value) in found or value is None or isinstance(value, bool | int | float | str | bytes):
            continue
        found[id(value)] = name
        if depth > 3:
            continue
        if isinstance(value, list | tuple):
            pending += [(f"{name}[{i}]", v, depth + 1) for i, v in enumerate(value[:20])]
        elif isinstance(value, dict):
            pending += [(f"{name}[{k!r}]", v, depth + 1) for k, v in value.items() if isinstance(k, str | int)]
        elif isinstance(value, types.SimpleNamespace) or own_kind(type(value)).__module__ not in ("unittest.mock",):
            pending += [(f"{name}.{k}", v, depth + 1) for k, v in state_of(value).items()]
    return found


def compares(value: Any, known: dict[int, str]) -> bool:
    """Whether `==` on `value` says what has to be said."""
    if id(value) in known:
        return True
    if isinstance(value, list | tuple | set | frozenset):
        return all(compares(v, known) for v in value)
    if isinstance(value, dict):
        return all(compares(v, known) for v in value.values())
    if isinstance(value, float):
        return value == value
    if isinstance(value, BaseException):
        return False
    if type(value).__module__ == "unittest.mock":
        return True
    has_own = "__eq__" in {name for kind in type(value).__mro__[:-1] for name in vars(kind)}
    return has_own or isinstance(value, type | types.FunctionType | type(None))


def plain_state(value: Any) -> Any:
    """What the helper `state` in the file makes of `value`."""
    space: dict[str, Callable[[Any], Any]] = {}
    exec(HELPERS["state"], space)
    return space["state"](value)
