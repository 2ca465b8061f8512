"""An outline: every way through a function as a row, with notes on them; and as it is kept between two runs."""

import hashlib
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from dreck.errors import DreckError
from dreck.model.views.ways import Way, Ways
from dreck.workbench.store.cache import Cache, key_of

if TYPE_CHECKING:
    import pandas


@dataclass(frozen=True, slots=True)
class Note:
    """Something worth knowing: `kind` is `hole`, `overlap`, `decided`, `same exit` or `impossible`."""

    kind: str
    line: int
    text: str


@dataclass(frozen=True, slots=True)
class Example:
    """An input, and what came back."""

    input: str
    result: str


@dataclass(frozen=True, slots=True, repr=False)
class Outline:
    """One function: its `signature` with what it returns and raises, its tables of ways, and notes on them."""

    function: str
    line: int
    signature: str
    tables: tuple[Ways, ...]
    notes: tuple[Note, ...]
    examples: tuple[tuple[int, Example], ...] = ()
    """A real input for rows of the first table, by the row's number, counted from 0."""
    no_examples: str = ""
    """Why there are none, when they were asked for."""

    def __repr__(self) -> str:
        return f"<Outline of {self.function}: {sum(len(t.ways) for t in self.tables)} ways>"

    def as_json(self) -> dict[str, Any]:
        """The form documented in docs/json.md."""
        return {
            "function": self.function,
            "line": self.line,
            "signature": self.signature,
            "tables": [_table_json(table) for table in self.tables],
            "notes": [{"kind": n.kind, "line": n.line, "text": n.text} for n in self.notes],
            "examples": [{"row": row, "input": e.input, "result": e.result} for row, e in self.examples],
        }

    def rows(self) -> list[dict[str, Any]]:
        """One dictionary a way: a column for each condition, then `acts`, `exit` and `line`."""
        return [
            {"function": self.function, "table": table.title, **dict(way.asked), **_ending(way)}
            for table in self.tables
            for way in table.ways
        ]

    def to_frame(self) -> "pandas.DataFrame":
        """The rows as a pandas DataFrame; a condition that is not asked is missing. Needs the extra `frames`."""
        try:
            import pandas
        except ImportError:
            raise DreckError("to_frame() needs pandas: install dreck[frames]") from None
        return pandas.DataFrame(self.rows())


def _ending(way: Way) -> dict[str, Any]:
    return {"acts": "; ".join(way.acts), "exit": way.exit, "line": way.line}


def _table_json(table: Ways) -> dict[str, Any]:
    return {
        "title": table.title,
        "conditions": list(table.conditions),
        "ways": [{"asked": dict(w.asked), "acts": list(w.acts), "exit": w.exit, "line": w.line} for w in table.ways],
        "count": table.count,
        "impossible": table.impossible,
    }


# --- between two runs --------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Kept:
    """Outlines of whole files in the cache: they hold as long as the file and those beside it are the same."""

    cache: Cache
    through: str

    def of(self, path: Path) -> list[Outline] | None:
        """What is known of a file; None when nothing is, or something has changed."""
        found = self.cache.get(key_of_file(path, self.through)) if self.cache.is_open else None
        if found is None or any(digest_of(path.parent / name) != told for name, told in found["beside"].items()):
            return None
        return [_again(path, *one) for one in found["outlines"]]

    def put(self, key: str, found: list[Outline], beside: dict[str, str]) -> None:
        """Keeps the outlines of a file under its key; `beside` is what the files that they rest on held."""
        if key:
            self.cache.put(key, {"beside": beside, "outlines": [_flat(one) for one in found]})


def key_of_file(path: Path, through: str) -> str:
    """Under what the outlines of a file are kept; '' for one that cannot be read at once."""
    try:
        return key_of(f"outline {through}", path.read_bytes()) if path.is_file() else ""
    except OSError:
        return ""


def digest_of(path: Path) -> str:
    """What a file holds, as far as it matters whether it is the same; '' for one that is not there."""
    try:
        return hashlib.sha256(path.read_bytes()).hexdigest() if path.is_file() else ""
    except OSError:
        return ""


def _flat(one: Outline) -> list[Any]:
    name = one.function.rpartition("::")[2]
    tables = [[t.title, [_row(way) for way in t.ways], t.impossible, t.count, t.order] for t in one.tables]
    return [name, one.line, one.signature, tables, [[n.kind, n.line, n.text] for n in one.notes]]


def _row(way: Way) -> list[Any]:
    return [way.asked, way.acts, way.exit, way.line, way.places, way.script]


def _again(path: Path, name: str, line: int, signature: str, tables: list[Any], notes: list[Any]) -> Outline:
    made = tuple(
        Ways(title, tuple(_way(*row) for row in ways), impossible, count, tuple(order))
        for title, ways, impossible, count, order in tables
    )
    return Outline(f"{path}::{name}", line, signature, made, tuple(Note(*note) for note in notes))


def _way(asked: Any, acts: Any, exit_: str, line: int, places: Any, script: Any) -> Way:
    pairs, at, told = (tuple(map(tuple, part)) for part in (asked, places, script))
    return Way(pairs, tuple(acts), exit_, line, at, told)
