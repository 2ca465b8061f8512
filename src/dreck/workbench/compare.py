"""compare: are two versions the same? Of files, targets, source texts or live functions."""

import ast
import inspect
import textwrap
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

from dreck.errors import BadTarget, DreckError
from dreck.model.ir.graph import Arena
from dreck.model.names.linking import LinkedNames
from dreck.model.names.scopes import bound_names, param_names
from dreck.proof.entry import DEFAULT_BUDGET
from dreck.proof.files_beside import FilesBeside
from dreck.proof.implicit import may_run
from dreck.proof.module_diff import (
    Changed,
    Module,
    broken_at_import,
    changed_between,
    hollowed,
    names_in_lazy_code,
    read_by_assignments,
)
from dreck.source.files import read
from dreck.source.functions import Function, FunctionNode, functions_in, instance_owner, parse
from dreck.source.revisions import at_revision
from dreck.source.targets import Target
from dreck.trial.running.expectation import knows
from dreck.trial.running.renaming import other_names, renamed
from dreck.workbench.check import Check, run_check
from dreck.workbench.config import Config, config_for
from dreck.workbench.judging.judge import ASSUMPTIONS, DEFAULT_ASSUMPTIONS, Candidate, Judge, Request
from dreck.workbench.judging.verdict import Verdict, overall
from dreck.workbench.record import Recording, record


@dataclass(frozen=True, slots=True)
class Comparison:
    """The verdict for each function both sides have, and the functions only one of them has.

    `check` is how the project's own tests ended, when they were asked for.
    """

    functions: tuple[tuple[str, Verdict], ...]
    only_old: tuple[str, ...] = ()
    only_new: tuple[str, ...] = ()
    moved: tuple[tuple[str, str], ...] = ()
    """Functions that have another name or stand in another class now."""
    check: Check | None = None

    @property
    def verdict(self) -> Verdict:
        return overall(self.functions)

    @property
    def same(self) -> bool:
        """Every function the same, none lost, and the project's own tests green where they were asked for."""
        return bool(self.verdict) and not self.only_old and (self.check is None or bool(self.check))

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
            "check": None if self.check is None else self.check.as_json(),
        }


@dataclass(frozen=True, slots=True)
class Wanted:
    """What is asked of a comparison, apart from the two sides.

    Arguments:
        only: names of functions; all when empty.
        assume: assumptions proofs may rest on, beside those that are accepted anyway.
        trial: whether code may be run; without, what cannot be proved is unsettled.
        open_cage: audit events that trials let happen.
        expect: a condition on the arguments; where it holds the two are meant to differ, and must.
        record: a command to run with the new version watched; its calls are tried first.
        check: the project's own tests as a command.
        case: whether a difference is wanted as a test case.
        certificates: whether what proofs rest on is kept with the verdicts.
    """

    only: tuple[str, ...] = ()
    assume: tuple[str, ...] = ()
    trial: bool = True
    open_cage: tuple[str, ...] = ()
    expect: str = ""
    record: str = ""
    check: str = ""
    case: bool = False
    certificates: bool = False


@dataclass(frozen=True, slots=True)
class Text:
    """One side of a comparison: a module's text, the path it stands at, and the function meant, if one is."""

    path: Path
    text: str
    name: str | None = None


def compare_texts(old: Text, new: Text, wanted: Wanted = Wanted()) -> Comparison:
    """Compares the functions of two modules, matched by name; two named functions may have different names.

    Raises DreckError for an unknown assumption or an expectation that cannot be understood, BadTarget when a
    named function is not there.
    """
    for name in wanted.assume:
        if name not in ASSUMPTIONS:
            raise DreckError(f"no assumption '{name}'; there are: {', '.join(ASSUMPTIONS)}")
    sides = _sides(old, new)
    pairs = _pairs(*sides)
    only = set(wanted.only)
    if only:
        pairs = [pair for pair in pairs if pair[0] in only]
        _all_there(only, {a for a, _ in pairs}, old.path)
    verdicts = _Judging(sides, wanted, config_for(old.path), beside=True).all(pairs)
    return Comparison(
        verdicts,
        () if only else tuple(n for n in sides[0].within(old.name) if n not in {a for a, _ in pairs}),
        () if only else tuple(n for n in sides[1].within(new.name) if n not in {b for _, b in pairs}),
        tuple(pair for pair in pairs if pair[0] != pair[1]),
        run_check(wanted.check) if wanted.check else None,
    )


def _sides(old: Text, new: Text) -> "tuple[_Side, _Side]":
    """Both versions, looked into as far beyond their files as can be done for both."""
    sides = _Side.of(old), _Side.of(new)
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
    changed = changed_between(*(side.module for side in sides))
    pairs = [(n, n) for n in sides[0].functions if n in sides[1].functions and work.is_other(n, changed)]
    broken = broken_at_import(sides[0].tree, sides[1].tree)
    if broken:
        return Verdict("unsettled", reason=f"the module would read {broken} before it is bound")
    return overall(work.all(pairs))


def _pairs(old: "_Side", new: "_Side") -> list[tuple[str, str]]:
    """Which function is to be compared with which: by name, or what has moved by its last name."""
    if old.text.name is not None and new.text.name is not None:
        return old.pairs(old.text.name, new, new.text.name)
    same = [(name, name) for name in old.functions if name in new.functions]
    gone = _by_last_name(old, set(new.functions))
    come = _by_last_name(new, set(old.functions))
    moved = [(names[0], come[last][0]) for last, names in gone.items() if len(names) == len(come.get(last, ())) == 1]
    return same + moved


def _by_last_name(side: "_Side", others: set[str]) -> dict[str, list[str]]:
    found: dict[str, list[str]] = {}
    for name, function in side.functions.items():
        if name not in others and not function.nested and not function.node.name.startswith("__"):
            found.setdefault(function.node.name, []).append(name)
    return found


def _all_there(wanted: set[str], found: set[str], path: Path) -> None:
    missing = wanted - found
    if missing:
        raise BadTarget(f"{path}: no function '{min(missing)}' on both sides")


@dataclass(frozen=True, slots=True)
class _Side:
    text: Text
    tree: ast.Module
    names: LinkedNames
    functions: dict[str, Function]
    assigned: dict[str, list[str]]
    """For names assigned at the top of the module, the names read there."""

    @classmethod
    def of(cls, text: Text) -> "_Side":
        tree = parse(text.text, text.path)
        functions = {f.name: f for f in functions_in(tree, text.text)}
        return cls(text, tree, LinkedNames(tree, text.path, _neighbour), functions, read_by_assignments(tree))

    @property
    def module(self) -> Module:
        return Module(self.tree, self.names, frozenset(self.functions))

    def led_to(self, names: set[str]) -> set[str]:
        """`names` and all that the module's assignments to them read: the functions in a table, its class of rows."""
        found: set[str] = set()
        pending = list(names)
        while pending:
            name = pending.pop()
            if name not in found:
                found.add(name)
                pending += self.assigned.get(name, ())
        return found

    def within(self, name: str | None) -> list[str]:
        if name is None:
            return list(self.functions)
        return [f.name for f in Target(self.text.path, name).chosen(self.functions.values())]

    def pairs(self, name: str, other: "_Side", other_name: str) -> list[tuple[str, str]]:
        theirs = set(other.within(other_name))
        matched = [(n, other_name + n[len(name) :]) for n in self.within(name)]
        return [pair for pair in matched if pair[1] in theirs]

    def candidate(self, name: str, like: FunctionNode | None = None) -> Candidate:
        """A function to be judged; with `like`, its parameters are matched by position with those of `like`."""
        f = self.functions[name]
        names = other_names(like, f.node) if like is not None else {}
        around = [o for o in self.functions.values() if o is not f and o.start <= f.start and f.end <= o.end]
        enclosing = frozenset[str]().union(*(bound_names(o.node) for o in around)) if f.nested else frozenset[str]()
        node = renamed(f.node, names) if names else f.node
        aliases = tuple(names.items())
        owner, home = instance_owner(f), f.owner.name if f.owner is not None else ""
        return Candidate(
            self.text.path, lambda: self.text.text, name, node, self.names, enclosing, aliases, owner, home
        )


def _neighbour(path: Path) -> ast.Module | None:
    """The tree of a file beside one that is judged; None when it cannot be had."""
    try:
        return _parsed(path, path.stat().st_mtime_ns)
    except (DreckError, OSError):
        return None


@lru_cache(maxsize=128)
def _parsed(path: Path, changed: int) -> ast.Module:
    return parse(read(path).text, path)


@dataclass(slots=True)
class _Judging:
    """Judges all pairs, then takes into account which of them call one another."""

    sides: tuple[_Side, _Side]
    wanted: Wanted
    config: Config
    beside: bool = False
    """Whether the files beside the two versions may differ, too, and are not judged themselves."""

    def all(self, pairs: list[tuple[str, str]]) -> tuple[tuple[str, Verdict], ...]:
        changed = changed_between(*(side.module for side in self.sides))
        if self.beside:
            old, new = ((side.text.path, side.tree) for side in self.sides)
            names = FilesBeside(_neighbour).imported_otherwise(old, new)
            changed.always.update(dict.fromkeys(names, "is defined otherwise in a file beside it"))
        self._check_expectation(pairs)
        recording = self._recording([b for _, b in pairs])
        judged = [*pairs, *self._callees(pairs, changed)]
        verdicts = {a: self._one(a, b, changed, recording=recording) for a, b in judged}
        for a, b in reversed(judged):
            if not self._suspect(a, changed) and not self._mentions(a) & changed.unfolded.keys():
                verdicts[a] = self._by_nested(a, b, verdicts)
        pending = True
        while pending:
            pending = False
            for a, b in judged:
                settled = self._with_callees(a, b, verdicts)
                if settled != verdicts[a]:
                    verdicts[a], pending = settled, True
        return tuple((a, verdicts[a]) for a, _ in pairs)

    def is_other(self, name: str, changed: Changed) -> bool:
        """Whether a function is written otherwise, or what it rests on means something else."""
        old, new = (side.functions[name].node for side in self.sides)
        if ast.dump(old) != ast.dump(new):
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

    def _callees(self, pairs: list[tuple[str, str]], changed: Changed) -> list[tuple[str, str]]:
        """Functions both sides have, written or meant otherwise, that the ones to be judged lead to."""
        old, new = self.sides
        known, pending, found = {a for a, _ in pairs}, [a for a, _ in pairs], []
        while pending:
            for name in self._mentioned(pending.pop()):
                if name in known or name not in new.functions:
                    continue
                known.add(name)
                other = ast.dump(old.functions[name].node) != ast.dump(new.functions[name].node)
                if other or self._suspect(name, changed) or self._mentions(name) & changed.unfolded.keys():
                    found.append((name, name))
                pending.append(name)
        return found

    def _mentioned(self, name: str) -> list[str]:
        """Functions of the old file that `name` may call: by their name, or as methods by their last name."""
        node = self.sides[0].functions[name].node
        names = self.sides[0].led_to({n.id for n in ast.walk(node) if isinstance(n, ast.Name)})
        attributes = {n.attr for n in ast.walk(node) if isinstance(n, ast.Attribute)}
        return [
            f.name
            for f in self.sides[0].functions.values()
            if f.name in names or (f.owner is not None and (f.node.name in attributes or _runs_unnamed(node, f, names)))
        ]

    def _one(
        self, old: str, new: str, changed: Changed, suspect: str = "", recording: Recording | None = None
    ) -> Verdict:
        mine = self.sides[0].candidate(old)
        theirs = self.sides[1].candidate(new, mine.node)
        suspect = suspect or self._suspect(old, changed) or self._not_executed()
        unfolded = tuple(sorted(changed.unfolded.items()))
        expect = self.wanted.expect if knows(self.wanted.expect or "()", mine.node, mine.names) else ""
        calls = recording.calls_of(new) if recording else ()
        return self._judge().verdict(mine, theirs, Request(False, suspect, unfolded, expect, calls))

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
        attributes = {n.attr for n in ast.walk(node) if isinstance(n, ast.Attribute)} & changed.attributes.keys()
        return f"{min(attributes)} {changed.attributes[min(attributes)]}" if attributes else ""

    def _mentions(self, name: str) -> set[str]:
        """Names and classes a function depends on: those it names, and for a method its class and the bases."""
        function = self.sides[0].functions[name]
        found = {n.id for n in ast.walk(function.node) if isinstance(n, ast.Name)}
        pending = [function.owner] if function.owner is not None else []
        while pending:
            kind = pending.pop()
            if kind.name in found:
                continue
            found.add(kind.name)
            bases = {n.id for base in kind.bases for n in ast.walk(base) if isinstance(n, ast.Name)}
            pending += [n for n in self.sides[0].tree.body if isinstance(n, ast.ClassDef) and n.name in bases]
        return self.sides[0].led_to(found)

    def _judge(self) -> Judge:
        budget = self.config.budget or DEFAULT_BUDGET
        assume = (frozenset(self.wanted.assume) | self.config.assume | DEFAULT_ASSUMPTIONS) - self.config.doubt
        opened = frozenset(self.wanted.open_cage)
        judge = Judge(assume, self.wanted.trial, budget=budget, open_cage=opened, arena=Arena(), case=self.wanted.case)
        judge.cage = self.config.cage
        judge.certificates = self.wanted.certificates
        return judge

    def _with_callees(self, old: str, new: str, verdicts: dict[str, Verdict]) -> Verdict:
        """A proof takes functions of the same name to be the same: it is worth no more than their verdicts."""
        verdict = verdicts[old]
        if verdict.status != "proved":
            return verdict
        for name in self._mentioned(old):
            other = verdicts.get(name)
            if other is None or other.status == "proved" or name == old:
                continue
            if other.status == "tested":
                return verdict.weakened("tested", f"it calls {name}, which is tested, not proved")
            return self._one(old, new, Changed({}, {}, {}), suspect=f"it calls {name}, which is not the same")
        return verdict


def _runs_unnamed(node: FunctionNode, method: Function, names: set[str]) -> bool:
    """Whether code may run a special method of a class (`__eq__`, a constructor) that it does not name."""
    special = method.node.name
    if not (special.startswith("__") and special.endswith("__")) or method.owner is None:
        return False
    return may_run(node, special, method.owner.name) or (special == "__init__" and method.owner.name in names)


def compare(
    old: str | Path | Callable[..., Any],
    new: str | Path | Callable[..., Any],
    *,
    assume: Iterable[str] = (),
    trial: bool = True,
    expect: str = "",
) -> Verdict:
    """Are `old` and `new` the same? Targets (`gate.py::admit`), source texts, or live functions.

    Returns a Verdict, true when they are; of several functions the worst, with all of them in `.functions`.
    With `trial=False` nothing is run: what cannot be proved is unsettled. `expect` is a condition on the
    arguments under which they are meant to differ. Raises BadTarget or BadSource.
    """
    texts = _text(old), _text(new)
    if callable(old) != callable(new):
        raise BadTarget("compare two functions, two targets or two source texts, not a mixture")
    wanted = Wanted(assume=tuple(assume), trial=trial, expect=expect)
    return compare_texts(*_named_alike(*texts), wanted).verdict


def _named_alike(old: Text, new: Text) -> tuple[Text, Text]:
    """Two texts with one function each are meant to be compared, whatever the functions are called."""
    if old.name or new.name:
        return old, new
    mine, theirs = ([f for f in functions_in(parse(t.text, t.path), t.text) if not f.nested] for t in (old, new))
    if len(mine) == len(theirs) == 1 and mine[0].name != theirs[0].name:
        return Text(old.path, old.text, mine[0].name), Text(new.path, new.text, theirs[0].name)
    return old, new


def _text(side: str | Path | Callable[..., Any]) -> Text:
    if callable(side):
        return _live(side)
    if isinstance(side, str) and "\n" in side:
        return Text(Path("<text>"), textwrap.dedent(side))
    return read_text(side)


def read_text(spec: str | Path) -> Text:
    """A target as one side of a comparison. Raises BadTarget, also for a folder."""
    place, mark, name = str(spec).partition("::")
    if mark and not name:
        raise BadTarget(f"{spec}: a name is wanted after '::', as in {place}::function")
    path = Path(place)
    return Text(path, read(path).text, name or None)


def compare_since(revision: str, spec: str, wanted: Wanted) -> Comparison:
    """A target as it was at a revision in git, among its neighbours of then, against what it is now."""
    new = read_text(spec)
    with at_revision(new.path, revision) as path:
        old = Text(path, read(path).text, new.name)
        return compare_texts(old, new, wanted)


def _live(function: Callable[..., Any]) -> Text:
    """A live function: its own module's text, with the function by its dotted name; or its own source alone."""
    function = inspect.unwrap(getattr(function, "__func__", function))
    try:
        source = textwrap.dedent(inspect.getsource(function))
        path = Path(inspect.getsourcefile(function) or "<text>")
    except (OSError, TypeError):
        raise BadTarget(f"{function!r}: its source cannot be found; compare source texts instead") from None
    name = function.__qualname__
    if "<" in name:
        return Text(Path("<text>"), source, function.__name__)
    return Text(path, read(path).text, name)
