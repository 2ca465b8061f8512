"""`make corpus`: flatten whole code bases and see that nothing breaks.

    python -m benchmarks.corpus [flatten] [python] [packages] [spread] [hunt]

`flatten` works on a copy of the standard library; `python` runs CPython's own regression tests on it, before and
after; `packages` does the same with four code bases from the package index and their tests; `hunt` runs a million
random pairs.
"""

import os
import shutil
import subprocess
import sys
import tarfile
import tempfile
import time
from collections import Counter
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any

import dreck
from benchmarks.library import LIBRARY, modules
from dreck.source.functions import functions_in, parse
from dreck.source.lines import split_lines
from dreck.workbench.engine.request import Request
from dreck.workbench.engine.straighten import comments
from dreck.workbench.engine.untangle import untangle
from dreck.workbench.results import FileResult, Result

PLACE = Path(".corpus")
PACKAGES = {"click": "src/click", "pygments": "pygments", "jinja2": "src/jinja2", "boltons": "boltons"}
"""Code bases from the package index: where their source stands in the archive; their tests are in `tests`."""
TESTS = [
    "argparse",
    "array",
    "ast",
    "base64",
    "bisect",
    "bdb",
    "binascii",
    "cmd",
    "code",
    "codecs",
    "calendar",
    "collections",
    "colorsys",
    "compileall",
    "configparser",
    "contextlib",
    "copy",
    "csv",
    "dataclasses",
    "datetime",
    "decimal",
    "difflib",
    "dis",
    "doctest",
    "email",
    "enum",
    "filecmp",
    "fileinput",
    "fnmatch",
    "fractions",
    "functools",
    "getopt",
    "gettext",
    "glob",
    "graphlib",
    "gzip",
    "hashlib",
    "heapq",
    "hmac",
    "html",
    "htmlparser",
    "http_cookies",
    "httpservers",
    "imaplib",
    "inspect",
    "ipaddress",
    "json",
    "keyword",
    "linecache",
    "locale",
    "logging",
    "lzma",
    "mailbox",
    "mimetypes",
    "modulefinder",
    "netrc",
    "ntpath",
    "numbers",
    "opcode",
    "operator",
    "optparse",
    "pathlib",
    "pickle",
    "pickletools",
    "pkgutil",
    "plistlib",
    "posixpath",
    "pprint",
    "profile",
    "pstats",
    "pyclbr",
    "pydoc",
    "queue",
    "quopri",
    "random",
    "re",
    "reprlib",
    "rlcompleter",
    "robotparser",
    "sched",
    "secrets",
    "shelve",
    "shlex",
    "shutil",
    "smtplib",
    "socketserver",
    "statistics",
    "string",
    "stringprep",
    "struct",
    "subprocess",
    "symtable",
    "tabnanny",
    "tarfile",
    "tempfile",
    "textwrap",
    "threading",
    "timeit",
    "tokenize",
    "tomllib",
    "trace",
    "traceback",
    "turtle",
    "types",
    "typing",
    "unittest",
    "urllib",
    "urlparse",
    "uuid",
    "warnings",
    "weakref",
    "xml_etree",
    "zipapp",
    "zipfile",
]


def main() -> None:
    PLACE.mkdir(exist_ok=True)
    asked = sys.argv[1:] or ["flatten", "python", "packages", "spread", "hunt"]
    results = [_PARTS[name]() for name in asked]
    sys.exit(0 if all(results) else 1)


# --- flattening ----------------------------------------------------------------------------------------


def flatten() -> bool:
    """The standard library, flattened in a copy of the interpreter; bytes, comments and a second run checked."""
    for name in ("before", "after"):
        copy_interpreter(PLACE / name)
    return _flattened(sorted(library_in(PLACE / "after")), "standard library")


def copy_interpreter(home: Path) -> None:
    """An interpreter that runs from `home` with the library there: nothing else then tells the copies apart."""
    shutil.rmtree(home, ignore_errors=True)
    prefix = Path(sys.base_prefix)
    version = f"python{sys.version_info.major}.{sys.version_info.minor}"
    (home / "bin").mkdir(parents=True)
    shutil.copy2(prefix / "bin" / version, home / "bin" / "python3")
    ignored = shutil.ignore_patterns("site-packages", "__pycache__")
    shutil.copytree(LIBRARY, home / "lib" / version, ignore=ignored, symlinks=True)
    for library in (prefix / "lib").glob("libpython*"):
        shutil.copy2(library, home / "lib" / library.name)
    (home / "lib" / version / "site-packages").mkdir()


def library_in(home: Path) -> list[Path]:
    version = f"python{sys.version_info.major}.{sys.version_info.minor}"
    return [home / "lib" / version / file.relative_to(LIBRARY) for file in modules()]


def _flattened(paths: list[Path], name: str) -> bool:
    begun = time.perf_counter()
    result = _untangled(paths, write=True)
    took = time.perf_counter() - begun
    _table(name, result, took)
    harmed = [str(f.path) for f in result.files if not _whole(f)]
    again = _untangled(paths, write=False)
    print(f"files with a byte changed outside the changed functions, or a comment lost: {harmed or 'none'}")
    print(f"steps of a second run: {len(again.steps)}", flush=True)
    for step in again.functions:
        if step.steps:
            print(f"  {step.path}::{step.name} {[s.step for s in step.steps]}")
    return not harmed and not again.steps


def _untangled(paths: list[Path], write: bool) -> Result:
    return untangle(paths, Request(verdict="proved", write=write, jobs=os.cpu_count() or 1))


def _table(name: str, result: Result, seconds: float) -> None:
    steps = Counter(s.step for s in result.steps)
    refused = Counter(r.step for r in result.refused)
    print(
        f"\n{name}: {len(result.files)} files, {len(result.functions)} functions, {seconds:.0f} s, {len(result.skipped)} files skipped"
    )
    print(f"{'step':<20} {'proved':>7} {'tested':>7} {'refused':>8}")
    for step in sorted(steps.keys() | refused.keys()):
        statuses = Counter(s.verdict.status for s in result.steps if s.step == step)
        print(f"{step:<20} {statuses['proved']:>7} {statuses['tested']:>7} {refused[step]:>8}")
    before = sum(f.before.tangle for f in result.functions)
    after = sum(f.after.tangle for f in result.functions)
    changed = sum(1 for f in result.functions if f.changed)
    print(
        f"{'all':<20} {sum(steps.values()):>7} {'':>7} {sum(refused.values()):>8}   {changed} functions changed, tangle {before} -> {after}"
    )
    reasons = Counter(_kind_of(r.reason) for r in result.refused)
    for reason, count in reasons.most_common(12):
        print(f"  refused {count:>4}  {reason}")


def _kind_of(reason: str) -> str:
    for words in (
        "sees the names of a frame",
        "comment",
        "budget",
        "nested too deep",
        "signatures",
        "LibCST",
        "several statements",
    ):
        if words in reason:
            return words
    return "the two sides could not be shown to go on alike"


def _whole(result: FileResult) -> bool:
    """Nothing outside the changed functions differs by a byte, and every comment is still there."""
    if comments(result.old) - comments(result.new):
        return False
    changed = {f.name for f in result.functions if f.changed}
    return _around(result.old, changed) == _around(result.new, changed)


def _around(text: str, changed: set[str]) -> list[str]:
    lines = split_lines(text)
    functions = [f for f in functions_in(parse(text), text) if f.name in changed]
    for f in sorted(functions, key=lambda f: -f.start):
        outer = any(o is not f and o.start <= f.start and f.end <= o.end for o in functions)
        if not outer:
            lines[f.start - 1 : f.end] = [f"<{f.name}>"]
    return lines


# --- tests of others -----------------------------------------------------------------------------------


def python() -> bool:
    """CPython's own regression tests, on the copy before and on the copy after."""
    failures = {}
    for name in ("before", "after"):
        failures[name] = regression_tests(name)
    new = failures["after"] - failures["before"]
    print(f"new failures: {sorted(new) or 'none'}")
    return not new


def regression_tests(name: str) -> set[str]:
    """What does not pass of CPython's own tests in the copy called `name`."""
    log = PLACE / f"python-{name}.log"
    names = [f"test_{test}" for test in TESTS]
    begun = time.perf_counter()
    with log.open("w") as out:
        home = (PLACE / name).absolute()
        command = [home / "bin" / "python3", "-m", "test", f"-j{os.cpu_count()}", "-W", "--timeout", "300", *names]
        env = {k: v for k, v in os.environ.items() if not k.startswith("PYTHON")}
        env["LD_LIBRARY_PATH"] = str(home / "lib")
        subprocess.run(command, cwd=PLACE, env=env, stdout=out, stderr=subprocess.STDOUT, check=False)
    failed = _failed(log)
    took = time.perf_counter() - begun
    print(f"regression tests {name}: {len(names)} asked for, {took:.0f} s, not passed: {sorted(failed)}")
    totals = [line for line in log.read_text().splitlines() if line.startswith("Total tests")]
    print("  " + "; ".join(totals), flush=True)
    return failed


def _failed(log: Path) -> set[str]:
    """Single tests that failed, and test files that could not be run."""
    lines = log.read_text(errors="replace").splitlines()
    single = {line for line in lines if line.startswith(("FAIL: ", "ERROR: "))}
    return single | {line.split(" -- ")[0] for line in lines if line.startswith("test test_") and " crashed" in line}


def packages() -> bool:
    """Four code bases from the package index: their own tests before and after."""
    results = [_package(name) for name in PACKAGES]
    return all(results)


def _package(name: str) -> bool:
    root = fetched(name)
    passed_before = own_tests(root)
    fine = _flattened([root / PACKAGES[name]], name)
    passed_after = own_tests(root)
    print(f"{name}: its tests before: {passed_before}; after: {passed_after}", flush=True)
    return fine and " passed" in passed_before and counts(passed_before) == counts(passed_after)


def fetched(name: str) -> Path:
    """The source of a package, fresh from the index, with its tests."""
    place = PLACE / name
    shutil.rmtree(place, ignore_errors=True)
    place.mkdir()
    options = ["--quiet", "--no-deps", "--no-binary", ":all:", "--dest", str(place)]
    subprocess.run([sys.executable, "-m", "pip", "download", *options, name], check=True)
    with tarfile.open(next(place.glob("*.tar.gz"))) as archive:
        archive.extractall(place, filter="data")
    return next(p for p in place.iterdir() if p.is_dir())


def own_tests(root: Path) -> str:
    """How a package's own tests end."""
    tests = root / "tests"
    env = {**os.environ, "PYTHONPATH": str((root / PACKAGES[root.name.partition("-")[0]]).parent.absolute())}
    command = [
        sys.executable,
        "-m",
        "pytest",
        "-rN",
        "-p",
        "no:cacheprovider",
        "-p",
        "no:asyncio",
        "--continue-on-collection-errors",
        str(tests.absolute()),
    ]
    done = subprocess.run(command, cwd=root, env=env, capture_output=True, text=True, check=False)
    told = [line for line in done.stdout.splitlines() if " passed" in line]
    return told[-1] if told else f"nothing passed: {(done.stdout + done.stderr)[-200:]}"


def counts(line: str) -> Iterable[str]:
    return line.split(" in ")[0].strip("= ").split(", ")


def hunt() -> bool:
    """A million random pairs, half on each core."""
    env = {**os.environ, "DRECK_HUNT": "1000000", "DRECK_HUNT_SEED": "1"}
    command = [sys.executable, "-m", "pytest", "-q", "-rN", "-s", "tests/hunt"]
    return subprocess.run(command, env=env, check=False).returncode == 0


def spread() -> bool:
    """Survey, census, untangle and compare over a cluster's workers: what comes out is what one process finds."""
    from distributed import Client, LocalCluster

    library = Path(LIBRARY)
    few = [library / "json", library / "email"]
    with tempfile.TemporaryDirectory() as folder:
        changed = Path(folder) / "json"
        shutil.copytree(library / "json", changed, ignore=shutil.ignore_patterns("__pycache__"))
        untangle([changed], Request(verdict="proved", write=True, cache=False))
        asked: dict[str, Callable[[Any], Any]] = {
            "survey": lambda executor: dreck.survey(LIBRARY, executor=executor, cache=False).rows,
            "census": lambda executor: dreck.census(LIBRARY, executor=executor, cache=False).as_json(),
            "untangle": lambda executor: dreck.untangle(
                few, verdict="proved", executor=executor, cache=False
            ).as_json(),
            "compare": lambda executor: (
                dreck.compare(library / "json", changed, verdict="proved", executor=executor, cache=False).functions
            ),
        }
        alike = []
        cluster = LocalCluster(n_workers=2, threads_per_worker=1, dashboard_address=None)
        with cluster, Client(cluster) as client:
            for name, ask in asked.items():
                begun = time.perf_counter()
                spread = ask(client.get_executor())
                middle = time.perf_counter()
                alike.append(spread == ask(None))
                took = f"workers {middle - begun:.1f} s, one process {time.perf_counter() - middle:.1f} s"
                print(f"{name}: {'the same' if alike[-1] else 'NOT the same'}; {took}")
    return all(alike)


_PARTS = {"flatten": flatten, "python": python, "packages": packages, "spread": spread, "hunt": hunt}

if __name__ == "__main__":
    main()
