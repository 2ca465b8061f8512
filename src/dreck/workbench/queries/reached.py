"""What could be reached: the worst functions of a survey with the best that is offered for each."""

from collections.abc import Callable, Sequence
from contextlib import nullcontext
from dataclasses import replace
from functools import partial
from pathlib import Path

from dreck.errors import DreckError
from dreck.source.targets import resolve
from dreck.workbench import workers
from dreck.workbench.queries.offer import offers_of
from dreck.workbench.queries.row import Row

_WORST = 20
_SECONDS = 4.0
"""Of the processor's time, for each of them."""


def with_reached(rows: Sequence[Row], jobs: int, told: Callable[[int, int, Path], None]) -> list[Row]:
    """The rows, the worst of them with the tangle left by the offer of most gain; `rows` are in order of tangle."""
    worst = [row.function for row in rows[:_WORST] if row.tangle and not row.left]
    work = partial(_gain, seconds=_SECONDS)
    found: dict[str, int] = {}
    with workers.pool(jobs) if jobs > 1 and len(worst) > 1 else nullcontext() as pool:
        for name, gain in zip(worst, pool.map(work, worst) if pool is not None else map(work, worst), strict=True):
            found[name] = gain
            told(len(found), len(worst), Path(name.partition("::")[0]))
    taken = {name: gain for name, gain in found.items() if gain}
    return [replace(r, reached=r.tangle - taken[r.function]) if r.function in taken else r for r in rows]


def _gain(function: str, seconds: float) -> int:
    """The most tangle that an offer for a function takes away; 0 when there is none."""
    try:
        offers = [o for target in resolve(function) for o in offers_of(target, seconds)[0]]
    except (DreckError, RecursionError):
        return 0
    return max((o.gain for o in offers if o.function == function), default=0)
