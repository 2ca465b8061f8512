"""Diffs for a person to read, and what of them a machine can count.

    python -m benchmarks.readers [--draw N] [--seed S] [-o FILE.md] PACKAGE...

Straightens every module of the installed packages named, by proof alone; draws N of the changed functions at random and
writes their diffs as one page, to be graded: A gladly merged, B neither way, C sent back. Prints for all of them how
often what no reviewer wants is there.
"""

import argparse
import ast
import importlib.util
import itertools
import os
import random
import re
import sys
from collections import Counter
from collections.abc import Iterator
from pathlib import Path

from dreck.source.files import python_files
from dreck.source.lines import split_lines, width_of
from dreck.workbench.engine.request import Request
from dreck.workbench.engine.untangle import untangle
from dreck.workbench.results import FunctionResult

_NOT_COMPARED = re.compile(r"\bnot [\w.\[\]()\"']+ (<|>|<=|>=) ")
_LEAVING = (ast.Return, ast.Raise, ast.Continue, ast.Break)
_TERNARY = re.compile(r"True if .+ else False|False if .+ else True")


def changed(packages: list[str]) -> Iterator[FunctionResult]:
    """Every function that changes, package by package."""
    for package in packages:
        spec = importlib.util.find_spec(package)
        assert spec is not None and spec.origin is not None, f"{package} is not installed"
        place = Path(spec.origin)
        files = list(python_files(place.parent)) if place.stem.partition(".")[0] == "__init__" else [place]
        result = untangle(map(str, files), Request(verdict="proved", jobs=os.cpu_count() or 1))
        yield from (f for f in result.functions if f.changed)


def counted(f: FunctionResult) -> Iterator[str]:
    """What is wrong with a changed function, as far as a machine sees it."""
    old, new = split_lines(f.old), split_lines(f.new)
    said = {line.strip() for line in old}
    fresh = [line for line in new if line.strip() not in said]
    if any(_NOT_COMPARED.search(line) for line in fresh):
        yield "a negation in front of a comparison"
    if any("not (" in line for line in fresh):
        yield "not (...)"
    if any(_TERNARY.search(line) for line in fresh):
        yield "True if ... else False"
    if _double_blank(new) > _double_blank(old):
        yield "two blank lines"
    if not _indents(f.new) <= _indents(f.old):
        yield "an indent that was not there before"
    if any(line.rstrip("\r\n") != line.rstrip() for line in fresh):
        yield "blanks at the end of a line"
    if f.after.tangle >= f.before.tangle and len(new) >= len(old):
        yield "no less tangle and no fewer lines"
    width = width_of(f.path.read_text())
    if any(_would_fit(at, new, width) for at in range(len(new) - 1) if new[at] not in old):
        yield "a wrapped statement that would fit"
    if _rows_of_options(f.new) < _rows_of_options(f.old):
        yield "a row of optional ifs that was turned"


def _would_fit(at: int, lines: list[str], width: int) -> bool:
    """Whether what is wrapped at the end of a line, in the formatters' style, has room on one: `x = f(` / `a` / `)`."""
    head, inner, last = (line.rstrip() for line in (*lines[at : at + 3], "", "")[:3])
    if not head.endswith(("(", "[")) or not last.strip().startswith((")", "]")) or inner.endswith((",", "(", "[", "{")):
        return False
    return "#" not in head + inner + last and len(head + inner.strip() + last.strip()) <= width


def _rows_of_options(text: str) -> int:
    """How many runs of three and more ifs without `else`, none of which leaves, stand in the blocks of a function."""
    found = 0
    for node in ast.walk(ast.parse(f"if True:\n{text}" if text[:1].isspace() else text)):
        for block in (getattr(node, "body", None), getattr(node, "orelse", None)):
            if isinstance(block, list):
                optional = [
                    isinstance(s, ast.If) and not s.orelse and not isinstance(s.body[-1], _LEAVING) for s in block
                ]
                found += sum(len(list(run)) > 2 for kind, run in itertools.groupby(optional) if kind)
    return found


def _double_blank(lines: list[str]) -> int:
    return sum(not a.strip() and not b.strip() for a, b in itertools.pairwise(lines))


def _indents(text: str) -> set[int]:
    """By how much the blocks of a function are indented."""
    tree: ast.AST = ast.parse(f"if True:\n{text}" if text[:1].isspace() else text)
    if text[:1].isspace():
        tree = tree.body[0].body[0]  # type: ignore[attr-defined]
    return {
        block[0].col_offset - node.col_offset
        for node in ast.walk(tree)
        if isinstance(node, ast.stmt)
        for block in (getattr(node, "body", []), getattr(node, "orelse", []))
        if block
        and isinstance(block[0], ast.stmt)
        and block[0].lineno != node.lineno
        and block[0].col_offset > node.col_offset
    }


def page(drawn: list[FunctionResult]) -> str:
    parts = ["# Changed functions, to be graded\n"]
    for number, f in enumerate(drawn, 1):
        steps = ", ".join(dict.fromkeys(step.step for step in f.steps))
        told = f"tangle {f.before.tangle} to {f.after.tangle}; {steps}"
        parts.append(f"## {number}. {f.name} ({told})\n\n```diff\n{diff_of(f)}```\n\nGrade:\n")
    return "\n".join(parts)


def diff_of(f: FunctionResult) -> str:
    import difflib

    lines = difflib.unified_diff(split_lines(f.old), split_lines(f.new), str(f.path), "after", n=4)
    return "".join(line if line.endswith("\n") else f"{line}\n" for line in lines)


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("packages", nargs="+")
    parser.add_argument("--draw", type=int, default=60)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("-o", type=Path, dest="output")
    parser.add_argument("--show", default="", help="print the diffs in which this is found")
    asked = parser.parse_args()
    found = list(changed(asked.packages))
    faults: Counter[str] = Counter()
    for f in found:
        for fault in counted(f):
            faults[fault] += 1
            if asked.show and asked.show in fault:
                print(diff_of(f))
    print(f"{len(found)} changed functions of {len(asked.packages)} packages")
    for fault, count in faults.most_common():
        print(f"{count:>6}  {fault}")
    if asked.output is not None:
        drawn = random.Random(asked.seed).sample(found, min(asked.draw, len(found)))
        asked.output.write_text(page(drawn))
        print(f"{asked.output}: {len(drawn)} of them to be graded")
    return 0


if __name__ == "__main__":
    sys.exit(main())
