"""Revisions: a file, and all its neighbours, as they were at a revision in git."""

import io
import subprocess
import tarfile
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from dreck.errors import BadTarget


@contextmanager
def at_revision(path: Path, revision: str) -> Iterator[Path]:
    """The path of `path` as it was at `revision`, among its neighbours of then; gone when the context ends.

    Raises BadTarget when the file is in no git repository, or was not there at that revision.
    """
    top = Path(_git(path, "rev-parse", "--show-toplevel").decode().strip())
    inside = path.absolute().resolve().relative_to(top.resolve())
    archive = _git(path, "archive", "--format=tar", revision, cwd=top)
    with tempfile.TemporaryDirectory(prefix="dreck-revision-") as folder:
        with tarfile.open(fileobj=io.BytesIO(archive)) as files:
            files.extractall(folder, filter="data")
        old = Path(folder, inside)
        if not old.exists():
            raise BadTarget(f"{path}: was not there at revision {revision}")
        yield old


def data_at(path: Path, revision: str) -> bytes | None:
    """The bytes of `path` at `revision`; None when it was not there then. Raises BadTarget for no such revision."""
    top = Path(_git(path, "rev-parse", "--show-toplevel").decode().strip())
    _git(path, "rev-parse", "--verify", "--quiet", f"{revision}^{{commit}}")
    inside = path.absolute().resolve().relative_to(top.resolve())
    try:
        return _git(path, "show", f"{revision}:{inside.as_posix()}")
    except BadTarget:
        return None


def _git(path: Path, *args: str, cwd: Path | None = None) -> bytes:
    try:
        done = subprocess.run(
            ["git", *args],
            cwd=cwd or (path if path.is_dir() else path.absolute().parent),
            capture_output=True,
            check=False,
        )
    except (OSError, FileNotFoundError):
        raise BadTarget(f"{path}: git cannot be run there") from None
    if done.returncode:
        told = done.stderr.decode(errors="replace").strip().splitlines()
        raise BadTarget(f"{path}: git {args[0]} failed: {told[0] if told else 'no reason given'}")
    return done.stdout
