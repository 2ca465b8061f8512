"""`make bench`: each number beside what it is measured against, both in this run, on this machine.

python -m benchmarks [survey|flatten|proof|trial|start ...]
"""

import ast
import copy
import gc
import os
import platform
import resource
import subprocess
import sys
import tempfile
import time
import warnings
from collections.abc import Callable
from functools import partial
from pathlib import Path
from statistics import median
from typing import Any

import libcst

import dreck
from benchmarks.library import modules
from dreck.model.names.modules import ModuleNames
from dreck.proof.assumptions import DEFAULT_ASSUMPTIONS
from dreck.proof.entry import prove
from dreck.proof.subject import Subject
from dreck.trial.server import Version, run_trial


def seconds(work: Callable[[], Any], rounds: int = 1) -> float:
    """The shortest of `rounds` runs."""
    best = float("inf")
    for _ in range(rounds):
        begun = time.perf_counter()
        work()
        best = min(best, time.perf_counter() - begun)
    return best


def told(name: str, ours: float, theirs: float, against: str, reach: float) -> None:
    verdict = "reached" if ours / theirs <= reach else "MISSED"
    print(
        f"{name:<44} {ours:9.3f}s  {against:<34} {theirs:9.3f}s  ratio {ours / theirs:5.2f}  (<= {reach}: {verdict})",
        flush=True,
    )


def worked(work: Callable[[], Any]) -> float:
    """Seconds of the processor's time, of this process and of those that have ended meanwhile."""
    gc.collect()
    begun = _spent()
    work()
    return _spent() - begun


def _spent() -> float:
    """To the microsecond; `os.times` counts in hundredths."""
    found = [resource.getrusage(who) for who in (resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN)]
    return sum(one.ru_utime + one.ru_stime for one in found)


def _parsed(files: list[Path]) -> None:
    """Each file read and parsed, and let go of, as a survey does."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        for file in files:
            ast.parse(file.read_bytes())


def survey() -> None:
    files = modules()
    rounds = [(worked(lambda: dreck.survey(files, cache=False)), worked(lambda: _parsed(files))) for _ in range(5)]
    ours, parse = sorted(rounds, key=lambda pair: pair[0] / pair[1])[2]
    told(f"survey of {len(files)} modules, one process", ours, parse, "ast.parse, file by file", 1.5)
    with tempfile.TemporaryDirectory() as place:
        env = {**os.environ, "XDG_CACHE_HOME": place}
        command = [sys.executable, "-m", "dreck", "survey", *map(str, files), "--jobs", "1", "--top", "1"]
        runs = [worked(lambda: subprocess.run(command, env=env, capture_output=True, check=True)) for _ in range(3)]
    told("the second survey, nothing changed", runs[1], runs[0], "the first", 0.15)


def flatten() -> None:
    files = modules()
    texts = [file.read_bytes() for file in files]

    def parse() -> None:
        for text in texts:
            libcst.parse_module(text)

    theirs = seconds(parse)
    from dreck.workbench.engine.request import Request
    from dreck.workbench.engine.untangle import untangle

    for jobs in (os.cpu_count() or 1, 1):
        ours = seconds(lambda jobs=jobs: untangle(files, Request(verdict="proved", jobs=jobs)))
        told(f"flattening them by proof, {jobs} process(es)", ours, theirs, "libcst.parse_module, one process", 1.5)


def proof() -> None:
    def subject(lines: list[str]) -> Subject:
        tree = ast.parse("def f(a, b):\n" + "\n".join(lines))
        return Subject(tree.body[0], ModuleNames(tree))  # type: ignore[arg-type]

    def run(count: int) -> float:
        old = subject([f"    if a.x{i}:\n        b({i})" for i in range(count)])
        new = subject([f"    t{i} = a.x{i}\n    if t{i}:\n        b({i})" for i in range(count)])
        assert prove(old, new, DEFAULT_ASSUMPTIONS, budget=10**6).holds
        return seconds(lambda: prove(old, new, DEFAULT_ASSUMPTIONS, budget=10**6), 3)

    told("proof of 400 independent tests in a row", run(400), run(100), "the same with 100", 6.0)


def trial() -> None:
    code = (
        "def f(kilos, tare, member):\n    net = kilos - tare\n    if net < 0:\n        return 0\n"
        "    if net < 100:\n        return 0\n    cents = net * 2\n    if member and cents > 500:\n        cents = cents * 9 // 10\n    return cents\n"
    )
    path = Path(tempfile.mkdtemp()) / "fees.py"
    version = Version(path, code, "f")
    run_trial(version, version)
    space: dict[str, Any] = {}
    exec(code, space)
    count = [0]

    def ours() -> None:
        count[0] = run_trial(version, version).inputs

    total = seconds(ours, 3)

    def by_hand() -> None:
        f = space["f"]
        for i in range(count[0]):
            one = (i * 7 % 400, i % 50, i % 2 == 0)
            a, b = copy.deepcopy(one), copy.deepcopy(one)
            assert f(*a) == f(*b)
            assert a == b

    told(
        f"a trial of a scalar function, {count[0]} inputs",
        total,
        seconds(by_hand, 3),
        "deep-copy, call both, compare",
        3.0,
    )


def start() -> None:
    folder = Path(sys.executable).parent
    with tempfile.TemporaryDirectory() as place:
        small = Path(place, "small.py")
        small.write_text("def fee(load):\n    if load.permit:\n        return load.weight\n    return 0\n")
        # modules are compiled once and kept, as they are for everybody who has not forbidden it
        env = {
            name: value
            for name, value in os.environ.items()
            if name not in ("PYTHONDONTWRITEBYTECODE", "DRECK_NO_CACHE")
        }
        env["XDG_CACHE_HOME"] = place
        for asked, reach in ((["--help"], 4.0), (["--version"], 4.0), (["survey", str(small)], 6.0)):
            ours, theirs = [], []
            for _ in range(13):
                for found, command in ((ours, [folder / "dreck", *asked]), (theirs, [sys.executable, "-c", "pass"])):
                    run = partial(subprocess.run, command, env=env, capture_output=True, check=True)
                    found.append(worked(run))
            again = " of one small file, once more" if asked[0] == "survey" else ""  # the first fills the cache
            told(f"dreck {asked[0]}{again}", median(ours), median(theirs), "python -c pass", reach)


def main() -> None:
    print(
        f"{platform.platform()}, {os.cpu_count()} cores, Python {platform.python_version()}, dreck {dreck.__version__}"
    )
    known = {work.__name__: work for work in (start, proof, trial, survey, flatten)}
    for name in sys.argv[1:] or known:
        known[name]()


if __name__ == "__main__":
    main()
