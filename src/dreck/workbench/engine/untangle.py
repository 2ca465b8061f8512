"""untangle: the work on files and targets, from reading to saving."""

import ast
from collections.abc import Callable, Iterable, Iterator
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from dreck.errors import BadSource, DreckError
from dreck.model.views.measures import Tangle, measure
from dreck.source.files import SourceFile, read
from dreck.source.functions import Function, functions_in, parse, segment
from dreck.source.guest import no_warnings
from dreck.source.leave import is_left
from dreck.source.lines import width_of
from dreck.source.targets import Target, resolve
from dreck.steps.support.scene import Others, Scene, Wishes
from dreck.trial.server import look_anew
from dreck.workbench import workers
from dreck.workbench.compare.wanted import Wanted
from dreck.workbench.engine.collector import calm
from dreck.workbench.engine.consulting import consultant
from dreck.workbench.engine.flattening import bench_for, chosen_steps, flatten
from dreck.workbench.engine.formatting import FormatterFailed, formatted
from dreck.workbench.engine.quiet import QuietFiles
from dreck.workbench.engine.renaming import renamed_where_made
from dreck.workbench.engine.request import Asking, Request, green_before, validate
from dreck.workbench.engine.reshape import Bench as Reshaping
from dreck.workbench.engine.reshape import Change, Reshaped, reshape
from dreck.workbench.engine.saving import save_all
from dreck.workbench.engine.stage import project_files
from dreck.workbench.engine.straighten import Bench, Proposal
from dreck.workbench.judging.verdict import Verdict
from dreck.workbench.queries.gains import best_without_a_person
from dreck.workbench.queries.nearness import what_is_near
from dreck.workbench.results import FileResult, FunctionResult, Result, Taken
from dreck.workbench.store.config import Config, config_for
from dreck.workbench.store.journal import Journal
from dreck.workbench.store.place import interrupted_roots

if TYPE_CHECKING:
    from concurrent.futures import Executor

_ENOUGH_FOR_TWO = 8


def untangle(
    targets: Iterable[str | Path | Target],
    request: Request | None = None,
    progress: Callable[[int, int, Path], None] = lambda done, total, path: None,
    ask: Callable[[Proposal], str] | None = None,
    ask_name: Callable[[str, str], str] | None = None,
    executor: "Executor | None" = None,
) -> Result:
    """Straightens every function the targets mean. A file that cannot be read or parsed is skipped and named,
    unless it is the only one asked for: then the error is raised.

    `ask` is given each step that holds before it is taken, and answers '' or why not; `ask_name` a function and a
    piece of code in it that has no name yet, and answers the name or ''. With an `executor` its workers, who have to
    see the files, go through them; saving stays here. Raises BadTarget or BadSource for a wrong target, DreckError
    for an unknown step or assumption, or a check that is red before any step.
    """
    request = request or Request()
    validate(request)
    wanted = [target for spec in targets for target in resolve(spec)]
    grouped = _by_file(wanted)
    request = _within_lines(request, wanted)
    if request.write:
        for root in interrupted_roots(grouped):
            Journal(root).recover()
    if request.write and not request.check and grouped and request.verdict != "proved":
        request = replace(request, check=config_for(next(iter(grouped))).check)
    if request.check:
        green_before(request)
    progress(0, len(grouped), next(iter(grouped), Path()))
    files: list[FileResult] = []
    skipped: list[tuple[Path, str]] = []
    asking = Asking(ask, ask_name)
    for done, (path, result, problem) in enumerate(_worked(grouped, request, asking, executor), 1):
        progress(done, len(grouped), path)
        if problem is not None:
            if len(grouped) == 1:
                raise problem
            skipped.append((path, str(problem)))
        if result is not None:
            files.append(result)
            if any(f.stopped for f in result.functions):
                break
    whole = Result(tuple(files), tuple(skipped), request.write and any(f.changed for f in files))
    if request.wishes.names and files and not whole.steps and not whole.refused:
        code, name = next(iter(request.wishes.names.items()))
        raise DreckError(f"--name '{code}={name}': {what_is_near(code, name, wanted)}")
    return whole


def _within_lines(request: Request, wanted: list[Target]) -> Request:
    """A target with lines: they are cut out, when nobody says what else is to be done with them."""
    lines = {target.lines for target in wanted if target.lines is not None}
    if not lines:
        return request
    if len(wanted) > 1:
        raise DreckError("lines can be named of one function only; name one target")
    steps = request.steps or ("named-block",)
    return replace(request, steps=steps, wishes=replace(request.wishes, lines=lines.pop()))


def _by_file(targets: Iterable[Target]) -> dict[Path, list[Target]]:
    found: dict[Path, list[Target]] = {}
    for target in targets:
        found.setdefault(target.path, []).append(target)
    return found


_Worked = tuple[Path, FileResult | None, BadSource | None]


def _worked(
    grouped: dict[Path, list[Target]], request: Request, asking: Asking, executor: "Executor | None"
) -> Iterator[_Worked]:
    """Each file's result. Saving and the journal stay in this process, also when the work is spread."""
    quiet = QuietFiles.of(request, asking)
    known = {path: found for path, targets in grouped.items() if (found := quiet.get(path, targets)) is not None}
    left = {path: targets for path, targets in grouped.items() if path not in known}
    try:
        worked = _one_by_one(left, request, asking, executor)
        for path, targets in grouped.items():
            result = (path, known[path], None) if path in known else next(worked)
            quiet.put(targets, result[1])
            yield result
    finally:
        quiet.close()


def _one_by_one(
    grouped: dict[Path, list[Target]], request: Request, asking: Asking, executor: "Executor | None"
) -> Iterator[_Worked]:
    step_by_step = bool(asking.step or request.check)
    work = partial(_file, request=request, asking=asking)
    if step_by_step or (executor is None and (request.jobs < 2 or len(grouped) < _ENOUGH_FOR_TWO)):
        yield from (_saved(worked, request, step_by_step) for worked in map(work, grouped.items()))
        return
    if executor is not None:
        yield from (_saved(worked, request, False) for worked in executor.map(work, list(grouped.items())))
        return
    with workers.pool(request.jobs) as pool:
        for worked in pool.map(work, grouped.items(), chunksize=2):
            yield _saved(worked, request, False)


def _saved(worked: _Worked, request: Request, step_by_step: bool) -> _Worked:
    path, result, problem = worked
    if result is None or not request.write or step_by_step or not result.changed:
        return worked
    try:
        save_all(path, result)
    except BadSource as error:
        return path, None, error
    return path, result, problem


# --- one file ------------------------------------------------------------------------------------------


def _file(item: tuple[Path, list[Target]], request: Request, asking: Asking) -> _Worked:
    path, targets = item
    try:
        with calm():
            return path, _straightened(path, targets, request, asking), None
    except BadSource as error:
        return path, None, error
    except RecursionError:
        return path, None, BadSource(f"{path}: is nested too deeply to be worked on")


def _straightened(path: Path, targets: list[Target], request: Request, asking: Asking) -> FileResult:
    look_anew()
    file = read(path)
    tree = parse(file.text, path)
    functions = functions_in(tree, file.text)
    wanted = {f.name for target in targets for f in target.chosen(functions)}
    config = config_for(path)
    bench = bench_for(path, file.text, tree, request, config, consultant(file, request, asking))
    text, results = flatten(bench, tree, functions, wanted)
    if text != file.text:
        _check_whole(file, text, functions)
    done = _reshaped(file, text, [f.name for f in functions if f.name in wanted], request, config, bench, asking)
    left = [f for f in functions if f.name in wanted and is_left(bench.lines, f, tree)] if request.steps else []
    notes = tuple(f"{path}::{f.name}: left alone: # dreck: leave" for f in left)
    notes += _formatted(file, done, config.format if request.verdict != "proved" and bench.consult is None else "")
    others = _others_changed(done.changes)
    functions_told = tuple(_told_together(results, done, path))
    whole = any(target.name is None for target in targets)
    return FileResult(path, file.text, done.text, functions_told, tuple(done.changes), others, notes, whole)


def _formatted(file: SourceFile, done: Reshaped, command: str) -> tuple[str, ...]:
    """Lets the project's formatter lay out what has changed; gives why it was not used."""
    if not command or done.text == file.text:
        return ()
    try:
        text = formatted(done.text, command)
        file.encoded(text)
    except (FormatterFailed, BadSource) as error:
        return (f"{file.path}: {error}; left as it was before formatting",)
    if text != done.text:
        taken = Taken("format", 1, "laid out by the project's formatter: the same tree", Verdict("proved"))
        done.changes.append(Change("", taken, done.text, text))
        done.text = text
    return ()


def _reshaped(
    file: SourceFile, text: str, names: list[str], request: Request, config: Config, bench: Bench, asking: Asking
) -> Reshaped:
    """The steps that reach beyond one function, and the new names wished for."""
    steps = [step for step in chosen_steps(request, config) if step.plans is not None]
    named = dict(config.names) | dict(request.wishes.names)
    only = any(not code.isidentifier() for code in request.wishes.names)
    wishes = replace(request.wishes, names=named, only_named=only)
    wanted = Wanted(assume=request.assume, trial=request.verdict != "proved")
    reshaping = Reshaping(
        file,
        steps,
        wishes,
        wanted,
        config.line_length or width_of(text),
        request.verdict,
        bench.consult,
        asking.name,
        is_left,
        _farthest(file, text, names, config) if request.far else None,
        config.doubt,
        request.write,
    )
    done = reshape(reshaping, text, names) if steps else Reshaped(text)
    return renamed_where_made(reshaping, done, names) if request.wishes.names else done


def _farthest(file: SourceFile, text: str, names: list[str], config: Config) -> dict[str, str]:
    """For each function the step that brings most once it is flat, of those that need nothing from a person."""
    tree = parse(text, file.path)
    functions = functions_in(tree, text)
    others = Others(project_files(file.path))
    scenes = [
        Scene(file.path, text, tree, functions, f, Wishes(), config.line_length or width_of(text), others)
        for f in functions
        if f.name in names and measure(f.node).tangle
    ]
    return {scene.function.name: best_without_a_person(scene) for scene in scenes}


def _others_changed(changes: list[Change]) -> tuple[tuple[Path, str, str], ...]:
    found: dict[Path, tuple[str, str]] = {}
    for change in changes:
        for path, (before, after) in change.others.items():
            found[path] = (found[path][0] if path in found else before, after)
    return tuple((path, *texts) for path, texts in found.items())


def _told_together(results: list[FunctionResult], done: Reshaped, path: Path) -> Iterator[FunctionResult]:
    """What was done to each function, within it and beyond it."""
    if not done.changes and not done.refused:
        yield from results
        return
    by_name = {f.name: f for f in functions_in(parse(done.text, path), done.text)}
    for result in results:
        steps = tuple(c.taken for c in done.changes if c.function == result.name)
        refused = tuple(r for name, r in done.refused if name == result.name)
        now = by_name.get(result.name)
        new = segment(done.text, now) if now is not None else ""
        if not done.changes or (new == result.new and not steps):
            yield replace(result, refused=result.refused + refused)
            continue
        after = measure(now.node) if now is not None else Tangle(0, 0, 0, 0, 0)
        yield replace(
            result,
            steps=result.steps + steps,
            refused=result.refused + refused,
            new=new,
            after=after,
            stopped=done.stopped,
        )


def _check_scopes(file: SourceFile, tree: ast.Module) -> None:
    """Errors that only the compiler sees, such as a `nonlocal` whose name is bound nowhere."""
    try:
        with no_warnings.held():
            compile(tree, str(file.path), "exec", dont_inherit=True)
    except SyntaxError as error:
        try:
            compile(file.text, str(file.path), "exec", dont_inherit=True)
        except SyntaxError:
            return  # it did not compile before either
        raise BadSource(f"{file.path}: the rewritten file would not compile ({error.msg}); nothing written") from None


def _check_whole(file: SourceFile, text: str, functions: list[Function]) -> None:
    """The new file is Python, holds the same functions, and fits its encoding."""
    file.encoded(text)
    tree = parse(text, file.path)
    _check_scopes(file, tree)
    names = [f.name for f in functions_in(tree, text)]
    if names != [f.name for f in functions]:
        raise DreckError(f"{file.path}: the rewritten file would not hold the same functions; nothing written")
