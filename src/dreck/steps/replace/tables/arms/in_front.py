"""Arms that do more than choose a value: they stay code, in front of the table."""

from collections.abc import Sequence

from dreck.model.views.shape import leaves
from dreck.steps.support.chains import Arm, Chain, key_code, subject_code
from dreck.steps.support.sheet import Sheet, reindented
from dreck.steps.support.trees import Untouchable


def in_front(sheet: Sheet, chain: Chain, others: Sequence[Arm], asking: list[str], unit: str) -> list[str]:
    """Arms that do more than choose a value, and the table of the chain behind them."""
    if not others:
        return asking
    lines: list[str] = []
    all_leave = all(leaves(arm.body) for arm in others)
    for at, arm in enumerate(others):
        word = "if" if not at or all_leave else "elif"
        lines += [f"{word} {_asked(sheet, chain, arm)}:", *reindented(_arm_text(sheet, arm), unit)]
    if all_leave:
        return [*lines, *asking]
    if asking[0].startswith("if ") and all(text.startswith((unit, "el", ")", "]", "}")) for text in asking[1:] if text):
        return [*lines, f"el{asking[0]}", *asking[1:]]
    return [*lines, "else:", *reindented(asking, unit)]


def _asked(sheet: Sheet, chain: Chain, arm: Arm) -> str:
    """The test of an arm; what a case stands for."""
    if arm.test is not None:
        return sheet.code(arm.test)
    keys = [key_code(sheet, key) for key in arm.keys]
    subject = subject_code(sheet, chain)
    whole = f"({subject})" if len(chain.subjects) > 1 else subject
    how = "is" if keys[0] in ("None", "True", "False") else "=="
    return f"{whole} {how} {keys[0]}" if len(keys) == 1 else f"{whole} in ({', '.join(keys)})"


def _arm_text(sheet: Sheet, arm: Arm) -> list[str]:
    first, last = arm.body[0].lineno, arm.body[-1].end_lineno or arm.body[-1].lineno
    indent = sheet.indent(first)
    if len(indent.encode()) != arm.body[0].col_offset:
        raise Untouchable("an arm stands on the line of its test")
    while sheet.line(first - 1).strip().startswith("#"):
        first -= 1
    count = len(sheet.text.splitlines())
    while last < count and sheet.line(last + 1).startswith(f"{indent}#"):
        last += 1  # what is said at the end of an arm is said of that arm
    return [sheet.line(n).rstrip("\r\n").removeprefix(indent) for n in range(first, last + 1)]
