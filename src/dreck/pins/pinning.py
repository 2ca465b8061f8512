"""Pinning, in the caged child: inputs that reach every outcome, cases made of them, and how strong these are."""

import ast
import math
import re
import time
import types
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from dreck.model.names.modules import ModuleNames
from dreck.pins.cases import Caser
from dreck.pins.literals import Unwritable
from dreck.proof.assumptions import DEFAULT_ASSUMPTIONS
from dreck.proof.entry import prove
from dreck.proof.subject import Subject
from dreck.trial.alone import search_alone
from dreck.trial.case import Case
from dreck.trial.inputs.examples import examples_of
from dreck.trial.inputs.recipes import Make, played
from dreck.trial.running.instrument import watched
from dreck.trial.running.loading.imports import CannotRun, whole_project
from dreck.trial.running.loading.load import Version
from dreck.trial.running.loading.swap import code_of, swapped
from dreck.trial.running.run import Runner
from dreck.trial.running.ways import way_name
from dreck.trial.search.moves import Tried
from dreck.trial.search.search import Search
from dreck.trial.strength import Change, changes

_INPUTS = 600
_FURTHER_INPUTS = 220
_SECONDS = 25.0
_PER_WAY = 3
_PLAINER_TRIES = 80
_STARTS = 30
_REFUSED_VALUE = re.compile(r"^(something the cage refuses \([^'\"(]*[^'\"( ]) ?['\"].*", re.DOTALL)
_now = time.process_time


@dataclass(slots=True)
class Pinning:
    """All that is needed to make the cases of one function."""

    version: Version
    runner: Runner
    search: Search
    caser: Caser
    tree: ast.Module
    path: str
    until: float
    made: list[tuple[Case, Tried]] = field(default_factory=list)
    plainer_tries: int = 0
    starts: dict[tuple[tuple[int, bool], ...], dict[str, Make]] = field(default_factory=dict)
    """One input for each way through, for searches that build on them."""
    dropped: dict[str, int] = field(default_factory=dict)
    ways: dict[str, int] = field(default_factory=dict)

    # --- cases -------------------------------------------------------------------------------------

    def make_cases(self, inputs: list[Tried]) -> list[tuple[Case, Tried]]:
        """Cases for the inputs given, at most a few for each way through, the plainest first."""
        per_way: dict[Any, int] = {}
        found = []
        for tried in sorted(inputs, key=_plainness):
            mark = (tried.trail, repr(tried.old.error)[:60], repr(tried.old.result)[:60])
            if per_way.get(mark, 0) >= _PER_WAY or per_way.get(tried.trail, 0) >= 4 * _PER_WAY:
                continue
            case = self.case(tried)
            if case is None and (plainer := self._plainer(tried)) is not None:
                case, tried = self.case(plainer), plainer
            if case is None:
                continue
            per_way[mark] = per_way.get(mark, 0) + 1
            per_way[tried.trail] = per_way.get(tried.trail, 0) + 1
            found.append((case, tried))
            if len(self.starts) < _STARTS:
                self.starts.setdefault(tried.trail, tried.used)
        return found

    def _plainer(self, tried: Tried) -> Tried | None:
        """The same input with a number for every stand-in of which nothing is asked by name."""
        bare = [p for p, make in tried.used.items() if make.kind == "stand-in" and not _has_parts(p, tried.used)]
        if not bare or self.plainer_tries >= _PLAINER_TRIES:
            return None
        self.plainer_tries += 1
        return self.search.once({**tried.used, **{path: Make("value", 3) for path in bare}})

    def case(self, tried: Tried) -> Case | None:
        try:
            case = self.caser.case(tried, way_name(tried.trail, self.version.watched.tests))
            if not self.caser.holds(case):
                raise Unwritable("a check that does not hold when run again")
        except Unwritable as problem:
            told = _REFUSED_VALUE.sub(r"\1)", str(problem))
            self.dropped[told] = self.dropped.get(told, 0) + 1
            return None
        except Exception as problem:  # whatever a strange object does while it is written
            told = f"a value that cannot be written ({type(problem).__name__})"
            self.dropped[told] = self.dropped.get(told, 0) + 1
            return None
        return case

    # --- strength ----------------------------------------------------------------------------------

    def noticed(self, case: Case, code: types.CodeType) -> bool:
        function = self.version.function
        assert isinstance(function, types.FunctionType)
        with swapped(function, code):
            return not self.caser.holds(case)

    def telling(self, change: Change, code: types.CodeType) -> tuple[Case, Tried] | None:
        """A further case that notices the change, searched for with both in lock-step."""
        version = self._changed_version(change)
        if version is None:
            return None
        search = Search(
            (self.runner, Runner(version, self.runner.cage, self.runner.still)),
            self.search.candidates,
            self.search.usages,
            inputs=_FURTHER_INPUTS,
            seconds=max(0.0, min(3.0, self.until - _now())),
            announce=self.search.announce,
            skipped=self.search.skipped,
            starts=tuple(self.starts.values()),
            overlooks=_same_accident,
        )
        search.run()
        if search.different is None:
            return None
        alone = Search(
            (self.runner,), self.search.candidates, self.search.usages, inputs=2, announce=self.search.announce
        )
        tried = alone.once(search.different.used)
        case = self.case(tried) if tried is not None else None
        if tried is not None and case is not None and self.noticed(case, code):
            return case, tried
        return None

    def _changed_version(self, change: Change) -> Version | None:
        seen = watched(change.copied())
        function = self.version.function
        assert isinstance(function, types.FunctionType)
        try:
            code = code_of(self.tree, self.path, self.caser.node, seen.node)
            other = types.FunctionType(
                code, function.__globals__, function.__name__, function.__defaults__, function.__closure__
            )
        except (SyntaxError, ValueError, StopIteration, TypeError):
            return None
        plain = self._plain(change)
        other.__kwdefaults__ = function.__kwdefaults__
        other.__annotations__ = function.__annotations__
        owner, types_ = self.version.owner, self.version.types
        return Version(
            other, self.version.namespace, change.copied(), seen, self.version.watcher, owner, types_, plain=plain
        )

    def _plain(self, change: Change) -> types.FunctionType | None:
        """The changed function without its watching."""
        before: Any = self.version.plain
        if before is None:
            return None
        code = code_of(self.tree, self.path, self.caser.node, change.copied())
        made = types.FunctionType(code, before.__globals__, before.__name__, before.__defaults__, before.__closure__)
        made.__kwdefaults__ = before.__kwdefaults__
        return made

    def proved_same(self, change: Change) -> bool:
        names = ModuleNames(self.tree)
        return prove(
            Subject(self.caser.node, names), Subject(change.copied(), names), DEFAULT_ASSUMPTIONS, budget=3_000
        ).holds


_DIED = "the process dies of it, so what the cases notice was not tried"


def pin(request: dict[str, Any], announce: Callable[[int], None], skipped: frozenset[int]) -> dict[str, Any]:
    """Answers a request to pin one function: its cases, what they reach, what they notice."""
    work = _prepared(request, announce, skipped)
    if "most" in request:  # what comes after has ended the process
        work.search.inputs, work.until, work.plainer_tries = request["most"], 0.0, _PLAINER_TRIES
    real = [t for call in request.get("calls", ()) if (t := work.search.attempt(played(call))) is not None]
    root = whole_project(Path(request["old"]["path"]))
    examples = examples_of(work.version.node, work.runner.parameters(), root)
    written = [t for choice in examples if (t := work.search.attempt(choice)) is not None]
    work.search.run()
    if work.search.unstable:
        return {"error": "gives another result when asked the same again; there is nothing to pin"}
    work.make_cases(work.search.all_tried)
    work.dropped.clear()
    # Now it is known which arguments are left changed and whether anything is printed.
    recorded = work.make_cases(real)
    known = {id(tried) for tried in (*real, *written)}
    others = [t for t in work.search.all_tried if id(t) not in known and not _is_of_no_order(t, request["old"]["text"])]
    found = recorded + work.make_cases(written) + work.make_cases(others)
    chosen = _reaching(found, {o[1:] for o in work.search.wanted()}, len(recorded))
    compiled = _compiled(work) if "most" not in request else []  # with a condition changed it may die of any input
    survivors, same = _strengthen(work, chosen, found, compiled)
    chosen = _needed(work, chosen, [code for _, code in compiled], {id(tried) for tried in (*real, *written)})
    chosen.sort(key=lambda pair: (_order(pair[1]), pair[0].way, repr(pair[0].arguments)))
    reached = {outcome for _, tried in chosen for outcome in tried.trail}
    wanted = {o[1:] for o in work.search.wanted()}
    if all(_plainness(tried)[0] for _, tried in chosen):
        chosen = []
    return {
        "cases": [case.as_json() for case in _named_apart([case for case, _ in chosen])],
        "outcomes": [len(wanted & reached), len(wanted)],
        "missing": [_missing(work.version, number, outcome) for number, outcome in sorted(wanted - reached)],
        "changes": len(compiled),
        "same": same,
        "survivors": survivors,
        "dropped": work.dropped | ({_DIED: len(skipped)} if "most" in request else {}),
        "inputs": work.search.count,
        "recorded": len(recorded),
    }


def _is_of_no_order(tried: Tried, text: str) -> bool:
    """Whether a number that is none stands in the input of code that never speaks of any: no caller gives it one."""
    if re.search(r"nan\b", text):
        return False
    values = (make.what for make in tried.used.values() if make.kind == "value")
    return any(isinstance(value, float) and math.isnan(value) for value in values)


def _prepared(request: dict[str, Any], announce: Callable[[int], None], skipped: frozenset[int]) -> Pinning:
    runner, search = search_alone(request, announce, skipped, _INPUTS, _SECONDS)
    if not isinstance(runner.version.function, types.FunctionType):
        raise CannotRun("it is no plain function")
    side = request["old"]
    caser = Caser.of(runner, search.candidates, side["path"], side["text"], side["name"])
    return Pinning(runner.version, runner, search, caser, caser.tree, side["path"], _now() + _SECONDS)


def _same_accident(tried: Tried) -> bool:
    """Both die of a type they were never meant for: only Python's words differ, and no pin looks at those."""
    old, new = tried.old.error, tried.new.error
    both = isinstance(old, tuple) and isinstance(new, tuple)
    return both and old[0] == new[0] and old[0] in ("TypeError", "AttributeError")


def _has_parts(path: str, used: dict[str, Make]) -> bool:
    return any(other.startswith((f"{path}.", f"{path}[", f"{path}(")) for other in used)


def _plainness(tried: Tried) -> tuple[bool, int, int]:
    """Calls that die of a type they were never meant for come last."""
    accident = isinstance(tried.old.error, tuple) and tried.old.error[0] in ("TypeError", "AttributeError")
    objects = sum(make.kind not in ("value", "named") for make in tried.used.values())
    return accident, objects, len(tried.choice)


def _order(tried: Tried) -> tuple[tuple[int, bool], ...]:
    return tuple(dict.fromkeys(tried.trail))


def _reaching(
    found: list[tuple[Case, Tried]], wanted: set[tuple[int, bool]], recorded: int
) -> list[tuple[Case, Tried]]:
    """All that were recorded, then each that reaches an outcome, or an exit, none before it does."""
    chosen: list[tuple[Case, Tried]] = []
    reached: set[Any] = set()
    new: set[Any]
    for position, (case, tried) in enumerate(found):
        new = set(tried.trail) & wanted | ({case.raises[0]} if case.raises and not _plainness(tried)[0] else set())
        if position < recorded or new - reached:
            chosen.append((case, tried))
            reached |= new
        if len(chosen) > 150:
            break
    return chosen or [pair for pair in found[:1] if not _plainness(pair[1])[0]]


def _compiled(work: Pinning) -> list[tuple[Change, types.CodeType]]:
    """Every change of a condition, with the code of the function so changed."""
    found = []
    for change in changes(work.caser.node):
        try:
            with change.made() as function:
                found.append((change, code_of(work.tree, work.path, work.caser.node, function)))
        except (SyntaxError, ValueError, StopIteration):
            continue
    return found


def _strengthen(
    work: Pinning,
    chosen: list[tuple[Case, Tried]],
    found: list[tuple[Case, Tried]],
    compiled: list[tuple[Change, types.CodeType]],
) -> tuple[list[str], int]:
    """Adds cases until what can be noticed is noticed. Gives what is not, and how many changes change nothing."""
    survivors: list[str] = []
    same = 0
    for change, code in compiled:
        work.search.announce(work.search.count)
        if any(work.noticed(case, code) for case, _ in chosen):
            continue
        extra = next((pair for pair in found if work.noticed(pair[0], code)), None)
        if extra is None and work.proved_same(change):
            same += 1
            continue
        if extra is None and _now() < work.until:
            extra = work.telling(change, code)
        if extra is None:
            survivors.append(str(change))
        else:
            chosen.append(extra)
    return survivors, same


def _needed(
    work: Pinning, chosen: list[tuple[Case, Tried]], codes: list[types.CodeType], given: set[int]
) -> list[tuple[Case, Tried]]:
    """Those without which something reached or noticed would be lost; calls that were recorded or written stay."""
    tells: list[set[Any]] = []
    for case, tried in chosen:
        work.search.announce(work.search.count)
        noticed = {i for i, code in enumerate(codes) if work.noticed(case, code)}
        tells.append({*noticed, *tried.trail, case.raises and case.raises[0]})
    kept = list(range(len(chosen)))
    for i in reversed([i for i, (_, tried) in enumerate(chosen) if id(tried) not in given]):
        others: set[Any] = set().union(*(tells[k] for k in kept if k != i))
        if tells[i] <= others:
            kept.remove(i)
    return [chosen[i] for i in kept]


def _named_apart(cases: list[Case]) -> list[Case]:
    from dataclasses import replace

    seen: dict[str, int] = {}
    named = []
    for case in cases:
        seen[case.way] = seen.get(case.way, 0) + 1
        named.append(case if seen[case.way] == 1 else replace(case, way=f"{case.way} ({seen[case.way]})"))
    return named


def _missing(version: Version, number: int, outcome: bool) -> str:
    from dreck.trial.running.ways import condition

    test = version.watched.tests[number]
    place = test.pattern if isinstance(test, ast.match_case) else test
    return f"line {getattr(place, 'lineno', 0)}: `{condition(test, outcome)}`"
