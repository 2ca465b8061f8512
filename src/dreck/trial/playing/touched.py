"""Containers somewhere below an argument, made up when they are asked for: which of them have been changed."""

import copy
from collections import deque
from typing import Any

_CONTAINERS = (list, dict, set, deque, bytearray)
_BELOW = (".", "[", "#")


class Touched:
    """Remembers what containers held when they were made."""

    def __init__(self) -> None:
        self._made: dict[str, tuple[Any, Any]] = {}

    def made(self, path: str, value: Any) -> None:
        """`value` has been made up at `path`. Nobody but whoever asks for the path holds it."""
        if isinstance(value, _CONTAINERS) and any(mark in path for mark in _BELOW):
            self._made[path] = value, copy.copy(value)

    def changed(self) -> dict[str, Any]:
        """Those that hold other things now, by path."""
        return {path: value for path, (value, was) in sorted(self._made.items()) if not _holds_the_same(value, was)}


def _holds_the_same(value: Any, was: Any) -> bool:
    if len(value) != len(was) or isinstance(value, bytearray):
        return bool(value == was)
    if isinstance(value, set):
        return {id(v) for v in value} == {id(v) for v in was}
    pairs = zip(value.items(), was.items(), strict=True) if isinstance(value, dict) else zip(value, was, strict=True)
    if isinstance(value, dict):
        return all(k is other and v is mine for (k, v), (other, mine) in pairs)
    return all(v is mine for v, mine in pairs)
