"""The search for inputs: guided by the outcome that is still missing, not by luck.

An input that reaches a test is changed in what the test looks at: to the constants it compares with and
their neighbours, to the very value seen on the other side of the comparison, and along the slope of the
difference (one Newton step) where numbers are computed. What reaches further is kept and built on.
"""

import itertools
import random
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Any

from dreck.trial.inputs.asked.texts import mutated
from dreck.trial.inputs.recipes import A_CALL, LATER, Make, distinct, general
from dreck.trial.search import repeats
from dreck.trial.search.bulk import Bulk
from dreck.trial.search.each_alone import EachAlone
from dreck.trial.search.moves import Choice, Outcome, Tried, is_text
from dreck.trial.search.smaller import smaller


@dataclass(slots=True)
class Search(EachAlone):
    """Looks for inputs that reach every outcome of every version, and for one on which they differ."""

    def run(self) -> None:
        """Searches until everything is reached and a margin of further inputs agrees, or the budget ends."""
        self._begin()
        first = self._first()
        if first is None or self._wavers(first):
            return
        first = self._brought_through(first)
        self._otherwise_made()
        self._each_alone(first)
        self._all_phases()

    def further(self, seconds: float) -> bool:
        """Goes on where the time was up before as many inputs were tried as are wanted; whether it has tried any."""
        before = self.count
        if before < self.inputs and self.all_tried and self.different is None and not self.unstable:
            self._until = self._now() + seconds
            self._each_alone(self.all_tried[0])
            self._all_phases()
        return self.count > before

    def _all_phases(self) -> None:
        for phase in (
            self._guided, self._others_alone, self._without, self._each_to_its_end, self._repeated, self._at_edges,
            self._crossed, self._each_way, self._later, self._otherwise, self._in_bulk, self._at_random,
        ):  # fmt: skip
            phase()
        if self.different is not None:
            self._shrink()

    def beside(self) -> None:
        """Searches around the inputs it starts from alone: each path through all that may stand there."""
        self._begin()
        for tried in list(self.all_tried):
            for path in tried.used:
                for make in self.candidates.at(path)[:_OPTIONS_BESIDE]:
                    if self._over():
                        return
                    self.attempt({**tried.choice, path: make})
        for phase in (self._at_edges, self._repeated, self._crossed, self._at_random):
            phase()

    def again(self, choice: Choice) -> None:
        """One more input that another search has found; what it shows counts like any other."""
        self._until = self._now() + 1.0
        self.attempt(choice)
        if self.different is not None:
            self._shrink()

    def once(self, choice: Choice) -> Tried | None:
        """One input, run whatever the budget."""
        self._until = self._now() + 5.0
        return self.attempt(choice)

    def wanted(self) -> set[Outcome]:
        return {
            (side, number, outcome)
            for side, runner in enumerate(self.runners)
            for number, outcome in runner.version.watched.outcomes
        }

    # --- phases ------------------------------------------------------------------------------------

    def _guided(self) -> None:
        """Rounds over all outcomes that are missing; each gets a few inputs, and more when a round brought nothing."""
        if not self.wanted() <= self.reached:
            self._until += self.seconds
        allowed, begun = _MOVES, self._now()
        most, until = int(self.inputs * _GUIDED), begun + max(0.0, self._until - begun) * _GUIDED
        while not self._over() and allowed <= _MOST_MOVES and self.count < most and self._now() < until:
            missing = sorted(self.wanted() - self.reached)
            if not missing:
                return
            reached, tried = len(self.reached), self.count
            for outcome in missing:
                if outcome not in self.reached:
                    self._towards(outcome, allowed)
                if self._over() or self.count >= most or self._now() > until:
                    return
            if self.count == tried:
                return
            allowed = _MOVES if len(self.reached) > reached else allowed * 3

    def _towards(self, outcome: Outcome, allowed: int) -> None:
        side, number, _ = outcome
        test = self.runners[side].version.watched.tests[number]
        parents = self.reaching.get((side, number)) or self._nearby()
        until = self.count + allowed
        for parent in parents[-4:]:
            for choice in self._moves.towards(parent, side, number, test):
                if self._over() or self.count >= until:
                    return
                self.attempt(choice)
                if outcome in self.reached:
                    return

    def _each_to_its_end(self) -> None:
        """Ways on which every input has died before a statement came to its end: each path through the first few."""
        finished = {tried.trail for tried in self.all_tried if tried.old.error is None}
        dead = {tried.trail: tried for tried in self.all_tried if tried.trail not in finished}
        until = self.count + _TO_ENDS
        ways = sorted(dead.values(), key=lambda tried: -len(tried.trail))[:_WAYS]
        alike = ({**tried.choice, **choice} for tried in ways for choice in self._of_one_kind(tried))
        options = ((tried, path) for tried in ways for path in tried.used)
        alone = (
            {**tried.choice, path: make} for tried, path in options for make in self.candidates.at(path)[:_OPTIONS]
        )
        for choice in itertools.chain(alike, alone):
            if self._over() or self.count >= until or self._all_have_ended():
                return
            self.attempt(choice)

    def _of_one_kind(self, tried: Tried) -> Iterator[Choice]:
        """Whatever nothing is known of as a text, a number or a list: what is put together is of one kind."""
        unknown = [p for p in tried.used if p not in tried.choice and p in self.runners[0].parameters()]
        for value in ("text", 7, ["a", "b"]):
            yield {path: Make("value", value) for path in unknown}

    def _all_have_ended(self) -> bool:
        """Whether each statement was brought to its end by some input."""
        ends = ((side, n, True) for side, r in enumerate(self.runners) for n in r.version.watched.ends)
        return self.reached.issuperset(ends)

    def _repeated(self) -> None:
        """The same object in two places; more rounds of a loop than two."""
        self._attempt_all(self.mended)
        first = sorted(self.all_tried, key=lambda tried: tried.old.error is not None)[:_SWAPPED]
        asked = list({tried.met: tried for tried in self.all_tried}.values())[:_WAYS]
        placed = [
            *(c for tried in first for c in repeats.swapped(tried)),
            *(c for tried in asked for c in repeats.met(tried)),
        ]
        own = repeats.among_own(self.all_tried, self.candidates)
        self._attempt_all([*placed[:_SWAPPED], *own])
        far = sorted(self.all_tried, key=lambda tried: -len(tried.reached))[:_REPEATED]
        names = self.runners[0].parameters()
        until = self.count + _TWINS
        ways = list({t.trail: t for t in self.all_tried}.values())[:_WAYS]
        alike = ((tried, choice) for tried in ways for choice in repeats.twins(tried, names, self.candidates))
        for tried, choice in itertools.takewhile(lambda _: not self._over() and self.count < until, alike):
            for further in repeats.freshly(tried, self.attempt(choice), self.candidates):
                self.attempt(further)
        for tried in far:
            again = (
                repeats.twins(tried, names, self.candidates),
                repeats.no_numbers(tried, names, self.candidates),
                repeats.rounds(tried, self.candidates),
            )
            self._attempt_all(itertools.chain(*again))
        self._grown()

    def _without(self) -> None:
        """On one input of every way through, objects without an attribute that need not be there."""
        lacking = (choice for t in self._ways()[:_WAYS] for choice in repeats.lacking(t, self.candidates))
        self._attempt_all(itertools.islice(lacking, _CROSSED))

    def _otherwise(self) -> None:
        """What went a way of its own as a list, in what can be gone through only once; two things that are fatal."""
        lists = {t.trail: t for t in self.all_tried if any(m.kind == "list" for m in t.used.values())}
        once = (repeats.through_once(t, self.candidates) for t in list(lists.values())[:_WAYS])
        fatal = itertools.islice(repeats.fatal(self.all_tried), _CROSSED // 2)
        self._attempt_all(itertools.chain(*once, fatal))
        self._otherwise_made()

    def _attempt_all(self, choices: Iterable[Choice]) -> None:
        for choice in itertools.takewhile(lambda _: not self._over(), choices):
            self.attempt(choice)

    def _otherwise_made(self) -> None:
        """Objects of a class that is not the same in both versions, with and without what one of them lacks."""
        self._attempt_all(repeats.apart(self.all_tried, self.candidates))

    def _grown(self) -> None:
        """Sequences longer and longer, built on those that went a way of their own."""
        until, seen, trails = self.count + repeats.STEPS, 0, set[Any]()
        while seen < len(self.all_tried) and not self._over():
            new, seen = self.all_tried[seen:], len(self.all_tried)
            first = {t.trail: t for t in new if t.old.error is None and t.trail not in trails}
            trails |= first.keys()
            for choice in repeats.grown(first.values(), self.candidates):
                if self._over() or self.count >= until:
                    return
                self.attempt(choice)

    def _at_edges(self) -> None:
        """Where the sides of a comparison are equal, and just beside."""
        for (side, number), parents in sorted(self.reaching.items(), key=lambda item: item[0]):
            test = self.runners[side].version.watched.tests.get(number)
            if test is None:
                continue  # the input was found with other code in the function's place
            for parent in (parents[-1], max(parents, key=lambda tried: len(tried.trail))):
                for choice in self._moves.at_edges(parent, side, number, test):
                    if self._over():
                        return
                    self.attempt(choice)

    def _crossed(self) -> None:
        """What two inputs have chosen, put together: two guards that both would fire show in which order they stand."""
        firsts: dict[int, Tried] = {}
        for group in self.reaching.values():
            firsts |= {id(tried): tried for tried in group if tried.choice}
        pairs = itertools.permutations(list(firsts.values())[-_PARENTS:], 2)
        crossed = ({**one.choice, **other.choice} for one, other in pairs)
        if not firsts:  # no test tells what goes together
            crossed = (choice for tried in self.all_tried[:1] for choice in self._moves.pairs(tried, list(tried.used)))
        self._attempt_all(itertools.islice(crossed, _CROSSED))

    def _each_way(self) -> None:
        """On one input of every way through, each path once through the first few things that may stand there."""
        until = self.count + _EACH_WAY
        for tried in self._ways()[:_WAYS]:
            for path in tried.used:
                for make in self.candidates.at(path)[:_OPTIONS]:
                    if self._over() or self.count >= until:
                        return
                    self.attempt({**tried.choice, path: make})

    def _later(self) -> None:
        """On one input of every way through, with objects that calls change: what stands there later, one by one."""
        until = self.count + _LATER_TRIED
        ways = self._ways()
        for tried in [t for t in ways[:_WAYS] if A_CALL in t.used]:
            changing = {**tried.choice, A_CALL: Make("value", "the objects")}
            for _ in range(2):  # what comes later is known once it has come
                found = self.attempt(changing) if not self._over() else None
                if found is None:
                    break
                later = [path for path in found.used if path.endswith(LATER)]
                later.sort(key=lambda path: not self.usages.known(general(path.rstrip(LATER))).constants)
                same = {p: tried.used[p.rstrip(LATER)] for p in later if p.rstrip(LATER) in tried.used}
                changing = {**same, **changing}
            for path in later if found is not None else ():
                base = path.rstrip(LATER)
                elsewhere = [t.used[base] for t in ways if base in t.used]
                for make in distinct([*elsewhere, *self.candidates.at(base)[:_OPTIONS]]):
                    if self._over() or self.count >= until:
                        return
                    self.attempt({**changing, path: make})

    def _nearby(self) -> list[Tried]:
        """Inputs that got far, for outcomes no test leads to, such as a handler."""
        found = [tried for group in self.reaching.values() for tried in group]
        return sorted(found, key=lambda tried: len(tried.reached))[-3:]

    def _in_bulk(self) -> None:
        """Where arguments are plain values: thousands more, at little cost."""
        stopped = self.different is not None or self.unstable or self._now() > self._until
        if stopped or self.expects is not None or not self.all_tried:
            return
        tried = max(self.all_tried, key=lambda t: len(t.reached))
        if not Bulk.fits(self.runners, tried.used):
            return
        old, new = self.runners
        bulk = Bulk((old, new), self.candidates, tried.used)
        for choice in bulk.suspects(_BULK, self.seconds / 8):
            self.attempt(choice)
            if self.different is not None:
                break
        self.in_bulk = bulk.count

    def _at_random(self) -> None:
        pick = random.Random(11)
        corpus = [t for group in self.reaching.values() for t in group] or self.all_tried[:_PARENTS]
        unique = list({id(t): t for t in corpus}.values())
        margin = 200
        for _ in range(margin):
            if self._over() or not unique:
                return
            parent = pick.choice(unique)
            choice = dict(parent.choice)
            paths = list(parent.used)
            if not paths:
                return
            for path in pick.sample(paths, min(len(paths), pick.choice((1, 1, 2, 3)))):
                known = self.candidates.at(path) or [Make("stand-in")]
                if is_text(parent, path) and pick.random() < _MUTATED:
                    choice[path] = Make("value", mutated(parent.used[path].what, self.pieces, pick))
                else:
                    choice[path] = pick.choice(known)
            self.attempt(choice)

    def _shrink(self) -> None:
        """Makes the input that shows the difference smaller: fewer choices, then values nearer to nothing."""
        tries = 0
        changed, end = True, self._now() + _SHRINK_SECONDS
        while changed and tries < _SHRINKS and self._now() < end:
            changed = False
            assert self.different is not None
            for choice in smaller(self.different):
                tries += 1
                if tries > _SHRINKS or self._now() > end:
                    break
                best, self.different = self.different, None
                found = self.attempt(choice)
                if self.different is None:
                    self.different = best
                elif found is not None:
                    changed = True
                    break


_GUIDED = 0.65
"""The part of the budget that goes into missing outcomes; the rest looks for differences where all is reached."""
_PARENTS = 16
_REPEATED = 3
_SWAPPED = 60
_TWINS = 240
_CROSSED = 240
_EACH_WAY = 160
_LATER_TRIED = 160
_WAYS = 16
_TO_ENDS = 120
_OPTIONS = 5
_OPTIONS_BESIDE = 10
_MOVES = 15
_MOST_MOVES = 4_000
_MUTATED = 0.6
_SHRINKS = 40
_SHRINK_SECONDS = 4.0
_BULK = 10_000
