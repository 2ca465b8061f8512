"""What all tests share: writing a snippet to a file and straightening it; running the real command."""

import os
import shlex
import subprocess
import sys
import textwrap
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest

import dreck
import dreck.proof.entry as entry
from dreck.steps import Step

YARD = Path(dreck.__file__).parent / "demo" / "yard"


@pytest.fixture(scope="session", autouse=True)
def plain_pytest() -> Iterator[None]:
    """A pytest that a test starts loads no plugin that happens to be installed, and so starts in a fifth of the time."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("PYTEST_DISABLE_PLUGIN_AUTOLOAD", "1")
        yield


@pytest.fixture
def write(tmp_path: Path) -> Callable[..., Path]:
    """Writes dedented code to a file and gives its path."""

    def made(code: str, name: str = "yard.py") -> Path:
        path = tmp_path / name
        path.write_text(textwrap.dedent(code))
        return path

    return made


@pytest.fixture
def straighten(write: Callable[..., Path]) -> Callable[..., dreck.Result]:
    """Untangles a snippet, by proof alone unless told otherwise."""

    def done(code: str, *steps: str, verdict: str = "proved", **options: object) -> dreck.Result:
        return dreck.untangle(write(code), steps=steps, verdict=verdict, **options)

    return done


@pytest.fixture
def run(tmp_path: Path) -> Callable[..., subprocess.CompletedProcess[str]]:
    """Runs `dreck ...` in an empty folder, as a user would."""

    def done(*args: object, cwd: Path = tmp_path, **env: str) -> subprocess.CompletedProcess[str]:
        command = [sys.executable, "-m", "dreck", *map(str, args)]
        surroundings = {name: value for name, value in os.environ.items() if name != "COLUMNS"}
        return subprocess.run(command, cwd=cwd, capture_output=True, text=True, env={**surroundings, **env})

    return done


@pytest.fixture
def call(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]) -> Callable[..., Any]:
    """Runs `dreck ...` in an empty folder within this process: what is said, and the exit code."""
    from dreck.cli import main

    def done(*args: object, cwd: Path = tmp_path, **env: str) -> subprocess.CompletedProcess[str]:
        monkeypatch.chdir(cwd)
        monkeypatch.delenv("COLUMNS", raising=False)
        for name, value in env.items():
            monkeypatch.setenv(name, value)
        monkeypatch.setattr(sys, "argv", ["dreck", *map(str, args)])
        code: Any = 0
        try:
            main()
        except SystemExit as end:
            code = end.code or 0
        told = capsys.readouterr()
        return subprocess.CompletedProcess([], code, told.out, told.err)

    return done


def running_with(mark: str) -> list[str]:
    """The processes in whose environment `mark` stands."""
    found = []
    for place in Path("/proc").glob("[0-9]*/environ"):
        try:
            if mark.encode() in place.read_bytes():
                found.append(place.parent.name)
        except OSError:
            continue
    return found


@pytest.fixture(autouse=True)
def a_cache_of_its_own(monkeypatch: pytest.MonkeyPatch, tmp_path_factory: pytest.TempPathFactory) -> None:
    """No test reads or writes the cache of the person who runs it."""
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path_factory.getbasetemp() / "cache"))


@pytest.fixture(autouse=True)
def every_proof_is_accepted(monkeypatch: pytest.MonkeyPatch) -> None:
    """A proof that the checker refuses is a fault of the prover: users get `unsettled`, a test has to fail."""
    go_over = entry._go_over

    def checked(certificate: entry.Certificate, p: entry.Prover, run: entry.LockStep) -> None:
        go_over(certificate, p, run)
        assert certificate.accepted, f"the prover claims what the checker refuses: {certificate.refusal}"

    monkeypatch.setattr(entry, "_go_over", checked)


def typed(step: Step) -> dict[str, str]:
    """What else the step's page says has to be typed, as options of the call."""
    words = shlex.split(step.typed)
    names = {"--raise": "raise_", "--on": "on", "--kinds": "kinds"}
    return {names[option]: value for option, value in zip(words[::2], words[1::2], strict=True)}
