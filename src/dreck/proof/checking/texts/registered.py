"""What the checker accepts of generic functions and methods: that a call runs what is registered for its argument."""

from dataclasses import dataclass
from itertools import combinations

from dreck.model.ir.operations import Op
from dreck.model.ir.terms import Term
from dreck.proof.checking.attributes import CheckedAttributes
from dreck.proof.checking.texts.nested import says
from dreck.proof.classes.members import GENERIC
from dreck.proof.classes.registries import NONE
from dreck.proof.state import Side, State


@dataclass(slots=True)
class CheckedRegistries(CheckedAttributes):
    """Whether a function is the one that a generic function or method chooses."""

    def is_chosen(self, state: State, side: Side, vals: tuple[Term, ...], told: Term) -> bool:
        """Whether `told` (a call, or what comes to it later) is that of the generic one among `vals`, handed the same.

        What is called is registered for the class of the first argument: it is of that one, and of none before it.
        """
        if side.node.op is not Op.CALL or told.args[1].op != "registered" or side.node.payload[0][:1] != ("",):
            return False
        function, *given = vals
        positional, keywords = side.node.payload
        name, chosen = told.args[1].args
        shape = side.node.payload
        if function.op == "method" and function.args[2] == GENERIC:
            right = name == f"{function.args[0]}:{function.args[1]}"
            given, shape = [function.args[3], *given], (("", *positional), keywords)
        else:
            right = function.op == "global" and name == function.args[0]
        if not right or told.args[0] != shape or told.args[2:] != tuple(given):
            return False
        return self._is_registered(state, side, str(name), str(chosen), vals[1])

    def _is_registered(self, state: State, side: Side, name: str, chosen: str, subject: Term) -> bool:
        axioms = self.axioms[side.which]
        registry = axioms.classes.registry(name)
        if registry is None or chosen not in registry.functions or says(axioms.names.others, name.rpartition(":")[2]):
            return False
        pairs = combinations((kind for kind in registry.kinds if kind != NONE), 2)
        if any(axioms.outcome({a}, [{b}], set()) is None is axioms.outcome({b}, [{a}], set()) for a, b in pairs):
            return False  # something may be of both classes: then their order in it decides
        for kind in registry.kinds:
            if not self._is_of_kind(state, side, subject, kind, kind == chosen):
                return False
            if kind == chosen:
                return True
        return chosen == ""

    def _is_of_kind(self, state: State, side: Side, subject: Term, kind: str, wanted: bool) -> bool:
        """Whether the argument surely is, or surely is not, of a class; of that of None, whether it is None itself."""
        if kind != NONE:
            return self.entails(state, self.make("isinstance", subject, self.make("global", kind)), wanted)
        if not self.axioms[side.which].is_builtin("type"):
            return False
        if subject.op == "const":
            return (subject.value is None) is wanted
        return self.entails(state, self.make("is", subject, self.arena.terms.const(None)), wanted)
