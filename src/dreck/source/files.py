"""Files: bytes decoded as Python decodes them, and saved whole or not at all."""

import io
import os
import stat
import tempfile
import tokenize
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from dreck.errors import BadSource, BadTarget

_SKIPPED_FOLDERS = {"__pycache__", "node_modules", "build", "dist", "site-packages"}


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


def read(path: Path) -> SourceFile:
    """Reads a Python file without losing a byte.

    Raises BadTarget when there is no such file, BadSource when it cannot be read or decoded.
    """
    try:
        data = path.read_bytes()
    except FileNotFoundError:
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
    except (SyntaxError, UnicodeDecodeError, LookupError) as error:
        raise BadSource(f"{path}: cannot be decoded: {error}") from None
    if b"\0" in data:
        raise BadSource(f"{path}: holds NUL bytes, so it is not Python source")
    if mark + text.encode(encoding) != data:
        raise BadSource(f"{path}: its encoding {encoding} does not give back the same bytes; left alone")
    return SourceFile(path, data, text, encoding, mark)


def python_files(folder: Path) -> Iterator[Path]:
    """Every `.py` file below `folder`, sorted; hidden, cache and install folders are left out."""
    for root, folders, files in os.walk(folder):
        folders[:] = sorted(f for f in folders if not f.startswith(".") and f not in _SKIPPED_FOLDERS)
        yield from (Path(root, name) for name in sorted(files) if name.endswith(".py"))


def save(file: SourceFile, text: str) -> None:
    """Replaces the file's content by `text`, whole or not at all.

    Symbolic links are followed and the mode is kept. Raises BadSource when the file is read-only, has
    vanished, or no longer holds what was read.
    """
    real = Path(os.path.realpath(file.path))
    try:
        now = real.read_bytes()
    except OSError as error:
        raise BadSource(f"{file.path}: cannot be written: {error.strerror}") from None
    if now != file.data:
        raise BadSource(f"{file.path}: was changed by someone else since it was read; nothing written")
    save_bytes(file.path, file.encoded(text))


def save_bytes(path: Path, data: bytes) -> None:
    """Writes `data` to `path` atomically: a temporary file beside it, synced, then renamed over it.

    Raises BadSource when the file or its folder does not let itself be written.
    """
    real = Path(os.path.realpath(path))
    try:
        mode = stat.S_IMODE(real.stat().st_mode) if real.exists() else 0o644
        if not mode & 0o222 or (real.exists() and not os.access(real, os.W_OK)):
            raise BadSource(f"{path}: is read-only; make it writable and run again")
        _replace(real, data, mode)
    except OSError as error:
        raise BadSource(f"{path}: cannot be written: {error.strerror}") from None


def _replace(real: Path, data: bytes, mode: int) -> None:
    handle, name = tempfile.mkstemp(prefix=".dreck-", dir=real.parent)
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(name, mode)
        os.replace(name, real)
    except BaseException:
        Path(name).unlink(missing_ok=True)
        raise
    _sync_folder(real.parent)


def _sync_folder(folder: Path) -> None:
    try:
        handle = os.open(folder, os.O_RDONLY)
    except OSError:
        return
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
