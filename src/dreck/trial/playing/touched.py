"""Containers and objects somewhere below an argument, or that a call gave: which of them have been changed."""

import copy
import enum
from collections import deque
from typing import Any

from dreck.trial.running.content import held_by

_CONTAINERS = (list, dict, set, deque, bytearray)
_BELOW = (".", "[", "#", "(")


class Touched:
    """Remembers what they held when they were made."""

    def __init__(self) -> None:
        self._made: dict[str, tuple[Any, Any]] = {}

    def made(self, path: str, value: Any) -> None:
        """`value` has been made up at `path`. Nobody but whoever asks for the path holds it."""
        if not any(mark in path for mark in _BELOW):
            return
        if isinstance(value, _CONTAINERS):
            self._made[path] = value, copy.copy(value)
        elif kind_is_own(type(value)) and (held := held_by(value)) is not None and "_dreck_items" not in held:
            self._made[path] = value, _Attributes(held)

    def changed(self) -> dict[str, Any]:
        """Those that hold other things now, by path."""
        return {path: value for path, (value, was) in sorted(self._made.items()) if not _holds_the_same(value, was)}


class _Attributes(dict[Any, Any]):
    """The attributes of an object, as they were."""


def kind_is_own(kind: type) -> bool:
    """Whether objects of a class are described by their attributes: it is none of Python's own, and no class itself."""
    return kind.__module__ != "builtins" and not issubclass(kind, type | enum.Enum)


def _holds_the_same(value: Any, was: Any) -> bool:
    if isinstance(was, _Attributes):
        value = held_by(value)
    if len(value) != len(was) or isinstance(value, bytearray):
        return bool(value == was)
    if isinstance(value, set):
        return {id(v) for v in value} == {id(v) for v in was}
    pairs = zip(value.items(), was.items(), strict=True) if isinstance(value, dict) else zip(value, was, strict=True)
    if isinstance(value, dict):
        return all(k is other and v is mine for (k, v), (other, mine) in pairs)
    return all(v is mine for v, mine in pairs)
