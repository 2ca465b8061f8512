"""One version alone: inputs searched for that reach all of it, and what it does on them, a row of its outline each."""

import ast
from collections.abc import Callable
from pathlib import Path
from typing import Any

from dreck.source.functions import functions_in
from dreck.trial.inputs.asked.texts import pieces
from dreck.trial.inputs.asked.usage import Usages
from dreck.trial.inputs.candidates import Candidates
from dreck.trial.inputs.examples import examples_of
from dreck.trial.inputs.setups import find_set_ups
from dreck.trial.running.describe import shown
from dreck.trial.running.heard import HEARING
from dreck.trial.running.loading.imports import CannotRun, project_of, whole_project
from dreck.trial.running.loading.installed import import_installed
from dreck.trial.running.loading.load import load, plausible
from dreck.trial.running.run import Runner
from dreck.trial.sandbox.cage import Cage
from dreck.trial.sandbox.determinism import Still
from dreck.trial.search.search import Search
from dreck.trial.telling import told_input

_INPUTS, _SECONDS = 400, 3.0
_LONG = 200

Announce = Callable[[int], None]


def caged(request: dict[str, Any]) -> tuple[Cage, Still]:
    """The cage closed around this process, so that the one module a request asks about can be executed."""
    cage, still = Cage(frozenset(request["open"])), Still()
    side = request["old"]
    path = Path(side["path"])
    cage.wall([whole_project(path)], request.get("cage", ""))
    import_installed(path, side["text"], project_of(path))
    cage.close()
    still.hold(side["text"])
    return cage, still


def search_alone(
    request: dict[str, Any], announce: Announce, skipped: frozenset[int], inputs: int, seconds: float
) -> tuple[Runner, Search]:
    """Loads the one function a request asks about, in the cage, and prepares the search for inputs to it."""
    import unittest.mock  # noqa: F401 - cannot be imported for the first time in the cage

    cage, still = caged(request)
    side = request["old"]
    HEARING.listen(side["text"])
    function = next(f for f in functions_in(ast.parse(side["text"]), side["text"]) if f.name == side["name"])
    if function.nested:
        raise CannotRun("a function inside another one cannot be called from a test")
    version = load(side["path"], side["text"], side["name"])
    usages = Usages()
    usages.add(function.node, version.methods, version.varying, version.beside)
    candidates = Candidates(usages, version.namespace, dict(version.types), plausible(version))
    find_set_ups(side["text"], (version,), candidates, cage)
    runner = Runner(version, cage, still)
    search = Search((runner,), candidates, usages, inputs, seconds, announce, skipped)
    search.pieces = pieces(usages.constants, version.namespace)
    return runner, search


def rows(request: dict[str, Any], announce: Announce, skipped: frozenset[int]) -> dict[str, Any]:
    """Answers a request for examples: for each input tried, where which test came out how, and what came back.

    The plainest inputs come first.
    """
    runner, search = search_alone(request, announce, skipped, request.get("most", _INPUTS), _SECONDS)
    home = whole_project(Path(request["old"]["path"]))
    search.starts = tuple(examples_of(runner.version.node, runner.parameters(), home))
    search.run()
    written = len(search.starts)
    found: dict[Any, dict[str, Any]] = {}
    tests = runner.version.watched.tests
    order = sorted(enumerate(search.all_tried), key=lambda item: (item[0] >= written, len(told_input(item[1]))))
    for _, tried in order:
        trail = tuple((*_place(tests[number]), outcome) for number, outcome in tried.trail)
        told = {"trail": trail, "input": told_input(tried), "result": _ended(tried.old.result, tried.old.error)}
        found.setdefault((trail, tried.old.error is None), told)
    return {"rows": list(found.values())}


def _place(test: ast.AST) -> tuple[int, int]:
    """Where a test, a handler or the pattern of a case stands."""
    node: Any = test.pattern if isinstance(test, ast.match_case) else test
    return node.lineno, node.col_offset


def _ended(result: Any, error: Any) -> str:
    if error is None:
        told = f"returns {shown(result)}"
    else:
        told = f"raises {shown(error).replace(',)', ')')}" if isinstance(error, tuple) else str(error)
    return told if len(told) <= _LONG else told[: _LONG - 3] + "..."
