"""Pairs that come to answers of the proof no other pair has come to: those there are, changed at random.

    python -m tests.hunt.further SECONDS [SEED]

A piece of one pair is put into another, or taken out; what comes to a new answer is kept, made small, and put down in
tests/proof/further.txt. Where a pair is proved both versions are run: a difference is printed, and is a fault.
"""

# ruff: noqa: E402
from tests.hunt.answers import MET, PLACES, watch

watch()

import ast
import copy
import os
import random
import re
import signal
import sys
import tempfile
import time
import warnings
from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from dreck.workbench.compare.compare import compare_texts
from dreck.workbench.compare.sides import Text
from dreck.workbench.compare.wanted import Wanted
from tests.adversary.running import pairs_in, seen
from tests.proof import said
from tests.variations import variations

FILE = Path(said.__file__).parent / "further.txt"
_HEADS = (ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef)
_LONGEST = 4_000
_BLOCKS = ("body", "orelse", "finalbody")


@dataclass(frozen=True)
class Case:
    name: str
    old: str
    new: str
    assumed: tuple[str, ...]
    calls: tuple[str, ...]


def cases() -> list[Case]:
    """What there is to change: all pairs whose verdict is put down, with calls where they have some."""
    calls: dict[str, tuple[str, ...]] = {f"variations: {v.name}": v.calls for v in variations()}
    for room in ("adversary", "deception"):
        for path in sorted((said.TESTS / room).glob("*.txt")):
            calls |= {f"{room}: {p.name}": (p.call,) for p in pairs_in(path.read_text())}
    return [Case(name, old, new, assumed, calls.get(name, ())) for name, old, new, assumed in said.texts()]


class Pieces:
    """Expressions and statements of all pairs, by where they can stand."""

    def __init__(self, cases: list[Case]) -> None:
        found: dict[str, dict[str, ast.AST]] = {k: {} for k in ("expr", "stmt", "top", "member", "decorator", "base")}
        for tree in (t for c in cases for text in (c.old, c.new) if (t := _tree(text)) is not None):
            for kind, n in _pieces(tree):
                found[kind].setdefault(ast.dump(n), n)
        self.of = {kind: list(known.values()) for kind, known in found.items()}

    def one(self, pick: random.Random, kind: str) -> Any:
        return copy.deepcopy(pick.choice(self.of[kind]))


def _pieces(tree: ast.Module) -> Iterator[tuple[str, ast.AST]]:
    yield from (("top", s) for s in tree.body)
    for n in ast.walk(tree):
        if _is_value(n) and not isinstance(n, ast.Slice | ast.Yield | ast.YieldFrom | ast.Await):
            yield "expr", n
        if isinstance(n, _HEADS):
            yield from (("decorator", d) for d in n.decorator_list)
        if isinstance(n, ast.ClassDef):
            yield from (("base", b) for b in n.bases)
            yield from (("member", s) for s in n.body)
        elif isinstance(n, ast.FunctionDef | ast.AsyncFunctionDef):
            yield from (("stmt", s) for s in n.body)


def _is_value(n: ast.AST) -> bool:
    stored = isinstance(getattr(n, "ctx", None), ast.Store | ast.Del)
    return (
        isinstance(n, ast.expr) and not stored and not isinstance(n, ast.Starred | ast.JoinedStr | ast.FormattedValue)
    )


def _tree(text: str) -> ast.Module | None:
    with suppress(SyntaxError):
        return ast.parse(text)
    return None


def changed(pick: random.Random, case: Case, pieces: Pieces) -> Case:
    """The pair with one to three changes, mostly at the same place of both versions. Raises SyntaxError for no code."""
    trees = ast.parse(case.old), ast.parse(case.new)
    for _ in range(pick.choice((1, 1, 1, 2, 2, 3))):
        base = pick.choice(trees)
        both = trees if pick.random() < 0.75 else (base,)
        change = pick.choices((_expression, _statement, _gone, _top, _member), (45, 30, 10, 8, 7))[0]
        change(pick, base, both, pieces)
    texts = [ast.unparse(ast.fix_missing_locations(t)) + "\n" for t in trees]
    for text in texts:
        compile(text, "yard", "exec", dont_inherit=True)
    return Case(case.name, texts[0], texts[1], case.assumed, case.calls)


def _expression(pick: random.Random, base: ast.Module, both: tuple[ast.Module, ...], pieces: Pieces) -> None:
    values = [n for n in ast.walk(base) if _is_value(n)]
    old: Any = pick.choice(values)
    held = copy.deepcopy(old)
    other = copy.deepcopy(pick.choice(values))
    ways: list[Callable[[], Any]] = [
        lambda: pieces.one(pick, "expr"), lambda: pieces.one(pick, "expr"), lambda: other,
        lambda: ast.Constant(pick.choice((0, 1, -1, True, None, "", "a", 2.5, b"x"))),
        lambda: ast.UnaryOp(ast.Not(), held), lambda: ast.Subscript(held, ast.Constant(0), ast.Load()),
        lambda: ast.Attribute(held, pick.choice(("size", "name", "kind")), ast.Load()),
        lambda: ast.Call(ast.Name(pick.choice(("len", "bool", "str", "list", "iter", "type", "any")), ast.Load()), [held], []),
        lambda: ast.IfExp(other, held, pieces.one(pick, "expr")),
    ]  # fmt: skip
    new = pick.choice(ways)()
    for tree in both:
        _Put(ast.dump(old), new).visit(tree)


class _Put(ast.NodeTransformer):
    def __init__(self, old: str, new: ast.AST) -> None:
        self.old, self.new = old, new

    def visit(self, node: ast.AST) -> Any:
        if _is_value(node) and ast.dump(node) == self.old:
            return copy.deepcopy(self.new)
        return self.generic_visit(node)


def _statement(pick: random.Random, base: ast.Module, both: tuple[ast.Module, ...], pieces: Pieces) -> None:
    old: Any = pick.choice([n for n in ast.walk(base) if isinstance(n, ast.stmt)])
    told, new, way = ast.dump(old), pieces.one(pick, "stmt"), pick.random()
    if isinstance(old, _HEADS) and way < 0.7:
        part = "bases" if isinstance(old, ast.ClassDef) and way < 0.35 else "decorator_list"
        added = pieces.one(pick, "base" if part == "bases" else "decorator")
        for tree in both:
            for n in ast.walk(tree):
                if isinstance(n, _HEADS) and ast.dump(n) == told:
                    getattr(n, part).append(copy.deepcopy(added))
                    break
        return
    for block, at in _places(both, told):
        block[at : at + (way > 0.85)] = [copy.deepcopy(new)]


def _gone(pick: random.Random, base: ast.Module, both: tuple[ast.Module, ...], pieces: Pieces) -> None:
    told = ast.dump(pick.choice([n for n in ast.walk(base) if isinstance(n, ast.stmt)]))
    for block, at in _places(both, told):
        if len(block) > 1:
            del block[at]


def _places(trees: tuple[ast.Module, ...], told: str) -> list[tuple[list[ast.stmt], int]]:
    blocks = [b for t in trees for n in ast.walk(t) for f in _BLOCKS if isinstance(b := getattr(n, f, None), list)]
    return [
        (b, i) for b in blocks for i in range(len(b))[:1000] if isinstance(b[i], ast.stmt) and ast.dump(b[i]) == told
    ][: len(trees)]


def _top(pick: random.Random, base: ast.Module, both: tuple[ast.Module, ...], pieces: Pieces) -> None:
    new, where = pieces.one(pick, "top"), pick.random()
    for tree in both:
        tree.body.insert(int(where * (len(tree.body) + 1)), copy.deepcopy(new))


def _member(pick: random.Random, base: ast.Module, both: tuple[ast.Module, ...], pieces: Pieces) -> None:
    kinds = [n.name for n in ast.walk(base) if isinstance(n, ast.ClassDef)]
    new = pieces.one(pick, "member")
    name = pick.choice(kinds) if kinds else ""
    for n in (n for tree in both for n in ast.walk(tree) if isinstance(n, ast.ClassDef) and n.name == name):
        n.body.append(copy.deepcopy(new))


def said_of(case: Case) -> str:
    texts = (Text(Path("yard.py"), text) for text in (case.old, case.new))
    return compare_texts(*texts, Wanted(trial=False, assume=case.assumed)).verdict.status


def answers_of(case: Case) -> set[Any]:
    """The answers the proof comes to on its way; none for a pair it cannot be asked about."""
    MET.clear()
    with suppress(Exception), warnings.catch_warnings():
        warnings.simplefilter("ignore")
        said_of(case)
        return set(MET)
    return set()


def differs(case: Case) -> str:
    """A call for which the versions do not do the same, run in a process of its own; '' where none is found."""
    reading, writing = os.pipe()
    child = os.fork()
    if child == 0:
        told = b""
        with suppress(BaseException):
            os.chdir(tempfile.gettempdir())
            signal.alarm(5)
            nothing = os.open(os.devnull, os.O_RDWR)
            for stream in range(3):
                os.dup2(nothing, stream)
            for call in case.calls:
                old, new, again = (_plain(seen(text, call)) for text in (case.old, case.new, case.old))
                told = told or (call.encode() if old != new and old == again else b"")
        os.write(writing, told)
        os._exit(0)
    os.close(writing)
    with os.fdopen(reading, "rb") as stream:
        found = stream.read().decode()
    os.waitpid(child, 0)
    return found


def _plain(what: Any) -> Any:
    if isinstance(what, tuple):
        return tuple(map(_plain, what))
    return re.sub(r"0x[0-9a-f]+", "0x", what) if isinstance(what, str) else what


def _defined(text: str) -> set[str]:
    return {n.name for n in ast.walk(ast.parse(text)) if isinstance(n, _HEADS)}


def grown(known: set[Any], seconds: float, seed: int) -> Iterator[tuple[Case, set[Any]]]:
    """New pairs with the answers they alone have come to, as long as there is time."""
    every = [c for c in cases() if len(c.old) < _LONGEST]
    pieces, pick, until = Pieces(every), random.Random(seed), time.monotonic() + seconds
    while time.monotonic() < until:
        base = pick.choice(every)
        try:
            case = changed(pick, base, pieces)
        except (SyntaxError, ValueError, TypeError, IndexError, AttributeError, RecursionError):
            continue
        kept = all(_defined(a) <= _defined(b) for a, b in ((base.old, case.old), (base.new, case.new)))
        if not kept or case.old == case.new or len(case.old) > _LONGEST:
            continue
        found = answers_of(case)
        if case.calls and found and said_of(case) == "proved" and (call := differs(case)):
            print(f"proved, and not the same: {case.name}: {call}\n{case.old}---\n{case.new}", flush=True)
        if found - known:
            small = smaller(case, found - known)
            yield small, found - known
            known |= found
            every.append(small)


def smaller(case: Case, wanted: set[Any]) -> Case:
    """The pair without the statements that it does not need to come to these answers."""
    best, at = case, 0
    while True:
        trees = ast.parse(best.old), ast.parse(best.new)
        told = list(dict.fromkeys(ast.dump(n) for t in trees for n in ast.walk(t) if isinstance(n, ast.stmt)))
        if at >= len(told):
            return best
        for block, i in reversed(_places(trees, told[at])):
            if len(block) > 1:
                del block[i]
        texts = [ast.unparse(t) + "\n" for t in trees]
        tried = Case(case.name, texts[0], texts[1], case.assumed, case.calls)
        fewer = len(tried.old + tried.new) < len(best.old + best.new)
        if fewer and texts[0] != texts[1] and wanted <= answers_of(tried):
            best = tried
        else:
            at += 1


def main() -> int:
    seconds, seed = float(sys.argv[1]), int(sys.argv[2]) if len(sys.argv) > 2 else 0
    for _ in said.said():
        pass
    known = set(MET)
    print(f"{len(known)} answers of {2 * len(PLACES)} are come to", flush=True)
    count = FILE.read_text().count("=== ") if FILE.exists() else 0
    with FILE.open("a") as file:
        for case, new in grown(known, seconds, seed):
            count += 1
            assumed = f"{', '.join(case.assumed) or 'nothing'}"
            file.write(f"=== {count}\n--- old\n{case.old}--- new\n{case.new}--- call\n{assumed}\n")
            print(f"{count}: {len(new)} more answers, from {case.name}", flush=True)
    return 0


if __name__ == "__main__":
    sys.exit(main())
