"""How time and memory grow with the size of a code base, drawn into docs/scale.png.

    python -m benchmarks.scale [LINES ...]

Modules of the standard library are laid out again and again, each copy with a line of its own, until there are
so many lines; `dreck survey` of them is run as a command, the first time and once more.
"""

import os
import subprocess
import sys
import tempfile
import threading
import time
from dataclasses import dataclass
from pathlib import Path

from benchmarks.library import modules

SIZES = (1_000, 10_000, 100_000, 1_000_000)
FIGURE = Path(__file__).parents[1] / "docs" / "scale.png"
_EVERY = 0.05


@dataclass(frozen=True, slots=True)
class Run:
    """Seconds that passed, seconds of processors, and the most memory of all processes together, in megabytes."""

    wall: float
    worked: float
    memory: float


def main(sizes: list[int]) -> None:
    table: list[tuple[int, Run, Run]] = []
    for size in sizes:
        with tempfile.TemporaryDirectory() as folder:
            root, cache = Path(folder) / "code", Path(folder) / "cache"
            lines = lay_out(root, size)
            first, again = survey(root, cache), survey(root, cache)
        table.append((lines, first, again))
        print(f"{lines:>9,} lines: first {told(first)}; again {told(again)}", flush=True)
    draw(table)
    print(FIGURE)


def told(run: Run) -> str:
    return f"{run.wall:.2f} s, {run.worked:.2f} s of processors, {run.memory:.0f} MB"


def lay_out(root: Path, size: int) -> int:
    """Copies of modules below `root`, some hundred to a folder; the number of their lines."""
    texts = [path.read_text(encoding="utf-8", errors="replace") for path in modules()]
    lines = number = 0
    while lines < size:
        text = f"# copy {number}\n{texts[number % len(texts)]}"
        if lines + text.count("\n") > size * 1.1:
            text = "".join(text.splitlines(keepends=True)[:1])
        place = root / f"part{number // 200}" / f"module{number}.py"
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_text(text, encoding="utf-8")
        lines, number = lines + text.count("\n"), number + 1
    return lines


def survey(root: Path, cache: Path) -> Run:
    """One survey as a command, its processes watched."""
    command = [sys.executable, "-m", "dreck", "survey", str(root), "--json-lines"]
    env = {**os.environ, "XDG_CACHE_HOME": str(cache)}
    before, begun = os.times(), time.perf_counter()
    process = subprocess.Popen(command, env=env, stdout=subprocess.DEVNULL)
    peak = _Peak(process.pid)
    peak.start()
    process.wait()
    wall, after = time.perf_counter() - begun, os.times()
    peak.over.set()
    peak.join()
    worked = (after.children_user - before.children_user) + (after.children_system - before.children_system)
    return Run(wall, worked, peak.most / 1e6)


class _Peak(threading.Thread):
    """Watches what a process and those it has started hold together: shared pages counted once for each."""

    def __init__(self, pid: int) -> None:
        super().__init__(daemon=True)
        self.pid, self.most, self.over = pid, 0.0, threading.Event()

    def run(self) -> None:
        while not self.over.wait(_EVERY):
            self.most = max(self.most, sum(map(_held, _family(self.pid))))


def _family(pid: int) -> list[int]:
    found, pending = [], [pid]
    while pending:
        one = pending.pop()
        found.append(one)
        try:
            for task in Path(f"/proc/{one}/task").iterdir():
                pending += map(int, (task / "children").read_text().split())
        except OSError:
            continue  # it has ended
    return found


def _held(pid: int) -> int:
    """Bytes: the pages that are its own, and its part of those it shares."""
    try:
        rollup = Path(f"/proc/{pid}/smaps_rollup").read_text()
    except OSError:
        return 0
    return next((int(line.split()[1]) * 1024 for line in rollup.splitlines() if line.startswith("Pss:")), 0)


def draw(table: list[tuple[int, Run, Run]]) -> None:
    import matplotlib

    matplotlib.use("Agg")
    from matplotlib import pyplot

    figure, (left, right) = pyplot.subplots(1, 2, figsize=(10, 4))
    lines = [size for size, _, _ in table]
    for axes, name, what in ((left, "worked", "seconds of processors"), (right, "memory", "megabytes, all processes")):
        axes.plot(lines, [getattr(run, name) for _, run, _ in table], marker="o", label="first")
        axes.plot(lines, [getattr(run, name) for _, _, run in table], marker="s", linestyle="--", label="again")
        axes.set_xscale("log")
        axes.set_xlabel("lines of code")
        axes.set_ylabel(what)
        axes.grid(True, alpha=0.3)
        axes.legend()
    left.set_yscale("log")
    right.set_ylim(bottom=0)
    figure.suptitle("dreck survey: what a larger code base costs")
    figure.tight_layout()
    figure.savefig(FIGURE, dpi=110)


if __name__ == "__main__":
    main([int(argument.replace("_", "")) for argument in sys.argv[1:]] or list(SIZES))
