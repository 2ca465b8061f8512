"""The private folder of trials: one for each server, an empty one in it for each job, all of them gone at the end."""

import contextlib
import os
import re
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

KEPT = ("PATH", "LANG", "LC_ALL", "TZ", "SYSTEMROOT", "VIRTUAL_ENV")
"""What of the environment a trial may see."""
_OURS = re.compile(r"dreck-(\d+)-\w+")


@contextmanager
def private_folder() -> Iterator[Path]:
    """A folder in the system's temporary one, named after this process. What servers that were killed have left
    behind is swept away first."""
    sweep()
    folder = Path(tempfile.mkdtemp(prefix=f"dreck-{os.getpid()}-"))
    try:
        yield folder
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def sweep() -> None:
    """Removes folders of servers that are no more, where they are ours to remove."""
    with contextlib.suppress(OSError):
        for entry in os.scandir(tempfile.gettempdir()):
            named = _OURS.fullmatch(entry.name)
            if named is None or _runs(int(named[1])) or not entry.is_dir(follow_symlinks=False):
                continue
            if entry.stat(follow_symlinks=False).st_uid == os.getuid():
                shutil.rmtree(entry.path, ignore_errors=True)


def _runs(pid: int) -> bool:
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except OSError:
        return True
    return True
