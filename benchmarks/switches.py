"""Switches of real code, converted in a copy, and the code's own tests before and after.

    python -m benchmarks.switches [python] [packages]

Every switch of the standard library, click and Pygments that becomes a table, methods, or a generic function
by a step that holds; the refused ones by reason.
"""

import os
import sys
import time
from collections import Counter
from pathlib import Path

from benchmarks.corpus import (
    PACKAGES,
    PLACE,
    copy_interpreter,
    counts,
    fetched,
    library_in,
    own_tests,
    regression_tests,
)
from dreck.source.files import read, save_bytes
from dreck.workbench.engine.request import Request
from dreck.workbench.engine.untangle import untangle
from dreck.workbench.results import Result

STEPS = ("lookup-table", "member-data", "call-table", "band-table", "polymorphic-methods", "type-registry")


def main() -> None:
    asked = sys.argv[1:] or ["python", "packages"]
    PLACE.mkdir(exist_ok=True)
    results = [{"python": python, "packages": packages}[name]() for name in asked]
    sys.exit(0 if all(results) else 1)


def python() -> bool:
    """The standard library in a copy of the interpreter."""
    copy_interpreter(PLACE / "switches")
    copy_interpreter(PLACE / "before")
    _converted(sorted(library_in(PLACE / "switches")), "standard library")
    failures = {name: regression_tests(name) for name in ("before", "switches")}
    new = failures["switches"] - failures["before"]
    print(f"new failures: {sorted(new) or 'none'}", flush=True)
    return not new


def packages() -> bool:
    """Two code bases from the package index."""
    fine = True
    for name in PACKAGES:
        root = fetched(name)
        before = own_tests(root)
        _converted([root / PACKAGES[name]], name)
        after = own_tests(root)
        print(f"{name}: its tests before: {before}; after: {after}", flush=True)
        fine = fine and " passed" in before and list(counts(before)) == list(counts(after))
    return fine


def _converted(paths: list[Path], name: str) -> None:
    begun = time.perf_counter()
    result = untangle(paths, Request(steps=STEPS, jobs=os.cpu_count() or 1))
    for file in result.files:
        if file.changed:
            save_bytes(file.path, read(file.path).encoded(file.new))
    _table(name, result, time.perf_counter() - begun)


def _table(name: str, result: Result, seconds: float) -> None:
    print(f"\n{name}: {len(result.files)} files, {len(result.functions)} functions, {seconds:.0f} s")
    print(f"{'step':<20} {'proved':>7} {'tested':>7} {'refused':>8}")
    for step in STEPS:
        statuses = Counter(s.verdict.status for s in result.steps if s.step == step)
        refused = sum(r.step == step for r in result.refused)
        print(f"{step:<20} {statuses['proved']:>7} {statuses['tested']:>7} {refused:>8}")
    for function in result.functions:
        for taken in function.steps:
            print(f"  {taken.verdict.status:<7} {taken.step:<20} {function.path.name}::{function.name}")
    reasons = Counter(f"{r.step}: {_plain(r.reason)}" for r in result.refused)
    for reason, count in reasons.most_common(20):
        print(f"  refused {count:>4}  {reason}", flush=True)


def _plain(reason: str) -> str:
    for words in ("is not a class of this module", "differs for", "not proved", "comment", "nothing for other classes"):
        if words in reason:
            return words
    return reason[:70]


if __name__ == "__main__":
    main()
