"""What an argument holds before a call, which somebody else may hold, too."""

import types
from typing import Any

from dreck.trial.playing.standins import StandIn

_MOST_PARTS = 12
_PARTS = (list, dict, set, bytearray)

_SMALL = 200


def parts_held(arguments: list[Any]) -> list[Any]:
    """Lists and the like inside of real objects: who gave them may hold them, too, whatever the object holds later."""
    found: list[Any] = []
    for argument in arguments:
        if isinstance(argument, StandIn | type) or "_dreck_world" in vars(type(argument)):
            continue  # made up while it is asked: what it holds is not there yet
        found += [part for part in _within(argument) if isinstance(part, _PARTS)]
    return found[:_MOST_PARTS]


def _within(argument: Any) -> list[Any]:
    """What a mapping, a tuple or an object holds itself, in slots, too."""
    if type(argument) is dict:
        return list(argument.values())
    if isinstance(argument, tuple):
        return list(argument)
    return [part for _, part in attributes_of(argument)]


def attributes_of(thing: Any) -> list[tuple[str, Any]]:
    """What an object holds under its own names, those of slots first."""
    kinds = reversed(type(thing).__mro__)
    slots = [d for kind in kinds for d in vars(kind).values() if isinstance(d, types.MemberDescriptorType)]
    names = [d.__name__ for d in slots if d.__objclass__.__module__ != "builtins"]
    return [*((name, getattr(thing, name, None)) for name in names), *getattr(thing, "__dict__", {}).items()]


def is_small(value: Any) -> bool:
    """Whether a list, dict or set is small enough to be copied before each run."""
    return type(value) in (list, dict, set) and len(value) <= _SMALL


def put_content(value: Any, content: Any) -> None:
    """The list, dict or set holds again what it held; it stays the same object."""
    if isinstance(value, list):
        value[:] = content
    else:
        value.clear()
        value.update(content)
