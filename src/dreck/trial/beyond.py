"""Outcomes that no input can reach, as far as annotations hold: the members of an enum have all been tried."""

import ast
import enum
import itertools
from functools import partial
from typing import Any

from dreck.source.walking import walk
from dreck.trial.running.loading.load import Version
from dreck.trial.search.search import Search


def beyond_members(search: Search, *versions: Version) -> set[tuple[int, int, bool]]:
    """Outcomes of tests about a parameter that is a member of an enum, as it is annotated, when each member was tried
    and all that is asked before is about it, too: no further member comes."""
    found: set[tuple[int, int, bool]] = set()
    for side, version in enumerate(versions):
        about = _member_asked_for(version)
        if about is None or not _all_members_tried(search, about, version.types[about]):
            continue
        tests = sorted(version.watched.tests.items())
        others = itertools.takewhile(partial(_asks_about, about), tests)
        found |= {(side, number, outcome) for number, _ in others for outcome in (True, False)}
    return found - search.reached


def _member_asked_for(version: Version) -> str | None:
    """The parameter of an enum's class that the first test is about."""
    first = next((test for _, test in sorted(version.watched.tests.items())), None)
    names = {n.id for n in walk(first) if isinstance(n, ast.Name)} if isinstance(first, ast.AST) else set()
    kinds = {n for n, kind in version.types.items() if isinstance(kind, type) and issubclass(kind, enum.Enum)}
    return min(names & kinds & _only_given(version), default=None)


def _only_given(version: Version) -> set[str]:
    """Parameters that every caller has to give, and that are bound to nothing else."""
    args = version.node.args
    given = {a.arg for a in [*args.posonlyargs, *args.args][: -len(args.defaults) or None]}
    given |= {a.arg for a, default in zip(args.kwonlyargs, args.kw_defaults, strict=True) if default is None}
    rebound = {n.id for n in walk(version.node) if isinstance(n, ast.Name) and not isinstance(n.ctx, ast.Load)}
    return (
        given - rebound - {n.name for n in walk(version.node) if isinstance(n, ast.MatchAs | ast.MatchStar) and n.name}
    )


def _asks_about(name: str, numbered: tuple[int, Any]) -> bool:
    """Whether a test compares the one thing with constants, or asks for its class."""
    match numbered[1]:
        case ast.Compare(left=ast.Name(id=left), ops=[ast.Eq() | ast.Is() | ast.NotEq() | ast.IsNot()]):
            return left == name and isinstance(numbered[1].comparators[0], ast.Attribute)
        case ast.Compare(left=ast.Name(id=left), ops=[ast.In() | ast.NotIn()], comparators=[ast.Tuple(elts=elts)]):
            return left == name and all(isinstance(e, ast.Attribute) for e in elts)
        case ast.Call(func=ast.Name(id="isinstance"), args=[ast.Name(id=asked), ast.Name()]):
            return asked == name
    return False


def _all_members_tried(search: Search, name: str, kind: type[enum.Enum]) -> bool:
    tried = {str(t.used[name].what) for t in search.all_tried if name in t.used and t.used[name].kind == "named"}
    return not issubclass(kind, enum.Flag) and {f"{kind.__qualname__}.{m}" for m in kind.__members__} <= tried
