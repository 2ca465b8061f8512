"""untangle: the work on files and targets, from reading to saving."""

import re
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from dreck.errors import BadSource, DreckError
from dreck.evidence.judge import ASSUMPTIONS, DEFAULT_ASSUMPTIONS, Judge, bound_names
from dreck.evidence.proof import DEFAULT_BUDGET
from dreck.model.graph import Arena
from dreck.model.scopes import ModuleNames
from dreck.source.files import SourceFile, read, save
from dreck.source.functions import Function, functions_in, parse, splice
from dreck.source.lines import split_lines
from dreck.source.targets import Target, resolve
from dreck.steps.catalogue import Options, Step, all_steps, step_named
from dreck.workbench.config import Config, config_for
from dreck.workbench.results import FileResult, FunctionResult, Result
from dreck.workbench.straighten import Bench, node_of, straighten

_LEAVE = re.compile(r"#\s*dreck:\s*leave\b")


@dataclass(frozen=True, slots=True)
class Request:
    """How to untangle: which steps, what may be assumed, the least evidence, whether to save."""

    steps: tuple[str, ...] = ()
    leave: tuple[str, ...] = ()
    assume: tuple[str, ...] = ()
    verdict: str = "tested"
    write: bool = False


def untangle(
    targets: Iterable[str | Path | Target],
    request: Request | None = None,
    progress: Callable[[Path], None] = lambda path: None,
) -> Result:
    """Straightens every function the targets mean. A file that cannot be read or parsed is skipped and named,
    unless it is the only one asked for: then the error is raised.

    Raises BadTarget or BadSource for a wrong target, DreckError for an unknown step or assumption.
    """
    request = request or Request()
    chosen = _steps(request)
    wanted = [target for spec in targets for target in resolve(spec)]
    files: list[FileResult] = []
    skipped: list[tuple[Path, str]] = []
    for path, names in _by_file(wanted).items():
        progress(path)
        try:
            files.append(_file(path, names, request, chosen))
        except BadSource as error:
            if len(wanted) == 1:
                raise
            skipped.append((path, str(error)))
    return Result(tuple(files), tuple(skipped), request.write and any(f.old != f.new for f in files))


def _steps(request: Request) -> tuple[Step, ...]:
    for name in request.leave:
        step_named(name)
    for name in request.assume:
        if name not in ASSUMPTIONS:
            raise DreckError(f"no assumption '{name}'; there are: {', '.join(ASSUMPTIONS)}")
    if request.steps:
        named = {name: step_named(name) for name in request.steps}
        return tuple(sorted(named.values(), key=lambda step: (step.order, step.name)))
    return tuple(step for step in all_steps() if step.by_default)


def _by_file(targets: Iterable[Target]) -> dict[Path, list[Target]]:
    found: dict[Path, list[Target]] = {}
    for target in targets:
        found.setdefault(target.path, []).append(target)
    return found


def _file(path: Path, targets: list[Target], request: Request, steps: Sequence[Step]) -> FileResult:
    file = read(path)
    tree = parse(file.text, path)
    functions = functions_in(tree, file.text)
    wanted = {f.name for target in targets for f in target.chosen(functions)}
    config = config_for(path)
    left = config.leave | set(request.leave)
    assume = DEFAULT_ASSUMPTIONS | config.assume | set(request.assume)
    bench = Bench(
        path,
        file.text,
        split_lines(file.text),
        ModuleNames(tree),
        _judge(assume, request, config),
        [step for step in steps if step.name not in left],
        Options(assume, config.line_length),
        bool(request.steps),
    )
    text, results = _functions(bench, functions, wanted)
    if text != file.text:
        _check_whole(file, text, functions)
        if request.write:
            save(file, text)
    return FileResult(path, file.text, text, tuple(results))


def _judge(assume: frozenset[str], request: Request, config: Config) -> Judge:
    return Judge(assume, trial=request.verdict != "proved", budget=config.budget or DEFAULT_BUDGET)


def _functions(bench: Bench, functions: list[Function], wanted: set[str]) -> tuple[str, list[FunctionResult]]:
    """Works from the last function to the first, so that the lines of those above stay what they are."""
    text = bench.text
    lines = bench.lines
    grown: list[tuple[Function, int]] = []
    results: list[FunctionResult] = []
    for function in reversed(functions):
        if function.name not in wanted or _is_left(lines, function):
            continue
        inner = [(f, delta) for f, delta in grown if function.start <= f.start and f.end <= function.end]
        present = _moved(function, text, inner) if inner else function
        around = _enclosing(functions, function)
        own = replace(bench, text=text, lines=lines, judge=replace(bench.judge, arena=Arena()))
        result = straighten(own, present, around)
        results.append(result)
        if result.changed:
            text = splice(text, present, result.new)
            lines = split_lines(text)
            grown.append((function, len(split_lines(result.new)) - len(split_lines(result.old))))
    return text, results[::-1]


def _moved(function: Function, text: str, inner: list[tuple[Function, int]]) -> Function:
    """A function whose nested functions have changed: as it stands now."""
    end = function.end + sum(delta for _, delta in inner)
    present = replace(function, end=end)
    lines = split_lines(text)
    return replace(present, node=node_of("".join(lines[function.start - 1 : end]), function.start))


def _enclosing(functions: list[Function], function: Function) -> frozenset[str]:
    if not function.nested:
        return frozenset()
    around = [f for f in functions if f is not function and f.start <= function.start and function.end <= f.end]
    return frozenset().union(*(bound_names(f.node) for f in around)) if around else frozenset()


def _is_left(lines: Sequence[str], function: Function) -> bool:
    first = function.node.lineno - 1
    last = function.node.body[0].lineno - 1
    return any(_LEAVE.search(line) for line in lines[first : max(last, first + 1)])


def _check_whole(file: SourceFile, text: str, functions: list[Function]) -> None:
    """The new file is Python, holds the same functions, and fits its encoding."""
    file.encoded(text)
    names = [f.name for f in functions_in(parse(text, file.path), text)]
    if names != [f.name for f in functions]:
        raise DreckError(f"{file.path}: the rewritten file would not hold the same functions; nothing written")
