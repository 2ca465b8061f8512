"""The comments that speak of one arm of a chain: above its test, beside its lines, and at the end of them."""

import ast
from typing import Protocol

from dreck.steps.support.chains import comments_of
from dreck.steps.support.sheet import Sheet


class AnArm(Protocol):
    """The line of its test, and what it does."""

    @property
    def line(self) -> int: ...

    @property
    def body(self) -> list[ast.stmt]: ...


def comments_of_arm(sheet: Sheet, arm: AnArm, first: int) -> list[str]:
    """What is said of one arm of a chain that begins at line `first`."""
    return comments_of(sheet, *_lines(sheet, arm, first))


def comments_above(sheet: Sheet, arm: AnArm, first: int) -> list[str]:
    """What stands above the test of an arm, and as deep as it."""
    return comments_of(sheet, _lines(sheet, arm, first)[0], arm.line - 1)


def _lines(sheet: Sheet, arm: AnArm, first: int) -> tuple[int, int]:
    indent = sheet.indent(arm.line)
    start, last = arm.line, arm.body[-1].end_lineno or arm.body[-1].lineno
    while start - 1 > first and _is_comment(sheet, start - 1) and sheet.indent(start - 1) == indent:
        start -= 1
    while _is_comment(sheet, last + 1) and len(sheet.indent(last + 1)) > len(indent):
        last += 1
    return start, last


def _is_comment(sheet: Sheet, line: int) -> bool:
    return line <= len(sheet.text.splitlines()) and sheet.line(line).strip().startswith("#")
