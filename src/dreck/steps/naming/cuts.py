"""Cuts: runs of statements that belong together, ranked by what they take off the reader."""

import ast
from bisect import bisect_right
from collections.abc import Iterator
from dataclasses import dataclass, replace

from dreck.model.views.measures import measure, silhouette
from dreck.model.views.shape import is_elif
from dreck.source.functions import FunctionNode, blocks_of
from dreck.steps.naming.blocks import Block, own_statements, passed
from dreck.steps.naming.exits import tells_apart
from dreck.steps.support.arm_comments import said_of_block
from dreck.steps.support.names.results import by_result
from dreck.steps.support.scene import Scene
from dreck.steps.support.sheet import Sheet

_FEWEST_LINES = 4
_MOST_IN = 5
_MOST_OUT = 2
_MOST_OF_IT = 0.7
_SMALLER = 0.25
_LEAST_GAIN = 4
"""Tangle that has to be gone, both functions together."""
_NAMED = 4


@dataclass(frozen=True, slots=True)
class Cut:
    """A block worth a function: the tangle before, and after in the function and its helper together."""

    block: Block
    first: int
    last: int
    before: float
    after: float

    @property
    def gain(self) -> float:
        return self.before - self.after

    @property
    def lines(self) -> int:
        return self.last - self.first + 1


def block_of_lines(function: FunctionNode, first: int, last: int) -> Block | None:
    """The statements that hold the lines, grown to whole ones, in the innermost block that has them all."""
    return _held(Block(function.body, function.body[0], False, (), True), first, last)


def _held(block: Block, first: int, last: int) -> Block | None:
    held = [s for s in block.body if s.lineno <= last and (s.end_lineno or s.lineno) >= first]
    if len(held) == 1:
        ends = block.at_end and held[0] is block.body[-1]
        for inner in _below(held[0], block.loops, ends):
            if inner.body[0].lineno <= first and last <= (inner.body[-1].end_lineno or 0):
                return _held(inner, first, last)
    return replace(block, body=held, at_end=block.at_end and held[-1] is block.body[-1]) if held else None


def _runs(function: FunctionNode) -> Iterator[Block]:
    """Every block of the function, whole, with the loops around it."""
    yield from _inside(function.body, (), True)


def _inside(body: list[ast.stmt], loops: tuple[ast.stmt, ...], at_end: bool) -> Iterator[Block]:
    yield Block(body, body[0], False, loops, at_end)
    for s in body:
        for inner in _within(s, loops, at_end and s is body[-1]):
            yield from _inside(inner.body, inner.loops, inner.at_end)


def _within(s: ast.stmt, loops: tuple[ast.stmt, ...], at_end: bool) -> Iterator[Block]:
    """The blocks inside a statement; an `elif` is part of its chain, and no block of its own."""
    for inner in _below(s, loops, at_end):
        if isinstance(s, ast.If) and inner.body is s.orelse and is_elif(s):
            yield from _within(inner.body[0], loops, inner.at_end)
        else:
            yield inner


def _below(s: ast.stmt, loops: tuple[ast.stmt, ...], at_end: bool) -> Iterator[Block]:
    """The blocks inside a statement, those of nested functions and classes left out."""
    if isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
        return
    is_loop = isinstance(s, ast.For | ast.AsyncFor | ast.While)
    plain = isinstance(s, ast.If | ast.With | ast.AsyncWith)
    for inner in blocks_of(s):
        in_loop = is_loop and inner is s.body  # type: ignore[attr-defined]
        if inner:
            yield Block(inner, inner[0], False, (*loops, s) if in_loop else loops, in_loop or (at_end and plain))


def best_cuts(scene: Scene, most: int) -> list[Cut]:
    """The set of cuts, none inside another, that together take most off the reader, best first, up to `most`; then as
    many smaller ones, for where those cannot be made.

    Where none can be told its ways out, all are there, for the reason to be said.
    """
    every = list(_candidates(scene))
    found = [cut for cut in every if tells_apart(cut.block)] or every
    whole = (scene.node.end_lineno or scene.node.lineno) - scene.node.body[0].lineno + 1
    best = _together(found)[:most]
    return [*best, *_together([cut for cut in found if cut not in best and cut.lines <= _SMALLER * whole])[:most]]


def _together(found: list[Cut]) -> list[Cut]:
    """Of cuts those that go together and bring most, as an optimal choice of intervals (weighted scheduling)."""
    found = sorted(found, key=lambda cut: cut.last)
    ends = [cut.last for cut in found]
    best: list[tuple[float, tuple[Cut, ...]]] = [(0.0, ())]
    for at, cut in enumerate(found):
        before = best[bisect_right(ends, cut.first - 1, 0, at)]
        taken = (before[0] + cut.gain, (*before[1], cut))
        best.append(max(best[-1], taken, key=lambda pair: pair[0]))
    return sorted(best[-1][1], key=lambda cut: -cut.gain)


def _candidates(scene: Scene) -> Iterator[Cut]:
    function = scene.node
    whole = (function.end_lineno or function.lineno) - function.body[0].lineno + 1
    tangle = measure(function).tangle
    opened, sheet = silhouette(function), scene.sheet()
    if tangle < _LEAST_GAIN:
        return
    for block in _runs(function):
        for start in range(len(block.body)):
            for end in range(start + 1, min(len(block.body), start + 12) + 1):
                body = block.body[start:end]
                if len(body) == 1 and not any(blocks_of(body[0])):
                    continue  # a statement under another name
                first, last = body[0].lineno, body[-1].end_lineno or body[-1].lineno
                size = last - first + 1
                held = min((opened[line] for line in range(first, last + 1) if line in opened), default=0)
                gain = held * (size - 1)
                if size < _FEWEST_LINES or size > _MOST_OF_IT * whole or gain < _LEAST_GAIN:
                    continue
                run = Block(body, body[0], False, block.loops, block.at_end and end == len(block.body))
                given, results = passed(scene, run)
                crowd: float = max(0, len(given) - 2) + 2 * len(results) + _exits(run)
                crowd += 2 * len(set(given) & set(results))  # what goes in and comes out is told twice
                crowd -= _begins(sheet, first, last, gain) + _tells(scene, run, results)
                if len(given) > _MOST_IN or len(results) > _MOST_OUT or gain <= crowd:
                    continue
                yield Cut(run, first, last, tangle, tangle - gain + crowd)


def _exits(run: Block) -> int:
    """What it costs to tell the caller that the block would have left."""
    going_on = run.at_end and bool(run.loops)
    kinds = (ast.Return, ast.Break) if going_on else (ast.Return, ast.Break, ast.Continue)
    return 2 * any(own_statements(run.body, kind) for kind in kinds)


def _tells(scene: Scene, run: Block, results: list[str]) -> float:
    """What a cut is worth more whose lines are all there for one thing, so that what they do has a name."""
    told = len(results) == 1 and next(by_result(run.body, results[0], scene.tree), None) is not None
    return _NAMED if told else 0


def _begins(sheet: Sheet, first: int, last: int, gain: float) -> float:
    """What a cut is worth more where a thought begins: a blank line above it, or a comment that says what is done."""
    if next(said_of_block(sheet, first, last), None) is not None:
        return max(3, gain / 2)
    return 2 if sheet.line(first - 1).strip()[:1] in ("", "#") else 0
