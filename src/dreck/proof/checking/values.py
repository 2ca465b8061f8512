"""What the checker knows of a value: the types it may have, whether it is one object."""

from collections.abc import Callable
from dataclasses import dataclass, field

from dreck.model.ir.graph import Arena
from dreck.model.ir.terms import Term
from dreck.proof.checking.axioms import Axioms
from dreck.proof.solver import Solver

_SCALAR = {"int", "str", "bool", "float", "bytes", "NoneType"}
WHOLE = {"int", "bool"}
_OBJECTS = {"param", "symbol", "global", "gvar", "type", "cell", "free", "maybe", "outside"}


@dataclass(slots=True)
class CheckedValues:
    """What is shared by all that the checker accepts of single acts."""

    arena: Arena
    axioms: tuple[Axioms, Axioms]
    allowed: frozenset[str]
    listed: frozenset[str]
    annotated: dict[str, frozenset[str]]
    given: Term | None
    read_once: Callable[[str], bool]
    looked: set[Term] = field(default_factory=set)
    """Values whose making was looked at: what is accepted because of it holds for such values only."""
    solver: Solver = field(init=False)
    again: bool = True
    """Whether what is read was read before, and is taken to be the same still."""

    def __post_init__(self) -> None:
        self.solver = Solver(self.kinds)

    def make(self, op: str, *args: object) -> Term:
        return self.arena.terms.make(op, *args)

    def look(self, term: Term) -> str:
        self.looked.add(term)
        return term.op

    # --- what a value is ---------------------------------------------------------------------------

    def kinds(self, term: Term) -> set[str]:
        """The built-in types one of which a value surely has; empty when nothing is known."""
        found = self._kinds(term)
        if found:
            self.look(term)
        return found

    def _kinds(self, term: Term) -> set[str]:
        match term.op:
            case "const":
                return {str(term.args[0])}
            case "bool":
                return {"bool"}
            case "len":
                return {"int"}
            case "joined" | "formatted":
                return {"str"}
            case "param":
                return set(self.annotated.get(str(term.args[0]), ()))
            case "arith":
                return self._arithmetic_kinds(term)
        return set()

    def _arithmetic_kinds(self, term: Term) -> set[str]:
        operator_, *parts = term.args
        if operator_ == "Linear":
            return {"int"}
        kinds = [self.kinds(part) for part in parts]
        if any(not k for k in kinds):
            return set()
        every = set().union(*kinds)
        if every <= WHOLE and operator_ != "Div":
            return {"int"}
        if every == {"str"}:
            return {"str"}
        return {"float"} if operator_ == "Div" or {"float"} in kinds else {"int", "float"}

    def is_scalar(self, term: Term) -> bool:
        found = self.kinds(term)
        return bool(found) and found <= _SCALAR

    def are_total(self, left: Term, right: Term) -> bool:
        sorts = []
        for term in (left, right):
            found = self.kinds(term)
            if term.op == "const" and isinstance(term.value, float) and term.value == term.value:
                found = {"int"}
            sorts.append("number" if found and found <= WHOLE else found.pop() if found in ({"str"}, {"bytes"}) else "")
        return bool(sorts[0]) and sorts[0] == sorts[1]

    def is_object(self, term: Term) -> bool:
        self.look(term)
        while term.op == "part":
            term = term.args[1]
        return term.op in _OBJECTS


def is_constant(value: Term) -> bool:
    """Whether a value stands for one place among items."""
    return value.op == "const" and str(value.args[0]) not in ("float", "complex", "ellipsis")


def names_in(kinds: Term) -> set[str]:
    return {str(k.args[0]) for k in (kinds.args if kinds.op == "tuple" else (kinds,))}
