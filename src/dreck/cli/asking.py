"""`--ask`: step by step on a terminal; what was taken stays."""

import keyword
from dataclasses import dataclass
from pathlib import Path

import click

from dreck.report.terminal import show_proposal
from dreck.report.totals import count
from dreck.workbench.engine.straighten import LeaveFunction, OtherName, Proposal, Stop

_CHOICES = "[t]ake  [s]kip  [r]ename  [l]eave this function  [q]uit"


@dataclass
class Asker:
    """Shows each step with its evidence and asks; knows how many files are left."""

    total: int = 0
    done: int = 0

    def told(self, done: int, total: int, path: Path) -> None:
        """So many files are done, of so many: nothing is drawn, a question may be open."""
        self.done, self.total = done, total

    def ask(self, proposal: Proposal) -> str:
        """'' when the person takes the step, else why not."""
        show_proposal(proposal)
        left = self.total - self.done - 1
        if left > 0:
            click.echo(f"{count(left, 'file')} left after this one", err=True)
        while True:
            click.echo(_CHOICES, err=True)
            answer = click.prompt("", prompt_suffix="> ", default="t", show_default=False, err=True).strip().lower()
            match answer:
                case "t" | "take":
                    return ""
                case "s" | "skip":
                    return "skipped"
                case "r" | "rename" if proposal.taken.made:
                    raise OtherName({name: _name_for(name) for name in proposal.taken.made})
                case "r" | "rename":
                    click.echo("this step makes no name", err=True)
                    continue
                case "l" | "leave":
                    raise LeaveFunction
                case "q" | "quit":
                    raise Stop
            click.echo(f"'{answer}' is none of these", err=True)

    def name(self, place: str, code: str) -> str:
        """What a piece of code is to be called; '' when the person leaves it without a name."""
        click.echo(f"\n{place}\nno good name was found for `{code}`", err=True)
        while True:
            told = "a name for it (nothing leaves it as it is)"
            wanted: str = click.prompt(told, default="", show_default=False, err=True).strip()
            if not wanted or (wanted.isidentifier() and not keyword.iskeyword(wanted)):
                return wanted
            click.echo(f"'{wanted}' cannot be a name in Python", err=True)


def _name_for(name: str) -> str:
    """Another name for one that the step makes; the same when nothing is typed."""
    while True:
        wanted: str = click.prompt(f"instead of {name}", default=name, err=True).strip()
        if wanted.isidentifier() and not keyword.iskeyword(wanted):
            return wanted
        click.echo(f"'{wanted}' cannot be a name in Python", err=True)
