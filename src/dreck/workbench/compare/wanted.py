"""What is asked of a comparison."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path

from dreck.workbench.judging.verdict import Verdict


@dataclass(frozen=True, slots=True)
class Wanted:
    """What is asked of a comparison, apart from the two sides.

    Arguments:
        only: names of functions; all when empty.
        assume: assumptions proofs may rest on, beside those that are accepted anyway.
        trial: whether code may be run; without, what cannot be proved is unsettled.
        open_cage: audit events that trials let happen.
        expect: a condition on the arguments; where it holds the two are meant to differ, and must.
        record: a command to run with the new version watched; its calls are tried first.
        check: the project's own tests as a command.
        case: whether a difference is wanted as a test case.
        cache: whether what trials have seen before counts as long as everything they lean on is what it was.
        certificates: whether what proofs rest on is kept with the verdicts.
    """

    only: tuple[str, ...] = ()
    assume: tuple[str, ...] = ()
    trial: bool = True
    open_cage: tuple[str, ...] = ()
    expect: str = ""
    record: str = ""
    check: str = ""
    case: bool = False
    cache: bool = True
    certificates: bool = False


@dataclass(frozen=True, slots=True)
class Elsewhere:
    """What is known of the other files of two folders when two files of them are compared.

    `doubted` has the functions of each file of the old folder that is judged itself, as far as they are not proved to
    be the same: all others are. `known` are the verdicts on the functions of the two files from before more was
    doubted. `told` stands for all that is known: what was found for the same can be used again. `files` are all that
    both folders have, and those of one of them, twice.
    """

    told: str = ""
    files: tuple[tuple[Path, Path], ...] = ()

    doubted: Mapping[Path, frozenset[str]] = field(default_factory=dict)
    known: Mapping[str, Verdict] = field(default_factory=dict)


NOTHING_MORE = Wanted()
NOTHING_KNOWN = Elsewhere()
