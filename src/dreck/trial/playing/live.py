"""What can do or give something, and is told by its use: functions made inside, generators, coroutines, lazy walks."""

import functools
import itertools
import types
from collections import OrderedDict, defaultdict, deque
from collections.abc import Mapping
from typing import Any

from dreck.trial.running.content import held_by, in_slots

_DEEP = 4
_MOST_PARTS = 60
_DRIVEN = (types.GeneratorType, types.CoroutineType, types.AsyncGeneratorType)
_COUNTED = (itertools.count, itertools.cycle, itertools.repeat)
_PLAIN: tuple[Any, ...] = ([], (), {}, "", b"", range(0))
LEFT_TO_SEE: tuple[type, ...] = tuple(type(iter(plain)) for plain in _PLAIN)
"""What is left of these can be looked at without taking it away."""


def live_parts(whole: Any, namespace: Mapping[str, Any]) -> list[Any]:
    """Those in `whole` that no name of the module stands for, first come first; functions only of the module itself."""
    found: list[Any] = []
    _look_through(whole, namespace.get("__name__"), {id(value) for value in namespace.values()}, found, _DEEP)
    return found


def is_walk(value: Any) -> bool:
    """Whether it is a lazy walk through other things, which says nothing of itself."""
    kind = type(value)
    is_lazy = kind.__module__ in ("builtins", "itertools") and hasattr(kind, "__next__")
    return is_lazy and not issubclass(kind, (*_DRIVEN, *_COUNTED, *LEFT_TO_SEE))


def _look_through(whole: Any, own: Any, seen: set[int], found: list[Any], deep: int) -> None:
    if id(whole) in seen or len(found) >= _MOST_PARTS:
        return
    seen.add(id(whole))
    if (
        isinstance(whole, _DRIVEN)
        or is_walk(whole)
        or (isinstance(whole, types.FunctionType) and whole.__module__ == own)
    ):
        found.append(whole)
    elif deep:
        for part in _parts(whole, own)[:_MOST_PARTS]:
            _look_through(part, own, seen, found, deep - 1)


def _parts(whole: Any, own: Any) -> list[Any]:
    kind = type(whole)
    if kind in (list, tuple, set, frozenset, deque):
        return list(whole)
    if kind in (dict, OrderedDict, defaultdict):
        return [*whole.values(), getattr(whole, "default_factory", None)]
    if kind is functools.partial:
        return [whole.func, *whole.args, *whole.keywords.values()]
    if kind.__module__ != own and kind is not types.SimpleNamespace:
        return []
    held = held_by(whole)
    return [*held.values(), *in_slots(whole).values()] if "_dreck_path" not in held else []
