"""What the checker accepts of attributes: what is read of an object, and the methods and properties of its class."""

from dataclasses import dataclass

from dreck.model.ir.terms import Term
from dreck.model.narrowing import Member
from dreck.proof.assumptions import ATTRIBUTES, FAMILIES, PRIVATE, STEADY
from dreck.proof.checking.axioms import Axioms
from dreck.proof.checking.plainness import CheckedPlainness
from dreck.proof.checking.texts.nested import is_overridden
from dreck.proof.classes.members import GENERIC
from dreck.proof.state import Side, State


@dataclass(slots=True)
class CheckedAttributes(CheckedPlainness):
    """Whether an attribute is what the prover says."""

    def attribute(self, state: State, side: Side, base: Term, name: str, value: Term) -> bool:
        axioms = self.axioms[side.which]
        if value is self.make("attr", base, name, state.epoch):
            return (ATTRIBUTES in self.listed or not self.again) and value in state.done
        if value is self.make("attr", base, name):
            return (STEADY in self.listed or not self.again) and value in state.lasting and self.is_steady(name)
        if self.look(base) == "record":
            names = [n for n, _ in axioms.fields(str(base.args[0])) or ()]
            if name in names:
                return value is base.args[1 + names.index(name)]
        if FAMILIES not in self.allowed:
            return False
        if value.op == "const" and isinstance(value.value, Member):
            there = all(a.member(value.value.enum, name) for a in self.axioms)
            return base is self.make("global", value.value.enum) and value.value.name == name and there
        if value.op == "valued":
            kind, named = value.args
            there = all(a.valued(str(kind), name) for a in self.axioms)
            return base is self.make("global", kind) and named == name and there
        if value.op == "const":
            kinds = {str(base.args[0])} if base.op in ("global", "record") else self.classes_of(state, base)
            return bool(kinds) and all(axioms.constant(kind, name, value.value) for kind in sorted(kinds))
        if value.op == "method":
            holder, named, form, on = value.args
            if form == GENERIC:
                return named == name and on is base and self.is_own(base) and self._is_generic(axioms, holder, name)
            return named == name and on is base and self.has_method(state, side, base, holder, name, form)
        return False

    def has_method(self, state: State, side: Side, base: Term, holder: str, name: str, form: str) -> bool:
        """Whether an object surely has the method or property of `holder`: in its own class, and in all below it."""
        axioms = self.axioms[side.which]
        if self.is_own(base) and form == "method" and axioms.private_method(holder, name, self.trusts_private()):
            return str(self.given.args[1].args[0]) == holder  # type: ignore[union-attr]
        if axioms.method(holder, name, form) is None or axioms.is_replaced(name, self.trusts_private()):
            return False
        if base.op in ("global", "record"):
            return axioms.holds(str(base.args[0]), name, holder) is not None
        known = [k for k in axioms.skeleton if self._is_of(state, base, k, True)]
        mine = [k for k in known if axioms.holds(k, name, holder) is not None]
        return any(self._all_hold(state, side, base, kind, name, holder) for kind in mine)

    def _is_generic(self, axioms: Axioms, holder: str, name: str) -> bool:
        """Whether all objects of the class, and of those below it, have that one generic method under the name."""
        own = str(self.given.args[1].args[0])  # type: ignore[union-attr]
        made = axioms.skeleton
        sole = axioms.private_method(own, name, self.trusts_private(), "singledispatchmethod")
        if own == holder and sole is not None:
            return axioms.registers(holder, name, sole)
        if {own, holder} - made.keys() or axioms.is_replaced(name, False):
            return False
        unseen = [k for k in axioms.classes.table.below(own) if k not in made and axioms.has_own(k, name)]
        found = {axioms.holds(k, name, holder) for k, kind in made.items() if issubclass(kind, made[own])}
        one = found.pop() if len(found) == 1 else None
        if is_overridden(axioms.names, own, name):
            return False
        return one is not None and not unseen and axioms.registers(holder, name, one)

    def _all_hold(self, state: State, side: Side, base: Term, kind: str, name: str, holder: str) -> bool:
        """Whether all classes of the files below one, of which an object may be, have the same as it under a name."""
        axioms = self.axioms[side.which]
        below = [k for k, made in axioms.skeleton.items() if issubclass(made, axioms.skeleton[kind])]
        table = axioms.classes.table
        unseen = [k for k in table.below(kind) if k not in axioms.skeleton and axioms.has_own(k, name)]
        if is_overridden(axioms.names, kind, name):
            return False
        others = [k for k in below if axioms.holds(k, name, holder) is None]
        return all(self._is_of(state, base, k, False) for k in [*unseen, *others])

    def _is_of(self, state: State, base: Term, kind: str, outcome: bool) -> bool:
        return self.entails(state, self.make("isinstance", base, self.make("global", kind)), outcome)

    def holds_name(self, side: Side, base: Term, name: str) -> bool:
        axioms = self.axioms[side.which]
        if self.look(base) == "global":
            kind = str(base.args[0])
        elif self.is_own(base):
            kind = str(self.given.args[1].args[0])  # type: ignore[union-attr]
        else:
            return False
        if axioms.is_enum(kind):
            return axioms.member(kind, name)
        if not any(axioms.holds(kind, name, holder) is not None for holder in axioms.skeleton):
            return axioms.private_method(kind, name, self.trusts_private()) is not None
        if self.is_own(base) and not self._all_have(axioms, kind, name):
            return False
        return not axioms.is_replaced(name, self.trusts_private())

    def _all_have(self, axioms: Axioms, kind: str, name: str) -> bool:
        """Whether no class below one takes a name away from its objects: by a slot, which is empty until it is set."""
        if kind not in axioms.skeleton or is_overridden(axioms.names, kind, name):
            return False
        below = [made for made in axioms.skeleton.values() if issubclass(made, axioms.skeleton[kind])]
        unseen = (k for k in axioms.classes.table.below(kind) if k not in axioms.skeleton)
        return not any(axioms.is_a_slot(made, name) for made in below) and not any(
            axioms.has_own(k, name) for k in unseen
        )

    def lacks(self, side: Side, base: Term, name: str) -> bool:
        """Whether a class of the files has nothing under a name, as far as its statement and those above it tell."""
        axioms = self.axioms[side.which]
        made = axioms.skeleton.get(str(base.args[0])) if self.look(base) == "global" else None
        return made is not None and axioms.is_all_seen(made) and not hasattr(made, name) and not axioms.is_set(name)

    def is_own(self, base: Term) -> bool:
        return self.given is not None and base is self.given.args[0]

    def trusts_private(self) -> bool:
        return PRIVATE in self.listed or not self.again
