"""What a step that holds must still pass: a person, the project's own check."""

from collections.abc import Callable
from pathlib import Path

from dreck.source.files import SourceFile, read
from dreck.source.lines import split_lines
from dreck.workbench.engine.check import run_check
from dreck.workbench.engine.request import Asking, Request
from dreck.workbench.engine.saving import entry_of
from dreck.workbench.engine.straighten import Proposal
from dreck.workbench.store.journal import Journal, Saving


def consultant(file: SourceFile, request: Request, asking: Asking) -> Callable[[Proposal], str] | None:
    """What a step that holds must still pass: a person, the project's own check. Taken steps are saved at once."""
    if asking.step is None and not request.check:
        return None

    def consult(proposal: Proposal) -> str:
        against = asking.step(proposal) if asking.step is not None else ""
        if against or not request.write:
            return against
        return _tried(file.path, proposal, request.check)

    return consult


def _tried(path: Path, proposal: Proposal, check: str) -> str:
    """Saves one step, and undoes it when the project's own tests turn red."""
    taken = proposal.taken
    entry = entry_of(proposal.function, proposal.start, proposal.before, proposal.after, taken)
    file = read(path)
    lines = split_lines(file.text)
    end = proposal.start - 1 + len(split_lines(proposal.before))
    journal = Journal.of(path)
    text = "".join([*lines[: proposal.start - 1], proposal.after, *lines[end:]])
    journal.save([Saving(path, file, [entry], text)])
    if check and not run_check(check):
        journal.back(1)
        return f"the check `{check}` turned red"
    return ""
