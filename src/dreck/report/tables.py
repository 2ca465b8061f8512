"""Tables for other programs: CSV."""

import csv
import io
from dataclasses import asdict
from pathlib import Path

from dreck.source.files import save_bytes
from dreck.workbench.survey import Survey


def write_csv(path: Path, survey: Survey) -> None:
    """All rows of a survey as CSV, steps joined by blanks. Raises BadSource when the file cannot be written."""
    out = io.StringIO()
    columns = ["function", "line", "tangle", "depth", "ways", "longest_test", "lines", "steps"]
    writer = csv.DictWriter(out, columns, lineterminator="\n")
    writer.writeheader()
    for row in survey:
        writer.writerow({**asdict(row), "steps": " ".join(row.steps)})
    save_bytes(path, out.getvalue().encode())
