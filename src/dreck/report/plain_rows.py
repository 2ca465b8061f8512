"""A survey in a pipe: the rows of the terminal's table as plain lines, written as they come."""

import sys
from typing import TYPE_CHECKING

from dreck.model.views.measures import short
from dreck.report.totals import left_out, over, totals

if TYPE_CHECKING:
    from dreck.workbench.queries.row import Row
    from dreck.workbench.queries.survey import Survey

_WIDEST = 60


def write_survey(survey: "Survey", top: int | None, most: int | None = None) -> None:
    """Every row on a line of its own, whatever its length; then the totals, what was left out, what is over `most`."""
    rows = survey.rows[:top]
    after = any(row.after is not None or row.reached is not None for row in rows)
    heads = ("tangle", *(("after", "reach") if after else ()), "depth", "ways", "test", "buried", "lines")
    widths = [len(head) for head in heads]
    out = sys.stdout
    longest = max((len(row.function) for row in rows), default=0)
    out.write(f"{_line(heads, widths)}  {'function'.ljust(min(longest, _WIDEST))}  steps that apply\n")
    for row in rows:
        steps = "left alone" if row.left else ", ".join(row.steps)
        out.write(
            f"{_line(_cells(row, after), widths)}  {row.function.ljust(min(longest, _WIDEST))}  {steps}".rstrip() + "\n"
        )
    for line in ("", *totals(survey, top), *left_out(survey), *over(survey, most)):
        out.write(f"{line}\n")


def _cells(row: "Row", after: bool) -> tuple[str, ...]:
    then = ["" if value is None else str(value) for value in (row.after, row.reached)] if after else []
    return (
        str(row.tangle),
        *then,
        str(row.depth),
        short(row.ways),
        str(row.longest_test),
        str(row.buried),
        str(row.lines),
    )


def _line(cells: tuple[str, ...], widths: list[int]) -> str:
    return "  ".join(cell.rjust(width) for cell, width in zip(cells, widths, strict=True))
