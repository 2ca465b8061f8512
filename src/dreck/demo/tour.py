"""The tour: a copy of the yard, and the whole job on it, each command shown as it goes."""

import os
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import click

from dreck.cli.group import cli
from dreck.errors import BadTarget

YARD = Path(__file__).parent / "yard"


def tour(directory: Path | None) -> int:
    """Copies the yard to `directory` (default: a new temporary folder) and works on the copy.

    Returns the exit code: 0 when every command did what the tour says. Raises BadTarget when the folder is
    there already.
    """
    place = copy_yard(directory)
    with _inside(place):
        _say(f"The recycling yard is in {place}. Everything below happens in that copy.")
        _say("1. Where is the decision logic most tangled?")
        _dreck("survey", ".", "--top", "5")
        _say("2. One function: what does it decide? Every way through as a row.")
        _dreck("outline", "gate.py::admit")
        _say("3. No tests of its own? What it does today, as pytest; and how strong these tests are.")
        _dreck("pin", "gate.py::waiting_time", "-o", "test_gate_pins.py")
        _say("4. What would Dreck do, and how does it know? Nothing is written yet.")
        _dreck("untangle", "gate.py::admit")
        _say("5. The whole yard. Saved, because every step is proved or tested.")
        before = {file: file.read_text() for file in Path().glob("*.py")}
        _dreck("untangle", ".", "--write", quiet=True)
        _say("6. Old against new, judged once more, on the two files as they stand.")
        old = Path("gate_before.py")
        old.write_text(before[Path("gate.py")])
        same = _dreck("compare", "gate_before.py", "gate.py", "--only", "admit", "--assume", "total-order")
        _say("7. And a slip of the hand, to see that it is found: `>=` where `>` was.")
        wrong = Path("gate_wrong.py")
        wrong.write_text(Path("gate.py").read_text().replace("load.kilos > permit", "load.kilos >= permit"))
        slipped = _dreck("compare", "gate.py", "gate_wrong.py", "--only", "admit")
        for file in (old, wrong):
            file.unlink()
        _say("8. Further, by choice: a ladder becomes a table.")
        _dreck("untangle", "materials.py::handling", "--step", "lookup-table", "--write")
        _say("9. A type switch becomes methods; the knot at the desk a class for each kind of load.")
        _dreck("untangle", "materials.py", "--step", "polymorphic-methods", "--write", quiet=True)
        _dreck("untangle", "desk.py", "--step", "regroup", "--step", "kind-subclasses", "--write", quiet=True)
        _say("10. The yard's own tests and the pins still pass.", pause=False)
        command = [sys.executable, "-m", "pytest", "-q", "-p", "no:cacheprovider", "-p", "no:warnings"]
        tested = subprocess.run(command, check=False, stderr=subprocess.DEVNULL).returncode
        _say(f"Look around in {place}, where `dreck back --list` tells what was done.", pause=False)
        click.echo("`dreck --help` lists the commands, `dreck steps NAME` explains a step.")
    return 0 if same == 0 and slipped == 1 and tested == 0 else 1


def copy_yard(directory: Path | None) -> Path:
    """The yard, copied. Raises BadTarget when something stands at `directory` already."""
    if directory is None:
        directory = Path(tempfile.mkdtemp(prefix="dreck-demo-")) / "yard"
    if directory.exists():
        raise BadTarget(f"{directory}: is there already; name a folder that is not")
    shutil.copytree(YARD, directory, ignore=shutil.ignore_patterns("__pycache__", ".pytest_cache"))
    return directory.absolute()


def _say(text: str, pause: bool = True) -> None:
    """A line of the tour. On a terminal it waits for a key first, so that what stands above can be read."""
    click.echo()
    if pause and _said and sys.stdin.isatty() and sys.stdout.isatty():
        click.pause("   (any key)")
        click.echo()
    _said.append(text)
    click.secho(text, bold=True)


_said: list[str] = []


def _dreck(*args: str, quiet: bool = False) -> int:
    """Runs one command as a user would, in this process. With `quiet` only its last line is shown."""
    click.secho(f"$ dreck {' '.join(args)}", fg="cyan")
    if quiet:
        done = subprocess.run([sys.executable, "-m", "dreck", *args], capture_output=True, text=True, check=False)
        click.echo(done.stdout.strip().rpartition("\n")[2] or done.stderr.strip())
        return done.returncode
    status = cli.main(list(args), standalone_mode=False)
    return status if isinstance(status, int) else 0


@contextmanager
def _inside(folder: Path) -> Iterator[None]:
    before = Path.cwd()
    os.chdir(folder)
    try:
        yield
    finally:
        os.chdir(before)
