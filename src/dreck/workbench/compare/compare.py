"""compare: are two versions the same? Of files, targets, source texts or live functions."""

import ast
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace

from dreck.errors import DreckError
from dreck.model.ir.graph import Arena
from dreck.model.names.scopes import param_names
from dreck.proof.assumptions import PRIVATE
from dreck.proof.beside.come_upon import with_those_beside
from dreck.proof.beside.lying_there import hidden_apart
from dreck.proof.entry import DEFAULT_BUDGET
from dreck.proof.surroundings.hooks import asks_for_private, calls_beyond
from dreck.proof.surroundings.implicit import may_run
from dreck.proof.surroundings.inherited import inherited_before
from dreck.proof.surroundings.module_diff import (
    Changed,
    attributes_said,
    broken_at_import,
    changed_between,
    defined_otherwise,
    hollowed,
    names_in_lazy_code,
)
from dreck.proof.surroundings.resting import spread
from dreck.source.walking import walk
from dreck.trial.running.expectation import knows
from dreck.trial.server import look_anew
from dreck.workbench.compare.around import Around, Asking
from dreck.workbench.compare.comparison import Comparison
from dreck.workbench.compare.kin import kin_of
from dreck.workbench.compare.mentions import asserts, captured_otherwise, hooks_in, may_call, names_meant
from dreck.workbench.compare.pairing import all_there, pairs_of
from dreck.workbench.compare.resting import files_beside
from dreck.workbench.compare.shapes import Executing, makes_members, reshaped
from dreck.workbench.compare.sides import Side, Text
from dreck.workbench.compare.wanted import NOTHING_KNOWN, NOTHING_MORE, Elsewhere, Wanted
from dreck.workbench.engine.check import run_check
from dreck.workbench.judging.judge import DEFAULT_ASSUMPTIONS, Judge, Request
from dreck.workbench.judging.verdict import Verdict, overall
from dreck.workbench.pinning.record import Recording, record
from dreck.workbench.store.config import Config, config_for, known_assumption
from dreck.workbench.store.trials import KnownTrials


def compare_texts(
    old: Text, new: Text, wanted: Wanted = NOTHING_MORE, elsewhere: Elsewhere = NOTHING_KNOWN
) -> Comparison:
    """Compares the functions of two modules, matched by name; two named functions may have different names.

    Raises DreckError for an unknown assumption or an expectation that cannot be understood, BadTarget when a
    named function is not there.
    """
    for name in wanted.assume:
        known_assumption(name)
    look_anew()
    sides = _sides(old, new)
    for at, side in enumerate(sides):
        side.names.others = tuple(kin_of(elsewhere.told, elsewhere.files, at).trees_for(side.names))
    pairs = pairs_of(*sides)
    only = set(wanted.only)
    if only:
        pairs = [pair for pair in pairs if pair[0] in only]
        all_there(only, {a for a, _ in pairs}, old.path)
    verdicts = _Judging(sides, wanted, config_for(old.path), beside=elsewhere).all(pairs)
    otherwise = () if only or old.name or new.name else defined_otherwise(*(side.tree for side in sides))
    if not only and not old.name and not new.name:
        verdicts += tuple(
            row for row in _inherited(*sides) if not (wanted.trial and makes_members(row[0], sides[1].names, otherwise))
        )
        verdicts += _reshaped(sides, otherwise, wanted)
    return Comparison(
        verdicts,
        () if only else tuple(n for n in sides[0].within(old.name) if n not in {a for a, _ in pairs}),
        () if only else tuple(n for n in sides[1].within(new.name) if n not in {b for _, b in pairs}),
        tuple(pair for pair in pairs if pair[0] != pair[1]),
        run_check(wanted.check) if wanted.check else None,
        otherwise,
    )


def _reshaped(sides: "tuple[Side, Side]", names: tuple[str, ...], wanted: Wanted) -> tuple[tuple[str, Verdict], ...]:
    cage = config_for(sides[0].text.path).cage
    return reshaped(sides, names, Executing(wanted.trial, cage, wanted.open_cage, wanted.cache))


def _sides(old: Text, new: Text) -> "tuple[Side, Side]":
    """Both versions, looked into as far beyond their files as can be done for both."""
    sides = Side.of(old), Side.of(new)
    for one, other in (sides, sides[::-1]):
        one.names.match(other.names)
    return sides


def judge_rewrite(old: Text, new: Text, wanted: Wanted, removed: tuple[str, ...] = ()) -> Verdict:
    """One verdict for a module rewritten: the worst over every function whose text or meaning is another now."""
    sides = _sides(old, new)
    gone = sides[0].functions.keys() - sides[1].functions.keys() - set(removed)
    if gone:
        return Verdict("unsettled", reason=f"{min(gone)} would be gone")
    work = _Judging(sides, wanted, config_for(old.path))
    modules = sides[0].module, sides[1].module
    work.between = changed_between(*modules)
    changed = spread(work.between, *modules)
    pairs = [(n, n) for n in sides[0].functions if n in sides[1].functions and work.is_other(n, changed)]
    overriding = _inherited(*sides)
    if overriding:
        return Verdict("unsettled", reason=f"{overriding[0][0]}: {overriding[0][1].reason}")
    broken = broken_at_import(sides[0].tree, sides[1].tree)
    if broken:
        return Verdict("unsettled", reason=f"the module would read {broken} before it is bound")
    work.until_one_is_lost = True
    return overall(work.all(sorted(pairs, key=lambda pair: work.is_written_alike(*pair))))


def _inherited(old: "Side", new: "Side") -> tuple[tuple[str, Verdict], ...]:
    """Methods that take the place of inherited ones."""
    found = sorted(inherited_before(old.names, new.names))
    return tuple((n, Verdict("unsettled", reason=f"takes the place of what {of} has")) for n, of in found)


@dataclass(slots=True)
class _Judging:
    """Judges all pairs, then takes into account which of them call one another."""

    sides: tuple[Side, Side]
    wanted: Wanted
    config: Config
    beside: Elsewhere | None = None
    """What is known of the files beside the two versions, where these may differ, too."""
    known: KnownTrials | None = None
    until_one_is_lost: bool = False
    """Whether one function that is not the same is all that has to be known."""
    between: Changed | None = None
    """What is other around the functions, once that is known."""
    _known_calls: dict[str, list[str]] = field(default_factory=dict)
    _otherwise: set[str] = field(default_factory=set)
    _asks_hooks: bool = False
    """Whether it counts which methods code elsewhere may call: some function is not known to be the same."""
    _hooks: list[str] | None = None
    _private_asked: bool | None = None
    _asking: dict[bool, Asking] = field(default_factory=dict)
    """What is asked for beyond names: with the methods that code elsewhere may call, and without them."""

    def all(self, pairs: list[tuple[str, str]]) -> tuple[tuple[str, Verdict], ...]:
        """The verdict on each pair; trials made before are asked for once more only when something has changed."""
        self.known = KnownTrials(self.wanted.cache)
        try:
            return self._all(pairs)
        finally:
            self.known.close()

    def _all(self, pairs: list[tuple[str, str]]) -> tuple[tuple[str, Verdict], ...]:
        modules = self.sides[0].module, self.sides[1].module
        changed = spread(self.between or changed_between(*modules), *modules)
        if self.beside is not None:
            old, new = ((side.text.path, side.tree) for side in self.sides)
            beside = files_beside(self.beside)
            changed.always.update(beside.resting_beside(old, new))
            changed = with_those_beside(spread(changed, *modules), beside, old[0], new[0])
            changed = replace(changed, everywhere=changed.everywhere or hidden_apart(old[0], new[0]))
        self._otherwise = changed.always.keys() | changed.unfolded.keys()
        self._check_expectation(pairs)
        recording = self._recording([b for _, b in pairs])
        self._asks_hooks = any(self.is_other(name, changed) for name in self._in_both() - {a for a, _ in pairs})
        judged, verdicts, asked = list[tuple[str, str]](), dict[str, Verdict](), pairs
        while asked:
            for a, b in asked:
                verdicts[a] = self._standing(a, changed) or self._one(a, b, changed, recording=recording)
                if self.until_one_is_lost and not verdicts[a] and not self._holds_functions(a):
                    return ((a, verdicts[a]),)
            judged += asked
            asked = self._callees([a for a, _ in asked if self._leans_on_others(a, verdicts[a])], verdicts, changed)
        for a, b in reversed(judged):
            if not self._suspect(a, changed) and not self._mentions(a) & changed.unfolded.keys():
                verdicts[a] = self._by_nested(a, b, verdicts)
        self._asks_hooks = any(verdict.status != "proved" for verdict in verdicts.values())
        pending = True
        while pending:
            pending = False
            for a, b in judged:
                settled = self._with_callees(a, b, verdicts)
                if settled != verdicts[a]:
                    verdicts[a], pending = settled, True
        return tuple((a, verdicts[a]) for a, _ in pairs)

    def _standing(self, name: str, changed: Changed) -> Verdict | None:
        """The verdict from before, when it was no proof or still is one."""
        before = self.beside.known.get(name) if self.beside is not None else None
        if before is None or before.status != "proved":
            return before
        hit = self._suspect(name, changed) or self._mentions(name) & changed.unfolded.keys()
        return None if hit else before

    def is_written_alike(self, old: str, new: str) -> bool:
        return ast.dump(self.sides[0].functions[old].node) == ast.dump(self.sides[1].functions[new].node)

    def _holds_functions(self, name: str) -> bool:
        """Whether functions stand in it: what they come to may be what it comes to."""
        return any(other.startswith(f"{name}.") for other in self.sides[0].functions)

    def is_other(self, name: str, changed: Changed) -> bool:
        """Whether a function is written otherwise, or what it rests on means something else."""
        if not self.is_written_alike(name, name):
            return True
        return bool(self._suspect(name, changed) or self._mentions(name) & changed.unfolded.keys())

    def _by_nested(self, old: str, new: str, verdicts: dict[str, Verdict]) -> Verdict:
        """A function that differs only inside the functions nested in it is what these are."""
        inside = [n for n in verdicts if n.startswith(f"{old}.") and self.sides[0].functions[n].nested]
        if verdicts[old].status in ("proved", "differs") or not inside:
            return verdicts[old]
        mine, theirs = self.sides[0].functions[old].node, self.sides[1].functions[new].node
        if hollowed(mine) != hollowed(theirs):
            return verdicts[old]
        return overall(tuple((name, verdicts[name]) for name in inside))

    def _check_expectation(self, pairs: list[tuple[str, str]]) -> None:
        if not self.wanted.expect:
            return
        if not any(knows(self.wanted.expect, self.sides[0].functions[a].node, self.sides[0].names) for a, _ in pairs):
            names = [", ".join(param_names(self.sides[0].functions[a].node.args)) for a, _ in pairs[:1]]
            told = f"; the parameters are {names[0]}" if names else ""
            raise DreckError(f"--expect '{self.wanted.expect}': names something no function to compare knows{told}")

    def _recording(self, functions: list[str]) -> Recording | None:
        return record(self.wanted.record, self.sides[1].text.path, functions) if self.wanted.record else None

    def _callees(self, pending: list[str], judged: Mapping[str, Verdict], changed: Changed) -> list[tuple[str, str]]:
        """The next functions both sides have, written or meant otherwise, that the ones in `pending` lead to."""
        known, found = {*judged}, []
        both = self._in_both()
        while pending:
            for name in self._mentioned(pending.pop()):
                if name in known or name not in both:
                    continue
                known.add(name)
                if self.is_other(name, changed):
                    found.append((name, name))
                else:
                    pending.append(name)
        return found

    def _in_both(self) -> set[str]:
        return self.sides[0].functions.keys() & self.sides[1].functions.keys()

    def _leans_on_others(self, name: str, verdict: Verdict) -> bool:
        """Whether other functions may have a say in a verdict: in a proof, and where functions stand inside."""
        return verdict.status == "proved" or self._holds_functions(name)

    def _mentioned(self, name: str) -> Iterator[str]:
        """Functions of the old file that `name` may call."""
        side = self.sides[0]
        if name not in self._known_calls:
            caller, named = side.functions[name], side.led_to(names_meant(side.functions[name].node))
            self._known_calls[name] = list(may_call(caller, side.functions.values(), named, side.made, side.held))
        yield from self._known_calls[name]
        if self._asks_hooks and self._calls_beyond(name):
            self._hooks = hooks_in(side.functions, side.names) if self._hooks is None else self._hooks
            yield from self._hooks

    def _calls_beyond(self, name: str) -> bool:
        functions = self.sides[0].functions
        return calls_beyond(functions[name].node, functions)

    def _one(
        self, old: str, new: str, changed: Changed, suspect: str = "", recording: Recording | None = None
    ) -> Verdict:
        mine = self.sides[0].candidate(old)
        theirs = self.sides[1].candidate(new, mine.node)
        suspect = suspect or self._suspect(old, changed) or self._not_executed()
        unfolded = tuple(sorted(changed.unfolded.items()))
        expect = self.wanted.expect if knows(self.wanted.expect or "()", mine.node, mine.names) else ""
        calls = recording.calls_of(new) if recording else ()
        verdict = self._judge().verdict(mine, theirs, Request(False, suspect, unfolded, expect, calls))
        if verdict.status == "proved" and (self._looks_around(old).rests_on_privacy or self._may_ask_for_private(old)):
            return replace(verdict, assumptions=tuple(sorted({*verdict.assumptions, PRIVATE})))
        if verdict.status != "tested":
            return verdict
        untried = self._looks_around(old).reason or self._switched_off(old, new)
        return verdict.weakened("unsettled", untried) if untried else verdict

    def _switched_off(self, old: str, new: str) -> str:
        """What a trial cannot see, since it runs with assertions: one of them asserts more than the other."""
        functions = [side.functions[name].node for side, name in zip(self.sides, (old, new), strict=True)]
        one_sided = all(asserts(a) != asserts(b) for a, b in (functions, [side.tree for side in self.sides]))
        return "one of them asserts what the other does not, and `python -O` leaves that out" if one_sided else ""

    def _not_executed(self) -> str:
        """Why the new module cannot even be executed, as far as its names tell."""
        name = broken_at_import(self.sides[0].tree, self.sides[1].tree)
        return f"the new module reads {name} before it is bound" if name else ""

    def _suspect(self, name: str, changed: Changed) -> str:
        """Why a proof of this function would not count, whatever the function itself looks like; '' when it would."""
        node = self.sides[0].functions[name].node
        if changed.everywhere:
            return changed.everywhere
        mentioned = self._mentions(name) | ({name} if "." not in name else set())
        lazy = names_in_lazy_code(node) & changed.unfolded.keys()
        for found in (mentioned & changed.always.keys(), lazy):
            if found:
                first = min(found)
                return f"the module's {first} {changed.always.get(first) or changed.unfolded[first]}"
        if around := self._looks_around(name).reason:
            return around
        if PRIVATE in self.config.doubt and self._may_ask_for_private(name):
            return "names are worked out there, and a private one that one version only has may be among them"
        attributes = attributes_said(walk(node)) & changed.attributes.keys()
        if attributes:
            return f"{min(attributes)} {changed.attributes[min(attributes)]}"
        hook = min(changed.hooks, default="") if changed.hooks and self._calls_beyond(name) else ""
        if hook:
            return f"{hook} {changed.hooks[hook]}"
        special = min((key for key in changed.specials if may_run(node, key[1], key[0])), default=None)
        return f"{special[1]} {changed.specials[special]}" if special is not None else ""

    def _may_ask_for_private(self, name: str) -> bool:
        """Whether it runs code that may ask an object for a private name which one version only has."""
        if self._private_asked is None:
            self._private_asked = asks_for_private(*(side.names for side in self.sides))
        return self._private_asked and self._calls_beyond(name)

    def _mentions(self, name: str) -> set[str]:
        """Names and classes a function depends on: those it names, and for a method its class and the bases."""
        function = self.sides[0].functions[name]
        found = names_meant(function.node) | ({name.partition(".")[0]} if function.owner is not None else set())
        pending = [function.owner] if function.owner is not None else []
        while pending:
            kind = pending.pop()
            if kind.name in found:
                continue
            found.add(kind.name)
            bases = {n.id for base in kind.bases for n in walk(base) if isinstance(n, ast.Name)}
            pending += [n for n in self.sides[0].tree.body if isinstance(n, ast.ClassDef) and n.name in bases]
        return self.sides[0].led_to(found)

    def _looks_around(self, name: str) -> Around:
        """What it, or a function that it leads to, asks for beyond the names it says."""
        asking = self._asking.get(self._asks_hooks)
        if asking is None:
            asking = Asking(self.sides, self._mentioned, PRIVATE in self.config.doubt)
            self._asking[self._asks_hooks] = asking
        return asking.of(name)

    def _judge(self) -> Judge:
        budget = self.config.budget or DEFAULT_BUDGET
        assume = (frozenset(self.wanted.assume) | self.config.assume | DEFAULT_ASSUMPTIONS) - self.config.doubt
        opened = frozenset(self.wanted.open_cage)
        judge = Judge(assume, self.wanted.trial, budget=budget, open_cage=opened, arena=Arena(), case=self.wanted.case)
        judge.cage = self.config.cage
        judge.certificates = self.wanted.certificates
        judge.known = self.known
        return judge

    def _led_to(self, name: str, verdicts: dict[str, Verdict]) -> list[str]:
        """The functions with a verdict that it calls, itself or by way of such as have none."""
        found: list[str] = []
        seen, pending = {name}, [name]
        while pending:
            for called in self._mentioned(pending.pop(0)):
                if called in verdicts and called not in found:
                    found.append(called)
                elif called not in verdicts and called not in seen:
                    seen.add(called)
                    pending.append(called)
        return found

    def _with_callees(self, old: str, new: str, verdicts: dict[str, Verdict]) -> Verdict:
        """A proof takes functions of the same name to be the same: it is worth no more than their verdicts, and holds
        under no less than they do."""
        verdict = verdicts[old]
        if verdict.status != "proved":
            return verdict
        needed = set(verdict.assumptions)
        for name in self._led_to(old, verdicts):
            other = verdicts[name]
            if other.status == "proved" or name == old:
                needed |= set(other.assumptions)
                continue
            calls = f"it {'may come to call' if name in (self._hooks or ()) else 'calls'} {name}, which is"
            if other.status == "tested":
                return verdict.weakened("tested", f"{calls} tested, not proved")
            return self._one(old, new, Changed({}, {}, {}), suspect=f"{calls} not the same")
        proved = {n for n, v in verdicts.items() if v.status == "proved"}
        around = captured_otherwise(old, [side.functions for side in self.sides], proved, self._otherwise)
        if around:
            return self._one(old, new, Changed({}, {}, {}), suspect=around)
        return replace(verdict, assumptions=(*verdict.assumptions, *sorted(needed - set(verdict.assumptions))))
