"""survey: every function of a code base, ranked by tangle, with the steps that apply there."""

import ast
import stat
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import asdict, dataclass, fields, replace
from operator import attrgetter
from pathlib import Path
from typing import TYPE_CHECKING, Any

from dreck.errors import BadSource, DreckError
from dreck.model.views.measures import buried, measure, short
from dreck.model.views.shape import ifs
from dreck.source.files import SourceFile, from_bytes, read
from dreck.source.functions import FunctionNode, functions_in, parse
from dreck.source.leave import is_left
from dreck.source.lines import split_lines
from dreck.source.targets import Target, resolve
from dreck.workbench.engine.collector import calm
from dreck.workbench.queries.row import Row
from dreck.workbench.store.cache import Cache, key_of

if TYPE_CHECKING:
    from concurrent.futures import Executor

    import pandas

    from dreck.steps.catalogue import Step

_ENOUGH_FOR_TWO = 40


@dataclass(frozen=True, slots=True, repr=False)
class Survey:
    """A survey's rows, most tangled first, and the files that could not be read."""

    rows: tuple[Row, ...]
    skipped: tuple[tuple[str, str], ...] = ()

    def over(self, most: int) -> list[Row]:
        """Functions with more tangle than `most`."""
        return [row for row in self.rows if row.tangle > most]

    def by_file(self) -> dict[str, tuple[int, int]]:
        """Functions and tangle of each file."""
        found: dict[str, tuple[int, int]] = {}
        for row in self.rows:
            path = row.function.partition("::")[0]
            functions, tangle = found.get(path, (0, 0))
            found[path] = functions + 1, tangle + row.tangle
        return found

    def __iter__(self) -> Iterator[Row]:
        return iter(self.rows)

    def __len__(self) -> int:
        return len(self.rows)

    def __str__(self) -> str:
        lines = [f"{'tangle':>6} {'depth':>5} {'ways':>6}  function"]
        lines += [f"{r.tangle:>6} {r.depth:>5} {short(r.ways):>6}  {r.function}" for r in self.rows[:20]]
        if len(self.rows) > 20:
            lines.append(f"... and {len(self.rows) - 20} more functions")
        return "\n".join(lines)

    def __repr__(self) -> str:
        return f"<Survey of {len(self.rows)} functions>"

    def as_json(self, top: int | None = None) -> dict[str, Any]:
        """The form documented in docs/json.md."""
        return {
            "functions": [{**asdict(row), "steps": list(row.steps)} for row in self.rows[:top]],
            "skipped": [{"path": path, "reason": reason} for path, reason in self.skipped],
        }

    def to_frame(self) -> "pandas.DataFrame":
        """The rows as a pandas DataFrame. Needs the extra `frames`."""
        try:
            import pandas
        except ImportError:
            raise DreckError("to_frame() needs pandas: install dreck[frames]") from None
        columns = list(Row.__dataclass_fields__)
        return pandas.DataFrame([asdict(row) for row in self.rows], columns=columns)


def survey(
    paths: str | Path | Iterable[str | Path],
    executor: "Executor | None" = None,
    jobs: int = 1,
    since: str | None = None,
    after: bool = False,
    told: Callable[[int, int, Path], None] = lambda done, total, path: None,
    cache: bool = True,
) -> Survey:
    """Measures every function below `paths` (files, folders, targets).

    Files that are not Python are named in `skipped`. With `jobs` greater than one, or an `executor` of your
    own (anything with the interface of `concurrent.futures.Executor`), files are measured in parallel, with the
    same rows. With `since`, a revision in git, only functions that are new or have changed since then are kept;
    with `after`, the tangle they would have after `untangle` is worked out, by proof alone, and for the twenty worst
    what the best of `offer` leaves, in four seconds of the processor's time for each. `told` is told of
    progress. With `cache`, files whose text was measured before are not measured again. Raises BadTarget for a path
    that is not there.
    """
    specs = [paths] if isinstance(paths, str | Path) else list(paths)
    targets = [*dict.fromkeys(target for spec in specs for target in resolve(spec))]
    rows: list[Row] = []
    skipped: list[tuple[str, str]] = []
    for done, (found, problem) in enumerate(_with_cache(targets, executor, jobs, cache)):
        told(done + 1, len(targets), targets[done].path)
        rows += found
        if problem is not None:
            skipped.append(problem)
    if len(targets) == 1 and skipped:
        raise BadSource(skipped[0][1])
    if since is not None:
        rows = _changed_since(since, rows)
    if after:
        rows = _with_after(rows, jobs)
    rows = list({(row.function, row.line): row for row in rows}.values())
    rows.sort(key=lambda row: (-row.tangle, row.function, row.line))
    if after:
        from dreck.workbench.queries.reached import with_reached

        rows = with_reached(rows, jobs, told)
    return Survey(tuple(rows), tuple(skipped))


def as_found(
    paths: str | Path | Iterable[str | Path], jobs: int = 1, cache: bool = True
) -> Iterator[Row | tuple[str, str]]:
    """The rows as they are found, file after file, in no order of tangle; (path, reason) for a file left out.

    Raises BadTarget for a path that is not there.
    """
    specs = [paths] if isinstance(paths, str | Path) else list(paths)
    targets = [*dict.fromkeys(target for spec in specs for target in resolve(spec))]
    for found, problem in _with_cache(targets, None, jobs, cache):
        yield from found
        if problem is not None:
            yield problem


def _changed_since(revision: str, rows: list[Row]) -> list[Row]:
    """Rows of functions whose code is not what it was; a file that was not there then is all new."""
    from dreck.source.revisions import data_at

    by_path: dict[str, list[Row]] = {}
    for row in rows:
        by_path.setdefault(row.function.partition("::")[0], []).append(row)
    kept = []
    for place, found in by_path.items():
        path = Path(place)
        data = data_at(path, revision)
        now, then = _codes(read(path), path), {} if data is None else _codes(from_bytes(path, data), path)
        kept += [row for row in found if now.get(row.function) != then.get(row.function)]
    return kept


def _codes(file: SourceFile, path: Path) -> dict[str, str]:
    try:
        functions = functions_in(parse(file.text, path), file.text)
    except BadSource:
        return {}
    return {f"{path}::{f.name}": ast.dump(f.node) for f in functions}


def _with_after(rows: list[Row], jobs: int) -> list[Row]:
    from dreck.workbench.engine.request import Request
    from dreck.workbench.engine.untangle import untangle

    worth = [row.function for row in rows if row.steps]
    if not worth:
        return rows
    result = untangle(worth, Request(verdict="proved", jobs=jobs))
    tangles = {f"{f.path}::{f.name}": f.after.tangle for f in result.functions}
    return [replace(row, after=tangles.get(row.function, row.tangle)) for row in rows]


_Found = tuple[list[Row], tuple[str, str] | None]


def _with_cache(targets: list[Target], executor: "Executor | None", jobs: int, wanted: bool) -> Iterator[_Found]:
    """Each file's rows in the order of the files: those that are known from before, and those measured now."""
    cache = Cache.opened(wanted)
    try:
        keys = [_key(target) for target in targets]
        known = [cache.get(key) if key else None for key in keys]
        measured = _measured([t for t, kept in zip(targets, known, strict=True) if kept is None], executor, jobs)
        for target, key, kept in zip(targets, keys, known, strict=True):
            if kept is not None:
                yield _found_again(target.path, kept)
                continue
            found = next(measured)
            if key and found[1] is None:
                cache.put(key, _kept(found))
            yield found
    finally:
        cache.close()


def _key(target: Target) -> str:
    """The key of a whole file's rows; '' for a part of one, or one that cannot be read."""
    try:
        # A pipe or a device would be waited for.
        whole = target.name is None and stat.S_ISREG(target.path.stat().st_mode)
        return key_of("survey", target.path.read_bytes()) if whole else ""
    except OSError:
        return ""


def _measured(targets: list[Target], executor: "Executor | None", jobs: int) -> Iterator[_Found]:
    if executor is not None:
        yield from _spread(targets, executor)
    elif jobs > 1 and len(targets) >= _ENOUGH_FOR_TWO:
        from dreck.workbench import workers

        with workers.pool(jobs) as pool:
            yield from _spread(targets, pool)
    else:
        yield from map(measure_file, targets)


def _spread(targets: list[Target], executor: "Executor") -> Iterator[_Found]:
    bundles = [targets[i : i + 16] for i in range(0, len(targets), 16)]
    for found in executor.map(_bundle, bundles):
        yield from found


def _bundle(targets: list[Target]) -> list[_Found]:
    return [measure_file(target) for target in targets]


def measure_file(target: Target) -> _Found:
    """The rows of one file, or why there are none. Raises BadTarget for a name that is not in the file."""
    with calm():
        return _measured_file(target)


_VALUES = attrgetter(*[field.name for field in fields(Row)][1:])


def _kept(found: _Found) -> list[list[Any]]:
    """Rows as they are kept: without the place of the file."""
    return [[row.function.partition("::")[2], *_VALUES(row)] for row in found[0]]


def _found_again(path: Path, kept: list[list[Any]]) -> _Found:
    return [_row(path, *values) for values in kept], None


def _row(path: Path, name: str, *values: Any) -> Row:
    line, tangle, depth, ways, longest, lines, steps, buried, after, left, reached = values
    row = (line, tangle, depth, ways, longest, lines, tuple(steps))
    return Row(f"{path}::{name}", *row, buried, after, left, reached)


def _measured_file(target: Target) -> _Found:
    try:
        file = read(target.path)
        tree = parse(file.text, target.path)
    except BadSource as error:
        return [], (str(target.path), str(error))
    lines = split_lines(file.text)
    functions = target.chosen(functions_in(tree, file.text))
    may_be_left = "dreck:" in file.text
    rows = []
    for f in functions:
        t = measure(f.node, lines)
        left = may_be_left and is_left(lines, f, tree)
        steps = _applicable(f.node, lines) if t.tangle and not left else ()
        name, deep = f"{target.path}::{f.name}", buried(f.node) if t.depth > 1 else 0
        rows.append(
            Row(name, f.node.lineno, t.tangle, t.depth, t.ways, t.longest_test, t.lines, steps, deep, left=left)
        )
    return rows, None


def _applicable(node: FunctionNode, lines: Sequence[str]) -> tuple[str, ...]:
    """Steps that would be taken somewhere in it without being asked for by name, as far as its shape tells."""
    from dreck.steps.catalogue import default_steps
    from dreck.steps.flatten.stays.leave_alone import left_alone

    having = {"", *(["if"] if ifs(node) else []), *(["else"] if any(s.orelse for _, _, s in ifs(node)) else [])}

    def line_of(number: int) -> str:
        return lines[number - 1] if 0 < number <= len(lines) else ""

    def taken(step: "Step") -> bool:
        return any(not left_alone(step, site, node, line_of) for site in step.find(node))

    return tuple(step.name for step in default_steps() if step.needs in having and taken(step))
