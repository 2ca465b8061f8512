"""What the kernel holds, where it offers it: Linux's Landlock and seccomp filters, for this process and all it starts.

Nothing is written or executed but in one private folder, only what the interpreter, its packages and the project need
is read, no socket is opened, no process started, no signal sent. Neither can be taken back, by native code either.
Sources: landlock(7), seccomp(2), linux/landlock.h, linux/seccomp.h, asm/unistd.h.
"""

import contextlib
import ctypes
import os
import platform
import signal
import struct
import sys
import sysconfig
from collections.abc import Iterable, Iterator
from pathlib import Path

_PR_SET_PDEATHSIG, _PR_SET_SECCOMP, _PR_SET_NO_NEW_PRIVS = 1, 22, 38
_CREATE_RULESET, _ADD_RULE, _RESTRICT_SELF = 444, 445, 446
_ABI_OF = 1
_PATH_BENEATH = 1
_READ = 1 << 2 | 1 << 3
"""LANDLOCK_ACCESS_FS_READ_FILE and _READ_DIR."""
_WRITE_FILE = 1 << 1
_FILE_ONLY = 1 << 0 | 1 << 1 | 1 << 2 | 1 << 14 | 1 << 15
_ACCESS_BY_ABI = {1: 13, 2: 14, 3: 15, 4: 15, 5: 16}
"""How many kinds of access to files each version of Landlock knows."""
_SYSTEM = (
    "/usr/lib", "/usr/lib64", "/lib", "/lib64", "/usr/share", "/usr/local/lib",
    "/etc/localtime", "/etc/timezone", "/etc/mime.types", "/etc/ssl", "/etc/ld.so.cache", "/etc/hosts",
    "/etc/services", "/etc/nsswitch.conf", "/etc/passwd", "/etc/group", "/etc/fonts",
    "/proc/self/status", "/proc/self/maps", "/proc/self/stat", "/proc/cpuinfo", "/proc/meminfo", "/proc/stat",
    "/proc/sys", "/sys/devices/system", "/sys/fs/cgroup", "/dev/urandom", "/dev/random", "/dev/zero",
)  # fmt: skip

_REFUSED = {
    "x86_64": (
        0xC000003E,
        [29, 30, 41, 42, 43, 44, 46, 49, 50, 53, 57, 58, 59, 62, 64, 68, 90, 91, 92, 93, 94, 101, 132, 165, 166, 188,
         189, 190, 197, 198, 199, 200, 235, 260, 261, 268, 280, 288, 307, 310, 311, 321, 322, 323, 424, 425, 452],
        (56, 435, 234),
    ),
    "aarch64": (
        0xC00000B7,
        [5, 6, 7, 14, 15, 16, 39, 40, 52, 53, 54, 55, 88, 117, 129, 130, 186, 190, 194, 196, 198, 199, 200, 201, 202,
         203, 206, 211, 221, 242, 269, 270, 271, 280, 281, 282, 424, 425, 452],
        (220, 435, 131),
    ),
}  # fmt: skip
"""By machine: its audit number, the calls refused (sockets, new programs, signals, shared memory, owners, modes, times
and extended attributes of files, tracing, mounting, io_uring), and clone, clone3, tgkill, which threads need."""
_CLONE_THREAD = 0x00010000
_EPERM, _ENOSYS = 1, 38
_ALLOW, _ERRNO = 0x7FFF0000, 0x00050000
_LOAD, _EQUAL, _ANY_BIT, _RETURN = 0x20, 0x15, 0x45, 0x06


def die_with_parent() -> None:
    """This process is killed when its parent is no more (Linux)."""
    if sys.platform == "linux":
        ctypes.CDLL(None, use_errno=True).prctl(_PR_SET_PDEATHSIG, signal.SIGKILL, 0, 0, 0)


def offered() -> bool:
    """Whether this kernel can hold a cage: Landlock is there, and the filter knows the machine."""
    return sys.platform == "linux" and platform.machine() in _REFUSED and _abi() > 0


def close_walls(private: Path, read: Iterable[Path]) -> bool:
    """Closes both walls around this process, for ever. `private` may be written, `read` be read besides the system's
    libraries and the interpreter's packages. False when the kernel does not offer both, or refuses."""
    if not offered():
        return False
    libc = ctypes.CDLL(None, use_errno=True)
    if libc.prctl(_PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0) != 0:
        return False
    return _landlock(libc, private, [*read, *_needed()]) and _filter(libc)


def _abi() -> int:
    try:
        return int(ctypes.CDLL(None, use_errno=True).syscall(_CREATE_RULESET, None, ctypes.c_size_t(0), _ABI_OF))
    except (OSError, AttributeError):
        return 0


def _needed() -> Iterator[Path]:
    """What the interpreter and its packages read."""
    yield from map(Path, _SYSTEM)
    yield from {Path(p) for p in sysconfig.get_paths().values()}
    yield from (Path(sys.prefix), Path(sys.base_prefix), Path(os.path.realpath(sys.executable)).parent.parent)
    yield from (Path(p) for p in sys.path if p and Path(p).exists() and Path(p) != Path.cwd())


def _landlock(libc: ctypes.CDLL, private: Path, read: Iterable[Path]) -> bool:
    abi = _abi()
    every = (1 << _ACCESS_BY_ABI.get(min(abi, 5), 13)) - 1
    network = 3 if abi >= 4 else 0
    scoped = 3 if abi >= 6 else 0
    attributes = struct.pack("=QQQ", every, network, scoped)[: 24 if abi >= 6 else 16 if abi >= 4 else 8]
    ruleset = libc.syscall(_CREATE_RULESET, attributes, ctypes.c_size_t(len(attributes)), 0)
    if ruleset < 0:
        return False
    try:
        for path in dict.fromkeys(read):
            _allow(libc, ruleset, path, _READ & every)
        _allow(libc, ruleset, Path(os.devnull), (_READ | _WRITE_FILE) & every)
        _allow(libc, ruleset, private, every & ~1)
        return int(libc.syscall(_RESTRICT_SELF, ruleset, 0)) == 0
    finally:
        os.close(ruleset)


def _allow(libc: ctypes.CDLL, ruleset: int, path: Path, access: int) -> None:
    """Lets `path`, and what lies below it, be accessed so. A path that is not there needs no rule."""
    with contextlib.suppress(OSError):
        handle = os.open(path, os.O_PATH | os.O_CLOEXEC)
        try:
            allowed = access if os.path.isdir(path) else access & _FILE_ONLY
            libc.syscall(_ADD_RULE, ruleset, _PATH_BENEATH, struct.pack("=Qi", allowed, handle), 0)
        finally:
            os.close(handle)


def _filter(libc: ctypes.CDLL) -> bool:
    """A seccomp filter: what is refused gives EPERM; a clone makes threads and nothing else."""
    number, refused, (clone, clone3, tgkill) = _REFUSED[platform.machine()]
    program: list[bytes] = []

    def add(code: int, k: int, yes: int = 0, no: int = 0) -> None:
        program.append(struct.pack("=HBBI", code, yes, no, k))

    add(_LOAD, 4)
    add(_EQUAL, number, 1, 0)
    add(_RETURN, _ERRNO | _EPERM)
    add(_LOAD, 0)
    if platform.machine() == "x86_64":  # the same calls under the numbers of x32
        add(_ANY_BIT, 0x40000000, 0, 1)
        add(_RETURN, _ERRNO | _EPERM)
    for call in refused:
        add(_EQUAL, call, 0, 1)
        add(_RETURN, _ERRNO | _EPERM)
    add(_EQUAL, clone3, 0, 1)
    add(_RETURN, _ERRNO | _ENOSYS)
    add(_EQUAL, clone, 0, 3)
    add(_LOAD, 16)
    add(_ANY_BIT, _CLONE_THREAD, 4, 0)
    add(_RETURN, _ERRNO | _EPERM)
    add(_EQUAL, tgkill, 0, 2)
    add(_LOAD, 16)
    add(_EQUAL, os.getpid(), 0, 1)
    add(_RETURN, _ALLOW)
    add(_LOAD, 0)
    add(_EQUAL, tgkill, 0, 1)
    add(_RETURN, _ERRNO | _EPERM)
    add(_RETURN, _ALLOW)
    code = ctypes.create_string_buffer(b"".join(program))
    whole = struct.pack("=HxxxxxxQ", len(program), ctypes.addressof(code))
    return int(libc.prctl(_PR_SET_SECCOMP, 2, ctypes.c_char_p(whole), 0, 0)) == 0
