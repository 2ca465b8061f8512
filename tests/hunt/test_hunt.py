"""The hunt for false proofs: random programs, random rewrites, every `proved` checked by running both.

`DRECK_HUNT` sets how many pairs (default 400); `make corpus` runs a million.
"""

import ast
import os
import random
import sys
import types
import warnings
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any

from dreck.model.names.modules import ModuleNames
from dreck.model.views.steady import steady_in
from dreck.proof.assumptions import DEFAULT_ASSUMPTIONS
from dreck.proof.entry import prove
from dreck.proof.subject import Subject
from dreck.workbench.compare.compare import compare_texts
from dreck.workbench.compare.sides import Text
from dreck.workbench.compare.wanted import Wanted
from tests.hunt import asking, displays, early, itself, lazily, made, shapes, values, walked
from tests.hunt.kinds import difference, pair
from tests.hunt.methods import MethodMaker, methods_rewritten
from tests.hunt.modules import ModuleMaker, module_rewritten
from tests.hunt.programs import Maker, rewritten
from tests.hunt.running import first_difference, modules_differ

PAIRS = int(os.environ.get("DRECK_HUNT", "400"))
SEED = int(os.environ.get("DRECK_HUNT_SEED", "7"))


_KINDS = 5
"""So many different steps have to be taken for the test to mean something."""


def subject(code: str) -> Subject:
    tree = ast.parse(code)
    return Subject(tree.body[0], ModuleNames(tree))


def compiled(code: str) -> object:
    space: dict[str, object] = {}
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        exec(code, space)
    return space["f"]


def test_no_false_proof():
    """Half of the pairs on each core."""
    tasks = [(PAIRS // 2, SEED), (PAIRS - PAIRS // 2, SEED + 1_000_003)]
    with ProcessPoolExecutor(2) as pool:
        told = list(pool.map(hunted, tasks))
    tried, proved = (sum(numbers) for numbers in zip(*told, strict=True))
    print(f"{tried} pairs, {proved} proved, none of them false")
    assert proved > PAIRS / 25, "so few proofs that the hunt means nothing"


def hunted(task: tuple[int, int]) -> tuple[int, int]:
    """How many pairs were tried and how many proved; fails at the first false proof."""
    pairs, seed = task
    pick = random.Random(seed)
    proved = tried = 0
    while tried < pairs:
        old = ast.unparse(ast.parse(Maker(pick).function())) + "\n"
        try:
            before, mine = subject(old), compiled(old)
        except SyntaxError:
            continue
        for _ in range(8):
            try:
                new = rewritten(old, pick)
                functions = mine, compiled(new)
            except SyntaxError:
                continue
            if new == old:
                continue
            tried += 1
            quiet = tried % 5 in (1, 2)
            assume = (DEFAULT_ASSUMPTIONS if tried % 5 else frozenset()) | ({"quiet-tests"} if quiet else set())
            trees = ast.parse(old), ast.parse(new)
            steady = steady_in([t.body[0] for t in trees], trees) if tried % 5 in (2, 3) else frozenset()  # type: ignore[misc]
            assume |= {"steady-kind"} if steady else set()
            flags = tried % 7 == 3
            assume |= {"true-or-false"} if flags else set()
            sides = [subject(_with_a_flag(text)) for text in (old, new)] if flags else [before, subject(new)]
            if prove(*sides, assume, budget=8_000).holds:
                proved += 1
                texts = (old, new) if quiet else None
                found = first_difference(*functions, pick, quiet=texts, steady=steady, flags=flags)
                assert found is None, f"{old}\n{new}\n{found}"
    return tried, proved


def _with_a_flag(code: str) -> str:
    """The same with a third parameter that is False by default, and others that are not."""
    return code.replace("c, o, ev, xs)", "c=False, o=None, ev=None, xs=None)", 1)


def test_what_a_proof_assumes_is_named():
    """What is proved is proved once more with no other assumption allowed than those that were named."""
    pick = random.Random(SEED + 9)
    again = 0
    while again < max(40, PAIRS // 40):
        try:
            old = ast.unparse(ast.parse(Maker(pick).function())) + "\n"
            before = subject(old)
            new = rewritten(old, pick)
            after = subject(new)
        except SyntaxError:
            continue
        assume = DEFAULT_ASSUMPTIONS | ({"total-order"} if again % 2 else set())
        found = prove(before, after, assume, budget=8_000)
        if found.holds and new != old:
            again += 1
            assert prove(before, after, found.assumptions, budget=30_000).holds, (
                f"{sorted(found.assumptions)}\n{old}\n{new}"
            )


def test_no_false_proof_of_a_module():
    """The same with whole modules: classes, tables, helpers, closures, patterns, exceptions with their chain."""
    tasks = [(PAIRS // 16, SEED + 5, False), (PAIRS // 16, SEED + 1_000_005, False), (PAIRS // 16, SEED + 9, True)]
    with ProcessPoolExecutor(2) as pool:
        told = list(pool.map(modules_hunted, tasks))
    print(f"{told} pairs of modules tried and proved, none of them false")
    assert sum(proved for _, proved in told) > PAIRS / 60, "so few proofs that the hunt means nothing"


def modules_hunted(task: tuple[int, int, bool]) -> tuple[int, int]:
    """How many pairs, of methods or not, were tried and how many came out proved; fails at the first false one."""
    pairs, seed, methods = task
    pick = random.Random(seed)
    proved = tried = 0
    while tried < pairs:
        try:
            old = ast.unparse(ast.parse((MethodMaker if methods else ModuleMaker)(pick).module())) + "\n"
            mine = executed(old)
        except (SyntaxError, TypeError, NameError, AttributeError, ValueError):
            continue
        for _ in range(6):
            new = (methods_rewritten if methods else module_rewritten)(old, pick)
            if new == old:
                continue
            try:
                theirs = executed(new)
            except (SyntaxError, TypeError, NameError, AttributeError, ValueError):
                continue
            tried += 1
            assume = () if tried % 3 else ("total-order", "hashable-key", "steady-constants")
            found = compare_texts(Text(Path("y.py"), old), Text(Path("y.py"), new), Wanted(assume=assume, trial=False))
            if found.verdict.status == "proved" and found.same:
                proved += 1
                quiet = _without_what_is_assumed(assume)
                difference = modules_differ(mine, theirs, pick, 60)
                assert difference is None or quiet(difference), f"{old}\n=====\n{new}\n{difference}\n{found.verdict}"
    return tried, proved


def test_no_false_proof_of_a_ladder_that_asks_for_classes():
    pick = random.Random(SEED + 21)
    proved = tried = 0
    while tried < PAIRS // 4:
        old, new = pair(pick)
        try:
            mine, theirs = executed(old), executed(new)
        except (TypeError, NameError, AttributeError):
            continue
        tried += 1
        found = compare_texts(Text(Path("y.py"), old), Text(Path("y.py"), new), Wanted(trial=False))
        if found.verdict.status == "proved" and found.same:
            proved += 1
            assert difference(mine, theirs) is None, f"{old}\n=====\n{new}\n{difference(mine, theirs)}"
    assert proved > tried / 12, "so few proofs that the hunt means nothing"


def test_no_false_proof_of_rows_that_are_worked_out_later():
    assert _proved_of(lazily, SEED + 22, PAIRS // 3, "f") > PAIRS / 60, "so few proofs that the hunt means nothing"


def test_no_false_proof_of_what_is_asked_more_often():
    assert _proved_of(asking, SEED + 24, PAIRS // 3) > PAIRS / 16, "so few proofs that the hunt means nothing"


def test_no_false_proof_of_a_name_that_may_mean_anything():
    assert _proved_of(made, SEED + 25, PAIRS * 4 // 5) > PAIRS / 16, "so few proofs that the hunt means nothing"


def test_no_false_proof_of_small_values():
    assert _proved_of(values, SEED + 26, PAIRS * 2 // 5, "f") > PAIRS / 32, "so few proofs that the hunt means nothing"


def test_no_false_proof_of_what_stands_there():
    assert _proved_of(displays, SEED + 27, PAIRS // 4, "f") > PAIRS / 32, "so few proofs that the hunt means nothing"


def test_no_false_proof_of_what_goes_along_tables():
    assert _proved_of(walked, SEED + 31, PAIRS // 4, "f") > PAIRS / 60, "so few proofs that the hunt means nothing"


def test_no_false_proof_of_what_calls_itself():
    assert _proved_of(itself, SEED + 28, PAIRS // 4) > PAIRS / 32, "so few proofs that the hunt means nothing"


def test_no_false_proof_of_classes_that_say_little_of_themselves():
    assert _proved_of(shapes, SEED + 30, PAIRS * 3 // 4, "f") > PAIRS / 10, "so few proofs that the hunt means nothing"


def _proved_of(part: types.ModuleType, seed: int, pairs: int, function: str = "") -> int:
    """How many pairs of a part of the hunt came out proved, or its function did; fails at the first false proof."""
    pick = random.Random(seed)
    proved = 0
    for _ in range(pairs):
        old, new = part.pair(pick)
        mine, theirs = executed(old), executed(new)
        wanted = Wanted(trial=False, assume=getattr(part, "ASSUMED", ()))
        found = compare_texts(Text(Path("y.py"), old), Text(Path("y.py"), new), wanted)
        verdict = dict(found.functions).get(function) if function else found.verdict
        if verdict is not None and verdict.status == "proved":
            proved += 1
            difference = part.difference(mine, theirs)
            assert difference is None, f"{old}\n=====\n{new}\n{difference}"
    return proved


def test_no_false_proof_of_a_helper_that_is_asked_for_too_early():
    pick = random.Random(SEED + 23)
    proved = 0
    for _ in range(PAIRS // 4):
        old, new = early.pair(pick)
        found = compare_texts(Text(Path("y.py"), old), Text(Path("y.py"), new), Wanted(trial=False))
        if found.verdict.status == "proved":
            proved += 1
            assert early.comes_to(old) == early.comes_to(new), f"{old}\n=====\n{new}"
    assert proved > PAIRS / 16, "so few proofs that the hunt means nothing"


def _without_what_is_assumed(assume: tuple[str, ...]) -> Callable[[Any], bool]:
    """Whether a difference is only for what the assumptions leave out: no number, or a thing that has no hash."""
    return lambda difference: bool(assume) and ("nan" in str(difference[:2]) or "unhashable" in str(difference[3]))


def executed(code: str) -> dict[str, Any]:
    module = sys.modules["hunted"] = types.ModuleType("hunted")
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        exec(code, module.__dict__)
    module.__dict__["itself"] = module
    return module.__dict__


def test_every_step_keeps_what_random_programs_do(tmp_path):
    """The steps on random programs: whatever is taken by proof does the same, and a second run changes nothing."""
    import dreck

    pick = random.Random(SEED + 2)
    file = tmp_path / "random_yard.py"
    taken: dict[str, int] = {}
    tried = 0
    while tried < max(110, PAIRS // 40) or (len(taken) < _KINDS and tried < 600):
        tried += 1
        old = ast.unparse(ast.parse(Maker(pick).function())) + "\n"
        file.write_text(old)
        result = dreck.untangle(file, verdict="proved")
        for step in result.steps:
            taken[step.step] = taken.get(step.step, 0) + 1
        new = result.files[0].new
        if new == old:
            continue
        total = any("total-order" in step.verdict.assumptions for step in result.steps)
        assert first_difference(compiled(old), compiled(new), pick, total=total) is None, f"{old}\n{new}"
        file.write_text(new)
        assert not dreck.untangle(file, verdict="proved").steps, new
    print(taken)
    assert len(taken) >= _KINDS
