"""Where the journal of a file stands: in the project the file belongs to, wherever one stands oneself."""

import contextlib
import os
import stat
from collections.abc import Iterable
from pathlib import Path

from dreck.errors import DreckError

FOLDER = ".dreck"
PLAN = "step.json"
"""What is to be written, while it is written."""
_ROOT_MARKS = (FOLDER, ".git", "pyproject.toml")


def root_of(paths: Iterable[Path]) -> Path:
    """The nearest folder above all of `paths` with a journal, or with a sign of a project's top that is one's own;
    the folder they stand in when there is none."""
    folders = [Path(os.path.realpath(path)).parent for path in paths]
    start = Path(os.path.commonpath(folders))
    return next((p for p in (start, *start.parents) if _is_root(p) and not _is_shared(p, start)), start)


def root_above(folder: Path) -> Path:
    """The nearest folder from `folder` upwards with a journal; without one, with a sign of a project's top."""
    start = Path(os.path.realpath(folder))
    upwards = (start, *start.parents)
    with_journal = (p for p in upwards if (p / FOLDER).is_dir() and _is_own(p / FOLDER) and not _is_shared(p, start))
    return next(with_journal, None) or next((p for p in upwards if _is_root(p) and not _is_shared(p, start)), start)


def interrupted_roots(paths: Iterable[Path]) -> list[Path]:
    """The projects of `paths` in which a run was killed in the middle of a step."""
    roots: dict[Path, None] = {}
    for path in paths:
        with contextlib.suppress(OSError, ValueError):
            if path.parent.exists():
                roots[root_of([path])] = None
                roots[root_above(path.parent)] = None
    return [root for root in roots if (root / FOLDER / PLAN).is_file()]


def _is_root(folder: Path) -> bool:
    return any((folder / mark).exists() and _is_own(folder / mark) for mark in _ROOT_MARKS)


def _is_shared(folder: Path, start: Path) -> bool:
    """A folder everybody writes to, such as the temporary one, is no project's top for what lies deeper in it."""
    return folder != start and bool(folder.stat().st_mode & stat.S_IWOTH)


def _is_own(path: Path) -> bool:
    """Whether it belongs to the user: what others have put into a shared folder says nothing of one's own project."""
    try:
        return not hasattr(os, "getuid") or path.stat().st_uid == os.getuid()
    except OSError:
        return False


def inside(root: Path, relative: str) -> Path:
    """The file of a record. Raises DreckError when that would lie outside of the project."""
    path = root / relative
    real = Path(os.path.realpath(path))
    if os.path.isabs(relative) or not real.is_relative_to(os.path.realpath(root)):
        raise DreckError(f"{relative}: lies outside of {root}; nothing is written there")
    return path


def relative(root: Path, path: Path) -> str:
    """How a record names a file of the project."""
    real = Path(os.path.realpath(path))
    if not real.is_relative_to(root):
        raise DreckError(f"{path}: lies outside of {root}, whose journal would have to know of it; nothing written")
    return real.relative_to(root).as_posix()
