"""The catalogue: where all steps are found."""

import importlib
import pkgutil
from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache

from dreck.errors import DreckError
from dreck.steps import outside
from dreck.steps.step import Options, Rewrite, Setting, Site, Step

__all__ = [
    "Options",
    "Rewrite",
    "Setting",
    "Site",
    "Step",
    "all_steps",
    "default_steps",
    "step_named",
    "with_step",
]


@cache
def all_steps() -> tuple[Step, ...]:
    """Every step, in the order they are tried. A module of the rooms below with a `STEP` is a step; other packages
    bring more (`dreck.steps.outside`)."""
    return _sorted(_steps_below("dreck.steps"))


@cache
def default_steps() -> tuple[Step, ...]:
    """Those that are taken without being asked for by name. All of Dreck's own stand in one room: the others are not
    loaded for them."""
    return tuple(step for step in _sorted(_steps_below("dreck.steps.flatten")) if step.by_default)


def _steps_below(package: str) -> list[Step]:
    found = []
    for info in pkgutil.walk_packages(importlib.import_module(package).__path__, f"{package}."):
        step = getattr(importlib.import_module(info.name), "STEP", None)
        if isinstance(step, Step):
            found.append(step)
    return found


def _sorted(found: list[Step]) -> tuple[Step, ...]:
    return tuple(
        sorted([*found, *outside.outside_steps(step.name for step in found)], key=lambda step: (step.order, step.name))
    )


def step_named(name: str) -> Step:
    """The step of that name. Raises DreckError when there is none."""
    for step in all_steps():
        if step.name == name:
            return step
    import difflib

    near = difflib.get_close_matches(name, [step.name for step in all_steps()], 1)
    hint = f"did you mean '{near[0]}'? `dreck steps` lists them" if near else "`dreck steps` lists them"
    raise DreckError(f"no step '{name}'; {hint}")


@contextmanager
def with_step(step: Step) -> Iterator[None]:
    """As long as the block lasts `step` is one of all steps, whether a package brings it or not."""
    outside.at_hand.append(step)
    all_steps.cache_clear()
    default_steps.cache_clear()
    try:
        yield
    finally:
        outside.at_hand.remove(step)
        all_steps.cache_clear()
        default_steps.cache_clear()
