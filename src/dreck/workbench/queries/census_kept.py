"""What a census has found in a text, as it is kept, and found again."""

from pathlib import Path
from typing import Any

from dreck.model.names.families import Families
from dreck.model.views.switches import Arm, Switch


def kept_of(switches: list[tuple[str, Switch]], families: Families) -> dict[str, Any]:
    """The switches of a text and its classes, without the place of the file."""
    return {
        "switches": [
            [place.partition("::")[2], s.subject, s.by, s.default, s.line, s.form, [_arm(arm) for arm in s.arms]]
            for place, s in switches
        ],
        "bases": families.bases,
        "members": families.members,
    }


def found_again(path: Path, kept: dict[str, Any]) -> tuple[list[tuple[str, Switch]], Families]:
    """The same, of a file at `path`."""
    switches = [
        (f"{path}::{name}", Switch(subject, by, tuple(_arm_of(*arm) for arm in arms), default, line, form))
        for name, subject, by, default, line, form, arms in kept["switches"]
    ]
    bases, members = ({name: tuple(of) for name, of in kept[part].items()} for part in ("bases", "members"))
    return switches, Families(bases, members)


def _arm(arm: Arm) -> list[Any]:
    """An arm; a census asks for no spans of numbers."""
    return [list(arm.kinds), arm.line, arm.exact]


def _arm_of(kinds: list[str], line: int, exact: bool) -> Arm:
    return Arm(tuple(kinds), line, None, exact)
