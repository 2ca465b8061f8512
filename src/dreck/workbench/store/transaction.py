"""One step, all files or none: staged beside the files, one mark, then renames.

`step.json` in the journal's folder says what is to be done. As long as it is not `committed`, nothing has been
written and it is dropped; from then on the step is finished by whoever comes next, or undone where somebody else has
changed a file meanwhile. Old and new texts are held until it is done, with checksums.
"""

import hashlib
import json
import os
import shutil
import uuid
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from pathlib import Path

from dreck.errors import BadSource, DreckError
from dreck.source.files import replace_file, stage_file, sync_folder, write_in_place
from dreck.workbench.store.place import PLAN, inside

_HELD = "held"
_STAGED = ".dreck-"


@dataclass(frozen=True, slots=True)
class Change:
    """A file to be written: its bytes as they were read (None: it is not there), and as they are to be (None: gone)."""

    path: str
    before: bytes | None
    after: bytes | None


@dataclass(frozen=True, slots=True)
class _Planned:
    """One file of a plan: by its path in the project, with the checksums it has before and after."""

    path: str
    before: str | None
    after: str | None
    staged: str | None
    """The file beside it that is to be renamed over it; None where it is written in place, or goes."""


class Transaction:
    """Writes several files of a project as one. `folder` is the journal's, locked by the caller."""

    def __init__(self, root: Path, folder: Path) -> None:
        self.root = root
        self.folder = folder

    def carry_out(self, changes: Sequence[Change], records: Mapping[str, bytes | None]) -> None:
        """Writes all of `changes`, then the journal's own `records` (None: the record goes).

        Raises BadSource before anything is written when a file cannot be written, or is not what was read.
        """
        for change in changes:
            self._check(change)
        plan = [self._planned(change) for change in changes]
        kept = {name: data.decode() if data is not None else None for name, data in records.items()}
        try:
            self._mark(plan, kept, committed=False)
            for number, (planned, change) in enumerate(zip(plan, changes, strict=True)):
                self._stage(number, planned, change)
            self._mark(plan, kept, committed=True)
        except OSError as error:
            self._drop(plan)
            raise BadSource(f"{self._told(error)}; nothing written") from None
        self._finish(plan, kept)

    def recover(self) -> str:
        """What became of a step that was interrupted; '' when there was none."""
        try:
            told = json.loads((self.folder / PLAN).read_bytes())
            plan = [_Planned(**each) for each in told["files"]]
            kept, committed = dict(told["records"]), bool(told["committed"])
            for planned in plan:
                inside(self.root, planned.path)
                if planned.staged is not None and not Path(planned.staged).name.startswith(_STAGED):
                    raise ValueError(planned.staged)
        except FileNotFoundError:
            self._sweep()
            return ""
        except (OSError, ValueError, KeyError, TypeError, DreckError):
            return self._aside()
        names = ", ".join(planned.path for planned in plan)
        if not committed:
            self._drop(plan)
            return f"a step was interrupted before it wrote anything; nothing was changed in {names}"
        if all(self._can_finish(number, planned) for number, planned in enumerate(plan)):
            self._finish(plan, kept)
            return f"a step was interrupted; it is finished now: {names}"
        foreign = self._take_back(plan)
        self._drop(plan)
        return f"a step was interrupted and is undone, since {', '.join(foreign)} was changed meanwhile: {names}"

    # --- before the mark ---------------------------------------------------------------------------

    def _check(self, change: Change) -> None:
        path = inside(self.root, change.path)
        try:
            now = path.read_bytes()
        except FileNotFoundError:
            now = None
        except OSError as error:
            raise BadSource(f"{path}: cannot be written: {error.strerror}; nothing written") from None
        if now != change.before:
            raise BadSource(f"{path}: was changed by someone else since it was read; nothing written")
        real = Path(os.path.realpath(path))
        if now is not None and (not real.stat().st_mode & 0o222 or not os.access(real, os.W_OK)):
            raise BadSource(f"{path}: is read-only; make it writable and run again; nothing written")
        if not os.access(real.parent, os.W_OK | os.X_OK):
            raise BadSource(f"{path}: its folder is read-only; make it writable and run again; nothing written")

    def _planned(self, change: Change) -> _Planned:
        real = Path(os.path.realpath(self.root / change.path))
        linked = real.exists() and real.stat().st_nlink > 1
        staged = None
        if change.after is not None and not linked:
            staged = str(real.parent / f"{_STAGED}{uuid.uuid4().hex[:12]}")
        return _Planned(change.path, _checksum(change.before), _checksum(change.after), staged)

    def _mark(self, plan: list[_Planned], kept: Mapping[str, str | None], committed: bool) -> None:
        told = {"committed": committed, "files": [asdict(p) for p in plan], "records": dict(kept)}
        replace_file(self.folder / PLAN, json.dumps(told).encode(), mode=0o644)

    def _stage(self, number: int, planned: _Planned, change: Change) -> None:
        held = self.folder / _HELD
        held.mkdir(exist_ok=True)
        for which, data in (("old", change.before), ("new", change.after)):
            if data is not None:
                stage_file(held / f"{number}.{which}", data, like=None)
        if planned.staged is not None and change.after is not None:
            stage_file(Path(planned.staged), change.after, like=Path(os.path.realpath(self.root / planned.path)))

    def _told(self, error: OSError) -> str:
        return f"{error.filename or self.folder}: cannot be written: {error.strerror}"

    # --- after the mark ----------------------------------------------------------------------------

    def _finish(self, plan: list[_Planned], kept: Mapping[str, str | None]) -> None:
        """Renames, then the records. When a file cannot be written after all, those before it are written back."""
        for number, planned in enumerate(plan):
            try:
                self._apply(number, planned)
            except OSError as error:
                told = f"{self.root / planned.path}: cannot be written: {error.strerror}"
                self._take_back(plan)
                self._drop(plan)
                raise BadSource(f"{told}; nothing written") from None
        try:
            for name, text in kept.items():
                if text is None:
                    (self.folder / name).unlink(missing_ok=True)
                else:
                    replace_file(self.folder / name, text.encode(), mode=0o644)
        except OSError as error:
            names = ", ".join(p.path for p in plan)
            raise DreckError(
                f"{names}: written, but the journal could not note it ({error.strerror}); the next run does"
            ) from None
        self._drop(plan)

    def _apply(self, number: int, planned: _Planned) -> None:
        real = Path(os.path.realpath(self.root / planned.path))
        if self._now(planned) == planned.after:
            return
        if planned.after is None:
            real.unlink()
        elif planned.staged is not None:
            os.replace(planned.staged, real)
        else:
            write_in_place(real, self._held(number, "new"))
        sync_folder(real.parent)

    def _can_finish(self, number: int, planned: _Planned) -> bool:
        now = self._now(planned)
        if now == planned.after or planned.after is None:
            return now in (planned.before, planned.after)
        if planned.staged is not None:
            return now == planned.before and _checksum_of(Path(planned.staged)) == planned.after
        return _checksum_of(self.folder / _HELD / f"{number}.new") == planned.after and self._is_ours(number, planned)

    def _is_ours(self, number: int, planned: _Planned) -> bool:
        """Whether a file written in place holds its old text, its new one, or the new one as far as it came."""
        try:
            now = Path(os.path.realpath(self.root / planned.path)).read_bytes()
            old, new = self._held(number, "old"), self._held(number, "new")
        except OSError:
            return False
        came = next((i for i, (a, b) in enumerate(zip(now, new, strict=False)) if a != b), min(len(now), len(new)))
        return now in (old, new) or now[came:] == old[came:]

    def _take_back(self, plan: list[_Planned]) -> list[str]:
        """Puts back the old text of every file that holds the new one; gives those that hold neither."""
        foreign = []
        for number, planned in enumerate(plan):
            now = self._now(planned)
            if now == planned.before:
                continue
            if now != planned.after and (planned.staged is not None or not self._is_ours(number, planned)):
                foreign.append(planned.path)
                continue
            path = Path(os.path.realpath(self.root / planned.path))
            if planned.before is None:
                path.unlink(missing_ok=True)
            elif planned.staged is not None:
                replace_file(path, self._held(number, "old"))
            else:
                write_in_place(path, self._held(number, "old"))
        return foreign

    def _held(self, number: int, which: str) -> bytes:
        return (self.folder / _HELD / f"{number}.{which}").read_bytes()

    def _now(self, planned: _Planned) -> str | None:
        return _checksum_of(Path(os.path.realpath(self.root / planned.path)))

    # --- the end -----------------------------------------------------------------------------------

    def _drop(self, plan: list[_Planned]) -> None:
        for planned in plan:
            if planned.staged is not None:
                Path(planned.staged).unlink(missing_ok=True)
        (self.folder / PLAN).unlink(missing_ok=True)
        shutil.rmtree(self.folder / _HELD, ignore_errors=True)

    def _sweep(self) -> None:
        """What a process that was killed has left of its own in the journal's folder, when nothing is under way."""
        shutil.rmtree(self.folder / _HELD, ignore_errors=True)
        for litter in self.folder.glob(f"{_STAGED}*"):
            litter.unlink(missing_ok=True)

    def _aside(self) -> str:
        aside = self.folder / "damaged"
        aside.mkdir(exist_ok=True)
        os.replace(self.folder / PLAN, aside / PLAN)
        return f"{self.folder / PLAN}: cannot be understood and was set aside in {aside}"


def _checksum(data: bytes | None) -> str | None:
    return None if data is None else hashlib.sha256(data).hexdigest()


def _checksum_of(path: Path) -> str | None:
    try:
        return _checksum(path.read_bytes())
    except OSError:
        return None
