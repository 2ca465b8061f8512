"""Pairs in families: a small change of one class, one signature, one statement, and what it does to a rewriting.

`=== name`, shared lines, `--- old`, lines, `--- new`, lines, `--- calls`, an expression a line, `--- each`, pieces of code
with `+++` between them, each of which is put where `@@` stands; before `--- each` there may be `--- assume` and names.
"""

import re
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

HEAD = "import abc, asyncio, dataclasses, enum, functools, typing\n"


@dataclass(frozen=True)
class Variation:
    """Two versions with one piece put in, the calls that show whether they are the same, and what is assumed."""

    name: str
    old: str
    new: str
    calls: tuple[str, ...]
    assumed: tuple[str, ...]


def variations() -> Iterator[Variation]:
    for path in sorted(Path(__file__).parent.glob("*.txt")):
        for text in path.read_text().split("=== ")[1:]:
            name, _, rest = text.partition("\n")
            shared, *parts = re.split(r"^--- (\w+)\n", rest, flags=re.MULTILINE)
            told = dict(zip(parts[::2], parts[1::2], strict=True))
            calls, assumed = told["calls"].splitlines(), told.get("assume", "").split()
            for number, piece in enumerate(told["each"].split("+++\n")):
                old, new = (_filled(HEAD + shared + told[side], piece.rstrip("\n")) for side in ("old", "new"))
                yield Variation(f"{name} {number}", old, new, tuple(calls), tuple(assumed))


def _filled(text: str, piece: str) -> str:
    """The piece where `@@` stands: as deep as that when it has a line to itself."""

    def put(found: re.Match[str]) -> str:
        first, *more = piece.split("\n")
        return "\n".join([found[1] + first, *((found[1] if not found[1].strip() else "") + line for line in more)])

    return re.sub(r"^(.*)@@", put, text, flags=re.MULTILINE)
