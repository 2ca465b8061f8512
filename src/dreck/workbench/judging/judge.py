"""The judge: proof first, then trial. It is given two finished texts and knows nothing of how they came about."""

import ast
import logging
import re
from collections import Counter
from dataclasses import dataclass, field, replace

from dreck.model.ir.graph import Arena
from dreck.model.names.frames import READERS_OF_NAMES, frames_asked, words_of
from dreck.model.names.scopes import param_names, scope_of
from dreck.proof.assumptions import ASSUMPTIONS, DEFAULT_ASSUMPTIONS, HASHABLE, ORDER, QUIET, STEADY, SUMS
from dreck.proof.entry import DEFAULT_BUDGET, prove
from dreck.proof.subject import Proof, Subject
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk
from dreck.trial.running.expectation import outside
from dreck.trial.running.instrument import count_outcomes
from dreck.trial.running.renaming import AS_BEFORE, BY_POSITION
from dreck.trial.server import (
    DEFAULT_INPUTS,
    DEFAULT_SECONDS,
    Difference,
    Known,
    Trial,
    Unnoticed,
    Version,
    Wanted,
    run_trial,
)
from dreck.workbench.judging.added import for_callers_from_before
from dreck.workbench.judging.ambient import of_the_process
from dreck.workbench.judging.asked_otherwise import asked_otherwise, defaults_apart
from dreck.workbench.judging.by_position import first_given, given_before, renamed_and_given
from dreck.workbench.judging.candidates import Candidate
from dreck.workbench.judging.decorated import APART, UNWATCHED, as_called, decorators_apart, is_generic, under_own_name
from dreck.workbench.judging.hidden_below import of_hidden
from dreck.workbench.judging.part import part_of
from dreck.workbench.judging.set_order import of_set_order
from dreck.workbench.judging.settled import comes_to_one_thing
from dreck.workbench.judging.standing import of_standing
from dreck.workbench.judging.unseen import of_classes
from dreck.workbench.judging.verdict import Verdict

_log = logging.getLogger("dreck")

__all__ = ["ASSUMPTIONS", "DEFAULT_ASSUMPTIONS", "Candidate", "Judge"]


@dataclass(frozen=True, slots=True)
class Request:
    """What else a verdict is asked for.

    `suspect`: a reason not to try a proof, something around the two differs. `changed`: names of the module
    that mean something else in the two, with how; a proof that rests on one of them does not count.
    `expect`: a condition on the arguments under which they are meant to differ. `calls`: recorded calls to try first.
    """

    only_proof: bool = False
    suspect: str = ""
    changed: tuple[tuple[str, str], ...] = ()
    expect: str = ""
    calls: tuple[dict[str, str], ...] = ()


@dataclass(slots=True)
class Judge:
    """Judges versions of one function after another. `trial=False` runs no code of the target at all."""

    assume: frozenset[str] = DEFAULT_ASSUMPTIONS
    trial: bool = True
    inputs: int = DEFAULT_INPUTS
    seconds: float = DEFAULT_SECONDS
    budget: int = DEFAULT_BUDGET
    open_cage: frozenset[str] = frozenset()
    cage: str = ""
    arena: Arena = field(default_factory=Arena)
    case: bool = False
    known: Known | None = None
    """Answers of trials made before."""
    certificates: bool = False
    """Whether verdicts keep the certificates of proofs."""

    def verdict(self, old: Candidate, new: Candidate, request: Request = Request()) -> Verdict:
        """Are the two the same? Proof first, then trial."""
        as_before = for_callers_from_before(old, new)
        if as_before is not None:
            found = self.verdict(old, as_before, request)
            against = given_before(old, set(param_names(new.node.args)) - set(param_names(old.node.args)))
            return _assuming(found, AS_BEFORE, against) if found else found
        if decorators_apart(old, new):
            return self._decorated(old, new, request)
        return self._seen(self._found(old, new, request), old, new)

    def _found(self, old: Candidate, new: Candidate, request: Request) -> Verdict:
        return self._expected(old, new, request) if request.expect else self._plain(old, new, request)

    def _decorated(self, old: Candidate, new: Candidate, request: Request) -> Verdict:
        """What their decorators make of them, where that can be called; else no more than what was seen inside."""
        called = as_called(old, new)
        found = self._found(*(called or (old, new)), request)
        if called is not None and found.difference is not None:
            found = replace(found, difference=under_own_name(found.difference, called, new.name))
        if found.status == "proved" and is_generic(old, new):
            return _assuming(found, BY_POSITION, first_given(old) or first_given(new))
        if found or (found.status == "differs" and called is None):
            reason, reached = _inside(found, called is not None), (0, 0) if found.status == "proved" else found.outcomes
            return replace(found, status="unsettled", reason=reason, outcomes=reached, difference=None, assumptions=())
        return found

    def _seen(self, found: Verdict, old: Candidate, new: Candidate) -> Verdict:
        """What a trial found, unless there is something it cannot see."""
        unseen = found.status == "tested" and (
            _not_tried(old.node, new.node)
            or _of_frames(old, new)
            or _of_replaced(old, new)
            or of_the_process(old, new)
            or asked_otherwise(old, new)
            or defaults_apart(old, new)
            or of_classes(old, new, bool(found.alone))
            or of_hidden(old, new)
            or of_standing(old, new)
            or of_set_order(old, new)
        )
        if unseen:
            found = replace(found, status="unsettled", reason=f"{_AS_FAR} they are the same, but {unseen}")
        return _assuming(found, BY_POSITION, renamed_and_given(new)) if new.aliases and found else found

    def _plain(self, old: Candidate, new: Candidate, request: Request) -> Verdict:
        proof = self._unsuspected(old, new, request)
        if proof.holds:
            _log.debug(
                "%s: proved%s", old.name, f", assuming {', '.join(sorted(proof.assumptions))}" * bool(proof.assumptions)
            )
            return self._proved(old, new, proof)
        _log.debug("%s: no proof: %s", old.name, proof.reason)
        if request.only_proof or not self.trial:
            return Verdict("unsettled", reason=proof.reason, path=proof.path)
        trial = self._strong(self._trial(old, new, request), (old, new))
        _log.debug("%s: a trial of %s inputs: %s", old.name, trial.inputs, _came_to(trial))
        found = _judged(trial, proof, comes_to_one_thing(old, new.names) and comes_to_one_thing(new, old.names))
        if found.difference is not None and _is_of_no_order(found.difference) and self._proved_with_order(old, new):
            return replace(found, reason=f"{found.reason}; {_WITH_ORDER}")
        open_still = found.status == "unsettled" and not trial.difference and not trial.old_not_executed
        alone = self._alone(old, new, proof) if open_still else None
        return alone or found

    def _alone(self, old: Candidate, new: Candidate, proof: Proof) -> Verdict | None:
        """A trial of the statements that differ, which the whole function leads to on few inputs; None if it shows
        nothing: what they differ for may never come to them."""
        part = part_of(old, new)
        if part is None:
            return None
        trial = self._strong(self._trial(part.old, part.new, Request()), (part.old, part.new))
        _log.debug("%s: a trial of %s: %s", old.name, part.told, _came_to(trial))
        found = _judged(trial, proof)
        return replace(found, alone=part.told) if found else None

    def _proved_with_order(self, old: Candidate, new: Candidate) -> bool:
        if ORDER in self.assume:
            return False
        return prove(_subject(old), _subject(new), self.assume | {ORDER}, Arena(), self.budget).holds

    def _strong(self, found: Trial, sides: tuple[Candidate, Candidate]) -> Trial:
        """Slips that a proof shows to be none are none."""
        if found.difference is not None or found.problem or found.missing or not found.unnoticed:
            return found
        left = tuple(slip for slip in found.unnoticed if not self._is_none(slip, sides[slip.side]))
        noticed, wanted = found.slips
        return replace(found, unnoticed=left, slips=(noticed, wanted - len(found.unnoticed) + len(left)))

    def _is_none(self, slip: Unnoticed, side: Candidate) -> bool:
        (node,) = ast.parse(slip.function).body
        if not isinstance(node, FunctionNode):
            return False
        return prove(_subject(side), _subject(replace(side, node=node)), self.assume, Arena(), _SLIP_BUDGET).holds

    def _expected(self, old: Candidate, new: Candidate, request: Request) -> Verdict:
        """Outside the condition they must agree; inside, a difference must be found."""
        cut = replace(old, node=outside(old.node, request.expect)), replace(new, node=outside(new.node, request.expect))
        proof = self._unsuspected(*cut, request)
        if not proof.holds:  # the condition is asked once more: it is taken to have no effect
            proof = self._unsuspected(*cut, request, frozenset({QUIET}))
        if not self.trial:
            return Verdict(
                "unsettled", reason="that a difference occurs can only be seen in a trial, and none is wanted"
            )
        found = self._trial(old, new, request)
        if found.difference is not None:
            return _judged(found, proof)
        if found.expected is None:
            told = found.problem or f"on {found.held} inputs for which it holds both do the same"
            reason = f"the difference expected where `{request.expect}` did not occur: {told}"
            return Verdict("unsettled", (), found.inputs, found.outcomes, reason)
        verdict = self._proved(old, new, proof) if proof.holds else _judged(found, proof)
        return replace(verdict, expected=found.expected)

    def _proved(self, old: Candidate, new: Candidate, proof: Proof) -> Verdict:
        count = count_outcomes(old.node) + count_outcomes(new.node)
        found = Verdict("proved", tuple(sorted(proof.assumptions)), 0, (count, count))
        return replace(found, certificate=proof.certificate) if self.certificates else found

    def _unsuspected(
        self, old: Candidate, new: Candidate, request: Request, further: frozenset[str] = frozenset()
    ) -> Proof:
        if request.suspect:
            return Proof(False, reason=request.suspect)
        proof = self._proof(old, new, further)
        for name, how in request.changed:
            if proof.holds and name in proof.globals:
                return Proof(False, reason=f"the module's {name} {how}")
        return proof

    def _proof(self, old: Candidate, new: Candidate, further: frozenset[str] = frozenset()) -> Proof:
        """`further`: what is assumed beside what was asked for."""
        subjects = (_subject(old), _subject(new))
        return prove(*subjects, self.assume | further, self.arena, self.budget)

    def _trial(self, old: Candidate, new: Candidate, request: Request) -> Trial:
        hashable = HASHABLE in self.assume
        opened, case = self.open_cage, self.case
        as_written = ast.dump(old.node) == ast.dump(new.node)  # something around them differs
        wanted = Wanted(
            self.inputs,
            self.seconds * (_AS_WRITTEN if as_written else 1),
            opened,
            self.cage,
            request.expect,
            request.calls,
            case,
            hashable,
            ORDER in self.assume,
            QUIET in self.assume,
            STEADY in self.assume,
            SUMS in self.assume,
        )
        return run_trial(
            Version(old.path, old.text(), old.name),
            Version(new.path, new.text(), new.name, new.aliases),
            wanted,
            self.known,
        )


_AS_WRITTEN = 0.25
"""So much of the time of a trial goes into a function that is written as it was."""
_WITH_ORDER = "with --assume total-order, which leaves such numbers out of account, they are proved the same"


def _is_of_no_order(found: Difference) -> bool:
    return re.search(r"\bnan\b", found.input) is not None


def _subject(c: Candidate) -> Subject:
    return Subject(c.node, c.names, c.enclosing, c.owner, c.home)


def _not_tried(old: FunctionNode, new: FunctionNode) -> str:
    """What differs between the two that a trial cannot see: it gives every argument."""
    if type(old) is not type(new):
        return "one of them is a coroutine function (`async def`), the other is not"
    defaults = [
        [ast.dump(d) if d is not None else "" for d in (*f.args.defaults, *f.args.kw_defaults)] for f in (old, new)
    ]
    if defaults[0] != defaults[1]:
        return "the defaults of their parameters differ, and a trial gives every argument"
    kinds = [(len(f.args.posonlyargs), len(f.args.args), [a.arg for a in f.args.kwonlyargs]) for f in (old, new)]
    return "" if kinds[0] == kinds[1] else "their parameters are passed in other ways"


def _assuming(found: Verdict, assumption: str, against: str) -> Verdict:
    """What holds for callers of one sort, unless something in the file is a caller of another."""
    if against:
        return replace(found, status="unsettled", reason=against, assumptions=(), certificate=None)
    return replace(found, assumptions=(*found.assumptions, assumption))


def _inside(found: Verdict, called: bool) -> str:
    """What a trial saw of two functions whose decorators differ; `called`: as callers see them."""
    if found.status == "proved":
        return "their decorators differ, and a proof does not look into what they make of a function"
    if found.difference is not None:
        return f"inside of their decorators they differ for {found.difference.input}; {APART}"
    return f"{_AS_FAR} they are the same, but {UNWATCHED if called else APART}"


_AS_FAR = "as far as a trial goes"


def _came_to(trial: Trial) -> str:
    """What a trial came to, in a few words."""
    if trial.difference is not None:
        return f"they differ for {trial.difference.input}"
    if trial.problem:
        return trial.problem
    reached, there = trial.outcomes
    return f"{reached} of {there} outcomes, {trial.slips[0]} of {trial.slips[1]} slips noticed"


def _of_frames(old: Candidate, new: Candidate) -> str:
    """What one of them reads of its own frame, or who calls it, where the other has another frame."""
    asked = frames_asked(old.node), frames_asked(new.node)
    named = [words_of(c.node, c.names.frame_readers) for c in (old, new)]
    moved = (asked[0] - asked[1]) + (asked[1] - asked[0]) + (named[0] - named[1]) + (named[1] - named[0])
    if moved:
        return f"`{min(moved)}` looks at the function it is called in, and that is another one"
    seen = sorted(asked[0].keys() & READERS_OF_NAMES)
    own = scope_of(old.node).local, scope_of(new.node).local
    return f"`{seen[0]}` sees the names of local variables, and they are others" if seen and own[0] != own[1] else ""


def _of_replaced(old: Candidate, new: Candidate) -> str:
    """What only one of them calls, and a function of the module may have replaced by then."""
    spoken = [Counter(n.attr for n in walk(c.node) if isinstance(n, ast.Attribute)) for c in (old, new)]
    differing = (spoken[0] - spoken[1]) + (spoken[1] - spoken[0])
    replaced = sorted(differing.keys() & (old.names.replaced | new.names.replaced)) if differing else []
    return f"`{replaced[0]}` may be another one by then: a function of the module puts it there" if replaced else ""


_SLIP_BUDGET = 2_000
_ENOUGH = 2
"""Inputs, all of them other ones, on which a function without any test has to come to its end to count as tested."""


def _judged(found: Trial, proof: Proof, settled: bool = False) -> Verdict:
    """The verdict a trial comes to, after a proof that did not hold."""
    if found.difference is not None and found.free:
        given = f"for any {', '.join(found.free[:3])} of the function around it"
        reason = f"not proved ({proof.reason}); {given} it differs for {found.difference.input}, which may never come"
        return Verdict("unsettled", (), found.inputs, found.outcomes, reason, proof.path)
    if found.difference is not None:
        unhashed = "unhashable type" in found.difference.old + found.difference.new
        hint = f"; --assume {HASHABLE} leaves such inputs out of account" if unhashed else ""
        return Verdict("differs", (), found.inputs, found.outcomes, proof.reason + hint, proof.path, found.difference)
    rests_on = ((HASHABLE,) if found.overlooked else ()) + ((QUIET,) if found.loud else ())
    rests_on += (ORDER,) if found.unordered else ()
    rests_on += ((STEADY,) if found.held_steady else ()) + ((SUMS,) if found.unsummed else ())
    tested = Verdict("tested", rests_on, found.inputs, found.outcomes, f"not proved: {proof.reason}", proof.path)
    tested = replace(tested, slips=found.slips, left_out=found.loud)
    if found.problem:
        reason = f"not proved ({proof.reason}), and {found.problem}"
    elif found.missing:
        reason = f"not proved ({proof.reason}); no input found for {_few(found.missing)}{_next(found)}"
    elif not found.outcomes[1] and found.finished < (1 if settled else _ENOUGH):
        reason = (
            f"not proved ({proof.reason}); there is no test in it, and hardly an input on which it comes to its end"
        )
    elif found.unnoticed:
        reason = f"not proved ({proof.reason}); as far as a trial goes they are the same, but {_unseen(found)}"
    elif found.not_looked_at:
        reason = (
            f"not proved ({proof.reason}); as far as a trial goes they are the same, but there was no time to see "
            f"whether it would notice {found.not_looked_at} of {found.not_looked_at + found.slips[1]} slips"
        )
    else:
        return tested
    return replace(tested, status="unsettled", reason=reason)


def _unseen(found: Trial) -> str:
    """Slips that no input noticed, and what a person can do about it."""
    first = found.unnoticed[0]
    more = f" (nor {len(found.unnoticed) - 1} other slips)" if len(found.unnoticed) > 1 else ""
    side = "new" if first.side else "old"
    return (
        f"no input would have noticed line {first.line} of the {side} version {_slip(first.what)}{more}; "
        f"record real calls (--from 'COMMAND') that go there"
    )


def _slip(what: str) -> str:
    return what if what.startswith(("as ", "without ")) else f"with {what}"


def _next(found: Trial) -> str:
    """What a person can do about outcomes that were not reached."""
    if not found.unknown:
        return "; record real calls (--from 'COMMAND') that go there"
    return f"; annotate {', '.join(found.unknown[:3])}, or record real calls (--from 'COMMAND')"


def _few(missing: tuple[str, ...]) -> str:
    shown = "; ".join(missing[:3])
    return shown if len(missing) <= 3 else f"{shown}; and {len(missing) - 3} more"
