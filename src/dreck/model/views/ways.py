"""Ways through a function: the conditions asked in order, what happens on the way, how it leaves.

Compound tests are taken apart into the operands that are asked one by one. Ways that contradict themselves are
left out and counted. A loop is one thing that happens; what its body does is a table of its own.
"""

import ast
import operator
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from typing import Any

from dreck.model.views.decided import Fact, facts_after, facts_with, outcome_of
from dreck.model.views.measures import measure
from dreck.source.functions import FunctionNode

MOST_WAYS = 400


@dataclass(frozen=True, slots=True)
class Way:
    """One way: `asked` are (condition, outcome) pairs in order, `acts` the code run, `exit` how it leaves.

    `line` is the line of the exit. An outcome of None means that it does not matter.
    """

    asked: tuple[tuple[str, bool | None], ...]
    acts: tuple[str, ...]
    exit: str
    line: int


@dataclass(frozen=True, slots=True)
class Ways:
    """The ways through a function or a loop's body (`title`). `impossible` were left out since they contradict
    themselves; when there are too many, `ways` is empty and `count` says how many about."""

    title: str
    ways: tuple[Way, ...]
    impossible: int = 0
    count: int = 0
    order: tuple[str, ...] = ()

    @property
    def conditions(self) -> tuple[str, ...]:
        """Every condition asked, in the order they stand."""
        asked = dict.fromkeys(code for way in self.ways for code, _ in way.asked)
        return tuple(sorted(asked, key=lambda code: self.order.index(code) if code in self.order else -1))


def ways_through(function: FunctionNode, given: ast.expr | None = None) -> list[Ways]:
    """The function's own table first, then one for each loop. With `given`, only ways on which it may hold."""
    body = function.body
    if body and isinstance(body[0], ast.Expr) and isinstance(body[0].value, ast.Constant):
        body = body[1:]
    facts = facts_with((), given, True) if given is not None else ()
    walk = _Walk()
    tables = [walk.table("", body, facts, measure(function).ways)]
    while walk.loops:
        title, inner = walk.loops.pop(0)
        tables.append(walk.table(title, inner, (), 0))
    return tables


@dataclass(frozen=True, slots=True)
class _State:
    asked: tuple[tuple[str, bool], ...] = ()
    acts: tuple[str, ...] = ()
    facts: tuple[Fact, ...] = ()
    values: tuple[tuple[str, str], ...] = ()
    """Locals whose value on this way is plain to see."""


class _TooMany(Exception):
    pass


@dataclass(slots=True)
class _Walk:
    loops: list[tuple[str, list[ast.stmt]]] = field(default_factory=list)
    done: list[Way] = field(default_factory=list)
    impossible: int = 0
    steps: int = 0
    places: dict[str, tuple[int, int]] = field(default_factory=dict)

    def table(self, title: str, body: list[ast.stmt], facts: tuple[Fact, ...], count: int) -> Ways:
        self.done, self.impossible, self.steps = [], 0, 0
        before = len(self.loops)
        try:
            for state in self._block(body, _State(facts=facts)):
                self._leave(state, "goes round again" if title else "falls off the end", _last_line(body))
        except _TooMany:
            del self.loops[before:]
            return Ways(title, (), self.impossible, max(count, MOST_WAYS))
        self.done.sort(key=self._reading_order)
        shared = _shared(self.done)
        order = sorted(self.places, key=lambda code: self.places[code])
        return Ways(title, tuple(shared), self.impossible, len(self.done), tuple(order))

    def _reading_order(self, way: Way) -> list[tuple[tuple[int, int], bool]]:
        """As conditions stand, with what holds before what does not."""
        return [(self.places.get(code, (0, 0)), not outcome) for code, outcome in way.asked]

    def _leave(self, state: _State, how: str, line: int) -> None:
        self.done.append(Way(state.asked, state.acts, how, line))
        if len(self.done) > MOST_WAYS:
            raise _TooMany

    def _block(self, body: list[ast.stmt], state: _State) -> Iterator[_State]:
        states = [state]
        for s in body:
            following: list[_State] = []
            for one in states:
                following += self._statement(s, one)
                self.steps += 1
                if self.steps > 40 * MOST_WAYS or len(following) > MOST_WAYS:
                    raise _TooMany
            states = following
        yield from states

    def _statement(self, s: ast.stmt, state: _State) -> Iterator[_State]:
        match s:
            case ast.If():
                for outcome, after in self._ask(s.test, state):
                    yield from self._block(s.body if outcome else s.orelse, after)
            case ast.Return(value=value):
                self._leave(state, self._returned(value, state), s.lineno)
            case ast.Raise(exc=exc):
                self._leave(state, "raise" + (f" {_code(exc)}" if exc is not None else ""), s.lineno)
            case ast.Break() | ast.Continue():
                self._leave(state, "leaves the loop" if isinstance(s, ast.Break) else "goes round again", s.lineno)
            case ast.For() | ast.AsyncFor() | ast.While():
                yield from self._loop(s, state)
            case ast.With(body=body) | ast.AsyncWith(body=body):
                opened = ", ".join(_code(item.context_expr) for item in s.items)
                yield from self._block(body, _acted(state, s, f"with {opened}"))
            case ast.Try() | ast.TryStar():
                yield from self._try(s, state)
            case ast.Match():
                yield from self._match(s, state)
            case ast.Assign(targets=[ast.Name(id=name)], value=value):
                yield from self._assign(s, name, value, state)
            case ast.Pass() | ast.Global() | ast.Nonlocal():
                yield state
            case ast.FunctionDef() | ast.AsyncFunctionDef() | ast.ClassDef():
                yield _acted(state, s, f"defines {s.name}")
            case _:
                yield _acted(state, s, _code(s))

    def _assign(self, s: ast.stmt, name: str, value: ast.expr, state: _State) -> Iterator[_State]:
        if isinstance(value, ast.IfExp):
            for outcome, after in self._ask(value.test, state):
                yield from self._assign(s, name, value.body if outcome else value.orelse, after)
            return
        after = _acted(state, s, "" if isinstance(value, ast.Constant) else f"{name} = {_code(value)}")
        if isinstance(value, ast.Constant):
            after = replace(after, values=(*[v for v in after.values if v[0] != name], (name, _code(value))))
        yield after

    def _returned(self, value: ast.expr | None, state: _State) -> str:
        if value is None:
            return "return None"
        known = dict(state.values).get(value.id) if isinstance(value, ast.Name) else None
        return f"return {known or _code(value)}"

    def _ask(self, test: ast.expr, state: _State) -> Iterator[tuple[bool, _State]]:
        """The ways a test can come out, its operands asked one by one."""
        match test:
            case ast.UnaryOp(op=ast.Not(), operand=operand):
                for outcome, after in self._ask(operand, state):
                    yield not outcome, after
            case ast.BoolOp(op=op, values=[first, *rest]):
                stops = isinstance(op, ast.Or)
                for outcome, after in self._ask(first, state):
                    if outcome is stops or not rest:
                        yield outcome, after
                    else:
                        yield from self._ask(ast.BoolOp(op, rest) if len(rest) > 1 else rest[0], after)
            case ast.Constant(value=value):
                yield bool(value), state
            case _:
                yield from self._asked(test, state)

    def _asked(self, test: ast.expr, state: _State) -> Iterator[tuple[bool, _State]]:
        decided = outcome_of(test, state.facts)
        if decided is None:
            decided = _by_values(test, dict(state.values))
        if decided is not None:
            self.impossible += 1
            yield decided, state
            return
        facts = facts_after(state.facts, [ast.Expr(test)])
        code = _code(test)
        place = (test.lineno, test.col_offset)
        self.places[code] = min(place, self.places.get(code, place))
        for outcome in (True, False):
            yield outcome, replace(state, asked=(*state.asked, (code, outcome)), facts=facts_with(facts, test, outcome))

    def _match(self, s: ast.Match, state: _State) -> Iterator[_State]:
        subject = _code(s.subject)
        for case in s.cases:
            catches_all = isinstance(case.pattern, ast.MatchAs) and case.pattern.pattern is None
            code = f"{subject} is case {_code(case.pattern)}"
            self.places.setdefault(code, (case.pattern.lineno, case.pattern.col_offset))
            taken = state if catches_all else replace(state, asked=(*state.asked, (code, True)))
            refused = state if catches_all else replace(state, asked=(*state.asked, (code, False)))
            if case.guard is None:
                yield from self._block(case.body, taken)
                if catches_all:
                    return
                state = refused
                continue
            for outcome, after in self._ask(case.guard, taken):
                if outcome:
                    yield from self._block(case.body, after)
            state = refused
        yield state

    def _try(self, s: ast.Try | ast.TryStar, state: _State) -> Iterator[_State]:
        ends: list[_State] = []
        for after in self._block(s.body, state):
            ends += self._block(s.orelse, after)
        for handler in s.handlers:
            kind = _code(handler.type) if handler.type is not None else "any exception"
            self.places.setdefault(f"{kind} comes up", (handler.lineno, handler.col_offset))
            tried = replace(facts_gone(state, s.body), asked=(*state.asked, (f"{kind} comes up", True)))
            ends += self._block(handler.body, tried)
        for end in ends:
            yield from self._block(s.finalbody, end)

    def _loop(self, s: ast.For | ast.AsyncFor | ast.While, state: _State) -> Iterator[_State]:
        head = f"while {_code(s.test)}" if isinstance(s, ast.While) else f"for {_code(s.target)} in {_code(s.iter)}"
        if (head, s.body) not in self.loops:
            self.loops.append((head, s.body))
        after = _acted(state, s, f"[{head}]")
        for node in _leaving(s.body):
            how = self._returned(node.value, after) if isinstance(node, ast.Return) else f"raise {_code(node.exc)}"
            self._leave(replace(after, acts=(*state.acts, f"in [{head}]")), how, node.lineno)
        if isinstance(s, ast.While) and isinstance(s.test, ast.Constant) and s.test.value and not _breaks(s.body):
            return
        yield from self._block(s.orelse, after)


def _last_line(body: list[ast.stmt]) -> int:
    return (body[-1].end_lineno or body[-1].lineno) if body else 0


def _by_values(test: ast.expr, values: dict[str, str]) -> bool | None:
    """What a comparison of a local comes to whose value is known on this way."""
    match test:
        case ast.Name(id=name) if name in values:
            return bool(ast.literal_eval(values[name]))
        case ast.Compare(left=ast.Name(id=name), ops=[op], comparators=[ast.Constant(value=other)]) if name in values:
            value = ast.literal_eval(values[name])
            compare = _COMPARED.get(type(op))
            try:
                return None if compare is None else bool(compare(value, other))
            except TypeError:
                return None
    return None


_COMPARED: dict[type[ast.cmpop], Callable[[Any, Any], Any]] = {
    ast.Eq: operator.eq, ast.NotEq: operator.ne, ast.Lt: operator.lt, ast.LtE: operator.le, ast.Gt: operator.gt,
    ast.GtE: operator.ge, ast.Is: operator.is_, ast.IsNot: operator.is_not,
}  # fmt: skip


def facts_gone(state: _State, body: list[ast.stmt]) -> _State:
    """The state somewhere in `body`, nobody knows where."""
    return replace(state, facts=facts_after(state.facts, body), values=())


def _acted(state: _State, s: ast.stmt, told: str) -> _State:
    stored = {n.id for n in ast.walk(s) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}
    values = tuple(v for v in state.values if v[0] not in stored)
    acts = (*state.acts, told) if told else state.acts
    return replace(state, acts=acts, facts=facts_after(state.facts, [s]), values=values)


def _leaving(body: list[ast.stmt]) -> list[ast.Return | ast.Raise]:
    """Returns and raises inside a loop, one of each kind."""
    found: dict[str, ast.Return | ast.Raise] = {}
    pending: list[ast.AST] = list(body)
    while pending:
        node = pending.pop(0)
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef | ast.Lambda):
            continue
        if isinstance(node, ast.Return | ast.Raise):
            found.setdefault(ast.dump(node), node)
        pending += ast.iter_child_nodes(node)
    return list(found.values())


def _breaks(body: list[ast.stmt]) -> bool:
    for s in body:
        if isinstance(s, ast.Break):
            return True
        if isinstance(s, ast.For | ast.AsyncFor | ast.While | ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
            continue
        parts = [getattr(s, name, []) for name in ("body", "orelse", "finalbody")]
        parts += [part.body for name in ("handlers", "cases") for part in getattr(s, name, [])]
        if any(_breaks(part) for part in parts):
            return True
    return False


def _shared(ways: list[Way]) -> list[Way]:
    """Two ways that do the same and differ in one outcome alone are one, in which that outcome does not matter."""
    rows = list(ways)
    changed = True
    while changed and len(rows) <= 120:
        changed = False
        for i, a in enumerate(rows):
            for j in range(i + 1, len(rows)):
                merged = _merged(a, rows[j])
                if merged is not None:
                    rows[i] = merged
                    del rows[j]
                    changed = True
                    break
            if changed:
                break
    return rows


def _merged(a: Way, b: Way) -> Way | None:
    if a.exit != b.exit or a.acts != b.acts or len(a.asked) != len(b.asked):
        return None
    different = [i for i, (x, y) in enumerate(zip(a.asked, b.asked, strict=True)) if x != y]
    if len(different) != 1:
        return None
    i = different[0]
    (code, x), (other, y) = a.asked[i], b.asked[i]
    if code != other or x is None or y is None:
        return None
    return replace(a, asked=(*a.asked[:i], (code, None), *a.asked[i + 1 :]))


def _code(node: ast.AST | None) -> str:
    return "" if node is None else " ".join(ast.unparse(node).split())
