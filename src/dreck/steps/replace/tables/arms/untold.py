"""Ladders that no table takes: each is told what stands against it."""

import ast
from collections import Counter
from collections.abc import Iterable, Iterator

from dreck.source.walking import walk
from dreck.steps.support.chains import Reader
from dreck.steps.support.scene import NotPlanned, Plan, Scene

_FEWEST = 3
_LONGEST = 60


def with_untold(scene: Scene, found: Iterable[Plan | NotPlanned]) -> Iterator[Plan | NotPlanned]:
    """What was found, and after that the ladders of three tests or more that nothing was said of."""
    told = set[int]()
    for one in found:
        told.add(one.line)
        yield one
    for tests in _ladders(scene):
        first, last = tests[0].lineno, tests[-1].lineno
        if not any(first <= line <= last for line in told):
            yield NotPlanned(first, _reason(tests))
    for match in (n for n in walk(scene.node) if isinstance(n, ast.Match)):
        said = any(match.lineno <= line <= (match.end_lineno or line) for line in told)
        if len(match.cases) >= _FEWEST and not said:
            yield NotPlanned(match.lineno, _against(match))


def _against(match: ast.Match) -> str:
    """What keeps the cases of a match from being found by key."""
    subject = _short(match.subject)
    for case in match.cases:
        match case:
            case ast.match_case(pattern=ast.MatchAs(pattern=None, name=str() as name), guard=None):
                return f"`case {name}` names what comes in: write `case _`, and {subject} for {name} in it, first"
            case ast.match_case(pattern=ast.MatchValue() | ast.MatchSingleton() | ast.MatchOr()):
                continue
            case ast.match_case(pattern=ast.MatchAs(pattern=None)):
                continue
            case ast.match_case(pattern=ast.MatchSequence(patterns=parts)) if isinstance(match.subject, ast.Tuple):
                if all(isinstance(part, ast.MatchValue | ast.MatchSingleton) for part in parts):
                    continue
        return f"`case {_short(case.pattern)}` takes {subject} apart, and a table finds keys alone"
    keys = [p for case in match.cases for p in walk(case.pattern) if isinstance(p, ast.MatchValue | ast.MatchSingleton)]
    if len(keys) < _FEWEST:
        return f"its cases ask {subject} for {len(keys)} keys, and a table pays from {_FEWEST} on"
    return f"its cases ask {subject} for a key, but each does something of its own"


def _ladders(scene: Scene) -> Iterator[list[ast.expr]]:
    nodes = [n for n in walk(scene.node) if isinstance(n, ast.If)]
    inner = {id(n.orelse[0]) for n in nodes if len(n.orelse) == 1}
    for node in sorted(nodes, key=lambda n: n.lineno):
        tests: list[ast.expr] = []
        s: ast.stmt | None = node if id(node) not in inner else None
        while isinstance(s, ast.If):
            tests.append(s.test)
            s = s.orelse[0] if len(s.orelse) == 1 else None
        if len(tests) >= _FEWEST:
            yield tests


def _reason(tests: list[ast.expr]) -> str:
    if sum(map(_is_limit, tests)) >= len(tests) - 1:
        return "its tests ask for limits; band-table makes rows of such a ladder"
    read = Reader()
    asked = [read(test) for test in tests]
    subjects = Counter(" and ".join(map(ast.unparse, one[0])) for one in asked if one is not None)
    for subject, times in subjects.most_common(1):
        other = next((t for t, one in zip(tests, asked, strict=True) if one is None or _told(one[0]) != subject), None)
        if times > 1 and other is not None:
            few = f"{times} of its {len(tests)} tests ask {subject} for a key"
            return f"{few}, and `{_short(other)}` asks for something else: that is too little for a table"
        if times == len(tests):
            return f"its tests ask {subject} for a key, but its arms give values to different variables"
    some = ", ".join(f"`{_short(test)}`" for test in tests[:2])
    return f"its tests ask for different things ({some}, ...), and no key tells them apart; see named-predicate"


def _told(subjects: tuple[ast.expr, ...]) -> str:
    return " and ".join(map(ast.unparse, subjects))


def _is_limit(test: ast.expr) -> bool:
    return isinstance(test, ast.Compare) and isinstance(test.ops[0], ast.Lt | ast.LtE | ast.Gt | ast.GtE)


def _short(test: ast.AST) -> str:
    code = ast.unparse(test)
    return code if len(code) <= _LONGEST else f"{code[:_LONGEST]}..."
