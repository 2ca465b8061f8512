"""Comparing whole trees: two folders, or what stands now against a revision in git. Each version keeps its own tree."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import AbstractContextManager, nullcontext
from dataclasses import replace
from filecmp import cmp
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING
from uuid import uuid4

from dreck.errors import BadSource, BadTarget
from dreck.source.files import data_files, python_files, read
from dreck.source.functions import FunctionNode, functions_in, parse
from dreck.source.revisions import at_revision
from dreck.workbench import workers
from dreck.workbench.compare.compare import compare_texts
from dreck.workbench.compare.comparison import Comparison, joined, named
from dreck.workbench.compare.likeness import renamed
from dreck.workbench.compare.resting import resting
from dreck.workbench.compare.sides import Text, read_text
from dreck.workbench.compare.wanted import NOTHING_KNOWN, Elsewhere, Wanted
from dreck.workbench.engine.check import run_check
from dreck.workbench.judging.verdict import Verdict

if TYPE_CHECKING:
    from concurrent.futures import Executor

Told = Callable[[int, int, Path], None]


def _quiet(done: int, total: int, path: Path) -> None:
    """Tells nobody."""


def compare_since(
    revision: str, specs: Sequence[str], wanted: Wanted, jobs: int = 1, told: Told = _quiet
) -> Comparison:
    """Targets or folders as they were at a revision in git, among their neighbours of then, against now."""
    found = []
    for spec in specs:
        if Path(spec).is_dir():
            with at_revision(Path(spec), revision) as path:
                found.append(compare_folders(path, Path(spec), wanted, jobs, told))
            continue
        new = read_text(spec)
        with at_revision(new.path, revision) as path:
            compared = compare_texts(Text(path, read(path).text, new.name), new, wanted)
            found.append(compared if len(specs) == 1 else named(compared, f"{new.path}::"))
    return joined(found)


def compare_folders(
    old: Path, new: Path, wanted: Wanted, jobs: int = 1, told: Told = _quiet, executor: "Executor | None" = None
) -> Comparison:
    """Every function of every file that is not what it was; files are matched by their path below the folder.

    With an `executor` its workers, who have to see both folders, compare the files. Names are told with the path of
    the file. Files that cannot be read or parsed are `unsettled` as a whole.
    """
    files = [{file.relative_to(side): file for file in python_files(side)} for side in (old, new)]
    both = [place for place in files[0] if place in files[1]]
    changed = [place for place in both if files[0][place].read_bytes() != files[1][place].read_bytes()]
    work = partial(_compared, old, new, wanted=replace(wanted, check="", only=()))
    with _workers(jobs, len(changed), executor) as pool:
        pairs = {place: (old / place, new / place) for place in both}
        alone = [side[place] for at, side in enumerate(files) for place in side if place not in files[1 - at]]
        found, elsewhere = _together(pairs, alone, changed, work, pool, told)
    same = [place for place in both if place not in set(changed)]
    if not changed and not alone and not _data_differs(old, new):
        same = []
    found += _unchanged(old, new, same, joined(found), replace(wanted, check=""), elsewhere)
    gone = tuple(f"{place}" for place in files[0] if place not in files[1])
    fresh = tuple(f"{place}" for place in files[1] if place not in files[0])
    whole = joined(
        [joined(found), _between_files(old, new, joined(found), gone, fresh, replace(wanted, check=""), elsewhere)]
    )
    still = {name for pair in whole.moved for name in pair}
    whole = replace(
        whole,
        only_old=tuple(n for n in whole.only_old if n not in still),
        only_new=tuple(n for n in whole.only_new if n not in still),
    )
    check = run_check(wanted.check) if wanted.check else None
    if wanted.only:
        return Comparison(tuple(f for f in whole.functions if f[0].partition("::")[2] in wanted.only), check=check)
    return Comparison(
        whole.functions, (*whole.only_old, *gone), (*whole.only_new, *fresh), whole.moved, check, whole.otherwise
    )


def _data_differs(old: Path, new: Path) -> bool:
    """Whether a file that is no module is not the same in both folders."""
    sides = [{file.relative_to(side): file for file in data_files(side)} for side in (old, new)]
    return sides[0].keys() != sides[1].keys() or not all(
        cmp(file, sides[1][place], shallow=False) for place, file in sides[0].items()
    )


def _workers(jobs: int, files: int, executor: "Executor | None") -> "AbstractContextManager[Executor | None]":
    if executor is not None or jobs < 2 or files < 2:
        return nullcontext(executor)
    return workers.pool(jobs)


def _together(
    pairs: Mapping[Path, tuple[Path, Path]],
    alone: list[Path],
    changed: list[Path],
    work: Callable[..., Comparison],
    pool: "Executor | None",
    tell: Told,
) -> tuple[list[Comparison], Elsewhere]:
    """Files that changed, each compared as if what it uses of the others were the same; and once more, where that
    was not proved, until no proof rests on a function that has none."""
    found: list[Comparison] = []
    files = (*pairs.values(), *((path, path) for path in alone))
    own = [pairs[place][0].resolve() for place in changed]
    doubted: dict[Path, frozenset[str]] = dict.fromkeys(own, frozenset())
    while True:
        known = [{name.partition("::")[2]: verdict for name, verdict in one.functions} for one in found]
        told = uuid4().hex
        asked = [Elsewhere(told, files, doubted, verdicts) for verdicts in known or ({} for _ in changed)]
        first, found = not found, []
        for done, one in enumerate((pool.map if pool is not None else map)(work, changed, asked), 1):
            found.append(one)
            if first:
                tell(done, len(changed), changed[done - 1])
        now = {file: _doubted(one) for file, one in zip(own, found, strict=True)}
        if now == doubted:
            return found, Elsewhere(told, files, doubted)
        doubted = now


def _doubted(found: Comparison) -> frozenset[str]:
    """The functions of a file that are not proved to be the same, but for those inside of others that are."""
    proved = {name: verdict.status == "proved" and verdict.expected is None for name, verdict in found.functions}
    names = [name for name, holds in proved.items() if not holds]
    inside = {n for n in names for at, c in enumerate(n) if c == "." and proved.get(n[:at])}
    return frozenset(name.partition("::")[2] for name in names if name not in inside)


def _unchanged(
    old: Path, new: Path, same: Sequence[Path], found: Comparison, wanted: Wanted, elsewhere: Elsewhere
) -> Iterator[Comparison]:
    """Functions of files that are as they were, but rest on something in another file that is not."""
    wanted = replace(wanted, expect="", record="")  # said of what is written otherwise
    left = _MOST_RESTING
    for file in resting(old, new, same, found.functions, elsewhere):
        tried, rest = file.uses[:left], file.uses[left:]
        left -= len(tried)
        if tried:
            only = tuple(name for name, _ in tried)
            yield _compared(old, new, file.place, elsewhere, wanted=replace(wanted, only=only))
        untried = [
            (f"{file.place}::{name}", Verdict("unsettled", reason=f"it is as it was, but uses {used}, which is not"))
            for name, used in rest
        ]
        yield Comparison(tuple(untried))


_MOST_RESTING = 40
"""So many functions that are as they were are judged anew; further ones are only told."""


def _between_files(
    old: Path,
    new: Path,
    found: Comparison,
    gone: Sequence[str],
    fresh: Sequence[str],
    wanted: Wanted,
    elsewhere: Elsewhere,
) -> Comparison:
    """Functions that stand in another file now, known by their names or by what they do."""
    sides = (_functions(old, found.only_old, gone), _functions(new, found.only_new, fresh))
    last: tuple[dict[str, list[str]], ...] = ({}, {})
    for names, side in zip(last, sides, strict=True):
        for name in side:
            names.setdefault(name.rpartition("::")[2], []).append(name)
    pairs = [(a[0], last[1][n][0]) for n, a in last[0].items() if len(a) == len(last[1].get(n, ())) == 1]
    taken = {name for pair in pairs for name in pair}

    def verdict(one: str, other: str, wanted: Wanted = wanted) -> Verdict:
        texts = [
            Text(side / place, read(side / place).text, name)
            for side, (place, _, name) in ((old, one.partition("::")), (new, other.partition("::")))
        ]
        return compare_texts(texts[0], texts[1], wanted, elsewhere).verdict

    left = [{n: node for n, node in side.items() if n not in taken} for side in sides]
    by_proof = replace(wanted, trial=False, record="", expect="")
    pairs += renamed(left[0], left[1], lambda one, other: verdict(one, other, by_proof).status == "proved")
    return Comparison(tuple((one, verdict(one, other)) for one, other in pairs), moved=tuple(pairs))


def _functions(side: Path, names: Sequence[str], whole: Sequence[str]) -> dict[str, FunctionNode]:
    """Functions by `place::name`: those named, and all of the files that only this side has."""
    found: dict[str, FunctionNode] = {}
    wanted = set(names)
    for place in dict.fromkeys([*(name.partition("::")[0] for name in names), *whole]):
        try:
            text = read(side / place).text
            functions = functions_in(parse(text, side / place), text)
        except BadSource:
            continue
        for f in functions:
            name = f"{place}::{f.name}"
            if not f.nested and not f.node.name.startswith("__") and (place in whole or name in wanted):
                found[name] = f.node
    return found


def _compared(old: Path, new: Path, place: Path, elsewhere: Elsewhere = NOTHING_KNOWN, *, wanted: Wanted) -> Comparison:
    try:
        sides = (Text(old / place, read(old / place).text), Text(new / place, read(new / place).text))
        return named(compare_texts(*sides, wanted, elsewhere), f"{place}::")
    except BadSource as error:
        return Comparison(((f"{place}", Verdict("unsettled", reason=str(error))),))


def both_folders(old: str, new: str) -> bool:
    """Whether two specs are folders. Raises BadTarget when only one of them is."""
    folders = [Path(spec).is_dir() for spec in (old, new)]
    if folders[0] != folders[1]:
        raise BadTarget(f"{old if folders[0] else new}: is a folder, the other is not; compare two of a kind")
    return all(folders)
