"""The comments that speak of one arm of a chain: above its test, beside its lines, and at the end of them."""

import ast
import itertools
from collections.abc import Iterator
from typing import Protocol

from dreck.steps.support.chains import comments_of
from dreck.steps.support.names.vocabulary import ARTICLES, CONDITIONS, ORDERS
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
    """What stands above the test of an arm, and as deep as it, and behind it on its lines."""
    beside = [line for line in range(arm.line, arm.body[0].lineno) if not _is_comment(sheet, line)]
    return [
        *comments_of(sheet, _lines(sheet, arm, first)[0], arm.line - 1),
        *(comment for line in beside for comment in comments_of(sheet, line, line)),
    ]


def _lines(sheet: Sheet, arm: AnArm, first: int) -> tuple[int, int]:
    """From its first comment to its last; blank lines between them do not part them."""
    indent, count = sheet.indent(arm.line), len(sheet.text.splitlines())
    start, last = arm.line, arm.body[-1].end_lineno or arm.body[-1].lineno
    for line in range(arm.line - 1, first, -1):
        if sheet.line(line).strip() and not (_is_comment(sheet, line) and sheet.indent(line) == indent):
            break
        start = line if _is_comment(sheet, line) else start
    for line in range(last + 1, count + 1):
        if sheet.line(line).strip() and not (_is_comment(sheet, line) and len(sheet.indent(line)) > len(indent)):
            break
        last = line if _is_comment(sheet, line) else last
    return start, last


def _is_comment(sheet: Sheet, line: int) -> bool:
    return sheet.line(line).strip().startswith("#")


def said_of_block(sheet: Sheet, line: int, last: int) -> Iterator[list[str]]:
    """What the one comment above a block says is done there, or come to: `# weigh the load`, `# the price of a load`.

    Where a comment further down begins alike, the one above speaks of the first part alone: `# read the head of a note`
    and `# read the head of a load` have `read the head` in common, and that is what is done in all. Another one as deep
    as the block begins another part, of which the one above says nothing.
    """
    above = sheet.line(line - 1).strip() if line > 1 else ""
    further = sheet.line(line - 2).strip() if line > 2 else ""
    if not above.startswith("#") or further.startswith("#"):
        return
    words = _words(above)
    kept = [w for w in words if w not in ARTICLES]
    for n in (n for n in range(line, last + 1) if _is_comment(sheet, n)):
        inner = _words(sheet.line(n).strip())
        if words[:1] == inner[:1]:
            kept = _common(kept, [w for w in inner if w not in ARTICLES])
        elif sheet.indent(n) == sheet.indent(line) and not _is_comment(sheet, n - 1):
            return
    told = all(w.isalpha() for w in words) and len(words) <= 6 and not CONDITIONS & set(words)
    if told and words[0] not in ORDERS - {"update", "create", "find"} and 2 <= len(kept) <= 4:
        yield kept


def _words(comment: str) -> list[str]:
    return [w.lower() for w in comment.strip("# .:").split()]


def _common(one: list[str], other: list[str]) -> list[str]:
    """The words that both begin with."""
    alike = itertools.takewhile(lambda pair: pair[0] == pair[1], zip(one, other, strict=False))
    return [word for word, _ in alike]
