"""Certificates: what a proof rests on, step by step, so that something simpler than the prover can go over it.

A proof is a set of lemmas. Each begins at a pair of places with certain values, says what it needs to be known there,
and goes on to the exits, to another lemma, or back to the head of a loop that is open. Steps carry what the prover
made of an act; the checker (`proof.checker`) has to come to accept each of them by itself.
"""

from dataclasses import dataclass, field
from typing import Any, TypeAlias

from dreck.model.ir.terms import Term
from dreck.proof.lockstep.loops import Groups
from dreck.proof.lockstep.memo import Consult
from dreck.proof.state import Asks, Event, Gives, Goes, State, Throws


@dataclass(frozen=True, slots=True)
class Stepped:
    """One side carries out a node that concerns nobody else."""

    which: int
    result: Gives | Goes | Throws


@dataclass(frozen=True, slots=True)
class Raised:
    """What follows when the event both came to raises `error`."""

    error: Term
    epoch: Term
    log: "Log"


@dataclass(frozen=True, slots=True)
class Met:
    """Both sides come to the same event. `epoch` is the new one when time has moved; `ended` when an iterator ends."""

    old: Event
    new: Event
    made: Term | None
    epoch: Term | None
    raised: Raised | None
    ended: "Log | None"


@dataclass(frozen=True, slots=True)
class Alone:
    """One side does alone what is harmless under an assumption."""

    which: int
    event: Event


@dataclass(frozen=True, slots=True)
class Followed:
    """One side goes into the function it calls."""

    which: int
    event: Event


@dataclass(frozen=True, slots=True)
class Peeled:
    """One side alone goes into a loop."""

    which: int


@dataclass(frozen=True, slots=True)
class Used:
    """From here on it is as in a lemma."""

    lemma: int


@dataclass(frozen=True, slots=True)
class Back:
    """Both sides are back at the head of an open loop."""

    loop: int


@dataclass(frozen=True, slots=True)
class Ends:
    """`alike`: the same code on the same values; `exit`: both leave with the same."""

    how: str


Entry: TypeAlias = Stepped | Met | Alone | Followed | Peeled | Used | Back | Ends
Log: TypeAlias = list[Entry]


@dataclass(frozen=True, slots=True)
class Split:
    """A test of one side that nothing is known of, and both its ways."""

    which: int
    asks: Asks
    yes: Log
    no: Log


@dataclass(frozen=True, slots=True)
class Round:
    """A loop: which values are equal at its head, the values taken there, and one round."""

    number: int
    groups: Groups
    head: State
    log: Log


@dataclass(frozen=True, slots=True)
class Lemma:
    """`needed`: what has to be known where it begins; `loops`: the open loops to whose heads it may go back."""

    number: int
    state: State
    needed: tuple[Consult, ...]
    step: Split | Round
    loops: frozenset[int]


@dataclass(slots=True)
class Certificate:
    """All of a proof: where it begins, its main log, its lemmas; `axioms` are filled in by the checker."""

    state: State
    log: Log = field(default_factory=list)
    lemmas: dict[int, Lemma] = field(default_factory=dict)
    assumptions: frozenset[str] = frozenset()
    axioms: tuple[tuple[str, str, int], ...] = ()
    accepted: bool = False
    refusal: str = ""

    def as_json(self) -> dict[str, Any]:
        """The form documented in docs/json.md."""
        return {
            "accepted": self.accepted,
            "refusal": self.refusal or None,
            "assumptions": sorted(self.assumptions),
            "axioms": [{"kind": kind, "says": says, "line": line} for kind, says, line in self.axioms],
            "main": _told(self.log),
            "lemmas": [
                {
                    "lemma": lemma.number,
                    "at": [_place(side.node.source) for side in lemma.state.sides],
                    "needs": sorted(([what, str(term), _plain(known)] for what, term, known in lemma.needed), key=repr),
                    "loops": sorted(lemma.loops),
                    **_step(lemma.step),
                }
                for lemma in self.lemmas.values()
            ],
        }


def _step(step: Split | Round) -> dict[str, Any]:
    if isinstance(step, Split):
        return {"test": str(step.asks.test), "yes": _told(step.yes), "no": _told(step.no)}
    equal = [[f"{'old' if which == 0 else 'new'} {name}" for which, name in part] for part in step.groups.parts]
    return {"loop": step.number, "equal_at_head": equal, "round": _told(step.log)}


def _told(log: Log) -> list[Any]:
    """Every step but those that only move values."""
    found: list[Any] = []
    for entry in log:
        match entry:
            case Met(old=old, raised=raised, ended=ended):
                told: dict[str, Any] = {"both": str(old.key)}
                told |= {"raises": _told(raised.log)} if raised is not None else {}
                found.append(told | ({"ends": _told(ended)} if ended is not None else {}))
            case Alone(which=which, event=event):
                found.append({"alone": ("old", "new")[which], "does": str(event.key), "under": event.harmless})
            case Followed(which=which, event=event):
                found.append({"follows": ("old", "new")[which], "call": str(event.key)})
            case Peeled(which=which):
                found.append({"enters_a_loop": ("old", "new")[which]})
            case Used(lemma=lemma):
                found.append({"lemma": lemma})
            case Back(loop=loop):
                found.append({"back_to": loop})
            case Ends(how=how):
                found.append({"end": how})
    return found


def _place(source: Any) -> int | None:
    return getattr(source, "lineno", None)


def _plain(known: object) -> Any:
    return sorted(known) if isinstance(known, frozenset) else known
