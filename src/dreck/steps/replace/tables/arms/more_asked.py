"""Arms for a key that ask for more: `kind == "metal" and grade > 3`. They stand in front of the table."""

import ast
from collections.abc import Sequence

from dreck.steps.support.chains import Arm, Reader, check_keys
from dreck.steps.support.trees import Untouchable


class WithMore(Reader):
    """Reads what a key is asked for together with more, as an arm for that key."""

    def __call__(self, test: ast.expr) -> tuple[tuple[ast.expr, ...], tuple[ast.expr, ...]] | None:
        found = super().__call__(test)
        if found is None and isinstance(test, ast.BoolOp) and isinstance(test.op, ast.And):
            found = super().__call__(test.values[0])
        return found


def asks_for_more(arm: Arm) -> bool:
    """Whether the arm of a chain asks for more than its key."""
    return arm.test is not None and Reader()(arm.test) is None


def check_apart(arms: Sequence[Arm], others: Sequence[Arm]) -> None:
    """Raises Untouchable where `others` may not stand in front of `arms`: for the keys they share."""
    more = [arm for arm in others if asks_for_more(arm)]
    check_keys([key for arm in (*arms, *others) if arm not in more for key in arm.keys])
    for arm in more:
        keys = {ast.dump(key) for key in arm.keys}
        for other in (*arms, *others):
            if other.line < arm.line and keys & {ast.dump(key) for key in other.keys} and other not in more:
                raise Untouchable(f"line {arm.line} is never reached: its key is asked for before")
