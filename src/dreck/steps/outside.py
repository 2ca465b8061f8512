"""Steps from outside: packages that are installed beside Dreck and bring steps of their own.

A package names them in its metadata, in the group `dreck.steps`; what is named is a `Step` or several. They are
trusted no more than Dreck's own: the judge decides on what they make.
"""

import logging
import os
import re
import sys
from collections.abc import Iterable
from importlib.machinery import PathFinder
from typing import TYPE_CHECKING

from dreck.steps.step import Step

if TYPE_CHECKING:
    from importlib.metadata import EntryPoint

GROUP = "dreck.steps"
_METADATA = (".dist-info", ".egg-info", "EGG-INFO")
_NAME = re.compile(r"[a-z]+(-[a-z]+)*")
_log = logging.getLogger("dreck")
at_hand: list[Step] = []
"""Steps that are no package's: a test tries them."""


def outside_steps(taken: Iterable[str]) -> list[Step]:
    """Steps of other packages. One that cannot be loaded, or whose name is `taken`, is left out and told of."""
    found = list(at_hand)
    names = {*taken, *(step.name for step in found)}
    for point in _points():
        for step in _loaded(point):
            against = _against(step, names)
            if against:
                _log.warning("%s: left out: %s", _told(point), against)
                continue
            names.add(step.name)
            found.append(step)
    return found


def _points() -> "list[EntryPoint]":
    """What installed packages name. What reads metadata is loaded only where some package speaks of the group."""
    others = (finder for finder in sys.meta_path if finder is not PathFinder)
    if not any(hasattr(finder, "find_distributions") for finder in others) and not any(map(_speaks, sys.path)):
        return []
    from importlib.metadata import entry_points

    return sorted(entry_points(group=GROUP), key=lambda point: point.name)


def _speaks(place: str) -> bool:
    """Whether a package in a folder of the path may name steps; of anything but a folder nothing is known."""
    if not os.path.isdir(place or "."):
        return os.path.exists(place)
    with os.scandir(place or ".") as entries:
        return any(_names_steps(entry.path) for entry in entries if entry.name.endswith(_METADATA))


def _names_steps(folder: str) -> bool:
    try:
        with open(os.path.join(folder, "entry_points.txt"), "rb") as file:
            return GROUP.encode() in file.read()
    except OSError:
        return False


def _loaded(point: "EntryPoint") -> list[Step]:
    try:
        made = point.load()
    except Exception as error:
        _log.warning("%s: cannot be loaded: %s: %s", _told(point), type(error).__name__, error)
        return []
    several = [made] if isinstance(made, Step) else list(made) if isinstance(made, list | tuple) else []
    steps = [step for step in several if isinstance(step, Step)]
    if not steps:
        _log.warning("%s: left out: it is no Step, and no list of them", _told(point))
    return steps


def _against(step: Step, names: set[str]) -> str:
    if not _NAME.fullmatch(step.name):
        return f"'{step.name}' is no name for a step; small letters and hyphens make one"
    return f"there is a step '{step.name}' already" if step.name in names else ""


def _told(point: "EntryPoint") -> str:
    home = point.dist.name if point.dist is not None else "an unknown package"
    return f"steps of {home} ({point.value})"
