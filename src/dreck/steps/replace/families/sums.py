"""Sums: what the arms of a chain add to the same things or take from them, as numbers that can stand in a table.

The duplication is made explicit: an arm that leaves a thing alone adds a neutral 0 to it, and one that takes
away adds a negative amount.
"""

import ast
from collections.abc import Sequence
from dataclasses import dataclass

from dreck.source.copying import copied
from dreck.steps.support.chains import Chain
from dreck.steps.support.trees import Untouchable


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


@dataclass(frozen=True, slots=True)
class Built:
    """What every arm returns: the same thing made of parts, to some of which the arms add. `at` says which."""

    whole: ast.expr
    at: tuple[int, ...]
    sums: tuple[Sums, ...]

    def written(self, parts: Sequence[str]) -> str:
        """The line that returns it, with `parts` in the places that differ."""
        made = copied(self.whole)
        parts_there = made.elts if isinstance(made, ast.Tuple) else made.args if isinstance(made, ast.Call) else []
        for number, place in enumerate(self.at):
            value = ast.Name(f"__part_{number}__", ast.Load())
            if place < len(parts_there):
                parts_there[place] = value
            else:
                made.keywords[place - len(parts_there)].value = value  # type: ignore[attr-defined]
        code = f"return {ast.unparse(made)}"
        for number, part in enumerate(parts):
            code = code.replace(f"__part_{number}__", part)
        return code


def built_of(chain: Chain) -> Built | None:
    """`return Place(self.row - 1, self.col)` in each arm, or a tuple: the same parts, with other amounts."""
    wholes = [arm.body[0].value for arm in chain.arms if len(arm.body) == 1 and isinstance(arm.body[0], ast.Return)]
    made = [whole for whole in wholes if isinstance(whole, ast.Call | ast.Tuple)]
    if len(made) != len(chain.arms) or len({_frame(whole) for whole in made}) != 1:
        return None
    columns = list(zip(*[[_value(item) for item in _items(whole)] for whole in made], strict=True))
    at, found = [], []
    for place, column in enumerate(columns):
        if len({ast.dump(value) for value in column}) == 1:
            continue
        sums = _together("part", [(None, amount_of(value), False) for value in column])
        if sums is None:
            return None
        at.append(place)
        found.append(sums)
    return Built(made[0], tuple(at), tuple(found)) if found else None


def _items(whole: ast.expr) -> list[ast.expr | ast.keyword]:
    """The parts of a tuple or a call, those by position first."""
    if isinstance(whole, ast.Tuple):
        return [*whole.elts]
    assert isinstance(whole, ast.Call)
    return [*whole.args, *whole.keywords]


def _value(item: ast.expr | ast.keyword) -> ast.expr:
    return item.value if isinstance(item, ast.keyword) else item


def _frame(whole: ast.expr) -> str:
    """What has to be the same in every arm: what is called, and how many parts of which names there are."""
    if isinstance(whole, ast.Tuple):
        plain = not any(isinstance(e, ast.Starred) for e in whole.elts)
        return f"tuple of {len(whole.elts)}" if plain else ast.dump(whole)
    assert isinstance(whole, ast.Call)
    if any(isinstance(a, ast.Starred) for a in whole.args) or any(k.arg is None for k in whole.keywords):
        return ast.dump(whole)
    return f"{ast.dump(whole.func)} of {len(whole.args)} {[k.arg for k in whole.keywords]}"


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
    amount = _amount(sums, datum, code)
    if sums.in_place and sums.target is not None:
        return f"{code(sums.target)} {'-=' if opposite else '+='} {amount}"
    return f"return {added(sums, datum, opposite, code)}"


def added(sums: Sums, datum: str, opposite: bool, code: "Code") -> str:
    """The sum as an expression."""
    amount = _amount(sums, datum, code)
    base = code(sums.base)
    if isinstance(sums.base, ast.IfExp | ast.BoolOp | ast.Compare | ast.Lambda):
        raise Untouchable("what is added to is no plain value")
    return f"{base} {'-' if opposite else '+'} {amount}"


def _amount(sums: Sums, datum: str, code: "Code") -> str:
    if sums.factor is None:
        return datum
    if isinstance(sums.factor, ast.Name | ast.Attribute | ast.Call | ast.Subscript):
        return f"{code(sums.factor)} * {datum}"
    return f"({code(sums.factor)}) * {datum}"


class Code:
    """How an expression is written; a protocol, so that this module needs no sheet."""

    def __call__(self, e: ast.expr | None) -> str:
        return ast.unparse(e) if e is not None else ""
