"""A difference that a trial has found, as a test case that holds for the old version and fails for the new one."""

from typing import Any

from dreck.pins.cases import Caser
from dreck.pins.literals import Unwritable
from dreck.trial.apart.far import FarRunner
from dreck.trial.case import Case
from dreck.trial.inputs.candidates import Candidates
from dreck.trial.running.run import Runner
from dreck.trial.running.ways import way_name
from dreck.trial.search.search import Search


def as_case(search: Search, before: dict[str, Any], after: dict[str, Any]) -> dict[str, Any]:
    """The difference as a test case that holds for the old version and fails for the new one."""
    assert search.different is not None
    alone = Search((search.runners[0],), search.candidates, search.usages, inputs=2)
    tried = alone.once(search.different.used)
    if tried is None:
        return {"no_case": "the input cannot be run again"}
    tried.used = search.different.used
    caser = Caser.of(search.runners[0], search.candidates, before["path"], before["text"], before["name"])
    try:
        case = caser.case(tried, way_name(tried.trail, search.runners[0].version.watched.tests))
    except Unwritable as problem:
        return {"no_case": f"its input holds {problem}"}
    case = case.called(before["name"], after["name"])
    told = (case.as_json(), after["path"], after["text"], after["name"])
    new = search.runners[1]
    is_seen = not (new.call(_HOLDS, *told) if isinstance(new, FarRunner) else holds(new, search.candidates, *told))
    return {"case": case.as_json()} if is_seen else {"no_case": "what differs is seen by no plain test"}


def holds(runner: Runner, candidates: Candidates, case: dict[str, Any], path: str, text: str, name: str) -> bool:
    """Whether a case holds for the version a runner runs."""
    return Caser.of(runner, candidates, path, text, name).holds(Case.from_json(case))


_HOLDS = "dreck.pins.difference:holds"
