"""Files: bytes decoded as Python decodes them, and saved whole or not at all."""

import contextlib
import io
import os
import re
import stat
import tokenize
import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from pathlib import Path

from dreck.errors import BadSource, BadTarget

_HUGE = re.compile(r"\b0[xXoObB][0-9a-fA-F_]{3500,}")
SKIPPED_FOLDERS = {"__pycache__", "node_modules", "build", "dist", "site-packages"}


@dataclass(frozen=True, slots=True)
class SourceFile:
    """A Python file as it was read: its bytes and the text they decode to.

    `encoding` is the one PEP 263 gives; a byte order mark is kept apart and put back on saving.
    """

    path: Path
    data: bytes
    text: str
    encoding: str
    mark: bytes = b""

    def encoded(self, text: str) -> bytes:
        """`text` as bytes in this file's encoding, byte order mark included.

        Raises BadSource when a character does not exist in that encoding.
        """
        try:
            return self.mark + text.encode(self.encoding)
        except UnicodeEncodeError as error:
            raise BadSource(f"{self.path}: the new text does not fit its encoding {self.encoding}: {error}") from None


_instead: ContextVar[tuple[Path, bytes] | None] = ContextVar("instead", default=None)


@contextmanager
def instead_of(path: Path, data: bytes) -> Iterator[None]:
    """As long as the block lasts, reading `path` gives `data`: the text as an editor has it."""
    token = _instead.set((path, data))
    try:
        yield
    finally:
        _instead.reset(token)


def read(path: Path) -> SourceFile:
    """Reads a Python file without losing a byte.

    Raises BadTarget when there is no such file, BadSource when it cannot be read or decoded.
    """
    instead = _instead.get()
    if instead is not None and instead[0] == path:
        return from_bytes(path, instead[1])
    try:
        mode = path.stat().st_mode
        if not stat.S_ISREG(mode) and not stat.S_ISDIR(mode):
            raise BadSource(f"{path}: is no regular file")
        data = path.read_bytes()
    except FileNotFoundError:
        if path.is_symlink():
            raise BadSource(f"{path}: leads to no file") from None
        raise BadTarget(f"{path}: no such file") from None
    except IsADirectoryError:
        raise BadTarget(f"{path}: is a folder, a Python file is wanted") from None
    except OSError as error:
        raise BadSource(f"{path}: cannot be read: {error.strerror}") from None
    return from_bytes(path, data)


def from_bytes(path: Path, data: bytes) -> SourceFile:
    """Decodes `data` as the Python file `path`; see `read` for what it raises."""
    mark = b"\xef\xbb\xbf" if data.startswith(b"\xef\xbb\xbf") else b""
    try:
        encoding, _ = tokenize.detect_encoding(io.BytesIO(data).readline)
        encoding = "utf-8" if encoding == "utf-8-sig" else encoding
        text = data[len(mark) :].decode(encoding)
        # What is strict UTF-8 has only one form; other codecs may read several bytes alike.
        same = encoding == "utf-8" or mark + text.encode(encoding) == data
    except Exception as error:  # codecs raise whatever they like
        told = str(error).splitlines()[0] if str(error) else type(error).__name__
        raise BadSource(f"{path}: cannot be decoded: {told}") from None
    if b"\0" in data:
        raise BadSource(f"{path}: holds NUL bytes, so it is not Python source")
    if _holds_long_lines(data) and _HUGE.search(text):
        raise BadSource(f"{path}: holds a whole number that is too long for Python to write")
    if not same:
        raise BadSource(f"{path}: its encoding {encoding} does not give back the same bytes; left alone")
    return SourceFile(path, data, text, encoding, mark)


def _holds_long_lines(data: bytes) -> bool:
    """Whether a number as long may stand there: none goes on in the next line."""
    return len(data) > _LONG and max(map(len, data.splitlines())) > _LONG


_LONG = 3000


def python_files(folder: Path) -> Iterator[Path]:
    """Every `.py` file below `folder`, sorted; hidden, cache and install folders are left out."""
    return (file for file in _files_below(folder) if file.suffix == ".py")


def data_files(folder: Path) -> Iterator[Path]:
    """All other files below it, hidden and compiled ones left out."""
    return (f for f in _files_below(folder) if f.suffix not in (".py", ".pyc") and not f.name.startswith("."))


def _files_below(folder: Path) -> Iterator[Path]:
    for root, folders, files in os.walk(folder):
        folders[:] = sorted(f for f in folders if not f.startswith(".") and f not in SKIPPED_FOLDERS)
        yield from (Path(root, name) for name in sorted(files))


def save_bytes(path: Path, data: bytes) -> None:
    """Writes `data` to `path` atomically: a file staged beside it, synced, then renamed over it.

    Raises BadSource when the file or its folder does not let itself be written.
    """
    real = Path(os.path.realpath(path))
    try:
        if real.exists() and (not real.stat().st_mode & 0o222 or not os.access(real, os.W_OK)):
            raise BadSource(f"{path}: is read-only; make it writable and run again")
        replace_file(real, data)
    except OSError as error:
        raise BadSource(f"{path}: cannot be written: {error.strerror}") from None


def replace_file(real: Path, data: bytes, mode: int | None = None) -> None:
    """Replaces one file by a staged one. Raises OSError; then the file is as it was."""
    staged = real.parent / f".dreck-{uuid.uuid4().hex[:12]}"
    try:
        stage_file(staged, data, like=real)
        if mode is not None:
            os.chmod(staged, mode)
        os.replace(staged, real)
    except BaseException:
        staged.unlink(missing_ok=True)
        raise
    sync_folder(real.parent)


def stage_file(path: Path, data: bytes, like: Path | None) -> None:
    """A new file with `data`, synced; with mode, owner and extended attributes of `like`, as far as that is allowed."""
    model = like.stat() if like is not None and like.exists() else None
    handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o666 if model is None else 0o600)
    try:
        write_all(handle, data)
        os.fsync(handle)
    finally:
        os.close(handle)
    if model is None or like is None:
        return
    if hasattr(os, "chown") and (model.st_uid, model.st_gid) != (os.getuid(), os.getgid()):
        with contextlib.suppress(OSError):
            os.chown(path, model.st_uid, model.st_gid)
    os.chmod(path, stat.S_IMODE(model.st_mode))
    if hasattr(os, "listxattr"):
        with contextlib.suppress(OSError):
            for name in os.listxattr(like):
                os.setxattr(path, name, os.getxattr(like, name))


def write_in_place(path: Path, data: bytes) -> None:
    """Overwrites a file that has several names. Not atomic: the caller holds both texts until it is done."""
    handle = os.open(path, os.O_WRONLY)
    try:
        write_all(handle, data)
        os.ftruncate(handle, len(data))
        os.fsync(handle)
    finally:
        os.close(handle)


def write_all(handle: int, data: bytes) -> None:
    """Writes all of `data`, however little the system takes at a time."""
    view = memoryview(data)
    while view:
        view = view[os.write(handle, view) :]


def sync_folder(folder: Path) -> None:
    """What was renamed in a folder stays so when the machine stops."""
    try:
        handle = os.open(folder, os.O_RDONLY)
    except OSError:
        return
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
