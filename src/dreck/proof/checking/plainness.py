"""Whether the files leave reading and comparing as plain as the assumptions say, for the values at hand."""

from dataclasses import dataclass

from dreck.model.ir.terms import Term
from dreck.proof.assumptions import FAMILIES
from dreck.proof.checking.axioms import Axioms
from dreck.proof.checking.overriding import overriding, reads_itself
from dreck.proof.checking.tests import CheckedTests
from dreck.proof.checking.values import names_in
from dreck.proof.state import Side, State

_VALUES = {"const", "tuple", "members", "bool", "len", "arith"}


@dataclass(slots=True)
class CheckedPlainness(CheckedTests):
    """What the classes of the files take back from the assumptions."""

    def reads_plainly(self, state: State, base: Term, name: str) -> bool:
        return all(self._reads_plainly(state, a, base, name) for a in self.axioms)

    def _reads_plainly(self, state: State, axioms: Axioms, base: Term, name: str) -> bool:
        names = axioms.names
        known = str(base.args[0]) if base.op == "global" else ""
        if known in axioms.classes.table.classes:
            kinds = axioms.skeleton[known].__mro__ if known in axioms.skeleton else ()
            nodes = [axioms.classes.table.classes[k.__name__] for k in kinds if k.__name__ in axioms.skeleton]
            if not nodes:
                return not axioms.classes.table.classes[known].keywords and not overriding(names, name)
            return all(reads_itself(node, name, names) for node in nodes)
        if known and (known in names.definitions or names.is_imported(known) or axioms.is_builtin(known)):
            return True
        return self._is_of_others(state, axioms, base, name)

    def compares_plainly(self, state: State, what: str, *values: Term) -> bool:
        for axioms in self.axioms:
            if not overriding(axioms.names, what):
                continue
            for value in values:
                plain = self.look(value) in _VALUES or bool(self.kinds(value))
                if not plain and not self._is_of_others(state, axioms, value, what):
                    return False
        return True

    def asks_plainly(self, side: Side, kinds: Term) -> bool:
        if all(self.axioms[side.which].is_class(kind) for kind in names_in(kinds)):
            return True
        return not any(overriding(axioms.names, "isinstance") for axioms in self.axioms)

    def _is_of_others(self, state: State, axioms: Axioms, value: Term, what: str) -> bool:
        """Whether a value is of classes that neither override it themselves nor above or below."""
        wilful = overriding(axioms.names, what)
        if not wilful:
            return True
        kinds = self.classes_of(state, value) if FAMILIES in self.listed else set()
        known = {**axioms.skeleton}
        for kind in kinds - known.keys():
            if kind in axioms.classes.table.classes or not axioms.is_class(kind):
                return False
        tables = axioms.classes.table.classes
        related = {
            name
            for name, made in known.items()
            for kind in kinds & known.keys()
            if issubclass(made, known[kind]) or issubclass(known[kind], made)
        }
        return bool(kinds) and not any(tables[name] in wilful for name in related)

    def classes_of(self, state: State, value: Term) -> set[str]:
        """The classes a value is known to be of, itself or by one of them alone."""
        for fact in state.facts.about.get(value, ()):
            if fact.op == "isinstance" and state.facts.known[fact] and fact.args[0] is value:
                return names_in(fact.args[1])
        return set()
