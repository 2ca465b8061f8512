"""Tests already decided: what earlier tests on the same way, still true, say about a later one."""

import ast
import copy
import sys
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property, lru_cache

from dreck.model.names.scopes import assigned_in
from dreck.model.narrowing import implied
from dreck.model.views.asked_again import RELATIONS, about_test, asked_again, number_of
from dreck.model.views.once import alike
from dreck.model.views.shape import Path, is_elif, leaves
from dreck.source.functions import PLAIN, FunctionNode
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
    last: int = sys.maxsize
    """The line of the last test that it may say something of."""

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

    again: dict[object, int] = field(default_factory=dict)
    """What more than one test is about, in a way that one may say something about another, and where the last is."""

    last: int = 0
    """The line of the last test that an earlier one may say something about."""

    def settled(self) -> list[Settled]:
        self.again = asked_again(self.function)
        if self.again:
            self.last = max(self.again.values())
            self._block(self.function.body, (), ())
        return self.found

    def _block(self, body: list[ast.stmt], path: Path, facts: tuple[Fact, ...]) -> tuple[Fact, ...]:
        for index, s in enumerate(body):
            if type(s) in PLAIN:
                facts = self._after(facts, [s]) if facts else facts
            elif s.lineno > self.last:
                break
            elif isinstance(s, ast.If):
                facts = self._if(s, index, path, facts)
            else:
                facts = self._other(s, index, path, facts)
        return facts

    def _if(self, s: ast.If, index: int, path: Path, facts: tuple[Fact, ...]) -> tuple[Fact, ...]:
        kept = self._after(facts, [ast.copy_location(ast.Expr(s.test), s)]) if facts else facts
        arm_path, arm, number = (*path, (index, "body", 0)), s, 0
        negative = kept
        while True:
            outcome = outcome_of(arm.test, negative) if negative else None
            if outcome is not None:
                self.found.append((path, index, arm.lineno, outcome, number))
            self._block(arm.body, arm_path, facts_with(negative, arm.test, True, self.again))
            negative = facts_with(negative, arm.test, False, self.again)
            if not is_elif(arm):
                break
            arm_path = (*arm_path[:-1], (arm_path[-1][0], "orelse", 0), (0, "body", 0))
            arm, number = arm.orelse[0], number + 1  # type: ignore[assignment]
        self._block(arm.orelse, (*arm_path[:-1], (arm_path[-1][0], "orelse", 0)), negative)
        if not is_elif(s) and leaves(s.body) and not s.orelse:
            return negative
        if not is_elif(s) and s.orelse and leaves(s.orelse):
            return self._after(facts_with(kept, s.test, True, self.again), s.body)
        return self._after(kept, [s])

    def _other(self, s: ast.stmt, index: int, path: Path, facts: tuple[Fact, ...]) -> tuple[Fact, ...]:
        after = self._after(facts, [s]) if facts else facts
        for field_name, which, body in _inner(s):
            self._block(body, (*path, (index, field_name, which)), after)
        return after

    def _after(self, facts: tuple[Fact, ...], body: Sequence[ast.stmt]) -> tuple[Fact, ...]:
        """The facts that still hold after `body` may have run."""
        for s in body:
            facts = tuple(f for f in facts if f.last >= s.lineno) if facts else facts
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
            own = _effects_alone(head)
            acts = own.acts or any(part.acts for part in parts)
            found = Effects(own.bound.union(*(part.bound for part in parts)), acts) if parts else own
            self.effects[s] = found
        return found


@dataclass(frozen=True, slots=True)
class Effects:
    """What running a statement may do: the names it binds, and whether anything else can change by it."""

    bound: frozenset[str]
    acts: bool


def _effects_alone(s: ast.stmt) -> Effects:
    """Of a statement that holds no others, in one walk where nothing in it has names of its own."""
    bound: set[str] = set()
    acts = False
    pending: list[ast.AST] = [s]
    for n in pending:
        kind = type(n)
        if kind is ast.Name:
            if type(n.ctx) is not ast.Load:  # type: ignore[attr-defined]
                bound.add(n.id)  # type: ignore[attr-defined]
            continue
        if kind in _NAMING:
            return Effects(assigned_in([s]), any(map(_may_act, walk(s))))
        acts = acts or _may_act(n)
        known = n.__dict__
        for name in n._fields:
            value = known.get(name)
            if type(value) is list:
                pending += [item for item in value if isinstance(item, ast.AST)]
            elif isinstance(value, ast.AST):
                pending.append(value)
    return Effects(frozenset(bound), acts)


_NAMING = frozenset(
    {ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef, ast.Lambda, ast.comprehension, ast.Import, ast.ImportFrom,
     ast.ExceptHandler, ast.MatchAs, ast.MatchStar, ast.MatchMapping, ast.Global, ast.Nonlocal}
)  # fmt: skip
"""What binds names in other ways than `x = ...`, or has names of its own."""


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


def facts_with(
    facts: tuple[Fact, ...], test: ast.expr, outcome: bool, wanted: Mapping[object, int] | None = None
) -> tuple[Fact, ...]:
    """`facts` and what `test` coming out as `outcome` adds, of all or of what is `wanted`."""
    match test:
        case ast.UnaryOp(op=ast.Not(), operand=operand):
            return facts_with(facts, operand, not outcome, wanted)
        case ast.BoolOp(op=ast.And(), values=values) if outcome:
            for value in values:
                facts = facts_with(facts, value, True, wanted)
            return facts
        case ast.BoolOp(op=ast.Or(), values=values) if not outcome:
            for value in values:
                facts = facts_with(facts, value, False, wanted)
            return facts
        case ast.BoolOp() | ast.Constant():
            return facts
    last = sys.maxsize if wanted is None else max(wanted.get(about, 0) for about in about_test(test))
    if wanted is not None and last <= test.lineno:
        return facts
    told = _names_of(test)
    return facts if told is None else (*facts, Fact(test, outcome, *told, last))


@lru_cache(maxsize=64)
def _names_of(test: ast.expr) -> tuple[frozenset[str], bool] | None:
    """The names in a test, and whether there is nothing else; None where asking it may do something. Each is asked for
    both of its outcomes."""
    names: set[str] = set()
    pure = True
    for n in walk(test):
        kind = type(n)
        if kind is ast.Name:
            names.add(n.id)  # type: ignore[attr-defined]
        elif kind is ast.NamedExpr or _may_act(n):
            return None
        elif pure:
            pure = isinstance(n, _PURE)
    return frozenset(names), pure


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


def _by_number(op: ast.cmpop, had: float | None, outcome: bool, asked: ast.cmpop, number: float | None) -> bool | None:
    """What `x op had` says about `x asked number`."""
    one, two = RELATIONS.get(type(op)), RELATIONS.get(type(asked))
    if had is None or number is None or one is None or two is None:
        return None
    return implied(one, had, outcome, two, number, total=False)
