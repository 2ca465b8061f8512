"""Control flow: a function as a graph of points, one for each plain statement and each test.

An error may lead from any point of a `try` or a `with` to what catches it, or swallows it.
"""

import ast
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from functools import lru_cache

from dreck.model.names.scopes import param_names, scope_of
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

_COMPREHENSIONS = (ast.ListComp, ast.SetComp, ast.DictComp, ast.GeneratorExp)
_LAZY = (ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef, ast.Lambda)


@dataclass(eq=False, slots=True)
class Point:
    statement: ast.stmt | None
    reads: frozenset[str] = frozenset()
    binds: frozenset[str] = frozenset()
    """Bound once it has run to its end."""
    may_bind: frozenset[str] = frozenset()
    drops: frozenset[str] = frozenset()
    next: list["Point"] = field(default_factory=list)
    caught: list["Point"] = field(default_factory=list)
    """Where an error in the midst of it leads; nothing is surely bound by then."""


@dataclass(eq=False, slots=True)
class Graph:
    """The first of the points is where a call comes in, the last where it is left."""

    points: list[Point]
    params: frozenset[str]


@lru_cache(maxsize=8)
def graph_of(function: FunctionNode) -> Graph:
    builder = _Builder()
    start, end = builder.point(None), builder.point(None)
    builder.leaving = end
    builder.run(function.body, [start], end)
    points = [start, *(p for p in builder.points if p not in (start, end)), end]
    return Graph(points, frozenset(param_names(function.args)))


class _Builder:
    """Lays the points of a function out; `ends` are those from which control comes to what is laid out next."""

    def __init__(self) -> None:
        self.points: list[Point] = []
        self.leaving: Point
        self.catching: list[Point] = []
        self.loops: list[tuple[Point, Point]] = []
        """Where `continue` and `break` lead."""

    def point(self, statement: ast.stmt | None, reads: Iterable[ast.AST] = (), binds: Iterable[ast.AST] = ()) -> Point:
        asked, targets = list(reads), list(binds)
        told = _told_first(asked)
        read, may_bind = _names_in([*asked, *targets])
        bound = frozenset(n.id for t in targets for n in walk(t) if _is_stored(n))  # type: ignore[attr-defined]
        made = Point(statement, read - told, bound | told, may_bind, caught=list(self.catching))
        self.points.append(made)
        return made

    def run(self, body: Sequence[ast.stmt], ends: list[Point], after: Point) -> None:
        """Lays out a block that is come to from `ends` and goes on at `after`."""
        for s in body:
            ends = self._statement(s, ends)
        _join(ends, after)

    def _block(self, body: Sequence[ast.stmt], ends: list[Point]) -> list[Point]:
        for s in body:
            ends = self._statement(s, ends)
        return ends

    def _statement(self, s: ast.stmt, ends: list[Point]) -> list[Point]:
        return _LAID_OUT.get(type(s), _Builder._plain)(self, s, ends)

    def _plain(self, s: ast.stmt, ends: list[Point]) -> list[Point]:
        p = self.point(s, [s])
        p.binds, p.drops = p.binds | _bound_by(s), frozenset(n.id for n in walk(s) if _is_deleted(n))  # type: ignore[attr-defined]
        _join(ends, p)
        return [p]

    def _leaves(self, s: ast.stmt, ends: list[Point]) -> list[Point]:
        p = self.point(s, [s])
        _join(ends, p)
        if isinstance(s, ast.Return):
            p.next.append(self.leaving)
        elif isinstance(s, ast.Continue | ast.Break) and self.loops:
            p.next.append(self.loops[-1][isinstance(s, ast.Break)])
        return []

    def _if(self, s: ast.If, ends: list[Point]) -> list[Point]:
        p = self.point(s, [s.test])
        _join(ends, p)
        return [*self._block(s.body, [p]), *self._block(s.orelse, [p])]

    def _while(self, s: ast.While, ends: list[Point]) -> list[Point]:
        p, done = self.point(s, [s.test]), self.point(s)
        _join(ends, p)
        return self._loop(s, p, p, done)

    def _for(self, s: ast.For, ends: list[Point]) -> list[Point]:
        p, head, done = self.point(s, [s.iter]), self.point(s), self.point(s)
        bind = self.point(s, (), [s.target])
        _join(ends, p)
        _join([p], head)
        _join([head], bind)
        return self._loop(s, head, bind, done)

    def _loop(self, s: ast.For | ast.While, head: Point, begun: Point, done: Point) -> list[Point]:
        self.loops.append((head, done))
        self.run(s.body, [begun], head)
        self.loops.pop()
        endless = isinstance(s, ast.While) and isinstance(s.test, ast.Constant) and bool(s.test.value)
        self.run(s.orelse, [] if endless else [head], done)
        return [done]

    def _with(self, s: ast.With, ends: list[Point]) -> list[Point]:
        for item in s.items:
            p = self.point(s, [item.context_expr], [item.optional_vars] if item.optional_vars else [])
            _join(ends, p)
            ends = [p]
        done = self.point(s)
        self.catching.append(done)  # it may swallow an error
        self.run(s.body, ends, done)
        self.catching.pop()
        return [done]

    def _try(self, s: ast.Try, ends: list[Point]) -> list[Point]:
        last = self.point(s) if s.finalbody else None
        held = self.leaving, list(self.loops), list(self.catching)
        if last is not None:
            self.catching.append(last)
            self.leaving = last
            self.loops = [(last, last) for _ in self.loops]
        around = list(self.catching)
        handlers = [self.point(s, [h.type] if h.type is not None else []) for h in s.handlers]
        self.catching += handlers
        _caught(ends, handlers)
        inside = self._block(s.body, ends)
        self.catching = around
        ends = self._block(s.orelse, inside)
        for h, p in zip(s.handlers, handlers, strict=True):
            p.binds = frozenset([h.name] if h.name else [])
            done = self._block(h.body, [p])
            if h.name:
                gone = self.point(s)
                gone.drops = p.binds
                _join(done, gone)
                done = [gone]
            ends = [*ends, *done]
        self.leaving, self.loops, self.catching = held
        if last is None:
            return ends
        _join(ends, last)
        ends = self._block(s.finalbody, [last])
        leading = [q for pair in self.loops for q in pair]
        for p in ends:
            p.next += [self.leaving, *leading]
            p.caught += self.catching
        return ends

    def _match(self, s: ast.Match, ends: list[Point]) -> list[Point]:
        p = self.point(s, [s.subject])
        _join(ends, p)
        found: list[Point] = []
        for case in s.cases:
            asked = self.point(s, [case.pattern, *([case.guard] if case.guard is not None else [])])
            asked.may_bind |= (bound := _bound_in_pattern(case.pattern))
            taken = self.point(s)
            taken.binds = bound
            _join([p], asked)
            if case.guard is not None:
                asked.reads -= bound
            _join([asked], taken)
            found += self._block(case.body, [taken])
            p = asked
        return [*found, p]


_LAID_OUT: dict[type[ast.stmt], Callable[..., list[Point]]] = {
    ast.If: _Builder._if, ast.While: _Builder._while, ast.For: _Builder._for, ast.AsyncFor: _Builder._for,
    ast.With: _Builder._with, ast.AsyncWith: _Builder._with, ast.Try: _Builder._try, ast.TryStar: _Builder._try,
    ast.Match: _Builder._match, ast.Return: _Builder._leaves, ast.Raise: _Builder._leaves,
    ast.Continue: _Builder._leaves, ast.Break: _Builder._leaves,
}  # fmt: skip


def _join(ends: Iterable[Point], to: Point) -> None:
    for p in ends:
        p.next.append(to)


def _caught(ends: Iterable[Point], handlers: list[Point]) -> None:
    """A handler may be come to before anything in the `try` has run."""
    for p in ends:
        p.next += handlers


def _names_in(nodes: Iterable[ast.AST]) -> tuple[frozenset[str], frozenset[str]]:
    """The variables read there, and those bound on the way by `:=`; those of functions and comprehensions left out."""
    read, bound = set[str](), set[str]()
    for node in nodes:
        own = own_of_comprehensions(node) | _own_of_functions(node)
        for n in walk(node):
            if isinstance(n, ast.Name) and n not in own and isinstance(n.ctx, ast.Load):
                read.add(n.id)
            elif isinstance(n, ast.AugAssign) and isinstance(n.target, ast.Name) and n.target not in own:
                read.add(n.target.id)
            elif isinstance(n, ast.NamedExpr) and n.target not in own:
                bound.add(n.target.id)
    return frozenset(read), frozenset(bound)


def own_of_comprehensions(node: ast.AST) -> set[ast.AST]:
    """The names inside of comprehensions that mean the variables of these, and none of the function."""
    found: set[ast.AST] = set()
    for n in walk(node):
        if not isinstance(n, _COMPREHENSIONS):
            continue
        targets = [t for g in n.generators for t in walk(g.target) if isinstance(t, ast.Name)]
        bound = {t.id for t in targets}
        outside = set(walk(n.generators[0].iter))
        found |= {m for m in walk(n) if isinstance(m, ast.Name) and m.id in bound and m not in outside}
    return found


def _own_of_functions(node: ast.AST) -> set[ast.AST]:
    """The names inside of functions that mean the variables of these; what a class body binds is left as it is."""
    found: set[ast.AST] = set()
    for n in walk(node):
        if isinstance(n, ast.Lambda):
            own: set[str] = set(param_names(n.args))
            parts: list[ast.AST] = [n.body]
        elif isinstance(n, ast.FunctionDef | ast.AsyncFunctionDef):
            own, parts = scope_of(n).local, [*n.body]
        else:
            continue
        found |= {m for part in parts for m in walk(part) if isinstance(m, ast.Name) and m.id in own}
    return found


def _told_first(nodes: Iterable[ast.AST]) -> frozenset[str]:
    """What `:=` surely binds before anything there reads it."""
    found = set[str]()
    for node in nodes:
        told = list(_surely_told(node))
        named = [n for n in walk(node) if isinstance(n, ast.Name)] if told else []
        first: dict[str, ast.Name] = {}
        for n in sorted(named, key=lambda n: (n.lineno, n.col_offset)):
            first.setdefault(n.id, n)
        found |= {t.id for t in told if first[t.id] is t}
    return frozenset(found)


def _surely_told(node: ast.AST) -> Iterator[ast.Name]:
    """The targets of `:=` in what is worked out whatever the rest comes to."""
    if isinstance(node, (*_COMPREHENSIONS, *_LAZY)):
        return
    if isinstance(node, ast.NamedExpr):
        yield node.target
    match node:
        case ast.BoolOp(values=[first, *_]) | ast.IfExp(test=first):
            parts: Iterable[ast.AST] = [first]
        case ast.Compare(left=left, comparators=[second, *_]):
            parts = [left, second]
        case _:
            parts = ast.iter_child_nodes(node)
    for part in parts:
        yield from _surely_told(part)


def _bound_by(s: ast.stmt) -> frozenset[str]:
    """What a plain statement has surely bound once it has run to its end."""
    match s:
        case ast.FunctionDef(name=name) | ast.AsyncFunctionDef(name=name) | ast.ClassDef(name=name):
            return frozenset([name])
        case ast.Import(names=names) | ast.ImportFrom(names=names):
            return frozenset(a.asname or a.name.partition(".")[0] for a in names)
        case ast.Assign(targets=targets):
            parts: list[ast.AST] = [*targets]
        case ast.AnnAssign(target=target, value=ast.expr()) | ast.AugAssign(target=target):
            parts = [target]
        case _:
            parts = []
    return frozenset(n.id for t in parts for n in walk(t) if _is_stored(n))  # type: ignore[attr-defined]


def _bound_in_pattern(pattern: ast.AST) -> frozenset[str]:
    found = set[str]()
    for n in walk(pattern):
        match n:
            case ast.MatchAs(name=str() as name) | ast.MatchStar(name=str() as name):
                found.add(name)
            case ast.MatchMapping(rest=str() as name):
                found.add(name)
    return frozenset(found)


def _is_stored(n: ast.AST) -> bool:
    return isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)


def _is_deleted(n: ast.AST) -> bool:
    return isinstance(n, ast.Name) and isinstance(n.ctx, ast.Del)
