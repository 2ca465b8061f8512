"""What a run changes of its arguments, where the classes of the two versions make what they were look otherwise."""

from typing import Any

from dreck.trial.playing.world import World
from dreck.trial.running.describe import Describer

SAME = "as it was"
HELD = "what they held at first"


def at_first(world: World, shown: dict[str, Any], held: list[Any], namespace: dict[str, Any]) -> Any:
    """What the arguments are before the call, and what they hold then."""
    told = {**shown, HELD: [repr(Describer().of(part)) for part in held]} if held else shown
    return Describer(True, world.handled, namespace, world.maker).of(told)


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
