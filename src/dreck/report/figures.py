"""Figures by Matplotlib: silhouettes before and after on one scale; where the tangle of a project sits."""

import io
from collections.abc import Sequence
from typing import Any

from dreck.errors import DreckError
from dreck.report.shapes import Pair, Side
from dreck.workbench.queries.survey import Survey

# Blue and orange are told apart by everybody; before is hatched as well, for print without colour.
BEFORE, AFTER, INK, PAPER = "#c46a00", "#2f7fb8", "#22262b", "#fbfaf6"


def silhouettes(pairs: Sequence[Pair]) -> bytes:
    """A row for each function: before left, after right, both on the scale of the widest. PNG bytes."""
    pyplot = _pyplot()
    tallest = [max(len(p.old.lines), len(p.new.lines)) for p in pairs]
    figure, axes = pyplot.subplots(
        len(pairs), 2, figsize=(9, sum(max(2.2, t * 0.11) for t in tallest) + 0.6), squeeze=False,
        gridspec_kw={"height_ratios": [max(2.2, t * 0.11) for t in tallest]}, facecolor=PAPER, layout="constrained",
    )  # fmt: skip
    widest = max(max(p.old.widest, p.new.widest) for p in pairs)
    for (left, right), drawn, height in zip(axes, pairs, tallest, strict=True):
        _silhouette(left, drawn.old, BEFORE, f"{drawn.function}: tangle {drawn.old.shape.tangle}", widest, height)
        _silhouette(right, drawn.new, AFTER, f"after: tangle {drawn.new.shape.tangle}", widest, height)
    for axis in axes[-1]:
        axis.set_xlabel("tests held open", color=INK)
    return _png(figure, pyplot)


def _silhouette(axis: Any, side: Side, colour: str, title: str, widest: int, height: int) -> None:
    lines = range(1, len(side.held) + 1)
    hatch = "///" if colour == BEFORE else None
    axis.barh(
        lines, side.held, height=1.0, color=colour, hatch=hatch, edgecolor=PAPER if hatch else colour, linewidth=0
    )
    axis.step([0, *side.held, 0], [0.5, *lines, len(side.held) + 0.5], where="mid", color=INK, linewidth=0.0)
    axis.set_xlim(0, widest + 0.5)
    axis.set_ylim(height + 0.5, 0.5)
    axis.set_facecolor(PAPER)
    axis.set_title(title, loc="left", fontsize=9, color=INK)
    axis.set_ylabel("line", color=INK)
    axis.xaxis.get_major_locator().set_params(integer=True)
    for place in ("top", "right"):
        axis.spines[place].set_visible(False)


def map_of_tangle(found: Survey) -> bytes:
    """One block a file, as wide as its tangle; in it its functions, the most tangled first. PNG bytes."""
    pyplot = _pyplot()
    by_file: dict[str, list[tuple[str, int, int]]] = {}
    for row in found.rows:
        if row.tangle:
            path, _, name = row.function.partition("::")
            by_file.setdefault(path, []).append((name, row.tangle, row.depth))
    if not by_file:
        raise DreckError("there is no tangle to draw: no function holds a test open")
    files = sorted(by_file.items(), key=lambda item: -sum(t for _, t, _ in item[1]))[:24]
    figure, axis = pyplot.subplots(figsize=(11, 0.34 * len(files) + 1.6), facecolor=PAPER, layout="constrained")
    deepest = max(depth for _, functions in files for _, _, depth in functions) or 1
    blues = pyplot.get_cmap("cividis_r")
    widest = sum(t for _, t, _ in files[0][1])
    for place, (_, functions) in enumerate(files):
        left = 0
        for name, tangle, depth in functions:
            axis.barh(
                place, tangle, left=left, height=0.82, color=blues(depth / deepest), edgecolor=PAPER, linewidth=0.8
            )
            if tangle > widest * 0.012 * len(name):
                dark = depth / deepest > 0.5
                axis.text(
                    left + tangle / 2, place, name, ha="center", va="center", fontsize=7, color=PAPER if dark else INK
                )
            left += tangle
    axis.set_yticks(range(len(files)), [path for path, _ in files], fontsize=8, color=INK)
    axis.invert_yaxis()
    axis.set_xlabel("tangle", color=INK)
    axis.set_facecolor(PAPER)
    scale = pyplot.cm.ScalarMappable(norm=pyplot.Normalize(0, deepest), cmap=blues)
    figure.colorbar(scale, ax=axis, label="depth", shrink=0.6)
    for side in ("top", "right", "left"):
        axis.spines[side].set_visible(False)
    return _png(figure, pyplot)


def _png(figure: Any, pyplot: Any) -> bytes:
    out = io.BytesIO()
    figure.savefig(out, format="png", dpi=140, facecolor=PAPER)
    pyplot.close(figure)
    return out.getvalue()


def _pyplot() -> Any:
    try:
        import matplotlib
    except ImportError:
        raise DreckError("figures need Matplotlib: install dreck[figures]") from None
    matplotlib.use("Agg")
    from matplotlib import pyplot

    return pyplot
