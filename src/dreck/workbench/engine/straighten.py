"""Straightening one function: find a step, carry it out, have it judged, keep or drop it, until none is left."""

import ast
import io
import logging
import tokenize
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache
from pathlib import Path

from dreck.model.names.modules import ModuleNames
from dreck.model.views.measures import lines_of_thought, measure
from dreck.model.views.shape import blocks
from dreck.proof.subject import OUT_OF_BUDGET
from dreck.source.functions import Function, FunctionNode, splice
from dreck.source.lines import indent_of, split_lines
from dreck.source.walking import walk
from dreck.steps.catalogue import Options, Rewrite, Site, Step
from dreck.steps.flatten.stays.leave_alone import left_alone
from dreck.steps.support.layout import laid_out, set_off
from dreck.steps.support.trees import BetterNot, Tree, Untouchable
from dreck.trial.server import seconds_worked
from dreck.workbench.judging.judge import Candidate, Judge, Request
from dreck.workbench.judging.verdict import Verdict
from dreck.workbench.results import FunctionResult, Refused, Taken
from dreck.workbench.store.config import DEFAULT_SECONDS

_MOST_STEPS = 300
_log = logging.getLogger("dreck")
_SLACK = 2
"""So much may the tangle grow for a step that shortens the average way."""


@dataclass(frozen=True, slots=True)
class Bench:
    """What one file's functions are worked on with."""

    path: Path
    text: str
    lines: Sequence[str]
    names: ModuleNames
    judge: Judge
    steps: Sequence[Step]
    options: Options
    chosen: bool = False
    """The steps were chosen by a person: they need not lower the tangle."""
    doubt: frozenset[str] = frozenset()
    """Accepted assumptions that the project does not accept."""
    seconds: float = DEFAULT_SECONDS
    """So many seconds of work one function may take."""
    consult: Callable[["Proposal"], str] | None = None
    """Asked before a step that holds is taken: '' to take it, else the reason it is not."""


@dataclass(frozen=True, slots=True)
class Proposal:
    """A step that holds, before it is taken: the function's lines before and after, and the evidence."""

    path: Path
    function: str
    start: int
    before: str
    after: str
    taken: Taken


_LESS = 8
"""Once a function has used up the budget of a proof, each further proof of it gets this part of it."""


class Stop(Exception):
    """A person has had enough; what was taken stays."""


class OtherName(Exception):
    """A person wants names that a step makes to be others: the new ones by the old."""

    def __init__(self, names: Mapping[str, str]) -> None:
        super().__init__("other names")
        self.names = names


class LeaveFunction(Exception):
    """A person wants this function left as it is now."""


def straighten(bench: Bench, function: Function, enclosing: frozenset[str]) -> FunctionResult:
    """Takes every step that applies to `function` and holds, to a fixed point."""
    old = "".join(bench.lines[function.start - 1 : function.end])
    work = _Work(bench, function, enclosing, old, function.node)
    before = _measured(function.node)
    stopped = False
    try:
        work.to_fixed_point()
    except Untouchable as error:
        work.refused.append(Refused("all", function.node.lineno, str(error)))
    except LeaveFunction:
        pass
    except Stop:
        stopped = True
    if work.texts and bench.consult is None:  # else each step is saved as it was shown
        work.segment = work.texts[-1] = set_off(old, work.segment)
    refusals = tuple(dict.fromkeys(work.refused))
    after = _measured(work.node)
    taken, texts = tuple(work.taken), tuple(work.texts)
    return FunctionResult(
        bench.path, function.name, before, after, old, work.segment, taken, refusals, texts, function.start, stopped,
        len(work.doubtful),
    )  # fmt: skip


@dataclass(slots=True)
class _Work:
    bench: Bench
    function: Function
    enclosing: frozenset[str]
    segment: str
    node: FunctionNode
    tree: Tree | None = None
    taken: list[Taken] = field(default_factory=list)
    refused: list[Refused] = field(default_factory=list)
    texts: list[str] = field(default_factory=list)
    tried: set[tuple[str, str, str]] = field(default_factory=set)
    doubtful: set[int] = field(default_factory=set)
    """Lines of tests that would be turned to `a >= b`, were the order of these things not in doubt."""
    until: float = 0.0
    judge: Judge = field(init=False)

    def __post_init__(self) -> None:
        self.judge = self.bench.judge

    def to_fixed_point(self) -> None:
        self.until = seconds_worked() + self.bench.seconds
        while len(self.taken) < _MOST_STEPS and self._one_step():
            pass

    def _one_step(self) -> bool:
        for step in self.bench.steps:
            further = step.when_named(self.node) if self.bench.chosen else ()
            for site in (*step.find(self.node), *further):
                mark = (step.name, f"{site.path} {site.index} {site.kind}", self.segment)
                if mark in self.tried:
                    continue
                self.tried.add(mark)
                if seconds_worked() > self.until:
                    told = f"its {self.bench.seconds:g} seconds of work are used up; what is left was not tried"
                    self.refused.append(Refused(step.name, site.line, told))
                    return False
                left = "" if self.bench.chosen else left_alone(step, site, self.node, self._line)
                if left:
                    _log.debug("%s line %s: %s left alone: %s", self.function.name, site.line, step.name, left)
                    continue
                if self._attempt(step, site):
                    return True
        return False

    def _line(self, number: int) -> str:
        """A line of the function as it stands now, by its number in the file."""
        lines, index = split_lines(self.segment), number - self.function.start
        return lines[index] if 0 <= index < len(lines) else ""

    def _attempt(self, step: Step, site: Site) -> bool:
        if self.tree is None:
            self.tree = Tree.parse(self.segment)
        reasons: list[str] = []
        try:
            for rewrite in step.apply(self.tree, site, self.bench.options):
                if self._keep(step, site, rewrite, reasons):
                    return True
        except BetterNot as error:
            reasons += [str(error)] if self.bench.chosen else []
        except Untouchable as error:
            reasons.append(str(error))
        if reasons:
            _log.info("%s line %s: %s not taken: %s", self.function.name, site.line, step.name, reasons[-1])
            self.refused.append(Refused(step.name, site.line, reasons[-1]))
        return False

    def _keep(self, step: Step, site: Site, rewrite: Rewrite, reasons: list[str]) -> bool:
        """Takes the rewrite if it is sound, loses no comment and is worth it; else adds the reason."""
        new = laid_out(self.segment, rewrite.tree.code, self.bench.options.line_length)
        try:
            node = node_of(new, self.function.start)
        except SyntaxError as error:
            reasons.append(f"the rewritten text is not Python ({error.msg})")
            return False
        is_worth_it = site.finishes or (_worth_it(self.node, node) and not self._is_half(step, site, node))
        if not (self.bench.chosen or is_worth_it):
            return False
        orders = _negated_orders(node) - _negated_orders(self.node)
        self.doubtful |= {site.line} if orders > 0 else set()
        wholes = _negations_of_wholes(node) - _negations_of_wholes(self.node)
        if not self.bench.chosen and (wholes > 0 or (orders > 0 and not _raises_in_its_else(self.node, site))):
            return False
        lost = comments(self.segment) - comments(new)
        if lost:
            reasons.append(f"a comment would be lost: {next(iter(lost))}")
            return False
        verdict = self._judged(new, node, rewrite.only_if_proved)
        if not verdict:
            if not rewrite.only_if_proved:
                reasons.append(told(verdict))
            return False
        taken = Taken(step.name, site.line, site.reason, verdict)
        _log.info("%s line %s: %s holds: %s", self.function.name, site.line, step.name, verdict)
        if self.bench.consult is not None:
            start, name = self.function.start, self.function.name
            against = self.bench.consult(Proposal(self.bench.path, name, start, self.segment, new, taken))
            if against:
                reasons.append(against)
                return False
        self.taken.append(taken)
        self.texts.append(new)
        tree = rewrite.tree if new == rewrite.tree.code else Tree.parse(new)
        self.segment, self.node, self.tree = new, node, tree
        return True

    def _is_half(self, step: Step, site: Site, node: FunctionNode) -> bool:
        """Whether a result is returned at once in some places, kept in others, and nothing else is gained."""
        if step.name != "return-at-once":
            return False
        is_half = any(isinstance(n, ast.Name) and n.id == site.kind for n in walk(node))
        return is_half and _measured(node).tangle >= _measured(self.node).tangle

    def _judged(self, new: str, node: FunctionNode, only_if_proved: bool) -> Verdict:
        old = self._candidate(self.segment, self.node)
        found = self.judge.verdict(old, self._candidate(new, node), Request(only_proof=only_if_proved))
        if found.reason.startswith(OUT_OF_BUDGET):  # what is too large for one proof is for the next one, too
            self.judge = replace(self.judge, budget=self.bench.judge.budget // _LESS)
        return found

    def _candidate(self, text: str, node: FunctionNode) -> Candidate:
        def whole() -> str:
            return splice(self.bench.text, self.function, text)

        return Candidate(self.bench.path, whole, self.function.name, node, self.bench.names, self.enclosing)


def node_of(text: str, start: int) -> FunctionNode:
    """The function that `text`, the lines from line `start` on, holds. Raises SyntaxError."""
    wrapped = bool(indent_of(text.splitlines()[0]))
    module = ast.parse(f"if True:\n{text}" if wrapped else text)
    body = module.body[0].body if wrapped else module.body  # type: ignore[attr-defined]
    node = body[0]
    if not isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
        raise SyntaxError("no function stands there")
    ast.increment_lineno(node, start - (2 if wrapped else 1))
    return node


def _negations_of_wholes(node: FunctionNode) -> int:
    """How often `not (...)` stands in front of several tests, an assignment or another `not`: hard to read."""
    wholes = ast.BoolOp | ast.NamedExpr | ast.IfExp | ast.UnaryOp
    return sum(isinstance(operand, wholes) for operand in _negated(node))


def _negated_orders(node: FunctionNode) -> int:
    """How often `not` stands in front of one `<`, `<=`, `>` or `>=`."""
    orders = (ast.Lt, ast.LtE, ast.Gt, ast.GtE)
    compared = (n for n in _negated(node) if isinstance(n, ast.Compare) and len(n.ops) == 1)
    return sum(isinstance(comparison.ops[0], orders) for comparison in compared)


@lru_cache(maxsize=8)
def _negated(node: FunctionNode) -> tuple[ast.expr, ...]:
    return tuple(n.operand for n in walk(node) if isinstance(n, ast.UnaryOp) and isinstance(n.op, ast.Not))


def _raises_in_its_else(node: FunctionNode, site: Site) -> bool:
    """Whether a place is an `if` whose else ends in an error: that is worth a `not` in front of an order in doubt."""
    block = next((b for b in blocks(node) if b.path == site.path), None)
    match block.body[site.index : site.index + 1] if block is not None else []:
        case [ast.If(orelse=[*_, ast.Raise()])]:
            return site.kind == "else leaves"
    return False


_measured = lru_cache(maxsize=8)(measure)


def _worth_it(old: FunctionNode, new: FunctionNode) -> bool:
    """Whether a reader holds less open, or follows fewer lines: at worst, or on the average way."""
    before, after = _measured(old), _measured(new)
    if after.tangle < before.tangle:
        return True
    thought, shorter = lines_of_thought(old), lines_of_thought(new)
    if after.tangle == before.tangle and shorter.longest < thought.longest:
        return True
    return after.tangle <= before.tangle + _SLACK and shorter.mean < thought.mean


@lru_cache(maxsize=8)
def comments(text: str) -> Counter[str]:
    """The comments in a piece of code, with how often each stands there."""
    if "#" not in text:
        return Counter()
    wrapped = f"if True:\n{text}" if indent_of(text) else text
    try:
        tokens = tokenize.generate_tokens(io.StringIO(wrapped).readline)
        return Counter(t.string.rstrip() for t in tokens if t.type == tokenize.COMMENT)
    except (tokenize.TokenError, IndentationError, SyntaxError):
        return Counter({"(comments cannot be told apart)": 1})


def told(verdict: Verdict) -> str:
    """Why a verdict is not good enough, in a few words."""
    if verdict.difference is not None:
        found = verdict.difference
        old, new = _parting(found.old, found.new)
        return f"differs for {_cut(found.input)}: old {old}; new {new}"
    return verdict.reason or verdict.status


_MOST_TOLD = 160


def _parting(old: str, new: str) -> tuple[str, str]:
    """Two long tellings from shortly before the place where they part."""
    if max(len(old), len(new)) <= _MOST_TOLD:
        return old, new
    at = next((i for i, (a, b) in enumerate(zip(old, new, strict=False)) if a != b), min(len(old), len(new)))
    start = max(0, at - _MOST_TOLD // 4)
    return tuple(f"{'...' if start else ''}{_cut(text[start:])}" for text in (old, new))  # type: ignore[return-value]


def _cut(text: str) -> str:
    return text if len(text) <= _MOST_TOLD else f"{text[:_MOST_TOLD].rpartition(' ')[0]} ..."
