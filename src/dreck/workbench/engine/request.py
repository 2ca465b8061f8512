"""Requests: how to untangle, checked before anything is read."""

import ast
from collections.abc import Callable
from dataclasses import dataclass, field

from dreck.errors import DreckError
from dreck.steps.catalogue import step_named
from dreck.steps.support.scene import Wishes
from dreck.workbench.engine.check import run_check
from dreck.workbench.engine.reshape import check_names
from dreck.workbench.engine.straighten import Proposal
from dreck.workbench.store.config import known_assumption

FORMS = ("variable", "function", "method", "property", "protocol", "parameter")


@dataclass(frozen=True, slots=True)
class Request:
    """How to untangle: which steps, what may be assumed, the least evidence, whether to save, how to check,
    and what a person wishes steps that need a choice to come to."""

    steps: tuple[str, ...] = ()
    leave: tuple[str, ...] = ()
    assume: tuple[str, ...] = ()
    verdict: str = "tested"
    write: bool = False
    check: str = ""
    jobs: int = 1
    wishes: Wishes = field(default_factory=Wishes)
    far: bool = False
    """Whether each function also gets the one further step that brings most, of those that need nobody."""
    cache: bool = True
    """Whether a file in which nothing was found before is left alone as long as it is what it was."""


@dataclass(frozen=True, slots=True)
class Asking:
    """How a person is asked: about a step before it is taken, for a name that a place lacks."""

    step: Callable[[Proposal], str] | None = None
    name: Callable[[str, str], str] | None = None


def validate(request: Request) -> None:
    for name in (*request.leave, *request.steps):
        step_named(name)
    check_settings(request)
    for name in request.assume:
        known_assumption(name)
    check_names(request.wishes.names)
    if request.wishes.form not in ("", *FORMS):
        raise DreckError(f"--as {request.wishes.form}: it may be one of {', '.join(FORMS)}")
    if request.wishes.table_file and not request.wishes.table_file.endswith((".csv", ".json")):
        raise DreckError(f"--table-file {request.wishes.table_file}: a table is kept in a .csv or a .json file")
    if request.wishes.discriminant not in ("", "else") and not _is_expression(request.wishes.discriminant):
        raise DreckError(f"--on '{request.wishes.discriminant}': that is no expression in Python")
    if request.wishes.raising and not _is_expression(request.wishes.raising):
        raise DreckError(f"--raise '{request.wishes.raising}': that is no expression in Python")
    if request.check and not request.write:
        raise DreckError("--check tries each step on the file itself: it needs --write")


def check_settings(request: Request) -> None:
    """Raises DreckError for a setting that none of the steps asked for declares."""
    declared = {setting.name for name in request.steps for setting in step_named(name).settings}
    for name in request.wishes.settings:
        if name not in declared:
            told = f"they have {', '.join(sorted(declared))}" if declared else "they have none"
            asked = ", ".join(request.steps) or "no step"
            raise DreckError(f"--set {name}: no setting of {asked}; {told}")


def _is_expression(code: str) -> bool:
    try:
        ast.parse(code.strip(), mode="eval")
    except (SyntaxError, ValueError):
        return False
    return True


def green_before(request: Request) -> None:
    found = run_check(request.check)
    if not found:
        told = found.said if "cannot be run" in found.said else "is red before any step; make it green first"
        raise DreckError(f"the check `{request.check}` {told}")
