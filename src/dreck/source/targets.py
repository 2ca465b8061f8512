"""Targets: `path.py`, `path.py::function`, `path.py::Class.method`, `path.py::function:12-20`, or a folder."""

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path

from dreck.errors import BadTarget
from dreck.source.functions import Function
from dreck.source.ignored import wanted_files


@dataclass(frozen=True, slots=True)
class Target:
    """A file and, in it, one function or class by its dotted name; no name means the whole file."""

    path: Path
    name: str | None = None
    lines: tuple[int, int] | None = None
    """Only these lines of it, the first and the last."""

    def __str__(self) -> str:
        return str(self.path) if self.name is None else f"{self.path}::{self.name}"

    def chosen(self, functions: Iterable[Function]) -> list[Function]:
        """Those of `functions` this target means. Raises BadTarget when the name fits none."""
        functions = list(functions)
        if self.name is None:
            return functions
        inside = (self.name + ".", self.name + "#")
        found = [f for f in functions if f.name == self.name or f.name.startswith(inside)]
        if not found:
            raise BadTarget(f"{self.path}: no function or class '{self.name}'{_suggestion(self.name, functions)}")
        return found


def _suggestion(name: str, functions: list[Function]) -> str:
    import difflib

    near = difflib.get_close_matches(name, [f.name for f in functions], n=1)
    return f"; did you mean '{near[0]}'?" if near else ""


def resolve(spec: str | Path | Target) -> Iterator[Target]:
    """The files a target stands for: itself, or each Python file of a folder.

    Raises BadTarget when there is no such file or folder, or it is no Python file.
    """
    if isinstance(spec, Target):
        yield spec
        return
    place, mark, name = str(spec).partition("::")
    path = Path(place)
    if mark and not name:
        raise BadTarget(f"{spec}: a name is wanted after '::', as in {place}::function")
    if path.is_dir():
        if mark:
            raise BadTarget(f"{spec}: {place} is a folder; name a file before '::'")
        yield from (Target(file) for file in wanted_files(path))
        return
    if not path.exists():
        raise BadTarget(f"{place}: no such file or folder")
    name, lines = _lines_of(name, str(spec))
    yield Target(path, name or None, lines)


def _lines_of(name: str, spec: str) -> tuple[str, tuple[int, int] | None]:
    """A function's name and the lines behind it: `fn:12-20`, `fn:12`."""
    found = re.fullmatch(r"(.*):(\d+)(?:-(\d+))?", name)
    if found is None:
        return name, None
    first = int(found[2])
    last = int(found[3] or first)
    if last < first:
        raise BadTarget(f"{spec}: line {last} stands before line {first}")
    return found[1], (first, last)
