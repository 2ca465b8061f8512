"""The ratchet: no function may get more tangled than it was; what gets better has to stay so."""

import json
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

from dreck.errors import DreckError
from dreck.source.files import save_bytes
from dreck.source.targets import resolve
from dreck.workbench.queries.row import Row


@dataclass(frozen=True, slots=True)
class Worse:
    """A function that got more tangled than it may be."""

    function: str
    line: int
    tangle: int
    allowed: int


def held(path: Path, rows: Iterable[Row], most: int, looked_at: Iterable[str | Path] = ()) -> list[Worse]:
    """The functions that are worse than in the file; it is written anew where something got better.

    A function that is not in the file may have `most`. What is known of files that were not `looked_at` stays, as
    long as there is such a file. Raises DreckError for a file that is no ratchet.
    """
    known = _known(path)
    every = list(rows)
    worse = (
        []
        if not path.exists()
        else [
            Worse(row.function, row.line, row.tangle, known.get(row.function, most))
            for row in every
            if row.tangle > max(known.get(row.function, most), most)
        ]
    )
    if worse:
        return worse
    now = _of_others(known, looked_at) | {row.function: row.tangle for row in every if row.tangle > most}
    if now != known or not path.exists():
        data = {"most": most, "functions": dict(sorted(now.items()))}
        save_bytes(path, (json.dumps(data, indent=1) + "\n").encode())
    return []


def _of_others(known: dict[str, int], looked_at: Iterable[str | Path]) -> dict[str, int]:
    """What is known of files that were not looked at now: a hook is given those of one commit."""
    places = [Path(spec) for spec in looked_at]
    files = {target.path for place in places if place.exists() for target in resolve(place)}
    here = {str(place) for place in (*places, *files)}
    return {
        name: tangle
        for name, tangle in known.items()
        if (file := name.partition("::")[0]) not in here and Path(file).is_file()
    }


def _known(path: Path) -> dict[str, int]:
    if not path.exists():
        return {}
    try:
        data = json.loads(path.read_text(encoding="utf-8"))
        return {str(name): int(tangle) for name, tangle in data["functions"].items()}
    except (OSError, ValueError, KeyError, TypeError, AttributeError):
        raise DreckError(f"{path}: is no file that --ratchet has written") from None
