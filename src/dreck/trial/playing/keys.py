"""Mappings made up, and their keys as they are told in an input."""

import enum
from collections import defaultdict
from typing import Any

from dreck.trial.inputs.asked.uses import Named
from dreck.trial.inputs.near import MISSING
from dreck.trial.inputs.plain import DICT_METHODS
from dreck.trial.inputs.recipes import Make, general
from dreck.trial.playing.around import Around
from dreck.trial.playing.standins import StandIn

NAMED = "what is named "
_OTHERS = 9
"""Items of keys that are not looked up are numbered from here on."""
_KEYWORDS = ["more", "extra"]
_MOST_KEYWORDS = 24
_LONGEST = 40
KEYS = (int, str, float, enum.Enum)
"""Classes whose values may be keys."""


def key_told(make: Make) -> Any:
    """A key as it is told in an input: itself, or the name of what stands for it."""
    return f"{NAMED}{make.what}" if make.kind == "named" else make.what


def mapping_at(world: Around, path: str) -> dict[Any, Any]:
    """A mapping that holds the keys the code names, and the inputs it looks up, or holds them not."""
    usage = world.candidates.usages.known(general(path))
    keys = [world.candidates.constant(k.name) if isinstance(k, Named) else k for k in usage.keys]
    held = (c for c in usage.contains if isinstance(c, str | int))
    named = dict.fromkeys([*(k for k in keys if k is not MISSING), *held])
    made = {key: world.at(f"{path}[{key!r}]") for key in named if world.answer(f"{key!r} in {path}", (True, False))}
    looked_up = [p for p in usage.key_paths if not ("{}" in p.removesuffix("{}") or "#" in p or "()" in p)]
    for number, key_path in enumerate(looked_up):
        told = key_path.replace("[]", "[0]")
        if told.endswith("{}"):
            key, told = _key(world, told[:-2], 0), f"key 0 of {told[:-2]}"
        else:
            key = world.at(told)
        can_be_key = isinstance(key, int | str | float | tuple | enum.Enum | StandIn | None)
        if can_be_key and world.answer(f"{told} in {path}", (True, False)):
            made.setdefault(key, world.at(f"{path}[{number}]"))
    if looked_up:
        for number in range(world.answer(f"others in {path}", (0, 1, 2))):
            made.setdefault(_key(world, path, number), world.at(f"{path}[{_OTHERS + number}]"))
        return made
    whole = usage.iterated or usage.methods & DICT_METHODS
    more = (2, 1, 0, 3) if not named else (0, 1, 2) if whole else (0, 1)
    for number in range(world.answer(f"len({path})", more)):
        made.setdefault(_key(world, path, number), world.at(f"{path}[{number}]"))
    return made


def keywords_at(world: Around, name: str) -> dict[str, Any]:
    """What `**name` takes: the keywords the code names, there or not, and one that it does not name."""
    usages = world.candidates.usages
    usage, each = usages.known(name), [usages.known(f"{name}{part}") for part in ("{}", "[]")]
    asked = [*usage.keys, *usage.contains, *(c for u in each for c in u.constants)]
    named = list(dict.fromkeys(key for key in asked if isinstance(key, str)))
    keys = [*named[:_MOST_KEYWORDS], *(_KEYWORDS[: 1 if named else 2])]
    return {key: world.at(f"{name}[{key!r}]") for key in keys if world.answer(f"{key!r} in {name}", (False, True))}


def spread_at(world: Around, name: str) -> list[Any]:
    """What `*name` takes: none, one, two, and about as many as the code asks for."""
    sizes = [n + d for n in world.candidates.usages.known(name).sizes for d in (0, 1, -1) if 0 <= n + d <= _LONGEST]
    count = world.answer(f"len(*{name})", tuple(dict.fromkeys([0, 1, 2, *sizes])))
    return [world.at(f"{name}[{i}]") for i in range(count)]


def below_dict(world: Around, path: str, kind: type, made_by: type | None) -> Any:
    """A mapping of a class below `dict`: what its constructor makes of a plain one."""
    content = mapping_at(world, path)
    if kind is defaultdict:
        return defaultdict(made_by, content)
    return world.own_class(kind)(content)


def _key(world: Around, path: str, number: int) -> Any:
    """The key of an item that no code names: one of those that fit, the next one when nobody chooses."""
    pool = [m for m in world.candidates.at(f"{path}{{}}") if m.kind in ("value", "named")]
    plain = [m for m in pool if isinstance(m.what, KEYS) and m.what is not None]
    if not plain or (not world.candidates.usages.by_path.get(f"{general(path)}{{}}") and not _is_typed(world, path)):
        return world.answer(f"key {number} of {path}", (f"key{number}", f"other{number}", f"key{1 - number}"))
    first = number % len(plain)
    keys = {key_told(make): make for make in (*plain[first:], *plain[:first])}
    told = world.answer(f"key {number} of {path}", tuple(keys))
    make = Make("named", told.removeprefix(NAMED)) if str(told).startswith(NAMED) else Make("value", told)
    return world.build(f"{path}{{{number}}}", make)


def _is_typed(world: Around, path: str) -> bool:
    return f"{general(path)}{{}}" in world.candidates.types
