"""Every script in `examples/` runs."""

import subprocess
import sys
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


def test_the_page_of_steps_is_up_to_date():
    docs = Path(__file__).parent.parent / "docs"
    sys.path.insert(0, str(docs))
    import pages

    assert pages.PAGE.read_text() == pages.page(), "run: python docs/pages.py"
    assert pages.COMMANDS.read_text() == pages.commands_page(), "run: python docs/pages.py"


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
