"""The report: before and after as one self-contained HTML page, or as a PNG figure."""

import os
from collections.abc import Callable
from pathlib import Path
from typing import Any

from dreck.errors import BadTarget
from dreck.report.colours import Piece, changed_columns, pieces
from dreck.report.shapes import Pair, Side, pair
from dreck.source.files import save_bytes
from dreck.workbench.engine.request import Request
from dreck.workbench.engine.untangle import untangle
from dreck.workbench.queries.survey import Survey, survey
from dreck.workbench.results import FunctionResult

_ROW, _UNIT = 18, 14
_MOST_ON_A_PAGE = 60


def write_report(
    targets: tuple[str, ...],
    output: Path,
    told: Callable[[int, int, Path], None] = lambda done, total, path: None,
    verdict: str = "tested",
) -> str:
    """Writes the report of what `untangle` would do to `targets`; one line that says what was written.

    A `.png` of one target with changes is the pair of silhouettes; of folders it is where the tangle sits.
    Raises BadTarget for a wrong target or another ending of the file's name.
    """
    if output.suffix not in (".html", ".png"):
        raise BadTarget(f"{output}: a report is an .html page or a .png figure")
    if output.suffix == ".png" and all(Path(target).is_dir() for target in targets):
        from dreck.report.figures import map_of_tangle

        found = survey(targets, jobs=os.cpu_count() or 1)
        save_bytes(output, map_of_tangle(found))
        return f"{output}: where the tangle of {len(found)} functions sits"
    result = untangle(targets, Request(jobs=os.cpu_count() or 1, verdict=verdict), told)
    changed = [f for f in result.functions if f.changed]
    changed.sort(key=lambda f: f.after.tangle - f.before.tangle)
    if output.suffix == ".png":
        from dreck.report.figures import silhouettes

        if not changed:
            raise BadTarget(f"{targets[0]}: nothing to straighten there, so there is no before and after to draw")
        save_bytes(output, silhouettes([pair(f) for f in changed[:4]]))
        return f"{output}: {len(changed[:4])} of {len(changed)} changed functions, before and after"
    save_bytes(output, page(changed, survey(targets), targets).encode())
    return f"{output}: {len(changed)} functions before and after"


def page(changed: list[FunctionResult], found: Survey, targets: tuple[str, ...]) -> str:
    """The HTML text."""
    from jinja2 import Environment, PackageLoader

    environment = Environment(loader=PackageLoader("dreck.report"), autoescape=True, trim_blocks=True)
    shown = changed[:_MOST_ON_A_PAGE]
    return environment.get_template("report.html.jinja").render(
        targets=", ".join(targets),
        functions=[_function(f) for f in shown],
        left_out=len(changed) - len(shown),
        before=sum(f.before.tangle for f in changed),
        after=sum(f.after.tangle for f in changed),
        steps=sum(len(f.steps) for f in changed),
        proved=sum(s.verdict.status == "proved" for f in changed for s in f.steps),
        rows=found.rows[:25],
        most=max((row.tangle for row in found.rows), default=1) or 1,
        counted=len(found),
    )


def _function(f: FunctionResult) -> dict[str, Any]:
    drawn = pair(f)
    return {
        "name": drawn.function,
        "old": _drawn(drawn.old),
        "new": _drawn(drawn.new),
        "numbers": [
            (name, getattr(f.before, name), getattr(f.after, name)) for name in ("tangle", "depth", "ways", "lines")
        ],
        "steps": [(s.line, s.step, s.verdict.status, s.reason, ", ".join(s.verdict.assumptions)) for s in f.steps],
        "refused": [(r.line, r.step, r.reason) for r in f.refused],
        "code": _code(drawn),
        "silhouettes": _silhouettes(drawn),
    }


def _drawn(side: Side) -> dict[str, Any]:
    return {"lines": len(side.lines), "shape": side.shape}


def _silhouettes(drawn: Pair) -> dict[str, Any]:
    """Both outlines on one scale: a bar a line, as wide as the tests held open there."""
    height = max(len(drawn.old.lines), len(drawn.new.lines))
    width = max(drawn.old.widest, drawn.new.widest, 1)
    scale = max(3.0, min(12.0, 220 / height))
    return {
        "height": height * scale,
        "width": width * _UNIT,
        "bar": scale,
        "sides": [
            [(i * scale, held * _UNIT, held) for i, held in enumerate(side.held) if held]
            for side in (drawn.old, drawn.new)
        ],
    }


def _code(drawn: Pair) -> dict[str, Any]:
    """Code side by side; lines that went elsewhere are joined by a curve, what changed within a line is marked."""
    old, new = drawn.old.lines, drawn.new.lines
    kept = {(a, b) for a, b in drawn.joined if old[a].strip() == new[b].strip()}
    marked: tuple[list[list[tuple[int, int]]], ...] = ([[] for _ in old], [[] for _ in new])
    for a, b in set(drawn.joined) - kept:
        marked[0][a], marked[1][b] = changed_columns(old[a], new[b])
    return {
        "old": _lines(old, marked[0], {a for a, _ in kept}, {a for a, _ in drawn.joined}),
        "new": _lines(new, marked[1], {b for _, b in kept}, {b for _, b in drawn.joined}),
        "joins": [(a * _ROW + _ROW / 2, b * _ROW + _ROW / 2, a != b) for a, b in drawn.joined],
        "height": max(len(old), len(new)) * _ROW,
        "row": _ROW,
    }


def _lines(
    lines: tuple[str, ...], marked: list[list[tuple[int, int]]], kept: set[int], joined: set[int]
) -> list[tuple[int, str, list[Piece]]]:
    """Each line with its number, how it fared (`kept`, `other`: changed within, `gone`: only here), and its pieces."""
    fared = [
        "kept" if i in kept or not line.strip() else "other" if i in joined else "gone" for i, line in enumerate(lines)
    ]
    return [(i + 1, fared[i], line) for i, line in enumerate(pieces(lines, marked))]
