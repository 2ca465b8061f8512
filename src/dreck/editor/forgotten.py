"""Kinds that a switch in the open file forgets, and another switch on the same thing does not."""

from functools import lru_cache
from pathlib import Path

from dreck.editor.mark import Mark
from dreck.errors import BadSource
from dreck.model.names.families import Families
from dreck.model.views.switches import Switch
from dreck.source.files import read
from dreck.workbench.engine.stage import project_files
from dreck.workbench.queries.census import MISSING, Group, grouped, switches_in

_NAMED = 3


def forgotten(path: Path, text: str) -> list[Mark]:
    """A mark for each switch of the text that leaves out, without a default, what others take.

    The other files are looked at as they lie on the disk, each once as long as it stays as it is.
    """
    try:
        mine, families = switches_in(path, text)
    except BadSource:
        return []
    if not mine:
        return []
    every, known = list(mine), Families()
    known.join(families)
    for file in project_files(path):
        if file.absolute() != path.absolute():
            theirs, around = _in_file(file, _stamp(file))
            every += theirs
            known.join(around)
    own = f"{path}::"
    return [mark for group in grouped(every, known) for mark in _marks(group, own)]


def _marks(group: Group, own: str) -> list[Mark]:
    found = []
    for at, place in enumerate(group.places):
        gone = [kind for kind, row in zip(group.kinds, group.cells, strict=True) if row[at] == MISSING]
        if not place.function.startswith(own) or not gone:
            continue
        others = [
            other.function
            for number, other in enumerate(group.places)
            if number != at
            and any(group.cells[group.kinds.index(kind)][number] not in (MISSING, "default") for kind in gone)
        ]
        if not others:
            continue
        where = others[0].removeprefix(own)
        told = ", ".join(gone[:_NAMED]) + (f" and {len(gone) - _NAMED} more" if len(gone) > _NAMED else "")
        text = f"{told}: not handled here, as it is in {where}"
        found.append(Mark(place.line, text, "forgotten-kind"))
    return found


@lru_cache(maxsize=1024)
def _in_file(file: Path, changed: int) -> tuple[list[tuple[str, Switch]], Families]:
    try:
        return switches_in(file, read(file).text)
    except BadSource:
        return [], Families()


def _stamp(file: Path) -> int:
    try:
        return file.stat().st_mtime_ns
    except OSError:
        return 0
