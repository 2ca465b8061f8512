"""What an editor asks: actions at a place, what one of them changes, what to mark, what to say about a function."""

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from dreck.errors import DreckError
from dreck.model.views.decided import Known
from dreck.model.views.measures import measure, short
from dreck.source.files import instead_of
from dreck.source.functions import Function, functions_in, parse
from dreck.source.lines import width_of
from dreck.source.targets import Target
from dreck.steps.catalogue import Step, all_steps
from dreck.steps.scene import NotPlanned, Others, Plan, Scene, Wishes
from dreck.steps.trees import Untouchable
from dreck.workbench.config import config_for
from dreck.workbench.outline import outlines
from dreck.workbench.request import Request
from dreck.workbench.stage import project_files
from dreck.workbench.untangle import untangle

FLATTEN = "flatten"
CUT = "named-block"
NEW_NAME = "new_name"
"""What a function is called until the person has renamed it."""


@dataclass(frozen=True, slots=True)
class Action:
    """Something that can be done in a function: a step, or all that flattens; for `CUT` the lines to cut out."""

    title: str
    step: str
    function: str
    lines: tuple[int, int] | None = None


@dataclass(frozen=True, slots=True)
class Done:
    """What an action changes, file by file, and on what evidence; `refused` when it changes nothing."""

    texts: tuple[tuple[Path, str], ...]
    told: str
    refused: str = ""


@dataclass(frozen=True, slots=True)
class Mark:
    """Something to be marked in the text: a line, what is said, and whether it is more than a hint."""

    line: int
    text: str
    rule: str


def function_at(text: str, path: Path, line: int) -> Function | None:
    """The innermost function that holds a line. Raises BadSource for text that is no Python."""
    return _around(functions_in(parse(text, path), text), line)


def _around(functions: list[Function], line: int) -> Function | None:
    return max((f for f in functions if f.start <= line <= f.end), key=lambda f: f.start, default=None)


def actions_at(path: Path, text: str, first: int, last: int) -> list[Action]:
    """What could be done where the cursor, or the selection, stands; nothing of it is judged yet."""
    tree = parse(text, path)
    functions = functions_in(tree, text)
    function = _around(functions, first)
    if function is None:
        return []
    found = []
    if any(True for step in all_steps() if step.by_default and step.plans is None for _ in step.find(function.node)):
        found.append(Action("Straighten this function", FLATTEN, function.name))
    if last > first:
        found.append(Action(f"Cut lines {first} to {last} out", CUT, function.name, (first, last)))
    width = config_for(path).line_length or width_of(text)
    scene = Scene(path, text, tree, functions, function, Wishes(), width)
    scene.others = Others(project_files(path)) if path.exists() else None
    for step in all_steps():
        if step.plans is None or step.name == CUT:
            continue
        reason = next((plan.reason for plan in _plans(scene, step) if isinstance(plan, Plan)), "")
        if reason:
            found.append(Action(f"{step.name}: {reason}", step.name, function.name))
    return found


def _plans(scene: Scene, step: Step) -> Iterator[Plan | NotPlanned]:
    assert step.plans is not None
    try:
        yield from step.plans(scene)
    except (Untouchable, DreckError, RecursionError):
        return


def carried_out(path: Path, text: str, action: Action, trial: bool = False) -> Done:
    """What an action comes to, judged. Code of the project is run only with `trial`."""
    steps = () if action.step == FLATTEN else (action.step,)
    wishes = Wishes(alone=NEW_NAME if action.step == CUT else "", lines=action.lines)
    request = Request(steps, verdict="tested" if trial else "proved", wishes=wishes)
    with instead_of(path, text.encode()):
        result = untangle([Target(path, action.function)], request)
    if not result.steps:
        reasons = "; ".join(dict.fromkeys(r.reason for r in result.refused)) or "nothing to do here"
        return Done((), "", reasons)
    file = result.files[0]
    others = tuple((place, new) for place, _, new in file.others)
    assumptions = sorted({a for s in result.steps for a in s.verdict.assumptions})
    status = "tested" if any(s.verdict.status == "tested" for s in result.steps) else "proved"
    given = f", assuming {', '.join(assumptions)}" if assumptions else ""
    return Done(((path, file.new), *others), f"{status}{given}")


def marks(path: Path, text: str) -> list[Mark]:
    """Tests that are decided, and functions over the tangle that the project allows."""
    most = config_for(path).most
    found = []
    for f in functions_in(parse(text, path), text):
        for _, _, line, outcome, _ in Known(f.node).settled():
            told = "always true" if outcome else "always false"
            found.append(Mark(line, f"an earlier test has settled this one: it is {told}", "decided-test"))
        tangle = measure(f.node).tangle
        if most is not None and tangle > most:
            found.append(Mark(f.node.lineno, f"{f.name} has tangle {tangle}; {most} are allowed", "tangled-function"))
    return found


def numbers(path: Path, text: str) -> list[tuple[int, str]]:
    """For each function with tests its line, and its tangle and ways."""
    found = []
    for f in functions_in(parse(text, path), text):
        t = measure(f.node)
        if t.tangle:
            found.append((f.node.lineno, f"tangle {t.tangle}, {short(t.ways)} ways"))
    return found


def told_about(path: Path, text: str, line: int) -> str:
    """The outline of the function whose `def` stands in a line, as Markdown; '' for any other line."""
    function = function_at(text, path, line)
    if function is None or line != function.node.lineno:
        return ""
    with instead_of(path, text.encode()):
        found = outlines(f"{path}::{function.name}")
    data = found[0].as_json()
    table = data["tables"][0]
    lines = [f"`{data['signature']}`", ""]
    if table["ways"]:
        lines += [f"| {' | '.join([*map(_cell, table['conditions']), 'then'])} |"]
        lines += [f"|{' --- |' * (len(table['conditions']) + 1)}"]
        for way in table["ways"]:
            asked = [_ASKED.get(way["asked"].get(c, "."), "") for c in table["conditions"]]
            lines.append(f"| {' | '.join([*asked, _cell('; '.join([*way['acts'], way['exit']]))])} |")
    notes = [f"- line {note['line']}: {note['text']}" for note in data["notes"]]
    return "\n".join([*lines, "", *notes])


_ASKED = {True: "yes", False: "no", None: "·", ".": ""}


def _cell(text: str) -> str:
    return f"`{text}`".replace("|", "\\|") if text else ""
