"""Arguments drawn at random that are containers of plain values: lists of any length, tuples, sets, mappings, rows."""

import dataclasses
import random
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from dreck.trial.inputs.candidates import Candidates
from dreck.trial.inputs.recipes import Make, general
from dreck.trial.playing.world import World
from dreck.trial.sandbox.cage import TimeUp
from dreck.trial.search.moves import Choice

_CONTAINERS = ("list", "tuple", "set", "dict", "deque")
_SIZES = (0, 1, 2, 3, 4, 5, 6, 9, 13)
_POOL = 4
_FEW_NUMBERS = (*range(-3, 6), -7, 10)


@dataclass(slots=True)
class Row:
    """The arguments of one call, for each of both versions, and the choice that makes them."""

    choice: Choice
    old: list[Any]
    new: list[Any]


class Drawing(Choice):
    """A choice that makes up its mind when it is asked: what stands at a path is drawn from what may stand there.

    What stands in one container is drawn from few values, so that some of them are the same.
    """

    def __init__(self, candidates: Candidates, pick: random.Random) -> None:
        super().__init__()
        self._candidates = candidates
        self._pick = pick
        self._pools: dict[str, list[Make]] = {}
        self.is_plain = True
        """Whether nothing but plain values and containers of them was found to stand anywhere."""

    def get(self, path: str, default: Any = None) -> Any:
        if path not in self:
            self[path] = self._drawn(path)
        return self[path]

    def _drawn(self, path: str) -> Make:
        if path in ("", None):
            return Make("value", None)
        name = general(path)
        if name == path:
            return self._pick.choice(self._known(path))
        if name not in self._pools:
            known = self._known(path)
            self._pools[name] = [self._pick.choice(known) for _ in range(_POOL)]
        return self._pick.choice(self._pools[name])

    def _known(self, path: str) -> list[Make]:
        """What may stand there and is plain: numbers near nothing among them, and lists of any length."""
        known = [make for make in self._candidates.at(path) if is_plain(make)]
        if not known:
            self.is_plain = False
            return [Make("value", None)]
        sizes = [make for make in known if make.kind == "list"]
        known = [m for m in known if m not in sizes] + [Make("list", n) for n in _SIZES if sizes]
        kinds = {type(make.what) for make in known if make.kind == "value"}
        small = [Make("value", kind(n)) for kind in (int, float) if kind in kinds for n in _FEW_NUMBERS]
        return [*known, *small] if " " not in path else known


_MOST_TOO_LARGE = 100


def is_plain(make: Make) -> bool:
    """Whether a recipe makes a plain value, or a container that may hold nothing else."""
    if make.kind == "class":
        return isinstance(make.what, type) and dataclasses.is_dataclass(make.what)
    return make.kind in ("value", "named", "flags", *_CONTAINERS)


def rows_drawn(
    candidates: Candidates, names: list[str], spaces: tuple[dict[str, Any], dict[str, Any]], pick: random.Random
) -> Iterator[Row]:
    """Rows of arguments without end, each made anew for either version; none where something is not plain."""
    too_large = 0
    while too_large < _MOST_TOO_LARGE:
        drawing = Drawing(candidates, pick)
        first = World(candidates, drawing, spaces[0])
        try:
            old = [first.at(name) for name in names]
            new = arguments(candidates, dict(first.used), names, spaces[1])
        except TimeUp:  # it was drawn larger than a world may be
            too_large += 1
            continue
        except Exception:
            return
        if not drawing.is_plain:
            return
        yield Row(dict(first.used), old, new)


def arguments(candidates: Candidates, choice: Choice, names: list[str], space: dict[str, Any]) -> list[Any]:
    """What a choice makes of each parameter."""
    world = World(candidates, choice, space)
    if all(name in choice and choice[name].kind in ("value", "named") for name in names):
        return [world.build(name, choice[name]) for name in names]
    return [world.at(name) for name in names]
