"""What all arms of a chain begin and end with, in the same words: it stands around what they choose."""

import ast
from collections.abc import Sequence
from dataclasses import dataclass, replace

from dreck.steps.support.chains import Arm, comments_of
from dreck.steps.support.sheet import Sheet
from dreck.steps.support.trees import Untouchable


@dataclass(frozen=True, slots=True)
class Around:
    """The statements before and behind what an arm chooses, as they stand in the first arm."""

    head: tuple[ast.stmt, ...] = ()
    tail: tuple[ast.stmt, ...] = ()

    def __bool__(self) -> bool:
        return bool(self.head or self.tail)


def cores(arms: Sequence[Arm]) -> tuple[Around, tuple[Arm, ...]]:
    """What all arms share at both ends, and the arms without it; at least one statement of each stays."""
    told = [[ast.dump(s) for s in arm.body] for arm in arms]
    least = min(map(len, told))
    head = next((n for n in range(least) if len({t[n] for t in told}) > 1), least - 1)
    tail = next((n for n in range(least - head - 1) if len({t[-n - 1] for t in told}) > 1), least - head - 1)
    first = arms[0].body
    around = Around(tuple(first[:head]), tuple(first[len(first) - tail :]))
    return around, tuple(replace(arm, body=arm.body[head : len(arm.body) - tail]) for arm in arms)


def lines_around(sheet: Sheet, around: Around, arms: Sequence[Arm]) -> tuple[list[str], list[str]]:
    """Both as lines without their indentation."""
    if not around:
        return [], []
    for arm in arms:
        body, head, tail = arm.body, len(around.head), len(around.tail)
        ends = [s.end_lineno or s.lineno for s in body]
        above = comments_of(sheet, arm.line, ends[head - 1]) if head else []
        below = comments_of(sheet, ends[-tail - 1] + 1, ends[-1]) if tail else []
        if above or below:
            raise Untouchable("comments stand beside what its arms have in common")
    return _lines(sheet, around.head), _lines(sheet, around.tail)


def _lines(sheet: Sheet, body: Sequence[ast.stmt]) -> list[str]:
    if not body:
        return []
    first, last = body[0].lineno, body[-1].end_lineno or body[-1].lineno
    indent = sheet.indent(first)
    if len(indent.encode()) != body[0].col_offset:
        raise Untouchable("an arm stands on the line of its test")
    return [sheet.line(n).rstrip("\r\n").removeprefix(indent) for n in range(first, last + 1)]
