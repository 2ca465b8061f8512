"""The entry: two functions, what is assumed, and whether they are proved to do the same."""

import ast
import sys
from collections import Counter
from collections.abc import Iterator
from collections.abc import Set as AbstractSet
from contextlib import contextmanager
from functools import lru_cache

from dreck.model.ir.graph import Arena, Node
from dreck.model.ir.lowering import Unsupported, lower
from dreck.model.names.scopes import names_read, param_names, scope_of
from dreck.proof.annotations import annotated_classes, annotated_kinds
from dreck.proof.assumptions import ANNOTATIONS, FAMILIES
from dreck.proof.axioms import Axioms
from dreck.proof.certificate import Certificate
from dreck.proof.checked_acts import CheckedActs
from dreck.proof.checker import Checker
from dreck.proof.classes.known import KnownClasses
from dreck.proof.conditions import Facts
from dreck.proof.lockstep import LockStep, Parted
from dreck.proof.private import has_private
from dreck.proof.prover import Prover
from dreck.proof.state import Side, State
from dreck.proof.subject import Proof, Subject
from dreck.source.functions import FunctionNode

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
    arena = arena or Arena()
    kept = _alike_in_both(old, new)
    with _deep_recursion():
        try:
            entries = (
                lower(old.node, old.names, arena, old.enclosing, kept),
                lower(new.node, new.names, arena, new.enclosing, kept),
            )
            p = _prover(old, new, allowed, arena)
            run = LockStep(p, (old, new), budget, kept, any(_by_identity(s, kin) for s, kin in zip((old, new), p.classes, strict=True)))
            if entries[0] is entries[1]:
                p.globals |= names_read(old.node)
                return Proof(True, globals=frozenset(p.globals))
            first = _first(p, old, new, entries)
            certificate = Certificate(first.copy(), run.log, run.lemmas)
            run.explore(first)
        except Unsupported as error:
            return Proof(False, reason=str(error))
        except Parted as error:
            return Proof(False, reason=error.reason, path=error.path)
        except RecursionError:
            return Proof(False, reason="the code is nested too deep for a proof")
        if certified:
            _go_over(certificate, p, run)
            if not certificate.accepted:
                return Proof(False, reason=f"the proof was not accepted when it was gone over: {certificate.refusal}")
    return Proof(True, frozenset(p.assumptions), globals=frozenset(p.globals), certificate=certificate)


def _go_over(certificate: Certificate, p: Prover, run: LockStep) -> None:
    """Has the certificate checked by what shares no rule with the prover."""
    axioms = (Axioms(p.names[0], p.classes[0]), Axioms(p.names[1], p.classes[1]))
    once = {name for name, count in p.attributes_read.items() if count <= 1}
    acts = CheckedActs(
        p.arena, axioms, p.allowed, frozenset(p.assumptions), p.annotated, p.given, lambda name: name in once
    )
    checker = Checker(acts, certificate, run.subjects, run.kept, run.by_identity)
    certificate.refusal = checker.accepts()
    certificate.accepted = not certificate.refusal
    certificate.assumptions = frozenset(p.assumptions)
    certificate.axioms = tuple({**axioms[0].used, **axioms[1].used})


def _refused(old: Subject, new: Subject) -> str:
    """Why there is no use in trying."""
    if _header(old.node) != _header(new.node):
        return "their signatures or decorators differ"
    if old.home != new.home and (has_private(old.node) or has_private(new.node)):
        return "private names (`__…`) mean other things in another class"
    if old.home != new.home and any(_asks_its_class(s.node) for s in (old, new)):
        return "`super()` means another thing in another class"
    if "__class__" in _spoken(old.node)[1] | _spoken(new.node)[1] and any(map(_changes_class, (old.node, new.node))):
        return "it changes the class of an object"
    if scope_of(old.node).is_generator != scope_of(new.node).is_generator:
        return "one of them is a generator, the other is not"
    return ""


def _prover(old: Subject, new: Subject, allowed: frozenset[str], arena: Arena) -> Prover:
    names = (old.names, new.names)
    spoken = (_spoken(old.node)[1], _spoken(new.node)[1])
    classes = (
        KnownClasses(names[0], names[1], spoken[0] - spoken[1]),
        KnownClasses(names[1], names[0], spoken[1] - spoken[0]),
    )
    annotated = annotated_kinds(old.node, *names) if ANNOTATIONS in allowed else {}
    read = [_attributes_read(node) for node in (old.node, new.node)]
    most = {name: max(count[name] for count in read) for name in {*read[0], *read[1]}}
    return Prover(arena, names, classes, allowed, annotated, most)


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
        for name, kinds in annotated_classes(old.node, old.names, new.names).items():
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


@contextmanager
def _deep_recursion() -> Iterator[None]:
    before = sys.getrecursionlimit()
    sys.setrecursionlimit(max(before, _RECURSION))
    try:
        yield
    finally:
        sys.setrecursionlimit(before)


def _changes_class(node: FunctionNode) -> bool:
    stored = (n for n in ast.walk(node) if isinstance(n, ast.Attribute) and not isinstance(n.ctx, ast.Load))
    return any(n.attr == "__class__" for n in stored)


def _asks_its_class(node: FunctionNode) -> bool:
    return any(isinstance(n, ast.Name) and n.id in ("super", "__class__") for n in ast.walk(node))


@lru_cache(maxsize=64)
def _attributes_read(node: FunctionNode) -> Counter[str]:
    return Counter(n.attr for n in ast.walk(node) if isinstance(n, ast.Attribute))


def _by_identity(subject: Subject, kin: KnownClasses) -> bool:
    """Whether it asks whether two values are one object where no side is surely an object that stands by itself."""
    local = scope_of(subject.node).local | subject.enclosing
    for n in ast.walk(subject.node):
        match n:
            case ast.Compare(left=left, ops=ops, comparators=comparators):
                sides = [left, *comparators]
                for op, pair in zip(ops, zip(sides, comparators, strict=False), strict=True):
                    plain = any(_stands_by_itself(e, subject, local, kin) for e in pair)
                    if isinstance(op, ast.Is | ast.IsNot) and not plain:
                        return True
            case ast.Name(id="id"):
                return True
    return False


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


@lru_cache(maxsize=64)
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
