"""Outcomes that no input can reach, as far as annotations hold: the members of an enum have all been tried."""

import ast
import enum
import itertools
from functools import partial
from typing import Any

from dreck.model.views.shape import leaves
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


def beyond_in_both(outcomes: set[tuple[int, int, bool]], *versions: Version) -> list[set[int]]:
    """By version, the lines of statements that are come to only by such outcomes, where all of them stand in the other
    version, too: what was changed there has to be seen."""
    told = [_come_to_by(outcomes, side, version) for side, version in enumerate(versions)]
    codes = [{ast.dump(s) for s in statements} for statements in told]
    return [{s.lineno for s in mine} if codes[0] == codes[1] else set() for mine in told]


def _come_to_by(outcomes: set[tuple[int, int, bool]], side: int, version: Version) -> list[ast.stmt]:
    """An arm, what an `else` holds, and what stands behind a chain whose arms all leave."""
    never = {(*_place(version.watched.tests[number]), outcome) for at, number, outcome in outcomes if at == side}
    found: list[ast.stmt] = []
    for n in walk(version.node):
        for block in (value for _, value in ast.iter_fields(n) if isinstance(value, list)):
            for at, s in enumerate(block):
                if not isinstance(s, ast.If):
                    continue
                last, beyond = _last_arm(s), list[ast.stmt]()
                if _asked(s.test, True) in never:
                    beyond += s.body
                if _asked(last.test, False) in never:
                    beyond += [*last.orelse, *(block[at + 1 :] if all(map(leaves, _arms(s))) else [])]
                found += [p for b in beyond for p in walk(b) if isinstance(p, ast.stmt)]
    return found


def _asked(test: ast.expr, outcome: bool) -> tuple[int, int, bool]:
    """Where what is asked stands, and how it has to come out."""
    while isinstance(test, ast.UnaryOp) and isinstance(test.op, ast.Not):
        test, outcome = test.operand, not outcome
    return (*_place(test), outcome)


def _last_arm(s: ast.If) -> ast.If:
    while len(s.orelse) == 1 and isinstance(s.orelse[0], ast.If):
        s = s.orelse[0]
    return s


def _arms(s: ast.If) -> list[list[ast.stmt]]:
    """The bodies of a chain's arms, without an `else`."""
    inner = s.orelse[0] if len(s.orelse) == 1 else None
    return [s.body, *(_arms(inner) if isinstance(inner, ast.If) else [])]


def _place(test: Any) -> tuple[int, int]:
    return getattr(test, "lineno", 0), getattr(test, "col_offset", 0)


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
