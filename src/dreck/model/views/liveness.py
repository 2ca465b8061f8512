"""Liveness: which variables a run of statements needs to be given, and whose values are read once it is done.

Along the graph of a function variables are followed backwards (which are read before they are bound anew) and forwards
(which are surely, or perhaps, bound), as compilers do: "live variable analysis", "reaching definitions", "definite
assignment".
"""

import ast
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import lru_cache

from dreck.model.views.control_flow import Graph, Point, graph_of
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk


@dataclass(frozen=True, slots=True)
class Passed:
    """What a run of statements has to do with the variables around it."""

    needed: frozenset[str]
    """Read before they are bound there, or given back as they came on some way."""
    results: frozenset[str]
    """Bound there, and perhaps read afterwards."""
    known: frozenset[str]
    """Perhaps bound where the run begins."""
    handed_back: frozenset[str]
    """Needed for no more than to be given back as they came, where the run is left before its end."""


def passed_by(function: FunctionNode, body: Sequence[ast.stmt]) -> Passed:
    """For statements of `function` that follow one another in one of its blocks."""
    graph = graph_of(function)
    within, entries = _run(graph, body)
    here = list(within)
    live, perhaps = _whole(graph)
    read_after = _all(live[q] for p in here for q in (*p.next, *p.caught) if q not in within)
    results = read_after & _all(p.binds | p.may_bind | p.drops for p in here)
    first, surely = _live(here), _surely(here, entries)
    kept = frozenset(n for p in here for q in p.next if q not in within for n in (results & live[q]) - surely[p])
    read = _all(first[p] for p in entries)
    at_end = bound_when_left(function, body, None)
    return Passed(kept | read, results, _all(perhaps[p] for p in entries), (kept - read) & at_end)


def surely_bound_before(function: FunctionNode, body: Sequence[ast.stmt]) -> frozenset[str]:
    """The names that have a value in any case when control comes to a run of statements."""
    graph = graph_of(function)
    here, entries = _run(graph, body)
    start = graph.points[0]
    surely = _surely(graph.points, [start])
    every = _all(p.binds for p in graph.points)
    found = every
    for p in graph.points:
        if p not in here:
            found = found & surely[p] if any(q in entries for q in p.next) else found
            found = found & (surely[p] - p.binds) if any(q in entries for q in p.caught) else found
    return (found | graph.params) - _all(p.drops for p in graph.points)


def bound_when_left(function: FunctionNode, body: Sequence[ast.stmt], at: ast.stmt | None) -> frozenset[str]:
    """The names surely bound by a run of statements when it is left: at its end, or `at` a `break` or `continue`."""
    here, entries = _run(graph_of(function), body)
    surely = _surely(list(here), entries)
    if at is None:
        ends = [p for p in here if not _jumps(p) and any(q not in here for q in p.next)]
    else:
        ends = [p for p in here if p.statement is at]
    sets = [surely[p] for p in ends]
    return sets[0].intersection(*sets) if sets else frozenset()


def read_where_caught(function: FunctionNode, body: Sequence[ast.stmt]) -> frozenset[str]:
    """The names that are read where an error leads that comes out of a run of statements."""
    graph = graph_of(function)
    here, _ = _run(graph, body)
    live, _ = _whole(graph)
    return _all(live[q] for p in here for q in p.caught if q not in here)


def _jumps(p: Point) -> bool:
    return isinstance(p.statement, ast.Return | ast.Raise | ast.Break | ast.Continue)


def _run(graph: Graph, body: Sequence[ast.stmt]) -> tuple[dict[Point, None], list[Point]]:
    """The points of a run of statements, in order, and those that are come to from outside of it."""
    inside = {id(n) for s in body for n in walk(s)}
    here = {p: None for p in graph.points if id(p.statement) in inside}
    entered = {q for p in graph.points if p not in here for q in (*p.next, *p.caught)}
    return here, [p for p in here if p in entered] or list(here)[:1]


def _all(sets: Iterable[frozenset[str]]) -> frozenset[str]:
    return frozenset[str]().union(*sets)


@lru_cache(maxsize=8)
def _whole(graph: Graph) -> tuple[dict[Point, frozenset[str]], dict[Point, frozenset[str]]]:
    return _live(graph.points), _perhaps(graph)


def _live(points: Sequence[Point]) -> dict[Point, frozenset[str]]:
    """For each point, the names read from there on before they are bound; what lies beyond the points reads nothing."""
    found = dict.fromkeys(points, frozenset[str]())
    changed = True
    while changed:
        changed = False
        for p in reversed(points):
            after, thrown = (_all(found[q] for q in nodes if q in found) for nodes in (p.next, p.caught))
            new = p.reads | (after - p.binds) | thrown
            if new != found[p]:
                found[p], changed = new, True
    return found


def _surely(points: Sequence[Point], entries: Iterable[Point]) -> dict[Point, frozenset[str]]:
    """For each point, the names surely bound since the run was entered, once the point has run."""
    every = _all(p.binds for p in points)
    begun = set(entries)
    before = {p: frozenset() if p in begun else every for p in points}
    changed = True
    while changed:
        changed = False
        for p in points:
            for nodes, told in ((p.next, (before[p] | p.binds) - p.drops), (p.caught, before[p] - p.drops)):
                for q in nodes:
                    if q in before and before[q] - told:
                        before[q], changed = before[q] & told, True
    return {p: (before[p] | p.binds) - p.drops for p in points}


def _perhaps(graph: Graph) -> dict[Point, frozenset[str]]:
    """For each point, the names that may be bound when it is come to."""
    before = dict.fromkeys(graph.points, frozenset[str]())
    for p in graph.points[:1]:
        before[p] = graph.params
    changed = True
    while changed:
        changed = False
        for p in graph.points:
            told = before[p] | p.binds | p.may_bind
            for q in (*p.next, *p.caught):
                if told - before[q]:
                    before[q], changed = before[q] | told, True
    return before
