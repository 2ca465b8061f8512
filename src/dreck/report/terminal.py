"""Terminal views: surveys, steps with their evidence, diffs, comparisons."""

from __future__ import annotations

import difflib
import re
import time
from collections import Counter
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from rich.console import Console
from rich.table import Table
from rich.text import Text

from dreck.model.views.measures import short
from dreck.report.lines import BAD, DOUBT, GOOD, console, plain, say
from dreck.report.totals import count, left_out, over, totals

if TYPE_CHECKING:
    from dreck.steps.catalogue import Step
    from dreck.trial.server import Difference
    from dreck.workbench.compare.comparison import Comparison
    from dreck.workbench.engine.straighten import Proposal
    from dreck.workbench.judging.verdict import Verdict
    from dreck.workbench.pinning.pin import Pinned, Pins
    from dreck.workbench.queries.survey import Survey
    from dreck.workbench.results import FunctionResult, Result
    from dreck.workbench.store.journal import Entry, Record


_VERDICT = {"proved": f"bold {GOOD}", "tested": GOOD, "differs": f"bold {BAD}", "unsettled": DOUBT}
_SIGN = {"proved": "=", "tested": "~", "differs": "!", "unsettled": "?"}
_NARROW = 100
"""In a window of fewer columns the steps stand under the name of the function, so that neither is broken."""


def show_survey(survey: Survey, top: int | None, most: int | None = None) -> None:
    """The survey as a table, most tangled first, with totals by file and the files left out."""
    out = console()
    rows = survey.rows[:top]
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="bold")
    after = any(row.after is not None or row.reached is not None for row in rows)
    for name in ("tangle", *(["after", "reach"] if after else []), "depth", "ways", "test", "buried", "lines"):
        table.add_column(name, justify="right", no_wrap=True)
    narrow = out.width < _NARROW
    table.add_column("function, and steps that apply" if narrow else "function", overflow="fold")
    if not narrow:
        table.add_column("steps that apply", overflow="fold", style=GOOD)
    for row in rows:
        then = ["" if value is None else str(value) for value in (row.after, row.reached)] if after else []
        shape = (str(row.depth), short(row.ways), str(row.longest_test), str(row.buried), str(row.lines))
        steps = ", ".join(row.steps) if not row.left else "left alone"
        named = (
            [Text.assemble(row.function, (f"\n  {steps}" if steps else "", GOOD))]
            if narrow
            else [Text(row.function), Text(steps)]
        )
        table.add_row(str(row.tangle), *then, *shape, *named)
    out.print(table)
    out.print()
    for line in totals(survey, top):
        out.print(plain(line))
    for line in left_out(survey):
        out.print(plain(line), style=DOUBT)
    for line in over(survey, most):
        out.print(Text(line, f"bold {BAD}"), soft_wrap=True)


def show_result(result: Result, write: bool, chosen: Sequence[str] = ()) -> None:
    """Steps with their evidence, the diff, the numbers before and after.

    Of steps that were `chosen`, and of which none was taken, what stands against them.
    """
    out = console()
    worked = [f for f in result.functions if f.steps or f.refused]
    for function in worked:
        _function(out, function)
    for file in result.files:
        _diff(out, file.diff)
    for path, reason in result.skipped:
        out.print(plain(f"left out: {reason if reason.startswith(str(path)) else f'{path}: {reason}'}"), style=DOUBT)
    for note in (note for file in result.files for note in file.notes):
        out.print(plain(note), style=DOUBT)
    if doubtful := [f.doubtful for f in result.functions if f.doubtful]:
        told = f"{count(sum(doubtful), 'test')} in {count(len(doubtful), 'function')} would be turned round"
        why = "without a `not` with --assume total-order (NaN, sets or arrays may be compared)"
        out.print(plain(f"{told} {why}"), style=DOUBT, soft_wrap=True)
    for name in chosen if not result.steps else ():
        out.print(plain(_unanswered(result, name)), soft_wrap=True)
    out.print(_summary(result, write))


def _unanswered(result: Result, name: str) -> str:
    """Why a step that was asked for was taken nowhere: the reasons, alike ones counted, or what it looks for."""
    against: dict[str, Counter[str]] = {}
    for refusal in result.refused:
        if refusal.step in (name, "all"):
            against.setdefault(_form_of(refusal.reason), Counter())[refusal.reason] += 1
    if against:
        most = sorted(against.values(), key=lambda alike: -alike.total())[:5]
        return f"{name}: not taken: {'; '.join(map(_told_once, most))}"
    from dreck.steps.catalogue import step_named

    step = step_named(name)
    looked = count(len(result.functions), "function")
    return f"{name}: nothing of its form in {looked}: {step.summary} `dreck steps {name}` shows an example"


_SPECIAL = re.compile(r"`[^`]*`|'[^']*'|\S*[\d_.A-Z]\S*|^\S+(?= is )")


def _form_of(reason: str) -> str:
    """A reason without the names, numbers and code that are those of one place."""
    return _SPECIAL.sub("…", reason)


def _told_once(alike: Counter[str]) -> str:
    """The most frequent of some reasons, and at how many places they stand against the step."""
    (reason, _), *others = alike.most_common()
    return f"{reason} ({count(alike.total(), 'place')}{' alike' if others else ''})"


def _function(out: Console, f: FunctionResult) -> None:
    out.print(Text.assemble((f"{f.path}::{f.name}", "bold")))
    if f.steps:
        out.print(_numbers(f))
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), show_header=False)
    table.add_column(justify="right", no_wrap=True)
    table.add_column(no_wrap=True)
    table.add_column(no_wrap=True)
    table.add_column(overflow="fold")
    for step in f.steps:
        why = step.reason + _grounds(step.verdict)
        table.add_row(f"  {step.line}", step.step, _verdict(step.verdict), plain(why))
    for refusal in f.refused:
        table.add_row(f"  {refusal.line}", refusal.step, Text("not taken", DOUBT), plain(refusal.reason))
    out.print(table)
    out.print()


def show_proposal(proposal: Proposal) -> None:
    """One step before it is taken: what, why, on what evidence, and the few lines it changes."""
    out = console()
    taken = proposal.taken
    out.print()
    out.print(Text.assemble((f"{proposal.path}::{proposal.function}", "bold"), f"  line {taken.line}"))
    out.print(Text.assemble((taken.step, "bold"), "  ", _verdict(taken.verdict), _grounds(taken.verdict)))
    out.print(plain(taken.reason))
    old, new = proposal.before.splitlines(), proposal.after.splitlines()
    for line in list(difflib.unified_diff(old, new, lineterm="", n=2))[2:]:
        _diff_line(out, line)


def _numbers(f: FunctionResult) -> Text:
    pairs = [(name, getattr(f.before, name), getattr(f.after, name)) for name in ("tangle", "depth", "ways", "lines")]
    text = Text("  ")
    for name, before, after in pairs:
        change = f"{short(before)}" if before == after else f"{short(before)} -> {short(after)}"
        text.append(f"{name} ")
        text.append(change, "bold" if before != after else "")
        text.append("   ")
    return text


def _grounds(verdict: Verdict) -> str:
    grounds = [*verdict.assumptions]
    told = f" [assuming {', '.join(grounds)}]" if grounds else ""
    if verdict.status == "tested":
        told += f" [{verdict.trial_told()}]"
    if verdict.expected is not None:
        found = verdict.expected
        told += f"; differs on purpose for {found.input}: old {found.old}; new {found.new}"
    return told


def _verdict(verdict: Verdict) -> Text:
    return Text(f"{_SIGN[verdict.status]} {verdict.status}", _VERDICT[verdict.status])


def _diff(out: Console, diff: str) -> None:
    if not diff:
        return
    for line in diff.splitlines():
        _diff_line(out, line)
    out.print()


def _diff_line(out: Console, line: str) -> None:
    style = {"+": GOOD, "-": BAD, "@": "bold"}.get(line[:1], "")
    if line.startswith(("---", "+++")):
        style = "bold"
    out.print(Text(line, style), soft_wrap=True)


def _summary(result: Result, write: bool) -> Text:
    steps = len(result.steps)
    if not steps:
        left = f"nothing taken; {count(len(result.refused), 'place')} left, the reason beside each"
        return Text(left if result.refused else "nothing to straighten")
    before = sum(f.before.tangle for f in result.functions if f.steps)
    after = sum(f.after.tangle for f in result.functions if f.steps)
    functions = sum(1 for f in result.functions if f.steps)
    proved = sum(1 for step in result.steps if step.verdict.status == "proved")
    told = f"{count(steps, 'step')} in {count(functions, 'function')}, {proved} proved, {steps - proved} tested; "
    told += f"tangle {before} -> {after}; "
    told += "written" if result.written else "nothing written" + ("" if write else " (--write saves)")
    return Text(told, "bold")


def show_undone(undone: list[tuple[Path, Entry]]) -> None:
    """The steps that were undone, last first."""
    out = console()
    for path, entry in undone:
        out.print(plain(f"undone: {entry.step} in {_near(path)}::{entry.function}, line {entry.line}"), soft_wrap=True)


def show_records(records: list[Record], root: Path) -> None:
    """Steps that could be undone, newest first, numbered as `dreck back N` counts them."""
    out, number = console(), 0
    for record in reversed(records):
        when = time.strftime("%Y-%m-%d %H:%M", time.localtime(record.time))
        if len(record.parts) > 1:
            number += 1
            entry, names = record.entries[0], ", ".join(_relative(part.path, root) for part in record.parts)
            out.print(plain(f"{number:>4}  {when}  {entry.step} {entry.function}  ({names})"), soft_wrap=True)
            continue
        for part in record.parts:
            for entry in reversed(part.entries):
                number += 1
                place = f"{_relative(part.path, root)}::{entry.function}, line {entry.line}"
                out.print(plain(f"{number:>4}  {when}  {entry.step}  {place}  {entry.verdict}"), soft_wrap=True)
    if not number:
        out.print(plain(f"nothing to undo in {root}"))


def _relative(path: Path, root: Path) -> str:
    return path.relative_to(root).as_posix() if path.is_relative_to(root) else str(path)


def _near(path: Path) -> Path:
    return path.relative_to(Path.cwd()) if path.is_relative_to(Path.cwd()) else path


def show_comparison(comparison: Comparison, written: str = "") -> None:
    """A line a function, the worst first, and for every difference the input that shows it."""
    out = console()
    moved = dict(comparison.moved)
    for name, verdict in sorted(comparison.functions, key=lambda pair: _ORDER.index(pair[1].status)):
        now = _now_called(name, moved[name], verdict) if name in moved else ""
        out.print(Text.assemble(_verdict(verdict), ("  "), (name, "bold"), now), soft_wrap=True)
        for line in _explained(verdict):
            say(out, f"    {line}", hang=4 + _lead(line))
    for names, where in ((comparison.only_old, "old"), (comparison.only_new, "new")):
        for name in names:
            out.print(plain(f"  only in the {where} version: {name}"), soft_wrap=True)
    if comparison.otherwise:
        out.print(plain(f"  defined otherwise: {', '.join(comparison.otherwise)}"), soft_wrap=True)
    if not comparison.functions:
        out.print("no function that both versions have is other than it was")
    if len(comparison.functions) > 3:
        out.print(plain(_in_all(comparison)), soft_wrap=True)
    if comparison.check is not None:
        check = comparison.check
        told = Text("green", GOOD) if check else Text.assemble(("red", f"bold {BAD}"), f": {check.said}")
        out.print(Text.assemble(f"own tests ({check.command}) ", told), soft_wrap=True)
    if written:
        out.print(plain(written), soft_wrap=True)


def _now_called(name: str, other: str, verdict: Verdict) -> str:
    """The other name; where neither it nor a proof says that it is the same function, that it is the most alike."""
    last = [re.split(r"[.:]", each)[-1] for each in (name, other)]
    return f"  now {other}" + ("" if last[0] == last[1] or verdict.status == "proved" else ", the most alike")


_ORDER = ("differs", "unsettled", "tested", "proved")


def _in_all(comparison: Comparison) -> str:
    found: Counter[str] = Counter(verdict.status for _, verdict in comparison.functions)
    parts = [
        f"{found[status]} {'differ' if status == 'differs' and found[status] > 1 else status}"
        for status in _ORDER
        if found[status]
    ]
    parts += [f"{len(comparison.moved)} of them moved or renamed"] if comparison.moved else []
    parts += [f"{len(names)} only in the {where} version" for names, where in
              ((comparison.only_old, "old"), (comparison.only_new, "new")) if names]  # fmt: skip
    return f"\n{count(len(comparison.functions), 'function')}: {', '.join(parts)}"


def _lead(line: str) -> int:
    """How far in the text behind a word such as `input` stands; 0 where none leads."""
    found = re.match(r"(?:input|old|new)  +", line)
    return found.end() if found else 0


def _explained(verdict: Verdict) -> list[str]:
    return [*_grounded(verdict), *(_on_purpose(verdict.expected) if verdict.expected else ())]


def _on_purpose(found: Difference) -> list[str]:
    return [f"differs on purpose for {found.input}:", f"  old  {found.old}", f"  new  {found.new}"]


def _grounded(verdict: Verdict) -> list[str]:
    if verdict.status == "proved":
        given = f", assuming {', '.join(verdict.assumptions)}" if verdict.assumptions else ""
        return [f"on every path the same acts in the same order and the same exit{given}"]
    if verdict.status == "tested":
        return [verdict.trial_told(), verdict.reason]
    lines = []
    if verdict.difference is not None:
        found = verdict.difference
        lines += [f"input  {found.input}", f"old    {found.old}", f"new    {found.new}"]
    if verdict.path:
        lines.append(f"they part where {', '.join(f'`{test}`' for test in verdict.path)}")
    return [*lines, verdict.reason] if verdict.reason else lines


def show_pins(pins: Pins, output: Path | None) -> None:
    """What the pins reach and notice, and what they do not; on standard error when the file is on the other."""
    out = console(stderr=output is None)
    for f in pins.functions:
        out.print(Text(f.function, "bold"))
        for line, style in _pinned(f):
            out.print(Text(f"    {line}", style), soft_wrap=True)
    cases = sum(len(f.cases) for f in pins.functions)
    where = f"written to {output}" if output else "nothing written (-o FILE saves)"
    out.print(Text(f"{count(cases, 'case')} in {count(len(pins.functions), 'function')}; {where}", "bold"))


def _pinned(f: Pinned) -> list[tuple[str, str]]:
    if f.problem or not f.cases:
        return [(f"not pinned: {f.problem or 'no input could be written as a test'}", DOUBT), *_dropped(f)]
    reached, wanted = f.outcomes
    noticed, can = f.strength
    real = f" ({f.recorded} of them real calls)" if f.recorded else ""
    same = f"; {f.same} more proved to change nothing" if f.same else ""
    lines = [
        (f"{count(len(f.cases), 'case')}{real}", ""),
        (f"reach {reached} of {wanted} outcomes", GOOD if reached == wanted else DOUBT),
        *((f"  never: {missing}", "") for missing in f.missing),
        (f"notice {noticed} of {can} changes to its conditions{same}", GOOD if noticed == can else DOUBT),
        *((f"  not noticed: {survivor}", "") for survivor in f.survivors),
    ]
    return lines + _dropped(f)


def _dropped(f: Pinned) -> list[tuple[str, str]]:
    return [(f"{count(number, 'input')} not pinned: {why}", "") for why, number in f.dropped]


def show_words(words: Mapping[str, str]) -> None:
    """The glossary."""
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), show_header=False)
    table.add_column(no_wrap=True, style="bold")
    table.add_column(overflow="fold")
    for word, meaning in words.items():
        table.add_row(word, plain(meaning))
    console().print(table)


def show_steps(steps: tuple[Step, ...]) -> None:
    """The catalogue, a line a step."""
    out = console()
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), show_header=False)
    table.add_column(no_wrap=True, style="bold")
    table.add_column(no_wrap=True)
    table.add_column(overflow="fold")
    for step in steps:
        asked = "" if step.by_default else f" (only when asked for{', with ' + step.typed if step.typed else ''})"
        table.add_row(step.name, step.group, step.summary + asked)
    out.print(table)


def show_step(step: Step) -> None:
    """One step's page: what, why, when not, an example, its traps."""
    out = console()
    out.print(Text.assemble((step.name, f"bold {GOOD}"), f"  ({step.group})"))
    out.print(plain(step.summary))
    for title, told in (("Why", step.why), ("When not", step.when_not)):
        out.print(Text(f"\n{title}", "bold"))
        out.print(plain(told))
    for title, code in (("Before", step.before), ("After", step.after)):
        out.print(Text(f"\n{title}", "bold"))
        for line in code.splitlines():
            out.print(plain(f"    {line}"), soft_wrap=True)
    for setting in step.settings:
        default = f" [{setting.default}]" if setting.default else ""
        out.print(plain(f"\n--set {setting.name}=VALUE  {setting.help}{default}"))
    out.print(Text("\nTraps", "bold"))
    for trap in step.traps:
        out.print(plain(f"- {trap}"))
