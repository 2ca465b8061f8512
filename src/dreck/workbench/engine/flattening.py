"""Flattening the functions of one text, one after the other: what stands within a function, by proof or trial."""

import ast
import itertools
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from dreck.model.ir.graph import Arena
from dreck.model.names.modules import ModuleNames
from dreck.model.names.scopes import bound_names
from dreck.proof.entry import DEFAULT_BUDGET
from dreck.source.functions import Function, functions_in, parse, splice
from dreck.source.leave import is_left
from dreck.source.lines import split_lines, width_of
from dreck.steps.catalogue import Options, Step, all_steps, default_steps, step_named
from dreck.workbench.engine.doubts import ordered
from dreck.workbench.engine.renaming import naming_steps
from dreck.workbench.engine.request import Request
from dreck.workbench.engine.straighten import Bench, Proposal, node_of, straighten
from dreck.workbench.judging.judge import DEFAULT_ASSUMPTIONS, Judge
from dreck.workbench.results import FunctionResult
from dreck.workbench.store.config import Config, config_for


def flattened(path: Path, text: str, wanted: set[str]) -> tuple[str, list[FunctionResult]]:
    """What flattening makes of the `wanted` functions of a text that would stand at `path`, by proof alone."""
    tree = parse(text, path)
    bench = bench_for(path, text, tree, Request(verdict="proved"), config_for(path), None)
    return flatten(bench, tree, functions_in(tree, text), wanted)


def bench_for(
    path: Path,
    text: str,
    tree: ast.Module,
    request: Request,
    config: Config,
    consult: Callable[[Proposal], str] | None,
) -> Bench:
    """What is the same for all functions of a file."""
    assume = (DEFAULT_ASSUMPTIONS | config.assume | set(request.assume)) - config.doubt
    return Bench(
        path,
        text,
        split_lines(text),
        ModuleNames(tree),
        Judge(assume, trial=request.verdict != "proved", budget=config.budget or DEFAULT_BUDGET),
        [step for step in chosen_steps(request, config) if step.plans is None],
        Options(assume, config.line_length or width_of(text), request.wishes.settings),
        bool(request.steps or config.steps),
        config.doubt,
        config.seconds,
        consult,
    )


def chosen_steps(request: Request, config: Config) -> list[Step]:
    """The steps that a run takes, by what was asked for and what the project says."""
    left = config.leave | set(request.leave)
    if not request.steps and request.wishes.names:
        return [step_named(name) for name in naming_steps(request.wishes.names) if name not in left]
    if request.far:
        return [step for step in all_steps() if step.name not in left and (step.by_default or step.plans is not None)]
    if request.steps or config.steps:
        chosen = {name: step_named(name) for name in request.steps or config.steps}.values()
        return sorted((s for s in chosen if s.name not in left), key=lambda step: (step.order, step.name))
    return [step for step in default_steps() if step.name not in left]


def flatten(
    bench: Bench, tree: ast.Module, functions: list[Function], wanted: set[str]
) -> tuple[str, list[FunctionResult]]:
    """The new text, and what was done to each: from the last function to the first, so that lines above stay."""
    text, lines = bench.text, bench.lines
    grown: list[tuple[Function, int]] = []
    results: list[FunctionResult] = []
    may_be_left = "dreck:" in text
    for function in reversed(functions):
        if function.name not in wanted or (may_be_left and is_left(bench.lines, function, tree)):
            continue
        inner = _within(function, grown)
        present = _moved(function, text, inner) if inner else function
        assume = bench.options.assume | ordered(function.node, tree, bench.doubt)
        own = replace(
            bench,
            text=text,
            lines=lines,
            judge=replace(bench.judge, arena=Arena(), assume=assume),
            options=replace(bench.options, assume=assume),
        )
        result = straighten(own, present, _enclosing(functions, function))
        results.append(result)
        if result.changed:
            text = splice(text, present, result.new)
            lines = split_lines(text)
            grown.append((function, len(split_lines(result.new)) - len(split_lines(result.old))))
        if result.stopped:
            break
    return text, results[::-1]


def _within(function: Function, grown: list[tuple[Function, int]]) -> list[tuple[Function, int]]:
    """Of the functions that have changed, last of the file first, those inside this one."""
    near = itertools.takewhile(lambda one: one[0].start <= function.end, reversed(grown))
    return [(f, delta) for f, delta in near if function.start <= f.start and f.end <= function.end]


def _moved(function: Function, text: str, inner: list[tuple[Function, int]]) -> Function:
    """A function whose nested functions have changed: as it stands now."""
    end = function.end + sum(delta for _, delta in inner)
    lines = split_lines(text)
    return replace(function, end=end, node=node_of("".join(lines[function.start - 1 : end]), function.start))


def _enclosing(functions: list[Function], function: Function) -> frozenset[str]:
    if not function.nested:
        return frozenset()
    around = [f for f in functions if f is not function and f.start <= function.start and function.end <= f.end]
    return frozenset[str]().union(*(bound_names(f.node) for f in around))
