"""A difference that a trial has found, as a test case that holds for the old version and fails for the new one."""

from typing import Any

from dreck.pins.cases import Caser
from dreck.pins.literals import Unwritable
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
    casers = [
        Caser.of(runner, search.candidates, side["path"], side["text"], side["name"])
        for runner, side in zip(search.runners, (before, after), strict=True)
    ]
    try:
        case = casers[0].case(tried, way_name(tried.trail, search.runners[0].version.watched.tests))
    except Unwritable as problem:
        return {"no_case": f"its input holds {problem}"}
    case = case.called(before["name"], after["name"])
    if casers[1].holds(case):
        return {"no_case": "what differs is seen by no plain test"}
    return {"case": case.as_json()}
