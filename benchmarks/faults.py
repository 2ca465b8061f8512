"""Faults put into the proof, one at a time: does anything notice?

    python -m benchmarks.faults [--every N] [--seed S] [--rooms proof model] [--only FILE]

Each condition, comparison, constant, operator and `return` of the modules that must be right is broken by script, one a
run, in a copy of the project; then the tests of the proof run until one fails. A fault that nothing notices is printed
with its line. It is either no fault (the same is checked elsewhere), or a test is missing.
"""

import argparse
import ast
import os
import random
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).parents[1]
ROOMS = {
    "proof": "src/dreck/proof",
    "model": "src/dreck/model/ir",
    "names": "src/dreck/model/names",
}
TESTS = ["tests/proof/test_said.py", "tests/proof/test_checker.py", "tests/proof/test_liars.py", "tests/proof/test_solver.py", "tests/proof/test_files_beside.py", "tests/adversary", "tests/proof/test_proof.py", "tests/proof/test_conformance.py", "tests/proof/test_looking_into.py",
         "tests/proof/test_facts.py", "tests/proof/test_changes.py", "tests/proof/test_whole_numbers.py",
         "tests/proof/test_annotated.py", "tests/hunt", "tests/workbench/test_families.py", "tests/cli/test_compare.py",
         "tests/steps"]  # fmt: skip


_PATIENCE = 3
"""So many times as long as without a fault the tests may take: beside other work they are slower."""


@dataclass(frozen=True)
class Fault:
    """One place of a module made wrong: the `change`th way to break its `index`th node."""

    path: Path
    line: int
    told: str
    index: int = -1
    change: int = 0

    def text(self) -> str:
        """The module with the fault in it."""
        tree = ast.parse(self.path.read_text())
        if self.index >= 0:
            node = next(n for i, n in enumerate(ast.walk(tree)) if i == self.index)
            _, change = list(_changes(node))[self.change]
            change(node)
        return ast.unparse(ast.fix_missing_locations(tree))


def faults_in(path: Path) -> Iterator[Fault]:
    """Every way in which one place of a module can be broken."""
    for index, node in enumerate(ast.walk(ast.parse(path.read_text()))):
        for number, (told, _) in enumerate(_changes(node)):
            yield Fault(path, getattr(node, "lineno", 0), told, index, number)


def _changes(node: ast.AST) -> Iterator[tuple[str, Callable[[ast.AST], object]]]:
    def put(field: str, value: object):
        return lambda target: setattr(target, field, value)

    def drop(at: int):
        return lambda target: target.values.pop(at)

    match node:
        case ast.If(test=test):
            code = ast.unparse(test)[:60]
            yield f"if {code}: never", put("test", ast.Constant(False))
            yield f"if {code}: always", put("test", ast.Constant(True))
        case ast.BoolOp(values=values):
            for at, value in enumerate(values):
                yield f"without `{ast.unparse(value)[:50]}`", drop(at)
        case ast.Return(value=ast.Constant(value=bool() as value)):
            yield f"return {not value}", put("value", ast.Constant(not value))
        case ast.Return(value=ast.BoolOp() | ast.Compare() | ast.UnaryOp(op=ast.Not())):
            yield "return True", put("value", ast.Constant(True))
        case ast.Expr(value=ast.Call(func=ast.Attribute(attr="note" | "note_time" | "note_order" | "append" | "add"))):
            yield f"without `{ast.unparse(node)[:50]}`", put("value", ast.Constant(None))
        case ast.Call(
            func=ast.Name(id="Row"), args=[*_, ast.Constant(value=bool() as value), ast.Constant(), ast.Constant()]
        ):
            yield "moves_time turned", lambda target: setattr(target.args[3], "value", not value)


def noticed(fault: Fault, most: float | None = None) -> str:
    """'' when every test passes with the fault in; else what failed; `most` seconds are given to the tests."""
    folder = Path(tempfile.mkdtemp(prefix="dreck-faults-"))
    try:
        for part in ("src", "tests", "pyproject.toml", "examples", "benchmarks", "docs"):
            source = ROOT / part
            if source.is_dir():
                shutil.copytree(source, folder / part, ignore=shutil.ignore_patterns("__pycache__"))
            else:
                shutil.copy(source, folder / part)
        (folder / fault.path.relative_to(ROOT)).write_text(fault.text())
        tests = [t for t in TESTS if (ROOT / t).exists()]
        command = [sys.executable, "-B", "-m", "pytest", "-x", "-q", "-p", "no:cacheprovider", *tests]
        env = {
            **os.environ,
            "PYTHONPATH": str(folder / "src"),
            "DRECK_HUNT": "400",
            "DRECK_LIES": "1",
            "DRECK_SAID": "1",
            "PYTHONDONTWRITEBYTECODE": "1",
        }
        try:
            done = subprocess.run(command, cwd=folder, env=env, capture_output=True, text=True, timeout=most)
        except subprocess.TimeoutExpired:
            return "it does not come to an end"
        if done.returncode == 0:
            return ""
        failed = [line for line in done.stdout.splitlines() if line.startswith(("FAILED", "ERROR"))]
        return failed[0][:150] if failed else "it cannot be run"
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--every", type=int, default=1, help="try every Nth fault")
    parser.add_argument("--seed", type=int, default=0)
    parser.add_argument("--rooms", nargs="+", default=["proof"], choices=list(ROOMS))
    parser.add_argument("--only", default="", help="part of a file's path")
    parser.add_argument("--jobs", type=int, default=os.cpu_count() or 1)
    asked = parser.parse_args()
    paths = [p for room in asked.rooms for p in sorted((ROOT / ROOMS[room]).rglob("*.py")) if asked.only in str(p)]
    faults = [fault for path in paths for fault in faults_in(path)]
    random.Random(asked.seed).shuffle(faults)
    faults = faults[:: asked.every]
    begun = time.monotonic()
    whole = noticed(Fault(paths[0], 0, "no fault"))
    most = _PATIENCE * (time.monotonic() - begun)
    if whole:
        print(f"without any fault the tests fail: {whole}")
        return 2
    survived = 0
    with ThreadPoolExecutor(asked.jobs) as pool:
        for fault, what in zip(faults, pool.map(lambda one: noticed(one, most), faults), strict=True):
            print(".", end="", file=sys.stderr, flush=True)
            if not what:
                survived += 1
                print(f"NOT NOTICED  {fault.path.relative_to(ROOT)}:{fault.line}  {fault.told}", flush=True)
    score = 100 * (len(faults) - survived) / max(1, len(faults))
    print(f"{len(faults)} faults, {len(faults) - survived} noticed ({score:.1f} %)")
    return 1 if survived else 0


if __name__ == "__main__":
    sys.exit(main())
