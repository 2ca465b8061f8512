"""Ladders of limits: tests that compare one thing with limits, alone or one ladder for each key."""

import ast
from collections.abc import Iterator
from dataclasses import dataclass, replace

from dreck.steps.replace.tables.arms.outcomes import outcome_of
from dreck.steps.support import chains as key_chains
from dreck.steps.support.chains import Arm, Chain, Reader
from dreck.steps.support.scene import NotPlanned, Scene

_FEW, _FEWEST = 2, 3
_LIMIT_KINDS = ("date", "datetime", "time", "timedelta", "Decimal")
_MIRRORED: dict[type[ast.cmpop], type[ast.cmpop]] = {ast.Lt: ast.Gt, ast.LtE: ast.GtE, ast.Gt: ast.Lt, ast.GtE: ast.LtE}


@dataclass(frozen=True, slots=True)
class Band:
    """One row: limits with their comparison (one, or two for a gap), and what it comes to."""

    limits: tuple[tuple[str, ast.expr], ...]
    body: list[ast.stmt]
    key: ast.expr | None = None
    line: int = 0


@dataclass(frozen=True, slots=True)
class Ladder:
    """A ladder on `subject`; with `key`, one for each of its keys. `default` as in a chain."""

    chain: Chain
    subject: ast.expr
    bands: tuple[Band, ...]
    key: ast.expr | None = None


class _Limits(Reader):
    """Reads a test as limits of one thing; the keys of such a chain are its limits."""

    def __call__(self, test: ast.expr) -> tuple[tuple[ast.expr, ...], tuple[ast.expr, ...]] | None:
        found = limits_of(test)
        return None if found is None else ((found[0],), tuple(limit for _, limit in found[1]))


def limits_of(test: ast.expr) -> tuple[ast.expr, tuple[tuple[str, ast.expr], ...]] | None:
    """What a test limits, and how: `x < 3`, `3 > x`, `1 <= x < 3`, `1 <= x and x < 3`."""
    match test:
        case ast.Compare(left=left, ops=[op], comparators=[right]) if type(op) in _MIRRORED:
            if _is_limit(right) and not _is_limit(left):
                return left, ((type(op).__name__, right),)
            if _is_limit(left) and not _is_limit(right):
                return right, ((_MIRRORED[type(op)].__name__, left),)
        case ast.Compare(left=low, ops=[a, b], comparators=[middle, high]) if {type(a), type(b)} <= {ast.Lt, ast.LtE}:
            if _is_limit(low) and _is_limit(high) and not _is_limit(middle):
                return middle, ((_MIRRORED[type(a)].__name__, low), (type(b).__name__, high))
        case ast.BoolOp(op=ast.And(), values=[one, two]):
            first, second = limits_of(one), limits_of(two)
            if first and second and ast.dump(first[0]) == ast.dump(second[0]) and len(first[1]) == len(second[1]) == 1:
                return first[0], (*first[1], *second[1])
    return None


def _is_limit(e: ast.expr) -> bool:
    match e:
        case ast.Constant(value=int() | float() | str()) if not isinstance(e.value, bool):
            return e.value == e.value
        case ast.UnaryOp(op=ast.USub(), operand=ast.Constant(value=int() | float())):
            return True
        case ast.Call(func=ast.Name(id=name) | ast.Attribute(attr=name), args=args) if name in _LIMIT_KINDS:
            return all(isinstance(a, ast.Constant) for a in args)
        case ast.Name(id=name):
            return name.strip("_").isupper()
    return False


def single(scene: Scene) -> Iterator[Ladder | NotPlanned]:
    for whole in key_chains.chains(scene.node, _Limits(), fewest=_FEW, open_end=True):
        asked = [limits_of(arm.test) for arm in whole.arms if arm.test is not None]
        if len(whole.arms) < _FEWEST and all(found is None or len(found[1]) == 1 for found in asked):
            told = f"it has {len(whole.arms)} limits, and a table pays from {_FEWEST} on: so few are read at a glance"
            yield NotPlanned(whole.first.lineno, told)
            continue
        chain = _without_what_is_known(_behind_guards(whole))
        if isinstance(chain.first, ast.If):
            bands = _bands(chain)
            if bands:
                yield Ladder(chain, chain.subjects[0], tuple(bands))


def _behind_guards(chain: Chain) -> Chain:
    """The chain without the statements in front that refuse what is out of bounds: `if kilos < 0: raise ...`."""
    while len(chain.arms) > _FEWEST:
        match chain.first:
            case ast.If(body=[*_, ast.Raise()], orelse=[]):
                chain = replace(chain, start=chain.start + 1, arms=chain.arms[1:])
            case _:
                break
    return chain


_CONTRARY = {"Lt": "GtE", "GtE": "Lt", "LtE": "Gt", "Gt": "LtE"}


def _without_what_is_known(chain: Chain) -> Chain:
    """The chain without limits that the band before has answered: `x >= 90`, then `x >= 75 and x < 90`."""
    arms: list[Arm] = []
    before: tuple[tuple[str, ast.expr], ...] = ()
    for arm in chain.arms:
        found = limits_of(arm.test) if arm.test is not None else None
        if found is None:
            return chain
        known = {(_CONTRARY[op], ast.dump(limit)) for op, limit in before} if len(before) == 1 else set()
        limits = tuple(part for part in found[1] if (part[0], ast.dump(part[1])) not in known)
        if not limits and arm is chain.arms[-1] and chain.default is None:
            return replace(chain, arms=tuple(arms), default=arm.body)
        if not limits:
            return chain
        parts = [ast.Compare(found[0], [getattr(ast, op)()], [limit]) for op, limit in limits]
        test: ast.expr = parts[0] if len(parts) == 1 else ast.BoolOp(ast.And(), list[ast.expr](parts))
        arms.append(replace(arm, test=arm.test if limits == found[1] else test))
        before = limits
    return replace(chain, arms=tuple(arms))


def _bands(chain: Chain) -> list[Band]:
    bands = []
    for arm in chain.arms:
        found = limits_of(arm.test) if arm.test is not None else None
        if found is None:
            return []
        bands.append(Band(found[1], arm.body, None, arm.line))
    return bands


def per_key(scene: Scene) -> Iterator[Ladder | NotPlanned]:
    """`if material == "glass":` with a ladder in each arm, or a plain value."""
    for chain in key_chains.chains(scene.node, Reader(), fewest=2, open_end=True):
        if len(chain.subjects) != 1:
            continue
        inner = [_inner(arm.body, arm.line) if len(arm.keys) == 1 else None for arm in chain.arms]
        known = [found for found in inner if found is not None]
        subjects = {ast.dump(subject): subject for subject, _ in known if subject is not None}
        if len(known) < len(inner):
            if subjects:
                line = chain.arms[inner.index(None)].line
                yield NotPlanned(line, "one ladder per key: this arm is no ladder with an end, and no value of one key")
            continue
        rows = [
            Band(b.limits, b.body, arm.keys[0], b.line)
            for arm, (_, bands) in zip(chain.arms, known, strict=True)
            for b in bands
        ]
        if len(subjects) == 1 and len(rows) > len(chain.arms):
            yield Ladder(chain, next(iter(subjects.values())), tuple(rows), chain.subjects[0])
        elif len(subjects) > 1:
            told = " and ".join(map(ast.unparse, subjects.values()))
            yield NotPlanned(chain.first.lineno, f"its arms are ladders of several things: {told}")


def _inner(body: list[ast.stmt], line: int) -> tuple[ast.expr | None, list[Band]] | None:
    """The ladder that makes up an arm, its last row without a limit; or the one value it comes to."""
    if outcome_of(body) is not None:
        return None, [Band((), body, None, line)]
    if not isinstance(body[0], ast.If):
        return None
    chain = next(iter(_chains_in(body)), None)
    if chain is None or chain.default is None or (chain.start, chain.end) != (0, len(body)):
        return None
    bands = _bands(chain)
    return (chain.subjects[0], [*bands, Band((), chain.default, None, chain.default[0].lineno)]) if bands else None


def _chains_in(body: list[ast.stmt]) -> Iterator[Chain]:
    holder = ast.FunctionDef("_", ast.arguments([], [], None, [], [], None, []), body, [], None, None)
    yield from (c for c in key_chains.chains(holder, _Limits(), fewest=1) if c.block is body)
