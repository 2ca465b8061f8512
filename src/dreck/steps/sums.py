"""Sums: what the arms of a chain add to the same things or take from them, as numbers that can stand in a table.

The duplication is made explicit: an arm that leaves a thing alone adds a neutral 0 to it, and one that takes
away adds a negative amount.
"""

import ast
from collections.abc import Sequence
from dataclasses import dataclass

from dreck.steps.chains import Chain
from dreck.steps.trees import Untouchable


@dataclass(frozen=True, slots=True)
class Amount:
    """`base + number * factor`: what one arm makes of one thing. Without a factor the number is added as it is."""

    base: ast.expr
    number: int | float
    factor: ast.expr | None = None


@dataclass(frozen=True, slots=True)
class Sums:
    """What all arms make of one thing. `target` is None when it is returned."""

    target: ast.expr | None
    base: ast.expr
    factor: ast.expr | None
    numbers: tuple[int | float, ...]
    in_place: bool
    """Whether the arms write `target += amount`."""


def sums_of(chain: Chain) -> list[Sums]:
    """One for each thing the arms work out; [] when an arm does anything else."""
    told = [_of_body(arm.body) for arm in chain.arms]
    if any(part is None for part in told):
        return []
    arms = [part for part in told if part is not None]
    keys = list(dict.fromkeys(key for arm in arms for key in arm))
    found = [_together(key, [arm.get(key) for arm in arms]) for key in keys]
    whole = [sums for sums in found if sums is not None]
    return whole if len(whole) == len(found) and any(any(s.numbers) for s in whole) else []


Told = dict[str, tuple[ast.expr | None, Amount, bool]]


def _of_body(body: Sequence[ast.stmt]) -> Told | None:
    found: Told = {}
    for s in body:
        if isinstance(s, ast.Pass):
            continue
        one = _of_statement(s)
        if one is None or one[0] in found:
            return None
        found[one[0]] = one[1]
    return found


def _of_statement(s: ast.stmt) -> tuple[str, tuple[ast.expr | None, Amount, bool]] | None:
    match s:
        case ast.Return(value=ast.expr() as value):
            return "return", (None, amount_of(value), False)
        case ast.AugAssign(target=ast.Name() | ast.Attribute(value=ast.Name()) as target, op=op, value=value):
            one = _signed(value, op)
            return (ast.unparse(target), (target, Amount(target, *one), True)) if one is not None else None
    return None


def amount_of(value: ast.expr) -> Amount:
    """A sum as base and amount; anything else as a base to which nothing is added."""
    match value:
        case ast.BinOp(left=base, op=ast.Add() | ast.Sub() as op, right=right):
            one = _signed(right, op)
            if one is not None:
                return Amount(base, *one)
    return Amount(value, 0)


def _signed(value: ast.expr, op: ast.operator) -> tuple[int | float, ast.expr | None] | None:
    sign = 1 if isinstance(op, ast.Add) else -1 if isinstance(op, ast.Sub) else 0
    number, factor = _parts(value)
    return (sign * number, factor) if sign else None


def _parts(value: ast.expr) -> tuple[int | float, ast.expr | None]:
    match value:
        case ast.Constant(value=int() | float() as number) if not isinstance(number, bool):
            return number, None
        case ast.UnaryOp(op=ast.USub(), operand=operand):
            number, factor = _parts(operand)
            return -number, factor
        case ast.BinOp(left=left, op=ast.Mult(), right=ast.Constant(value=int() as number)) if type(number) is int:
            return number, left
        case ast.BinOp(left=ast.Constant(value=int() as number), op=ast.Mult(), right=right) if type(number) is int:
            return number, right
    return 1, value


def _together(key: str, parts: Sequence[tuple[ast.expr | None, Amount, bool] | None]) -> Sums | None:
    """The same thing in every arm; an arm without it leaves it alone, which adds 0."""
    known = [part for part in parts if part is not None]
    if key == "return" and len(known) != len(parts):
        return None
    moving = [part for part in known if part[1].number]
    if not moving:
        return None
    target, first, in_place = moving[0]
    same_base = {ast.dump(part[1].base) for part in known}
    factors = {ast.dump(part[1].factor) if part[1].factor is not None else "" for part in moving}
    if len(same_base) != 1 or len(factors) != 1:
        return None
    numbers = tuple(part[1].number if part is not None else 0 for part in parts)
    return Sums(target, first.base, first.factor, numbers, in_place)


def written(sums: Sums, datum: str, opposite: bool, code: "Code") -> str:
    """The line that does it: `target += factor * datum`, or `-=` for the opposite."""
    amount = f"{code(sums.factor)} * {datum}" if sums.factor is not None else datum
    if sums.factor is not None and not isinstance(sums.factor, ast.Name | ast.Attribute | ast.Call | ast.Subscript):
        amount = f"({code(sums.factor)}) * {datum}"
    if sums.in_place and sums.target is not None:
        return f"{code(sums.target)} {'-=' if opposite else '+='} {amount}"
    base = code(sums.base)
    if isinstance(sums.base, ast.IfExp | ast.BoolOp | ast.Compare | ast.Lambda):
        raise Untouchable("what is added to is no plain value")
    return f"return {base} {'-' if opposite else '+'} {amount}"


class Code:
    """How an expression is written; a protocol, so that this module needs no sheet."""

    def __call__(self, e: ast.expr | None) -> str:
        return ast.unparse(e) if e is not None else ""
