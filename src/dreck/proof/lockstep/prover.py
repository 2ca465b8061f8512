"""What a proof knows wherever it is: the two modules, what is assumed, what was used, what a value is known to be."""

from collections.abc import Iterable
from dataclasses import dataclass, field

from dreck.model.ir.graph import Arena
from dreck.model.ir.terms import Term, Terms
from dreck.model.names.modules import ModuleNames
from dreck.proof.assumptions import ANNOTATIONS, COMPARISONS, FAMILIES, FLAGS, ORDER, PLAIN
from dreck.proof.classes.known import KnownClasses
from dreck.proof.classes.say.wilful import CONSTANT
from dreck.proof.conditions import class_names, is_a_member, member_in
from dreck.proof.lockstep.sums import LINEAR, NOTHING, NUMBERS, arithmetic_kinds
from dreck.proof.solver import Solver
from dreck.proof.state import State
from dreck.source.functions import FunctionNode

SCALARS = frozenset({"int", "str", "bool", "float", "bytes", "NoneType"})
_LEAVES = frozenset({"const", "symbol", "param", "unbound", "maybe", "outside"})
_REAL = frozenset({"is", "isinstance", "issubclass", "catches", "truth", "callable", "symbol"})
"""Tests whose outcome is a real bool, whatever is compared."""
_VALUES = frozenset({"const", "valued", "tuple", "members", "bool", "len", "arith"})
_ONE_OBJECT = frozenset({"param", "symbol", "global", "gvar", "type", "cell", "free", "maybe", "outside", "valued"})


@dataclass(slots=True)
class Prover:
    """Collects the assumptions, the names and the facts that a proof uses on its way.

    `trail` is what a part of a proof has looked at: its result holds wherever the same can be seen.
    """

    arena: Arena
    names: tuple[ModuleNames, ModuleNames]
    classes: tuple[KnownClasses, KnownClasses]
    allowed: frozenset[str]
    annotated: dict[str, frozenset[str]]
    functions: tuple[FunctionNode, FunctionNode]
    attributes_read: dict[str, int] = field(default_factory=dict)
    """How often each attribute is named in the two functions, at most."""
    asked: frozenset[str] = frozenset()
    """Plain expressions that stand in tests of one of the two, where these may be taken to raise nothing."""
    steady: frozenset[str] = frozenset()
    """Attributes and items that keep their value while the functions run, where that is assumed."""
    collectors: frozenset[str] = frozenset()
    """Local lists of both that are appended to and returned, and nothing else."""
    lives: bool = False
    """Whether it may matter how long variables keep their objects: then only calls that keep nothing are followed."""
    assumptions: set[str] = field(default_factory=set)
    globals: set[str] = field(default_factory=set)
    trail: list[tuple[str, Term, object]] = field(default_factory=list)
    may_change_classes: bool = False
    given: Term | None = None  # what is taken for granted of a method's own object
    by_annotation: set[Term] = field(default_factory=set)
    """What is taken for granted because an annotation says so."""
    turned: set[Term] = field(default_factory=set)
    """Orderings asked as the opposite of their opposite (`a <= b` as not `b < a`) without knowing the types."""
    straight: set[Term] = field(default_factory=set)
    """Orderings asked as they stand."""
    strange: set[str] = field(default_factory=set)  # comparisons of which classes of the files have a say
    strange_reads: set[str] = field(default_factory=set)  # attributes of whose reading they have
    flags: frozenset[str] = frozenset()
    """Parameters that are taken to be True or False because they are by default."""
    solver: Solver = field(init=False)

    def __post_init__(self) -> None:
        self.solver = Solver(self.kinds_of)

    @property
    def terms(self) -> Terms:
        return self.arena.terms

    def note(self, *assumptions: str) -> None:
        self.assumptions.update(assumptions)

    def shape(self, term: Term) -> str:
        """The operation a value was made by; that it was looked at is remembered."""
        if term.op not in _LEAVES:
            self.trail.append(("shape", term, None))
        return term.op

    def is_one_object(self, term: Term) -> bool:
        """Whether a value is the same object wherever it stands: not worked out anew each time, as a tuple is."""
        if not is_one_object(term):
            return False
        self.trail.append(("one object", term, None))
        return True

    def kinds(self, term: Term) -> frozenset[str]:
        """The built-in types one of which `term` surely has; empty when nothing is known."""
        found = self.kinds_of(term)
        if found and term.op != "const":
            self.trail.append(("kinds", term, found))
            if term.op == "bool":
                self.note_real_bool(term)
        return found

    def kinds_of(self, term: Term) -> frozenset[str]:
        match term.op:
            case "const":
                return frozenset({str(term.args[0])})
            case "bool":
                return frozenset({"bool"})
            case "len":
                return frozenset({"int"})
            case "joined" | "formatted":
                return frozenset({"str"})
            case "param":
                found = self.annotated.get(str(term.args[0]), NOTHING)
                if found:
                    self.note(FLAGS if term.args[0] in self.flags else ANNOTATIONS)
                return found
            case "arith":
                if term.args[0] == LINEAR:
                    return frozenset({"int"})
                return arithmetic_kinds(str(term.args[0]), [self.kinds(a) for a in term.args[1:]])
        return NOTHING

    def is_scalar(self, term: Term) -> bool:
        found = self.kinds(term)
        return bool(found) and found <= SCALARS

    def note_real_bool(self, value: Term) -> None:
        """A comparison's outcome is taken to be a real bool: it is where types are known, else it is assumed."""
        test = value.args[0]
        if test.op in _REAL or all(isinstance(a, Term) and self._is_comparable(a) for a in test.args[:2]):
            return
        self.note(COMPARISONS)

    def _is_comparable(self, term: Term) -> bool:
        if term.op in ("tuple", "members"):
            return all(self._is_comparable(a) for a in term.args)
        found = self.kinds_of(term)
        return bool(found) and found <= SCALARS

    def is_something(self, which: int, value: Term) -> bool:
        """Whether a value surely is an object of its own: not None, no bool, no member of an enum."""
        if self.shape(value) in ("lambda", "method", "record", "tuple", "type"):
            return True
        return value.op == "global" and self.classes[which].is_as_written(str(value.args[0]))

    def are_total(self, left: Term, right: Term) -> bool:
        """Whether both are surely of types in which "not less" is "greater or equal": no NaN."""
        both = [self._ordered_sort(left), self._ordered_sort(right)]
        return bool(both[0]) and both[0] == both[1]

    def _ordered_sort(self, term: Term) -> str:
        found = self.kinds(term)
        if term.op == "const" and found == {"float"}:
            return "number" if term.value == term.value else ""
        if found and found <= NUMBERS:
            return "number"
        return next(iter(found)) if found in ({"str"}, {"bytes"}) else ""

    def reads_quietly(self, base: Term, name: str, state: State) -> bool:
        """Whether no class of the files makes reading the attribute of this object do more than reading."""
        if base.op == "global" and self._is_class_or_module(str(base.args[0])):
            return all(kin.reads_of_class_quietly(str(base.args[0]), name) for kin in self.classes)
        if not any(kin.taken_back().attribute(name) for kin in self.classes):
            return True
        known = self._known_classes(base, state)
        told = [kin.taken_back_of(kind) for kin in self.classes for kind in known or ()]
        quiet = known is not None and not any(taken.attribute(name) for taken in told)
        self.strange_reads |= set() if quiet else {name}
        return quiet

    def reads_items_quietly(self, *what: str) -> bool:
        """Whether nothing in the files makes reading an item (`item`), or calling `get`, do more than reading."""
        return not any(word in kin.taken_back().comparisons for kin in self.classes for word in what)

    def _is_class_or_module(self, name: str) -> bool:
        """Whether a name means no object of a class of the files: something of a library, a class, a function."""
        return not any(n.may_be_made(name) for n in self.names)

    def compares_quietly(self, what: str, state: State, *values: Term, looked_up: bool = False) -> bool:
        """Whether no class of the files makes comparing (`eq`, `in`, `truth`, `hash` …) do more than that."""
        if not any(what in kin.taken_back().comparisons for kin in self.classes):
            return True
        for value in values:
            if self.shape(value) in _VALUES or self.kinds(value):
                continue
            known = self._known_classes(value, state)
            parts = [[kin.taken_back()] if known is None else map(kin.taken_back_of, known) for kin in self.classes]
            strange = any(what in taken.comparisons for part in parts for taken in part)
            if strange and not self._is_a_plain_kind(what, values, looked_up):
                self.strange.add(what)
                return False
        return True

    def _is_a_plain_kind(self, what: str, values: tuple[Term, ...], looked_up: bool) -> bool:
        """Whether what is compared with a constant, or looked up, is taken to be of no class that has a say in that."""
        constant = what == "eq" and any(map(self._is_a_constant, values))
        if any(map(is_a_member, values)) and any(kin.members_may_say() for kin in self.classes):
            return False
        asked = looked_up or constant or what in (CONSTANT, "hash")
        taken = {PLAIN} & self.allowed if asked else ()
        self.note(*taken)
        return bool(taken)

    def _is_a_constant(self, value: Term) -> bool:
        """Whether it is one, or a name in capitals of something that only an import gives."""
        if value.op != "attr" or value.args[0].op != "global":
            return value.op in ("const", "valued")
        of, elsewhere = str(value.args[0].args[0]), zip(self.names, self.classes, strict=True)
        known = any(n.canonical(of) in kin.table.classes or not n.is_imported(of) for n, kin in elsewhere)
        return str(value.args[1]).isupper() and not known

    def _known_classes(self, value: Term, state: State) -> set[str] | None:
        """The classes one of which a value is known to be of, as far as no class elsewhere derives from them."""
        if FAMILIES not in self.allowed:
            return None
        for fact in state.facts.about.get(value, ()):
            if fact.op == "isinstance" and fact.args[0] is value and state.facts.known[fact]:
                self.trail.append(("fact", fact, True))
                self._rests_on([fact])
                self.note(FAMILIES)
                return class_names(fact.args[1])
        return None

    # --- tests -------------------------------------------------------------------------------------

    def decided(self, test: Term, state: State) -> bool | None:
        """The outcome of a test, from what is known on this path."""
        direct = state.facts.known.get(test)
        if direct is not None:
            self._rests_on([test])
            self.trail.append(("fact", test, direct))
            self.note_order(test)
            self.note_time(test, state)
            return direct
        if COMPARISONS not in self.allowed:
            return None
        typed = test.op in ("lt", "le", "eq", "in") and self.are_total(*test.args[:2])
        found = state.facts.decide(test, typed) or self._last_of_enum(test, state)
        if found is None and test.op == "isinstance":
            return self._of_its_classes(test, state)
        if found is None and ORDER in self.allowed and not typed:
            found = state.facts.decide(test, True)
            if found is not None:
                self.note(ORDER)
        if found is None:
            found = self.solver.decide(state.facts.known.items(), test)
            if found is not None:
                self._looked_through(test, *found[1])
        if found is None:
            return None
        outcome, rests_on = found
        self._rests_on(rests_on)
        self.trail += [("fact", fact, state.facts.known[fact]) for fact in rests_on]
        self._note_order_of(test, outcome, rests_on, state, typed)
        for fact in rests_on:
            self.note_time(fact, state)
        if not (test.op == "is" and all(f.op in ("is", "truth") for f in rests_on)):
            self.note(COMPARISONS)
        return outcome

    def note_time(self, term: Term, state: State) -> None:
        """What is known of a thing read outside still holds: by the assumptions under which time has not moved."""
        if any(a is state.epoch for a in term.args):
            self.note(*state.extended)

    def note_order(self, test: Term) -> None:
        """One and the same ordering was asked as it stands here, and as the opposite of its opposite there."""
        if test in self.turned and test in self.straight:
            self.note(ORDER)

    def _note_order_of(self, test: Term, outcome: bool, facts: Iterable[Term], state: State, typed: bool) -> None:
        asked_turned = test in self.turned and not outcome
        if not typed and (asked_turned or any(fact in self.turned and state.facts.known[fact] for fact in facts)):
            self.note(ORDER)

    def _rests_on(self, facts: Iterable[Term]) -> None:
        facts = list(facts)
        if not self.by_annotation.isdisjoint(facts):
            self.note(ANNOTATIONS, FAMILIES)
        if self.given is not None and self.given in facts:
            self.note(FAMILIES)

    def _of_its_classes(self, test: Term, state: State) -> bool | None:
        """Whether a value is of a class, from what is known of it and of how the classes derive from each other."""
        if FAMILIES not in self.allowed:
            return None
        subject, kinds = test.args
        asked = class_names(kinds)
        exact = self._exact_class(subject, state)
        if exact is not None:
            fact, name = exact
            outcome = self._alike([kin.hierarchy.is_below(name, asked) for kin in self.classes])
            if outcome is not None:
                self.note(FAMILIES)
                self.trail.append(("fact", fact, True))
            return outcome
        are, are_not, used = self._classes_known(subject, state)
        if not used:
            return None
        outcome = self._alike([kin.hierarchy.implied(asked, are, are_not) for kin in self.classes])
        if outcome is not None:
            self.note(FAMILIES)
            self._rests_on(used)
            self.trail += [("fact", fact, state.facts.known[fact]) for fact in used]
        return outcome

    def _alike(self, outcomes: list[bool | None]) -> bool | None:
        """What both versions of the classes say."""
        return outcomes[0] if outcomes[0] is outcomes[1] else None

    def _classes_known(self, subject: Term, state: State) -> tuple[list[set[str]], set[str], list[Term]]:
        are: list[set[str]] = []
        are_not: set[str] = set()
        ruled_out: dict[str, set[str]] = {}
        used: list[Term] = []
        for fact in state.facts.about.get(subject, ()):
            holds = state.facts.known[fact]
            member = member_in(fact)
            if member is not None:
                used.append(fact)
                if holds:
                    are.append({member.enum})
                else:
                    ruled_out.setdefault(member.enum, set()).add(member.name)
            if fact.op != "isinstance" or fact.args[0] is not subject:
                continue
            used.append(fact)
            if holds:
                are.append(class_names(fact.args[1]))
            else:
                are_not |= class_names(fact.args[1])
        for enum, names in ruled_out.items():
            every = set(self.classes[0].enums.names(enum))
            if every and names >= every:
                are_not.add(enum)
        return are, are_not, used

    def _last_of_enum(self, test: Term, state: State) -> tuple[bool, tuple[Term, ...]] | None:
        """A value of an enum that is none of the other members is the one that is left."""
        member = member_in(test)
        if member is None or FAMILIES not in self.allowed:
            return None
        subject = test.args[0] if test.args[0].op != "const" else test.args[1]
        kind = self.terms.make("isinstance", subject, self.terms.make("global", member.enum))
        if state.facts.known.get(kind) is not True:
            return None
        about = state.facts.about.get(subject, ())
        others = {
            m.name: f for f in about if (m := member_in(f)) and m.enum == member.enum and not state.facts.known[f]
        }
        every = set(self.classes[0].enums.names(member.enum))
        missing = every - others.keys() - {member.name}
        return (True, (kind, *others.values())) if every and not missing else None

    def _exact_class(self, subject: Term, state: State) -> tuple[Term, str] | None:
        """The class a value is known to be of exactly (`type(x) is C`), with the fact that says so."""
        kind = self.terms.make("type", subject)
        for fact in state.facts.about.get(kind, ()):
            if fact.op == "is" and state.facts.known[fact]:
                other = fact.args[1] if fact.args[0] is kind else fact.args[0]
                if isinstance(other, Term) and other.op == "global":
                    return fact, str(other.args[0])
        return None

    def come_out_alike(self, one: Term, other: Term, state: State) -> bool:
        """Whether two outcomes of tests of whole numbers are always the same, by what a solver says."""
        rests_on = self.solver.are_same(state.facts.known.items(), one, other)
        if rests_on is None:
            return False
        self._looked_through(one, other, *rests_on)
        self._rests_on(rests_on)
        self.trail += [("fact", fact, state.facts.known[fact]) for fact in rests_on]
        return True

    def _looked_through(self, *terms: Term) -> None:
        """What a solver was told of values: how they are made, and of what types they are."""
        for term in terms:
            self.kinds(term)
            if self.shape(term) in ("bool", "arith", "lt", "le", "eq", "in", "truth", "tuple", "members"):
                self._looked_through(*(a for a in term.args if isinstance(a, Term)))

    def resolved(self, term: Term, state: State) -> Term:
        """`term`, or the constant it is known to be on this path."""
        same = state.facts.same.get(term)
        if same is not None:
            self.trail.append(("fact", self.terms.make("is", term, same), True))
            return same
        if self.shape(term) == "bool":
            test, wanted = term.args
            outcome = self.decided(test, state)
            if outcome is None:
                return term
            self.note_real_bool(term)
            return self.terms.const(outcome is wanted)
        if term.op == "tuple":
            return self.terms.make("tuple", *(self.resolved(a, state) for a in term.args))
        return term


def is_one_object(term: Term) -> bool:
    while term.op == "part":
        term = term.args[1]
    return term.op in _ONE_OBJECT
