"""Tests already decided: what earlier tests on the same way, still true, say about a later one."""

import ast
from collections.abc import Iterator
from dataclasses import dataclass, field

from dreck.model.names.scopes import assigned_in
from dreck.model.narrowing import implied
from dreck.model.views.shape import Path, is_elif, leaves
from dreck.source.functions import FunctionNode, blocks_of

Settled = tuple[Path, int, int, bool, int]
"""Block, statement in it, line, outcome, and which arm of the chain (0 is the `if`)."""

_OPPOSITE = {
    ast.Eq: ast.NotEq,
    ast.NotEq: ast.Eq,
    ast.Is: ast.IsNot,
    ast.IsNot: ast.Is,
    ast.In: ast.NotIn,
    ast.NotIn: ast.In,
}


@dataclass(frozen=True, slots=True)
class Fact:
    """A test that has come out one way, and still holds."""

    test: ast.expr
    code: str
    outcome: bool
    names: frozenset[str]
    pure: bool
    """Only names and constants: no call or write elsewhere can change it."""


@dataclass(slots=True)
class Known:
    """Walks one function and tells which tests are settled. The judge has the last word."""

    function: FunctionNode
    found: list[Settled] = field(default_factory=list)

    def settled(self) -> list[Settled]:
        if _has_two_tests(self.function.body):
            self._block(self.function.body, (), ())
        return self.found

    def _block(self, body: list[ast.stmt], path: Path, facts: tuple[Fact, ...]) -> tuple[Fact, ...]:
        for index, s in enumerate(body):
            walk = self._if if isinstance(s, ast.If) else self._other
            facts = walk(s, index, path, facts)  # type: ignore[arg-type]
        return facts

    def _if(self, s: ast.If, index: int, path: Path, facts: tuple[Fact, ...]) -> tuple[Fact, ...]:
        kept = facts_after(facts, [ast.Expr(s.test)])
        arm_path, arm, number = (*path, (index, "body", 0)), s, 0
        negative = kept
        while True:
            outcome = outcome_of(arm.test, negative)
            if outcome is not None:
                self.found.append((path, index, arm.lineno, outcome, number))
            self._block(arm.body, arm_path, facts_with(negative, arm.test, True))
            negative = facts_with(negative, arm.test, False)
            if not is_elif(arm):
                break
            arm_path = (*arm_path[:-1], (arm_path[-1][0], "orelse", 0), (0, "body", 0))
            arm, number = arm.orelse[0], number + 1  # type: ignore[assignment]
        self._block(arm.orelse, (*arm_path[:-1], (arm_path[-1][0], "orelse", 0)), negative)
        through = facts_after(kept, [s])
        if not is_elif(s) and leaves(s.body) and not s.orelse:
            return facts_after(negative, [])
        if not is_elif(s) and s.orelse and leaves(s.orelse):
            return facts_after(facts_with(kept, s.test, True), s.body)
        return through

    def _other(self, s: ast.stmt, index: int, path: Path, facts: tuple[Fact, ...]) -> tuple[Fact, ...]:
        after = facts_after(facts, [s])
        for field_name, which, body in _inner(s):
            self._block(body, (*path, (index, field_name, which)), after)
        return after


def _has_two_tests(body: list[ast.stmt]) -> bool:
    """One test alone settles nothing."""
    count, pending = 0, list(body)
    while pending and count < 2:
        s = pending.pop()
        count += isinstance(s, ast.If)
        for inner in blocks_of(s):
            pending += inner
    return count >= 2


def _inner(s: ast.stmt) -> Iterator[tuple[str, int, list[ast.stmt]]]:
    if isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
        return
    for name in ("body", "orelse", "finalbody"):
        body = getattr(s, name, None)
        if isinstance(body, list) and body:
            yield name, 0, body
    for name in ("handlers", "cases"):
        for number, part in enumerate(getattr(s, name, ())):
            yield name, number, part.body


def facts_after(facts: tuple[Fact, ...], body: list[ast.stmt]) -> tuple[Fact, ...]:
    """The facts that still hold after `body` may have run."""
    if not facts or not body:
        return facts
    assigned = assigned_in(body)
    kept = tuple(f for f in facts if not f.names & assigned)
    if all(f.pure for f in kept) or not any(_may_act(n) for s in body for n in ast.walk(s)):
        return kept
    return tuple(f for f in kept if f.pure)


_ACTING = frozenset(
    {ast.Call, ast.Await, ast.Yield, ast.YieldFrom, ast.With, ast.AsyncWith, ast.For, ast.AsyncFor, ast.AugAssign}
)


def _may_act(node: ast.AST) -> bool:
    kind = type(node)
    if kind is ast.Attribute or kind is ast.Subscript:
        return type(node.ctx) is not ast.Load  # type: ignore[attr-defined]
    return kind in _ACTING


def facts_with(facts: tuple[Fact, ...], test: ast.expr, outcome: bool) -> tuple[Fact, ...]:
    """`facts` and what `test` coming out as `outcome` adds."""
    match test:
        case ast.UnaryOp(op=ast.Not(), operand=operand):
            return facts_with(facts, operand, not outcome)
        case ast.BoolOp(op=ast.And(), values=values) if outcome:
            for value in values:
                facts = facts_with(facts, value, True)
            return facts
        case ast.BoolOp(op=ast.Or(), values=values) if not outcome:
            for value in values:
                facts = facts_with(facts, value, False)
            return facts
        case ast.BoolOp() | ast.Constant():
            return facts
    nodes = list(ast.walk(test))
    if any(_may_act(n) or isinstance(n, ast.NamedExpr) for n in nodes):
        return facts
    names = frozenset(n.id for n in nodes if isinstance(n, ast.Name))
    pure = all(isinstance(n, _PURE) for n in nodes)
    return (*facts, Fact(test, ast.dump(test), outcome, names, pure))


_PURE = (ast.Name, ast.Constant, ast.Compare, ast.Load, ast.cmpop, ast.UnaryOp, ast.USub, ast.Tuple)


def outcome_of(test: ast.expr, facts: tuple[Fact, ...]) -> bool | None:
    match test:
        case ast.UnaryOp(op=ast.Not(), operand=operand):
            inner = outcome_of(operand, facts)
            return None if inner is None else not inner
        case ast.BoolOp() | ast.Constant():
            return None
    if not facts:
        return None
    code = ast.dump(test)
    for fact in facts:
        outcome = fact.outcome if fact.code == code else _implied(fact, test)
        if outcome is not None:
            return outcome
    return None


def _implied(fact: Fact, test: ast.expr) -> bool | None:
    match fact.test, test:
        case ast.Compare(left=a, ops=[op], comparators=[b]), ast.Compare(left=x, ops=[asked], comparators=[y]):
            if type(a) is not type(x) or ast.dump(a) != ast.dump(x):
                return None
            if _OPPOSITE.get(type(op)) is type(asked) and ast.dump(b) == ast.dump(y):
                return not fact.outcome
            if fact.outcome and isinstance(op, ast.Eq) and isinstance(asked, ast.Eq) and _are_two_texts(b, y):
                return False
            return _by_number(op, number_of(b), fact.outcome, asked, number_of(y))
    return None


def _are_two_texts(a: ast.expr, b: ast.expr) -> bool:
    match a, b:
        case ast.Constant(value=str() as one), ast.Constant(value=str() as other):
            return one != other
    return False


def number_of(e: ast.expr) -> float | None:
    """The number a literal stands for, its sign included."""
    match e:
        case ast.Constant(value=int() | float() as value) if not isinstance(value, bool):
            return value
        case ast.UnaryOp(op=ast.USub(), operand=ast.Constant(value=int() | float() as value)):
            return -value
    return None


_RELATIONS = {ast.Lt: "<", ast.LtE: "<=", ast.Gt: ">", ast.GtE: ">=", ast.Eq: "=="}


def _by_number(op: ast.cmpop, had: float | None, outcome: bool, asked: ast.cmpop, number: float | None) -> bool | None:
    """What `x op had` says about `x asked number`."""
    one, two = _RELATIONS.get(type(op)), _RELATIONS.get(type(asked))
    if had is None or number is None or one is None or two is None:
        return None
    return implied(one, had, outcome, two, number, total=False)
