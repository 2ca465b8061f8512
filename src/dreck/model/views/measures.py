"""Measures of a function's shape: tangle, depth, ways through, longest test.

Tangle is the area of the silhouette: over the code lines, the sum of how many tests a reader holds open
there. Everything is worked out from statements alone; expressions are looked into only for tests and on
lines that hold an `if` of their own.
"""

import ast
import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, TypeAlias

from dreck.source.functions import PLAIN, FunctionNode

_INLINE_IF = re.compile(r"\s*+\S.*\bif\b")


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
    rows: dict[int, int] | None = None
    """Tests held open by line, when the silhouette is wanted."""
    speaking: set[int] | None = None
    """The lines of the function in which the word `if` stands; None where the lines are not known."""

    def hold(self, first: int, last: int, held: int) -> None:
        """`held` tests on each code line from `first` to `last`."""
        self.tangle += held * (last - first + 1)
        if held and self.rows is not None:
            for line in range(first, last + 1):
                self.rows[line] = self.rows.get(line, 0) + held


# through, left, jumped: ways that go on, that leave the function, that break or continue a loop
_Ways: TypeAlias = tuple[int, int, int]


def measure(function: FunctionNode, lines: Sequence[str] | None = None) -> Tangle:
    """The shape of `function`. With the `lines` of its file, expressions without an `if` are skipped (faster)."""
    total = _Sum(lines)
    if lines is not None:
        around = lines[function.lineno - 1 : function.end_lineno]
        total.speaking = {number for number, line in enumerate(around, function.lineno) if "if" in line}
    body = function.body
    if body and _is_docstring(body[0]):
        body = body[1:]
    total.count += 1
    through, left, jumped = _block(body, 0, 0, total)
    return Tangle(total.tangle, total.depth, through + left + jumped, total.longest, total.count)


def silhouette(function: FunctionNode) -> dict[int, int]:
    """Tests held open on each line that holds any, by line number; they add up to the tangle."""
    total = _Sum(None, rows={})
    body = function.body
    _block(body[1:] if body and _is_docstring(body[0]) else body, 0, 0, total)
    assert total.rows is not None
    return {line: held for line, held in sorted(total.rows.items()) if held}


def _is_docstring(statement: ast.stmt) -> bool:
    return isinstance(statement, ast.Expr) and isinstance(statement.value, ast.Constant)


def _block(body: list[ast.stmt], held: int, depth: int, total: _Sum) -> _Ways:
    if depth > total.depth:
        total.depth = depth
    through, left, jumped = 1, 0, 0
    for statement in body:
        handler = _HANDLERS.get(type(statement))
        if handler is None:
            if held or total.speaking is None or total.speaking:
                _plain(statement, held, total)
            else:  # no line of the function can hold a test
                total.count += (statement.end_lineno or statement.lineno) - statement.lineno + 1
            continue
        t, gone, jumps = handler(statement, held, depth, total)
        left += through * gone
        jumped += through * jumps
        through *= t
    return through, left, jumped


def _plain(statement: ast.stmt, held: int, total: _Sum) -> None:
    first = statement.lineno
    last = statement.end_lineno or first
    total.count += last - first + 1
    if held:
        total.hold(first, last, held)
    if total.speaking is None or (total.speaking and (first != last or first in total.speaking)):
        total.hold(first, first, _inline_tests(statement, first, last, total))


def _inline_tests(node: ast.AST, first: int, last: int | None, total: _Sum) -> int:
    """Conditional expressions and comprehension filters: each is a test held open at its own line."""
    if total.lines is not None and not _may_hold_tests(total.lines, first, last):
        return 0
    found = 0
    pending = [node]
    while pending:
        inner = pending.pop()
        kind = type(inner)
        if kind in _CHILDLESS:
            continue
        if isinstance(inner, ast.IfExp):
            found += 1 + _further(inner.test, total)
        elif isinstance(inner, ast.comprehension):
            found += sum(1 + _further(test, total) for test in inner.ifs)
        for name in inner._fields:
            value = getattr(inner, name, None)
            if type(value) is list:
                pending += [item for item in value if isinstance(item, ast.AST)]
            elif isinstance(value, ast.AST):
                pending.append(value)
    return found


def _may_hold_tests(lines: Sequence[str], first: int, last: int | None) -> bool:
    """Whether the word `if` stands in these lines at all; of one line, where it can be an expression's."""
    if first == last:
        line = lines[first - 1]
        return "if" in line and _INLINE_IF.match(line) is not None
    return any("if" in line for line in lines[first - 1 : last])


_CHILDLESS = frozenset({ast.Name, ast.Constant, ast.Load, ast.Store, ast.Del, ast.alias, ast.Global, ast.Nonlocal})


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
    total.hold(first, last, held)


def _test(test: ast.expr, first: int, held: int, total: _Sum) -> None:
    last = test.end_lineno or first
    _header(first, last, held, total)
    total.hold(first, first, _further(test, total) + _inline_tests(test, test.lineno, last, total))


def _keyword_line(line: int, held: int, total: _Sum) -> None:
    """`else:`, `finally:`, `try:` stand on a line of their own."""
    _header(line, line, held, total)


def _if(s: ast.If, held: int, depth: int, total: _Sum) -> _Ways:
    _test(s.test, s.lineno, held, total)
    t1, l1, j1 = _block(s.body, held + 1, depth + 1, total)
    if not s.orelse:
        return t1 + 1, l1, j1
    arm = s.orelse[0]
    if len(s.orelse) == 1 and isinstance(arm, ast.If) and arm.col_offset == s.col_offset:
        t2, l2, j2 = _if(arm, held, depth, total)
    else:
        _keyword_line(s.orelse[0].lineno - 1, held, total)
        t2, l2, j2 = _block(s.orelse, held + 1, depth + 1, total)
    return t1 + t2, l1 + l2, j1 + j2


def _loop(s: ast.For | ast.AsyncFor | ast.While, held: int, depth: int, total: _Sum) -> _Ways:
    inside = held
    if isinstance(s, ast.While):
        _test(s.test, s.lineno, held, total)
        inside += 0 if isinstance(s.test, ast.Constant) else 1
    else:
        _header(s.lineno, s.iter.end_lineno or s.lineno, held, total)
        total.hold(s.lineno, s.lineno, _inline_tests(s.iter, s.iter.lineno, s.iter.end_lineno, total))
    t, gone, jumped = _block(s.body, inside, depth + 1, total)
    through = t + jumped + 1
    if s.orelse:
        _keyword_line(s.orelse[0].lineno - 1, held, total)
        t2, l2, j2 = _block(s.orelse, held, depth + 1, total)
        return through * t2, gone + l2, j2
    return through, gone, 0


def _try(s: ast.Try | ast.TryStar, held: int, depth: int, total: _Sum) -> _Ways:
    _keyword_line(s.lineno, held, total)
    through, left, jumped = _block(s.body, held, depth + 1, total)
    if s.orelse:
        _keyword_line(s.orelse[0].lineno - 1, held, total)
        t, gone, jumps = _block(s.orelse, held, depth + 1, total)
        through, left, jumped = through * t, left + through * gone, jumped + through * jumps
    for handler in s.handlers:
        _header(handler.lineno, handler.lineno, held, total)
        t, gone, jumps = _block(handler.body, held, depth + 1, total)
        through, left, jumped = through + t, left + gone, jumped + jumps
    if s.finalbody:
        _keyword_line(s.finalbody[0].lineno - 1, held, total)
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
            total.hold(case.pattern.lineno, case.pattern.lineno, 1 + _further(case.guard, total))
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
    _header(s.lineno, s.lineno, held, total)
    return 1, 0, 0


_HANDLERS: dict[type, Any] = {
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


@dataclass(frozen=True, slots=True)
class Thought:
    """Lines of thought: the code lines a reader follows on the longest way through, and on the mean one."""

    longest: int
    mean: float


@dataclass(slots=True)
class _Lines:
    """Ways through a piece of code: how many, the lines on all of them together, the lines on the longest."""

    ways: int = 0
    total: int = 0
    longest: int = 0

    def add(self, other: "_Lines", before: "_Lines") -> None:
        """Takes in the ways of `other`, each begun by every way of `before`."""
        self.ways += before.ways * other.ways
        self.total += before.total * other.ways + other.total * before.ways
        if other.ways and before.ways:
            self.longest = max(self.longest, before.longest + other.longest)

    def after(self, other: "_Lines") -> "_Lines":
        joined = _Lines()
        joined.add(self, other)
        return joined


_NOTHING = _Lines(1, 0, 0)


def lines_of_thought(function: FunctionNode) -> Thought:
    """How much a reader follows from entry to exit; a loop's body counts once."""
    through, out = _thought(function.body)
    both = _Lines()
    both.add(through, _NOTHING)
    both.add(out, _NOTHING)
    return Thought(both.longest, both.total / both.ways if both.ways else 0.0)


def _thought(body: list[ast.stmt]) -> tuple[_Lines, _Lines]:
    """The ways that go on behind `body`, and those that leave in it."""
    through, out = _Lines(1, 0, 0), _Lines()
    for s in body:
        on, gone = _thought_of(s)
        out.add(gone, through)
        through = on.after(through)
        if not through.ways:
            break
    return through, out


def _thought_of(s: ast.stmt) -> tuple[_Lines, _Lines]:
    match s:
        case ast.Return() | ast.Raise() | ast.Continue() | ast.Break():
            count = (s.end_lineno or s.lineno) - s.lineno + 1
            return _Lines(), _Lines(1, count, count)
        case ast.If(body=body, orelse=orelse):
            return _either([body, orelse])
        case ast.For() | ast.AsyncFor() | ast.While():
            through, out = _either([[*s.body], []])
            through.add(out, _NOTHING)
            beyond, gone = _thought(s.orelse)
            gone_all = gone.after(through)
            return beyond.after(through), gone_all
        case ast.With(body=body) | ast.AsyncWith(body=body):
            return _either([body])
        case ast.Try() | ast.TryStar():
            through, out = _either([[*s.body, *s.orelse], *(h.body for h in s.handlers)])
            last, gone = _thought(s.finalbody)
            out = last.after(out) if s.finalbody else out
            out.add(gone, through)
            return last.after(through), out
        case ast.Match(cases=cases):
            return _either([*(c.body for c in cases), []])
    count = (s.end_lineno or s.lineno) - s.lineno + 1
    return _Lines(1, count, count), _Lines()


def _either(bodies: list[list[ast.stmt]]) -> tuple[_Lines, _Lines]:
    header = _Lines(1, 1, 1)
    through, out = _Lines(), _Lines()
    for body in bodies:
        on, gone = _thought(body)
        through.add(on, header)
        out.add(gone, header)
    return through, out


def buried(function: FunctionNode) -> int:
    """How deep the success case sits: tests held open where the longest block of plain statements stands.

    The longest one stands for the success case: errors are dealt with in a line or two.
    """
    best = (0, 0)
    pending = [(function.body, 0)]
    while pending:
        body, held = pending.pop()
        plain = 0
        for s in body:
            kind = type(s)
            if kind not in _HANDLERS or kind is ast.Return:
                plain += 0 if _is_docstring(s) else (s.end_lineno or s.lineno) - s.lineno + 1
            if kind in PLAIN:
                continue
            holds = kind is ast.If or kind is ast.While
            for name in ("body", "orelse", "finalbody"):
                inner = getattr(s, name, None)
                if inner and not isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
                    same = name == "orelse" and len(inner) == 1 and isinstance(inner[0], ast.If)
                    pending.append((inner, held + (holds and not same)))
            for part in (*getattr(s, "handlers", ()), *getattr(s, "cases", ())):
                pending.append((part.body, held + 1))
        best = max(best, (plain, held))
    return best[1]


def short(number: int) -> str:
    """A count that fits a column: exact below a million, a power of ten above."""
    return str(number) if number < 1_000_000 else f"1e{len(str(number)) - 1}"
