"""The files of a run: what it finds in its private folder, what it may write there, and what it leaves."""

import hashlib
import os
import shutil
from collections.abc import Iterable
from contextlib import suppress
from pathlib import Path
from typing import Any

THERE = {"there": "wet,3\ndry,4\n\n# raw\n", "there.json": '{"wet": 3, "dry": [4, null]}'}
"""Files that are there before each run, by name: some lines, and something in JSON."""
_LONGEST = 10_000
_NOW = 1_700_000_000


class Files:
    """One folder, the same before each run. Files that are opened by name may be written; nothing else is changed."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._real = os.path.realpath(folder)
        self._touched = True

    def begin(self, anything: bool) -> None:
        """Puts the folder as it was, where something may have been written since; `anything` may have happened."""
        if (self._touched or anything) and not self._folder.is_symlink() and self._folder.is_dir():
            self._empty()
            for name, text in THERE.items():
                path = self._folder / name
                path.write_text(text, encoding="utf-8", newline="")
                with suppress(OSError):  # inside the kernel's walls no times are set
                    os.utime(path, (_NOW, _NOW))
        self._touched = False

    def _empty(self) -> None:
        """Empties the very folder the process was given, wherever the code has gone meanwhile, and goes back there."""
        os.chdir(self._folder)
        for entry in os.scandir(self._folder):
            if entry.is_dir(follow_symlinks=False):
                shutil.rmtree(entry.path, ignore_errors=True)
            else:
                os.unlink(entry.path)

    def change(self, names: Iterable[str]) -> None:
        """One file is gone, another holds something else, and those of such `names` are there."""
        self._touched = True
        with suppress(OSError):
            first, *others = THERE
            (self._folder / first).unlink(missing_ok=True)
            for name in (*others, *names):
                (self._folder / name).write_text('["later"]\n', encoding="utf-8")

    def go_elsewhere(self) -> None:
        """The process stands in another folder, below the one it was given."""
        self._touched = True
        place = self._folder / "later"
        place.mkdir(exist_ok=True)
        os.chdir(place)

    def may_write(self, path: Any) -> bool:
        """Whether a file lies in the folder. That it is going to be written is remembered."""
        if not isinstance(path, str | bytes):
            return False
        with suppress(ValueError, UnicodeError, OSError):
            real = os.path.realpath(os.fsdecode(path))
            if os.path.dirname(real) == self._real:
                self._touched = True
                return True
        return False

    def left(self) -> tuple[tuple[str, str], ...]:
        """The files that a run has left otherwise than it found them, with what they hold."""
        if not self._touched:
            return ()
        found: dict[str, str] = {}
        with suppress(OSError):
            for entry in sorted(os.scandir(self._folder), key=lambda entry: entry.name):
                if entry.is_file(follow_symlinks=False):
                    found[entry.name] = _told(Path(entry.path).read_bytes())
        return tuple((name, text) for name, text in found.items() if THERE.get(name) != text)


def _told(content: bytes) -> str:
    """What a file holds, so that two that differ are told otherwise: a long one by a digest of the whole."""
    try:
        text = content.decode("utf-8")
    except UnicodeDecodeError:
        text = repr(content)
    if len(text) <= _LONGEST:
        return text
    return f"{text[:_LONGEST]}... {len(content)} bytes, {hashlib.sha256(content).hexdigest()}"
