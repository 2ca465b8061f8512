"""The cage: strange inputs run through real code here, where it can do no harm.

Where the kernel offers it, walls of its own stand first (`kernel`): native code cannot climb them. Inside of them,
and everywhere else, an audit hook (PEP 578) refuses writing and deleting files, sockets, starting processes, signals
and foreign functions; resource limits hold memory and files; the working folder is empty and the environment holds no
secrets. What was refused is told, so that two versions can be compared by it.
"""

import _thread
import os
import resource
import signal
import sys
import threading
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from time import monotonic as _monotonic
from time import process_time as _process_time
from typing import Any

from dreck.trial.sandbox import kernel
from dreck.trial.sandbox.files import Files
from dreck.trial.sandbox.folder import KEPT
from dreck.trial.sandbox.loop import StillLoop

MEMORY = 1 << 30
_LARGEST_FILE = 1 << 24
_MOST_FILES = 256
_WAITING = 16
"""So many times its limit of work may a run last by the clock."""
_FIRST_LOOK, _LOOK = 0.05, 0.01
"""Seconds by the clock after which a run is looked at, and between two looks."""
_ASLEEP = 6
"""A run found asleep at so many looks in a row waits for what never comes: nobody else is in the cage."""
_AWAKE = 0.002
"""Seconds of work between two looks that say it was not only asleep."""
_WRITES = os.O_WRONLY | os.O_RDWR | os.O_CREAT | os.O_TRUNC | os.O_APPEND
_REFUSED = [
    "os.remove",
    "os.unlink",
    "os.rename",
    "os.replace",
    "os.mkdir",
    "os.rmdir",
    "os.chmod",
    "os.chown",
    "os.chflags",
    "os.link",
    "os.symlink",
    "os.truncate",
    "os.utime",
    "os.setxattr",
    "os.removexattr",
    "os.chdir",
    "os.fork",
    "os.forkpty",
    "os.kill",
    "os.killpg",
    "os.system",
    "os.exec",
    "os.posix_spawn",
    "os.spawn",
    "os.startfile",
    "subprocess.Popen",
    "pty.spawn",
    "socket.__new__",
    "socket.connect",
    "socket.bind",
    "socket.getaddrinfo",
    "socket.gethostbyname",
    "socket.sendto",
    "shutil.rmtree",
    "shutil.move",
    "shutil.copyfile",
    "signal.pthread_kill",
    "_thread.start_new_thread",
    "_thread.start_joinable_thread",
    "ctypes.dlopen",
    "ctypes.dlsym",
    "ctypes.call_function",
    "ctypes.cdata",
    "ctypes.addressof",
    "ctypes.string_at",
    "webbrowser.open",
    "ftplib.connect",
    "smtplib.connect",
    "urllib.Request",
    "sqlite3.connect",
    "resource.setrlimit",
    "resource.prlimit",
    "syslog.syslog",
    "fcntl.fcntl",
    "fcntl.ioctl",
    "fcntl.flock",
    "mmap.__new__",
]
_REFUSED_SET = frozenset(_REFUSED)


class Refused(PermissionError):
    """What the cage did not let happen."""


class NoWalls(Exception):
    """The kernel's walls are wanted, and there are none."""


class TimeUp(BaseException):
    """One run took too long. A BaseException, so that `except Exception` in the code does not catch it."""


class Cage:
    """Closed once per process and never opened again; `told` lists what was refused since `listen`."""

    def __init__(self, allowed: frozenset[str] = frozenset()) -> None:
        self.told: list[str] = []
        self._opened_now: list[Any] = []
        self.has_walls = False
        self._files: Files | None = None
        self._allowed = allowed
        self._closed = False
        self._own: frozenset[int] = frozenset()
        self._loop: StillLoop | None = None

    def loop(self) -> StillLoop:
        """An event loop for coroutines, made before the cage was closed: making one needs a socket."""
        assert self._loop is not None
        return self._loop

    def wall(self, read: Iterable[Path], wanted: str = "") -> None:
        """Bare environment, limits and, where the kernel offers them, its walls: before anything of the project runs.

        The process stands in a folder of its own, which is all it may write; of files outside of its packages it may
        read those below `read`. Raises NoWalls when `wanted` is "kernel" and the kernel offers none. A cage that is
        opened for something has no such walls: they know nothing of exceptions.
        """
        self._files = Files(Path.cwd())
        self._loop = StillLoop(TimeUp)  # making one needs a socket
        for name in list(os.environ):
            if name not in KEPT and not name.startswith("PYTHON"):
                del os.environ[name]
        os.environ["HOME"] = os.getcwd()
        _limit(resource.RLIMIT_AS, MEMORY)
        _limit(resource.RLIMIT_CORE, 0)
        _limit(resource.RLIMIT_FSIZE, _LARGEST_FILE)
        _limit(resource.RLIMIT_NOFILE, _MOST_FILES)
        sys.dont_write_bytecode = True
        self.has_walls = not self._allowed and kernel.close_walls(Path.cwd(), read)
        if wanted == "kernel" and not self.has_walls:
            raise NoWalls('[tool.dreck] cage = "kernel": the kernel of this machine offers no walls')

    def close(self) -> None:
        """From now on nothing that is named here is let happen, and what was refused is told."""
        signal.signal(signal.SIGALRM, _alarm)
        self._refuse_threads()
        self._own = frozenset(n for n in range(_FIRST_DESCRIPTORS) if _is_open(n))
        self._closed = True
        sys.addaudithook(self._heard)

    def begin(self) -> None:
        """Before each run: nothing is told yet, and the folder is as it was."""
        self.told.clear()
        self._opened_now.clear()
        if self._loop is not None:
            self._loop.passed = 0.0
        if self._files is not None:
            closed, self._closed = self._closed, False
            self._files.begin(bool(self._allowed))
            self._closed = closed

    def change_files(self, names: Iterable[str], leave: bool = False) -> None:
        """What stands in the folder is another thing, as whoever else knows it may make it; with `leave` the process
        stands elsewhere, too."""
        if self._files is not None:
            closed, self._closed = self._closed, False
            self._files.change(names)
            if leave:
                self._files.go_elsewhere()
            self._closed = closed

    def reads_of_here(self) -> bool:
        """Whether a run has opened what is not the same elsewhere: a file of its folder, a folder, a descriptor."""
        return any(not self._is_the_same_elsewhere(path) for path in list(self._opened_now))

    def _is_the_same_elsewhere(self, path: Any) -> bool:
        if not isinstance(path, str | bytes):
            return False
        return path == os.devnull or not os.path.lexists(path) or (os.path.isabs(path) and os.path.isfile(path))

    def left(self) -> tuple[tuple[str, str], ...]:
        """The files that a run has written, with what they hold."""
        return self._files.left() if self._files is not None else ()

    def _refuse_threads(self) -> None:
        """Starting a thread raises no audit event in Python 3.11."""

        def refused(*args: Any, **kwargs: Any) -> Any:
            self._refuse("starting a thread", ())

        for name in ("start_new_thread", "start_new", "start_joinable_thread"):
            if hasattr(_thread, name):
                setattr(_thread, name, refused)
        vars(threading)["_start_new_thread"] = refused

    def _heard(self, event: str, args: tuple[Any, ...]) -> None:
        if not self._closed:
            return
        if event == "open":
            self._opened_now.append(args[0])
            self._opened(*args)
        elif event in _REFUSED_SET and event not in self._allowed:
            self._refuse(event, args)

    def _opened(self, path: Any, mode: Any, flags: Any) -> None:
        if isinstance(path, int) and int(path) in self._own:
            self._refuse("open by a number that is not the code's own", ())
        writes = (isinstance(mode, str) and any(c in mode for c in "wax+")) or (
            isinstance(flags, int) and bool(flags & _WRITES)
        )
        if not writes or "open" in self._allowed or path == os.devnull:
            return
        # Of a call of `os.open` is not told in which folder it begins.
        if not (isinstance(mode, str) and self._files is not None and self._files.may_write(path)):
            self._refuse("open for writing", (path,))

    def _refuse(self, what: str, args: tuple[Any, ...]) -> None:
        told = f"{what} {args[0]!r}" if args and isinstance(args[0], str | bytes | int) else what
        self.told.append(told)
        raise Refused(f"refused: {told}")

    @contextmanager
    def timed(self, seconds: float) -> Iterator[None]:
        """Raises TimeUp in the code inside once it has worked for `seconds` of the processor's time, so that a busy
        machine changes nothing; and when it only waits, or after many times as long by the clock."""
        signal.signal(signal.SIGALRM, _Watch(max(1.0, seconds * _WAITING)))
        signal.signal(signal.SIGPROF, _alarm)
        signal.setitimer(signal.ITIMER_PROF, seconds, 0.05)
        signal.setitimer(signal.ITIMER_REAL, _FIRST_LOOK, _LOOK)
        try:
            yield
        finally:
            try:
                _no_more_alarms()
            finally:  # one may have gone off just there
                _no_more_alarms()


def _no_more_alarms() -> None:
    signal.setitimer(signal.ITIMER_PROF, 0)
    signal.setitimer(signal.ITIMER_REAL, 0)


_FIRST_DESCRIPTORS = 64
"""Among so many numbers those of the process's own files are."""


def _is_open(number: int) -> bool:
    try:
        os.fstat(number)
    except OSError:
        return False
    return True


def _alarm(signum: int, frame: Any) -> None:
    raise TimeUp


class _Watch:
    """Looks at a run again and again: whether it works, stands in line for the processor, or has gone to sleep.

    A process that is only kept from working, on a busy machine, gives nothing up of itself; one that waits does.
    """

    def __init__(self, seconds: float) -> None:
        self._until = _monotonic() + seconds
        self._worked, self._gave_up, self._asleep = 0.0, -1, 0

    def __call__(self, signum: int, frame: Any) -> None:
        worked, gave_up = _process_time(), _gave_up()
        is_asleep = 0 <= self._gave_up < gave_up and worked - self._worked < _AWAKE
        self._asleep = self._asleep + 1 if is_asleep else 0
        self._worked, self._gave_up = worked, gave_up
        if self._asleep >= _ASLEEP or _monotonic() > self._until:
            raise TimeUp


def _gave_up() -> int:
    """How often this process has let go of the processor by itself, to wait for something."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_nvcsw


def _limit(what: int, value: int) -> None:
    _, hard = resource.getrlimit(what)
    limit = value if hard == resource.RLIM_INFINITY else min(value, hard)
    resource.setrlimit(what, (limit, limit))
