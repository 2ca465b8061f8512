"""Reshaping a module: steps that reach beyond one function, each judged on every function it touches."""

import ast
import re
import tokenize
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

from dreck.errors import BadSource, DreckError
from dreck.proof.assumptions import FACTORY, HASHABLE
from dreck.proof.one_family import NotOneFamily
from dreck.proof.readback import seen_through
from dreck.proof.surroundings.module_diff import broken_at_import
from dreck.source.files import SourceFile
from dreck.source.functions import Function, functions_in, parse
from dreck.source.lines import split_lines
from dreck.source.walking import walk
from dreck.steps.catalogue import Step
from dreck.steps.support.scene import NotPlanned, Others, Plan, Scene, Wishes
from dreck.steps.support.sheet import Range, Sheet
from dreck.steps.support.trees import Untouchable, is_directive
from dreck.workbench.compare.compare import judge_rewrite
from dreck.workbench.compare.sides import Text
from dreck.workbench.compare.wanted import Wanted
from dreck.workbench.engine.doubts import ordered
from dreck.workbench.engine.first_lines import FirstLines
from dreck.workbench.engine.known_kinds import judged_among_known
from dreck.workbench.engine.purpose import judged_on_purpose
from dreck.workbench.engine.stage import Stage, project_files, staged
from dreck.workbench.engine.straighten import LeaveFunction, OtherName, Proposal, Stop, comments, told
from dreck.workbench.judging.verdict import Verdict
from dreck.workbench.results import Refused, Taken
from dreck.workbench.store.journal import Entry, span_entry

_MOST = 60


@dataclass(frozen=True, slots=True)
class Change:
    """One step taken on a module: its text before and after, and other files that changed with it."""

    function: str
    taken: Taken
    before: str
    after: str
    others: Mapping[Path, tuple[str, str]] = field(default_factory=dict)

    def entry(self) -> Entry:
        return span_entry(self.taken, self.function, self.before, self.after)


@dataclass(frozen=True, slots=True)
class Bench:
    """What a module is reshaped with."""

    file: SourceFile
    steps: Sequence[Step]
    wishes: Wishes
    wanted: Wanted
    line_length: int
    least: str
    consult: Callable[[Proposal], str] | None = None
    ask_name: Callable[[str, str], str] | None = None
    """Asks a person what a piece of code (`function`, `code`) is to be called; '' when they do not say."""
    leaves: Callable[[Sequence[str], Function, ast.Module], bool] = lambda lines, function, tree: False
    only: Mapping[str, str] | None = None
    """For each function the one step that it gets; every step when None."""
    doubt: frozenset[str] = frozenset()
    """Assumptions the project does not accept."""
    saved: bool = False
    """Whether what is done is written; else places are told as they stand in the file."""


@dataclass(slots=True)
class Reshaped:
    """The module's text in the end, the steps taken on the way, and those refused, by function."""

    text: str
    changes: list[Change] = field(default_factory=list)
    refused: list[tuple[str, Refused]] = field(default_factory=list)
    stopped: bool = False


def reshape(bench: Bench, text: str, names: Sequence[str]) -> Reshaped:
    """Takes every step of the bench that applies to the functions `names` and holds."""
    with Stage(bench.file.path) as stage:
        work = _Work(bench, Reshaped(text), stage)
        try:
            for name in names:
                try:
                    work.function(name)
                except LeaveFunction:
                    continue
        except Stop:
            work.done.stopped = True
    return work.done


def judged(bench: Bench, scene: Scene, step: Step, plan: Plan) -> Verdict:
    """The verdict a plan would have, by the evidence that the bench allows."""
    with Stage(bench.file.path) as stage:
        work = _Work(bench, Reshaped(scene.text), stage)
        against = work.against(scene, plan)
        return Verdict("unsettled", reason=against) if against else work.judged(step, scene, plan)


@dataclass(slots=True)
class _Work:
    bench: Bench
    done: Reshaped
    stage: Stage
    tried: set[str] = field(default_factory=set)
    asked: set[tuple[str, str]] = field(default_factory=set)
    others: Others | None = None
    parsed: tuple[str, ast.Module, list[Function]] | None = None
    split: tuple[str, list[str]] | None = None

    def function(self, name: str) -> None:
        only_once = self.bench.wishes.lines is not None or bool(self.bench.wishes.alone)
        only = self.bench.only
        for step in self.bench.steps:
            if only is not None and only.get(name) != step.name:
                continue
            for _ in range(1 if only_once else _MOST):
                if not self._one(step, name):
                    break

    def _one(self, step: Step, name: str) -> bool:
        scene = self._scene(name)
        if scene is None or step.plans is None:
            return False
        try:
            for plan in step.plans(scene):
                if isinstance(plan, NotPlanned):
                    if self._is_named_now(name, plan):
                        return self._one(step, name)
                    self._refuse(name, step, plan.line, plan.reason)
                    continue
                plan = self._called_as_wished(_private_where_exported(scene, plan))
                if plan.text not in self.tried and self._keep(step, scene, plan):
                    return True
        except Untouchable as error:
            self._refuse(name, step, scene.node.lineno, str(error))
        except (LeaveFunction, Stop, DreckError):
            raise
        except Exception as error:  # a fault of a step costs that step, not the work on a whole folder
            self._refuse(name, step, scene.node.lineno, f"the step itself failed: {type(error).__name__}: {error}")
        return False

    def _called_as_wished(self, plan: Plan) -> Plan:
        """`--name NAME` alone: what the step makes is called so, when it is one thing."""
        alone = self.bench.wishes.alone
        return _with_names(plan, {plan.made[0]: alone}) if alone and len(plan.made) == 1 else plan

    def _is_named_now(self, name: str, place: NotPlanned) -> bool:
        """Whether a person, asked at once, gives the name that is missing."""
        ask, asked = self.bench.ask_name, (name, place.unnamed)
        alone = self.bench.wishes.alone
        if not place.unnamed or asked in self.asked or (ask is None and not alone):
            return False
        self.asked.add(asked)
        wished = alone if ask is None else ask(f"{self.bench.file.path}::{name}", place.unnamed)
        if wished:
            names = {**self.bench.wishes.names, place.unnamed: wished}
            self.bench = replace(self.bench, wishes=replace(self.bench.wishes, names=names))
        return bool(wished)

    def _scene(self, name: str) -> Scene | None:
        text, path = self.done.text, self.stage.path
        if self.parsed is None or self.parsed[0] != text:
            tree = parse(text, path)
            self.parsed = text, tree, functions_in(tree, text)
        _, tree, functions = self.parsed
        function = next((f for f in functions if f.name == name), None)
        if function is None or self.bench.leaves(self.lines(text), function, tree):
            return None
        if self.others is None:
            self.others = Others(project_files(path))
        in_order = bool(ordered(function.node, tree, self.bench.doubt))
        width = self.bench.line_length
        return Scene(path, text, tree, functions, function, self.bench.wishes, width, self.others, in_order)

    def lines(self, text: str) -> list[str]:
        """The lines of the module as it is; split once for each text."""
        if self.split is None or self.split[0] != text:
            self.split = text, split_lines(text)
        return self.split[1]

    def _refuse(self, name: str, step: Step, line: int, reason: str) -> None:
        if any(f" {made}`" in reason for made in self._made_by(step, name)):
            return  # it speaks of what the step itself has put there
        if not self.bench.saved and self.done.text != self.bench.file.text:
            first = FirstLines(self.bench.file.text, self.done.text)
            told = first.told(reason)
            if told is None and "::" in reason:
                return  # what could be typed for it would mean other lines as long as nothing is saved
            line, reason = first.of(line) or line, told or reason
        refusal = name, Refused(step.name, line, reason)
        if refusal not in self.done.refused:
            self.done.refused.append(refusal)

    def _made_by(self, step: Step, name: str) -> list[str]:
        mine = (c.taken for c in self.done.changes if c.function == name and c.taken.step == step.name)
        return [made for taken in mine for made in taken.made]

    def _keep(self, step: Step, scene: Scene, plan: Plan) -> bool:
        name, before = scene.function.name, scene.text
        self.tried.add(plan.text)
        against = self.against(scene, plan)
        if against:
            self._refuse(name, step, plan.line, against)
            return False
        verdict = self.judged(step, scene, plan)
        if not verdict or (plan.only_if_proved and verdict.status != "proved"):
            if not plan.only_if_proved:
                remedy = f"; {plan.remedy}" if plan.remedy and verdict.status == "differs" else ""
                self._refuse(name, step, plan.line, f"{told(verdict)}{remedy}")
            return False
        reason = f"{plan.reason}; {plan.note}" if plan.note else plan.reason
        taken = Taken(step.name, plan.line, reason, verdict, plan.made)
        others = {self.stage.real(path): (_text_of(path), new) for path, new in plan.others.items()}
        change = Change(name, taken, before, plan.text, others)
        if self.bench.consult is not None:
            entry = change.entry()
            proposal = Proposal(self.bench.file.path, name, entry.start, entry.before, entry.after, taken)
            try:
                no = self.bench.consult(proposal)
            except OtherName as wish:
                return self._keep(step, scene, _with_names(plan, wish.names))
            if no:
                self._refuse(name, step, plan.line, no)
                return False
        self.done.text = plan.text
        self.done.changes.append(change)
        if plan.others:
            self.others = None
        self.stage.keep({scene.path: plan.text, **plan.others})
        return True

    def against(self, scene: Scene, plan: Plan) -> str:
        """Why a plan is not even judged; '' when nothing speaks against it."""
        beside = [(p, _text_of(p), t) for p, t in plan.others.items() if p.suffix == ".py"]
        every = [(scene.path, scene.text, plan.text), *beside]
        for path, _, new in every:
            try:
                compile(parse(new, path), str(path), "exec", dont_inherit=True)
            except (BadSource, SyntaxError) as error:
                return f"the rewritten text is not Python: {error}"
        before, after = (sum((comments(texts[which]) for texts in every), Counter()) for which in (1, 2))
        lost = before - after
        if lost:
            return f"a comment would be lost: {next(iter(lost))}"
        for _, old, new in every:
            moved = _told_to_tools(old) - _told_to_tools(new)
            if moved:
                return f"a comment speaks to a tool about the line it stands on: {next(iter(moved))}"
        self.bench.file.encoded(plan.text)
        return ""

    def judged(self, step: Step, scene: Scene, plan: Plan) -> Verdict:
        by_default = ordered(scene.node, scene.tree, self.bench.doubt)
        assume = (*self.bench.wanted.assume, *step.asks, *by_default)
        wanted = replace(self.bench.wanted, assume=assume, trial=self.bench.least != "proved")
        if plan.family:
            return self._judged_as_one(scene, plan, wanted)
        if plan.on_purpose:
            old, new = Text(scene.path, scene.text), Text(scene.path, plan.text)
            return judged_on_purpose(old, new, scene.function.name, plan.on_purpose, plan.expect, wanted)
        if plan.known is not None:
            return judged_among_known(scene, plan, wanted)
        if not plan.others:
            old, new = Text(scene.path, scene.text), Text(scene.path, plan.text)
            return judge_rewrite(old, new, wanted, plan.removed)
        with staged({scene.path: plan.text, **plan.others}) as places:
            python = [path for path in plan.others if path.suffix == ".py"]
            pairs = [(scene.path, scene.text), *((path, _text_of(path)) for path in python)]
            parts = [
                judge_rewrite(Text(path, text), Text(places[path], _text_of(places[path])), wanted, plan.removed)
                for path, text in pairs
            ]
        return min(parts, key=lambda v: ["differs", "unsettled", "tested", "proved"].index(v.status))

    def _judged_as_one(self, scene: Scene, plan: Plan, wanted: Wanted) -> Verdict:
        """The verdict on a class whose kinds became subclasses, read back as the one class it was."""
        broken = broken_at_import(parse(scene.text, scene.path), parse(plan.text, scene.path))
        if broken:
            return Verdict("unsettled", reason=f"the module would read {broken} before it is bound")
        users = scene.others.importing(scene.path) if scene.others is not None else []
        texts = {path: text for path, text, _ in users} | {scene.path: plan.text, **plan.others}
        tree = parse(plan.text, scene.path)
        beside = scene.others.reached_from(scene.path, tree, plan.family) if scene.others is not None else {}
        try:
            read_back = seen_through(scene.path, plan.family, texts, beside)
        except NotOneFamily as error:
            return Verdict("unsettled", reason=str(error))
        changed = {scene.path: scene.text, **{path: _text_of(path) for path in plan.others}}
        old = {path: ast.unparse(parse(text, path)) + "\n" for path, text in changed.items()}
        with staged({path: text for path, text in read_back.items() if path in changed}) as places:
            parts = [
                judge_rewrite(Text(path, text), Text(places[path], _text_of(places[path])), wanted)
                for path, text in old.items()
            ]
        worst = min(parts, key=lambda v: ["differs", "unsettled", "tested", "proved"].index(v.status))
        rests_on = {a for part in parts for a in part.assumptions} | {FACTORY, HASHABLE}
        return replace(worst, assumptions=tuple(sorted(rests_on))) if worst else worst


def _private_where_exported(scene: Scene, plan: Plan) -> Plan:
    """In a module that says what it exports, what is made at its top gets an underscore, unless a person named it."""
    if not any(isinstance(n, ast.Name) and n.id == "__all__" for n in walk(scene.tree)):
        return plan
    before = {word for s in scene.tree.body for word in _tops(s)}
    try:
        after = {word for s in parse(plan.text, scene.path).body for word in _tops(s)}
    except BadSource:
        return plan  # it is refused for that below
    wished = tuple(scene.wishes.names.values())
    public = [n for n in sorted(after - before) if not n.startswith(("_", *wished))]
    return _with_names(plan, {n: f"_{n}" for n in public}) if public else plan


def _tops(s: ast.stmt) -> set[str]:
    if isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
        return {s.name}
    return {n.id for n in walk(s) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}


def _with_names(plan: Plan, names: Mapping[str, str]) -> Plan:
    """The plan with other names for what it makes."""
    text, others, reason = plan.text, dict(plan.others), plan.reason
    for old, new in names.items():
        text = with_name(text, old, new)
        reason = re.sub(rf"\b{old}\b", new, reason)
        others = {path: with_name(t, old, new) if path.suffix == ".py" else t for path, t in others.items()}
    return replace(plan, text=text, others=others, reason=reason, made=tuple(names.get(n, n) for n in plan.made))


def with_name(text: str, old: str, new: str) -> str:
    """`text` with each place that says `old` saying `new`; strings and comments stay."""
    sheet = Sheet(text)
    for token in sheet.tokens:
        if token.type == tokenize.NAME and token.string == old:
            start = sheet.line_start(token.start[0]) + token.start[1]
            sheet.replace(Range(start, start + len(old)), new)
    return sheet.result()


def _told_to_tools(text: str) -> Counter[str]:
    """The lines with a comment for a tool, such as `# noqa`, however they are indented."""
    return Counter(line.strip() for line in text.splitlines() if "#" in line and is_directive(line.partition("#")[2]))


def _text_of(path: Path) -> str:
    """A file's text; '' of one that is to be made."""
    from dreck.source.files import read

    return read(path).text if path.exists() else ""


# --- renaming ------------------------------------------------------------------------------------------


_NAME = re.compile(r"[^\W\d]\w*\Z")


def check_names(names: Mapping[str, str]) -> None:
    """Raises DreckError for a wished name that cannot be one."""
    import keyword

    for code, name in names.items():
        if not _NAME.match(name) or keyword.iskeyword(name):
            raise DreckError(f"--name '{code}={name}': '{name}' cannot be a name in Python")
