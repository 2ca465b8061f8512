"""What a comparison comes to: a verdict for each function, and what only one of the sides has."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from dreck.workbench.engine.check import Check
from dreck.workbench.judging.verdict import Verdict, overall


@dataclass(frozen=True, slots=True)
class Comparison:
    """The verdict for each function both sides have, and the functions only one of them has.

    `check` is how the project's own tests ended, when they were asked for.
    """

    functions: tuple[tuple[str, Verdict], ...]
    only_old: tuple[str, ...] = ()
    only_new: tuple[str, ...] = ()
    moved: tuple[tuple[str, str], ...] = ()
    """Functions that have another name now, or stand in another class or file: by their last name, by their body, or
    by likeness."""
    check: Check | None = None
    otherwise: tuple[str, ...] = ()
    """Classes, constants and other names of the modules that are not the same in both, whoever uses them."""

    @property
    def verdict(self) -> Verdict:
        return overall(self.functions)

    @property
    def same(self) -> bool:
        """Every function the same, none lost, and the project's own tests green where they were asked for."""
        return bool(self.verdict) and not self.only_old and (self.check is None or bool(self.check))

    @property
    def differs(self) -> bool:
        """A function that is shown to do another thing, or the project's own tests red where they were asked for."""
        shown = any(verdict.status == "differs" for _, verdict in self.functions)
        return shown or (self.check is not None and not self.check)

    def certificates_as_json(self) -> dict[str, Any]:
        """What each proof rests on, in the form documented in docs/json.md; null where none was needed."""
        proved = [(name, verdict) for name, verdict in self.functions if verdict.status == "proved"]
        return {
            "certificates": [
                {"function": name, "certificate": v.certificate.as_json() if v.certificate is not None else None}
                for name, v in proved
            ]
        }

    def as_json(self) -> dict[str, Any]:
        """The form documented in docs/json.md."""
        return {
            "functions": [{"function": name, **verdict.as_json()} for name, verdict in self.functions],
            "only_old": list(self.only_old),
            "only_new": list(self.only_new),
            "moved": dict(self.moved),
            "defined_otherwise": list(self.otherwise),
            "check": None if self.check is None else self.check.as_json(),
        }


def named(found: Comparison, before: str) -> Comparison:
    """The same with something in front of each name."""
    return Comparison(
        tuple((f"{before}{name}", verdict) for name, verdict in found.functions),
        tuple(f"{before}{name}" for name in found.only_old),
        tuple(f"{before}{name}" for name in found.only_new),
        tuple((f"{before}{a}", f"{before}{b}") for a, b in found.moved),
        found.check,
        tuple(f"{before}{name}" for name in found.otherwise),
    )


def joined(found: Sequence[Comparison]) -> Comparison:
    """Several comparisons as one."""
    if len(found) == 1:
        return found[0]
    return Comparison(
        tuple(pair for one in found for pair in one.functions),
        tuple(name for one in found for name in one.only_old),
        tuple(name for one in found for name in one.only_new),
        tuple(pair for one in found for pair in one.moved),
        None,
        tuple(name for one in found for name in one.otherwise),
    )
