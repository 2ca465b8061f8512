"""What an argument holds before a call, which somebody else may hold, too."""

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
        parts = argument if type(argument) is dict else getattr(argument, "__dict__", {})
        found += [part for part in parts.values() if isinstance(part, _PARTS)]
    return found[:_MOST_PARTS]


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
