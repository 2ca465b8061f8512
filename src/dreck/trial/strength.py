"""Slips: each condition of a function flipped, dropped or shifted, one at a time; constants, order and calls, too.

The idea is mutation analysis (DeMillo, Lipton, Sayward 1978), held to what decides: conditions.
"""

import ast
import copy
import itertools
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

from dreck.source.copying import copied
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

_SHIFTED: dict[type[ast.cmpop], ast.cmpop] = {
    ast.Lt: ast.LtE(),
    ast.LtE: ast.Lt(),
    ast.Gt: ast.GtE(),
    ast.GtE: ast.Gt(),
}
_OF_ONE = frozenset({"abs", "round", "int", "float", "reversed", "sorted"})
"""Functions of Python of one value, without which code often looks as right."""
_ANY_ERROR = ("Exception", "BaseException")
_OF_TEXT = frozenset(
    [
        "strip",
        "lstrip",
        "rstrip",
        "lower",
        "upper",
        "casefold",
        "title",
        "capitalize",
        "ljust",
        "rjust",
        "zfill",
        "replace",
    ]
)


@dataclass(frozen=True, slots=True)
class Change:
    """One condition of a function changed: at which line, and what was done to it."""

    line: int
    what: str
    function: FunctionNode
    place: ast.AST
    field: str
    index: int | None
    other: Any
    is_of_condition: bool = True
    is_of_sums: bool = False
    """Two sums of the same thing in the other order: of numbers that is no change."""

    def __str__(self) -> str:
        return f"line {self.line}: {self.what}"

    @contextmanager
    def made(self) -> Iterator[FunctionNode]:
        """The changed function; it is the original again after the block."""
        before = getattr(self.place, self.field)
        i = self.index
        setattr(self.place, self.field, self.other if i is None else [*before[:i], self.other, *before[i + 1 :]])
        try:
            yield self.function
        finally:
            setattr(self.place, self.field, before)

    def copied(self) -> FunctionNode:
        """The changed function, to keep."""
        with self.made() as function:
            return copied(function)


def changes(function: FunctionNode) -> list[Change]:
    """Every change of one condition of `function`: flipped, dropped, shifted by one."""
    found: dict[tuple[int, str, int | None, str], Change] = {}
    for node in _walk(function):
        for field, test, index in _conditions(node):
            for what, other in _variants(test, isinstance(node, ast.Return)):
                ast.fix_missing_locations(ast.copy_location(other, test))
                change = Change(test.lineno, what, function, node, field, index, other)
                found.setdefault((id(node), field, index, ast.unparse(other)), change)
    return list(found.values())


def slips_in(function: FunctionNode, other: FunctionNode) -> list[Change]:
    """Every change of a condition, and each constant moved, two statements swapped, a call left out; of what works
    out a value, what stands in this version alone: `other` is the one it is held against."""
    workings = [*_of_workings(function, other), *_of_handlers(function, other)]
    return [*changes(function), *_of_values(function), *_of_statements(function), *workings]


def _of_workings(function: FunctionNode, other: FunctionNode) -> Iterator[Change]:
    """A working left out of a value: `abs(x)` as `x`, `x % 60` as `x`, `text.strip()` as `text`."""
    known = {ast.unparse(n) for n in walk(other) if isinstance(n, ast.Call | ast.BinOp)}
    for node in _walk(function):
        if isinstance(node, ast.Expr | ast.JoinedStr):
            continue
        for field, value in ast.iter_fields(node):
            for index, item in enumerate(value) if isinstance(value, list) else [(None, value)]:
                if not isinstance(item, ast.Call | ast.BinOp) or ast.unparse(item) in known:
                    continue
                for left in _left_of(item):
                    what = f"`{_short(item)}` as `{_short(left)}`"
                    yield Change(item.lineno, what, function, node, field, index, left, False)


def _of_handlers(function: FunctionNode, other: FunctionNode) -> Iterator[Change]:
    """Errors that one version alone waits for: any error instead of them, and one of several left out."""
    known = {ast.unparse(kinds) for node in _walk(other) for *_, kinds in _waited_for(node)}
    for node in _walk(function):
        for place, field, index, kinds in _waited_for(node):
            if ast.unparse(kinds) in known:
                continue
            parts = kinds.elts if isinstance(kinds, ast.Tuple) else []
            fewer: list[ast.expr] = [ast.Tuple([p for p in parts if p is not left], ast.Load()) for left in parts]
            for made in ([ast.Name("Exception", ast.Load())] if ast.unparse(kinds) not in _ANY_ERROR else []) + fewer:
                ast.fix_missing_locations(ast.copy_location(made, kinds))
                what = f"`{_short(kinds)}` as `{_short(made)}`"
                yield Change(kinds.lineno, what, function, place, field, index, made, False)


def _waited_for(node: ast.AST) -> Iterator[tuple[ast.AST, str, int | None, ast.expr]]:
    """Where a node names errors that it waits for: a handler, or `suppress` in a `with`."""
    match node:
        case ast.ExceptHandler(type=ast.expr() as kinds):
            yield node, "type", None, kinds
        case ast.withitem(context_expr=ast.Call(func=func, args=args) as call):
            if ast.unparse(func).rpartition(".")[2] == "suppress":
                yield from ((call, "args", i, kinds) for i, kinds in enumerate(args))


def _left_of(working: ast.Call | ast.BinOp) -> Iterator[ast.expr]:
    """What is left of a working when one part of it is forgotten."""
    match working:
        case ast.Call(func=ast.Name(id=name), args=[value], keywords=[]) if name in _OF_ONE:
            yield value
        case ast.Call(func=ast.Name(id="max" | "min" | "round"), args=[first, second], keywords=[]):
            yield from (first, second)
        case ast.Call(func=ast.Attribute(value=value, attr=method)) if method in _OF_TEXT:
            yield value
        case ast.BinOp(left=left, op=ast.Mod() | ast.FloorDiv()) if not isinstance(left, ast.Constant):
            yield left


def _of_values(function: FunctionNode) -> Iterator[Change]:
    conditions = {id(inner) for n in _walk(function) for _, test, _ in _conditions(n) for inner in walk(test)}
    for node in _walk(function):
        if isinstance(node, ast.Expr | ast.JoinedStr | ast.MatchValue | ast.keyword):
            continue
        for field, value in ast.iter_fields(node):
            for index, item in enumerate(value) if isinstance(value, list) else [(None, value)]:
                if not isinstance(item, ast.Constant) or id(item) in conditions:
                    continue
                for other in _another(item.value):
                    made = ast.copy_location(ast.Constant(other), item)
                    what = f"`{_short(item)}` as `{_short(made)}`"
                    yield Change(item.lineno, what, function, node, field, index, made, False)


def _another(value: Any) -> Iterator[Any]:
    match value:
        case bool():
            yield not value
        case int() | float():
            yield value + 1
        case str() if value:
            yield value + "x"


def _of_statements(function: FunctionNode) -> Iterator[Change]:
    for node in (function, *_walk(function)):
        for field in ("body", "orelse", "finalbody"):
            block = getattr(node, field, None)
            if not isinstance(block, list):
                continue
            for i, statement in enumerate(block):
                if is_act(statement):
                    gone = ast.copy_location(ast.Pass(), statement)
                    what = f"without `{_short(statement)}`"
                    yield Change(statement.lineno, what, function, node, field, i, gone, False)
            for i, (first, second) in enumerate(itertools.pairwise(block)):
                if _may_matter(first, second):
                    swapped = [*block[:i], second, first, *block[i + 2 :]]
                    what = f"`{_short(second)}` before `{_short(first)}`"
                    yield Change(
                        first.lineno, what, function, node, field, None, swapped, False, _are_sums(first, second)
                    )


def is_act(statement: ast.stmt) -> bool:
    """Whether a statement does something to others: a call, what is waited for or yielded, a part of an object set."""
    match statement:
        case ast.Assign(targets=targets) | ast.Delete(targets=targets):
            return all(isinstance(t, ast.Attribute | ast.Subscript) for t in targets)
        case ast.AugAssign(target=ast.Attribute() | ast.Subscript()):
            return True
        case ast.AnnAssign(target=ast.Attribute() | ast.Subscript(), value=ast.expr()):
            return True
    return _is_call(statement)


def _is_call(statement: ast.stmt) -> bool:
    return isinstance(statement, ast.Expr) and isinstance(statement.value, ast.Call | ast.Await | ast.Yield)


def _are_sums(first: ast.stmt, second: ast.stmt) -> bool:
    """`total += 5` and `total += fee(load)`: both add to one name, and one of them calls nothing."""
    match first, second:
        case (
            ast.AugAssign(target=ast.Name(id=one), op=ast.Add() | ast.Sub(), value=mine),
            ast.AugAssign(target=ast.Name(id=other), op=ast.Add() | ast.Sub(), value=theirs),
        ):
            return one == other and not all(any(isinstance(n, ast.Call) for n in walk(v)) for v in (mine, theirs))
    return False


def _may_matter(first: ast.stmt, second: ast.stmt) -> bool:
    """Whether two plain statements in a row touch the same names, or both do something."""
    simple = ast.Assign | ast.AugAssign | ast.Expr
    if not (isinstance(first, simple) and isinstance(second, simple)):
        return False
    sides = [{n.id for n in walk(s) if isinstance(n, ast.Name)} for s in (first, second)]
    return bool(sides[0] & sides[1]) and (_is_call(first) or _is_call(second) or bool(_bound(first) & sides[1]))


def _bound(statement: ast.stmt) -> set[str]:
    return {n.id for n in walk(statement) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}


def _walk(function: FunctionNode) -> Iterator[ast.AST]:
    """In the order it stands, decorators and defaults left out."""
    for statement in function.body:
        yield from _inside(statement)


def _inside(node: ast.AST) -> Iterator[ast.AST]:
    yield node
    for child in ast.iter_child_nodes(node):
        yield from _inside(child)


def _conditions(node: ast.AST) -> Iterator[tuple[str, ast.expr, int | None]]:
    match node:
        case ast.If(test=test) | ast.While(test=test) | ast.IfExp(test=test):
            yield "test", test, None
        case ast.comprehension(ifs=ifs):
            yield from (("ifs", test, i) for i, test in enumerate(ifs))
        case ast.match_case(guard=ast.expr() as guard):
            yield "guard", guard, None
        case ast.Return(value=ast.Compare() | ast.BoolOp() | ast.UnaryOp(op=ast.Not()) as value):
            yield "value", value, None


def _variants(test: ast.expr, is_value: bool) -> Iterator[tuple[str, ast.expr]]:
    """What people get wrong: the whole negated, always or never taken, an operand lost, a limit off by one."""
    yield f"`{_short(test)}` flipped", ast.UnaryOp(ast.Not(), test)
    if not is_value and not isinstance(test, ast.Constant):
        yield f"`{_short(test)}` always true", ast.Constant(True)
        yield f"`{_short(test)}` always false", ast.Constant(False)
    yield from _within(test, lambda other: other)


def _within(test: ast.expr, put: Callable[[ast.expr], ast.expr]) -> Iterator[tuple[str, ast.expr]]:
    match test:
        case ast.BoolOp(op=op, values=values):
            for i, value in enumerate(values):
                rest = [*values[:i], *values[i + 1 :]]
                yield f"`{_short(value)}` dropped", put(rest[0] if len(rest) == 1 else ast.BoolOp(op, rest))

                def placed(other: ast.expr, i: int = i) -> ast.expr:
                    return put(ast.BoolOp(op, [*values[:i], other, *values[i + 1 :]]))

                yield f"`{_short(value)}` flipped", placed(ast.UnaryOp(ast.Not(), value))
                yield from _within(value, placed)
        case ast.UnaryOp(op=ast.Not(), operand=operand):
            yield from _within(operand, lambda other: put(ast.UnaryOp(ast.Not(), other)))
        case ast.Compare():
            yield from ((f"`{_short(test)}` {how}", put(other)) for how, other in _shifted(test))


def _shifted(test: ast.Compare) -> Iterator[tuple[str, ast.expr]]:
    for i, op in enumerate(test.ops):
        other = _SHIFTED.get(type(op))
        if other is not None:
            made = ast.Compare(test.left, [*test.ops[:i], other, *test.ops[i + 1 :]], test.comparators)
            yield f"as `{_short(made)}`", made
    operands = [test.left, *test.comparators]
    for i, operand in enumerate(operands):
        for moved in _moved(operand):
            parts = [*operands[:i], moved, *operands[i + 1 :]]
            made = ast.Compare(parts[0], test.ops, parts[1:])
            yield f"as `{_short(made)}`", made


def _moved(operand: ast.expr) -> Iterator[ast.expr]:
    match operand:
        case ast.Constant(value=bool()):
            return
        case ast.Constant(value=int() | float() as value):
            yield ast.Constant(value + 1)
        case ast.Tuple(elts=items) | ast.List(elts=items) | ast.Set(elts=items) if len(items) > 1:
            for i in range(len(items)):
                lost = copy.copy(operand)
                lost.elts = [*items[:i], *items[i + 1 :]]
                yield lost


def _short(test: ast.AST) -> str:
    text = ast.unparse(test)
    return text if len(text) <= 60 else text[:57] + "..."
