"""Acts: what one node does to a symbolic state, and which of it the other side must do as well.

A node either just moves values (and the side goes on), or blocks: at an event to be met by the other side,
at a test nothing is known of, at a loop's head, at an exit.
"""

import ast
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any, Protocol

from dreck.model.ir.graph import Arena, Node
from dreck.model.ir.terms import Term, Terms
from dreck.model.names.scopes import ModuleNames, names_read, param_names, scope_of
from dreck.proof.classes.hierarchy import Found, Kin, Member
from dreck.proof.conditions import Facts
from dreck.proof.sums import LINEAR, whole_number
from dreck.source.functions import FunctionNode

ATTRIBUTES, COMPARISONS = "plain-attributes", "plain-comparisons"
ORDER, ANNOTATIONS, HASHABLE = "total-order", "annotations-hold", "hashable-key"
FAMILIES = "closed-families"
FACTORY = "made-by-factory"
ASSUMPTIONS = (ANNOTATIONS, ATTRIBUTES, COMPARISONS, FAMILIES, ORDER, HASHABLE, FACTORY)
DEFAULT_ASSUMPTIONS = frozenset({ANNOTATIONS, ATTRIBUTES, COMPARISONS, FAMILIES})

_SCALARS = frozenset({"int", "str", "bool", "float", "bytes", "NoneType"})
_NUMBERS = frozenset({"int", "bool"})
_NO_EFFECT_CALLS = frozenset({"isinstance", "issubclass", "len", "callable", "type", "bool"})
_SAFE_ARITHMETIC = frozenset({"Add", "Sub", "Mult"})


class State(Protocol):
    """The part of a proof's state that acts read and change."""

    facts: Facts
    done: set[Term]
    lasting: set[Term]
    epoch: Term


@dataclass(frozen=True, slots=True)
class Frame:
    """Where a followed helper returns to."""

    call: Node
    store: dict[str, Term]


@dataclass(slots=True)
class Side:
    """One of the two functions, somewhere on its way: the node it is at and what its registers hold."""

    which: int
    node: Node
    store: dict[str, Term]
    frames: tuple[Frame, ...] = ()
    came_from: Node | None = None

    def copy(self) -> "Side":
        return Side(self.which, self.node, dict(self.store), self.frames, self.came_from)

    def enter(self, entry: Node, arguments: dict[str, Term]) -> None:
        self.frames = (*self.frames, Frame(self.node, self.store))
        self.node, self.store = entry, arguments

    def raising_to(self, throw: Node) -> Node:
        """Where an exception raised here arrives, helpers being left on the way."""
        target = self.node.exc or throw
        for frame in reversed(self.frames):
            if target is not throw:
                break
            target = frame.call.exc or throw
        return target


@dataclass(frozen=True, slots=True)
class Block:
    """Why a side does not go on by itself.

    For an event, `key` says what is done with which values, `result` what comes of it if that is known
    beforehand; `harmless` names the assumption under which it may be done by one side alone.
    """

    kind: str
    key: Term | None = None
    result: Term | None = None
    value: Term | None = None
    harmless: str = ""
    pure: bool = False
    moves_time: bool = False
    ends: bool = False
    stays: bool = False
    written: Term | None = None
    source: ast.AST | None = None
    wanted: bool = True
    """For a branch: whether `key` being true makes the `source` true."""

    def told(self) -> str:
        match self.kind:
            case "return":
                return "returns"
            case "throw":
                return "raises"
            case "head":
                return "is at the head of a loop"
            case "branch":
                return "is at a test"
        code = ""
        if self.source is not None:
            try:
                code = ast.unparse(self.source).splitlines()[0][:70]
            except Exception:
                code = ""
        return f"comes to `{code}`" if code else f"comes to an act ({self.key.op if self.key else '?'})"


@dataclass(frozen=True, slots=True)
class Callee:
    """A helper of the same file with the values its parameters get."""

    node: FunctionNode
    arguments: dict[str, Term]
    home: str = ""
    """The class it stands in."""


class Acts:
    """What nodes do. Collects the assumptions and the facts used on the way."""

    def __init__(
        self,
        arena: Arena,
        names: tuple[ModuleNames, ModuleNames],
        allowed: frozenset[str],
        annotated: dict[str, str],
        spoken: tuple[frozenset[str], frozenset[str]] = (frozenset(), frozenset()),
    ) -> None:
        """`spoken` are the attributes that each of the two functions names."""
        self.arena = arena
        self.terms = arena.terms
        self.names = names
        old, new = spoken
        self.kin = (Kin(names[0], names[1], old - new), Kin(names[1], names[0], new - old))
        self.allowed = allowed
        self.annotated = annotated if ANNOTATIONS in allowed else {}
        self.assumptions: set[str] = set()
        self.globals: set[str] = set()
        self.given: Term | None = None
        """What is taken for granted of a method's own object."""
        self.by_annotation: set[Term] = set()
        """What is taken for granted because an annotation says so."""
        self.trail: list[tuple[str, Term, bool]] = []
        self._none = self.terms.const(None)
        self._true = self.terms.const(True)
        self._false = self.terms.const(False)

    # --- stepping ----------------------------------------------------------------------------------

    def step(self, side: Side, state: State) -> Block | None:
        """Carries out the node `side` is at; None when it went on, else why it did not."""
        node = side.node
        match node.op:
            case "move":
                side.store[str(node.dest)] = self._value(side, node.operands[0])
                side.node = node.succs[0]
                return None
            case "bound":
                return self._bound(side, node, state)
            case "branch":
                return self._branch(side, node, state)
            case "head":
                return Block("head", source=node.source)
            case "return":
                return self._return(side)
            case "throw":
                return self._throw(side)
            case "pure" | "part":
                return self._free(side, self._structure(node, side))
            case "compare":
                return self._compare(side, node, state)
            case "call":
                return self._call(side, node, state)
            case "attr":
                return self._attribute(side, node, state)
            case "global":
                return self._global(side, node, state)
            case "free" | "cell":
                return self._observe(side, state, self._timed(state, node.op, node.payload), ATTRIBUTES)
            case "bin" | "iop" | "unary" | "format":
                return self._arithmetic(side, node, state)
            case "catches":
                error, kind = (self._value(side, o) for o in node.operands)
                test = self.terms.make("catches", error, kind)
                return self._observe(side, state, test, "", self.terms.make("bool", test, True))
            case "unpack":
                return self._unpack(side, node)
            case "apart":
                return self._members_apart(side, node)
            case "hashed":
                return self._hashed(side, node, state)
        return self._event(side, node)

    def _value(self, side: Side, operand: "str | Term") -> Term:
        if isinstance(operand, Term):
            return operand
        return side.store.get(operand, self.arena.unbound)

    def _free(self, side: Side, value: Term) -> Block | None:
        side.store[str(side.node.dest)] = value
        side.node = side.node.succs[0]
        return None

    def _event(self, side: Side, node: Node) -> Block:
        values = [self._value(side, o) for o in node.operands]
        key = self.terms.make(node.op, node.payload, *values)
        if node.op == "opaque" and node.source is not None:
            self.globals |= names_read(node.source)
        still = node.op == "new" or (node.op == "opaque" and node.payload.startswith(("Lambda", "FunctionDef")))
        return Block("event", key, moves_time=not still, ends=node.op in ("next", "anext"), source=node.source)

    def _timed(self, state: State, op: str, *args: Any) -> Term:
        return self.terms.make(op, *args, state.epoch)

    def _observe(
        self, side: Side, state: State, key: Term, assumption: str, result: Term | None = None, alone: bool = False
    ) -> Block | None:
        """An act without effect that may raise: the second time in an epoch nothing new can happen."""
        result = result or key
        if assumption and assumption not in self.allowed:
            return Block("event", key, result, moves_time=True, source=side.node.source)
        if key in state.done or key in state.lasting:
            self.trail.append(("done", key, True))
            if assumption:
                self.assumptions.add(assumption)
            return self._free(side, result)
        harmless = assumption if alone else ""
        return Block("event", key, result, harmless=harmless, pure=True, source=side.node.source)

    # --- names -------------------------------------------------------------------------------------

    def _bound(self, side: Side, node: Node, state: State) -> Block | None:
        value = self._value(side, node.operands[0])
        if value is self.arena.unbound:
            self.throw(side, self.terms.make("unbound local", node.payload))
            return None
        if value.op == "maybe":
            key = self.terms.make("bound?", value)
            if key not in state.lasting:
                return Block("event", key, key, pure=True, source=node.source)
            self.trail.append(("done", key, True))
        side.node = node.succs[0]
        return None

    def _global(self, side: Side, node: Node, state: State) -> Block | None:
        kind, name = node.payload
        self.globals.add(name)
        match kind:
            case "stable":
                return self._free(side, self.terms.make("global", name))
            case "varying":
                return self._free(side, self._timed(state, "gvar", name))
        return self._observe(side, state, self._timed(state, "gvar", name), ATTRIBUTES)

    def _builtin(self, side: Side, function: Term) -> str:
        if function.op != "global":
            return ""
        name = str(function.args[0])
        return name if self.names[side.which].is_builtin(name) else ""

    # --- attributes --------------------------------------------------------------------------------

    def _attribute(self, side: Side, node: Node, state: State) -> Block | None:
        base, name = self._value(side, node.operands[0]), str(node.payload)
        looked_into = self._looked_into(side, node, base, name, state)
        if looked_into is not NotImplemented:
            return looked_into  # type: ignore[no-any-return]
        constant = (base.op == "global" and name[:1].isupper()) or self._own_method(side, base, name) is not None
        return self._observe(side, state, self._timed(state, "attr", base, name), ATTRIBUTES, alone=constant)

    def _looked_into(self, side: Side, node: Node, base: Term, name: str, state: State) -> Any:
        """What only one version knows under that name: a field, a method, a constant of a class."""
        kin = self.kin[side.which]
        if base.op == "record":
            return self._of_record(side, node, base, name)
        if FAMILIES not in self.allowed:
            return NotImplemented
        if base.op == "global":
            return self._of_class(side, node, str(base.args[0]), name)
        if not kin.is_own_attribute(name):
            return NotImplemented
        for kind in kin.holders(name):
            test = self.terms.make("isinstance", base, self.terms.make("global", kind))
            outcome = self.decided(test, state)
            if outcome is None:
                return Block("branch", test, source=node.source)
            if outcome:
                self.assumptions.add(FAMILIES)
                found = kin.found(kind, name)
                assert found is not None
                return self._of_instance(side, node, found, name, base)
        return NotImplemented

    def _own_method(self, side: Side, base: Term, name: str) -> Found | None:
        """A method of the object whose method this is, if no class of the module overrides it."""
        if self.given is None or base is not self.given.args[0]:
            return None
        kin, owner = self.kin[side.which], str(self.given.args[1].args[0])
        if owner not in kin.classes or kin.is_stored(name):
            return None
        found = kin.found(owner, name)
        below = [kin.found(kind, name) for kind in kin.below(owner)]
        return found if found is not None and found.form == "method" and all(f == found for f in below) else None

    def _of_record(self, side: Side, node: Node, record: Term, name: str) -> Any:
        kin, kind = self.kin[side.which], str(record.args[0])
        names = [field_name for field_name, _ in kin.fields(kind) or ()]
        if name in names:
            self.trail.append(("struct", record, True))
            return self._free(side, record.args[1 + names.index(name)])
        found = kin.found(kind, name)
        return NotImplemented if found is None else self._of_instance(side, node, found, name, record)

    def _of_class(self, side: Side, node: Node, kind: str, name: str) -> Any:
        """A member of an enum, or what a class of one version alone has under a name."""
        kin = self.kin[side.which]
        member = kin.member(kind, name)
        if member is not None:
            return self._free(side, self.terms.const(member))
        if not kin.is_own(kind) or kind not in kin.classes:
            return NotImplemented
        found = kin.found(kind, name)
        if found is None or found.form not in ("static", "class", "constant"):
            return NotImplemented
        return self._of_instance(side, node, found, name, self.terms.make("global", kind))

    def _of_instance(self, side: Side, node: Node, found: Found, name: str, base: Term) -> Any:
        match found.form, found.value:
            case "constant", ast.Constant(value=value):
                return self._free(side, self.terms.const(value))
            case "constant", _:
                return NotImplemented
            case "property", _:
                key = self.terms.make("property", found.holder, name, base)
                return Block("event", key, moves_time=True, source=node.source)
            case "class", _ if base.op != "global":
                return NotImplemented
        return self._free(side, self.terms.make("method", found.holder, name, found.form, base))

    # --- structure ---------------------------------------------------------------------------------

    def _structure(self, node: Node, side: Side) -> Term:
        values = [self._value(side, o) for o in node.operands]
        if node.op == "part":
            whole = values[0]
            if whole.op == "tuple" and isinstance(node.payload, int):
                self.trail.append(("struct", whole, True))
                return whole.args[node.payload]  # type: ignore[no-any-return]
            term = self.terms.make("part", node.payload, whole)
        else:
            term = self.terms.make(node.payload, *values)
        self.trail.append(("struct", term, True))
        return term

    def _unpack(self, side: Side, node: Node) -> Block | None:
        value = self._as_tuple(side, self._value(side, node.operands[0]))
        size, star = node.payload
        if value.op == "tuple" and star is None and len(value.args) == size:
            self.trail.append(("struct", value, True))
            return self._free(side, value)
        return self._event(side, node)

    def _as_tuple(self, side: Side, value: Term) -> Term:
        """A row that is a named tuple, as the tuple it is."""
        if value.op != "record" or not self.kin[side.which].is_tuple(str(value.args[0])):
            return value
        return self.terms.make("tuple", *value.args[1:])

    def _members_apart(self, side: Side, node: Node) -> Block | None:
        """Keys of a table that are members of one class: they are taken to differ, unless that can be seen."""
        kin = self.kin[side.which]
        owner = self.names[side.which].canonical(str(node.payload))
        if owner not in kin.classes:
            if FAMILIES not in self.allowed:
                return self._event(side, node)
            self.assumptions.add(FAMILIES)
        elif not kin.has_distinct_members(owner):
            return self._event(side, node)
        side.node = node.succs[0]
        return None

    def _hashed(self, side: Side, node: Node, state: State) -> Block | None:
        """A key of a table: what cannot be hashed raises there, and was merely compared where no table was."""
        value = self._value(side, node.operands[0])
        key = self.terms.make("hash", value)
        if value.op in ("type", "global", "const") or self.kind(value) in _SCALARS or key in state.lasting:
            self.trail.append(("done", key, True) if key in state.lasting else ("struct", value, True))
            side.node = node.succs[0]
            return None
        return Block("event", key, harmless=HASHABLE, pure=True, source=node.source)

    def kind(self, term: Term) -> str:
        """The name of the built-in type `term` surely has, or ''."""
        match term.op:
            case "const":
                return str(term.args[0])
            case "bool":
                found = "bool"
            case "len":
                found = "int"
            case "joined" | "formatted":
                found = "str"
            case "param":
                found = self.annotated.get(str(term.args[0]), "")
                if found:
                    self.assumptions.add(ANNOTATIONS)
            case "arith":
                parts = [] if term.args[0] == LINEAR else [self.kind(a) for a in term.args[1:]]
                found = "int" if term.args[0] == LINEAR else _arithmetic_kind(term.args[0], parts)
            case _:
                return ""
        if found:
            self.trail.append(("struct", term, True))
        return found

    def _total(self, left: Term, right: Term) -> bool:
        kinds = {self.kind(left), self.kind(right)}
        if "float" in kinds:
            consts = [t for t in (left, right) if t.op == "const" and self.kind(t) == "float"]
            if len(consts) != 1 or consts[0].value != consts[0].value:
                return False
            kinds.discard("float")
        return kinds <= _NUMBERS or kinds == {"str"} or kinds == {"bytes"}

    # --- tests -------------------------------------------------------------------------------------

    def _compare(self, side: Side, node: Node, state: State) -> Block | None:
        left, right = (self._value(side, o) for o in node.operands)
        op = str(node.payload)
        if left.op == right.op == "const" and not op.startswith("Is"):
            folded = _fold(op, left.value, right.value)
            if folded is not None:
                return self._free(side, self.terms.const(folded))
        match op:
            case "Is" | "IsNot":
                return self._identity(side, left, right, op == "Is")
            case "In" | "NotIn":
                return self._membership(side, state, left, right, op == "In")
            case "Eq" | "NotEq":
                return self._equality(side, state, left, right, op == "Eq")
        return self._ordering(side, state, op, left, right)

    def _is_function(self, side: Side, value: Term) -> bool:
        return value.op == "global" and isinstance(
            self.names[side.which].definitions.get(value.args[0]), ast.FunctionDef | ast.AsyncFunctionDef
        )

    def _identity(self, side: Side, left: Term, right: Term, wanted: bool) -> Block | None:
        if left.op == "const" and right.op != "const":
            left, right = right, left
        if left is right:
            return self._free(side, self._true if wanted else self._false)
        if right.op == "const":
            kind = self.kind(left)
            if kind and kind != self.kind(right) and (left.op == "const" or right is self._none):
                return self._free(side, self._false if wanted else self._true)
            if right.op == "const" and self._is_something(side, left):
                return self._free(side, self._false if wanted else self._true)
        elif left.number > right.number:
            left, right = right, left
        return self._free(side, self.terms.make("bool", self.terms.make("is", left, right), wanted))

    def _is_something(self, side: Side, value: Term) -> bool:
        """A function or a class of the module, surely not None, and true."""
        if value.op in ("lambda", "method", "record"):
            return True
        return value.op == "global" and value.args[0] in self.names[side.which].definitions

    def _equality(self, side: Side, state: State, left: Term, right: Term, wanted: bool) -> Block | None:
        if {left.op, right.op} == {"type", "global"}:
            return self._identity(side, left, right, wanted)
        written = self.terms.make("eq" if wanted else "ne", left, right)
        if left.op == "const" or (right.op != "const" and left.number > right.number):
            left, right = right, left
        kinds = (self.kind(left), self.kind(right))
        known = kinds[0] in _SCALARS and kinds[1] in _SCALARS
        lasting = known or (right.op == "const" and COMPARISONS in self.allowed)
        test = self.terms.make("eq", left, right) if lasting else self._timed(state, "eq", left, right)
        return self._tested(side, state, test, wanted, known, COMPARISONS, written)

    def _ordering(self, side: Side, state: State, op: str, left: Term, right: Term) -> Block | None:
        written = self.terms.make(op, left, right)
        typed = self._total(left, right)
        wanted = True
        if op in ("Gt", "GtE"):
            left, right, op = right, left, {"Gt": "Lt", "GtE": "LtE"}[op]
        if op == "LtE" and (typed or ORDER in self.allowed):
            left, right, op, wanted = right, left, "Lt", False
        lasting = typed or (COMPARISONS in self.allowed and "const" in (left.op, right.op))
        name = "lt" if op == "Lt" else "le"
        test = self.terms.make(name, left, right) if lasting else self._timed(state, name, left, right)
        alone = COMPARISONS if self._compared_alike(state, left, right) else ""
        return self._tested(side, state, test, wanted, typed, alone, written)

    def _compared_alike(self, state: State, left: Term, right: Term) -> bool:
        """Whether the same value has been ordered against a constant of this sort before, which did not raise."""
        subject, constant = (left, right) if right.op == "const" else (right, left)
        if constant.op != "const" or subject.op == "const":
            return False
        for fact in state.facts.about.get(subject, ()):
            if fact.op in ("lt", "le") and any(_same_sort(other, constant) for other in fact.args[:2]):
                self.trail.append(("fact", fact, state.facts.known[fact]))
                return True
        return False

    def _membership(self, side: Side, state: State, left: Term, right: Term, wanted: bool) -> Block | None:
        written = self.terms.make("in" if wanted else "not in", left, right)
        scalars = right.op in ("tuple", "members") and all(a.op == "const" for a in right.args)
        known = scalars and self.kind(left) in _SCALARS
        assumption = ""
        if scalars:
            assumption = COMPARISONS if right.op == "tuple" else HASHABLE
        lasting = known or (scalars and COMPARISONS in self.allowed)
        test = self.terms.make("in", left, right) if lasting else self._timed(state, "in", left, right)
        return self._tested(side, state, test, wanted, known, assumption, written)

    def _tested(
        self, side: Side, state: State, test: Term, wanted: bool, known: bool, alone: str, written: Term
    ) -> Block | None:
        """A comparison: nothing at all for known types, else an event that happens once."""
        result = self.terms.make("bool", test, wanted)
        if known:
            return self._free(side, result)
        again = test in state.done or test in state.lasting
        if again and COMPARISONS in self.allowed:
            self.trail.append(("done", test, True))
            self.assumptions.add(COMPARISONS)
            return self._free(side, result)
        plain = COMPARISONS in self.allowed
        return Block(
            "event",
            test,
            result,
            harmless=alone if plain else "",
            pure=plain,
            moves_time=not plain,
            written=written,
            source=side.node.source,
        )

    def note_spelling(self, old: Block, new: Block) -> None:
        """Both sides make the same comparison, spelt otherwise (`==` and `not !=`): that rests on an assumption."""
        self.assumptions.add(COMPARISONS)
        if old.written is None or new.written is None:
            return
        strict = {"Lt", "Gt"}
        if (old.written.op in strict) != (new.written.op in strict) and old.written.op not in ("eq", "ne"):
            self.assumptions.add(ORDER)

    def _branch(self, side: Side, node: Node, state: State) -> Block | None:
        value = self._value(side, node.operands[0])
        if value.op == "const":
            return self._go(side, bool(value.value))
        if value.op == "bool":
            self.trail.append(("struct", value, True))
            test, wanted = value.args
            outcome = self.decided(test, state)
            if outcome is not None:
                return self._go(side, outcome is wanted)
            return Block("branch", test, source=node.source, wanted=wanted)
        if value.op == "tuple":
            self.trail.append(("struct", value, True))
            return self._go(side, bool(value.args))
        if value.op in ("lambda", "method") or self._is_function(side, value):
            self.trail.append(("struct", value, True))
            return self._go(side, True)
        return self._truth(side, node, state, value)

    def _truth(self, side: Side, node: Node, state: State, value: Term) -> Block | None:
        known = self.kind(value) in _SCALARS
        test = self.terms.make("truth", value) if known else self._timed(state, "truth", value)
        outcome = self.decided(test, state)
        if outcome is not None and (known or value in state.facts.same or test in state.done):
            if not known and test in state.done:
                self.trail.append(("done", test, True))
                self._note_repeat(side, node)
            return self._go(side, outcome)
        if known:
            return Block("branch", test, source=node.source)
        if test not in state.done:
            return Block("event", test, test, pure=True, stays=True, source=node.source)
        self.trail.append(("done", test, True))
        return Block("branch", test, source=node.source)

    def _note_repeat(self, side: Side, node: Node) -> None:
        """A truth asked before is asked again; the first answer to a test just made is no repetition."""
        if side.came_from is not node:
            self.assumptions.add(COMPARISONS)

    def _go(self, side: Side, outcome: bool) -> Block | None:
        side.node = side.node.succs[0 if outcome else 1]
        return None

    def decided(self, test: Term, state: State) -> bool | None:
        """The outcome of a test, from what is known on this path."""
        direct = state.facts.known.get(test)
        if direct is not None and test is self.given:
            self.assumptions.add(FAMILIES)
        if direct is not None:
            self._rests_on([test])
            self.trail.append(("fact", test, direct))
            return direct
        if COMPARISONS not in self.allowed:
            return None
        typed = test.op in ("lt", "le", "eq", "in") and self._total(*test.args[:2])
        found = state.facts.decide(test, typed) or self._last_of_enum(test, state)
        if found is None and test.op == "isinstance":
            return self._of_its_kin(test, state)
        if found is None and ORDER in self.allowed and not typed:
            found = state.facts.decide(test, True)
            if found is not None:
                self.assumptions.add(ORDER)
        if found is None:
            return None
        outcome, rests_on = found
        self._rests_on(rests_on)
        self.trail += [("fact", fact, state.facts.known[fact]) for fact in rests_on]
        if not (test.op == "is" and all(f.op in ("is", "truth") for f in rests_on)):
            self.assumptions.add(COMPARISONS)
        return outcome

    def _of_its_kin(self, test: Term, state: State) -> bool | None:
        """Whether a value is of a class, from what is known of it and of how the classes derive from each other."""
        if FAMILIES not in self.allowed:
            return None
        subject, kinds = test.args
        are: list[set[str]] = []
        are_not: set[str] = set()
        ruled_out: dict[str, set[str]] = {}
        used: list[Term] = []
        exact = self._exact_class(subject, state)
        if exact is not None:
            fact, name = exact
            outcome = self.kin[0].is_below(name, _class_names(kinds))
            if outcome is not None:
                self.assumptions.add(FAMILIES)
                self.trail.append(("fact", fact, True))
            return outcome
        for fact in state.facts.about.get(subject, ()):
            member = _member_in(fact)
            if member is not None:
                used.append(fact)
                if state.facts.known[fact]:
                    are.append({member.enum})
                else:
                    ruled_out.setdefault(member.enum, set()).add(member.name)
            if fact.op != "isinstance" or fact.args[0] is not subject:
                continue
            used.append(fact)
            if state.facts.known[fact]:
                are.append(_class_names(fact.args[1]))
            else:
                are_not |= _class_names(fact.args[1])
        if not used:
            return None
        are_not |= {enum for enum, names in ruled_out.items() if names >= set(self.kin[0].member_names(enum))}
        outcome = self.kin[0].implied(_class_names(kinds), are, are_not)
        if outcome is not None:
            self.assumptions.add(FAMILIES)
            self._rests_on(used)
            self.trail += [("fact", fact, state.facts.known[fact]) for fact in used]
        return outcome

    def _rests_on(self, facts: Iterable[Term]) -> None:
        if not self.by_annotation.isdisjoint(facts):
            self.assumptions.add(ANNOTATIONS)

    def _last_of_enum(self, test: Term, state: State) -> tuple[bool, tuple[Term, ...]] | None:
        """A value of an enum that is none of the other members is the one that is left."""
        member = _member_in(test)
        if member is None or test.op not in ("eq", "is"):
            return None
        subject = test.args[0] if test.args[0].op != "const" else test.args[1]
        kind = self.terms.make("isinstance", subject, self.terms.make("global", member.enum))
        if state.facts.known.get(kind) is not True:
            return None
        about = state.facts.about.get(subject, ())
        others = {
            m.name: f for f in about if (m := _member_in(f)) and m.enum == member.enum and not state.facts.known[f]
        }
        missing = set(self.kin[0].member_names(member.enum)) - others.keys() - {member.name}
        return None if missing else (True, (kind, *others.values()))

    def _exact_class(self, subject: Term, state: State) -> tuple[Term, str] | None:
        """The class a value is known to be of exactly (`type(x) is C`), with the fact that says so."""
        kind = self.terms.make("type", subject)
        for fact in state.facts.about.get(kind, ()):
            if fact.op == "is" and state.facts.known[fact]:
                other = fact.args[1] if fact.args[0] is kind else fact.args[0]
                if isinstance(other, Term) and other.op == "global":
                    return fact, str(other.args[0])
        return None

    def resolved(self, term: Term, state: State) -> Term:
        """`term`, or the constant it is known to be on this path."""
        same = state.facts.same.get(term)
        if same is not None:
            self.trail.append(("fact", self.terms.make("is", term, same), True))
            return same
        if term.op == "bool":
            self.trail.append(("struct", term, True))
            test, wanted = term.args
            outcome = self.decided(test, state)
            if outcome is None:
                return term
            if test.op not in ("is", "isinstance", "catches", "truth"):
                if COMPARISONS not in self.allowed:
                    return term
                self.assumptions.add(COMPARISONS)
            return self._true if outcome is wanted else self._false
        if term.op == "tuple":
            self.trail.append(("struct", term, True))
            return self.terms.make("tuple", *(self.resolved(a, state) for a in term.args))
        return term

    # --- calls -------------------------------------------------------------------------------------

    def _call(self, side: Side, node: Node, state: State) -> Block | None:
        values = [self._value(side, o) for o in node.operands]
        name = self._builtin(side, values[0])
        positional, keywords = node.payload
        if name in _NO_EFFECT_CALLS and not keywords and "*" not in positional and len(values) == len(positional) + 1:
            known = self._known_call(side, state, name, values[1:])
            if known is not NotImplemented:
                return known  # type: ignore[no-any-return]
        made = self._made(side, node, values)
        if made is not None:
            return self._free(side, made)
        return self._registered(side, node, values, state) or self._event(side, node)

    def _registered(self, side: Side, node: Node, values: list[Term], state: State) -> Block | None:
        """A call of a generic function of this version alone: what is registered for the class of its argument."""
        function = values[0]
        if function.op != "global" or FAMILIES not in self.allowed or len(values) < 2 or node.payload[0][:1] != ("",):
            return None
        registry = self.kin[side.which].registry(str(function.args[0]))
        if registry is None:
            return None
        chosen = ""
        for kind in registry.kinds:
            test = self.terms.make("isinstance", values[1], self.terms.make("global", kind))
            outcome = self.decided(test, state)
            if outcome is None:
                return Block("branch", test, source=node.source)
            if outcome:
                chosen = kind
                break
        self.assumptions.add(FAMILIES)
        target = self.terms.make("registered", str(function.args[0]), chosen)
        key = self.terms.make("call", node.payload, target, *values[1:])
        return Block("event", key, moves_time=True, source=node.source)

    def _made(self, side: Side, node: Node, values: list[Term]) -> Term | None:
        """What a call makes without running anything yet: a small holder of values, a coroutine, a generator."""
        if values[0].op not in ("global", "method"):
            return None
        kin, name = self.kin[side.which], str(values[0].args[0])
        positional, keywords = node.payload
        if "*" in positional or None in keywords:
            return None
        if values[0].op == "global":
            if not kin.is_own(name):
                return None
            fields = kin.fields(name)
            if fields is not None:
                return self._record(name, fields, values[1 : 1 + len(positional) + len(keywords)], node.payload)
        runs = self._function(side, values[0])
        after = node.succs[0]
        at_once = after.op in ("await", "yield from") and after.operands == (node.dest,)
        if runs is not None and at_once and (isinstance(runs, ast.AsyncFunctionDef) or _yields(runs)):
            return self.terms.make("later", node.payload, *values)
        return None

    def _record(
        self, kind: str, fields: list[tuple[str, ast.expr | None]], values: list[Term], shape: Any
    ) -> Term | None:
        names = [name for name, _ in fields]
        given = dict(zip([*names[: len(shape[0])], *shape[1]], values, strict=False))
        for name, default in fields:
            if name not in given and isinstance(default, ast.Constant):
                given[name] = self.terms.const(default.value)
        if given.keys() != set(names) or len(shape[0]) > len(names):
            return None
        return self.terms.make("record", kind, *(given[name] for name in names))

    def _meant(self, side: Side, kinds: Term) -> Term:
        """The classes both versions know that an `isinstance` asks for."""
        asked = kinds.args if kinds.op == "tuple" else (kinds,)
        names = [str(a.args[0]) for a in asked if isinstance(a, Term) and a.op == "global"]
        if FAMILIES not in self.allowed or len(names) != len(asked):
            return kinds
        kin = self.kin[side.which]
        known = [k for name in names for k in kin.meant(name)]
        if known == names or not known:
            return kinds
        self.assumptions.add(FAMILIES)
        terms = [self.terms.make("global", name) for name in dict.fromkeys(known)]
        return terms[0] if len(terms) == 1 else self.terms.make("tuple", *terms)

    def _known_call(self, side: Side, state: State, name: str, args: list[Term]) -> Any:
        make = self.terms.make
        match name, args:
            case "isinstance" | "issubclass", [value, kinds] if _is_class(kinds):
                kinds = self._meant(side, kinds) if name == "isinstance" else kinds
                result = make("bool", make(name, value, kinds), True)
                return self._observe(side, state, make("asked", name, value, kinds), COMPARISONS, result, alone=True)
            case "callable", [value]:
                return self._free(side, make("bool", make("callable", value), True))
            case "len", [value]:
                return self._observe(side, state, self._timed(state, "len", value), COMPARISONS)
            case "type", [value]:
                term = make("type", value)
                self.trail.append(("struct", term, True))
                return self._free(side, term)
            case "bool", [value]:
                return self._as_bool(side, state, value)
        return NotImplemented

    def _as_bool(self, side: Side, state: State, value: Term) -> Block | None:
        """`bool(x)` asks for the truth of x, as a branch does."""
        if value.op == "bool":
            return self._free(side, value)
        if value.op == "const":
            return self._free(side, self.terms.const(bool(value.value)))
        known = self.kind(value) in _SCALARS
        test = self.terms.make("truth", value) if known else self._timed(state, "truth", value)
        if not known and test not in state.done:
            return Block("event", test, test, pure=True, stays=True, source=side.node.source)
        self.trail.append(("done", test, True))
        return self._free(side, self.terms.make("bool", test, True))

    def callee(self, side: Side, block: Block) -> Callee | None:
        """The function of the same file that an event runs, if it is a plain one whose arguments are clear."""
        key = block.key
        if key is None:
            return None
        match key.op:
            case "property":
                found = self.kin[side.which].found(str(key.args[0]), str(key.args[1]))
                if found is None or found.function is None:
                    return None
                return _called(found.function, [key.args[2]], (("",), ()), self.terms, found.holder)
            case "call":
                return self._runs(side, key.args[1], list(key.args[2:]), key.args[0], later=False)
            case "await" | "yield from" if key.args[1].op == "later":
                shape, function, *values = key.args[1].args
                return self._runs(side, function, values, shape, later=True)
        return None

    def _runs(self, side: Side, function: Term, values: list[Term], shape: Any, later: bool) -> Callee | None:
        if function.op == "attr":
            found = self._own_method(side, function.args[0], str(function.args[1]))
            if found is None:
                return None
            self.assumptions.add(FAMILIES)
            function = self.terms.make("method", found.holder, function.args[1], found.form, function.args[0])
        node = self._function(side, function)
        if node is None or (isinstance(node, ast.AsyncFunctionDef) or _yields(node)) is not later:
            return None
        if function.op == "method" and function.args[2] != "static":
            values = [function.args[3], *values]
            shape = (("", *shape[0]), shape[1])
        home = str(function.args[0]) if function.op == "method" else ""
        return _called(node, values, shape, self.terms, home)

    def _function(self, side: Side, function: Term) -> FunctionNode | None:
        """The plain function a value stands for, when that is known."""
        match function.op:
            case "lambda":
                return self.arena.lambdas[function]
            case "global":
                node = self.names[side.which].definitions.get(function.args[0])
                plain = isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef) and not node.decorator_list
                return node if plain else None  # type: ignore[return-value]
            case "registered":
                registry = self.kin[side.which].registry(str(function.args[0]))
                return registry.functions[str(function.args[1])] if registry is not None else None
            case "method":
                found = self.kin[side.which].found(str(function.args[0]), str(function.args[1]))
                return found.function if found is not None else None
        return None

    # --- arithmetic --------------------------------------------------------------------------------

    def _arithmetic(self, side: Side, node: Node, state: State) -> Block | None:
        values = [self._value(side, o) for o in node.operands]
        kinds = [self.kind(v) for v in values]
        if node.op == "format" and len(values) == 1 and kinds[0] in _SCALARS:
            term = self.terms.make("formatted", node.payload, *values)
            self.trail.append(("struct", term, True))
            return self._free(side, term)
        operator = str(node.payload)
        kind = _arithmetic_kind(operator, kinds) if node.op != "format" else ""
        if not kind:
            return self._event(side, node)
        summed = whole_number(self.terms, operator, values, self.kind) if kind == "int" else None
        if summed is not None:
            self.trail.append(("struct", summed, True))
            return self._free(side, summed)
        term = self.terms.make("arith", operator, *values)
        self.trail.append(("struct", term, True))
        if (operator in _SAFE_ARITHMETIC and set(kinds) <= _NUMBERS) or node.op == "unary":
            return self._free(side, term)
        if term in state.lasting:
            self.trail.append(("done", term, True))
            return self._free(side, term)
        return Block("event", term, term, pure=True, source=node.source)

    # --- effects -----------------------------------------------------------------------------------

    def perform(self, state: State, block: Block) -> Term | None:
        """What happens to the shared state at an event; the new value both sides get, if it makes one."""
        if block.pure:
            assert block.key is not None
            timed = any(isinstance(a, Term) and a is state.epoch for a in block.key.args)
            (state.done if timed else state.lasting).add(block.key)
            return None
        made = self.terms.fresh("result") if block.result is None else None
        if block.moves_time:
            self.new_epoch(state)
        return made

    def finish(self, side: Side, block: Block, made: Term | None) -> None:
        """One side goes on after an event with what came of it."""
        side.came_from = side.node
        if block.stays:
            return
        value = made if made is not None else block.result
        if side.node.dest is not None and value is not None:
            side.store[side.node.dest] = value
        if side.node.succs:
            side.node = side.node.succs[0]

    def new_epoch(self, state: State) -> None:
        """Anything outside the locals may have changed."""
        state.epoch = self.terms.fresh("epoch")
        state.done.clear()

    # --- exits -------------------------------------------------------------------------------------

    def _return(self, side: Side) -> Block | None:
        value = self._value(side, "%ret")
        if not side.frames:
            return Block("return", value=value)
        frame = side.frames[-1]
        side.frames = side.frames[:-1]
        side.store, side.node = dict(frame.store), frame.call
        return self._free(side, value)

    def _throw(self, side: Side) -> Block | None:
        if side.frames:
            self.throw(side, self._value(side, "%exc"))
            return None
        return Block("throw", value=self._value(side, "%exc"))

    def throw(self, side: Side, error: Term) -> None:
        """An exception: the side goes on where it is handled, or out."""
        target = side.node.exc or self.arena.throw
        while target is self.arena.throw and side.frames:
            frame = side.frames[-1]
            side.frames = side.frames[:-1]
            side.store = dict(frame.store)
            target = frame.call.exc or self.arena.throw
        side.store["%exc"] = error
        side.node = target


def _called(node: FunctionNode, values: list[Term], shape: Any, terms: Terms, home: str = "") -> Callee | None:
    """What the parameters of `node` get in a call of that shape; None when that is not clear."""
    positional, keywords = shape
    spec = node.args
    if spec.vararg or spec.kwarg or "*" in positional or None in keywords:
        return None
    names = [a.arg for a in (*spec.posonlyargs, *spec.args)]
    if len(positional) > len(names) or set(keywords) & {a.arg for a in spec.posonlyargs}:
        return None
    given = dict(zip([*names[: len(positional)], *keywords], values, strict=False))
    defaults = dict(zip(names[::-1], spec.defaults[::-1], strict=False))
    defaults |= {a.arg: d for a, d in zip(spec.kwonlyargs, spec.kw_defaults, strict=True) if d is not None}
    for name, default in defaults.items():
        if name not in given and isinstance(default, ast.Constant):
            given[name] = terms.const(default.value)
    distinct = len(set(names[: len(positional)]) | set(keywords)) == len(positional) + len(keywords)
    return Callee(node, given, home) if distinct and given.keys() == set(param_names(spec)) else None


def _member_in(test: Term) -> Member | None:
    """The member of an enum that a test compares something with."""
    if test.op not in ("eq", "is"):
        return None
    for part in test.args[:2]:
        if isinstance(part, Term) and part.op == "const" and isinstance(part.value, Member):
            return part.value
    return None


def _class_names(kinds: Term) -> set[str]:
    parts = kinds.args if kinds.op == "tuple" else (kinds,)
    return {str(part.args[0]) for part in parts}


def _same_sort(other: Any, constant: Term) -> bool:
    numbers = (int, float)
    if not isinstance(other, Term) or other.op != "const":
        return False
    both = (other.value, constant.value)
    return all(isinstance(v, numbers) for v in both) or all(isinstance(v, str) for v in both)


def _is_class(term: Term) -> bool:
    return term.op == "global" or (term.op == "tuple" and bool(term.args) and all(_is_class(a) for a in term.args))


def _fold(op: str, left: Any, right: Any) -> bool | None:
    try:
        match op:
            case "Eq":
                return bool(left == right)
            case "NotEq":
                return bool(left != right)
            case "Lt":
                return bool(left < right)
            case "LtE":
                return bool(left <= right)
            case "Gt":
                return bool(left > right)
            case "GtE":
                return bool(left >= right)
            case "In":
                return left in right
            case "NotIn":
                return left not in right
    except TypeError:
        return None
    return None


def _arithmetic_kind(operator: str, kinds: list[str]) -> str:
    """The type of an operation between known scalar types, '' when it is not sure."""
    if any(k not in ("int", "bool", "float", "str") for k in kinds):
        return ""
    if "str" in kinds:
        return "str" if operator == "Add" and set(kinds) == {"str"} else ""
    if operator in ("USub", "UAdd", "Invert"):
        return "int" if kinds[0] in _NUMBERS and operator != "Invert" else ""
    if operator in ("Add", "Sub", "Mult", "FloorDiv", "Mod"):
        return "float" if "float" in kinds else "int"
    return "float" if operator == "Div" else ""


def _yields(node: FunctionNode) -> bool:
    return scope_of(node).is_generator
