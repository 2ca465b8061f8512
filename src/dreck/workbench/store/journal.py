"""The journal: every step taken with `--write`, so that it can be read and undone.

One record a saved file, in `.dreck/`, numbered. A record is written before the file it speaks of, and holds
a fingerprint of the file before and after each of its steps. Which steps are in effect is told by the
file's own fingerprint, so a process killed between the two leaves a journal that agrees with the file.
"""

import hashlib
import json
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from dreck.errors import BadSource, DreckError
from dreck.source.files import SourceFile, read, save, save_bytes
from dreck.source.lines import split_lines
from dreck.workbench.results import Taken

FOLDER = ".dreck"
_ROOT_MARKS = (FOLDER, ".git", "pyproject.toml")


@dataclass(frozen=True, slots=True)
class Entry:
    """One step: what was done to which function, on what evidence, and its lines before and after."""

    step: str
    function: str
    line: int
    reason: str
    verdict: str
    assumptions: tuple[str, ...]
    start: int
    before: str
    after: str
    group: str = ""
    """Steps of one group, in several files, are one: they are undone together."""
    made: tuple[str, ...] = ()
    """Names the step made."""

    def undone(self, text: str) -> str:
        """`text`, the file after this step, as it was before."""
        lines = split_lines(text)
        end = self.start - 1 + len(split_lines(self.after))
        return "".join([*lines[: self.start - 1], self.before, *lines[end:]])


@dataclass(frozen=True, slots=True)
class Record:
    """The steps saved to one file at one time, oldest first, with the fingerprints around them."""

    number: int
    path: Path
    entries: tuple[Entry, ...]
    prints: tuple[str, ...]

    def in_effect(self, now: str) -> int | None:
        """How many of the steps are in the file whose fingerprint is `now`; None when somebody changed it."""
        return self.prints.index(now) if now in self.prints else None


class Journal:
    """The journal of one project. `root` is the nearest folder above with one, or with a sign of a project's top."""

    def __init__(self, folder: Path | None = None) -> None:
        start = (folder or Path.cwd()).absolute()
        marked = (p for p in (start, *start.parents) if any((p / mark).exists() for mark in _ROOT_MARKS))
        self.root = next(marked, start)
        self.folder = self.root / FOLDER

    def records(self) -> list[Record]:
        """All records, oldest first. Raises DreckError for one that cannot be read."""
        return [self._read(file) for file in sorted(self.folder.glob("[0-9]*.json"))]

    def save(self, file: SourceFile, entries: list[Entry], text: str) -> None:
        """Records `entries` and saves `text`, the result of them all. Raises BadSource like `files.save`."""
        self.tidy()
        texts = [text]
        for entry in reversed(entries):
            texts.append(entry.undone(texts[-1]))
        if texts[-1] != file.text:
            raise DreckError(f"{file.path}: the journal could not undo these steps; nothing written")
        prints = [fingerprint(file.encoded(t)) for t in reversed(texts)]
        number = max((r.number for r in self.records()), default=0) + 1
        self._write(Record(number, file.path.absolute(), tuple(entries), tuple(prints)))
        try:
            save(file, text)
        except BadSource:
            self._drop(number)
            raise

    def back(self, count: int) -> list[tuple[Path, Entry]]:
        """Undoes the last `count` steps; gives them, last first.

        Raises DreckError when there are not so many, or a file was changed since by somebody else; then
        nothing is changed at all.
        """
        self.tidy()
        undone: list[tuple[Path, Entry]] = []
        steps, group = 0, ""
        texts: dict[Path, tuple[SourceFile, str]] = {}
        shortened: list[tuple[Record, int]] = []
        for record in reversed(self.records()):
            if steps == count and (not group or record.entries[-1].group != group):
                break
            file, text = texts.get(record.path) or _present(record)
            left = record.in_effect(fingerprint(file.encoded(text)))
            if left is None:
                raise DreckError(f"{record.path}: was changed by someone else since; nothing was undone")
            while left and (steps < count or (group and record.entries[left - 1].group == group)):
                left -= 1
                entry = record.entries[left]
                text = entry.undone(text)
                steps += not group or entry.group != group
                group = entry.group
                undone.append((record.path, entry))
            texts[record.path] = file, text
            shortened.append((record, left))
        if steps < count:
            raise DreckError(f"there are only {steps} steps to undo in {self.folder}")
        for file, text in texts.values():
            save(file, text)
            if not text and file.path.suffix != ".py":
                file.path.unlink()  # it was made by a step
        for record, left in shortened:
            self._shorten(record, left)
        return undone

    def tidy(self) -> None:
        """Forgets steps that never came into their file, or were undone, when a process was killed."""
        seen: set[Path] = set()
        for record in reversed(self.records()):
            if record.path in seen:
                continue
            seen.add(record.path)
            try:
                now = fingerprint(record.path.read_bytes())
            except OSError:
                continue
            left = record.in_effect(now)
            if left is not None and left < len(record.entries):
                self._shorten(record, left)

    def _shorten(self, record: Record, left: int) -> None:
        if left == 0:
            self._drop(record.number)
        elif left < len(record.entries):
            self._write(Record(record.number, record.path, record.entries[:left], record.prints[: left + 1]))

    def _drop(self, number: int) -> None:
        self._file(number).unlink(missing_ok=True)

    def _file(self, number: int) -> Path:
        return self.folder / f"{number:06d}.json"

    def _write(self, record: Record) -> None:
        self.folder.mkdir(exist_ok=True)
        data: dict[str, Any] = {
            "path": str(record.path),
            "steps": [{name: getattr(e, name) for name in Entry.__slots__} for e in record.entries],
            "fingerprints": list(record.prints),
        }
        save_bytes(self._file(record.number), json.dumps(data, indent=1).encode())

    def _read(self, file: Path) -> Record:
        try:
            data = json.loads(file.read_bytes())
            entries = tuple(
                Entry(**{**e, "assumptions": tuple(e["assumptions"]), "made": tuple(e.get("made", ()))})
                for e in data["steps"]
            )
            return Record(int(file.stem), Path(data["path"]), entries, tuple(data["fingerprints"]))
        except (OSError, ValueError, KeyError, TypeError) as error:
            raise DreckError(f"{file}: is no record of a journal: {error}") from None


def span_entry(taken: Taken, function: str, before: str, after: str, group: str = "") -> Entry:
    """A step as an entry: of two whole texts, the lines in which they differ."""
    old, new = split_lines(before), split_lines(after)
    start = 0
    while start < min(len(old), len(new)) and old[start] == new[start]:
        start += 1
    end = 0
    while end < min(len(old), len(new)) - start and old[-1 - end] == new[-1 - end]:
        end += 1
    parts = ["".join(lines[start : len(lines) - end]) for lines in (old, new)]
    verdict = taken.verdict
    return Entry(
        taken.step,
        function,
        taken.line,
        taken.reason,
        verdict.status,
        verdict.assumptions,
        start + 1,
        parts[0],
        parts[1],
        group,
        taken.made,
    )


def fingerprint(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()


def _present(record: Record) -> tuple[SourceFile, str]:
    file = read(record.path)
    return file, file.text
