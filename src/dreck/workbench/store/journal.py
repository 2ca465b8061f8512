"""The journal: every step taken with `--write`, so that it can be read and undone.

It stands in `.dreck/` of the project a file belongs to, one numbered record for each time of saving; paths are those
in the project, so that a project that is copied or moved takes its own journal along. A record holds a fingerprint of
each file before and after each of its steps: which steps are in effect is told by the file's own. Files and records
are written as one (`transaction`).
"""

import contextlib
import hashlib
import json
import os
import re
import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from filelock import FileLock, Timeout

from dreck.errors import DreckError
from dreck.source.files import SourceFile, read, replace_file
from dreck.source.lines import split_lines
from dreck.workbench.results import Taken
from dreck.workbench.store.place import FOLDER, PLAN, inside, relative, root_above, root_of
from dreck.workbench.store.transaction import Change, Transaction

_NUMBERED = re.compile(r"(\d{6,})\.json")
_IN_THE_WAY = "is a file, where the journal would stand; rename it and run again"
_PATIENCE = 30.0
"""Seconds to wait for another process that writes."""


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
    made: tuple[str, ...] = ()
    """Names the step made."""

    def undone(self, text: str) -> str:
        """`text`, the file after this step, as it was before."""
        lines = split_lines(text)
        end = self.start - 1 + len(split_lines(self.after))
        return "".join([*lines[: self.start - 1], self.before, *lines[end:]])


@dataclass(frozen=True, slots=True)
class Saving:
    """What is to be saved in one file: the steps, oldest first, and the text they come to. `file` is None when the
    steps make it."""

    path: Path
    file: SourceFile | None
    entries: Sequence[Entry]
    text: str


@dataclass(frozen=True, slots=True)
class Part:
    """The steps saved to one file at one time, oldest first, with the fingerprints around them."""

    path: Path
    entries: tuple[Entry, ...]
    prints: tuple[str, ...]
    is_new: bool = False
    """Whether these steps made the file."""

    def in_effect(self, now: str) -> int | None:
        """How many of the steps are in the file whose fingerprint is `now`; None when somebody changed it."""
        return self.prints.index(now) if now in self.prints else None


@dataclass(frozen=True, slots=True)
class Record:
    """What was saved at one time. Parts in several files are one step: they are undone together."""

    number: int
    time: float
    parts: tuple[Part, ...]

    @property
    def entries(self) -> tuple[Entry, ...]:
        return tuple(entry for part in self.parts for entry in part.entries)

    @property
    def steps(self) -> int:
        """How many steps it holds, those in several files counted once."""
        return 1 if len(self.parts) > 1 else len(self.entries)


class Journal:
    """The journal of one project.

    `said` collects what a person should be told: a step that was interrupted and what became of it, a record that
    could not be read and was set aside.
    """

    def __init__(self, root: Path) -> None:
        self.root = root
        self.folder = root / FOLDER
        self.said: list[str] = []

    @classmethod
    def of(cls, *paths: Path) -> "Journal":
        """The journal of the project that these files belong to."""
        return cls(root_of(paths))

    @classmethod
    def here(cls, folder: Path | None = None) -> "Journal":
        """The nearest journal from a folder upwards."""
        return cls(root_above(folder or Path.cwd()))

    # --- reading -----------------------------------------------------------------------------------

    def records(self) -> list[Record]:
        """All records that can be read, oldest first."""
        return list(self._newest_first())[::-1]

    def _newest_first(self) -> Iterator[Record]:
        for number in sorted(self._numbers(), reverse=True):
            record = self._read(self._file(number))
            if record is not None:
                yield record

    def _numbers(self) -> list[int]:
        try:
            with os.scandir(self.folder) as entries:
                return [int(named[1]) for entry in entries if (named := _NUMBERED.fullmatch(entry.name))]
        except FileNotFoundError:
            return []
        except NotADirectoryError:
            raise DreckError(f"{self.folder}: {_IN_THE_WAY}") from None

    def recover(self) -> list[str]:
        """Finishes or undoes a step that was interrupted; gives what a person should know of it."""
        if not self._begun():
            return []
        with self._locked():
            return self.said

    def _begun(self) -> bool:
        with contextlib.suppress(OSError):
            return (self.folder / PLAN).exists()
        return False

    # --- writing -----------------------------------------------------------------------------------

    def save(self, savings: Sequence[Saving]) -> None:
        """Saves all of `savings` and the record of it, or nothing.

        Raises BadSource naming the file that cannot be written or is not what was read; then nothing was.
        """
        parts, changes = [], []
        for saving in savings:
            part, change = self._part(saving)
            parts.append(part)
            changes.append(change)
        with self._locked() as transaction:
            number = max(self._numbers(), default=0) + 1
            record = Record(number, time.time(), tuple(parts))
            transaction.carry_out(changes, {self._file(number).name: self._written(record)})

    def _part(self, saving: Saving) -> tuple[Part, Change]:
        texts = [saving.text]
        for entry in reversed(saving.entries):
            texts.append(entry.undone(texts[-1]))
        if texts[-1] != (saving.file.text if saving.file is not None else ""):
            raise DreckError(f"{saving.path}: the journal could not undo these steps; nothing written")
        file = saving.file or SourceFile(saving.path, b"", "", "utf-8")
        prints = tuple(fingerprint(file.encoded(text)) for text in reversed(texts))
        name = relative(self.root, saving.path)
        part = Part(self.root / name, tuple(saving.entries), prints, saving.file is None)
        return part, Change(name, saving.file.data if saving.file is not None else None, file.encoded(saving.text))

    def back(self, count: int) -> list[tuple[Path, Entry]]:
        """Undoes the last `count` steps; gives them, last first.

        Raises DreckError when there are not so many, or a file was changed since by somebody else; then
        nothing is changed at all.
        """
        with self._locked() as transaction:
            undoing = _Undoing(self)
            for record in self._newest_first():
                if undoing.steps == count:
                    break
                undoing.take(record, count - undoing.steps)
            if undoing.steps < count:
                raise DreckError(f"there are only {undoing.steps} steps to undo in {self.folder}")
            left = {
                self._file(number).name: self._written(record) if record is not None else None
                for number, record in undoing.left.items()
            }
            transaction.carry_out(undoing.changes(), left)
            return undoing.undone

    @contextlib.contextmanager
    def _locked(self) -> Iterator[Transaction]:
        """Alone in the journal; what an interrupted step has left is settled first."""
        try:
            self.folder.mkdir(exist_ok=True)
            lock = FileLock(self.folder / "lock", timeout=_PATIENCE)
            lock.acquire()
        except FileExistsError:
            raise DreckError(f"{self.folder}: {_IN_THE_WAY}") from None
        except Timeout:
            raise DreckError(f"another run of Dreck is writing in {self.root}; run again when it is done") from None
        except OSError as error:
            told = f"{self.folder}: the journal cannot be written ({error.strerror}); nothing written"
            raise DreckError(told) from None
        try:
            transaction = Transaction(self.root, self.folder)
            if told := transaction.recover():
                self.said.append(told)
            with contextlib.suppress(OSError):
                if not (self.folder / ".gitignore").exists():
                    replace_file(self.folder / ".gitignore", b"*\n", mode=0o644)
            yield transaction
        finally:
            lock.release()

    # --- records as files --------------------------------------------------------------------------

    def _file(self, number: int) -> Path:
        return self.folder / f"{number:06d}.json"

    def _written(self, record: Record) -> bytes:
        data: dict[str, Any] = {
            "time": record.time,
            "files": [
                {
                    "path": relative(self.root, part.path),
                    "new": part.is_new,
                    "steps": [{name: getattr(e, name) for name in Entry.__slots__} for e in part.entries],
                    "fingerprints": list(part.prints),
                }
                for part in record.parts
            ],
        }
        return json.dumps(data, indent=1).encode()

    def _read(self, file: Path) -> Record | None:
        """A record; one that cannot be understood is set aside, and blocks nothing."""
        try:
            data = json.loads(file.read_bytes())
            parts = tuple(self._read_part(part) for part in data["files"])
            return Record(int(file.stem), float(data["time"]), parts)
        except (OSError, ValueError, KeyError, TypeError, DreckError) as error:
            aside = self.folder / "damaged"
            with contextlib.suppress(OSError):
                aside.mkdir(exist_ok=True)
                os.replace(file, aside / file.name)
                self.said.append(f"{file}: is no record that can be used ({error}); it was set aside in {aside}")
            return None

    def _read_part(self, part: dict[str, Any]) -> Part:
        entries = tuple(
            Entry(**{**e, "assumptions": tuple(e["assumptions"]), "made": tuple(e["made"])}) for e in part["steps"]
        )
        if len(part["fingerprints"]) != len(entries) + 1 or not all(isinstance(e.after, str) for e in entries):
            raise ValueError("its steps and fingerprints do not fit together")
        return Part(inside(self.root, part["path"]), entries, tuple(part["fingerprints"]), bool(part["new"]))


class _Undoing:
    """Texts on the way back, record by record, newest first."""

    def __init__(self, journal: Journal) -> None:
        self.journal = journal
        self.undone: list[tuple[Path, Entry]] = []
        self.steps = 0
        self.left: dict[int, Record | None] = {}
        """What remains of each record."""
        self._texts: dict[Path, tuple[SourceFile, str, bool]] = {}

    def take(self, record: Record, most: int) -> None:
        """Undoes up to `most` steps of a record."""
        several = len(record.parts) > 1
        kept: list[Part] = []
        for part in reversed(record.parts):
            file, text, _ = self._texts.get(part.path) or (*_present(part.path), False)
            left = part.in_effect(fingerprint(file.encoded(text)))
            if left is None:
                raise DreckError(f"{part.path}: was changed by someone else since; nothing was undone")
            stop = 0 if several else max(0, left - most)
            while left > stop:
                left -= 1
                text = part.entries[left].undone(text)
                self.undone.append((part.path, part.entries[left]))
                self.steps += not several
            self._texts[part.path] = file, text, part.is_new and left == 0
            if left:
                kept.append(Part(part.path, part.entries[:left], part.prints[: left + 1], part.is_new))
        self.steps += several
        self.left[record.number] = Record(record.number, record.time, tuple(kept)) if kept else None

    def changes(self) -> list[Change]:
        return [
            Change(relative(self.journal.root, path), file.data, None if gone else file.encoded(text))
            for path, (file, text, gone) in self._texts.items()
            if gone or text != file.text
        ]


def span_entry(taken: Taken, function: str, before: str, after: str) -> Entry:
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
        taken.made,
    )


def fingerprint(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()


def _present(path: Path) -> tuple[SourceFile, str]:
    file = read(path)
    return file, file.text
