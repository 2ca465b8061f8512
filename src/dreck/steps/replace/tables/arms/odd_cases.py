"""Matches that would be tables but for a case that asks for more than a key."""

import ast
from collections.abc import Iterator

from dreck.steps.naming.predicates import statements
from dreck.steps.support.scene import NotPlanned, Scene

_FEWEST = 2


def odd_cases(scene: Scene) -> Iterator[NotPlanned]:
    """The first such case of each match that asks for keys otherwise."""
    for s in statements(scene.node.body):
        if not isinstance(s, ast.Match) or sum(_is_key(case) for case in s.cases) < _FEWEST:
            continue
        odd = next((case for case in s.cases[:-1] if not _is_key(case)), None)
        if odd is not None:
            yield NotPlanned(odd.pattern.lineno, _told(odd))


def _is_key(case: ast.match_case) -> bool:
    patterns = case.pattern.patterns if isinstance(case.pattern, ast.MatchOr) else [case.pattern]
    return case.guard is None and all(isinstance(p, ast.MatchValue | ast.MatchSingleton) for p in patterns)


def _told(case: ast.match_case) -> str:
    asked = ast.unparse(case.pattern)
    if case.guard is None:
        return f"`case {asked}` asks for more than a key: a table finds keys alone"
    guard = ast.unparse(case.guard)
    return f"`case {asked} if {guard}` asks for more than a key: ask `{guard}` inside of one case for {asked} first"
