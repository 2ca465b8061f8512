"""One of the two functions of a proof, and what a proof came to."""

from dataclasses import dataclass

from dreck.model.names.modules import ModuleNames
from dreck.proof.certificate import Certificate
from dreck.source.functions import FunctionNode

OUT_OF_BUDGET = "the budget of the proof is used up"


@dataclass(frozen=True, slots=True)
class Subject:
    """One of the two functions: its code, what its module's names mean, names bound around it."""

    node: FunctionNode
    names: ModuleNames
    enclosing: frozenset[str] = frozenset()
    owner: str = ""
    """The class whose method the function is, if it has a `self`."""
    home: str = ""
    """The class it stands in, whatever it is there: names like `__x` are that class's own."""


@dataclass(frozen=True, slots=True)
class Proof:
    """The outcome of a proof: `holds`, under `assumptions`; if not, the `reason` and the path that led there.

    `globals` are the module-level names both sides were taken to mean the same by.
    """

    holds: bool
    assumptions: frozenset[str] = frozenset()
    reason: str = ""
    path: tuple[str, ...] = ()
    globals: frozenset[str] = frozenset()
    certificate: Certificate | None = None
