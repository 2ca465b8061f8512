"""What a finished search comes to, as it is told to whoever asked for the trial."""

import ast
from collections.abc import Callable
from pathlib import Path
from typing import Any

from dreck.trial.beyond import beyond_in_both, beyond_members
from dreck.trial.inputs.recipes import A_CALL
from dreck.trial.running.describe import shown, shown_whole
from dreck.trial.running.loading.load import Version
from dreck.trial.running.outcome import WAITS
from dreck.trial.running.region import changed_lines
from dreck.trial.sandbox.files import THERE
from dreck.trial.search.moves import Tried
from dreck.trial.search.search import Search


def result(search: Search, old: Version, new: Version) -> dict[str, Any]:
    region = changed_lines(old.node, new.node)
    wanted = {o for o in search.wanted() if _line((old, new)[o[0]].watched.tests[o[1]]) in region[o[0]]}
    if not wanted:
        wanted = search.wanted()
    beyond = beyond_members(search, old, new)
    wanted -= _never_to_come(old, new) | beyond
    missing = sorted(wanted - search.reached)
    ends = [] if missing else _never_passed(search, region)
    unasked = beyond_in_both(beyond, old, new)
    ends = [(side, statement) for side, statement in ends if statement.lineno not in unasked[side]]
    there = [tried for tried in search.all_tried if tried.reached & wanted]
    refused = there[0].old.refused[:1] if there and all(map(_ends_refused, there)) else ()
    return {
        "inputs": search.count + search.in_bulk,
        "outcomes": [len(wanted & search.reached), len(wanted)],
        "old": [len([o for o in wanted & search.reached if o[0] == 0]), len([o for o in wanted if o[0] == 0])],
        "new": [len([o for o in wanted & search.reached if o[0] == 1]), len([o for o in wanted if o[0] == 1])],
        "missing": [_missing(old if side == 0 else new, side, number, outcome) for side, number, outcome in missing]
        + [{"side": side, "test": ast.unparse(s), "outcome": None, "line": s.lineno} for side, s in ends[:_MOST_ENDS]],
        "deaths": sorted(search.deaths),
        "finished": search.finished,
        "free": sorted({*old.free, *new.free}),
        "refused": refused[0] if refused else "",
        "unstable": search.unstable,
        "difference": _difference(search.different) if search.different else None,
        "expected": _difference(search.expected) if search.expected else None,
        "held": search.held,
        "hidden": sorted({name for tried in search.all_tried for name in (*tried.old.hidden, *tried.new.hidden)}),
    }


def _never_passed(search: Search, region: tuple[frozenset[int], frozenset[int]]) -> list[tuple[int, ast.stmt]]:
    """Statements of the changed region that no input has brought to their end: what follows has not been seen."""
    return [
        (side, statement)
        for side, runner in enumerate(search.runners)
        for number, statement in runner.version.watched.ends.items()
        if statement.lineno in region[side] and (side, number, True) not in search.reached
    ]


_MOST_ENDS = 3


def _never_to_come(*versions: Version) -> set[tuple[int, int, bool]]:
    """Asserts of the project's own tests that fail: they hold as long as the code does what it should."""
    return {
        (side, number, False)
        for side, version in enumerate(versions)
        if version.node.name.startswith("test_") and Path(version.path).name.startswith("test_")
        if not version.node.args.args
        for number in version.watched.asserted
    }


def _ends_refused(tried: Tried) -> bool:
    return bool(tried.old.refused) and "refused: " in repr(tried.old.error)


def _missing(version: Version, side: int, number: int, outcome: bool) -> dict[str, Any]:
    test = version.watched.tests[number]
    try:
        code = ast.unparse(test).splitlines()[0]
    except Exception:
        code = type(test).__name__
    return {"side": side, "test": code, "outcome": outcome, "line": _line(test)}


def _line(test: Any) -> int:
    return int(getattr(test, "lineno", 0) or getattr(getattr(test, "pattern", None), "lineno", 0))


def _difference(tried: Tried) -> dict[str, Any]:
    told = {"input": told_input(tried)}
    for name, mine, other in (("old", tried.old, tried.new), ("new", tried.new, tried.old)):
        own, theirs = mine.parts(), other.parts()
        differing = {part: value for part, value in own.items() if value != theirs[part]}
        if {"result", "exception"} <= differing.keys():
            # What returns raises nothing, and what raises returns nothing: one of them says it.
            del differing["exception" if differing["exception"] is None else "result"]
        if len(differing) > 1:
            differing.pop("order of what is done", None)  # goes without saying
        parts = [f"{part}: {_cut(*_both_told(part, value, theirs[part]))}" for part, value in differing.items()]
        told[name] = "; ".join(parts) or "the same"
    return told


def _both_told(part: str, mine: Any, theirs: Any) -> tuple[str, str]:
    """Either side as people read it; with the modules of names where these alone are other."""
    told = _part(part, mine), _part(part, theirs)
    return told if told[0] != told[1] else (_part(part, mine, shown_whole), _part(part, theirs, shown_whole))


def _part(part: str, value: Any, told: Callable[[Any], str] = shown) -> str:
    match part:
        case "calls":
            return ", ".join(_call(*entry) for entry in value) or "none"
        case "exception" if value is None:
            return "none"
        case "order of what is done":
            return ", ".join(f"{name} (after {taken})" if taken else name for name, taken in value) or "none"
        case "files":
            return ", ".join(f"{name} holds {text!r}" for name, text in value) or "as they were"
        case "refused" | "module globals":
            return str(value) if value else "none"
        case _:
            return told(value) if isinstance(value, tuple) else repr(value)


def _cut(text: str, other: str) -> str:
    """A long text cut to what lies around the place where the other one parts from it."""
    if len(text) < _LONG:
        return text
    at = next((i for i, (mine, theirs) in enumerate(zip(text, other, strict=False)) if mine != theirs), len(other))
    start = max(0, min(at - _LONG // 3, len(text) - _LONG))
    end = start + _LONG - 6
    return f"{'...' if start else ''}{text[start:end]}{'...' if end < len(text) else ''}"


_LONG = 400


def _call(what: str, path: str, *values: Any) -> str:
    if what != "call":
        return " ".join([what, path, *map(shown, values)])
    args, kwargs = values
    given = [shown(a) for a in args[1]] + [f"{k[1]}={shown(v)}" for k, v in kwargs[1]]
    return f"{path}({', '.join(given)})"


_AS_EVER = frozenset({A_CALL, WAITS})
"""Questions whose answer goes without saying when it is that nothing happens."""


def told_input(tried: Tried) -> str:
    """The values decided on, shortest path first; a stand-in of which nothing else is told stands for itself."""
    used = sorted(tried.used.items())
    used = [(path, make) for path, make in used if path not in _AS_EVER or make.what != "nothing"]
    told = [f"{path} = {make!r}" for path, make in used if make.kind != "stand-in"]
    bare = [
        f"{path} = any object"
        for path, make in used
        if make.kind == "stand-in"
        and path.isidentifier()
        and not any(p != path and _speaks_of(p, path) for p, _ in used)
    ]
    named = {repr(make) if type(make.what) is int else str(make.what) for _, make in used if make.kind == "value"}
    files = [f"the file {name} holds {text!r}" for name, text in THERE.items() if name in named]
    return ", ".join(told + bare + files) or "any call"


def _speaks_of(path: str, name: str) -> bool:
    return path.startswith((f"{name}.", f"{name}[", f"{name}(")) or name in path.split()
