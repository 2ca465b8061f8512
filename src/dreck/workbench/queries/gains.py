"""Gains: what one step would bring in a function, place by place, judged by proof alone."""

import ast
import itertools
import shlex
import time
from collections import Counter
from collections.abc import Iterator
from dataclasses import asdict, dataclass, replace
from typing import Any

from dreck.errors import DreckError
from dreck.model.views.measures import Tangle, measure
from dreck.source.files import read
from dreck.source.functions import Function, functions_in, parse
from dreck.source.walking import walk
from dreck.steps.catalogue import Step, all_steps
from dreck.steps.support.scene import NotPlanned, Plan, Scene, Wishes
from dreck.steps.support.trees import Untouchable
from dreck.workbench.compare.wanted import Wanted
from dreck.workbench.engine.reshape import Bench, judged

STAND_IN = "_name_to_be_given"
_EACH = 6
"""Offers of one step for one function."""
_MOST = 3 * _EACH
SECONDS = 20.0
"""Of the processor's time, for one function."""


@dataclass(frozen=True, slots=True)
class Offer:
    """What could be done in one place.

    `before` and `after` are of the function; `gain` is the tangle that goes, what is cut out counted, `grows` by how
    many lines the file does. `verdict` is `proved`, or `tested` where a trial has to show it. `needs` is what a person
    has to say; `command` what to type.
    """

    function: str
    line: int
    last: int
    steps: tuple[str, ...]
    before: Tangle
    after: Tangle
    gain: int
    verdict: str
    assumptions: tuple[str, ...]
    needs: tuple[str, ...]
    command: str
    reason: str
    grows: int = 0
    makes: tuple[str, ...] = ()
    """The names that the step makes by itself: they are to be read as well."""

    @property
    def worth(self) -> int:
        """What it takes off the reader, less the lines that are to be read for it: the best offer has most."""
        return self.gain - max(self.grows, 0)

    def as_json(self) -> dict[str, Any]:
        """The form documented in docs/json.md."""
        found = asdict(self)
        return found | {name: list(found[name]) for name in ("steps", "assumptions", "needs", "makes")}


def best_without_a_person(scene: Scene) -> str:
    """The step that brings most in a function by proof, and needs nothing from anybody; '' when there is none."""
    found, _ = offers_in(scene)
    free = [o for o, _ in found if not o.needs and o.verdict == "proved"]
    return max(free, key=lambda o: o.worth).steps[0] if free else ""


def offers_in(scene: Scene, seconds: float = SECONDS) -> tuple[list[tuple[Offer, str]], bool]:
    """The places in a function where a step takes something off the reader, those that bring most judged first; each
    with the text that it makes. And whether all were looked at in `seconds` of the processor's time."""
    until = time.process_time() + seconds
    weighed: list[Weighed] = []
    steps = [step for step in all_steps() if step.plans is not None]
    late = False
    for step in steps:
        late = time.process_time() > until - seconds / 2
        if late:
            break
        places = (weighed_place(scene, step, place) for place in places_of(scene, step))
        weighed += itertools.islice((one for one in places if one is not None and one.gain > 0), _MOST)
    weighed.sort(key=lambda one: -one.worth)
    found: list[tuple[Offer, str]] = []
    of_step = Counter[str]()
    for one in weighed:
        if time.process_time() > until:
            return found, False
        made = judged_offer(scene, one) if of_step[one.step.name] < _EACH else None
        if made is not None and all(made.command != other.command for other, _ in found):
            found.append((made, one.place.plan.text))
            of_step[one.step.name] += 1
    return found, not late


@dataclass(frozen=True, slots=True)
class Place:
    """A plan, and what a person has to name for it: code, or lines."""

    plan: Plan
    unnamed: str = ""
    lines: tuple[int, int] | None = None

    def typed(self, name: str, step: str) -> list[str]:
        if self.lines is not None:
            return ["dreck", "untangle", f"{name}:{self.lines[0]}-{self.lines[1]}", "--step", step, "--name", "NAME"]
        named = ["--name", f"{self.unnamed}=NAME"] if self.unnamed else []
        return ["dreck", "untangle", name, "--step", step, *named]


def places_of(scene: Scene, step: Step) -> Iterator[Place]:
    """Plans as they are, and those for which nothing is missing but a name."""
    assert step.plans is not None
    nameless: list[NotPlanned] = []
    for plan in _tried(scene, step):
        if isinstance(plan, Plan):
            yield Place(plan)
        elif plan.unnamed:
            nameless.append(plan)
    for place in nameless[:_EACH]:
        lines = _lines_in(place.unnamed)
        wishes = Wishes(alone=STAND_IN, lines=lines) if lines else Wishes(names={place.unnamed: STAND_IN})
        again = replace(scene, wishes=wishes)
        named = next((p for p in _tried(again, step) if isinstance(p, Plan) and STAND_IN in p.made), None)
        if named is not None:
            yield Place(named, place.unnamed, lines)


def _lines_in(code: str) -> tuple[int, int] | None:
    words = code.split()
    if len(words) == 4 and words[0] == "lines" and words[1].isdigit() and words[3].isdigit():
        return int(words[1]), int(words[3])
    return None


def _tried(scene: Scene, step: Step) -> Iterator[Plan | NotPlanned]:
    assert step.plans is not None
    try:
        yield from step.plans(scene)
    except (Untouchable, DreckError, RecursionError):
        return


@dataclass(frozen=True, slots=True)
class Weighed:
    """A place of a step, with what is left of the function and the tangle that goes."""

    step: Step
    place: Place
    after: Tangle
    gain: int
    grows: int

    @property
    def worth(self) -> int:
        return self.gain - max(self.grows, 0)


def weighed_place(scene: Scene, step: Step, place: Place) -> Weighed | None:
    """What a place brings; None where what comes out is no Python."""
    try:
        functions = functions_in(parse(place.plan.text, scene.path), place.plan.text)
    except DreckError:
        return None
    gain = whole_tangle(scene.functions) - whole_tangle(functions)
    own = next((f for f in functions if f.name == scene.function.name), None)
    after = measure(own.node) if own is not None else Tangle(0, 0, 0, 0, 0)
    return Weighed(step, place, after, gain, lines_added(scene.text, place.plan.text))


def judged_offer(scene: Scene, weighed: Weighed) -> Offer | None:
    """The offer that a place is, when it is not known to differ."""
    step, place, plan = weighed.step, weighed.place, weighed.place.plan
    bench = Bench(read(scene.path), (), Wishes(), Wanted(trial=False), scene.line_length, "proved")
    verdict = judged(bench, scene, step, plan)
    if verdict.status == "differs" or (verdict.status != "proved" and plan.only_if_proved):
        return None
    name = f"{scene.path}::{scene.function.name}"
    first, last = place.lines or (plan.line, plan.last or _last_line(scene, plan.line))
    return Offer(
        name,
        first,
        last,
        (step.name,),
        measure(scene.node),
        weighed.after,
        weighed.gain,
        "proved" if verdict.status == "proved" else "tested",
        verdict.assumptions,
        (*(["a name"] if place.unnamed else []), *(f"assumes {a}" for a in step.asks if a in verdict.assumptions)),
        shlex.join(place.typed(name, step.name)),
        plan.reason.replace(STAND_IN, "NAME"),
        weighed.grows,
        () if place.unnamed else plan.made,
    )


def whole_tangle(functions: list[Function]) -> int:
    return sum(measure(f.node).tangle for f in functions)


def lines_added(old: str, new: str) -> int:
    return new.count("\n") - old.count("\n")


def _last_line(scene: Scene, first: int) -> int:
    """The last line of the statement that begins at a line."""
    ends = [n.end_lineno or n.lineno for n in walk(scene.node) if isinstance(n, ast.stmt) and n.lineno == first]
    return max(ends, default=first)
