"""pin: today's behaviour of a function as a pytest file that anybody can read and keep, and how strong it is."""

import importlib.util
import os
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any

from dreck.errors import BadSource, BadTarget
from dreck.source.files import read, save_bytes
from dreck.source.functions import functions_in, parse
from dreck.source.targets import Target, resolve
from dreck.trial.case import Case
from dreck.trial.running.loading.imports import project_of
from dreck.trial.server import ask_child
from dreck.workbench import workers
from dreck.workbench.compare.comparison import Comparison
from dreck.workbench.pinning.pin_file import pin_file
from dreck.workbench.pinning.record import Recording, record


@dataclass(frozen=True, slots=True, repr=False)
class Pinned:
    """The pins of one function.

    `outcomes` are those the pins reach and all there are. Of `changes` to its conditions, one at a time,
    `same` were proved to change nothing; `survivors` are the others that no pin notices, with their lines.
    `dropped` says which inputs could not be written as a test, and how many.
    """

    function: str
    cases: tuple[Case, ...] = ()
    outcomes: tuple[int, int] = (0, 0)
    missing: tuple[str, ...] = ()
    changes: int = 0
    same: int = 0
    survivors: tuple[str, ...] = ()
    dropped: tuple[tuple[str, int], ...] = ()
    recorded: int = 0
    problem: str = ""

    def __repr__(self) -> str:
        return f"<Pinned {self.function}: {len(self.cases)} cases>"

    @property
    def why_not(self) -> str:
        """Why the function has no pins: what stood against it, or against most of its inputs."""
        if self.problem or not self.dropped:
            return self.problem or "no input could be written as a test"
        most, _ = max(self.dropped, key=lambda pair: pair[1])
        return f"no input could be written as a test: {most}"

    @property
    def strength(self) -> tuple[int, int]:
        """How many changes that can be noticed are, and how many there are."""
        can = self.changes - self.same
        return can - len(self.survivors), can


@dataclass(frozen=True, slots=True, repr=False)
class Pins:
    """What `pin` made: the text of the pytest file, and what is known of each function."""

    text: str
    functions: tuple[Pinned, ...]
    recording: Recording | None = None

    def __repr__(self) -> str:
        return f"<Pins: {sum(len(f.cases) for f in self.functions)} cases of {len(self.functions)} functions>"

    def as_json(self) -> dict[str, Any]:
        """The form documented in docs/json.md."""
        return {"functions": [_json(f) for f in self.functions], "text": self.text}


def pin(
    target: str | Path,
    output: str | Path | None = None,
    command: str = "",
    progress: Callable[[int, int, Path], None] = lambda done, total, path: None,
    jobs: int = 1,
) -> Pins:
    """Pins what the functions of `target` do today.

    Arguments:
        target: `gate.py::admit`, a class or a whole file.
        output: where the file will stand; it is written there. Without it nothing is written, and the
            text imports the module as if it stood beside it.
        command: a command to run with the functions watched, such as the project's tests or a script;
            the calls that come in are pinned first (see `dreck.workbench.pinning.record`).
        progress: is told how many functions are done, of how many.
        jobs: so many processes share the functions; the file is the same with any number.

    Raises BadTarget or BadSource; BadTarget also when no function of the target can be pinned.
    """
    with _shared(jobs) as each:
        return _pins(target, output, command, progress, each)


_Each = Callable[[Callable[[str], Pinned], list[str]], Iterator[Pinned]]
"""Does something for each function, in their order: one after the other, or several at once."""


@contextmanager
def _shared(jobs: int) -> Iterator[_Each]:
    if jobs < 2:
        yield map
        return
    with workers.pool(jobs) as pool:
        yield lambda work, names: pool.map(work, names) if len(names) > 1 else map(work, names)


def _pins(
    target: str | Path,
    output: str | Path | None,
    command: str,
    progress: Callable[[int, int, Path], None],
    each: _Each,
) -> Pins:
    place, mark, name = str(target).partition("::")
    if mark and not name:
        raise BadTarget(f"{target}: a name is wanted after '::', as in {place}::function")
    path = Path(place)
    text = read(path).text
    tree = parse(text, path)
    chosen = [f for f in Target(path, name or None).chosen(functions_in(tree, text)) if not f.nested]
    if not chosen:
        raise BadTarget(f"{target}: has no function that can be called from outside")
    recording = record(command, path, [f.name for f in chosen]) if command else None
    pinned: tuple[Pinned, ...] = ()
    progress(0, len(chosen), path)
    for one in each(partial(_pinned, path, text, recording), [f.name for f in chosen]):
        pinned += (one,)
        progress(len(pinned), len(chosen), path)
    if not any(p.cases for p in pinned):
        raise BadTarget(f"{path}::{pinned[0].function}: cannot be pinned: {pinned[0].why_not}")
    cases = [(p.function, p.cases) for p in pinned]
    left_out = [(p.function, p.why_not) for p in pinned if not p.cases]
    home = _way_to_import(path, Path(output) if output else None)
    written = pin_file(path.stem, module_name(path), cases, home, left_out=left_out)
    if output is not None:
        save_bytes(Path(output), written.encode())
    return Pins(written, pinned, recording)


def pin_each(
    targets: Iterable[str],
    output: Path | None,
    command: str,
    progress: Callable[[int, int, Path], None],
    jobs: int = 1,
) -> tuple[list[tuple[Path | None, Pins]], tuple[str, ...]]:
    """Pins each module that `targets` mean, in a file of its own in the folder `output`; and what was left out, why.

    Raises BadTarget when no function of any can be pinned.
    """
    if output is not None and output.exists() and not output.is_dir():
        raise BadTarget(f"{output}: is a file; the pins of several modules need a folder")
    chosen = list(dict.fromkeys(target for spec in targets for target in resolve(spec)))
    found: list[tuple[Path | None, Pins]] = []
    left_out: list[str] = []
    with _shared(jobs) as each:
        for done, target in enumerate(chosen, 1):
            place = None if output is None else output / f"test_pins_{module_name(target.path).replace('.', '_')}.py"
            if place is not None:
                place.parent.mkdir(parents=True, exist_ok=True)
            try:
                found.append((place, _pins(str(target), place, command, _silent, each)))
            except (BadTarget, BadSource) as error:
                left_out.append(str(error))
            progress(done, len(chosen), target.path)
    if not found:
        raise BadTarget(left_out[0] if left_out else "no Python file is there")
    return found, tuple(left_out)


def _silent(done: int, total: int, path: Path) -> None:
    """Nobody is told: the modules are counted, not their functions."""


def _pinned(path: Path, text: str, recording: Recording | None, name: str) -> Pinned:
    side = {"path": str(path.absolute()), "text": text, "name": name}
    calls = recording.calls_of(name) if recording else ()
    answer = ask_child({"work": "dreck.pins.pinning:pin", "old": side, "open": [], "calls": list(calls)})
    if "error" in answer:
        return Pinned(name, problem=answer["error"])
    return Pinned(
        name,
        tuple(map(Case.from_json, answer["cases"])),
        tuple(answer["outcomes"]),
        tuple(answer["missing"]),
        answer["changes"],
        answer["same"],
        tuple(answer["survivors"]),
        tuple(sorted(answer["dropped"].items())),
        answer["recorded"],
    )


def write_case(path: Path, comparison: Comparison, output: Path) -> str:
    """Writes the first difference as a pytest file that fails until the new version does what the old one did.

    `path` is the new module's. Returns one line that says what was written, or why nothing was.
    """
    differing = [(name, v.difference) for name, v in comparison.functions if v.difference is not None]
    if not differing:
        return "no difference, so no case was written"
    for name, difference in differing:
        if difference.case is not None:
            title = f"A call for which {module_name(path)} does not do what it did. Made by `dreck compare`."
            text = pin_file(
                path.stem, module_name(path), [(name, (difference.case,))], _way_to_import(path, output), title
            )
            save_bytes(output, text.encode())
            return f"the difference in {name} is written to {output}; it fails until that is mended"
    return f"no case was written: {differing[0][1].no_case}"


def module_name(path: Path) -> str:
    """The dotted name the module at `path` is imported by."""
    path = path.absolute()
    parts = path.relative_to(project_of(path)).with_suffix("").parts
    return ".".join(parts[:-1] if parts[-1] == "__init__" and len(parts) > 1 else parts)


def _way_to_import(path: Path, output: Path | None) -> str:
    """The folder to put on the path, relative to the file's, where an import would not find the module."""
    home = project_of(path.absolute())
    if output is None or output.absolute().parent == home or _is_installed(path):
        return ""
    return os.path.relpath(home, output.absolute().parent)


def _is_installed(path: Path) -> bool:
    try:
        found = importlib.util.find_spec(module_name(path))
    except (ImportError, ValueError):
        return False
    return bool(found and found.origin and Path(found.origin) == path.absolute() and Path.cwd() != project_of(path))


def _json(f: Pinned) -> dict[str, Any]:
    return {
        "function": f.function,
        "cases": len(f.cases),
        "recorded": f.recorded,
        "outcomes": list(f.outcomes),
        "missing": list(f.missing),
        "changes": f.changes,
        "same": f.same,
        "noticed": f.strength[0],
        "survivors": list(f.survivors),
        "dropped": dict(f.dropped),
        "problem": f.problem or None,
    }
