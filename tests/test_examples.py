"""Every script in `examples/` runs."""

import os
import shutil
import subprocess
import sys
import tomllib
from pathlib import Path

import pytest

EXAMPLES = sorted((Path(__file__).parent.parent / "examples").glob("*.py"))


@pytest.mark.parametrize("script", EXAMPLES, ids=lambda path: path.name)
def test_runs(script, tmp_path):
    if "cluster" in script.name:
        pytest.importorskip("distributed", reason="it is for those who have a cluster: pip install dreck[cluster]")
    done = subprocess.run([sys.executable, script], cwd=tmp_path, capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    assert done.stdout.strip()


def test_steps_of_another_package(tmp_path):
    """Installed as packages are: they are listed, taken by name, judged, and tested with the kit."""
    home = tmp_path / "site"
    shutil.copytree(EXAMPLES[0].parent / "yard_steps", home)
    shutil.move(home / "test_yard_steps.py", tmp_path / "test_yard_steps.py")
    about = home / "yard_steps-1.0.dist-info"
    about.mkdir()
    about.joinpath("METADATA").write_text("Metadata-Version: 2.1\nName: yard-steps\nVersion: 1.0\n")
    points = tomllib.loads((home / "pyproject.toml").read_text())["project"]["entry-points"]["dreck.steps"]
    lines = ["[dreck.steps]", *(f"{name} = {value}" for name, value in points.items())]
    about.joinpath("entry_points.txt").write_text("\n".join([*lines, "broken = yard_steps:NOTHING", ""]))
    code = tmp_path / "weigh.py"
    code.write_text(
        "def weigh(load, log):\n    if load.wet:\n        log.note(load)\n        load.dry()\n        load.turn()\n"
        "    else:\n        load.go()\n    if load.big:\n        return 0\n    return load.kilos\n"
    )

    def dreck(*args):
        env = {**os.environ, "PYTHONPATH": str(home)}
        return subprocess.run([sys.executable, *args], cwd=tmp_path, env=env, capture_output=True, text=True)

    listed = dreck("-m", "dreck", "steps")
    assert "short-branch-first" in listed.stdout
    assert "steps of yard-steps (yard_steps:NOTHING): cannot be loaded: AttributeError" in listed.stderr
    assert "--set words=VALUE  What is said. [leaving]" in dreck("-m", "dreck", "steps", "log-early-exit").stdout
    taken = dreck("-m", "dreck", "untangle", "weigh.py", "--step", "short-branch-first")
    assert "if not load.wet:" in taken.stdout and "= proved" in taken.stdout
    judged = dreck("-m", "dreck", "untangle", "weigh.py", "--step", "log-early-exit", "--set", "words=gone")
    assert judged.returncode == 1 and "differs" in judged.stdout
    wrong = dreck("-m", "dreck", "untangle", "weigh.py", "--step", "log-early-exit", "--set", "volume=3")
    assert wrong.returncode == 2 and "no setting of log-early-exit; they have log, words" in wrong.stderr
    own = dreck("-m", "pytest", "-q", "-p", "no:cacheprovider", "test_yard_steps.py")
    assert own.returncode == 0, own.stdout


def test_the_page_of_steps_is_up_to_date():
    docs = Path(__file__).parent.parent / "docs"
    sys.path.insert(0, str(docs))
    import pages

    assert pages.PAGE.read_text() == pages.page(), "run: python docs/pages.py"
    assert pages.COMMANDS.read_text() == pages.commands_page(), "run: python docs/pages.py"
    assert pages.HELP.read_text() == pages.help_page(), "run: python docs/pages.py"


def test_the_notebook_runs_and_shows_its_results(tmp_path, monkeypatch):
    import json

    monkeypatch.chdir(tmp_path)
    book = json.loads((Path(__file__).parent.parent / "examples" / "first_look.ipynb").read_text())
    space, shown = {}, 0
    for cell in book["cells"]:
        if cell["cell_type"] == "code":
            *lines, last = "".join(cell["source"]).rstrip().splitlines()
            exec("\n".join(lines), space)
            try:
                value = eval(last, space)
            except SyntaxError:
                exec(last, space)
                continue
            shown += hasattr(value, "_repr_html_") and value._repr_html_().startswith("<")
    assert shown >= 4
