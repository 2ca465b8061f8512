"""A line of a survey."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Row:
    """One function of a survey: where it is, its measures, the steps with a place in it."""

    function: str
    line: int
    tangle: int
    depth: int
    ways: int
    longest_test: int
    lines: int
    steps: tuple[str, ...]
    buried: int = 0
    """Tests held open at the last line that leaves with a result: how deep the success case sits."""
    after: int | None = None
    """The tangle it would have after `untangle`, by proof alone; None where that was not worked out."""
    left: bool = False
    """Whether a comment says that it is to be left alone."""
    reached: int | None = None
    """The tangle left, that of what is cut out of it counted, by the best that `offer` finds; None for all but the
    worst functions, and where nothing takes tangle off."""
