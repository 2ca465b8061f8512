"""Containers that are changed: the kinds of them that all that is done with an input speaks for."""

from collections import deque

from dreck.trial.inputs.asked.uses import Usage
from dreck.trial.inputs.recipes import Make

_KINDS: tuple[type, ...] = (list, set, deque, dict)
_CHANGING = frozenset(
    [
        *["append", "extend", "insert", "pop", "remove", "clear", "reverse", "sort", "popitem", "setdefault", "update"],
        *["add", "discard", "difference_update", "intersection_update", "symmetric_difference_update"],
        *["appendleft", "extendleft", "popleft", "rotate"],
    ]
)
DEQUE_METHODS = frozenset(["appendleft", "extendleft", "popleft", "rotate"])
"""What hardly anything else has: no more need be asked of it."""
_SIZES = (2, 1, 0, 3)


def is_container(u: Usage) -> bool:
    """Whether it is used as a container and changed, and nothing is asked of it that no container has."""
    return bool(_fitting(u))


def containers(u: Usage) -> list[Make]:
    """One of each kind that has all that is asked, in some sizes."""
    return [Make(kind.__name__, n) for kind in _fitting(u) if kind is not dict for n in _SIZES] + [
        Make("dict") for kind in _fitting(u) if kind is dict
    ]


def _fitting(u: Usage) -> list[type]:
    asked = u.attributes | u.methods
    looked_into = u.iterated or u.indexed or u.sizes or u.contains or u.key_paths or u.tested_truth
    if not asked & _CHANGING or not (looked_into or asked & DEQUE_METHODS):
        return []
    kinds = [kind for kind in _KINDS if all(hasattr(kind, name) for name in asked)]
    return [kind for kind in kinds if not (u.indexed and kind is set)]
