"""Pairing: which function of one version is compared with which of the other."""

from pathlib import Path

from dreck.errors import BadTarget
from dreck.model.ir.graph import Arena
from dreck.source.functions import FunctionNode
from dreck.workbench.compare.likeness import renamed
from dreck.workbench.compare.sides import Side
from dreck.workbench.judging.judge import DEFAULT_ASSUMPTIONS, Judge, Request


def pairs_of(old: Side, new: Side) -> list[tuple[str, str]]:
    """Which function is to be compared with which: by name, or what has moved by its last name."""
    if old.text.name is not None and new.text.name is not None:
        return old.pairs(old.text.name, new, new.text.name)
    same = [(name, name) for name in old.functions if name in new.functions]
    gone = _by_last_name(old, set(new.functions))
    come = _by_last_name(new, set(old.functions))
    moved = [(names[0], come[last][0]) for last, names in gone.items() if len(names) == len(come.get(last, ())) == 1]
    left = _left_over(old, new, moved)
    return same + moved + renamed(left[0], left[1], lambda one, other: _are_proved((old, new), one, other))


def _are_proved(sides: tuple[Side, Side], one: str, other: str) -> bool:
    """Whether two functions are proved the same by themselves, whatever their files do."""
    mine = sides[0].candidate(one)
    judge = Judge(DEFAULT_ASSUMPTIONS, trial=False, arena=Arena())
    return judge.verdict(mine, sides[1].candidate(other, mine.node), Request(only_proof=True)).status == "proved"


def _left_over(old: Side, new: Side, moved: list[tuple[str, str]]) -> list[dict[str, FunctionNode]]:
    """The functions of each side that the other has not, as far as they are known by name."""
    known = [{name for pair in moved for name in pair} | set(other.functions) for other in (new, old)]
    return [
        {n: f.node for n, f in side.functions.items() if n not in names and not f.nested and not n.endswith("__")}
        for side, names in zip((old, new), known, strict=True)
    ]


def _by_last_name(side: Side, others: set[str]) -> dict[str, list[str]]:
    found: dict[str, list[str]] = {}
    for name, function in side.functions.items():
        if name not in others and not function.nested and not function.node.name.startswith("__"):
            found.setdefault(function.node.name, []).append(name)
    return found


def all_there(wanted: set[str], found: set[str], path: Path) -> None:
    missing = wanted - found
    if missing:
        raise BadTarget(f"{path}: no function '{min(missing)}' on both sides")
