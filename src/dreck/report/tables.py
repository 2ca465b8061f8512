"""Tables for other programs: CSV."""

import csv
import io
from collections.abc import Iterable
from dataclasses import asdict
from pathlib import Path

from dreck.source.files import save_bytes
from dreck.workbench.queries.outlined import Outline
from dreck.workbench.queries.survey import Survey


def write_csv(path: Path, survey: Survey) -> None:
    """All rows of a survey as CSV, steps joined by blanks. Raises BadSource when the file cannot be written."""
    out = io.StringIO()
    columns = [
        "function",
        "line",
        "tangle",
        "depth",
        "ways",
        "longest_test",
        "lines",
        "steps",
        "buried",
        "after",
        "left",
        "reached",
    ]
    writer = csv.DictWriter(out, columns, lineterminator="\n")
    writer.writeheader()
    for row in survey:
        writer.writerow({**asdict(row), "steps": " ".join(row.steps)})
    save_bytes(path, out.getvalue().encode())


def write_ways(path: Path, outlines: Iterable[Outline]) -> None:
    """One line a way: a column for each condition of any of the functions; empty where it is not asked."""
    rows = [row for outline in outlines for row in outline.rows()]
    first, last = ["function", "table"], ["acts", "exit", "line"]
    conditions = [name for name in dict.fromkeys(name for row in rows for name in row) if name not in first + last]
    text = io.StringIO()
    writer = csv.DictWriter(text, [*first, *conditions, *last], lineterminator="\n")
    writer.writeheader()
    writer.writerows(rows)
    save_bytes(path, text.getvalue().encode())
