"""Silhouettes: a function drawn by how many tests a reader holds open at each line. Data for page and figure."""

import ast
import re
import textwrap
from dataclasses import dataclass
from difflib import SequenceMatcher

from dreck.model.views.measures import Tangle, silhouette
from dreck.source.functions import functions_in
from dreck.source.lines import split_lines
from dreck.workbench.results import FunctionResult


@dataclass(frozen=True, slots=True)
class Side:
    """One version of a function: its lines, and the tests held open at each."""

    lines: tuple[str, ...]
    held: tuple[int, ...]
    shape: Tangle

    @property
    def widest(self) -> int:
        return max(self.held, default=0)


@dataclass(frozen=True, slots=True)
class Pair:
    """A function before and after, with the lines that are the same on both sides though they may have moved."""

    function: str
    old: Side
    new: Side
    joined: tuple[tuple[int, int], ...]


def pair(result: FunctionResult) -> Pair:
    """Both versions of a function, ready to be drawn."""
    old, new = _side(result.old, result.before), _side(result.new, result.after)
    return Pair(f"{result.path}::{result.name}", old, new, tuple(_joined(old.lines, new.lines)))


def _side(text: str, shape: Tangle) -> Side:
    source = textwrap.dedent(text.expandtabs(4))
    lines = [line.rstrip("\r\n") for line in split_lines(source)]
    node = functions_in(ast.parse(source), source)[0].node
    held = silhouette(node)
    return Side(tuple(lines), tuple(held.get(number, 0) for number in range(1, len(lines) + 1)), shape)


def _joined(old: tuple[str, ...], new: tuple[str, ...]) -> list[tuple[int, int]]:
    """Pairs of line numbers (from 0) that say the same, in order; then those that have moved.

    A test turned round, and a value returned where it was assigned before, say the same.
    """
    mine, theirs = [_said(line) for line in old], [_said(line) for line in new]
    found = [
        (block.a + i, block.b + i)
        for block in SequenceMatcher(None, mine, theirs, autojunk=False).get_matching_blocks()
        for i in range(block.size)
        if mine[block.a + i]
    ]
    left, right = {a for a, _ in found}, {b for _, b in found}
    for a, said in enumerate(mine):
        if a in left or len(said) < 4:
            continue
        b = next((b for b, other in enumerate(theirs) if b not in right and other == said), None)
        if b is not None:
            found.append((a, b))
            right.add(b)
    return sorted(found)


def _said(line: str) -> str:
    """What a line says, whichever way round its test stands and whatever is done with its value."""
    code = line.strip()
    if code.startswith("#") or code in ("else:", "try:", "pass", "finally:"):
        return code if code.startswith("#") else ""
    code = code.partition("  #")[0].rstrip()
    test = re.fullmatch(r"(?:el)?if (?:not )?(.+):", code)
    if test:
        return "if " + test[1].replace(" is not ", " is ").replace(" not in ", " in ").replace(" != ", " == ")
    return re.sub(r"^(?:return|\w+ =) (?=\S)", "", code)
