"""Saving: the steps taken on a file, written in one go with a record of each in the journal."""

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from dreck.errors import BadSource
from dreck.source.files import SourceFile, read
from dreck.source.lines import split_lines
from dreck.workbench.results import FileResult, Taken
from dreck.workbench.store.journal import Entry, Journal, Saving, span_entry


def save_all(path: Path, result: FileResult) -> None:
    """Saves the steps within functions at once, then those that reach further, one after the other."""
    for batch in _batches(result):
        file = read(path)
        if file.text != batch.before:
            raise BadSource(f"{path}: was changed by someone else since it was read; nothing written")
        savings = [Saving(path, file, batch.entries, batch.after)]
        for other, change in batch.others.items():
            present = read(other) if other.exists() else None
            savings.append(Saving(other, present, [change], _applied(present, change)))
        Journal.of(*(saving.path for saving in savings)).save(savings)


def _applied(file: SourceFile | None, entry: Entry) -> str:
    lines = split_lines(file.text if file is not None else "")
    end = entry.start - 1 + len(split_lines(entry.before))
    return "".join([*lines[: entry.start - 1], entry.after, *lines[end:]])


@dataclass(frozen=True, slots=True)
class _Batch:
    """Steps saved at one time: the file's text before and after, and what they change in other files."""

    before: str
    after: str
    entries: list[Entry]
    others: dict[Path, Entry]


def _batches(result: FileResult) -> Iterator[_Batch]:
    first = result.changes[0].before if result.changes else result.new
    if first != result.old:
        yield _Batch(result.old, first, _entries(result), {})
    for change in result.changes:
        others = {
            path: span_entry(change.taken, change.function, before, after)
            for path, (before, after) in change.others.items()
        }
        yield _Batch(change.before, change.after, [change.entry()], others)


def _entries(result: FileResult) -> list[Entry]:
    """The steps within functions in the order they were taken: from the last function to the first."""
    return [
        entry_of(f.name, f.start, before, after, taken)
        for f in reversed(result.functions)
        for taken, before, after in zip(f.steps, (f.old, *f.texts), f.texts, strict=False)
    ]


def entry_of(name: str, start: int, before: str, after: str, taken: Taken) -> Entry:
    verdict = taken.verdict
    return Entry(taken.step, name, taken.line, taken.reason, verdict.status, verdict.assumptions, start, before, after)
