"""Lines to be written deeper or less deep; those that begin inside a text over several lines stay as they are."""

from collections.abc import Iterable

RAW = "\0"
"""Marks a line that begins inside a text: it is never indented."""


def indented(lines: Iterable[str], indent: str) -> list[str]:
    """Lines deeper by `indent`, marks kept."""
    return [line if line.startswith(RAW) or not line.strip() else f"{indent}{line}" for line in lines]


def as_text(lines: Iterable[str], indent: str) -> str:
    """Lines as they are written, deeper by `indent`."""
    return "".join(_written(line) for line in indented(lines, indent))


def _written(line: str) -> str:
    return f"{line.removeprefix(RAW)}\n" if line.startswith(RAW) or line.strip() else "\n"
