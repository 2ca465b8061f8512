"""`--ask`: step by step on a terminal; what was taken stays."""

import click

from dreck.report.terminal import show_proposal
from dreck.workbench.straighten import LeaveFunction, Proposal, Stop

_CHOICES = "[t]ake, [s]kip, [l]eave this function, st[o]p"


def ask(proposal: Proposal) -> str:
    """Shows a step with its evidence; '' when the person takes it, else why not."""
    show_proposal(proposal)
    while True:
        answer = click.prompt(_CHOICES, default="t", err=True).strip().lower()
        match answer:
            case "t" | "take":
                return ""
            case "s" | "skip":
                return "skipped"
            case "l" | "leave":
                raise LeaveFunction
            case "o" | "stop":
                raise Stop
        click.echo(f"'{answer}' is none of: {_CHOICES}", err=True)
