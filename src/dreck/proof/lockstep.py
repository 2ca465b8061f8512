"""Proof: two functions run in lock-step, symbolically, over every path at once.

Each side is a graph (`dreck.model`). A store maps registers to terms; acts that may raise or have an effect
are events, and both sides must come to the same event with the same values in the same order. An undecided
test splits the run and is remembered on both branches. Loops are met at their heads: the values that may
change are forgotten, keeping which of them are equal, and the loop is done when it comes back to its head in a
state of that kind (a bisimulation up to renaming; Park 1981). What is not proved is `unsettled`, never wrong.
"""

import ast
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from functools import lru_cache
from typing import TypeAlias

from dreck.model.ir.graph import Arena, Node
from dreck.model.ir.lowering import Unsupported, lower
from dreck.model.ir.terms import Term
from dreck.model.names.scopes import ModuleNames, names_read, param_names
from dreck.proof.acts import ANNOTATIONS, COMPARISONS, FAMILIES, Acts, Block, Side
from dreck.proof.annotations import annotated_classes, annotated_kinds
from dreck.proof.classes.hierarchy import has_private
from dreck.proof.conditions import Facts
from dreck.source.functions import FunctionNode

DEFAULT_BUDGET = 60_000
_RECURSION = 12_000
_MOST_ROUNDS = 2
"""So many rounds of a loop are gone through one by one where the other side has no loop: it may not be entered."""


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


def prove(
    old: Subject,
    new: Subject,
    allowed: frozenset[str],
    arena: Arena | None = None,
    budget: int = DEFAULT_BUDGET,
) -> Proof:
    """Tries to prove that `old` and `new` do the same, under no more than the `allowed` assumptions.

    `budget` is in acts executed; when it is used up the answer is "not proved", with that reason.
    Pass the same `arena` again when one function is compared with many versions: common code is lowered once.
    """
    if _header(old.node) != _header(new.node):
        return Proof(False, reason="their signatures or decorators differ")
    if old.home != new.home and (has_private(old.node) or has_private(new.node)):
        return Proof(False, reason="private names (`__…`) mean other things in another class")
    if "__class__" in _spoken(old.node)[1] | _spoken(new.node)[1] and any(map(_changes_class, (old.node, new.node))):
        return Proof(False, reason="it changes the class of an object")
    arena = arena or Arena()
    kept = _alike_in_both(old, new)
    run = None
    with _deep_recursion():
        try:
            entries = (
                lower(old.node, old.names, arena, old.enclosing, kept),
                lower(new.node, new.names, arena, new.enclosing, kept),
            )
            if _is_generator(old.node) != _is_generator(new.node):
                return Proof(False, reason="one of them is a generator, the other is not")
            run = _LockStep(arena, (old, new), allowed, budget, kept)
            run.start(entries)
        except Unsupported as error:
            return Proof(False, reason=str(error))
        except _Parted as error:
            return Proof(False, reason=error.reason, path=error.path)
        except RecursionError:
            return Proof(False, reason="the code is nested too deep for a proof")
    return Proof(True, frozenset(run.acts.assumptions), globals=frozenset(run.acts.globals))


def _alike_in_both(old: Subject, new: Subject) -> frozenset[str]:
    """Constants both functions name, and both modules make alike: they need not be unfolded."""
    shared = _spoken(old.node)[0] & _spoken(new.node)[0]
    if old.names is new.names:
        return shared
    found = set()
    for name in shared:
        one, two = old.names.tables.get(name), new.names.tables.get(name)
        if one is not None and two is not None and ast.dump(one) == ast.dump(two):
            found.add(name)
    return frozenset(found)


def _header(node: FunctionNode) -> tuple[str, ...]:
    return (type(node).__name__, ast.dump(node.args), *(ast.dump(d) for d in node.decorator_list))


def _is_generator(node: FunctionNode) -> bool:
    from dreck.model.names.scopes import scope_of

    return scope_of(node).is_generator


@contextmanager
def _deep_recursion() -> Iterator[None]:
    before = sys.getrecursionlimit()
    sys.setrecursionlimit(max(before, _RECURSION))
    try:
        yield
    finally:
        sys.setrecursionlimit(before)


class _Parted(Exception):
    """The two sides cannot be shown to go on alike."""

    def __init__(self, reason: str, path: tuple[str, ...]) -> None:
        super().__init__(reason)
        self.reason = reason
        self.path = path


class _Refine(Exception):
    """A loop came back to its head with values apart that were taken to be equal."""

    def __init__(self, pair: "_Pair", groups: "_Groups") -> None:
        super().__init__("refine")
        self.pair = pair
        self.groups = groups


_Member = tuple[int, str]
_Pair: TypeAlias = tuple[tuple[Node, ...], ...]
"""For each side the calls it is inside of, outermost first, and the node it is at."""


@dataclass(frozen=True, slots=True)
class _Groups:
    """Which changing registers hold equal values at a loop's head, and which of them may be unbound.

    Those in no part hold the constant they came with, each time round.
    """

    parts: tuple[tuple[_Member, ...], ...]
    maybe: frozenset[_Member] = frozenset()


@dataclass(slots=True)
class _State:
    sides: tuple[Side, Side]
    facts: Facts
    done: set[Term]
    """Acts without effect already carried out in the present epoch: doing them again changes nothing."""
    lasting: set[Term]
    """The same for acts that do not depend on the epoch."""
    epoch: Term
    peeled: int = 0
    """Loops one side alone has gone into, round by round."""

    def copy(self) -> "_State":
        sides = (self.sides[0].copy(), self.sides[1].copy())
        return _State(sides, self.facts.copy(), set(self.done), set(self.lasting), self.epoch, self.peeled)


@dataclass(frozen=True, slots=True)
class _Visited:
    """A pair of places proved once: with which values, and which facts the proof needed."""

    values: tuple[Term, ...]
    epoch: Term
    needed: tuple[tuple[str, Term, bool], ...]


@dataclass(slots=True)
class _LockStep:
    arena: Arena
    subjects: tuple[Subject, Subject]
    allowed: frozenset[str]
    budget: int
    kept: frozenset[str] = frozenset()
    acts: Acts = field(init=False)
    visited: dict[_Pair, list[_Visited]] = field(default_factory=dict)
    visits: list[_Pair] = field(default_factory=list)
    active: dict[_Pair, tuple[_State, _Groups]] = field(default_factory=dict)
    path: list[str] = field(default_factory=list)

    def __post_init__(self) -> None:
        names = (self.subjects[0].names, self.subjects[1].names)
        spoken = (_spoken(self.subjects[0].node)[1], _spoken(self.subjects[1].node)[1])
        self.acts = Acts(self.arena, names, self.allowed, annotated_kinds(self.subjects[0].node, *names), spoken)

    def start(self, entries: tuple[Node, Node]) -> None:
        if entries[0] is entries[1]:
            self.acts.globals |= names_read(self.subjects[0].node)
            return
        make = self.arena.terms.make
        store = {name: make("param", name) for name in param_names(self.subjects[0].node.args)}
        sides = (Side(0, entries[0], dict(store)), Side(1, entries[1], dict(store)))
        self.explore(_State(sides, self._given(), set(), set(), self.arena.terms.fresh("epoch")))

    def _given(self) -> Facts:
        """A method's first parameter is an instance of its class; others are of the classes their annotations name."""
        facts, subject = Facts(), self.subjects[0]
        if {FAMILIES, ANNOTATIONS} <= self.allowed:
            for name, kinds in annotated_classes(subject.node, *(s.names for s in self.subjects)).items():
                make = self.arena.terms.make
                several = tuple(make("global", kind) for kind in kinds)
                known = several[0] if len(several) == 1 else make("tuple", *several)
                test = make("isinstance", make("param", name), known)
                self.acts.by_annotation.add(test)
                facts.assume(test, True)
        if (
            FAMILIES in self.allowed
            and subject.owner
            and subject.owner == self.subjects[1].owner
            and subject.node.args.args
        ):
            make = self.arena.terms.make
            own = make("param", subject.node.args.args[0].arg)
            self.acts.given = make("isinstance", own, make("global", subject.owner))
            facts.assume(self.acts.given, True)
        return facts

    # --- one path ----------------------------------------------------------------------------------

    def explore(self, state: _State) -> None:
        """Runs both sides to their exits along every path from `state`, or raises _Parted."""
        while True:
            old = self._advance(state, 0)
            new = self._advance(state, 1)
            if self._alike_from_here(state):
                return
            match old.kind, new.kind:
                case "branch", _:
                    if self._split(state, old):
                        return
                case _, "branch":
                    if self._split(state, new):
                        return
                case "event", "event":
                    self._meet(state, old, new)
                case "head", "head":
                    self._loop(state)
                    return
                case ("return", "return") | ("throw", "throw"):
                    if not self._equal(state, old.value, new.value):
                        raise self._parted(state, old, new)
                    return
                case _:
                    self._alone(state, old, new)

    def _advance(self, state: _State, which: int) -> Block:
        side = state.sides[which]
        while True:
            self.budget -= 1
            if self.budget < 0:
                raise _Parted("the budget of the proof is used up", tuple(self.path))
            block = self.acts.step(side, state)
            if block is not None:
                return block

    def _alike_from_here(self, state: _State) -> bool:
        """The same code, to be run on the same values."""
        old, new = state.sides
        if old.node is not new.node or old.frames or new.frames:
            return False
        return all(old.store.get(name) is new.store.get(name) for name in old.node.live)

    # --- events ------------------------------------------------------------------------------------

    def _meet(self, state: _State, old: Block, new: Block) -> None:
        respelt = old.written is not new.written
        if (old.key is not new.key and not self._same_act(state, old, new)) or (
            respelt and COMPARISONS not in self.allowed
        ):
            self._alone(state, old, new)
            return
        if respelt:
            self.acts.note_spelling(old, new)
        self._raising(state)
        made = self.acts.perform(state, old)
        for side, block in zip(state.sides, (old, new), strict=True):
            self.acts.finish(side, block, made)
        if old.ends:
            self._exhausted(state)

    def _same_act(self, state: _State, old: Block, new: Block) -> bool:
        if old.key is None or new.key is None or old.key.op != new.key.op or len(old.key.args) != len(new.key.args):
            return False
        return all(
            self._equal(state, a, b) if isinstance(a, Term) and isinstance(b, Term) else a == b
            for a, b in zip(old.key.args, new.key.args, strict=True)
        )

    def _raising(self, state: _State) -> None:
        """What follows if the event both sides are at raises."""
        targets = [side.raising_to(self.arena.throw) for side in state.sides]
        if targets[0] is targets[1] is self.arena.throw:
            return
        if targets[0] is targets[1] and not (state.sides[0].frames or state.sides[1].frames):
            live = targets[0].live - {"%exc"}
            if all(state.sides[0].store.get(n) is state.sides[1].store.get(n) for n in live):
                return
        raised = state.copy()
        error = self.arena.terms.fresh("error")
        for side in raised.sides:
            self.acts.throw(side, error)
        self.acts.new_epoch(raised)
        self.path.append("an exception is raised")
        self.explore(raised)
        self.path.pop()

    def _exhausted(self, state: _State) -> None:
        """An iterator may have no further item: both sides then leave the loop."""
        ended = state.copy()
        for side in ended.sides:
            side.node = side.came_from.succs[1] if side.came_from else side.node
        self.path.append("the loop ends")
        self.explore(ended)
        self.path.pop()

    def _alone(self, state: _State, old: Block, new: Block) -> None:
        """The sides differ; one may go ahead when what it does is harmless or can be looked into."""
        for side, block in zip(state.sides, (old, new), strict=True):
            if block.kind == "event" and block.harmless and block.harmless in self.allowed:
                self.acts.assumptions.add(block.harmless)
                self.acts.finish(side, block, self.acts.perform(state, block))
                return
        for side, block in zip(state.sides, (old, new), strict=True):
            if block.kind == "event" and self._follow(state, side, block):
                return
        if not (state.peeled < _MOST_ROUNDS and (old.kind == "head") != (new.kind == "head")):
            raise self._parted(state, old, new)
        side = state.sides[0 if old.kind == "head" else 1]
        side.node = side.node.succs[0]
        state.peeled += 1
        return

    def _follow(self, state: _State, side: Side, block: Block) -> bool:
        callee = self.acts.callee(side, block)
        if callee is None or len(side.frames) > 4:
            return False
        subject = self.subjects[side.which]
        if has_private(callee.node) and not (callee.home and callee.home == subject.home):
            return False
        try:
            entry = lower(callee.node, subject.names, self.arena, kept=self.kept)
        except Unsupported:
            return False
        side.enter(entry, callee.arguments)
        return True

    # --- branches ----------------------------------------------------------------------------------

    def _split(self, state: _State, block: Block) -> bool:
        """Both ways of an undecided test. True when this pair of places was proved before."""
        assert block.key is not None
        pair, values = self._pair(state), self._values(state)
        if self._proved_before(state, pair, values):
            return True
        entry, start = state.copy(), len(self.acts.trail)
        if block.key in state.done or block.key in state.lasting:
            self.acts.trail.append(("done", block.key, True))
        told = self._told(block)
        yes = state.copy()
        yes.facts.assume(block.key, True)
        self.path.append(told[not block.wanted])
        self.explore(yes)
        self.path[-1] = told[block.wanted]
        no = state.copy()
        no.facts.assume(block.key, False)
        self.explore(no)
        self.path.pop()
        self._remember(entry, pair, values, start)
        return True

    def _told(self, block: Block) -> tuple[str, str]:
        """The test as people read it: when it is true, when it is not."""
        try:
            code = ast.unparse(block.source) if block.source is not None else "a test"
        except Exception:
            code = "a test"
        plain = code.isidentifier() or isinstance(block.source, ast.Attribute | ast.Call | ast.Subscript)
        return code, f"not {code}" if plain else f"not ({code})"

    # --- memory ------------------------------------------------------------------------------------

    def _pair(self, state: _State) -> _Pair:
        """Where both sides are, and where the helpers they are in return to."""
        return tuple((*(frame.call for frame in side.frames), side.node) for side in state.sides)

    def _values(self, state: _State) -> tuple[Term, ...]:
        unbound = self.arena.unbound
        return tuple(
            store.get(name, unbound)
            for side in state.sides
            for store, live in (*_left_behind(side), (side.store, side.node.live))
            for name in sorted(live)
        )

    def _remember(self, entry: _State, pair: _Pair, values: tuple[Term, ...], start: int) -> None:
        """Keeps which facts, known at `entry`, the proof since `start` has used."""
        trail = self.acts.trail
        old = set(values)
        needed = tuple(
            dict.fromkeys(c for c in trail[start:] if (c[1] in old if c[0] == "struct" else _holds(c, entry)))
        )
        trail[start:] = needed
        self.visited.setdefault(pair, []).append(_Visited(values, entry.epoch, needed))
        self.visits.append(pair)

    def _proved_before(self, state: _State, pair: _Pair, values: tuple[Term, ...]) -> bool:
        for visit in self.visited.get(pair, ()):
            translated = self._covers(visit, state, values)
            if translated is not None:
                self.acts.trail.extend(translated)
                return True
        return False

    def _covers(self, visit: _Visited, state: _State, values: tuple[Term, ...]) -> list[tuple[str, Term, bool]] | None:
        """The facts `visit` needed, in terms of `state`; None when they do not all hold there."""
        renamed: dict[Term, Term] = {visit.epoch: state.epoch}
        for had, has in zip(visit.values, values, strict=True):
            if had.op in ("const", "unbound", "maybe") or has.op in ("unbound", "maybe"):
                if had is not has:
                    return None
            elif renamed.setdefault(had, has) is not has:
                return None
        needed = []
        for what, term, outcome in visit.needed:
            rebuilt = self._rebuilt(term, renamed)
            if rebuilt is None or renamed.get(term, rebuilt) is not rebuilt:
                return None
            consult = (what, rebuilt, outcome)
            if not _holds(consult, state):
                return None
            needed.append(consult)
        return needed

    def _rebuilt(self, term: Term, renamed: dict[Term, Term]) -> Term | None:
        """The term of the same structure over the renamed parts."""
        if term.op in ("const", "global"):
            return term
        if term.op in ("symbol", "param", "maybe", "unbound"):
            return renamed.get(term)
        args: list[object] = []
        for arg in term.args:
            if not isinstance(arg, Term):
                args.append(arg)
                continue
            inner = renamed.get(arg) or self._rebuilt(arg, renamed)
            if inner is None:
                return None
            args.append(inner)
        return self.arena.terms.make(term.op, *args)

    # --- loops -------------------------------------------------------------------------------------

    def _loop(self, state: _State) -> None:
        pair = self._pair(state)
        if pair in self.active:
            self._came_back(state, pair)
            return
        values = self._values(state)
        if self._proved_before(state, pair, values):
            return
        entry, start, mark = state.copy(), len(self.acts.trail), len(self.visits)
        groups = self._first_groups(state)
        while True:
            head = self._at_head(state, groups)
            self.active[pair] = (head.copy(), groups)
            path = len(self.path)
            try:
                for side in head.sides:
                    side.node = side.node.succs[0]
                self.explore(head)
                break
            except _Refine as error:
                if error.pair != pair:
                    raise
                groups = error.groups
                del self.path[path:]
                del self.acts.trail[start:]
            finally:
                del self.active[pair]
                self._forget(mark)
        self._remember(entry, pair, values, start)

    def _forget(self, mark: int) -> None:
        """Drops what was proved inside a loop: it rests on the loop that is no longer open."""
        for pair in reversed(self.visits[mark:]):
            self.visited[pair].pop()
        del self.visits[mark:]

    def _changing(self, state: _State) -> list[_Member]:
        touched = frozenset().union(*(side.node.payload for side in state.sides))
        return [(side.which, name) for side in state.sides for name in sorted(side.node.live) if name in touched]

    def _first_groups(self, state: _State) -> _Groups:
        """At first: constants stay what they are, everything else may change."""
        changing = [m for m in self._changing(state) if not self._is_constant(state, m)]
        return self._grouped(state, [tuple(changing)], frozenset())

    def _is_constant(self, state: _State, member: _Member) -> bool:
        return state.sides[member[0]].store.get(member[1], self.arena.unbound).op in ("const", "unbound")

    def _grouped(self, state: _State, parts: list[tuple[_Member, ...]], maybe: frozenset[_Member]) -> _Groups:
        """`parts` split further by the values their members hold now."""
        found: list[tuple[_Member, ...]] = []
        loose = set(maybe)
        for part in parts:
            by_value: dict[Term, list[_Member]] = {}
            for member in part:
                value = state.sides[member[0]].store.get(member[1], self.arena.unbound)
                by_value.setdefault(value, []).append(member)
            found += [tuple(members) for members in by_value.values()]
            if any(value.op in ("unbound", "maybe") for value in by_value):
                loose.update(part)
        return _Groups(tuple(found), frozenset(loose))

    def _at_head(self, state: _State, groups: _Groups) -> _State:
        """`state` with everything forgotten that the loop may change, but for which of it is equal."""
        head = state.copy()
        for part in groups.parts:
            value = self.arena.terms.fresh("loop")
            if any(member in groups.maybe for member in part):
                value = self.arena.terms.make("maybe", value)
            for which, name in part:
                head.sides[which].store[name] = value
        self.acts.new_epoch(head)
        return head

    def _came_back(self, state: _State, pair: _Pair) -> None:
        head, groups = self.active[pair]
        changing = {member for part in groups.parts for member in part}
        moved: list[_Member] = []
        for side, before in zip(state.sides, head.sides, strict=True):
            for (store, live), (was, _) in zip(_left_behind(side), _left_behind(before), strict=True):
                if any(store.get(name) is not was.get(name) for name in live):
                    raise _Parted("a loop in a helper is entered again with other values", tuple(self.path))
            for name in sorted(side.node.live):
                member = (side.which, name)
                if member not in changing and side.store.get(name) is not before.store.get(name):
                    moved.append(member)
        if moved:
            at_first = self._grouped(head, [tuple(moved)], frozenset())
            groups = _Groups(groups.parts + at_first.parts, groups.maybe | at_first.maybe)
            raise _Refine(pair, self._grouped(state, list(groups.parts), groups.maybe))
        again = self._grouped(state, list(groups.parts), groups.maybe)
        if again != groups:
            raise _Refine(pair, again)

    # --- values ------------------------------------------------------------------------------------

    def _equal(self, state: _State, left: Term | None, right: Term | None) -> bool:
        if left is right:
            return True
        if left is None or right is None:
            return False
        return self.acts.resolved(left, state) is self.acts.resolved(right, state)

    def _parted(self, state: _State, old: Block, new: Block) -> _Parted:
        return _Parted(f"the old one {old.told()}, the new one {new.told()}", tuple(self.path))


def _left_behind(side: Side) -> Iterator[tuple[dict[str, Term], frozenset[str]]]:
    """What the functions a side will return to still need."""
    for frame in side.frames:
        call = frame.call
        live = call.succs[0].live if call.succs else frozenset[str]()
        live = live - {call.dest} if call.dest is not None else live
        yield frame.store, live | (call.exc.live - {"%exc"} if call.exc is not None else frozenset())


def _holds(consult: tuple[str, Term, bool], state: _State) -> bool:
    what, term, outcome = consult
    match what:
        case "fact":
            return state.facts.known.get(term) is outcome
        case "done":
            return term in state.done or term in state.lasting
    return True


def _changes_class(node: FunctionNode) -> bool:
    stored = (n for n in ast.walk(node) if isinstance(n, ast.Attribute) and not isinstance(n.ctx, ast.Load))
    return any(n.attr == "__class__" for n in stored)


@lru_cache(maxsize=32)
def _spoken(node: FunctionNode) -> tuple[frozenset[str], frozenset[str]]:
    """The names in capitals and the attributes a function speaks of."""
    names: set[str] = set()
    attributes: set[str] = set()
    for n in ast.walk(node):
        match n:
            case ast.Name(id=name):
                if name.strip("_").isupper():
                    names.add(name)
            case ast.Attribute(attr=name):
                attributes.add(name)
    return frozenset(names), frozenset(attributes)
