"""Counts in words, and the lines that stand below a survey's rows."""

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from dreck.workbench.queries.survey import Survey

_MOST_FILES = 10


def count(number: int, noun: str, nouns: str = "") -> str:
    return f"{number} {noun if number == 1 else nouns or f'{noun}s'}"


def totals(survey: "Survey", top: int | None) -> list[str]:
    """The most tangled files where all rows are shown, and the sum of everything."""
    by_file = survey.by_file()
    several = len(by_file) > 1 and top is None
    worst = sorted(by_file.items(), key=lambda item: -item[1][1])[: _MOST_FILES if several else 0]
    lines = [f"{tangle:>6}  {path}, {count(functions, 'function')}" for path, (functions, tangle) in worst]
    total = sum(row.tangle for row in survey.rows)
    shown = f", the first {top} shown" if top is not None and top < len(survey) else ""
    told = f"{count(len(survey), 'function')} in {count(len(by_file), 'file')}, tangle {total} in all"
    return [*lines, f"{told}{_afterwards(survey)}{shown}"]


def left_out(survey: "Survey") -> list[str]:
    return [f"left out: {why if why.startswith(path) else f'{path}: {why}'}" for path, why in survey.skipped]


def over(survey: "Survey", most: int | None) -> list[str]:
    rows = survey.over(most) if most is not None else []
    return [f"over {most}: {row.function} has tangle {row.tangle}" for row in rows]


def _afterwards(survey: "Survey") -> str:
    if not any(row.after is not None for row in survey.rows):
        return ""
    return f", {sum(row.tangle if row.after is None else row.after for row in survey.rows)} after untangling"
