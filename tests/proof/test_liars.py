"""Provers that lie: what the checker accepts of them must be true all the same.

Each lie puts one wrong rule into the prover, which then finds a "proof" of pairs that differ. The checker shares none
of these rules, so it has to refuse every one of them. `DRECK_LIES=1` tells every lie about every pair, else about each
sixteenth.
"""

import os
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

import dreck.proof.classes.elsewhere as elsewhere
import dreck.proof.classes.hierarchy as hierarchy
import dreck.proof.classes.known as known
import dreck.proof.classes.say.private as private
import dreck.proof.lockstep.following as following
import dreck.proof.lockstep.lockstep as lockstep
import dreck.proof.lockstep.loops as loops
import dreck.proof.lockstep.memo as memo
import dreck.proof.lockstep.prover as prover
import dreck.proof.lockstep.stepping as stepping
import dreck.proof.rules.attributes as attributes
import dreck.proof.rules.calls as calls
import dreck.proof.rules.comparing as comparing
import dreck.proof.rules.truth as truth
from dreck.model.ir.terms import Term
from dreck.model.names.modules import ModuleNames
from dreck.proof import entry
from dreck.proof.assumptions import ATTRIBUTES, COMPARISONS, DEFAULT_ASSUMPTIONS, HASHABLE, QUIET
from dreck.proof.solver import Solver
from dreck.proof.state import Event
from dreck.workbench.compare.compare import compare_texts
from dreck.workbench.compare.sides import Text
from dreck.workbench.compare.wanted import Wanted
from tests.adversary.running import Pair, files_in, pairs_in

PAIRS = [
    pair
    for room in ("adversary", "deception")
    for path in files_in(Path(__file__).parents[1] / room)
    for pair in pairs_in(path.read_text())
]
EVERY = 1 if os.environ.get("DRECK_LIES") else 16
GO_OVER = entry._go_over
Patch = tuple[Any, str, Any]


def always(value: Any) -> Callable[..., Any]:
    return lambda *args, **options: value


def otherwise(**changed: Any) -> Callable[..., Any]:
    """Every event with something else said of it."""
    true = stepping.result_of

    def told(*args: Any) -> Any:
        found = true(*args)
        return replace(found, **changed) if isinstance(found, Event) else found

    return told


def quiet(assumption: str) -> Patch:
    return stepping, "result_of", otherwise(harmless=assumption)


def still(self: Any, state: Any) -> None:
    """Time that stands where anything may have happened."""


def forgotten(*args: Any) -> tuple[Any, ...]:
    return ()


def as_it_is(had: Term, has: Term, renamed: dict[Term, Term]) -> None:
    """What is inside of values taken for what is there now, and for no more than that."""
    for one, other in zip(had.args, has.args, strict=False):
        if isinstance(one, Term) and isinstance(other, Term):
            renamed.setdefault(one, other)
            as_it_is(one, other, renamed)


def turned(true: Callable[..., Any]) -> Callable[..., Any]:
    def told(*args: Any) -> Any:
        found = true(*args)
        return (not found[0], found[1]) if found is not None else None

    return told


LIES: dict[str, list[Patch]] = {
    "any two acts are one": [(lockstep.LockStep, "_same_act", always(True))],
    "any two keys are one": [(lockstep.LockStep, "_same_key", always(True))],
    "any two values are one": [(lockstep.LockStep, "_equal", always(True))],
    "the same code, whatever the values": [
        (lockstep.LockStep, "_alike_from_here", lambda self, state: state.sides[0].node is state.sides[1].node)
    ],
    "objects are one wherever they look alike": [
        (prover, "is_one_object", always(True)),
        (memo, "is_one_object", always(True)),
        (lockstep, "is_singleton", always(True)),
        (entry, "_by_identity", always(False)),
    ],
    **{
        f"nothing raises alone under {a}": [quiet(a)] for a in (COMPARISONS, ATTRIBUTES, HASHABLE, QUIET)
    },
    "nothing raises": [(stepping, "result_of", otherwise(raises=False))],
    "nothing moves time": [(stepping, "result_of", otherwise(moves_time=False))],
    "everything is done but once": [(stepping, "result_of", otherwise(moves_time=False, once=True))],
    "nothing ends": [(stepping, "result_of", otherwise(ends=False))],
    "every act can be met": [(stepping, "result_of", otherwise(unmet=False))],
    "time stands still": [(lockstep.LockStep, "new_epoch", still)],
    "errors are all handled alike": [(lockstep.LockStep, "_raising", always(None))],
    "a generator is left as a function is": [(lockstep.LockStep, "_leaves_lazily", always(False))],
    "what was proved once holds everywhere": [(memo, "covers", always([]))],
    "what a value is made of stays": [(memo, "_match", as_it_is)],
    "a lemma needs nothing": [(memo, "needed_since", forgotten)],
    "a loop comes back as it began": [(loops, "come_back", always(None))],
    "every test holds": [(prover.Prover, "decided", always(True))],
    "no test holds": [(prover.Prover, "decided", always(False))],
    "what follows is the opposite": [(Solver, "decide", turned(Solver.decide))],
    "two outcomes are one": [(prover.Prover, "come_out_alike", always(True))],
    "every class is below every other": [(hierarchy.Hierarchy, "is_below", always(True))],
    "no class is below another": [(hierarchy.Hierarchy, "is_below", always(False))],
    "classes are held apart": [(hierarchy.Hierarchy, "implied", always(False))],
    "classes are all one": [(hierarchy.Hierarchy, "implied", always(True))],
    "classes read as plain ones": [
        (prover.Prover, "reads_quietly", always(True)),
        (prover.Prover, "reads_items_quietly", always(True)),
        (prover.Prover, "compares_quietly", always(True)),
    ],
    "nothing sets an attribute": [(known.KnownClasses, "is_stored", always(False))],
    "every method is private": [(known.KnownClasses, "is_private", always(True))],
    "bases elsewhere leave every name alone": [(elsewhere.Elsewhere, "leaves_alone", always(True))],
    "no class has a say in its methods": [
        (private, "_takes_no_part", always(True)),
        (elsewhere.Elsewhere, "leaves_alone", always(True)),
    ],
    "every attribute is there": [(attributes, "_is_surely_there", always(True))],
    "everything is total": [(prover.Prover, "are_total", always(True)), (comparing, "_is_of_a_sort", always(True))],
    "everything is scalar": [(prover.Prover, "is_scalar", always(True))],
    "everything is something": [(prover.Prover, "is_something", always(True))],
    "everything is an int": [(prover.Prover, "kinds_of", always(frozenset({"int"})))],
    "everything is a text": [(prover.Prover, "kinds_of", always(frozenset({"str"})))],
    "constants compare as wished": [(comparing, "_fold", always(True))],
    "every name is a class": [(comparing, "_is_known_class", always(True)), (comparing, "_names_classes", always(True))],
    "no value is that constant": [(comparing, "is_that", always(False)), (calls, "is_that", always(False))],
    "objects are true": [(truth, "_is_function", always(True))],
    "a comparison was just made": [(truth, "_has_just_been_compared", always(True))],
    "every call only collects": [(calls, "_collects", always(True))],
    "every function can be followed": [(following, "can_be_followed", always(True))],
    "what is called runs at once": [(following, "runs_lazily", always(False))],
    "no exception is in flight": [
        (lockstep.LockStep, "_equal", lambda self, state, a, b: a is b or "outside" in (a.op, b.op))
    ],
    "every name is stable": [(ModuleNames, "kind", always("stable"))],
    "everything is known once": [(ModuleNames, "is_bound_once", lambda self, name: name in self._bindings.of)],
    "every name is the builtin": [
        (calls, "builtin_name", lambda p, which, function: str(function.args[0]) if function.op == "global" else "")
    ],
}  # fmt: skip


def lied_to(lie: list[Patch], monkeypatch: pytest.MonkeyPatch, pairs: list[Pair]) -> Iterator[tuple[Pair, str]]:
    """What is said of each pair while the prover lies."""
    for holder, name, wrong in lie:
        assert hasattr(holder, name), f"{holder} has no {name} to lie about"
        monkeypatch.setattr(holder, name, wrong)
    monkeypatch.setattr(entry, "_go_over", GO_OVER)
    wanted = Wanted(trial=False, assume=tuple(DEFAULT_ASSUMPTIONS))
    for pair in pairs:
        try:
            verdict = compare_texts(*(Text(Path("yard.py"), text) for text in pair.texts), wanted).verdict
        except (AssertionError, KeyError, IndexError, AttributeError, ValueError, StopIteration):
            continue  # the liar stumbles over its own lie
        yield pair, verdict.status


@pytest.mark.filterwarnings("ignore::SyntaxWarning")
@pytest.mark.parametrize("lie", LIES)
def test_a_lie_is_not_believed(lie, monkeypatch):
    told = PAIRS[list(LIES).index(lie) % EVERY :: EVERY]
    believed = [pair.name for pair, status in lied_to(LIES[lie], monkeypatch, told) if status == "proved"]
    assert not believed
