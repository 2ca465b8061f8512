"""Runs of statements, cut out of real functions at random: how many of the new functions are proved to do the same.

    python -m benchmarks.cuts [--each N] [--cuts N] [--seed S] FOLDER...

Of the most tangled functions of each folder every third is taken, N in all, and from each some runs of at least four
lines; a name is made up. A cut does what the lines did, so that every one that is not proved is something the proof
does not reach, or a fault of the step. Prints each with its reason, and the counts.
"""

import argparse
import ast
import random
from collections import Counter
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

from dreck.source.files import read
from dreck.source.functions import FunctionNode, blocks_of, functions_in, parse
from dreck.source.lines import width_of
from dreck.source.targets import resolve
from dreck.steps.catalogue import step_named
from dreck.steps.support.scene import Others, Plan, Scene, Wishes
from dreck.workbench.compare.wanted import Wanted
from dreck.workbench.engine.reshape import Bench, judged
from dreck.workbench.engine.stage import project_files
from dreck.workbench.queries.survey import survey

_NAME = "_lines_of_it"
_FEWEST, _MOST, _LONGEST = 4, 0.6, 8


def tangled(folder: str, each: int) -> list[str]:
    """Every third of the most tangled functions, the two at the top left out: they are like no others."""
    rows = sorted(survey(folder, jobs=1), key=lambda row: -row.tangle)
    return [row.function for row in rows[2 : 2 + 3 * each : 3]]


def scene_of(function: str) -> Scene | None:
    (target,) = resolve(function)
    file = read(target.path)
    tree = parse(file.text, target.path)
    functions = functions_in(tree, file.text)
    own = next(iter(target.chosen(functions)), None)
    others = Others(project_files(target.path))
    return own and Scene(target.path, file.text, tree, functions, own, Wishes(), width_of(file.text), others)


def runs_of(function: FunctionNode) -> Iterator[list[ast.stmt]]:
    """Every run of statements that stand side by side, those of nested functions and classes left out."""
    pending = [function.body]
    while pending:
        body = pending.pop()
        pending += [b for s in body if not isinstance(s, FunctionNode | ast.ClassDef) for b in blocks_of(s)]
        for start in range(len(body)):
            yield from (body[start:end] for end in range(start + 1, min(len(body), start + _LONGEST) + 1))


def cut(scene: Scene, most: int, pick: random.Random) -> Iterator[tuple[int, int, str, str]]:
    """For some runs of statements their lines, what the verdict is, and why."""
    whole = (scene.node.end_lineno or 0) - scene.node.body[0].lineno + 1
    runs = {(body[0].lineno, body[-1].end_lineno or 0) for body in runs_of(scene.node)}
    drawn = sorted(r for r in runs if _FEWEST <= r[1] - r[0] + 1 <= _MOST * whole)
    pick.shuffle(drawn)
    step, found = step_named("named-block"), 0
    bench = Bench(read(scene.path), (), Wishes(), Wanted(trial=False), scene.line_length, "proved")
    for first, last in drawn:
        assert step.plans is not None
        wishes = Wishes(alone=_NAME, lines=(first, last))
        for plan in step.plans(replace(scene, wishes=wishes)):
            if not isinstance(plan, Plan):
                yield first, last, "not cut", plan.reason
                continue
            verdict = judged(bench, scene, step, plan)
            yield first, last, verdict.status, verdict.reason
            found += 1
        if found >= most:
            return


def main() -> None:
    options = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    options.add_argument("folders", nargs="+", metavar="FOLDER")
    options.add_argument("--each", type=int, default=10, help="functions of each folder")
    options.add_argument("--cuts", type=int, default=1, help="cuts of each function that can be made")
    options.add_argument("--seed", type=int, default=1)
    given = options.parse_args()
    pick = random.Random(given.seed)
    counts = Counter[str]()
    for folder in given.folders:
        for function in tangled(folder, given.each):
            scene = scene_of(function)
            for first, last, status, reason in cut(scene, given.cuts, pick) if scene is not None else ():
                counts[status] += 1
                if status != "proved":
                    print(f"{Path(function).name}:{first}-{last}  {status}  {reason[:200]}")
    print(", ".join(f"{status} {count}" for status, count in counts.most_common()))


if __name__ == "__main__":
    main()
