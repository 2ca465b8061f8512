"""Two steps in a row: flattening, and what flattening makes of the rest once another step is taken; told as one."""

import itertools
import shlex
import time
from collections.abc import Iterator, Sequence
from dataclasses import replace

from dreck.errors import DreckError
from dreck.model.views.measures import Tangle, measure
from dreck.source.functions import functions_in, parse
from dreck.steps.catalogue import step_named
from dreck.steps.support.scene import Scene, Wishes
from dreck.workbench.engine.flattening import flattened
from dreck.workbench.queries.gains import (
    STAND_IN,
    Offer,
    judged_offer,
    lines_added,
    offers_in,
    places_of,
    weighed_place,
    whole_tangle,
)
from dreck.workbench.results import FunctionResult

_TRIED = 3
"""Offers that are looked at again, with flattening behind them or before them."""
_LOST = 3
"""Tangle that a cut may add before flattening takes more away."""


def flat(scene: Scene) -> tuple[Offer, str] | None:
    """Flattening alone, by proof, and the text that it makes; None when it takes nothing off the reader."""
    name = scene.function.name
    text, results = flattened(scene.path, scene.text, {name})
    done = next((f for f in results if f.name == name), None)
    if done is None or not done.steps or done.after.tangle >= done.before.tangle:
        return None
    line, last = scene.node.lineno, scene.node.end_lineno or scene.node.lineno
    gain = done.before.tangle - done.after.tangle
    reason = f"{len(done.steps)} steps that flatten" if len(done.steps) > 1 else done.steps[0].reason
    target = f"{scene.path}::{name}"
    return Offer(
        target,
        line,
        last,
        _names_of(results),
        done.before,
        done.after,
        gain,
        "proved",
        _assumed(results),
        (),
        shlex.join(["dreck", "untangle", target]),
        reason,
        lines_added(scene.text, text),
    ), text


def sequences(
    scene: Scene, first: tuple[Offer, str] | None, singles: Sequence[tuple[Offer, str]], until: float
) -> Iterator[Offer]:
    """What two commands bring that neither brings alone; `first` is flattening alone, `until` processor time."""
    least = first[0].gain if first is not None else 0
    for offer, text in singles[:_TRIED]:
        if time.process_time() > until:
            return
        made = _then_flat(scene, offer, text)
        if made is not None and made.gain > least:
            yield made
    yield from _level_cuts(scene, least, until)
    if first is None or time.process_time() > until:
        return
    begun, text = first
    for offer, _ in _after(scene, text, until)[:_TRIED]:
        command = f"{begun.command} --write && {offer.command}"
        yield replace(
            offer,
            line=begun.line,
            last=begun.last,
            steps=tuple(dict.fromkeys([*begun.steps, *offer.steps])),
            before=begun.before,
            gain=begun.gain + offer.gain,
            assumptions=tuple(sorted({*begun.assumptions, *offer.assumptions})),
            command=command,
            reason=f"flattened first; {offer.reason}",
            grows=begun.grows + offer.grows,
        )


def _level_cuts(scene: Scene, least: int, until: float) -> Iterator[Offer]:
    """Cuts that take nothing away by themselves, where flattening both parts does."""
    step = step_named("named-block")
    places = (weighed_place(scene, step, place) for place in places_of(scene, step))
    for one in itertools.islice((w for w in places if w is not None and -_LOST <= w.gain <= 0), 2 * _TRIED):
        if time.process_time() > until:
            return
        offer = judged_offer(scene, one)
        made = _then_flat(scene, offer, one.place.plan.text) if offer is not None else None
        if made is not None and made.gain > least:
            yield made


def _then_flat(scene: Scene, offer: Offer, text: str) -> Offer | None:
    """An offer with flattening behind it, of the function and of what was cut out of it."""
    try:
        between = functions_in(parse(text, scene.path), text)
        known = {f.name for f in scene.functions}
        wanted = {f.name for f in between if f.name not in known or f.name == scene.function.name}
        made, results = flattened(scene.path, text, wanted)
        functions = functions_in(parse(made, scene.path), made)
    except DreckError:
        return None
    gain = whole_tangle(scene.functions) - whole_tangle(functions)
    changed = [f for f in results if f.changed]
    if gain <= offer.gain or not changed:
        return None
    own = next((f for f in functions if f.name == scene.function.name), None)
    targets = [f"{scene.path}::{f.name}".replace(STAND_IN, "NAME") for f in changed]
    return replace(
        offer,
        steps=tuple(dict.fromkeys([*offer.steps, *_names_of(changed)])),
        after=measure(own.node) if own is not None else Tangle(0, 0, 0, 0, 0),
        gain=gain,
        assumptions=tuple(sorted({*offer.assumptions, *_assumed(changed)})),
        command=f"{offer.command} --write && {shlex.join(['dreck', 'untangle', *targets])}",
        reason=f"{offer.reason}; what is left is flattened",
        grows=lines_added(scene.text, made),
    )


def _after(scene: Scene, text: str, until: float) -> list[tuple[Offer, str]]:
    """The best offers for the function once it is flat."""
    tree = parse(text, scene.path)
    functions = functions_in(tree, text)
    own = next((f for f in functions if f.name == scene.function.name), None)
    if own is None:
        return []
    again = Scene(scene.path, text, tree, functions, own, Wishes(), scene.line_length, scene.others)
    found, _ = offers_in(again, until - time.process_time())
    return sorted(found, key=lambda one: -one[0].worth)


def _names_of(results: Sequence[FunctionResult]) -> tuple[str, ...]:
    return tuple(dict.fromkeys(taken.step for f in results for taken in f.steps))


def _assumed(results: Sequence[FunctionResult]) -> tuple[str, ...]:
    return tuple(sorted({a for f in results for taken in f.steps for a in taken.verdict.assumptions}))
