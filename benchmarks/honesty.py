"""Are wrong rewrites called wrong? Fifty real functions, five slips of the hand in each, all judged by `compare`.

    python -m benchmarks.honesty [HOW_MANY [PACKAGE ...]]

The functions are taken at even distances from the packages named, as far as they can be imported; without any from
the standard library and from click and Jinja2, which are installed here anyway. A slip that no input can tell from the original is possible; those that were not called
`differs` are listed with what was said instead, to be read by a person. Results: docs/evidence.md.
"""

import ast
import copy
import importlib.util
import itertools
import random
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

from benchmarks.library import LIBRARY, modules
from dreck.model.views.measures import measure
from dreck.source.files import read
from dreck.source.functions import Function, functions_in, parse, splice
from dreck.workbench.compare.compare import compare_texts
from dreck.workbench.compare.sides import Text
from dreck.workbench.compare.wanted import Wanted
from dreck.workbench.judging.judge import DEFAULT_ASSUMPTIONS

Maker = Callable[[ast.AST, random.Random], Iterator[ast.AST]]
_SLIPS = 5


@dataclass(frozen=True, slots=True)
class Slip:
    """One wrong rewrite: what was done, at which line, and the function's new lines."""

    kind: str
    line: int
    code: str


def functions(count: int, packages: tuple[str, ...] = ()) -> list[tuple[Path, str, Function]]:
    """Functions with real branching, at even distances."""
    found = []
    for path in _packages(packages) if packages else [*modules(), *_packages(("click", "jinja2"))]:
        text = read(path).text
        for function in functions_in(parse(text, path), text):
            shape = measure(function.node)
            if (
                _is_for_here(text)
                and not function.nested
                and 6 <= shape.tangle <= 60
                and 4 <= shape.ways <= 200
                and shape.depth >= 2
            ):
                found.append((path, text, function))
    return [found[i * len(found) // count] for i in range(count)]


def _is_for_here(text: str) -> bool:
    """Modules of other platforms cannot be executed here, and those whose functions C code replaces not watched."""
    return not any(f"import {name}" in text for name in ("winreg", "msvcrt", "_winapi", "_overlapped", "tkinter")) and (
        not any(f"from {name} import *" in text for name in ("_datetime", "_heapq", "_bisect", "_decimal"))
    )


def _packages(names: tuple[str, ...]) -> list[Path]:
    folders = [Path(importlib.util.find_spec(name).origin).parent for name in names]  # type: ignore
    return [file for folder in folders for file in sorted(folder.rglob("*.py"))]


def slips(function: Function, pick: random.Random) -> list[Slip]:
    """Up to five slips of different kinds."""
    made = []
    kinds = list(_KINDS.items())
    pick.shuffle(kinds)
    for kind, slip in kinds * 2:
        if len(made) == _SLIPS:
            break
        node = copy.deepcopy(function.node)
        places = [n for n in ast.walk(node) if not isinstance(n, ast.expr_context)]
        pick.shuffle(places)
        for place in places:
            line = getattr(place, "lineno", node.lineno)
            if slip(place):
                code = ast.unparse(ast.fix_missing_locations(node))
                if all(code != m.code for m in made) and code != ast.unparse(function.node):
                    made.append(Slip(kind, line, code))
                    break
                node = copy.deepcopy(function.node)
                break
    return made


# --- the slips: each changes the tree in place and says whether it could ---------------------------


def lost_negation(node: ast.AST) -> bool:
    match node:
        case ast.If(test=ast.UnaryOp(op=ast.Not(), operand=operand)):
            node.test = operand
        case ast.If(test=ast.Compare(ops=[ast.NotEq()]) as test):
            test.ops = [ast.Eq()]
        case ast.If(test=ast.Compare(ops=[ast.IsNot()]) as test):
            test.ops = [ast.Is()]
        case ast.If(test=test) if not isinstance(test, ast.BoolOp):
            node.test = ast.UnaryOp(ast.Not(), test)
        case _:
            return False
    return True


def off_by_one(node: ast.AST) -> bool:
    swapped = {ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt}
    match node:
        case ast.Compare(ops=[op]) if type(op) in swapped:
            node.ops = [swapped[type(op)]()]
            return True
    return False


def lost_case(node: ast.AST) -> bool:
    match node:
        case ast.If(orelse=[ast.If() as other]):
            node.orelse = other.orelse
        case ast.Compare(ops=[ast.In() | ast.NotIn()], comparators=[ast.Tuple(elts=[_, _, *_] as elts)]):
            elts.pop()
        case ast.BoolOp(op=ast.Or(), values=values) if len(values) > 1:
            values.pop()
        case _:
            return False
    return True


def swapped_guards(node: ast.AST) -> bool:
    """Two branches change places."""
    match node:
        case ast.If(body=body, orelse=orelse) if orelse and not isinstance(orelse[0], ast.If):
            node.body, node.orelse = orelse, body
            return True
    body = getattr(node, "body", None)
    if isinstance(body, list):
        for i, (a, b) in enumerate(itertools.pairwise(body)):
            if isinstance(a, ast.If) and isinstance(b, ast.If) and _leaves(a.body) and _leaves(b.body):
                body[i], body[i + 1] = b, a
                return True
    return False


def eager_operand(node: ast.AST) -> bool:
    """An operand gets a variable before the test, so that it always runs."""
    for field in ("body", "orelse"):
        body = getattr(node, field, None)
        if not isinstance(body, list):
            continue
        for i, s in enumerate(body):
            match s:
                case ast.If(test=ast.BoolOp(values=[_, *_, last])) if isinstance(
                    last, ast.Call | ast.Attribute | ast.Compare | ast.Subscript
                ):
                    s.test.values[-1] = ast.Name("is_wanted", ast.Load())  # type: ignore[attr-defined]
                    body.insert(i, ast.Assign([ast.Name("is_wanted", ast.Store())], last))
                    return True
    return False


def lost_continue(node: ast.AST) -> bool:
    body = getattr(node, "body", None)
    if isinstance(body, list) and body and isinstance(body[-1], ast.Continue | ast.Break):
        body[-1] = ast.Pass()
        return isinstance(node, ast.If)
    return False


def lost_return(node: ast.AST) -> bool:
    match node:
        case ast.If(body=[*rest, ast.Return() | ast.Raise()]):
            node.body = rest or [ast.Pass()]
            return True
    return False


def early_return(node: ast.AST) -> bool:
    """A branch leaves at once and skips what follows it."""
    body = getattr(node, "body", None)
    if isinstance(body, list):
        for i, s in enumerate(body[:-1]):
            if isinstance(s, ast.If) and not _leaves(s.body) and not isinstance(body[i + 1], ast.Return):
                s.body.append(ast.Return(ast.Constant(None)))
                return True
    return False


def _leaves(body: list[ast.stmt]) -> bool:
    return isinstance(body[-1], ast.Return | ast.Raise | ast.Continue | ast.Break)


_KINDS: dict[str, Callable[[ast.AST], bool]] = {
    "lost negation": lost_negation,
    "off by one": off_by_one,
    "lost case": lost_case,
    "swapped guards": swapped_guards,
    "eager operand": eager_operand,
    "lost continue": lost_continue,
    "lost return": lost_return,
    "early return": early_return,
}


def main(count: int, packages: tuple[str, ...] = ()) -> int:
    pick = random.Random(17)
    by_kind: dict[str, Counter[str]] = {}
    missed: list[str] = []
    begun = time.perf_counter()
    for path, text, function in functions(count, packages):
        name = _shown(path)
        plain = _with(text, function, ast.unparse(function.node))
        for slip in slips(function, pick):
            verdict = _judged(path, plain, _with(text, function, slip.code), function.name)
            by_kind.setdefault(slip.kind, Counter())[verdict[0]] += 1
            if verdict[0] != "differs":
                missed.append(f"{name}::{function.name}, line {slip.line}, {slip.kind}: {verdict[0]}: {verdict[1]}")
            print(".", end="", flush=True)
    print(f"\n{time.perf_counter() - begun:.0f} s")
    columns = ("differs", "unsettled", "tested", "proved")
    print(f"| slip | {' | '.join(columns)} |\n|---|{'--:|' * len(columns)}")
    for kind, told in sorted(by_kind.items()):
        print(f"| {kind} | {' | '.join(str(told[c]) for c in columns)} |")
    total = sum(by_kind.values(), Counter())
    print(f"| all | {' | '.join(str(total[c]) for c in columns)} |")
    print("\n".join(missed))
    return 0


def _judged(path: Path, old: str, new: str, name: str) -> tuple[str, str]:
    wanted = Wanted(only=(name,), assume=tuple(sorted(DEFAULT_ASSUMPTIONS)))
    try:
        verdict = compare_texts(Text(path, old), Text(path, new), wanted).functions[0][1]
    except Exception as error:
        return "error", repr(error)
    return verdict.status, verdict.reason


def _with(text: str, function: Function, code: str) -> str:
    first = text.splitlines()[function.node.lineno - 1]
    indent = first[: len(first) - len(first.lstrip())]
    return splice(text, function, "".join(f"{indent}{line}\n" for line in code.splitlines()))


def _shown(path: Path) -> str:
    return str(path.relative_to(LIBRARY)) if path.is_relative_to(LIBRARY) else path.name


if __name__ == "__main__":
    tempfile.tempdir = tempfile.mkdtemp()
    sys.exit(main(int(sys.argv[1]) if len(sys.argv) > 1 else 50, tuple(sys.argv[2:])))
