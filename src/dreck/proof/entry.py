"""The entry: two functions, what is assumed, and whether they are proved to do the same."""

import ast
import sys
from collections.abc import Set as AbstractSet
from dataclasses import replace

from dreck.model.ir.graph import Arena, Node
from dreck.model.ir.lowering import Unsupported, lower
from dreck.model.names.collectors import collectors_in
from dreck.model.names.frames import LOCAL_NAMES, frames_asked
from dreck.model.names.modules import ModuleNames
from dreck.model.names.scopes import names_read, param_names, scope_of
from dreck.model.names.type_parameters import heads_of
from dreck.model.views.asked import asked_in
from dreck.model.views.steady import steady_in
from dreck.proof.annotations import annotated_classes, annotated_kinds, bound_around, flags_of
from dreck.proof.assumptions import ANNOTATIONS, COMPARISONS, FAMILIES, FLAGS, LIVES, PLAIN, QUIET, STEADY
from dreck.proof.certificate import Certificate
from dreck.proof.checking.acts import CheckedActs
from dreck.proof.checking.axioms import Axioms
from dreck.proof.checking.checker import Checker
from dreck.proof.classes.known import KnownClasses
from dreck.proof.classes.say.taken_back import having_a_say, running_code_for
from dreck.proof.classes.say.wilful import CONSTANT
from dreck.proof.conditions import Facts
from dreck.proof.lockstep.lockstep import LockStep
from dreck.proof.lockstep.masking import speaks_of_masks
from dreck.proof.lockstep.parted import Parted
from dreck.proof.lockstep.prover import Prover
from dreck.proof.state import Side, State
from dreck.proof.subject import Proof, Subject
from dreck.proof.surroundings.described import differs_by_description
from dreck.proof.surroundings.generics import parameters_apart
from dreck.proof.surroundings.spoken import spoken_by_own, spoken_in
from dreck.source.functions import FunctionNode
from dreck.source.guest import Borrowed

DEFAULT_BUDGET = 60_000
_RECURSION = 12_000


def prove(
    old: Subject,
    new: Subject,
    allowed: frozenset[str],
    arena: Arena | None = None,
    budget: int = DEFAULT_BUDGET,
    certified: bool = True,
) -> Proof:
    """Tries to prove that `old` and `new` do the same, under no more than the `allowed` assumptions.

    `budget` is in acts executed; when it is used up the answer is "not proved", with that reason.
    With `certified` the proof is gone over by the checker, and is none when that does not accept it.
    Pass the same `arena` again when one function is compared with many versions: common code is lowered once.
    """
    refused = _refused(old, new)
    if refused:
        return Proof(False, reason=refused)
    if any(speaks_of_masks(one.node, one.names.tree) for one in (old, new)):
        allowed -= {COMPARISONS}
    arena = arena or Arena()
    found = _tried(old, new, allowed - {LIVES}, arena, budget, certified)
    if found.holds or LIVES not in allowed or not any(map(_matter, (old, new))):
        return found
    mine, theirs = (replace(one, names=one.names.with_plain_lives()) for one in (old, new))
    if _matter(mine) or _matter(theirs):
        return _but_for_lives(old, new, allowed, budget)
    return _tried(mine, theirs, allowed, arena, budget, certified)


def _but_for_lives(old: Subject, new: Subject, allowed: frozenset[str], budget: int) -> Proof:
    """What to say where it may matter how long variables keep their objects: that, or what else stands against it."""
    blind = [replace(one, names=one.names.without_lives()) for one in (old, new)]
    found = _tried(blind[0], blind[1], allowed - {LIVES}, Arena(), budget, certified=False)
    if not found.holds:
        return found
    return Proof(
        False, reason="variables keep their objects for another time, and it may be noticed here when one ends"
    )


def _matter(subject: Subject) -> bool:
    """Whether it may matter how long its variables keep their objects."""
    return subject.names.lives_count_in(subject.node)


def _tried(old: Subject, new: Subject, allowed: frozenset[str], arena: Arena, budget: int, certified: bool) -> Proof:
    """One attempt: where lifetimes are allowed to be plain, they are taken to be, and the proof says so."""
    kept = _alike_in_both(old, new)
    with _recursion.held():
        try:
            entries = (
                lower(old.node, old.names, arena, old.enclosing, kept),
                lower(new.node, new.names, arena, new.enclosing, kept),
            )
            p = _prover(old, new, allowed, arena)
            if LIVES in allowed:
                p.note(LIVES)
            run = LockStep(
                p,
                (old, new),
                budget,
                kept,
                any(_by_identity(s, kin) for s, kin in zip((old, new), p.classes, strict=True)),
            )
            if entries[0] is entries[1]:
                p.globals |= names_read(old.node)
                return Proof(True, globals=frozenset(p.globals))
            first = _first(p, old, new, entries)
            certificate = Certificate(first.copy(), run.log, run.lemmas)
            run.explore(first)
        except Unsupported as error:
            if _only_sees_its_own_names(old, new):
                return Proof(True, globals=frozenset(names_read(old.node)))
            return Proof(False, reason=str(error))
        except Parted as error:
            return Proof(False, reason=error.reason + _has_a_say(p, error.reason), path=error.path)
        except RecursionError:
            return Proof(False, reason="the code is nested too deep for a proof")
        if certified:
            _go_over(certificate, p, run)
            if not certificate.accepted:
                return Proof(False, reason=f"the proof was not accepted when it was gone over: {certificate.refusal}")
    return Proof(True, frozenset(p.assumptions), globals=frozenset(p.globals), certificate=certificate)


def _only_sees_its_own_names(old: Subject, new: Subject) -> bool:
    """Whether both are written alike, and what cannot be accounted for is no more than `locals()`: those are the same
    where the text is, and all else is looked at around the two."""
    asked = frames_asked(old.node).keys()
    alike = (old.enclosing, old.owner, old.home) == (new.enclosing, new.owner, new.home)
    return bool(asked) and asked <= LOCAL_NAMES and alike and ast.dump(old.node) == ast.dump(new.node)


def _go_over(certificate: Certificate, p: Prover, run: LockStep) -> None:
    """Has the certificate checked by what shares no rule with the prover."""
    checker = checker_of(certificate, p, run)
    certificate.refusal = checker.accepts()
    certificate.accepted = not certificate.refusal
    certificate.assumptions = frozenset(p.assumptions)
    certificate.axioms = tuple(dict.fromkeys(axiom for axioms in checker.acts.axioms for axiom in axioms.used))


def checker_of(certificate: Certificate, p: Prover, run: LockStep) -> Checker:
    """A checker that knows the modules, what is allowed and what was named, and nothing of how the proof was found."""
    axioms = (Axioms(p.names[0].original, p.classes[0]), Axioms(p.names[1].original, p.classes[1]))
    once = {name for name, count in p.attributes_read.items() if count <= 1}
    annotated = {name: k for name, k in p.annotated.items() if name not in p.flags or FLAGS in p.assumptions}
    acts = CheckedActs(p.arena, axioms, p.allowed, frozenset(p.assumptions), annotated, p.given, once.__contains__)
    acts.tests = run.subjects[0].node, run.subjects[1].node
    acts.trees = tuple(_trees(*p.names))
    return Checker(acts, certificate, run.subjects, run.kept, run.by_identity)


def _has_a_say(p: Prover, reason: str) -> str:
    """Which classes of the files say themselves what comparing does, where that stood in the way."""
    kinds = sorted({name for n in p.names for what in p.strange for name in having_a_say(n, what)})
    if not kinds:
        return _runs_when_read(p, reason)
    some, say = _some(kinds), "says" if len(kinds) == 1 else "say"
    taken = f", or --assume {PLAIN} takes it for a plain value" if p.strange & {CONSTANT, "hash"} else ""
    told = f"{some} {say} what comparing does, so that what is compared has to be known: annotate the parameter{taken}"
    return f"; {told}"


def _runs_when_read(p: Prover, reason: str) -> str:
    """Which classes of the files run code when an attribute is read, where that stood in the way."""
    for name in sorted(name for name in p.strange_reads if f".{name}`" in reason):
        kinds = sorted({kind for n in p.names for kind in running_code_for(n, name)})
        if kinds:
            told = f"{_some(kinds)} may run code when `{name}` is read, so that it counts how often that is"
            return f"; {told}: read it once, before the tests"
    return ""


def _some(kinds: list[str]) -> str:
    return ", ".join(kinds[:2]) + (" and others" if len(kinds) > 2 else "")


def _refused(old: Subject, new: Subject) -> str:
    """Why there is no use in trying."""
    if _header(old.node) != _header(new.node):
        return "their signatures or decorators differ"
    if apart := parameters_apart(old, new):
        return apart
    both = (spoken_in(old.node), spoken_in(new.node))
    if old.home != new.home and any(s.private for s in both):
        return "private names (`__…`) mean other things in another class"
    if old.home != new.home and any(s.asks_class for s in both):
        return "`super()` means another thing in another class"
    if any("__class__" in s.attributes for s in both) and any(s.sets_class for s in both):
        return "it changes the class of an object"
    if scope_of(old.node).is_generator != scope_of(new.node).is_generator:
        return "one of them is a generator, the other is not"
    return differs_by_description(old, new, frozenset(both[0].describing | both[1].describing))


def _prover(old: Subject, new: Subject, allowed: frozenset[str], arena: Arena) -> Prover:
    names = (old.names, new.names)
    mine, theirs = spoken_in(old.node).attributes, spoken_in(new.node).attributes
    further = [frozenset[str](), frozenset[str]()]
    if names[0].tree is not names[1].tree:
        further = [spoken_by_own(a.tree, b.tree) for a, b in (names, names[::-1])]
    here, there = (one.original for one in names)
    classes = (
        KnownClasses(here, there, frozenset(mine.keys() - theirs.keys() - further[1])),
        KnownClasses(there, here, frozenset(theirs.keys() - mine.keys() - further[0])),
    )
    annotated = annotated_kinds(old.node, *names, around=_around(old, new)) if ANNOTATIONS in allowed else {}
    flags = flags_of(old.node) & flags_of(new.node) if FLAGS in allowed else frozenset()
    annotated |= dict.fromkeys(flags, frozenset({"bool"}))
    collectors = collectors_in(old.node) & collectors_in(new.node)
    asked = asked_in(old.node) | asked_in(new.node) if QUIET in allowed else frozenset()
    steady = steady_in((old.node, new.node), _trees(*names)) if STEADY in allowed else frozenset()
    p = Prover(
        arena, names, classes, allowed, annotated, (old.node, new.node), mine | theirs, asked, steady, collectors
    )
    p.flags = flags
    p.may_change_classes = any(kin.may_change_classes for kin in classes)
    p.lives = old.names.lives_count_in(old.node) or new.names.lives_count_in(new.node)
    return p


def _around(old: Subject, new: Subject) -> frozenset[str]:
    return bound_around(old.enclosing | new.enclosing, bool(old.home or new.home), old.names, new.names)


def _trees(*names: ModuleNames) -> list[ast.Module]:
    return [tree for n in names for tree in (n.tree, *n.trees)]


def _first(p: Prover, old: Subject, new: Subject, entries: tuple[Node, Node]) -> State:
    make = p.terms.make
    store = {name: make("param", name) for name in param_names(old.node.args)}
    outside = make("outside")
    sides = (Side(0, entries[0], dict(store), outside), Side(1, entries[1], dict(store), outside))
    return State(sides, _given(p, old, new), p.terms.fresh("epoch"))


def _given(p: Prover, old: Subject, new: Subject) -> Facts:
    """A method's first parameter is an instance of its class; others are of the classes their annotations name."""
    facts, make = Facts(), p.terms.make
    if {FAMILIES, ANNOTATIONS} <= p.allowed:
        for name, kinds in annotated_classes(old.node, old.names, new.names, _around(old, new)).items():
            several = tuple(make("global", kind) for kind in kinds)
            known = several[0] if len(several) == 1 else make("tuple", *several)
            test = make("isinstance", make("param", name), known)
            p.by_annotation.add(test)
            facts.assume(test, True)
    positional = [*old.node.args.posonlyargs, *old.node.args.args]
    if FAMILIES in p.allowed and old.owner and old.owner == new.owner and positional:
        own = make("param", positional[0].arg)
        p.given = make("isinstance", own, make("global", old.owner))
        facts.assume(p.given, True)
    return facts


def _alike_in_both(old: Subject, new: Subject) -> frozenset[str]:
    """Constants both functions name equally often, and both modules make alike: they need not be unfolded; nor need
    loops over the same constants, by the dump of these."""
    mine, theirs = spoken_in(old.node).constants, spoken_in(new.node).constants
    shared = frozenset(name for name, count in mine.items() if theirs[name] == count)
    if old.names is new.names:
        return shared
    found = set()
    for name in shared:
        if not name.isidentifier():
            found.add(name)
            continue
        one, two = old.names.tables.get(name), new.names.tables.get(name)
        if one is not None and two is not None and ast.dump(one) == ast.dump(two):
            found.add(name)
    return frozenset(found)


def _header(node: FunctionNode) -> tuple[str, ...]:
    return (type(node).__name__, ast.dump(node.args), *heads_of(node), *(ast.dump(d) for d in node.decorator_list))


def _deepened() -> int:
    before = sys.getrecursionlimit()
    sys.setrecursionlimit(max(before, _RECURSION))
    return before


_recursion = Borrowed(_deepened, sys.setrecursionlimit)


def _by_identity(subject: Subject, kin: KnownClasses) -> bool:
    """Whether it asks whether two values are one object where no side is surely an object that stands by itself."""
    spoken = spoken_in(subject.node)
    local = scope_of(subject.node).local | subject.enclosing
    for n in spoken.identity:
        sides = [n.left, *n.comparators]
        for op, pair in zip(n.ops, zip(sides, n.comparators, strict=False), strict=True):
            plain = any(_stands_by_itself(e, subject, local, kin) for e in pair)
            if isinstance(op, ast.Is | ast.IsNot) and not plain:
                return True
    return spoken.takes_id


def _stands_by_itself(e: ast.expr, subject: Subject, local: AbstractSet[str], kin: KnownClasses) -> bool:
    """None, a bool, `…`, a member of an enum, a function or class of the module."""
    match e:
        case ast.Constant(value=value):
            return value is None or value is ... or isinstance(value, bool)
        case ast.Name(id=name):
            return name not in local and subject.names.kind(name) == "stable" and not subject.names.tables.get(name)
        case ast.Attribute(value=ast.Name(id=kind), attr=name):
            return kind not in local and kin.enums.member(subject.names.canonical(kind), name) is not None
    return False
