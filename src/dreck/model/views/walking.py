"""Ways through a function: the conditions asked in order, what happens on the way, how it leaves.

Compound tests are taken apart into the operands that are asked one by one. Ways that contradict themselves are
left out and counted. A loop, or a `try`, is one thing that happens; what goes on in it is a table of its own. A local
that holds a constant on a way is told by what it holds; where that cannot be, its assignment is among what happens.
"""

import ast
import copy
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace

from dreck.model.views.decided import Fact, facts_after, facts_with, outcome_of
from dreck.model.views.leaving import breaks, catches, code_of, leaving_in, told_exit
from dreck.model.views.measures import measure
from dreck.model.views.values import Act, Values, declared_elsewhere, is_constant
from dreck.model.views.ways import MOST_WAYS, Way, Ways, shared
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk


def ways_through(function: FunctionNode, given: ast.expr | None = None, merged: bool = True) -> list[Ways]:
    """The function's own table first, then one for each loop and `try`. With `given`, only ways on which it may hold.

    `merged`: ways that do the same whatever one condition comes to are one.
    """
    body = function.body
    if body and isinstance(body[0], ast.Expr) and isinstance(body[0].value, ast.Constant):
        body = body[1:]
    facts = facts_with((), given, True) if given is not None else ()
    tables: list[Ways] = [Ways("", ())]
    whole = Walk(tables, {}, declared_elsewhere(function), merged)
    tables[0] = whole.table("", lambda state: whole.block(body, state), facts, _last_line(body), measure(function).ways)
    return tables


@dataclass(frozen=True, slots=True)
class _State:
    asked: tuple[tuple[str, bool], ...] = ()
    places: tuple[tuple[int, int], ...] = ()
    acts: tuple[Act, ...] = ()
    facts: tuple[Fact, ...] = ()
    values: Values = field(default_factory=Values)
    script: tuple[tuple[str, str, bool], ...] = ()


_Left = tuple[_State, str, int, tuple[str, str]]
"""A way that has left: its state, how it leaves, the line, and the same as code."""


_Holding = ast.For | ast.AsyncFor | ast.While | ast.Try | ast.TryStar


class _TooMany(Exception):
    pass


@dataclass(slots=True)
class Walk:
    """One table being made; `tables` takes those of loops and `try`s on the way, `known` says which are there."""

    tables: list[Ways]
    known: dict[int, int]
    elsewhere: frozenset[str]
    """Names that are not the function's alone: what is put there is seen."""
    merged: bool
    title: str = ""
    left: list[_Left] = field(default_factory=list)
    impossible: int = 0
    steps: int = 0
    order: dict[str, tuple[int, int]] = field(default_factory=dict)

    def table(
        self, title: str, run: Callable[[_State], Iterator[_State]], facts: tuple[Fact, ...], last: int, count: int = 0
    ) -> Ways:
        """The table of what `run` does from a fresh state on."""
        self.title = title
        try:
            for state in run(_State(facts=facts)):
                self._leave(state, _FALLS.get(title[:3], "falls off the end"), last, ("return", "None"))
        except _TooMany:
            return Ways(title, (), self.impossible, max(count, MOST_WAYS))
        ways = [self._way(*one) for one in self.left]
        ways.sort(key=self._reading_order)
        rows = tuple(shared(ways) if self.merged else ways)
        return Ways(title, rows, self.impossible, len(ways), tuple(sorted(self.order, key=lambda c: self.order[c])))

    def _way(self, state: _State, how: str, line: int, code: tuple[str, str]) -> Way:
        kept = [act.told for act in state.acts if act.told and (self.title or not state.values.is_spent(act))]
        return Way(state.asked, tuple(kept), how, line, state.places, (*state.script, (*code, True)))

    def _reading_order(self, way: Way) -> list[tuple[tuple[int, int], bool]]:
        """As conditions stand, with what holds before what does not."""
        return [(self.order.get(code, (0, 0)), not outcome) for code, outcome in way.asked]

    def _leave(self, state: _State, how: str, line: int, code: tuple[str, str] = ("", "")) -> None:
        self.left.append((state, how, line, code))
        if len(self.left) > MOST_WAYS:
            raise _TooMany

    def block(self, body: list[ast.stmt], state: _State) -> Iterator[_State]:
        """The states in which a block is left at its end."""
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
                    yield from self.block(s.body if outcome else s.orelse, after)
            case ast.Return(value=value):
                self._leave(*self._exit(state, "return", value, s.lineno))
            case ast.Raise(exc=exc):
                self._leave(*self._exit(state, "raise", exc, s.lineno))
            case ast.Break() | ast.Continue():
                self._leave(state, "leaves the loop" if isinstance(s, ast.Break) else "goes round again", s.lineno)
            case ast.For() | ast.AsyncFor() | ast.While():
                yield from self._loop(s, state)
            case ast.With(body=body) | ast.AsyncWith(body=body):
                opened = ", ".join(code_of(item) for item in s.items)
                yield from self.block(body, self._acted(state, s, f"with {opened}", [i.context_expr for i in s.items]))
            case ast.Try() | ast.TryStar():
                yield from self._try(s, state)
            case ast.Match():
                yield from self._match(s, state)
            case ast.Assign(targets=[ast.Name(id=name)], value=value):
                yield from self._assign(s, name, value, state)
            case ast.Pass() | ast.Global() | ast.Nonlocal():
                yield state
            case ast.FunctionDef() | ast.AsyncFunctionDef() | ast.ClassDef():
                yield self._acted(state, s, f"defines {s.name}")
            case _:
                yield self._acted(state, s, None)

    def _exit(self, state: _State, how: str, value: ast.expr | None, line: int) -> _Left:
        told, after = self._told(value, state) if value is not None else ("None" if how == "return" else "", state)
        return after, f"{how} {told}".strip(), line, (how, code_of(value) if value is not None else "")

    def _told(self, node: ast.AST, state: _State) -> tuple[str, _State]:
        """Code with the constants that locals hold on this way in their place."""
        code, values = state.values.told(node)
        return code, replace(state, values=values)

    def _assign(self, s: ast.stmt, name: str, value: ast.expr, state: _State) -> Iterator[_State]:
        if isinstance(value, ast.IfExp):
            for outcome, after in self._ask(value.test, state):
                chosen = value.body if outcome else value.orelse
                made = ast.copy_location(ast.Assign([ast.Name(name, ast.Store())], chosen), s)
                yield from self._assign(ast.fix_missing_locations(made), name, chosen, after)
            return
        told, after = self._told(value, state)
        after = self._acted(after, s, f"{name} = {told}", [])
        if is_constant(value) and name not in self.elsewhere:
            after = replace(after, values=after.values.holding(name, value, after.acts[-1]))
        yield after

    def _acted(self, state: _State, s: ast.stmt, told: str | None, read: list[ast.expr] | None = None) -> _State:
        """The state after a statement; `told` is how it is told, if not by its code, `read` what of it is told so."""
        if told is None:
            told, state = self._told(s, state)
        elif read is None:
            state = replace(state, values=state.values.needed_by(s))
        for part in read or []:
            state = replace(state, values=state.values.needed_by(part))
        stored = {n.id for n in walk(s) if isinstance(n, ast.Name) and not isinstance(n.ctx, ast.Load)}
        is_simple = not isinstance(s, ast.With | ast.AsyncWith)
        script = (*state.script, ("do", ast.unparse(s), True)) if is_simple else (*state.script, ("with", "", True))
        return replace(
            state, acts=(*state.acts, Act(told, len(state.acts))), facts=facts_after(state.facts, [s]),
            values=state.values.without(stored), script=script,
        )  # fmt: skip

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
            decided = state.values.outcome_of(test)
        if decided is not None:
            self.impossible += 1
            yield decided, state
            return
        facts = facts_after(state.facts, [ast.Expr(test)])
        code, state = self._told(test, state)
        stored = {n.id for n in walk(test) if isinstance(n, ast.Name) and not isinstance(n.ctx, ast.Load)}
        state = replace(state, facts=facts, values=state.values.without(stored))
        for outcome in (True, False):
            after = self._with(state, code, outcome, (test.lineno, test.col_offset), ast.unparse(test))
            yield outcome, replace(after, facts=facts_with(facts, test, outcome))

    def _with(self, state: _State, code: str, outcome: bool, place: tuple[int, int], script: str = "") -> _State:
        """The state when a condition has been asked, once more if it was asked before."""
        times = sum(known == code or known.startswith(f"{code}, again") for known, _ in state.asked)
        code += "" if not times else ", again" if times == 1 else f", again ({times})"
        self.order[code] = min(place, self.order.get(code, place))
        return replace(
            state, asked=(*state.asked, (code, outcome)), places=(*state.places, place),
            script=(*state.script, ("ask", script, outcome)),
        )  # fmt: skip

    def _match(self, s: ast.Match, state: _State) -> Iterator[_State]:
        subject, state = self._told(s.subject, state)
        states = [state]
        for case in s.cases:
            refused: list[_State] = []
            for one in states:
                for taken, other in self._case(case, subject, one):
                    refused += [other] if other is not None else []
                    if taken is not None:
                        yield from self.block(case.body, taken)
            states = refused
        yield from states

    def _case(self, case: ast.match_case, subject: str, state: _State) -> Iterator[tuple[_State | None, _State | None]]:
        """The states in which a case is taken, and those in which the next one is asked."""
        catches_all = isinstance(case.pattern, ast.MatchAs) and case.pattern.pattern is None
        place = (case.pattern.lineno, case.pattern.col_offset)
        bound = {getattr(n, "name", None) or getattr(n, "rest", None) for n in walk(case.pattern)} - {None}
        matched = state
        if not catches_all:
            code = f"{subject} is case {code_of(case.pattern)}"
            matched = self._with(state, code, True, place)
            yield None, self._with(state, code, False, place)
        matched = replace(matched, values=matched.values.without({str(name) for name in bound}))
        if case.guard is None:
            yield matched, None
            return
        for outcome, after in self._ask(case.guard, matched):
            yield (after, None) if outcome else (None, after)

    # --- what has a table of its own ---------------------------------------------------------------

    def _inner(self, s: _Holding, title: str) -> Ways:
        """The table of a loop's body or a `try`, made when it is first met."""
        if id(s) not in self.known:
            self.known[id(s)] = len(self.tables)
            self.tables.append(Ways(title, ()))
            inner = Walk(self.tables, self.known, self.elsewhere, self.merged)

            def run(state: _State) -> Iterator[_State]:
                return inner._tried(s, state) if isinstance(s, ast.Try | ast.TryStar) else inner.block(s.body, state)

            self.tables[self.known[id(s)]] = inner.table(title, run, (), _last_line(s.body))
        return self.tables[self.known[id(s)]]

    def _left_inside(self, s: _Holding, inner: Ways, state: _State, exits: tuple[str, ...]) -> None:
        """Ways that leave from within it: one for each exit."""
        found = dict.fromkeys((way.exit, way.line) for way in inner.ways if way.exit.startswith(exits))
        if not inner.ways:
            found = dict.fromkeys((told_exit(node), node.lineno) for node in leaving_in(s.body))
        for how, line in found:
            inside = replace(state, acts=(*state.acts, Act(f"in [{inner.title}]", len(state.acts))))
            self._leave(replace(inside, script=(*state.script, ("inside", "", True))), how, line)

    def _loop(self, s: ast.For | ast.AsyncFor | ast.While, state: _State) -> Iterator[_State]:
        head = (
            f"while {code_of(s.test)}" if isinstance(s, ast.While) else f"for {code_of(s.target)} in {code_of(s.iter)}"
        )
        inner = self._inner(s, head)
        state = replace(state, values=state.values.needed_by(s))
        self._left_inside(s, inner, state, ("return", "raise"))
        if isinstance(s, ast.While) and isinstance(s.test, ast.Constant) and s.test.value and not breaks(s.body):
            return
        alone = copy.copy(s)
        alone.orelse = []
        after = self._acted(state, alone, f"[{head}]")
        if s.orelse and breaks(s.body):
            place = (s.lineno, s.col_offset)
            yield self._with(after, f"[{head}] is broken off", True, place)
            after = self._with(after, f"[{head}] is broken off", False, place)
        yield from self.block(s.orelse, after)

    def _try(self, s: ast.Try | ast.TryStar, state: _State) -> Iterator[_State]:
        title = f"try {_cut(ast.unparse(s.body[0]).splitlines()[0].rstrip(':'))}"
        inner = self._inner(s, title)
        state = replace(state, values=state.values.needed_by(s))
        self._left_inside(s, inner, state, ("return", "raise", "leaves the loop", "goes round again"))
        if not inner.ways or any(way.exit == _GOES_ON for way in inner.ways):
            yield self._acted(state, s, f"[{title}]")

    def _tried(self, s: ast.Try | ast.TryStar, state: _State) -> Iterator[_State]:
        """Through a `try`: its body and else, each handler, and what is always done in the end."""
        before, self.left = self.left, []
        ends = [after for one in self.block(s.body, state) for after in self.block(s.orelse, self._calm(s, one))]
        ways, self.left = self.left, []
        for handler in s.handlers:
            ends += self.block(handler.body, self._caught(s, handler, state))
        handled, self.left = self.left, []
        for left in (*ways, *handled):
            caught = next((h for h in s.handlers if left in ways and catches(h, left[1])), None)
            if caught is None:
                self.left.append(left)
                continue
            came = self._with(left[0], _comes_up(caught), True, (caught.lineno, caught.col_offset))
            ends += self.block(caught.body, came)
        leaving, self.left = self.left, before
        for state_, how, line, code in leaving:
            for done in self.block(s.finalbody, state_):
                self._leave(done, how, line, code)
        for end in ends:
            yield from self.block(s.finalbody, end)
        if s.finalbody:
            told = "any other exception comes up" if s.handlers else "an exception comes up"
            other = self._with(state, told, True, (s.finalbody[0].lineno, 0))
            for done in self.block(s.finalbody, other):
                self._leave(done, "raise it again", s.finalbody[0].lineno)

    def _calm(self, s: ast.Try | ast.TryStar, state: _State) -> _State:
        for handler in s.handlers:
            state = self._with(state, _comes_up(handler), False, (handler.lineno, handler.col_offset))
        return state

    def _caught(self, s: ast.Try | ast.TryStar, handler: ast.ExceptHandler, state: _State) -> _State:
        """Somewhere in the body, nobody knows where, an exception has come up."""
        stored = {n.id for b in s.body for n in walk(b) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}
        state = replace(state, facts=facts_after(state.facts, s.body), values=state.values.without(stored))
        if len(s.body) > 1:
            state = replace(state, acts=(*state.acts, Act("a part of the try", len(state.acts))))
        return self._with(state, _comes_up(handler), True, (handler.lineno, handler.col_offset))


_GOES_ON = "goes on"
_FALLS = {"for": "goes round again", "whi": "goes round again", "try": _GOES_ON}


def _comes_up(handler: ast.ExceptHandler) -> str:
    kind = code_of(handler.type) if handler.type is not None else "any exception"
    return f"{kind} comes up"


def _cut(code: str) -> str:
    return code if len(code) <= 48 else code[:45] + "..."


def _last_line(body: list[ast.stmt]) -> int:
    return (body[-1].end_lineno or body[-1].lineno) if body else 0
