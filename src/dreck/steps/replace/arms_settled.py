"""Arms of a ladder that the ones before settle: what is never reached goes, and what need not be asked."""

import ast
from collections.abc import Sequence
from itertools import product

from dreck.model.views.asked import is_quiet
from dreck.steps.replace.discriminants import operands_of
from dreck.steps.replace.folding import fold
from dreck.steps.support.spelled import straight

_MOST_TESTS = 8
Truth = dict[str, bool]
Left = tuple[int, ast.expr | None]
"""An arm by its number, with what it still asks; None where nothing is left to ask."""


def settled(tests: Sequence[ast.expr]) -> list[Left]:
    """The arms that are left, with the test each still needs.

    Tests that do more than ask are left alone, and so is a ladder that would have too many cases.
    """
    atoms = {ast.dump(straight(e)): straight(e) for test in tests for e in operands_of(test)}
    if len(atoms) > _MOST_TESTS or not all(is_quiet(e) for e in atoms.values()):
        return list(enumerate(tests))
    left = [dict(zip(atoms, truth, strict=True)) for truth in product((True, False), repeat=len(atoms))]
    found: list[Left] = []
    for number, test in enumerate(tests):
        taken = [truth for truth in left if _holds(test, truth)]
        if not taken:
            continue
        if len(taken) == len(left):
            return [*found, (number, None)] if found else list(enumerate(tests))
        found.append((number, _shorter(test, left)))
        left = [truth for truth in left if truth not in taken]
    return found


def _holds(test: ast.expr, truth: Truth) -> bool:
    def answer(e: ast.expr) -> bool | None:
        plain = straight(e)
        known = truth.get(ast.dump(plain))
        return known if known is None or plain is e else not known

    folded = fold(test, answer)
    return isinstance(folded, ast.Constant) and folded.value is True


def _shorter(test: ast.expr, left: Sequence[Truth]) -> ast.expr:
    """Without the operands of a conjunction that say nothing new in any case that is left."""
    if not (isinstance(test, ast.BoolOp) and isinstance(test.op, ast.And)):
        return test
    kept = list(test.values)
    for one in reversed(test.values):
        others = [v for v in kept if v is not one]
        if others and all(_all_hold(others, truth) == _all_hold(kept, truth) for truth in left):
            kept = others
    return test if len(kept) == len(test.values) else _together(kept)


def _all_hold(tests: Sequence[ast.expr], truth: Truth) -> bool:
    return all(_holds(test, truth) for test in tests)


def _together(tests: list[ast.expr]) -> ast.expr:
    return tests[0] if len(tests) == 1 else ast.BoolOp(ast.And(), tests)
