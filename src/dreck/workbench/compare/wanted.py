"""What is asked of a comparison."""

from dataclasses import dataclass


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
        folders: whether all that lies around the two files is compared, too.
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
    folders: bool = False


NOTHING_MORE = Wanted()
