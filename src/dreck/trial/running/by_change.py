"""What a run changes of its arguments, where the classes of the two versions make what they were look otherwise."""

from collections.abc import Iterator
from typing import Any

from dreck.trial.playing.standins import StandIn
from dreck.trial.playing.world import World
from dreck.trial.running.describe import Describer
from dreck.trial.running.held import attributes_of

SAME = "as it was"
HELD = "what they held at first"


def at_first(world: World, shown: dict[str, Any], held: list[Any], namespace: dict[str, Any]) -> Any:
    """What the arguments are before the call, and what they hold then."""
    told = {**shown, HELD: [repr(Describer().of(part)) for part in held]} if held else shown
    return Describer(True, world.handled, namespace, world.maker).of(told)


def changes(describe: Describer, shown: dict[str, Any], before: Any) -> Any:
    """What is not as it was before; from then on what lies in an argument is told by where it lies, since its number
    may be another one in the other version."""
    arguments = describe.of(shown)
    describe.tell_by_path(_paths(shown))
    return only_changed(before, arguments)


def _paths(shown: dict[str, Any]) -> dict[int, str]:
    """Where each object lies that the arguments lead to, by the shortest way; what has no identity of its own is left
    out."""
    found: dict[int, str] = {}
    pending = [(name, value) for name, value in shown.items() if not name.startswith("what ")]
    while pending and len(found) < _MOST:
        path, value = pending.pop(0)
        if id(value) in found or type(value) in _PLAIN:
            continue
        found[id(value)] = path
        pending += [(f"{path}{label}", part) for label, part in _parts(value)]
    return found


_MOST = 5_000
_PLAIN = (int, str, float, bool, bytes, complex, type(None))


def _parts(value: Any) -> Iterator[tuple[str, Any]]:
    """What a value holds, by the way to it."""
    if isinstance(value, dict):
        yield from ((f"[{key!r}]" if type(key) in _PLAIN else "[]", part) for key, part in value.items())
    elif isinstance(value, list | tuple):
        yield from ((f"[{at}]", part) for at, part in enumerate(value))
    if not isinstance(value, StandIn):
        yield from ((f".{name}", part) for name, part in attributes_of(value))


def only_changed(before: Any, after: Any) -> Any:
    """Of a description, what is not as it was before; attributes and keys by their names, items by their places."""
    if before == after:
        return SAME
    if not isinstance(before, tuple) or not isinstance(after, tuple) or len(before) != len(after):
        return after
    if before[:1] != after[:1] and not _are_alike(before, after):
        return after
    pairs = enumerate(zip(before, after, strict=True))
    return tuple((_label(at, one, other), only_changed(one, other)) for at, (one, other) in pairs if one != other)


def _are_alike(before: Any, after: Any) -> bool:
    """Whether both are rows of pairs, or of items: what begins with a description is no description itself."""
    return all(isinstance(d, tuple) and d and isinstance(d[0], tuple) for d in (before, after))


def _label(at: int, before: Any, after: Any) -> Any:
    is_pair = all(isinstance(d, tuple) and len(d) == 2 and isinstance(d[0], tuple) for d in (before, after))
    return before[0] if is_pair and before[0] == after[0] else at
