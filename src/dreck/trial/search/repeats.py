"""Choices in which things come again: one object in two places, the same item round after round."""

import itertools
import math
from collections.abc import Iterable, Iterator
from typing import Any

from dreck.trial.inputs.asked.uses import NOT_THERE
from dreck.trial.inputs.candidates import Candidates
from dreck.trial.inputs.recipes import Make, general
from dreck.trial.search.moves import Choice, Tried
from dreck.trial.search.smaller import mark_of

_OBJECTS = frozenset({"list", "dict", "set", "class", "instance", "stand-in", "exact"})
_ROUNDS = 4
_LONGEST = 7
STEPS = 160
"""So many inputs go into sequences that are grown item by item."""
_KINDS = 6
_UNEVEN = (1e16, 1.0, 1.0, 0.1)
_MIXED = 3
_LACKED = 12
_ASKING = 8
_DEAD = 160
_FRESH, _BESIDE = 3, 10
_EQUAL: tuple[tuple[float, float], ...] = ((1, True), (0.0, -0.0), (1, 1.0))


def twins(tried: Tried, names: list[str], candidates: Candidates) -> Iterator[Choice]:
    """The very same object for two parameters, or for one and an item of what it is looked for in."""
    for path, make in tried.used.items():
        if make.kind in ("list", "set") and make.what:
            sought = candidates.usages.known(general(path)).key_paths
            yield from ({**tried.choice, f"{path}[0]": Make("same", one)} for one in sought if one in tried.used)
    there = [n for n in names if n in tried.used and tried.used[n].kind in _OBJECTS]
    for one, other in itertools.combinations(there, 2):
        yield {**tried.choice, other: Make("same", one)}
        if tried.used[one].kind in ("list", "set") and tried.used[one].what:  # one that is filled by the other's name
            yield {**tried.choice, one: Make(tried.used[one].kind, 0), other: Make("same", one)}
        if candidates.usages.known(one).compared or candidates.usages.known(other).compared:
            yield {**tried.choice, other: Make("equal", one)}
    yield from _equal_numbers(tried, names, candidates)
    for path, make in tried.used.items():  # an item that comes twice
        if path.endswith("[1]") and make.kind in _OBJECTS:
            yield {**tried.choice, path: Make("same", f"{path[:-3]}[0]")}


def among_own(tried: Iterable[Tried], candidates: Candidates) -> Iterator[Choice]:
    """Where an object of a class of the project may stand and need not, it, with all that may stand beside it."""
    seen: set[tuple[str, Any]] = set()
    for one in tried:
        for path, make in one.used.items():
            if make.kind not in _OWN or not path.isidentifier() or len(seen) >= _KINDS:
                continue
            if (key := (path, make.what if isinstance(make.what, str) else id(make.what))) not in seen:
                seen.add(key)
                if any(m.kind not in _OWN for m in candidates.at(path)):
                    others = [name for name in one.used if name != path and name.isidentifier()]
                    yield from ({**one.choice, path: make, n: m} for n in others for m in candidates.at(n)[:_BESIDE])


_OWN = frozenset({"class", "instance", "exact"})


def freshly(before: Tried, found: Tried | None, candidates: Candidates) -> Iterator[Choice]:
    """What an input has brought up that stood nowhere before, as something else."""
    fresh = [path for path in found.used if path not in before.used] if found is not None else []
    for path in fresh[:_FRESH]:
        yield from ({**found.choice, path: make} for make in candidates.at(path)[:_BESIDE] if found is not None)


def through_once(tried: Tried, candidates: Candidates) -> Iterator[Choice]:
    """The same items, in what can be gone through only once, where such a thing may stand."""
    for path, make in tried.used.items():
        if make.kind == "list" and any(m.kind == "iterator" for m in candidates.at(general(path))):
            yield {**tried.used, path: Make("iterator", make.what)}


def lacking(tried: Tried, candidates: Candidates) -> Iterator[Choice]:
    """The same input with objects that lack one of the attributes they were asked for, and all from one on: that
    tells in which order they are asked."""
    known = candidates.lacking
    asked = [path for path in tried.used if path in known.read]
    if len(asked) > _LACKED:  # what no way before has gone without comes first
        chosen = sorted(asked, key=known.left_out.__contains__)[:_LACKED]
        asked = [path for path in asked if path in chosen]
    known.left_out.update(asked)
    missing = {path: Make("raise", f"{NOT_THERE}{path}") for path in asked}
    for number, path in enumerate(asked):
        yield {**tried.choice, path: missing[path]}
        yield {**tried.choice, **{other: missing[other] for other in asked[number:]}}


def apart(all_tried: list[Tried], candidates: Candidates) -> Iterator[Choice]:
    """Objects of a class that is not the same in both versions, in each place of the first input, and without what it
    has in one version only, on the inputs that asked them for it."""
    seen: set[tuple[str, Any]] = set()
    places = [path for tried in all_tried[:1] for path in tried.used][:_ASKING] if candidates.apart else []
    for path, (kind, names) in itertools.product(places, candidates.apart.items()):
        if (made := Make("instance", kind)) in candidates.at(path):
            words = [Make("value", name) for name in sorted(names)]
            said = [{other: word} for other in places for word in words if word in candidates.at(other)]
            yield from ({**all_tried[0].choice, **more, path: made} for more in ({}, *said[:_ASKING]))
    for tried in all_tried if candidates.apart else ():
        for path, make in tried.used.items():
            lacked = candidates.apart.get(str(make.what), frozenset()) if make.kind in ("instance", "exact") else ()
            missing = [f"{path}.{name}" for name in sorted(lacked) if f"{path}.{name}" in tried.used]
            if missing and (path, tried.trail) not in seen and len(seen) < _ASKING:
                seen.add((path, tried.trail))
                yield {**tried.choice, **{part: Make("raise", f"{NOT_THERE}{part}") for part in missing}}


def fatal(all_tried: list[Tried]) -> Iterator[Choice]:
    """Two things of which a run dies, each in a way of its own, at once: that tells which is asked first. Items of
    one collection are no two things: whether all are read before the first is used, nobody asks."""
    ended = {mark_of(tried.choice) for tried in all_tried if tried.old.error is None}
    deaths: dict[tuple[str, str], Choice] = {}
    dead = sorted((t for t in all_tried if t.old.error is not None), key=lambda t: len(t.choice))
    for tried in dead[:_DEAD]:
        for path in tried.choice:
            if mark_of({p: make for p, make in tried.choice.items() if p != path}) in ended:
                deaths.setdefault((path, repr(tried.old.error)), tried.choice)
    pairs = itertools.combinations(deaths.items(), 2)
    for ((p, one), mine), ((q, other), theirs) in pairs:
        if general(p) != general(q) and one != other:
            yield {**mine, **theirs}


def _equal_numbers(tried: Tried, names: list[str], candidates: Candidates) -> Iterator[Choice]:
    """Numbers that equal each other and are not the same, where two are compared: `1` and `True`, `0.0` and `-0.0`."""
    kinds = {n: _numbers_at(n, candidates) for n in names if n in tried.used and candidates.usages.known(n).compared}
    for one, other in itertools.permutations(kinds, 2):
        for mine, theirs in _EQUAL:
            if type(mine) in kinds[one] and type(theirs) in kinds[other]:
                yield {**tried.choice, one: Make("value", mine), other: Make("value", theirs)}


def _numbers_at(name: str, candidates: Candidates) -> set[type]:
    """The classes of the numbers that may stand there: a truth value is a whole number, too."""
    found = {type(make.what) for make in candidates.at(name) if make.kind == "value"} & {int, float}
    return found | ({bool} if int in found else set())


def met(tried: Tried) -> Iterator[Choice]:
    """The very same object in two places that were asked whether they are equal."""
    for one, other in sorted(tried.met):
        if one in tried.used and other in tried.used and not one.startswith(other) and not other.startswith(one):
            yield {**tried.choice, one: Make("same", other)}


def swapped(tried: Tried) -> Iterator[Choice]:
    """Two keys of a mapping in the other order: what is sorted comes as before, what is gone through does not."""
    for path, make in tried.used.items():
        whole = path.removeprefix("key 0 of ")
        other = tried.used.get(f"key 1 of {whole}")
        if whole != path and other is not None and other != make:
            yield {**tried.choice, path: other, f"key 1 of {whole}": make}


def no_numbers(tried: Tried, names: list[str], candidates: Candidates) -> Iterator[Choice]:
    """The very same NaN where one is looked for among others, or two are compared: `in` finds it, and lists and tuples
    that hold it are equal; `==` does not."""
    usages = candidates.usages
    if any(usages.known(name).compared for name in names):
        yield from _all_the_same_nan(tried, candidates)
    there = [n for n in names if n in tried.used and n not in candidates.types and not usages.known(n).subscripted]
    if any(candidates.usages.known(name).among for name in there):
        for one, other in itertools.combinations(there, 2):
            yield {**tried.choice, one: Make("value", math.nan), other: Make("value", math.nan)}


def _all_the_same_nan(tried: Tried, candidates: Candidates) -> Iterator[Choice]:
    """One NaN in each place that may hold a floating-point number; lists of one and of two of them."""
    lists = [path for path, make in tried.used.items() if make.kind in ("list", "tuple") and "[" not in path]
    for length in (1, 2) if lists else ():
        items = [f"{path}[{i}]" for path in lists for i in range(length)]
        fits = [path for path in items if _may_be_nan(general(path), candidates)]
        if fits:
            sizes = {path: Make(tried.used[path].kind, length) for path in lists}
            yield {**tried.choice, **sizes, **{path: Make("value", math.nan) for path in fits}}
    numbers = [path for path in tried.used if _may_be_nan(general(path), candidates)]
    if len(numbers) > 1:
        yield {**tried.choice, **{path: Make("value", math.nan) for path in numbers}}


def _may_be_nan(path: str, candidates: Candidates) -> bool:
    makes = candidates.at(path)
    return any(make.kind == "value" and type(make.what) is float for make in makes) or (
        path not in candidates.types and Make("value", 3) in makes
    )


def rounds(tried: Tried, candidates: Candidates) -> Iterator[Choice]:
    """Four rounds of a loop, each with the same item, with two items in turn, and with numbers that are summed to
    something else from the other end."""
    for path, make in tried.used.items():
        if make.kind not in ("list", "iterator", "tuple") or "[" in path:
            continue
        longer = {**tried.choice, path: Make(make.kind if make.kind != "tuple" else "list", _ROUNDS)}
        parts = [p for p in tried.used if p.startswith(f"{path}[0]") and "(" not in p] or [f"{path}[0]"]
        for part in dict.fromkeys(parts):
            below = part[len(path) + 3 :]
            fits = candidates.at(general(part))[:_KINDS]
            for item in fits:
                yield {**longer, **{f"{path}[{i}]{below}": item for i in range(_ROUNDS)}}
            if any(type(m.what) is float for m in candidates.at(general(part))):
                yield {**longer, **{f"{path}[{i}]{below}": Make("value", n) for i, n in enumerate(_UNEVEN)}}
            for pair in itertools.permutations(fits[:_MIXED], 2):
                yield {**longer, **{f"{path}[{i}]{below}": pair[i % 2] for i in range(_ROUNDS)}}


def grown(ways: Iterable[Tried], candidates: Candidates) -> Iterator[Choice]:
    """One item more behind those of an input that went a way of its own: sequences that code walks through as a
    machine walks through its states come up so, each state with each item."""
    for tried in ways:
        for path, make in tried.used.items():
            if make.kind not in ("list", "iterator") or "[" in path or make.what >= _LONGEST:
                continue
            fits = [m for m in candidates.at(f"{path}[]") if m.kind in ("value", "named")]
            if len(candidates.usages.known(f"{path}[]").constants) < _MIXED:
                continue
            for item in fits[: 2 * _KINDS]:
                yield {**tried.used, path: Make(make.kind, make.what + 1), f"{path}[{make.what}]": item}
