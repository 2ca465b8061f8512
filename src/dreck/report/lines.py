"""Lines on a terminal: the console, its colours, and long lines that wrap between words under their first."""

import os
import sys
import textwrap

from rich.console import Console
from rich.text import Text

_PIPED_WIDTH = 200


def console(stderr: bool = False) -> Console:
    """A console on standard output (or error): colour on a terminal only, and never with NO_COLOR."""
    piped = not (sys.stderr if stderr else sys.stdout).isatty()
    width = int(os.environ.get("COLUMNS", _PIPED_WIDTH)) if piped else None
    return Console(highlight=False, width=width, no_color=True if piped else None, soft_wrap=False, stderr=stderr)


# Blue and orange are told apart by everybody, and read on light and on dark; the signs say the same again. Where there
# are sixteen colours only, the nearest to orange is a yellow that nobody reads on paper.
_FEW = Console().color_system == "standard"
GOOD, BAD, DOUBT = ("blue", "red", "magenta") if _FEW else ("#2f7fb8", "#c46a00", "#8a7a1f")


def plain(text: str) -> Text:
    return Text(text)


def say(out: Console, text: str, hang: int = 4, style: str = "") -> None:
    """A line that may be long: on a terminal it goes on under itself, `hang` columns in; in a pipe it is one line."""
    width = out.width
    if not out.is_terminal or len(text) <= width:
        out.print(Text(text, style), soft_wrap=True)
        return
    indent = text[: len(text) - len(text.lstrip())]
    lines = textwrap.wrap(
        text.strip(), width, initial_indent=indent, subsequent_indent=" " * hang, break_on_hyphens=False,
        break_long_words=False,
    )  # fmt: skip
    for line in lines:
        out.print(Text(line, style), soft_wrap=True)
