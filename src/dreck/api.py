"""The public calls that wrap a request: `dreck.untangle`, `dreck.compare`, `dreck.assert_same`."""

import inspect
from collections.abc import Callable, Iterable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

from dreck.errors import BadTarget, DreckError
from dreck.proof.assumptions import KINDS
from dreck.source.targets import Target
from dreck.steps.support.scene import Wishes
from dreck.workbench.compare.compare import compare_texts
from dreck.workbench.compare.comparison import Comparison
from dreck.workbench.compare.folders import both_folders, compare_folders, compare_since
from dreck.workbench.compare.sides import named_alike, text_of
from dreck.workbench.compare.wanted import Wanted
from dreck.workbench.engine.request import Request
from dreck.workbench.engine.untangle import untangle as _untangle
from dreck.workbench.judging.verdict import Verdict
from dreck.workbench.queries.load import Loaded
from dreck.workbench.results import Result

if TYPE_CHECKING:
    from concurrent.futures import Executor

_Spec = str | Path | Target | Loaded | Callable[..., Any]
_Side = str | Path | Callable[..., Any]


def untangle(
    target: _Spec | Iterable[_Spec],
    *,
    steps: str | Iterable[str] = (),
    leave: str | Iterable[str] = (),
    assume: str | Iterable[str] = (),
    verdict: str = "tested",
    write: bool = False,
    check: str = "",
    jobs: int = 1,
    names: Mapping[str, str] | None = None,
    as_: str = "",
    form: str = "",
    on: str = "",
    name: str = "",
    kinds: str | Iterable[str] = (),
    raise_: str = "",
    table_file: str = "",
    inline_callers: bool = False,
    far: bool = False,
    settings: Mapping[str, str] | None = None,
    cache: bool = True,
    executor: "Executor | None" = None,
) -> Result:
    """Straightens what `target` means: a function, file or folder, a live function, or several of them.

    `steps` names the steps to take (default: those that flatten and need no choice), `leave` steps to leave
    out, `assume` further assumptions a proof may rest on, `verdict` the least evidence wanted (`proved` or
    `tested`; with `proved` no code of the target is run). Nothing is saved without `write=True`; `check` is a command
    that is run after each step then. `jobs` is how many processes share the work on folders.

    `names` gives names to code (`{"load.kilos > 800": "is_heavy"}`) or new ones to names Dreck made; `as_` (also
    `form`) is what a predicate is to be (variable, function, method, property) or, for the base of classes,
    `protocol`; `on` what a switch is on (`load.kind`), or where a default stands; `raise_` the error it becomes;
    `name` what the one thing is called that a step makes; `kinds` the classes of a family: only objects of these
    come; `table_file` the CSV or JSON file a table is kept in. With `inline_callers` a function that became a method
    goes; its callers call that. With `far` each function also gets the one further step that brings most, of those
    that need nothing from anybody. `settings` are what a step from elsewhere lets a person set, by name.
    Without `cache`, files in which nothing was found before are gone through again. With an `executor` of your own
    (any `concurrent.futures.Executor`) its workers, who have to see the files, go through them.

    The result has `.steps`, `.source`, `.diff`, `.functions`. Raises DreckError and its kinds.
    """
    if verdict not in ("proved", "tested"):
        raise DreckError(f"verdict must be 'proved' or 'tested', not {verdict!r}")
    several = isinstance(target, Iterable) and not isinstance(target, str | Path | Target | Loaded)
    specs: list[Any] = list(target) if several else [target]  # type: ignore[arg-type]
    wishes = Wishes(
        dict(names or {}), as_ or form, on, table_file, inline_callers, raise_, _several(kinds), name,
        settings=dict(settings or {}), only_asked=KINDS in _several(assume),
    )  # fmt: skip
    chosen = (_several(steps), _several(leave), _several(assume))
    request = Request(*chosen, verdict, write, check, jobs, wishes, far, cache)
    return _untangle(map(_target, specs), request, executor=executor)


def _several(names: str | Iterable[str]) -> tuple[str, ...]:
    """One name, or several."""
    return (names,) if isinstance(names, str) else tuple(names)


def _target(spec: Any) -> str | Path | Target:
    if isinstance(spec, Loaded):
        return spec.target
    if isinstance(spec, str | Path | Target):
        return spec
    function = inspect.unwrap(getattr(spec, "__func__", spec))
    try:
        place = inspect.getsourcefile(function)
    except TypeError:
        place = None
    name = getattr(function, "__qualname__", "").replace(".<locals>", "")
    if place is None or not Path(place).exists():
        raise BadTarget(f"{spec!r}: stands in no file; write it to one, or name a target such as gate.py::admit")
    return Target(Path(place), name)


def compare(
    old: _Side,
    new: _Side | None = None,
    *,
    since: str = "",
    only: str | Iterable[str] = (),
    assume: str | Iterable[str] = (),
    verdict: str = "tested",
    trial: bool = True,
    expect: str = "",
    from_: str = "",
    check: str = "",
    open_cage: str | Iterable[str] = (),
    jobs: int = 1,
    cache: bool = True,
    executor: "Executor | None" = None,
) -> Verdict:
    """Are `old` and `new` the same? Targets (`gate.py::admit`), folders, source texts, or live functions.

    With `since`, a revision in git, `old` alone is compared with what it was then. Returns a Verdict, true when
    they are; of several functions the worst, with all of them in `.functions`. With `verdict="proved"`, or
    `trial=False`, nothing is run: what cannot be proved is unsettled. `only` names the functions to compare,
    `assume` further assumptions. `expect` is a condition on the arguments under which they are meant to differ,
    `from_` a command whose calls are tried first, `check` the project's own tests. Without `cache`, trials made
    before are made again. With an `executor` its workers compare the files of two folders. Raises BadTarget or
    BadSource.
    """
    run = trial and verdict != "proved"
    wanted = Wanted(_several(only), _several(assume), run, _several(open_cage), expect, from_, check, cache=cache)
    return _comparison(old, new, since, wanted, jobs, executor).verdict


def _comparison(
    old: _Side, new: _Side | None, since: str, wanted: Wanted, jobs: int, executor: "Executor | None" = None
) -> Comparison:
    if since:
        if new is not None or callable(old):
            raise BadTarget("with since, name one target or folder")
        return compare_since(since, [str(old)], wanted, jobs)
    if new is None:
        raise BadTarget("compare wants two of them, old and new, or one and since")
    if callable(old) != callable(new):
        raise BadTarget("compare two functions, two targets or two source texts, not a mixture")
    if not callable(old) and not callable(new) and "\n" not in f"{old}{new}" and both_folders(str(old), str(new)):
        return compare_folders(Path(old), Path(new), wanted, jobs, executor=executor)
    return compare_texts(*named_alike(text_of(old), text_of(new)), wanted)


def assert_same(old: _Side, new: _Side, **options: Any) -> None:
    """For tests: raises AssertionError when the two are not `proved` or `tested` to be the same.

    `options` are those of `compare`. The message tells the input, and what each of them does there; or why nothing
    can be said.
    """
    found = compare(old, new, **options)
    if found:
        return
    if found.difference is None:
        raise AssertionError(f"not shown to be the same: {found.reason or found.status}")
    told = found.difference
    raise AssertionError(f"they differ\n  input  {told.input}\n  old    {told.old}\n  new    {told.new}")
