"""What a shell offers after TAB: steps, assumptions, and the functions of a file after `::`."""

from pathlib import Path
from typing import Any

import click


def steps(context: click.Context, parameter: click.Parameter, begun: str) -> list[str]:
    """The names of steps that begin so."""
    from dreck.steps import all_steps

    return [step.name for step in all_steps() if step.name.startswith(begun)]


def assumptions(context: click.Context, parameter: click.Parameter, begun: str) -> list[str]:
    """The names of assumptions that begin so."""
    from dreck.proof.assumptions import ASSUMPTIONS

    return [name for name in ASSUMPTIONS if name.startswith(begun)]


def targets(context: click.Context, parameter: click.Parameter, begun: str) -> list[Any]:
    """Files and folders; behind `file.py::` the functions and classes of that file that begin so."""
    place, mark, name = begun.partition("::")
    from click.shell_completion import CompletionItem

    if not mark:
        return [CompletionItem(begun, type="file")]
    from dreck.errors import DreckError
    from dreck.source.files import read
    from dreck.source.functions import functions_in, parse

    try:
        text = read(Path(place)).text
        found = functions_in(parse(text, place), text)
    except DreckError:
        return []
    return [f"{place}::{f.name}" for f in found if f.name.startswith(name)]
