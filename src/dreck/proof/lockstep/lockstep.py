"""Lock-step: two functions run side by side, symbolically, over every path at once.

A store maps registers to terms; acts that may raise or have an effect are events, and both sides must come to the
same event with the same values in the same order. An undecided test splits the run and is remembered on both
branches. What is not proved is `unsettled`, never wrong.
"""

from dataclasses import dataclass, field

from dreck.model.ir.lowering import Unsupported, lower
from dreck.model.ir.operations import Op
from dreck.model.ir.terms import Term
from dreck.proof import certificate
from dreck.proof.lockstep import loops, memo
from dreck.proof.lockstep.following import callee_of
from dreck.proof.lockstep.general import general
from dreck.proof.lockstep.parted import Parted
from dreck.proof.lockstep.stepping import Stepping
from dreck.proof.rules.comparing import is_singleton, note_spelling
from dreck.proof.state import (
    Asks,
    Block,
    Event,
    Side,
    State,
    Stop,
    error_of,
    told,
    told_both_ways,
)
from dreck.proof.surroundings.spoken import spoken_in

_MOST_ROUNDS = 2
"""So many rounds of a loop are gone through one by one where the other side has no loop: it may not be entered."""
_DEEPEST = 5
"""So many functions are followed into one another."""
_SHARE = 4
"""This part of what is left of the budget goes into proving at once what was proved for several values."""


@dataclass(slots=True)
class LockStep(Stepping):
    """One proof."""

    visited: dict[memo.Pair, list[memo.Visited]] = field(default_factory=dict)
    visits: list[memo.Pair] = field(default_factory=list)
    active: dict[memo.Pair, tuple[State, loops.Groups, int]] = field(default_factory=dict)
    opened: int = 0
    generalised: set[memo.Pair] = field(default_factory=set)
    lemmas: dict[int, certificate.Lemma] = field(default_factory=dict)

    def explore(self, state: State) -> None:
        """Runs both sides to their exits along every path from `state`, or raises Parted."""
        while True:
            old = self.advance(state, 0)
            new = self.advance(state, 1)
            if self._alike_from_here(state):
                self.log.append(certificate.Ends("alike"))
                return
            old, new = self._as_it_stands(state, old, new)
            match old, new:
                case Asks(), _:
                    self._split(state, old, 0)
                    return
                case _, Asks():
                    self._split(state, new, 1)
                    return
                case Event(), Event():
                    self._meet(state, old, new)
                case Stop(kind="head"), Stop(kind="head"):
                    self._loop(state)
                    return
                case Stop(kind="return" | "throw" as one), Stop(kind=other) if one == other:
                    if not self._equal(state, old.value, new.value):
                        raise self._parted(old, new)
                    self.log.append(certificate.Ends("exit"))
                    return
                case _:
                    self._alone(state, old, new)

    def _alike_from_here(self, state: State) -> bool:
        """The same code, to be run on the same values."""
        old, new = state.sides
        if old.node is not new.node or old.frames or new.frames or old.handled is not new.handled:
            return False
        values = [(old.store.get(name), new.store.get(name)) for name in sorted(old.node.live)]
        if any(one is not other for one, other in values) or old.answer is not new.answer:
            return False
        return not self.by_identity or all(
            one is None or is_singleton(one) or self.p.is_one_object(one) for one, _ in values
        )

    # --- events ------------------------------------------------------------------------------------

    def _meet(self, state: State, old: Event, new: Event) -> None:
        if not self._same_act(state, old, new):
            self._alone(state, old, new)
            return
        if old.written is not new.written:
            note_spelling(self.p, old, new)
        raised = self._raising(state, old) if old.raises else None
        before = state.epoch
        made = self.perform(state, old)
        for side, event in zip(state.sides, (old, new), strict=True):
            self.finish(side, event, made)
        ended = self._exhausted(state) if old.ends else None
        self.log.append(
            certificate.Met(old, new, made, state.epoch if state.epoch is not before else None, raised, ended)
        )

    def _as_it_stands(self, state: State, old: Block, new: Block) -> tuple[Block, Block]:
        """Both sides at a call that the judged function makes of itself, where it is generic in one version.

        That a call from outside does the same is what is being shown; the generic side has been followed into what is
        registered, so that it has got on since.
        """
        for which, (generic, plain) in ((0, (old, new)), (1, (new, old))):
            called = generic.plainly if isinstance(generic, Asks | Event) else None
            if called is None or not isinstance(plain, Event) or plain.plainly is not None:
                continue
            if state.sides[which].frames and self._calls_itself(state.sides[1 - which], plain):
                both = (called, plain) if which == 0 else (plain, called)
                return both if self._same_act(state, *both) else (old, new)
        return old, new

    def _calls_itself(self, side: Side, block: Block) -> bool:
        """Whether a side comes to a call of the function that is judged."""
        judged = self.subjects[side.which]
        if not isinstance(block, Event) or block.key.op is not Op.CALL or judged.home or judged.enclosing:
            return False
        return block.key.args[1] is self.p.terms.make("global", judged.node.name)

    def _same_act(self, state: State, old: Event, new: Event) -> bool:
        """The same done with the same values, and with the same exception in flight where that can be seen."""
        if old.unmet or new.unmet or not self._same_key(state, old.key, new.key):
            return False
        if (old.stays, old.ends) != (new.stays, new.ends):
            return False
        if not old.raises and not old.moves_time:
            return True
        return self._equal(state, state.sides[0].in_flight(), state.sides[1].in_flight())

    def _same_key(self, state: State, old: Term, new: Term) -> bool:
        if old is new:
            return True
        if old.op != new.op or len(old.args) != len(new.args):
            return False
        return all(
            self._equal(state, a, b) if isinstance(a, Term) and isinstance(b, Term) else a == b
            for a, b in zip(old.args, new.args, strict=True)
        )

    def perform(self, state: State, event: Event) -> Term | None:
        """What happens to what both sides share at an event; the new value both get, if it makes one."""
        if event.once:
            (state.lasting if event.lasts else state.done).add(event.key)
            if event.keeps:
                state.extended |= {event.keeps}
            return None
        made = self.p.terms.fresh("result") if event.result is None else None
        if event.moves_time:
            self.new_epoch(state)
        return made

    def finish(self, side: Side, event: Event, made: Term | None) -> None:
        """One side goes on after an event with what came of it."""
        side.came_from = side.node
        value = event.given(self.p.terms, made)
        if event.stays:
            side.answer = value
            return
        side.answer = None
        if side.node.dest is not None and value is not None:
            self.p.shape(value)
            side.store[side.node.dest] = value
        if side.node.succs:
            side.node = side.node.succs[0]

    def new_epoch(self, state: State) -> None:
        """Anything outside the locals may have changed."""
        state.epoch = self.p.terms.fresh("epoch")
        state.done.clear()
        state.extended = frozenset()

    def _raising(self, state: State, event: Event) -> certificate.Raised | None:
        """What follows if the event both sides are at raises."""
        throw = self.p.arena.throw
        targets = [side.raising_to(throw) for side in state.sides]
        if targets[0] is targets[1] is throw and not any(self._leaves_lazily(side) for side in state.sides):
            return None
        raised = state.copy()
        error = self.p.terms.fresh(error_of(event))
        for side in raised.sides:
            self.throw(side, error)
        self.new_epoch(raised)
        epoch = raised.epoch
        return certificate.Raised(error, epoch, self._explored(raised, "an exception is raised"))

    def _explored(self, state: State, told: str) -> certificate.Log:
        """Explores one way, with a log of its own."""
        outer, self.log = self.log, []
        self.path.append(told)
        self.explore(state)
        self.path.pop()
        found, self.log = self.log, outer
        return found

    def _leaves_lazily(self, side: Side) -> bool:
        return any(frame.lazily for frame in side.frames[1:])

    def _exhausted(self, state: State) -> certificate.Log:
        """An iterator may have no further item: both sides then leave the loop."""
        ended = state.copy()
        for side in ended.sides:
            side.node = side.came_from.succs[1] if side.came_from else side.node
        return self._explored(ended, "the loop ends")

    def _alone(self, state: State, old: Block, new: Block) -> None:
        """The sides differ; one may go ahead when what it does is harmless or can be looked into."""
        for side, block in zip(state.sides, (old, new), strict=True):
            if isinstance(block, Event) and block.harmless and block.harmless in self.p.allowed:
                self.p.note(block.harmless, *([block.keeps] if block.keeps else []))
                self.log.append(certificate.Alone(side.which, block))
                self.finish(side, block, self.perform(state, block))
                return
        both = list(zip(state.sides, (old, new), strict=True))
        for side, block in sorted(both, key=lambda one: self._calls_itself(*one)):
            if isinstance(block, Event) and self._follow(side, block):
                self.log.append(certificate.Followed(side.which, block))
                return
        heads = [isinstance(block, Stop) and block.kind == "head" for block in (old, new)]
        if not (state.peeled < _MOST_ROUNDS and heads[0] != heads[1]):
            raise self._parted(old, new)
        side = state.sides[0 if heads[0] else 1]
        self.log.append(certificate.Peeled(side.which))
        side.node = side.node.succs[0]
        state.peeled += 1

    def _follow(self, side: Side, event: Event) -> bool:
        callee = callee_of(self.p, side, event) if not event.unmet else None
        if callee is None or len(side.frames) >= _DEEPEST:
            return False
        subject = self.subjects[side.which]
        if spoken_in(callee.node).private and not (callee.home and callee.home == subject.home):
            return False
        try:
            entry = lower(callee.node, subject.names, self.p.arena, kept=self.kept)
        except Unsupported:
            return False
        side.enter(entry, callee.arguments, callee.lazily)
        return True

    # --- branches ----------------------------------------------------------------------------------

    def _split(self, state: State, block: Asks, which: int) -> None:
        """Both ways of an undecided test, unless this pair of places was proved before."""
        pair, values = memo.pair_of(state), memo.values_of(self.p, state)
        if self._proved_before(state, pair, values) or self._proved_in_general(state, pair, values):
            return
        entry, start = state.copy(), len(self.p.trail)
        if block.test in state.done or block.test in state.lasting:
            self.p.trail.append(("done", block.test, True))
        texts = told_both_ways(block)
        yes = state.copy()
        yes.facts.assume(block.test, True)
        first = self._explored(yes, texts[not block.wanted])
        no = state.copy()
        no.facts.assume(block.test, False)
        second = self._explored(no, texts[block.wanted])
        self._remember(entry, pair, values, start, certificate.Split(which, block, first, second))

    def _remember(
        self,
        entry: State,
        pair: memo.Pair,
        values: tuple[Term, ...],
        start: int,
        step: certificate.Split | certificate.Round,
    ) -> None:
        needed = memo.needed_since(self.p, entry, values, start)
        number = len(self.lemmas)
        open_loops = frozenset(number for _, _, number in self.active.values())
        self.lemmas[number] = certificate.Lemma(number, entry, needed, step, open_loops)
        self.log.append(certificate.Used(number))
        self.visited.setdefault(pair, []).append(memo.Visited(values, entry.epoch, needed, number))
        self.visits.append(pair)

    def _proved_before(self, state: State, pair: memo.Pair, values: tuple[Term, ...]) -> bool:
        for visit in self.visited.get(pair, ()):
            translated = memo.covers(self.p, visit, state, values)
            if translated is not None:
                self.p.trail.extend(translated)
                self.log.append(certificate.Used(visit.lemma))
                return True
        return False

    def _proved_in_general(self, state: State, pair: memo.Pair, values: tuple[Term, ...]) -> bool:
        """Whether it holds whatever the values are that were others when this pair of places was proved before."""
        before = self.visited.get(pair)
        whole = general(self.p, state, values, before) if before and pair not in self.generalised else None
        if whole is None:
            return False
        self.generalised.add(pair)
        start, length, assumed, budget = len(self.p.trail), len(self.path), set(self.p.assumptions), self.budget
        log = self.log
        self.budget = budget // _SHARE
        try:
            self._explored(whole, "whatever was set before")
        except (Parted, loops.Refine, loops.NotAsBefore):
            self.p.assumptions = assumed
        finally:
            self.budget += budget - budget // _SHARE
            self.log = log
            del self.p.trail[start:]
            del self.path[length:]
        return self._proved_before(state, pair, values)

    # --- loops -------------------------------------------------------------------------------------

    def _loop(self, state: State) -> None:
        pair = memo.pair_of(state)
        if pair in self.active:
            head, groups, number = self.active[pair]
            loops.come_back(self.p, state, pair, head, groups)
            self.log.append(certificate.Back(number))
            return
        values = memo.values_of(self.p, state)
        if self._proved_before(state, pair, values):
            return
        entry, start, mark = state.copy(), len(self.p.trail), len(self.visits)
        groups = loops.first_groups(self.p, state)
        self.opened += 1
        number, outer, length = self.opened, self.log, len(self.path)
        while True:
            head = loops.at_head(self.p, state, groups)
            self.new_epoch(head)
            began = head.copy()
            self.active[pair] = (began, groups, number)
            self.log = []
            try:
                for side in head.sides:
                    side.node = side.node.succs[0]
                self.explore(head)
                break
            except loops.Refine as refined:
                if refined.pair != pair:
                    raise
                groups = refined.groups
                del self.path[length:]
                del self.p.trail[start:]
            except loops.NotAsBefore as error:
                raise Parted(str(error), tuple(self.path)) from None
            finally:
                del self.active[pair]
                self._forget(mark)
        found, self.log = self.log, outer
        self._remember(entry, pair, values, start, certificate.Round(number, groups, began, found))

    def _forget(self, mark: int) -> None:
        """Drops what was proved inside a loop: it rests on the loop that is no longer open."""
        for pair in reversed(self.visits[mark:]):
            self.visited[pair].pop()
        del self.visits[mark:]

    def _equal(self, state: State, left: Term | None, right: Term | None) -> bool:
        if left is right or left is None or right is None:
            return left is right
        one, other = self.p.resolved(left, state), self.p.resolved(right, state)
        return one is other or self.p.come_out_alike(one, other, state)

    def _parted(self, old: Block, new: Block) -> Parted:
        return Parted(f"the old one {told(old)}, the new one {told(new)}", tuple(self.path))
