"""`--ask`: step by step on a terminal; what was taken stays."""

import keyword

import click

from dreck.report.terminal import show_proposal
from dreck.workbench.straighten import LeaveFunction, OtherName, Proposal, Stop

_CHOICES = "[t]ake, [s]kip, [l]eave this function, st[o]p"
_NAMED = "[t]ake, [r]ename, [s]kip, [l]eave this function, st[o]p"


def ask(proposal: Proposal) -> str:
    """Shows a step with its evidence; '' when the person takes it, else why not."""
    show_proposal(proposal)
    choices = _NAMED if proposal.taken.made else _CHOICES
    while True:
        answer = click.prompt(choices, default="t", err=True).strip().lower()
        match answer:
            case "t" | "take":
                return ""
            case "s" | "skip":
                return "skipped"
            case "r" | "rename" if proposal.taken.made:
                raise OtherName({name: _name_for(name) for name in proposal.taken.made})
            case "l" | "leave":
                raise LeaveFunction
            case "o" | "stop":
                raise Stop
        click.echo(f"'{answer}' is none of: {choices}", err=True)


def _name_for(name: str) -> str:
    """Another name for one that the step makes; the same when nothing is typed."""
    while True:
        wanted: str = click.prompt(f"instead of {name}", default=name, err=True).strip()
        if wanted.isidentifier() and not keyword.iskeyword(wanted):
            return wanted
        click.echo(f"'{wanted}' cannot be a name in Python", err=True)
