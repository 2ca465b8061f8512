"""Tests already decided: what earlier tests on the same way, still true, say about a later one."""

import ast
import copy
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from functools import cached_property

from dreck.model.names.scopes import assigned_in
from dreck.model.narrowing import implied
from dreck.model.views.once import alike
from dreck.model.views.shape import Path, is_elif, leaves
from dreck.source.functions import FunctionNode, blocks_of
from dreck.source.walking import walk

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


@dataclass(frozen=True)
class Fact:
    """A test that has come out one way, and still holds."""

    test: ast.expr
    outcome: bool
    names: frozenset[str]
    pure: bool
    """Only names and constants: no call or write elsewhere can change it."""

    @cached_property
    def words(self) -> str:
        return ast.dump(self.test)


@dataclass(slots=True)
class Known:
    """Walks one function and tells which tests are settled. The judge has the last word."""

    function: FunctionNode
    found: list[Settled] = field(default_factory=list)
    effects: dict[ast.stmt, "Effects"] = field(default_factory=dict)
    """What each statement may do; found once."""

    def settled(self) -> list[Settled]:
        if _asks_of_something_twice(self.function.body):
            self._block(self.function.body, (), ())
        return self.found

    def _block(self, body: list[ast.stmt], path: Path, facts: tuple[Fact, ...]) -> tuple[Fact, ...]:
        for index, s in enumerate(body):
            go = self._if if isinstance(s, ast.If) else self._other
            facts = go(s, index, path, facts)  # type: ignore[arg-type]
        return facts

    def _if(self, s: ast.If, index: int, path: Path, facts: tuple[Fact, ...]) -> tuple[Fact, ...]:
        kept = self._after(facts, [ast.Expr(s.test)])
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
        if not is_elif(s) and leaves(s.body) and not s.orelse:
            return negative
        if not is_elif(s) and s.orelse and leaves(s.orelse):
            return self._after(facts_with(kept, s.test, True), s.body)
        return self._after(kept, [s])

    def _other(self, s: ast.stmt, index: int, path: Path, facts: tuple[Fact, ...]) -> tuple[Fact, ...]:
        after = self._after(facts, [s])
        for field_name, which, body in _inner(s):
            self._block(body, (*path, (index, field_name, which)), after)
        return after

    def _after(self, facts: tuple[Fact, ...], body: Sequence[ast.stmt]) -> tuple[Fact, ...]:
        """The facts that still hold after `body` may have run."""
        for s in body:
            if not facts:
                break
            effects = self._effects_of(s)
            facts = tuple(f for f in facts if (f.pure or not effects.acts) and not f.names & effects.bound)
        return facts

    def _effects_of(self, s: ast.stmt) -> "Effects":
        found = self.effects.get(s)
        if found is None:
            inner = [n for _, _, block in _inner(s) for n in block]
            parts = [self._effects_of(n) for n in inner]
            head = _head(s) if inner else s
            acts = any(part.acts for part in parts) or any(map(_may_act, walk(head)))
            found = Effects(assigned_in([head]).union(*(part.bound for part in parts)), acts)
            self.effects[s] = found
        return found


@dataclass(frozen=True, slots=True)
class Effects:
    """What running a statement may do: the names it binds, and whether anything else can change by it."""

    bound: frozenset[str]
    acts: bool


def _head(s: ast.stmt) -> ast.stmt:
    """A compound statement without the statements inside it."""
    head = copy.copy(s)
    for name in ("body", "orelse", "finalbody"):
        if hasattr(head, name):
            setattr(head, name, [])
    for name in ("handlers", "cases"):
        parts = [copy.copy(part) for part in getattr(head, name, ())]
        for part in parts:
            part.body = []
        if parts:
            setattr(head, name, parts)
    return head


def _asks_of_something_twice(body: list[ast.stmt]) -> bool:
    """Whether two tests are about the same thing in a way that one may say something about the other.

    Arms of one chain that compare the same with other texts do not.
    """
    seen: set[object] = set()
    pending = list(body)
    while pending:
        s = pending.pop()
        if isinstance(s, ast.If):
            asked, arm = _Asked(seen), s
            while asked.takes(arm.test) and is_elif(arm):
                pending += arm.body
                arm = arm.orelse[0]  # type: ignore[assignment]
            if asked.again:
                return True
            seen |= asked.about
            s = arm
        for inner in blocks_of(s):
            pending += inner
    return False


class _Asked:
    """What the arms of one chain ask about, beside what was asked before it."""

    def __init__(self, seen: set[object]) -> None:
        self.seen = seen
        self.about: set[object] = set()
        self.texts: set[object] = set()
        self.again = False

    def takes(self, test: ast.expr) -> bool:
        """Notes what an arm asks; False when something is asked about again."""
        for e in _alone(test):
            about = _about(e.left if isinstance(e, ast.Compare) else e)
            text = _text_compared(e)
            self.again |= about in self.seen or (about, text) in self.texts or (text is None and about in self.about)
            self.again |= text is not None and (about, None) in self.texts
            self.texts.add((about, text))
            self.about.add(about)
        return not self.again


def _alone(test: ast.expr) -> Iterator[ast.expr]:
    """The tests that stand alone in one."""
    if isinstance(test, ast.BoolOp):
        for value in test.values:
            yield from _alone(value)
    elif isinstance(test, ast.UnaryOp) and isinstance(test.op, ast.Not):
        yield from _alone(test.operand)
    else:
        yield test


def _text_compared(e: ast.expr) -> str | None:
    """The text that something is asked to be equal to; None for every other test."""
    match e:
        case ast.Compare(ops=[ast.Eq()], comparators=[ast.Constant(value=str() as text)]):
            return text
    return None


def _about(e: ast.expr) -> object:
    """What a test begins with, so that what is alike is told alike."""
    if isinstance(e, ast.Name):
        return e.id
    if isinstance(e, ast.Attribute):
        return (_about(e.value), e.attr)
    if isinstance(e, ast.Call):
        return (_about(e.func), *map(_about, e.args))
    if isinstance(e, ast.Constant):
        return (type(e.value), e.value)
    if isinstance(e, ast.Subscript):
        return (_about(e.value), _about(e.slice))
    return _about(e.left) if isinstance(e, ast.Compare) else type(e)


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
    if all(f.pure for f in kept) or not any(_may_act(n) for s in body for n in walk(s)):
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
    nodes = list(walk(test))
    if any(_may_act(n) or isinstance(n, ast.NamedExpr) for n in nodes):
        return facts
    names = frozenset(n.id for n in nodes if isinstance(n, ast.Name))
    pure = all(isinstance(n, _PURE) for n in nodes)
    return (*facts, Fact(test, outcome, names, pure))


_PURE = (ast.Name, ast.Constant, ast.Compare, ast.Load, ast.cmpop, ast.UnaryOp, ast.USub, ast.Tuple)


def outcome_of(test: ast.expr, facts: tuple[Fact, ...]) -> bool | None:
    match test:
        case ast.UnaryOp(op=ast.Not(), operand=operand):
            inner = outcome_of(operand, facts)
            return None if inner is None else not inner
        case ast.BoolOp() | ast.Constant():
            return None
    if len(facts) > _MANY:
        asked = ast.dump(test)
        same = next((fact for fact in facts[:-_MANY] if fact.words == asked), None)
        if same is not None:
            return same.outcome
    for fact in facts[-_MANY:]:
        outcome = fact.outcome if alike(fact.test, test) else _implied(fact, test)
        if outcome is not None:
            return outcome
    return None


_MANY = 60
"""So many facts, the last ones, are asked what follows from them, the others only whether they are the test."""


def _implied(fact: Fact, test: ast.expr) -> bool | None:
    match fact.test, test:
        case ast.Compare(left=a, ops=[op], comparators=[b]), ast.Compare(left=x, ops=[asked], comparators=[y]):
            if not alike(a, x):
                return None
            if _OPPOSITE.get(type(op)) is type(asked) and alike(b, y):
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
