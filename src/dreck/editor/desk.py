"""What an editor asks: actions at a place, what one of them changes, what to mark, what to say about a function."""

import ast
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

from dreck.editor.mark import Mark
from dreck.errors import DreckError
from dreck.model.names.families import Families
from dreck.model.views.decided import Known
from dreck.model.views.measures import measure, short
from dreck.source.files import from_bytes, instead_of
from dreck.source.functions import Function, functions_in, parse
from dreck.source.lines import width_of
from dreck.source.revisions import data_at
from dreck.source.targets import Target
from dreck.source.walking import walk
from dreck.steps.catalogue import Step, all_steps, default_steps
from dreck.steps.support.scene import NotPlanned, Others, Plan, Scene, Wishes
from dreck.steps.support.trees import Untouchable
from dreck.workbench.compare.compare import compare_texts
from dreck.workbench.compare.sides import Text
from dreck.workbench.compare.wanted import Wanted
from dreck.workbench.engine.request import Request
from dreck.workbench.engine.stage import project_files
from dreck.workbench.engine.untangle import untangle
from dreck.workbench.queries.outline import families_of, notes_about, outlines
from dreck.workbench.store.config import config_for

FLATTEN = "flatten"
CUT = "named-block"
COMPARE = "compare"
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


def function_at(text: str, path: Path, line: int) -> Function | None:
    """The innermost function that holds a line. Raises BadSource for text that is no Python."""
    return _around(_functions(path, text), line)


@lru_cache(maxsize=8)
def _module(path: Path, text: str) -> ast.Module:
    """The tree of a text; an editor asks several things of each."""
    return parse(text, path)


def _functions(path: Path, text: str) -> list[Function]:
    return functions_in(_module(path, text), text)


def _around(functions: list[Function], line: int) -> Function | None:
    return max((f for f in functions if f.start <= line <= f.end), key=lambda f: f.start, default=None)


def actions_at(path: Path, text: str, first: int, last: int) -> list[Action]:
    """What could be done where the cursor, or the selection, stands; nothing of it is judged yet."""
    return list(_actions_at(path, text, first, last))


def _beside(path: Path) -> Others:
    """The other files of the project, read once as long as none of them changes."""
    files = project_files(path)
    return _others(tuple((file, _stamp(file)) for file in files))


@lru_cache(maxsize=2)
def _others(files: tuple[tuple[Path, int], ...]) -> Others:
    return Others([file for file, _ in files])


def _stamp(file: Path) -> int:
    try:
        return file.stat().st_mtime_ns
    except OSError:
        return 0


@lru_cache(maxsize=64)
def _actions_at(path: Path, text: str, first: int, last: int) -> tuple[Action, ...]:
    tree, functions = _module(path, text), _functions(path, text)
    function = _around(functions, first)
    if function is None:
        return ()
    found = []
    if any(True for step in default_steps() if step.plans is None for _ in step.find(function.node)):
        found.append(Action("Straighten this function", FLATTEN, function.name))
    if any((folder / ".git").exists() for folder in path.parents):
        found.append(Action("Compare this function with the last commit", COMPARE, function.name))
    if last > first:
        found.append(Action(f"Cut lines {first} to {last} out", CUT, function.name, (first, last)))
    width = config_for(path).line_length or width_of(text)
    scene = Scene(path, text, tree, functions, function, Wishes(), width)
    scene.others = _beside(path) if path.exists() else None
    for step in all_steps():
        if step.plans is None or step.name == CUT:
            continue
        reason = next((plan.reason for plan in _plans(scene, step) if isinstance(plan, Plan)), "")
        if reason:
            found.append(Action(f"{step.name}: {reason}", step.name, function.name))
    return tuple(found)


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


def compared(path: Path, text: str, function: str, trial: bool = False) -> str:
    """Whether a function does what it did at the last commit, in a line. Code is run only with `trial`."""
    before = data_at(path, "HEAD")
    if before is None:
        return f"{function}: the file was not there at the last commit"
    old = from_bytes(path, before).text
    if function not in {f.name for f in functions_in(parse(old, path), old)}:
        return f"{function}: it was not there at the last commit"
    found = compare_texts(Text(path, old), Text(path, text), Wanted((function,), trial=trial))
    return f"{function}: {found.verdict}"


def marks(path: Path, text: str) -> list[Mark]:
    """Tests that are decided, holes and overlaps of switches, functions over the tangle that the project allows."""
    most = config_for(path).most
    found = [mark for f in _functions(path, text) for mark in _noted(path, text, f)]
    noted = {mark.line for mark in found}
    for f in _functions(path, text):
        for _, _, line, outcome, _ in Known(f.node).settled():
            if line in noted:
                continue
            told = "always true" if outcome else "always false"
            found.append(Mark(line, f"an earlier test has settled this one: it is {told}", "decided-test"))
        tangle = measure(f.node).tangle
        if most is not None and tangle > most:
            found.append(Mark(f.node.lineno, f"{f.name} has tangle {tangle}; {most} are allowed", "tangled-function"))
    return found


def _noted(path: Path, text: str, function: Function) -> list[Mark]:
    """What an outline notes of the switches of a function; known as long as its text and the kinds around stay."""
    if not any(isinstance(n, ast.If | ast.Match) for n in walk(function.node)):
        return []
    tree = _module(path, text)
    kinds, families = _kinds_around(path, text)
    own = "".join(text.splitlines(keepends=True)[function.start - 1 : function.end])
    key = (own, kinds)
    if key not in _NOTES:
        while len(_NOTES) >= _MOST_NOTES:
            _NOTES.pop(next(iter(_NOTES)))
        notes = notes_about(function.node, tree, families)
        _NOTES[key] = tuple(Mark(n.line - function.start, n.text, _RULES[n.kind]) for n in notes if n.kind in _RULES)
    return [Mark(m.line + function.start, m.text, m.rule) for m in _NOTES[key]]


@lru_cache(maxsize=4)
def _kinds_around(path: Path, text: str) -> tuple[int, Families]:
    """The enums, classes and tables that a switch may be about, and a number that stands for them."""
    tree = _module(path, text)
    families = families_of(path, tree)
    tables = [ast.dump(s) for s in tree.body if isinstance(s, ast.Assign | ast.AnnAssign)]
    return hash((tuple(tables), repr((families.bases, families.members)))), families


_RULES = {"hole": "hole", "overlap": "overlap"}
_MOST_NOTES = 2_000
_NOTES: dict[tuple[str, int], tuple[Mark, ...]] = {}


def numbers(path: Path, text: str) -> list[tuple[int, str]]:
    """For each function with tests its line, and its tangle and ways."""
    found = []
    for f in _functions(path, text):
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
        letters = [_letter(number) for number in range(len(table["conditions"]))]
        lines += [f"- {letter} {_cell(code)}" for letter, code in zip(letters, table["conditions"], strict=True)]
        lines += [""]
        head = [*letters, "then"]
        rows = [
            [*(_ASKED.get(way["asked"].get(c, "."), "") for c in table["conditions"]), _cell(_story(way))]
            for way in table["ways"]
        ]
        lines += _aligned(head, rows)
    notes = [f"- line {note['line']}: {note['text']}" for note in data["notes"]]
    return "\n".join([*lines, "", *notes])


_ASKED = {True: "yes", False: "no", None: "·", ".": ""}


def _story(way: dict[str, Any]) -> str:
    return "; ".join([*way["acts"], way["exit"]])


def _aligned(head: list[str], rows: list[list[str]]) -> Iterator[str]:
    """A table in Markdown that can be read as it stands, too: not every editor lays one out."""
    for row in (head, ["---"] * len(head), *rows):
        yield f"| {' | '.join(cell.ljust(3) for cell in row)} |"


def _letter(number: int) -> str:
    """A to Z, then AA."""
    return (_letter(number // 26 - 1) if number > 25 else "") + chr(ord("A") + number % 26)


def _cell(text: str) -> str:
    return f"`{text}`".replace("|", "\\|") if text else ""
