"""The cache: what was found out about a file's text, kept in the user's cache folder until the text changes.

Keyed by the text itself, by Dreck's own code, by Python's version and by what was asked. What can be counted is kept,
and what trials have seen (`trials.py`); never that something was proved. A cache that cannot be read or written is as
good as none.
"""

import hashlib
import json
import os
import sqlite3
import sys
import time
from contextlib import suppress
from dataclasses import dataclass, field
from functools import lru_cache
from pathlib import Path
from typing import Any

_MOST_BYTES = 100_000_000
"""When the file is larger than this, the entries unused for longest go."""
_WAIT = 2.0
_STEPS = "dreck.steps"
_OFF = "DRECK_NO_CACHE"


@lru_cache(maxsize=1)
def _own_version() -> str:
    """Dreck's own code and that of steps from outside, as it lies on the disk: any change makes all that was kept
    worthless."""
    found = [_files_below(Path(__file__).parents[2])]
    if not any(_names_steps(place) for place in sys.path):
        return hashlib.sha256(f"{sys.version}{found}".encode()).hexdigest()

    from importlib.metadata import entry_points
    from importlib.util import find_spec

    for point in entry_points(group=_STEPS):
        with suppress(ImportError, ValueError):
            spec = find_spec(point.value.partition(":")[0].partition(".")[0])
            home = Path(spec.origin) if spec is not None and spec.origin else None
            if home is not None:
                found.append(_files_below(home.parent) if home.name == "__init__.py" else [_stamp(home)])
    return hashlib.sha256(f"{sys.version}{found}".encode()).hexdigest()


def _names_steps(place: str) -> bool:
    """Whether something installed there may bring steps of its own; looking is cheaper than asking for metadata."""
    told = [
        f"{place}/{name}/entry_points.txt" for name in _names_in(place) if name.endswith((".dist-info", ".egg-info"))
    ]
    try:
        return any(_STEPS in Path(file).read_text(errors="replace") for file in told if os.path.exists(file))
    except OSError:
        return True


def _names_in(place: str) -> list[str]:
    try:
        return os.listdir(place or ".")
    except OSError:
        return []


def _files_below(root: Path) -> list[tuple[str, int, int]]:
    """Name, time and size of each Python file. Every start asks this: entries of folders are cheaper than paths."""
    found, open_ = [], [str(root)]
    while open_:
        with os.scandir(open_.pop()) as entries:
            for entry in entries:
                if entry.name.endswith(".py"):
                    known = entry.stat()
                    found.append((entry.path[len(str(root)) :], known.st_mtime_ns, known.st_size))
                elif entry.name != "__pycache__" and entry.is_dir(follow_symlinks=False):
                    open_.append(entry.path)
    return sorted(found)


def _stamp(path: Path) -> tuple[str, int, int]:
    found = path.stat()
    return path.name, found.st_mtime_ns, found.st_size


def key_of(what: str, data: bytes) -> str:
    """What a finding about a text is kept under; `what` says what was asked, and what it leans on."""
    return hashlib.sha256(f"{what}\0{_own_version()}\0".encode() + data).hexdigest()


def cache_file() -> Path:
    """Where it lies. `XDG_CACHE_HOME` and its like move it."""
    from platformdirs import user_cache_path

    return user_cache_path("dreck") / "found.sqlite"


@dataclass(slots=True)
class Cache:
    """Entries by key, written when the cache is closed. Safe with several processes: SQLite sees to that."""

    _connection: sqlite3.Connection | None = None
    _new: dict[str, str] = field(default_factory=dict)
    _used: list[str] = field(default_factory=list)

    @classmethod
    def opened(cls, wanted: bool = True) -> "Cache":
        """The user's cache; one that keeps nothing when it is not wanted, or cannot be opened."""
        if not wanted or os.environ.get(_OFF):
            return cls()
        try:
            return cls(_connected(cache_file()))
        except (OSError, sqlite3.Error, ImportError):
            return cls()

    @property
    def is_open(self) -> bool:
        return self._connection is not None

    def get(self, key: str) -> Any:
        """What is kept under a key, or None."""
        if self._connection is None:
            return None
        try:
            row = self._connection.execute("select value from found where key = ?", (key,)).fetchone()
            self._used += [key] if row is not None else []
            return json.loads(row[0]) if row is not None else None
        except (sqlite3.Error, ValueError):
            return None

    def put(self, key: str, value: Any) -> None:
        if self._connection is not None:
            self._new[key] = json.dumps(value)

    def close(self) -> None:
        """Writes what is new, in one go."""
        if self._connection is None:
            return
        now = int(time.time())
        with suppress(sqlite3.Error, OSError):
            with self._connection:
                rows = [(key, value, now) for key, value in self._new.items()]
                self._connection.executemany("insert or replace into found values (?, ?, ?)", rows)
                self._connection.executemany("update found set used = ? where key = ?", [(now, k) for k in self._used])
            _bounded(self._connection)
        with suppress(sqlite3.Error):
            self._connection.close()
        self._connection = None


def _connected(path: Path) -> sqlite3.Connection:
    path.parent.mkdir(parents=True, exist_ok=True)
    try:
        return _with_table(path)
    except sqlite3.DatabaseError as error:
        if isinstance(error, sqlite3.OperationalError):
            raise
        # Damaged: what was in it can be found out again.
        print(f"dreck: {path}: the cache was damaged and is begun anew", file=sys.stderr)
        path.unlink(missing_ok=True)
        return _with_table(path)


def _with_table(path: Path) -> sqlite3.Connection:
    connection = sqlite3.connect(path, timeout=_WAIT)
    connection.execute("create table if not exists found (key text primary key, value text, used integer)")
    return connection


def _bounded(connection: sqlite3.Connection) -> None:
    """The older half goes when it has grown too large."""
    (pages,), (size,) = (connection.execute(f"pragma {name}").fetchone() for name in ("page_count", "page_size"))
    if pages * size <= _MOST_BYTES:
        return
    with connection:
        half = "select key from found order by used limit (select count(*) / 2 from found)"
        connection.execute(f"delete from found where key in ({half})")
    connection.execute("vacuum")
