"""Measures of a function's shape: tangle, depth, ways through, longest test.

Tangle is the area of the silhouette: over the code lines, the sum of how many tests a reader holds open
there. Everything is worked out from statements alone; expressions are looked into only for tests and on
lines that hold an `if` of their own.
"""

import ast
import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TypeAlias

from dreck.source.functions import FunctionNode

_INLINE_IF = re.compile(r"\S.*\bif\b")


@dataclass(frozen=True, slots=True)
class Tangle:
    """The shape of one function, in numbers.

    `tangle` sums, over the code lines, the tests held open; `depth` counts nested blocks; `ways` the ways
    from entry to exit (a loop's body is gone through once or not at all, a compound test is one test);
    `longest_test` the operands of the longest test; `lines` the code lines, docstring left out.
    """

    tangle: int
    depth: int
    ways: int
    longest_test: int
    lines: int


@dataclass(slots=True)
class _Sum:
    lines: Sequence[str] | None
    tangle: int = 0
    depth: int = 0
    longest: int = 0
    count: int = 0


# through, left, jumped: ways that go on, that leave the function, that break or continue a loop
_Ways: TypeAlias = tuple[int, int, int]


def measure(function: FunctionNode, lines: Sequence[str] | None = None) -> Tangle:
    """The shape of `function`. With the `lines` of its file, expressions without an `if` are skipped (faster)."""
    total = _Sum(lines)
    body = function.body
    if body and _is_docstring(body[0]):
        body = body[1:]
    total.count += 1
    through, left, jumped = _block(body, 0, 0, total)
    return Tangle(total.tangle, total.depth, through + left + jumped, total.longest, total.count)


def _is_docstring(statement: ast.stmt) -> bool:
    return isinstance(statement, ast.Expr) and isinstance(statement.value, ast.Constant)


def _block(body: list[ast.stmt], held: int, depth: int, total: _Sum) -> _Ways:
    total.depth = max(total.depth, depth)
    through, left, jumped = 1, 0, 0
    for statement in body:
        handler = _HANDLERS.get(type(statement))
        if handler is None:
            _plain(statement, held, total)
            continue
        t, gone, jumps = handler(statement, held, depth, total)
        left += through * gone
        jumped += through * jumps
        through *= t
    return through, left, jumped


def _plain(statement: ast.stmt, held: int, total: _Sum) -> None:
    count = (statement.end_lineno or statement.lineno) - statement.lineno + 1
    total.count += count
    total.tangle += held * count + _inline_tests(statement, statement.lineno, statement.end_lineno, total)


def _inline_tests(node: ast.AST, first: int, last: int | None, total: _Sum) -> int:
    """Conditional expressions and comprehension filters: each is a test held open at its own line."""
    if total.lines is not None:
        around = total.lines[first - 1 : last]
        if not any("if" in line and _INLINE_IF.search(line) for line in around) and len(around) == 1:
            return 0
        if len(around) > 1 and not any("if" in line for line in around):
            return 0
    found = 0
    for inner in ast.walk(node):
        if isinstance(inner, ast.IfExp):
            found += 1 + _further(inner.test, total)
        elif isinstance(inner, ast.comprehension):
            found += sum(1 + _further(test, total) for test in inner.ifs)
    return found


def _further(test: ast.expr, total: _Sum) -> int:
    count = operands(test)
    total.longest = max(total.longest, count)
    return count - 1


def operands(test: ast.expr) -> int:
    """How many operands a test has: `a and (b or not c)` has three."""
    match test:
        case ast.BoolOp(values=values):
            return sum(operands(value) for value in values)
        case ast.UnaryOp(op=ast.Not(), operand=operand):
            return operands(operand)
    return 1


def _header(first: int, last: int, held: int, total: _Sum) -> None:
    total.count += last - first + 1
    total.tangle += held * (last - first + 1)


def _test(test: ast.expr, first: int, held: int, total: _Sum) -> None:
    last = test.end_lineno or first
    _header(first, last, held, total)
    total.tangle += _further(test, total) + _inline_tests(test, test.lineno, last, total)


def _keyword_line(held: int, total: _Sum) -> None:
    """`else:`, `finally:`, `try:` stand on a line of their own."""
    _header(1, 1, held, total)


def _if(s: ast.If, held: int, depth: int, total: _Sum) -> _Ways:
    _test(s.test, s.lineno, held, total)
    t1, l1, j1 = _block(s.body, held + 1, depth + 1, total)
    if not s.orelse:
        return t1 + 1, l1, j1
    arm = s.orelse[0]
    if len(s.orelse) == 1 and isinstance(arm, ast.If) and arm.col_offset == s.col_offset:
        t2, l2, j2 = _if(arm, held, depth, total)
    else:
        _keyword_line(held, total)
        t2, l2, j2 = _block(s.orelse, held + 1, depth + 1, total)
    return t1 + t2, l1 + l2, j1 + j2


def _loop(s: ast.For | ast.AsyncFor | ast.While, held: int, depth: int, total: _Sum) -> _Ways:
    inside = held
    if isinstance(s, ast.While):
        _test(s.test, s.lineno, held, total)
        inside += 0 if isinstance(s.test, ast.Constant) else 1
    else:
        _header(s.lineno, s.iter.end_lineno or s.lineno, held, total)
        total.tangle += _inline_tests(s.iter, s.iter.lineno, s.iter.end_lineno, total)
    t, gone, jumped = _block(s.body, inside, depth + 1, total)
    through = t + jumped + 1
    if s.orelse:
        _keyword_line(held, total)
        t2, l2, j2 = _block(s.orelse, held, depth + 1, total)
        return through * t2, gone + l2, j2
    return through, gone, 0


def _try(s: ast.Try | ast.TryStar, held: int, depth: int, total: _Sum) -> _Ways:
    _keyword_line(held, total)
    through, left, jumped = _block(s.body, held, depth + 1, total)
    if s.orelse:
        _keyword_line(held, total)
        t, gone, jumps = _block(s.orelse, held, depth + 1, total)
        through, left, jumped = through * t, left + through * gone, jumped + through * jumps
    for handler in s.handlers:
        _header(handler.lineno, handler.lineno, held, total)
        t, gone, jumps = _block(handler.body, held, depth + 1, total)
        through, left, jumped = through + t, left + gone, jumped + jumps
    if s.finalbody:
        _keyword_line(held, total)
        _block(s.finalbody, held, depth + 1, total)
    return through, left, jumped


def _with(s: ast.With | ast.AsyncWith, held: int, depth: int, total: _Sum) -> _Ways:
    _header(s.lineno, s.items[-1].context_expr.end_lineno or s.lineno, held, total)
    return _block(s.body, held, depth + 1, total)


def _match(s: ast.Match, held: int, depth: int, total: _Sum) -> _Ways:
    _header(s.lineno, s.lineno, held, total)
    through, left, jumped = 0, 0, 0
    for case in s.cases:
        _header(case.pattern.lineno, case.pattern.end_lineno or case.pattern.lineno, held, total)
        if case.guard is not None:
            total.tangle += 1 + _further(case.guard, total)
        t, gone, jumps = _block(case.body, held + 1, depth + 2, total)
        through, left, jumped = through + t, left + gone, jumped + jumps
    last = s.cases[-1]
    open_end = last.guard is not None or not (isinstance(last.pattern, ast.MatchAs) and last.pattern.pattern is None)
    return through + open_end, left, jumped


def _exit(s: ast.stmt, held: int, depth: int, total: _Sum) -> _Ways:
    _plain(s, held, total)
    return (0, 1, 0) if isinstance(s, ast.Return | ast.Raise) else (0, 0, 1)


def _definition(s: ast.stmt, held: int, depth: int, total: _Sum) -> _Ways:
    """A nested function or class is a story of its own; here it is one line."""
    _header(1, 1, held, total)
    return 1, 0, 0


_HANDLERS = {
    ast.If: _if,
    ast.For: _loop,
    ast.AsyncFor: _loop,
    ast.While: _loop,
    ast.Try: _try,
    ast.TryStar: _try,
    ast.With: _with,
    ast.AsyncWith: _with,
    ast.Match: _match,
    ast.Return: _exit,
    ast.Raise: _exit,
    ast.Break: _exit,
    ast.Continue: _exit,
    ast.FunctionDef: _definition,
    ast.AsyncFunctionDef: _definition,
    ast.ClassDef: _definition,
}


def longest_way(function: FunctionNode) -> int:
    """The longest line of thought: the most code lines a reader follows on one way through the function."""
    through, out = _longest(function.body)
    return max(through if through is not None else 0, out)


def _longest(body: list[ast.stmt]) -> tuple[int | None, int]:
    """Lines on the longest way that goes on (None: none does), and on the longest that leaves."""
    lines, out = 0, 0
    for s in body:
        on, gone = _longest_of(s)
        out = max(out, lines + gone) if gone else out
        if on is None:
            return None, out
        lines += on
    return lines, out


def _longest_of(s: ast.stmt) -> tuple[int | None, int]:
    match s:
        case ast.Return() | ast.Raise() | ast.Continue() | ast.Break():
            return None, (s.end_lineno or s.lineno) - s.lineno + 1
        case ast.If(body=body, orelse=orelse):
            return _either([_longest(body), _longest(orelse)], 1)
        case ast.For() | ast.AsyncFor() | ast.While():
            (on, out), (after, beyond) = _longest(s.body), _longest(s.orelse)
            return 1 + (on or out) + (after or 0), 1 + max(out, (on or out) + beyond)
        case ast.With() | ast.AsyncWith():
            on, out = _longest(s.body)
            return (None if on is None else on + 1), out + 1 if out else 0
        case ast.Try() | ast.TryStar():
            main, last = _longest([*s.body, *s.orelse]), _longest(s.finalbody)
            on, out = _either([main, *(_longest(h.body) for h in s.handlers)], 1)
            return (None if on is None else on + (last[0] or 0)), out + (last[0] or 0) if out else 0
        case ast.Match(cases=cases):
            return _either([*(_longest(c.body) for c in cases), (0, 0)], 1)
    return (s.end_lineno or s.lineno) - s.lineno + 1, 0


def _either(ways: list[tuple[int | None, int]], header: int) -> tuple[int | None, int]:
    ons = [on for on, _ in ways if on is not None]
    outs = [out for _, out in ways if out]
    return (header + max(ons) if ons else None), (header + max(outs) if outs else 0)
