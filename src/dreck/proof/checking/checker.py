"""The checker: goes over a certificate step by step, without search and without memory, and accepts it or not.

It shares with the prover the graph, the terms and the records of where a proof is, and nothing else: what an act may
do, when two acts are the same, what follows from what is known, and how classes derive from one another it works out
by itself, in its own way (`values`, `tests`, `acts`, `entailment`, `axioms`). A lemma is gone over with no more
known than it says it needs, and holds elsewhere only for values made alike wherever their making was looked at.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache

from dreck.model.ir.graph import Node
from dreck.model.ir.operations import Op
from dreck.model.ir.terms import Term
from dreck.proof.assumptions import LIVES
from dreck.proof.certificate import (
    Alone,
    Back,
    Ends,
    Followed,
    Lemma,
    Log,
    Met,
    Peeled,
    Round,
    Split,
    Stepped,
    Used,
)  # fmt: skip
from dreck.proof.checking.calls import CheckedCalls
from dreck.proof.checking.lemmas import FIXED, Refused, values_at
from dreck.proof.conditions import Facts
from dreck.proof.state import Event, Gives, Goes, Side, State, Throws, no_stop_under


@dataclass(slots=True)
class Checker(CheckedCalls):
    """Goes over a whole certificate."""

    def accepts(self) -> str:
        """'' when every step of the certificate stands; else the first one that does not."""
        certificate = self.certificate
        checked: set[int] = set()
        try:
            for which, subject in enumerate(self.subjects):
                told = LIVES in self.acts.listed or not subject.names.takes_lives_as_plain
                self._need(told, "lifetimes are taken to be plain, and that is not said")
                self._constants(which, subject.node)
            self._run(certificate.state.copy(), certificate.log, {})
            while self.pending:
                number = self.pending.pop()
                if number not in checked:
                    checked.add(number)
                    self._lemma(certificate.lemmas[number])
        except Refused as error:
            return str(error)
        return ""

    # --- lemmas ------------------------------------------------------------------------------------

    def _lemma(self, lemma: Lemma) -> None:
        """One lemma, with no more known than it says it needs."""
        self.current = lemma.number
        state = lemma.state.copy()
        known = {term: value for what, term, value in lemma.needed if what == "fact" and isinstance(value, bool)}
        done = {term for what, term, _ in lemma.needed if what == "done"}
        state.facts = Facts()
        for fact, holds in known.items():
            self._need(lemma.state.facts.known.get(fact) is holds, "a lemma needs what is not known where it begins")
            state.facts.assume(fact, holds)
        self._need(done <= lemma.state.done | lemma.state.lasting, "a lemma needs what is not done where it begins")
        state.done, state.lasting = done & state.done, done & state.lasting
        outer, self.acts.looked = self.acts.looked, set()
        loops = dict.fromkeys(lemma.loops)
        if isinstance(lemma.step, Split):
            self._split(state, lemma.step, loops)
        else:
            self._round(state, lemma.step, loops)
        begun = set(values_at(self.acts.arena, lemma.state))
        allowed = {term for what, term, _ in lemma.needed if what in ("shape", "kinds", "one object", "very")}
        for term in self.acts.looked & begun:
            if term.op not in FIXED and term.op != "symbol" and not (term.op == "param" and not self.acts.kinds(term)):
                self._need(term in allowed, "a lemma looked at {}", term)
        self.acts.looked = outer

    def _split(self, state: State, step: Split, loops: Mapping[int, None]) -> None:
        for log, outcome in ((step.yes, True), (step.no, False)):
            way = state.copy()
            way.facts.assume(step.asks.test, outcome)
            self._run(way, log, loops)

    def _round(self, state: State, step: Round, loops: Mapping[int, None]) -> None:
        """The head is reached with values of the kind it is entered with, and one round comes back to it so."""
        self._settle(state)
        head = step.head
        self._need(all(side.node.op is Op.HEAD for side in state.sides), "a loop that is not at its head")
        around = frozenset(side.node for number in loops for side in self._opened(number).head.sides)
        self._need(all(_writes_all(side.node, around) for side in state.sides), "a loop changes more than it says")
        self._kind_of(state, step)
        inner = state.copy()
        for part in step.groups.parts:
            values = {head.sides[which].store[name] for which, name in part}
            self._need(len(values) == 1, "a part of a loop's values is not one")
            value = values.pop()
            loose = any(member in step.groups.maybe for member in part)
            self._fresh(value.args[0] if loose and value.op == "maybe" else value)
            self._need(loose is (value.op == "maybe"), "a value that may be unbound")
            for which, name in part:
                inner.sides[which].store[name] = value
        self._fresh(head.epoch)
        inner.epoch, inner.done, inner.extended = head.epoch, set(), frozenset()
        for side in inner.sides:
            side.node = side.node.succs[0]
        self._run(inner, step.log, {**loops, step.number: None})

    def _kind_of(self, state: State, step: Round) -> None:
        """Values that are taken to be equal at the head are; those that are in no part are what they were."""
        grouped = {member for part in step.groups.parts for member in part}
        for part in step.groups.parts:
            values = {self._at(state, which, name) for which, name in part}
            self._need(len(values) == 1, "values at a loop's head are not equal")
            loose = values.pop().op in ("unbound", "maybe")
            self._need(not loose or all(member in step.groups.maybe for member in part), "a value may be unbound")
        for side in state.sides:
            for name in side.node.live:
                if (side.which, name) in grouped or name not in side.node.payload:
                    continue
                now = self._at(state, side.which, name)
                before = self._at(step.head, side.which, name)
                self._need(now.op in ("const", "unbound") and now is before, "{} changes in a loop", name)

    # --- one way -----------------------------------------------------------------------------------

    def _run(self, state: State, log: Log, loops: Mapping[int, None]) -> None:
        for at, entry in enumerate(log):
            self._settle(state)
            match entry:
                case Stepped(which=which, result=result):
                    self._stepped(state, state.sides[which], result)
                case Met():
                    self._met(state, entry, loops)
                case Alone(which=which, event=event):
                    side = state.sides[which]
                    self._need(self.acts.does(state, side, self._vals(side), event), "not what it does: {}", event.key)
                    self._need(self.acts.is_harmless(state, side, event), "not harmless alone: {}", event.key)
                    self._carried_out(state, (side,), (event,), None)
                case Followed(which=which, event=event):
                    self._followed(state, state.sides[which], event)
                case Peeled(which=which):
                    side = state.sides[which]
                    self._need(side.node.op is Op.HEAD, "a loop that is not at its head")
                    side.node = side.node.succs[0]
                case _:
                    self._need(at == len(log) - 1, "steps after the end")
                    self._ended(state, entry, loops)
                    return
        raise Refused("a way without an end")

    def _ended(self, state: State, entry: object, loops: Mapping[int, None]) -> None:
        match entry:
            case Used(lemma=number):
                lemma = self.certificate.lemmas[number]
                self._need(number < self.current or self.current < 0, "a lemma that rests on a later one")
                self._need(lemma.loops <= loops.keys(), "a lemma that rests on a loop that is not open")
                self._covers(lemma, state)
                self.pending.append(number)
            case Back(loop=number):
                self._need(number in loops, "back to a loop that is not open")
                self._back(state, number)
            case Ends(how="exit"):
                old, new = state.sides
                self._need(old.node.op is new.node.op and old.node.op in (Op.RETURN, Op.THROW), "no exit")
                name = "%ret" if old.node.op is Op.RETURN else "%exc"
                self._need(self._same(state, old.store.get(name), new.store.get(name)), "they leave with other values")
            case _:
                self._alike(state)

    def _back(self, state: State, number: int) -> None:
        step = self._opened(number)
        for side, before in zip(state.sides, step.head.sides, strict=True):
            self._need(side.node is before.node, "back at another place")
            self._need([f.call for f in side.frames] == [f.call for f in before.frames], "back inside another call")
            self._need(side.handled is before.handled, "back with another exception in flight")
        self._kind_of(state, step)

    def _opened(self, number: int) -> Round:
        steps = (lemma.step for lemma in self.certificate.lemmas.values())
        return next(step for step in steps if isinstance(step, Round) and step.number == number)

    def _alike(self, state: State) -> None:
        old, new = state.sides
        same = old.node is new.node and not old.frames and not new.frames and old.handled is new.handled
        self._need(same and old.answer is new.answer, "not the same code")
        for name in old.node.live:
            one, other = old.store.get(name), new.store.get(name)
            self._need(one is other, "{} is not the same", name)
            if self.by_identity and one is not None:
                self._need(one.op == "const" or self.acts.is_object(one), "{} may be two objects", name)

    def _settle(self, state: State) -> None:
        """Followed functions are left where they end."""
        for side in state.sides:
            while side.frames and side.node.op in (Op.RETURN, Op.THROW):
                if side.node.op is Op.THROW:
                    self._throw(side, side.store["%exc"])
                    continue
                value = side.store["%ret"]
                side.leave()
                if side.node.dest is not None:
                    side.store[side.node.dest] = value
                side.node = side.node.succs[0]

    def _throw(self, side: Side, error: Term) -> None:
        out = self.acts.arena.throw
        target = side.node.exc or out
        while target is out and side.frames:
            frame = side.leave()
            target = frame.call.exc or out
            if frame.lazily and (target is not out or side.frames):
                error = self.acts.make("left", error)
        side.answer, side.node = None, target
        side.store["%exc"] = error

    def _stepped(self, state: State, side: Side, result: Gives | Goes | Throws) -> None:
        node, vals = side.node, self._vals(side)
        match result:
            case Gives(value=value):
                self._need(self.acts.gives(state, side, vals, value), "{} does not give {}", node.op, value)
                self._need(node.op is not Op.LEFT or self._is_the_very(vals[0], value), "an error of another kind")
                if node.op is Op.GLOBAL and value is not None and value.op == "gvar":
                    state.done.add(value)
                if node.dest is not None and value is not None:
                    side.store[node.dest] = value
                side.answer, side.node = None, node.succs[0]
            case Goes(outcome=outcome):
                self._need(node.op is Op.BRANCH, "a test that is none")
                self._need(self.acts.goes(state, side, vals[0], outcome), "{} is not known to be {}", vals[0], outcome)
                side.answer, side.node = None, node.succs[0 if outcome else 1]
            case Throws(error=error):
                unbound = node.op is Op.BOUND and vals[0] is self.acts.arena.unbound
                told = self.acts.make("unbound local", node.payload, side.in_flight()) if unbound else side.in_flight()
                raised = unbound or (node.op is Op.RERAISE and told.op != "outside")
                self._need(raised and error is told, "an error that is none")
                self._throw(side, error)

    def _is_the_very(self, error: Term, left: Term | None) -> bool:
        """Whether what leaves a generator as it is may not be any error where the lemma is used."""
        lemma = self.certificate.lemmas.get(self.current)
        if left is not error or lemma is None or error not in values_at(self.acts.arena, lemma.state):
            return True
        return ("very", error, None) in lemma.needed

    # --- events ------------------------------------------------------------------------------------

    def _met(self, state: State, met: Met, loops: Mapping[int, None]) -> None:
        old, new = met.old, met.new
        for side, event in zip(state.sides, (old, new), strict=True):
            self._need(not event.unmet, "an act that cannot be met")
            self._need(self.acts.does(state, side, self._vals(side), event), "not what it does: {}", event.key)
        self._need(self._same_key(state, old.key, new.key), "not the same: {}, {}", old.key, new.key)
        self._need((old.once, old.ends, old.stays) == (new.once, new.ends, new.stays), "two kinds of acts")
        if old.raises:
            self._need(self._same(state, *(s.in_flight() for s in state.sides)), "another exception in flight")
            self._raised(state, met, loops)
        self._carried_out(state, state.sides, (old, new), met)
        if not old.ends:
            return
        ended = state.copy()
        for side in ended.sides:
            self._need(side.came_from is not None, "no loop to end")
            assert side.came_from is not None
            side.node = side.came_from.succs[1]
        self._need(met.ended is not None, "an end of a loop left out")
        self._run(ended, met.ended or [], loops)

    def _raised(self, state: State, met: Met, loops: Mapping[int, None]) -> None:
        raised = state.copy()
        if met.raised is None:
            error = self.acts.make("probe")
            for side in raised.sides:
                self._throw(side, error)
                self._need(side.node is self.acts.arena.throw and side.store["%exc"] is error, "an error left out")
            return
        self._fresh(met.raised.error)
        told = no_stop_under(met.raised.error)
        self._need(not told or told == met.old.keeps == met.new.keeps, "an error that may be any is taken for another")
        self._fresh(met.raised.epoch)
        for side in raised.sides:
            self._throw(side, met.raised.error)
        raised.epoch, raised.done = met.raised.epoch, set()
        self._run(raised, met.raised.log, loops)

    def _carried_out(self, state: State, sides: tuple[Side, ...], events: tuple[Event, ...], met: Met | None) -> None:
        """What is done, what of it both sides get to know, and whether time moves."""
        event = events[0]
        if event.once:
            self._need(met is None or met.epoch is None, "time moves where nothing happens")
            (state.lasting if not any(a is state.epoch for a in event.key.args) else state.done).add(event.key)
        elif met is not None:
            if event.result is None:
                self._fresh(met.made)
            if event.moves_time:
                self._fresh(met.epoch)
                assert met.epoch is not None
                state.epoch, state.done = met.epoch, set()
        for side, own in zip(sides, events, strict=True):
            value = own.result if own.once or own.result is not None else (met.made if met is not None else None)
            vals, node = self._vals(side), side.node
            side.came_from = node
            if own.stays:
                side.answer = value
                continue
            side.answer = None
            if own.once and node.op not in (Op.HASHED, Op.SETTLED, Op.BOUND):
                self.acts.again = False
                self._need(self.acts.gives(state, side, vals, value), "{} does not come to {}", node.op, value)
                self.acts.again = True
            if own.real_bool and value is not None and not own.once:
                value = self.acts.make("bool", value, True)
            if own.opposite and value is not None:
                value = self.acts.make("opposite", value)
            if node.dest is not None and value is not None:
                side.store[node.dest] = value
            side.node = node.succs[0]


@lru_cache(maxsize=256)
def _writes_all(head: Node, around: frozenset[Node]) -> bool:
    """Whether every register written on the way round a loop and read at its head is among those it may change.

    `around` are the heads of the loops it stands in: there a way round it ends.
    """
    seen: set[Node] = set()
    pending = list(head.succs)
    while pending:
        node = pending.pop()
        if node in seen or node is head or node in around:
            continue
        seen.add(node)
        pending += [*node.succs, *([node.exc] if node.exc is not None else [])]
    back = {head}
    grown = True
    while grown:
        new = {n for n in seen - back if any(s in back for s in n.succs) or n.exc in back}
        grown = bool(new)
        back |= new
    return all(n.dest is None or n.dest not in head.live or n.dest in head.payload for n in back if n is not head)
