"""The judge: proof first, then trial. It is given two finished texts and knows nothing of how they came about."""

import ast
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from dreck.evidence.acts import ASSUMPTIONS, DEFAULT_ASSUMPTIONS
from dreck.evidence.instrument import count_outcomes
from dreck.evidence.proof import DEFAULT_BUDGET, Proof, Subject, prove
from dreck.evidence.trial import DEFAULT_INPUTS, DEFAULT_SECONDS, Version, run_trial
from dreck.evidence.verdict import Verdict
from dreck.model.graph import Arena
from dreck.model.scopes import ModuleNames
from dreck.source.functions import FunctionNode

__all__ = ["ASSUMPTIONS", "DEFAULT_ASSUMPTIONS", "Candidate", "Judge"]


@dataclass(frozen=True, slots=True)
class Candidate:
    """One version of a function: where its module stands, the whole module's text, its name and its code.

    `text` is a call, since only a trial needs the whole module.
    """

    path: Path
    text: Callable[[], str]
    name: str
    node: FunctionNode
    names: ModuleNames
    enclosing: frozenset[str] = frozenset()


@dataclass(slots=True)
class Judge:
    """Judges versions of one function after another. `trial=False` runs no code of the target at all."""

    assume: frozenset[str] = DEFAULT_ASSUMPTIONS
    trial: bool = True
    inputs: int = DEFAULT_INPUTS
    seconds: float = DEFAULT_SECONDS
    budget: int = DEFAULT_BUDGET
    open_cage: frozenset[str] = frozenset()
    arena: Arena = field(default_factory=Arena)

    def verdict(self, old: Candidate, new: Candidate, only_proof: bool = False, suspect: str = "") -> Verdict:
        """Are the two the same? With `suspect`, a reason, proof is not tried: something around them differs."""
        proof = Proof(False, reason=suspect) if suspect else self._proof(old, new)
        if proof.holds:
            count = count_outcomes(old.node) + count_outcomes(new.node)
            return Verdict("proved", tuple(sorted(proof.assumptions)), 0, (count, count))
        if only_proof or not self.trial:
            return Verdict("unsettled", reason=proof.reason, path=proof.path)
        return self._trial(old, new, proof)

    def _proof(self, old: Candidate, new: Candidate) -> Proof:
        subjects = (Subject(old.node, old.names, old.enclosing), Subject(new.node, new.names, new.enclosing))
        return prove(*subjects, self.assume, self.arena, self.budget)

    def _trial(self, old: Candidate, new: Candidate, proof: Proof) -> Verdict:
        found = run_trial(
            Version(old.path, old.text(), old.name),
            Version(new.path, new.text(), new.name),
            self.inputs,
            self.seconds,
            self.open_cage,
        )
        if found.difference is not None:
            return Verdict("differs", (), found.inputs, found.outcomes, proof.reason, proof.path, found.difference)
        if found.problem:
            reason = f"not proved ({proof.reason}), and {found.problem}"
            return Verdict("unsettled", (), found.inputs, found.outcomes, reason, proof.path)
        if found.missing:
            reason = f"not proved ({proof.reason}); no input found for {_few(found.missing)}"
            return Verdict("unsettled", (), found.inputs, found.outcomes, reason, proof.path)
        if not found.outcomes[1]:
            reason = f"not proved ({proof.reason}), and there is no test whose outcomes could be counted"
            return Verdict("unsettled", (), found.inputs, found.outcomes, reason, proof.path)
        return Verdict("tested", (), found.inputs, found.outcomes, f"not proved: {proof.reason}", proof.path)


def _few(missing: tuple[str, ...]) -> str:
    shown = "; ".join(missing[:3])
    return shown if len(missing) <= 3 else f"{shown}; and {len(missing) - 3} more"


def bound_names(node: ast.AST) -> frozenset[str]:
    """Every name bound anywhere in a function, for the functions nested in it."""
    found = {n.id for n in ast.walk(node) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}
    found |= {n.arg for n in ast.walk(node) if isinstance(n, ast.arg)}
    found |= {n.name for n in ast.walk(node) if isinstance(n, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef)}
    found |= {(n.asname or n.name).split(".")[0] for n in ast.walk(node) if isinstance(n, ast.alias)}
    found |= {n.name for n in ast.walk(node) if isinstance(n, ast.ExceptHandler | ast.MatchAs) and n.name}
    return frozenset(found)
