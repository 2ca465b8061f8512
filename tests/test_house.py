"""The house: arrows between rooms run one way, no circle of files, no module that is more than one idea."""

import ast
import subprocess
import sys
from pathlib import Path

import pytest

import dreck

ROOT = Path(dreck.__file__).parent
MODULES = {
    ".".join(path.relative_to(ROOT.parent).with_suffix("").parts): path
    for path in ROOT.rglob("*.py")
    if "yard" not in path.parts and path.name != "__init__.py"
}
MAY_IMPORT = {
    "source": {"source", "errors"},
    "model": {"model", "source", "errors"},
    "proof": {"proof", "model", "source", "errors"},
    "trial": {"trial", "model", "source", "errors"},
    "pins": {"pins", "trial", "proof", "model", "source", "errors"},
    "steps": {"steps", "model", "source", "errors"},
    "workbench": {"workbench", "steps", "pins", "trial", "proof", "model", "source", "errors", "listening"},
    "report": {"report", "workbench", "steps", "pins", "trial", "proof", "model", "source", "errors"},
}
MOST_LINES = 400


def imports(path: Path) -> set[str]:
    """The modules of the project that a module imports, wherever it does: also in a function, also for types alone."""
    found: set[str] = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.ImportFrom) and (node.module or "").startswith("dreck"):
            found |= {
                f"{node.module}.{a.name}" if f"{node.module}.{a.name}" in MODULES else str(node.module)
                for a in node.names
            }
    return found


@pytest.mark.parametrize("room", MAY_IMPORT)
def test_arrows_run_one_way(room):
    mine = {name: path for name, path in MODULES.items() if name.split(".")[1] == room}
    assert mine
    for name, path in mine.items():
        rooms = {target.split(".")[1] for target in imports(path) if "." in target}
        assert rooms <= MAY_IMPORT[room], name


def test_no_circle_of_files():
    arrows = {name: imports(path) & MODULES.keys() for name, path in MODULES.items()}
    done: set[str] = set()

    def visit(name: str, trail: tuple[str, ...]) -> None:
        assert name not in trail, " -> ".join((*trail, name))
        if name in done:
            return
        for other in arrows[name]:
            visit(other, (*trail, name))
        done.add(name)

    for name in arrows:
        visit(name, ())


def test_modules_are_short():
    long = {name for name, path in MODULES.items() if len(path.read_text().splitlines()) > MOST_LINES}
    assert not long, long


def test_the_checker_shares_no_rule_with_the_prover():
    for name, path in MODULES.items():
        if name.startswith("dreck.proof.checking"):
            shared = {target for target in imports(path) if target.startswith("dreck.proof.")}
            assert not any(".rules" in t or ".lockstep." in t for t in shared), name


def test_what_is_decided_without_executing_code_runs_where_nothing_can_be_caged():
    hidden = "import sys; sys.modules['resource'] = None\n"
    judging = "from dreck.workbench.compare.compare import compare_texts"
    done = subprocess.run([sys.executable, "-c", hidden + judging], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
