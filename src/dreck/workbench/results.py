"""Results: what was done to which function, on what evidence."""

import difflib
import os
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from dreck.errors import DreckError
from dreck.model.views.measures import Tangle
from dreck.source.lines import split_lines
from dreck.workbench.judging.verdict import Verdict

if TYPE_CHECKING:
    import pandas


@dataclass(frozen=True, slots=True)
class Taken:
    """A step that was taken: where, why, on what evidence. `line` is the line in the text it was taken on."""

    step: str
    line: int
    reason: str
    verdict: Verdict
    made: tuple[str, ...] = ()
    """Names the step made."""

    def as_json(self) -> dict[str, Any]:
        found = self.verdict.as_json()
        made = {"made": list(self.made)} if self.made else {}
        return {
            **made,
            "step": self.step,
            "line": self.line,
            "reason": self.reason,
            "verdict": found["verdict"],
            "assumptions": found["assumptions"],
            "inputs": found["inputs"],
            "outcomes": found["outcomes"],
            "slips": found["slips"],
        }


@dataclass(frozen=True, slots=True)
class Refused:
    """A step that applied and was not taken, with the reason."""

    step: str
    line: int
    reason: str

    def as_json(self) -> dict[str, Any]:
        return {"step": self.step, "line": self.line, "reason": self.reason}


@dataclass(frozen=True, slots=True, repr=False)
class FunctionResult:
    """One function before and after."""

    path: Path
    name: str
    before: Tangle
    after: Tangle
    old: str
    new: str
    steps: tuple[Taken, ...] = ()
    refused: tuple[Refused, ...] = ()
    texts: tuple[str, ...] = ()
    """The function's lines after each step."""
    start: int = 1
    stopped: bool = False
    doubtful: int = 0
    """Tests that would read `a >= b` rather than `not a < b`, were the order of these things not in doubt."""

    @property
    def changed(self) -> bool:
        return self.old != self.new

    def __repr__(self) -> str:
        told = f"tangle {self.before.tangle} -> {self.after.tangle}, {len(self.steps)} steps"
        return f"<FunctionResult {self.path}::{self.name}: {told}>"

    def as_json(self) -> dict[str, Any]:
        return {
            "function": f"{self.path}::{self.name}",
            "before": _numbers(self.before),
            "after": _numbers(self.after),
            "steps": [step.as_json() for step in self.steps],
            "refused": [refusal.as_json() for refusal in self.refused],
        }


@dataclass(frozen=True, slots=True, repr=False)
class FileResult:
    """One file before and after."""

    path: Path
    old: str
    new: str
    functions: tuple[FunctionResult, ...]
    changes: tuple[Any, ...] = ()
    """Steps that reached beyond one function, in order."""
    others: tuple[tuple[Path, str, str], ...] = ()
    """Other files that changed with them: text before and after."""
    notes: tuple[str, ...] = ()
    """What else there is to say of the file."""
    whole: bool = False
    """Whether the file as a whole was asked for."""

    @property
    def changed(self) -> bool:
        return self.old != self.new or bool(self.others)

    def __repr__(self) -> str:
        return f"<FileResult {self.path}: {sum(f.changed for f in self.functions)} functions changed>"

    @property
    def diff(self) -> str:
        """A unified diff, empty when nothing changed."""
        parts = [(self.path, self.old, self.new), *self.others]
        return "".join(_diff(path, old, new) for path, old, new in parts)


def _diff(path: Path, before: str, after: str) -> str:
    """A unified diff with paths from the top of the repository, so that `git apply` takes it."""
    name = _in_repository(path)
    old, new = split_lines(before), split_lines(after)
    source = f"a/{name}" if before or path.exists() else os.devnull
    lines = difflib.unified_diff(old, new, source, f"b/{name}")
    return "".join(line if line.endswith("\n") else f"{line}\n{_NO_END}\n" for line in lines)


_NO_END = "\\ No newline at end of file"


def _in_repository(path: Path) -> str:
    whole = path.absolute()
    top = next((folder for folder in whole.parents if (folder / ".git").exists()), Path.cwd())
    return whole.relative_to(top).as_posix() if whole.is_relative_to(top) else whole.as_posix().lstrip("/")


@dataclass(frozen=True, slots=True, repr=False)
class Result:
    """What `untangle` did. Prints as the steps taken; `source` is the new text of what was asked for."""

    files: tuple[FileResult, ...]
    skipped: tuple[tuple[Path, str], ...] = ()
    written: bool = False

    @property
    def functions(self) -> tuple[FunctionResult, ...]:
        return tuple(f for file in self.files for f in file.functions)

    @property
    def steps(self) -> tuple[Taken, ...]:
        return tuple(step for f in self.functions for step in f.steps)

    @property
    def refused(self) -> tuple[Refused, ...]:
        return tuple(refusal for f in self.functions for refusal in f.refused)

    @property
    def source(self) -> str:
        """The new text of the functions asked for; of several, one after another.

        Where a file was asked for, or a step reached beyond a function, the new text of the whole file.
        """
        parts = [[file.new] if file.changes or file.whole else [f.new for f in file.functions] for file in self.files]
        return "\n\n".join(text for part in parts for text in part)

    @property
    def diff(self) -> str:
        return "".join(file.diff for file in self.files)

    def __bool__(self) -> bool:
        return bool(self.steps)

    def __str__(self) -> str:
        lines = []
        for f in self.functions:
            if f.steps or f.refused:
                lines.append(f"{f.path}::{f.name}  tangle {f.before.tangle} -> {f.after.tangle}")
                lines += [f"  {s.step} (line {s.line}): {s.verdict.status}" for s in f.steps]
                lines += [f"  not taken: {r.step} (line {r.line}): {r.reason}" for r in f.refused]
        return "\n".join(lines) or "nothing to straighten"

    def to_frame(self) -> "pandas.DataFrame":
        """One row a step: function, step, line, verdict, assumptions. Needs the extra `frames`."""
        try:
            import pandas
        except ImportError:
            raise DreckError("to_frame() needs pandas: install dreck[frames]") from None
        rows = [
            (f"{f.path}::{f.name}", s.step, s.line, s.verdict.status, ", ".join(s.verdict.assumptions))
            for f in self.functions
            for s in f.steps
        ]
        return pandas.DataFrame(rows, columns=["function", "step", "line", "verdict", "assumptions"])

    def __repr__(self) -> str:
        return f"<Result: {len(self.steps)} steps in {len(self.functions)} functions, {len(self.files)} files>"

    def as_json(self) -> dict[str, Any]:
        """The form documented in docs/json.md."""
        return {
            "functions": [f.as_json() for f in self.functions],
            "files": [{"path": str(f.path), "diff": f.diff, "text": f.new} for f in self.files if f.changed],
            "skipped": [{"path": str(path), "reason": reason} for path, reason in self.skipped],
            "written": self.written,
        }


def _numbers(t: Tangle) -> dict[str, int]:
    return {"tangle": t.tangle, "depth": t.depth, "ways": t.ways, "lines": t.lines}
