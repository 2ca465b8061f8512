"""Classes and values that are written otherwise: whether they are the same once their modules have been executed."""

import ast
from dataclasses import dataclass
from typing import Any

from dreck.model.names.bindings import bound_by, statements_of
from dreck.model.names.modules import ModuleNames
from dreck.proof.surroundings.module_diff import has_grown
from dreck.source.functions import FunctionNode
from dreck.trial.server import ask_child
from dreck.trial.shape_diff import differences
from dreck.workbench.compare.sides import Side
from dreck.workbench.judging.verdict import Verdict
from dreck.workbench.store.trials import KnownTrials

_MOST = 3
_ANSWERING = frozenset({"__getattr__", "__getattribute__", "__init_subclass__", "__dir__"})
"""Methods for which it counts what names a class has."""


@dataclass(frozen=True, slots=True)
class Executing:
    """How the modules may be executed: whether at all, behind which walls, what is let through, what is kept."""

    trial: bool
    cage: str
    opened: tuple[str, ...]
    cache: bool


def reshaped(sides: tuple[Side, Side], names: tuple[str, ...], executing: Executing) -> tuple[tuple[str, Verdict], ...]:
    """A verdict on each of `names` that both versions have and that is not seen to be the same; what is private to a
    module counts for its functions alone."""
    made = _made_of(frozenset(names), sides) if executing.trial else ()
    both = [n for n in (*names, *made) if _is_public(n) and all(_bindings(side.tree, n) for side in sides)]
    asked = [n for n in both if n in made or not _has_only_grown(n, sides)]
    if not asked:
        return ()
    if not executing.trial:
        return tuple((n, Verdict("unsettled", reason=f"it is written otherwise; {_NO_TRIAL}")) for n in asked)
    answers = _shapes(sides, asked, executing)
    rows = ((n, _said(n, sides, answers)) for n in asked)
    return tuple((n, Verdict("unsettled", reason=told)) for n, told in rows if told)


def makes_members(method: str, names: ModuleNames, otherwise: tuple[str, ...]) -> bool:
    """Whether a method makes the members of an enum: what they have come to is looked at, see `reshaped`."""
    kind, _, name = method.rpartition(".")
    node = names.definitions.get(kind)
    return (
        name in ("__new__", "__init__")
        and kind in otherwise
        and _is_public(kind)
        and isinstance(node, ast.ClassDef)
        and any((names.stands_for(base) or "").startswith("enum.") for base in node.bases)
    )


def _made_of(names: frozenset[str], sides: tuple[Side, Side]) -> list[str]:
    """The other classes and values at the top of the new module that are made of one of the names, or of what is."""
    body, found = [*statements_of(sides[1].tree.body)], set[str]()
    bindings = [(s, bound_by(s)) for s in body if isinstance(s, ast.Assign | ast.AnnAssign | ast.ClassDef)]
    pending = names
    while pending:
        told = {n for s, bound in bindings if _reads(s, pending) for n in bound}
        pending = frozenset(told - found - names)
        found |= pending
    return sorted(found)


def _reads(s: ast.stmt, names: frozenset[str]) -> bool:
    """Whether a statement reads one of the names when it is executed, and not when a function in it is called."""
    pending: list[ast.AST] = [s]
    while pending:
        node = pending.pop()
        if isinstance(node, ast.Name) and isinstance(node.ctx, ast.Load) and node.id in names:
            return True
        inside = node.body if isinstance(node, FunctionNode | ast.Lambda) else None
        parts = ast.iter_child_nodes(node)
        pending += parts if inside is None or isinstance(inside, ast.expr) else [p for p in parts if p not in inside]
    return False


_NO_TRIAL = "what it comes to is seen when its module is executed, and no trial is wanted"


def _is_public(name: str) -> bool:
    return not name.startswith("_") or name == "__all__"


def _bindings(tree: ast.Module, name: str) -> list[ast.stmt]:
    return [s for s in statements_of(tree.body) if name in bound_by(s)]


def _has_only_grown(name: str, sides: tuple[Side, Side]) -> bool:
    """Whether a class that makes nothing of what stands in it has got plain methods, attributes of which the other
    version does not speak, or a base that asks for nothing, and is the same else."""
    kinds = [_class_of(name, side.names) for side in sides]
    if not all(kind is not None and _is_plain(kind, side.names) for kind, side in zip(kinds, sides, strict=True)):
        return False
    return has_grown(name, *(side.module for side in sides))


def _class_of(name: str, names: ModuleNames) -> ast.ClassDef | None:
    node = names.definitions.get(name)
    several = len(_bindings(names.tree, name)) > 1
    return node if isinstance(node, ast.ClassDef) and not several else None


def _is_plain(kind: ast.ClassDef, names: ModuleNames) -> bool:
    """Whether nothing decorates it or makes it, it has all methods that those above want, and is so all the way up."""
    if kind.keywords or kind.decorator_list:
        return False
    mine = {*_methods(kind)}
    if mine & _ANSWERING:
        return False
    if any(s.decorator_list and not _is_harmless(s) for s in kind.body if isinstance(s, FunctionNode)):
        return False
    return all(_is_plain_base(base, mine, names) for base in kind.bases)


def _is_plain_base(base: ast.expr, mine: set[str], names: ModuleNames) -> bool:
    if ast.unparse(base) in ("object", "ABC", "abc.ABC"):
        return True
    node = _class_of(base.id, names) if isinstance(base, ast.Name) else None
    if node is None or node.keywords or node.decorator_list or {*_methods(node)} & _ANSWERING:
        return False
    wanted = {s.name for s in node.body if isinstance(s, FunctionNode) and s.decorator_list and not _is_harmless(s)}
    return wanted <= mine and all(_is_plain_base(b, mine, names) for b in node.bases)


def _methods(kind: ast.ClassDef) -> list[str]:
    return [s.name for s in kind.body if isinstance(s, FunctionNode)]


def _is_harmless(s: FunctionNode) -> bool:
    return all(
        isinstance(d, ast.Name) and d.id in ("property", "staticmethod", "classmethod") for d in s.decorator_list
    )


def _shapes(sides: tuple[Side, Side], names: list[str], executing: Executing) -> tuple[dict[str, Any], dict[str, Any]]:
    """What either version answers when it is asked for the shapes of the names."""
    places = [{"path": str(s.text.path.absolute()), "text": s.text.text, "name": ""} for s in sides]
    request = {
        **{
            "work": "dreck.trial.shape:shapes",
            "names": names,
            "open": sorted(executing.opened),
            "cage": executing.cage,
        },
        **{"old": places[0], "new": places[1]},
    }
    known = KnownTrials(executing.cache)
    try:
        found = known.get(request)
        if found is None:
            found = {side: ask_child({**request, "old": request[side]}) for side in ("old", "new")}
            if not any("error" in answer for answer in found.values()):
                known.put(request, found)
        return found["old"], found["new"]
    finally:
        known.close()


def _said(name: str, sides: tuple[Side, Side], answers: tuple[dict[str, Any], dict[str, Any]]) -> str:
    """In what the two differ, in a few words; '' where they do not."""
    old, new = (answer.get("shapes", {}).get(name) for answer in answers)
    if old is None or new is None:
        problem = next((answer["error"] for answer in answers if "error" in answer), "it is gone")
        return f"it is written otherwise, and cannot be looked at: {problem}"
    stated = [_stated(_bindings(side.tree, name)) for side in sides]
    same = frozenset(n for n in stated[0].keys() & stated[1].keys() if stated[0][n] == stated[1][n])
    found = list(differences(old, new, same))
    more = f", and {len(found) - _MOST} more" if len(found) > _MOST else ""
    return "; ".join(found[:_MOST]) + more


def _stated(bindings: list[ast.stmt]) -> dict[str, list[str]]:
    """For each name in the body of a class, how it is bound there; of functions, which have verdicts of their own, by
    what they are decorated with."""
    found: dict[str, list[str]] = {}
    for s in (s for kind in bindings if isinstance(kind, ast.ClassDef) for s in kind.body):
        for name in bound_by(s):
            found.setdefault(name, []).append(_as_bound(s))
    return found


def _as_bound(s: ast.stmt) -> str:
    return f"def {list(map(ast.dump, s.decorator_list))}" if isinstance(s, FunctionNode) else ast.dump(s)
