"""What the kernel holds, where it offers it."""

import ctypes
import signal
import sys

_PR_SET_PDEATHSIG = 1


def die_with_parent() -> None:
    """This process is killed when its parent is no more (Linux)."""
    if sys.platform == "linux":
        ctypes.CDLL(None, use_errno=True).prctl(_PR_SET_PDEATHSIG, signal.SIGKILL, 0, 0, 0)
