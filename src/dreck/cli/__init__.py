"""The command line: arguments in, report out. No logic lives here."""

import gc
import os
import sys

WIDTHS = (80, 100)
"""Columns of a terminal for which the help stands written out; wider ones see that of the widest."""

_CALM = (50_000, 20, 100)
"""Modules and trees come by the ten thousand objects, and hardly any of them is garbage in a cycle: a process of our
own looks for that less often."""


def main() -> None:
    """Runs the command; its version and its help it tells by itself: asking for them costs no more than that."""
    if sys.argv[1:] == ["--version"]:
        from dreck.cli.version import version

        print(version())
        return
    if sys.argv[1:] in (["--help"], ["-h"]) and (told := _help()):
        print(told, end="")
        return
    gc.set_threshold(*_CALM)
    from dreck.cli.group import main as run

    run()


def _help() -> str:
    """The help as it is written out for this terminal; '' when it is not."""
    columns = min(_columns(), WIDTHS[-1])
    if columns not in WIDTHS:
        return ""
    try:
        with open(os.path.join(os.path.dirname(__file__), "help.txt"), encoding="utf-8") as file:
            return file.read().split("\f")[WIDTHS.index(columns)]
    except (OSError, ValueError, IndexError):
        return ""


def _columns() -> int:
    """As `shutil.get_terminal_size` finds them, which takes long to import."""
    try:
        columns = int(os.environ.get("COLUMNS", ""))
    except ValueError:
        columns = 0
    if columns > 0:
        return columns
    try:
        return os.get_terminal_size(sys.__stdout__.fileno()).columns or WIDTHS[0]  # type: ignore[union-attr]
    except (AttributeError, ValueError, OSError):
        return WIDTHS[0]


__all__ = ["main"]
