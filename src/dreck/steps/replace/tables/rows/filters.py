"""Loops that only collect what passes: what they collect, and by which rules."""

import ast
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from dreck.source.walking import walk
from dreck.steps.replace.tables.rows import optional_rules


@dataclass(frozen=True, slots=True)
class Filter:
    """`name = []`, then a loop that appends `item` to it when every rule holds."""

    name: str
    loop: ast.For
    item: ast.expr
    rules: tuple[tuple[ast.expr, bool], ...]
    """Conditions with whether they are to be turned round."""
    any_of: bool = False


def filter_of(start: ast.stmt, s: ast.stmt) -> Filter | None:
    """What a list that begins empty, and the loop behind it, collect by which rules."""
    match start:
        case ast.Assign(targets=[ast.Name(id=name)], value=ast.List(elts=[])):
            pass
        case ast.AnnAssign(target=ast.Name(id=name), value=ast.List(elts=[])):
            pass
        case _:
            return None
    if not isinstance(s, ast.For) or s.orelse or any(isinstance(n, ast.Await | ast.Yield) for n in walk(s)):
        return None
    found = _collects(s.body, name) or _collects_by_flag(s.body, name)
    if found is not None:
        rules = [part for rule in found[1] for part in _taken_apart(*rule)]
        own = {n.id for n in walk(s.target) if isinstance(n, ast.Name)}
        optional = sum(optional_rules.is_optional(test, own) for test, is_turned in rules if not is_turned)
        return Filter(name, s, found[0], tuple(found[1] if optional > 1 else rules))
    by_any = _collects_by_any(s.body, name)
    if by_any is not None:
        return Filter(name, s, by_any[0], tuple((test, False) for test in by_any[1]), True)
    return None


def _taken_apart(test: ast.expr, is_turned: bool) -> Iterator[tuple[ast.expr, bool]]:
    """The conditions that must hold one by one: those of an `and`; of an `or`, where it is to be turned round."""
    if isinstance(test, ast.BoolOp) and isinstance(test.op, ast.Or if is_turned else ast.And):
        for value in test.values:
            yield from _taken_apart(value, is_turned)
    else:
        yield test, is_turned


def _collects(body: Sequence[ast.stmt], name: str) -> tuple[ast.expr, list[tuple[ast.expr, bool]]] | None:
    """Guards that continue, tests around, and one append in the end."""
    rules: list[tuple[ast.expr, bool]] = []
    for i, s in enumerate(body):
        last = i == len(body) - 1
        match s:
            case ast.If() if not last and (refused := _refused(s)) is not None:
                rules.append((refused, True))
            case ast.If(test=test, body=inner, orelse=[]) if last:
                further = _collects(inner, name)
                return None if further is None else (further[0], [*rules, (test, False), *further[1]])
            case _ if last:
                item = _appended(s, name)
                return None if item is None else (item, rules)
            case _:
                return None
    return None


def _refused(s: ast.If) -> ast.expr | None:
    """The one test of a guard that continues, or of several with nothing between them."""
    match s:
        case ast.If(test=test, body=[ast.Continue()], orelse=[]):
            return test
        case ast.If(test=test, body=[ast.If() as inner], orelse=[]) if (further := _refused(inner)) is not None:
            both = [v for e in (test, further) for v in (e.values if _is_and(e) else [e])]  # type: ignore[attr-defined]
            whole = ast.copy_location(ast.BoolOp(ast.And(), both), test)
            whole.end_lineno, whole.end_col_offset = further.end_lineno, further.end_col_offset
            return whole
    return None


def _is_and(e: ast.expr) -> bool:
    return isinstance(e, ast.BoolOp) and isinstance(e.op, ast.And)


def _collects_by_flag(body: Sequence[ast.stmt], name: str) -> tuple[ast.expr, list[tuple[ast.expr, bool]]] | None:
    """`ok = True`, tests that make it False, and one append where it still is True."""
    match body:
        case [ast.Assign(targets=[ast.Name(id=flag)], value=ast.Constant(value=True)), *tests, last]:
            pass
        case _:
            return None
    rules: list[tuple[ast.expr, bool]] = []
    for s in tests:
        match s:
            case ast.If(
                test=test, body=[ast.Assign(targets=[ast.Name(id=own)], value=ast.Constant(value=False))], orelse=[]
            ) if own == flag:
                rules.append((test, True))
            case _:
                return None
    match last:
        case ast.If(test=ast.Name(id=own), body=[inner], orelse=[]) if own == flag and rules:
            item = _appended(inner, name)
            return None if item is None else (item, rules)
    return None


def _collects_by_any(body: Sequence[ast.stmt], name: str) -> tuple[ast.expr, list[ast.expr]] | None:
    """A chain whose every arm appends the same."""
    tests: list[ast.expr] = []
    items: list[ast.expr] = []
    rest = list(body)
    while len(rest) == 1 and isinstance(rest[0], ast.If):
        arm = rest[0]
        item = _appended(arm.body[0], name) if len(arm.body) == 1 else None
        if item is None:
            return None
        tests.append(arm.test)
        items.append(item)
        rest = arm.orelse
    if rest or len(tests) < 2 or len({ast.dump(item) for item in items}) > 1:
        return None
    return items[0], tests


def _appended(s: ast.stmt, name: str) -> ast.expr | None:
    match s:
        case ast.Expr(
            value=ast.Call(func=ast.Attribute(value=ast.Name(id=target), attr="append"), args=[item], keywords=[])
        ):
            return item if target == name else None
    return None
