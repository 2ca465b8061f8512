"""Verdicts: what is known about two versions of a function, and on what grounds."""

from dataclasses import dataclass, field, replace
from typing import Any, Literal, TypeAlias

from dreck.proof.certificate import Certificate
from dreck.trial.server import Difference

Status: TypeAlias = Literal["proved", "tested", "differs", "unsettled"]
_WORST_FIRST: tuple[Status, ...] = ("differs", "unsettled", "tested", "proved")


@dataclass(frozen=True, slots=True, repr=False)
class Verdict:
    """Whether two versions do the same. True (as a bool) when it is `proved` or `tested`.

    `assumptions` are the named conditions a proof rests on; `inputs` how many a trial ran; `outcomes` how many
    outcomes of tests were covered and how many there are, both versions together; `reason` says why a
    verdict is not better than it is; `path` the outcomes of tests that led a failed proof to where the two part;
    `expected` is a difference that was declared beforehand, and occurs.
    """

    status: Status
    assumptions: tuple[str, ...] = ()
    inputs: int = 0
    outcomes: tuple[int, int] = (0, 0)
    reason: str = ""
    path: tuple[str, ...] = ()
    difference: Difference | None = None
    expected: Difference | None = None
    functions: "tuple[tuple[str, Verdict], ...]" = ()
    slips: tuple[int, int] = (0, 0)
    """Small wrong changes of the changed region that a trial's inputs notice, and how many were made."""
    left_out: int = 0
    """Inputs a trial left out of account because a plain test raised on them (`quiet-tests`)."""
    alone: str = ""
    """The lines that a trial ran alone, as a function of what they are given; '' when it ran the function."""
    certificate: Certificate | None = field(default=None, compare=False, repr=False)
    """What a proof rests on, where that was asked for."""

    def __bool__(self) -> bool:
        return self.status in ("proved", "tested")

    def __repr__(self) -> str:
        return f"<Verdict {self}>" if len(str(self)) < 200 else f"<Verdict {str(self)[:197]}...>"

    def __str__(self) -> str:
        match self.status:
            case "proved":
                given = f", assuming {', '.join(self.assumptions)}" if self.assumptions else ""
                return f"proved: the same on every path{given}"
            case "tested":
                return f"tested: {'the same on ' if self.inputs else ''}{self.trial_told()}"
            case "differs" if self.difference is not None:
                found = self.difference
                return f"differs for {found.input}: old {found.old}; new {found.new}"
        return f"{self.status}: {self.reason}"

    def trial_told(self) -> str:
        """How much a trial has seen: `236 inputs, 12 of 12 outcomes, 19 of 19 slips noticed`; where a proof holds but
        rests on what is only tested, that."""
        if self.status == "tested" and not self.inputs:
            return "the same on every path, as far as what it calls is the same"
        (reached, wanted), (noticed, slips) = self.outcomes, self.slips
        told = f"{self.inputs} inputs{f' to {self.alone}' if self.alone else ''}, {reached} of {wanted} outcomes"
        told = f"{told}, {noticed} of {slips} slips noticed" if slips else told
        return f"{told}, {self.left_out} inputs left out on which a test raises" if self.left_out else told

    def as_json(self) -> dict[str, Any]:
        """The form documented in docs/json.md."""
        found = self.difference
        return {
            "verdict": self.status,
            "assumptions": list(self.assumptions),
            "inputs": self.inputs,
            "outcomes": list(self.outcomes),
            "slips": list(self.slips),
            "reason": self.reason or None,
            "difference": found.as_json() if found else None,
            "expected": self.expected.as_json() if self.expected else None,
        }

    def weakened(self, status: Status, reason: str) -> "Verdict":
        """This verdict, made no better than `status`."""
        if _WORST_FIRST.index(self.status) <= _WORST_FIRST.index(status):
            return self
        outcomes = (0, 0) if self.status == "proved" else self.outcomes  # no input has reached any
        return replace(self, status=status, reason=reason, outcomes=outcomes)


def overall(parts: tuple[tuple[str, Verdict], ...]) -> Verdict:
    """One verdict for several functions: the worst of them, with all of them in `functions`."""
    if not parts:
        return Verdict("proved", reason="there is nothing to compare")
    name, worst = min(parts, key=lambda part: _WORST_FIRST.index(part[1].status))
    assumptions = tuple(sorted({a for _, v in parts for a in v.assumptions}))
    outcomes = (sum(v.outcomes[0] for _, v in parts), sum(v.outcomes[1] for _, v in parts))
    slips = (sum(v.slips[0] for _, v in parts), sum(v.slips[1] for _, v in parts))
    reason = f"{name}: {worst.reason}" if worst.reason and len(parts) > 1 else worst.reason
    inputs = sum(v.inputs for _, v in parts)
    whole = replace(worst, assumptions=assumptions, outcomes=outcomes, slips=slips, inputs=inputs)
    return replace(whole, reason=reason, functions=parts)
