"""Runs: statements of one form in a row, planned together."""

import ast
from collections.abc import Callable, Iterator, Sequence

from dreck.steps.support.chains import all_blocks
from dreck.steps.support.scene import NotPlanned, Plan, Scene
from dreck.steps.support.trees import Untouchable

_FEWEST = 3


def planned_runs(
    scene: Scene, length: Callable[[list[ast.stmt], int], int], planned: Callable[[list[ast.stmt]], Plan]
) -> Iterator[Plan | NotPlanned]:
    """A plan for every run of three statements or more; `length` says how many from a place on are of one form."""
    for block in all_blocks(scene.node.body):
        at = 0
        while at < len(block):
            count = length(block, at)
            if count >= _FEWEST:
                yield _planned(block[at : at + count], planned)
            at += max(1, count)


def _planned(run: Sequence[ast.stmt], planned: Callable[[list[ast.stmt]], Plan]) -> Plan | NotPlanned:
    try:
        return planned(list(run))
    except Untouchable as error:
        return NotPlanned(run[0].lineno, str(error))
