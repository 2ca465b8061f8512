"""What the checker accepts of a single act: values given, tests decided, events, things done alone.

Each method answers whether a result the prover came to is one that Python's rules and the named assumptions allow.
"""

import ast
import operator
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from dreck.model.ir.graph import Arena
from dreck.model.ir.operations import Op
from dreck.model.ir.terms import Term
from dreck.model.narrowing import Member
from dreck.proof.assumptions import ATTRIBUTES, COMPARISONS, FAMILIES, HASHABLE, ORDER
from dreck.proof.checking.axioms import Axioms
from dreck.proof.checking.entailment import follows
from dreck.proof.state import Event, Side, State

_SCALAR = {"int", "str", "bool", "float", "bytes", "NoneType"}
_WHOLE = {"int", "bool"}
_OBJECTS = {"param", "symbol", "global", "gvar", "type", "cell", "free", "maybe", "outside"}
_QUIET = {Op.FUNCTION, Op.NEW, Op.SUPER}
"""What moves no time by itself."""
_CANNOT_RAISE = {Op.FUNCTION, Op.NEW}
_PYTHON: dict[str, Callable[[Any, Any], Any]] = {
    "Eq": operator.eq, "NotEq": operator.ne, "Lt": operator.lt, "LtE": operator.le, "Gt": operator.gt,
    "GtE": operator.ge, "In": lambda a, b: a in b, "NotIn": lambda a, b: a not in b,
}  # fmt: skip


_WHOLE_SUMS: dict[str, Callable[[list[int]], int]] = {
    "Add": sum,
    "Sub": lambda p: p[0] - p[1],
    "Mult": lambda p: p[0] * p[1],
    "USub": lambda p: -p[0],
}


@dataclass(slots=True)
class CheckedActs:
    arena: Arena
    axioms: tuple[Axioms, Axioms]
    allowed: frozenset[str]
    listed: frozenset[str]
    annotated: dict[str, frozenset[str]]
    given: Term | None
    read_once: Callable[[str], bool]
    looked: set[Term] = field(default_factory=set)
    """Values whose making was looked at: what is accepted because of it holds for such values only."""
    again: bool = True
    """Whether what is read was read before, and is taken to be the same still."""

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
        if every <= _WHOLE and operator_ != "Div":
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
            sorts.append("number" if found and found <= _WHOLE else found.pop() if found in ({"str"}, {"bytes"}) else "")
        return bool(sorts[0]) and sorts[0] == sorts[1]

    def is_object(self, term: Term) -> bool:
        self.look(term)
        while term.op == "part":
            term = term.args[1]
        return term.op in _OBJECTS

    # --- values given ------------------------------------------------------------------------------

    def gives(self, state: State, side: Side, vals: tuple[Term, ...], value: Term | None) -> bool:
        node, make = side.node, self.make
        match node.op:
            case Op.MOVE:
                return value is vals[0]
            case Op.BOUND:
                known = vals[0].op != "maybe" or make("bound?", vals[0]) in state.lasting
                return vals[0] is not self.arena.unbound and known
            case Op.GLOBAL:
                kind, name = node.payload
                if kind == "stable":
                    return value is make("global", name)
                return value is make("gvar", name, state.epoch) and (kind == "varying" or value in state.done)
            case Op.FREE | Op.CELL:
                return value is make(str(node.op.value), node.payload, state.epoch) and value in state.done
            case Op.TUPLE | Op.SLICE | Op.JOINED:
                return value is make(str(node.op.value), *vals)
            case Op.PART:
                if self.look(vals[0]) == "tuple":
                    return value is vals[0].args[node.payload]
                return value is make("part", node.payload, vals[0])
            case Op.MAYBE_PART:
                return value is make("maybe", make("part", f"walrus {node.payload}", vals[0]))
            case Op.UNPACK:
                return self._unpacks(side, vals[0], value)
            case Op.ATTRIBUTE:
                return value is not None and self._attribute(state, side, vals[0], str(node.payload), value)
            case Op.COMPARE:
                return value is not None and self._compared(state, str(node.payload), vals[0], vals[1], value)
            case Op.CALL | Op.ROW:
                return value is not None and self._called(state, side, vals, value)
            case Op.PATTERN_CLASS:
                return value is not None and self._instance(state, side, "isinstance", vals[0], vals[1], value)
            case Op.BINARY | Op.IN_PLACE | Op.UNARY:
                return value is not None and self._worked_out(state, str(node.payload), vals, value)
            case Op.FORMAT:
                return value is make("formatted", node.payload, vals[0]) and len(vals) == 1 and self.is_scalar(vals[0])
            case Op.HASHED:
                if make("hash", vals[0]) in state.lasting:
                    return True
                return self.is_scalar(vals[0]) or self.look(vals[0]) in ("const", "type", "global")
            case Op.APART:
                return FAMILIES in self.listed or str(node.payload) in self.axioms[side.which].classes.table.classes
            case Op.CATCHES:
                test = make("catches", *vals)
                return value is make("bool", test, True) and test in state.lasting
        return False

    def _unpacks(self, side: Side, whole: Term, value: Term | None) -> bool:
        size, star = side.node.payload
        if value is None or value.op != "tuple" or star is not None or len(value.args) != size:
            return False
        if self.look(whole) == "record":
            return whole.args[1:] == value.args and self.axioms[side.which].classes.records.is_named_tuple(whole.args[0])
        return value is whole

    def _attribute(self, state: State, side: Side, base: Term, name: str, value: Term) -> bool:
        axioms = self.axioms[side.which]
        if value is self.make("attr", base, name, state.epoch):
            return (ATTRIBUTES in self.listed or not self.again) and value in state.done
        if self.look(base) == "record":
            names = [n for n, _ in axioms.fields(str(base.args[0])) or ()]
            if name in names:
                return value is base.args[1 + names.index(name)]
        if FAMILIES not in self.allowed:
            return False
        if value.op == "const" and isinstance(value.value, Member):
            there = all(a.member(value.value.enum, name) for a in self.axioms)
            return base is self.make("global", value.value.enum) and value.value.name == name and there
        if value.op == "const":
            kinds = {str(base.args[0])} if base.op in ("global", "record") else self._classes_of(state, base)
            return bool(kinds) and all(axioms.constant(kind, name, value.value) for kind in kinds)
        if value.op == "method":
            holder, named, form, on = value.args
            return named == name and on is base and axioms.method(holder, name, form) is not None
        return False

    def _classes_of(self, state: State, value: Term) -> set[str]:
        """The classes a value is known to be of, itself or by one of them alone."""
        for fact in state.facts.about.get(value, ()):
            if fact.op == "isinstance" and state.facts.known[fact] and fact.args[0] is value:
                return names_in(fact.args[1])
        return set()

    def _called(self, state: State, side: Side, vals: tuple[Term, ...], value: Term) -> bool:
        node, make = side.node, self.make
        function, *given = vals
        builtin = str(function.args[0]) if self.look(function) == "global" else ""
        if value.op == "record" and node.op in (Op.CALL, Op.ROW):
            return builtin == value.args[0] and self._holds(side, given, value)
        if value.op == "later" and node.op is Op.CALL:
            return value is make("later", node.payload, *vals)
        if node.op is Op.ROW or not all(a.is_bound_once(builtin) for a in self.axioms):
            return False
        match builtin, given:
            case "isinstance" | "issubclass", [of, kinds]:
                return self._instance(state, side, builtin, of, kinds, value)
            case "callable", [of]:
                return value is make("bool", make("callable", of), True)
            case "type", [of]:
                return value is make("type", of)
            case "len", [of]:
                named = COMPARISONS in self.listed or not self.again
                return value is make("len", of, state.epoch) and value in state.done and named
            case "bool", [of]:
                return self._as_bool(state, side, of, value)
        return False

    def _as_bool(self, state: State, side: Side, of: Term, value: Term) -> bool:
        make = self.make
        if of.op == "const":
            return value is self.arena.terms.const(bool(of.value))
        if self.look(of) == "bool":
            return value is of
        asked = make("truth", of, state.epoch)
        if value is make("bool", asked, True):
            return asked in state.done
        if side.answer is not None and value is make("bool", side.answer, True):
            return True
        return value is make("bool", make("truth", of), True) and self.is_scalar(of)

    def _holds(self, side: Side, given: list[Term], value: Term) -> bool:
        fields = self.axioms[side.which].fields(str(value.args[0]))
        if fields is None:
            return False
        positional, keywords = side.node.payload
        names = [n for n, _ in fields]
        kept = {n: self.arena.terms.const(d.value) for n, d in fields if d is not None}
        kept |= dict(zip(names, given[: len(positional)], strict=False))
        kept |= dict(zip(keywords, given[len(positional) :], strict=True))
        return list(kept[n] for n in names if n in kept) == list(value.args[1:])

    def _instance(self, state: State, side: Side, name: str, of: Term, kinds: Term, value: Term) -> bool:
        if value.op != "bool" or value.args[0].op != name or value.args[1] is not True:
            return False
        subject, meant = value.args[0].args
        asked = [self.make("asked", name, of, k) for k in (kinds, meant)]
        done = any(a in state.done or a in state.lasting for a in asked)
        if subject is not of or not done:
            return False
        return meant is kinds or (FAMILIES in self.listed and name == "isinstance" and self._means(side, kinds, meant))

    def _means(self, side: Side, kinds: Term, meant: Term) -> bool:
        """A base that only one version has stands for those below it that both have."""
        skeleton = self.axioms[side.which].skeleton
        asked = tuple(skeleton[k] for k in names_in(kinds) if k in skeleton)
        other = self.axioms[1 - side.which].names
        below = {n for n, kind in skeleton.items() if issubclass(kind, asked) and other.kind(n) != "unknown"}
        plain = {k for k in names_in(kinds) if k not in skeleton}
        return names_in(meant) == (below & names_in(meant)) | plain and below <= names_in(meant)

    # --- comparisons -------------------------------------------------------------------------------

    def _compared(self, state: State, op: str, left: Term, right: Term, value: Term) -> bool:
        if op in ("Is", "IsNot"):
            return self._identical(state, op == "Is", left, right, value)
        if value.op == "const":
            if not left.op == right.op == "const":
                return False
            return bool(_PYTHON[op](left.value, right.value)) is value.value
        if value.op != "bool":
            return False
        test, wanted = value.args
        if test.op == "is":
            classes = {self.look(left), self.look(right)} == {"type", "global"} and COMPARISONS in self.listed
            return classes and op in ("Eq", "NotEq") and set(test.args) == {left, right} and wanted is (op == "Eq")
        if not self.is_spelling(op, left, right, test, wanted):
            return False
        if test in state.done or test in state.lasting:
            return True
        if test.op == "in":
            constants = right.op in ("tuple", "members") and all(m.op == "const" for m in right.args)
            return constants and self.is_scalar(left)
        return self.is_scalar(left) and self.is_scalar(right) and (test.op == "eq" or self.are_total(left, right))

    def is_spelling(self, op: str, left: Term, right: Term, test: Term, wanted: bool) -> bool:
        """Whether a comparison is the one that `test` tells."""
        parts = test.args[:2]
        straight, turned = parts == (left, right), parts == (right, left)
        match op, test.op:
            case "Eq" | "NotEq", "eq":
                return (straight or turned) and wanted is (op == "Eq")
            case "In" | "NotIn", "in":
                return straight and wanted is (op == "In")
            case "Lt", "lt":
                return straight and wanted
            case "Gt", "lt":
                return turned and wanted
            case "LtE", "le":
                return straight and wanted
            case "GtE", "le":
                return turned and wanted
            case "LtE", "lt":
                return turned and not wanted and (ORDER in self.allowed or self.are_total(left, right))
            case "GtE", "lt":
                return straight and not wanted and (ORDER in self.allowed or self.are_total(left, right))
        return False

    def _identical(self, state: State, wanted: bool, left: Term, right: Term, value: Term) -> bool:
        if left.op == "const" and right.op != "const":
            left, right = right, left
        alone = right.op == "const" and (right.value is None or isinstance(right.value, bool | Member | type(...)))
        if value.op == "const":
            same = value.value is wanted
            if same:
                return left is right and (alone or self.is_object(left))
            if not alone:
                return False
            if left.op == "const":
                return left is not right
            kinds = self.kinds(left)
            made = self.look(left) in ("lambda", "method", "record", "tuple", "type", "global")
            return made or bool(kinds and str(right.args[0]) not in kinds)
        if value.op != "bool" or value.args[0].op != "is" or set(value.args[0].args) != {left, right}:
            return False
        if value.args[1] is not wanted or left is right:
            return False
        if alone or "global" in (self.look(left), self.look(right)):
            return True
        return all(self.is_object(v) or (v.op == "attr" and self.read_once(v.args[1])) for v in (left, right))

    # --- arithmetic --------------------------------------------------------------------------------

    def _worked_out(self, state: State, op: str, vals: tuple[Term, ...], value: Term) -> bool:
        kinds = [self.kinds(v) for v in vals]
        if any(not k or not k <= {"int", "bool", "float", "str"} for k in kinds):
            return False
        if value is self.make("arith", op, *vals):
            sure = op in ("Add", "Sub", "Mult", "USub", "UAdd") and all(k <= _WHOLE for k in kinds)
            return sure or value in state.lasting
        if not all(k <= _WHOLE for k in kinds) or op not in ("Add", "Sub", "Mult", "USub"):
            return False
        # Two polynomials of degree one are the same where they agree on enough points.
        leaves = sorted({leaf for v in (*vals, value) for leaf in _leaves(v)}, key=lambda t: t.number)
        for shift in range(5):
            at = {leaf: (i * 7919 + shift * 104729) % 9973 - 4000 for i, leaf in enumerate(leaves, 1)}
            parts = [_number(v, at) for v in vals]
            if _WHOLE_SUMS[op](parts) != _number(value, at):
                return False
        return True

    # --- tests -------------------------------------------------------------------------------------

    def goes(self, state: State, side: Side, value: Term, outcome: bool) -> bool:
        if value.op == "const":
            return bool(value.value) is outcome
        match self.look(value):
            case "bool":
                return self.entails(state, value.args[0], outcome is value.args[1])
            case "tuple":
                return bool(value.args) is outcome
            case "lambda" | "method":
                return outcome
        if value.op == "global" and self.axioms[side.which].function(str(value.args[0])) is not None:
            return outcome
        if side.answer is not None and state.facts.known.get(side.answer) is outcome:
            return True
        if self.is_scalar(value) and self.entails(state, self.make("truth", value), outcome):
            return True
        asked = self.make("truth", value, state.epoch)
        same = state.facts.same.get(value)
        if same is not None and bool(same.value) is outcome:
            return True
        return asked in state.done and self.entails(state, asked, outcome)

    def entails(self, state: State, test: Term, outcome: bool) -> bool:
        """Whether what is known leaves one outcome of a test."""
        known = state.facts.known
        if test in known:
            return known[test] is outcome
        if COMPARISONS not in self.allowed:
            return False
        if test.op == "isinstance":
            return self._of_class(state, test, outcome)
        subjects = [a for a in test.args[:2] if isinstance(a, Term)]
        about = [(f, known[f]) for s in subjects for f in state.facts.about.get(s, ()) if f.op != "isinstance"]
        if follows(about, test, outcome, total=False) or self._last_member(state, test, outcome):
            return True
        both = len(subjects) == 2 and self.are_total(*subjects)
        return (both or ORDER in self.listed) and follows(about, test, outcome, total=True)

    def _last_member(self, state: State, test: Term, outcome: bool) -> bool:
        members = [a.value for a in test.args[:2] if isinstance(a, Term) and isinstance(a.value, Member)]
        if not outcome or len(members) != 1 or FAMILIES not in self.allowed:
            return False
        subject = next(a for a in test.args[:2] if not isinstance(a.value, Member))
        enum = members[0].enum
        of = state.facts.known.get(self.make("isinstance", subject, self.make("global", enum)))
        gone = {
            a.value.name
            for f in state.facts.about.get(subject, ())
            if f.op in ("eq", "is") and not state.facts.known[f]
            for a in f.args[:2]
            if isinstance(a, Term) and isinstance(a.value, Member)
        }
        node = self.axioms[0].classes.table.classes[enum]
        every = {t.id for s in node.body if isinstance(s, ast.Assign) for t in s.targets if isinstance(t, ast.Name)}
        return of is True and every - gone == {members[0].name} and all(a.member(enum, members[0].name) for a in self.axioms)

    def _of_class(self, state: State, test: Term, outcome: bool) -> bool:
        subject, asked = test.args[0], names_in(test.args[1])
        exact = self.make("type", subject)
        are: list[set[str]] = []
        are_not: set[str] = set()
        for fact in state.facts.about.get(exact, ()):
            if fact.op == "is" and state.facts.known[fact]:
                kind = next(str(a.args[0]) for a in fact.args[:2] if a is not exact)
                return all(self._is_exactly(a, kind, asked) is outcome for a in self.axioms)
        gone: dict[str, set[str]] = {}
        for fact in state.facts.about.get(subject, ()):
            holds = state.facts.known[fact]
            member = next((a.value for a in fact.args[:2] if isinstance(a, Term) and isinstance(a.value, Member)), None)
            if fact.op == "isinstance" and fact.args[0] is subject:
                (are.append(names_in(fact.args[1])) if holds else are_not.update(names_in(fact.args[1])))
            elif member is not None and holds:
                are.append({member.enum})
            elif member is not None:
                gone.setdefault(member.enum, set()).add(member.name)
        for enum, names in gone.items():
            node = self.axioms[0].classes.table.classes[enum]
            every = {t.id for s in node.body if isinstance(s, ast.Assign) for t in s.targets if isinstance(t, ast.Name)}
            are_not |= {enum} if every <= names else set()
        if any(kinds <= asked for kinds in are) or asked <= are_not:
            return outcome is any(kinds <= asked for kinds in are)
        return FAMILIES in self.listed and all(a.outcome(asked, are, are_not) is outcome for a in self.axioms)

    def _is_exactly(self, axioms: Axioms, kind: str, asked: set[str]) -> bool | None:
        """Whether an object of exactly a class is one of others."""
        import builtins

        known = {**vars(builtins), **axioms.skeleton}
        if kind not in known or not all(name in known for name in asked):
            return True if kind in asked else None
        return any(issubclass(known[kind], known[name]) for name in asked)

    # --- events ------------------------------------------------------------------------------------

    def does(self, state: State, side: Side, vals: tuple[Term, ...], event: Event) -> bool:
        """Whether an event tells what the node does with its values, and owns up to what it may do."""
        node = side.node
        if not event.raises and node.op not in _CANNOT_RAISE:
            return False
        if event.ends is not (node.op in (Op.NEXT, Op.ASYNC_NEXT)):
            return False
        if event.key is self.make(node.op, node.payload, *vals):
            return event.moves_time or node.op in _QUIET
        if event.moves_time:
            return self._told_otherwise(state, side, vals, event)
        return event.once and self._observes(state, side, vals, event)

    def _told_otherwise(self, state: State, side: Side, vals: tuple[Term, ...], event: Event) -> bool:
        key, node = event.key, side.node
        match key.op:
            case "ask":
                return node.op in (Op.BRANCH, Op.CALL) and key.args[0] is vals[-1]
            case "asked":
                return node.op in (Op.CALL, Op.PATTERN_CLASS) and event.real_bool and key.args[1] in vals
            case "property":
                holder, name, base = key.args
                found = self.axioms[side.which].method(holder, name, "property")
                return node.op is Op.ATTRIBUTE and name == node.payload and base is vals[0] and found is not None
            case Op.CALL:
                registered = key.args[1].op == "registered" and key.args[1].args[0] == vals[0].args[0]
                return node.op is Op.CALL and registered and key.args[2:] == vals[1:] and self._is_chosen(state, side, key)
        return False

    def _is_chosen(self, state: State, side: Side, key: Term) -> bool:
        """What is registered for the class of the first argument: it is of that one, and of none before it."""
        name, chosen = key.args[1].args
        registry = self.axioms[side.which].classes.registry(name)
        if registry is None or chosen not in registry.functions:
            return False
        for kind in registry.kinds:
            test = self.make("isinstance", key.args[2], self.make("global", kind))
            if not self.entails(state, test, kind == chosen):
                return False
            if kind == chosen:
                return True
        return str(chosen) == ""

    def _observes(self, state: State, side: Side, vals: tuple[Term, ...], event: Event) -> bool:
        """An act that changes nothing, under an assumption that is accepted."""
        key, node, make = event.key, side.node, self.make
        if event.keeps and event.keeps not in self.allowed:
            return False
        match key.op:
            case "attr":
                right = key is make("attr", vals[0], node.payload, state.epoch) and node.op is Op.ATTRIBUTE
                return right and event.keeps == ATTRIBUTES and event.result is key
            case "bound?":
                return node.op is Op.BOUND and key is make("bound?", vals[0])
            case "gvar" | "free" | "cell":
                name = node.payload[1] if node.op is Op.GLOBAL else node.payload
                return key is make(key.op, name, state.epoch) and event.result is key
            case "catches":
                return key is make("catches", *vals) and event.result is make("bool", key, True)
            case "hash":
                return node.op is Op.HASHED and key.args[0] is vals[0] and event.keeps == HASHABLE
            case "len":
                return key is make("len", vals[1], state.epoch) and event.keeps == COMPARISONS and event.result is key
            case "truth":
                asked = vals[-1] if node.op in (Op.BRANCH, Op.CALL) else None
                return asked is not None and key is make("truth", asked, state.epoch) and event.keeps == COMPARISONS
            case "asked":
                name, of, kinds = key.args
                if of not in vals or event.keeps != COMPARISONS or event.result is None:
                    return False
                test = event.result.args[0]
                return bool(test.op == name and test.args[0] is of)
            case "arith":
                kinds_known = all(self.kinds(v) for v in vals)
                return key is make("arith", node.payload, *vals) and kinds_known and event.result is key
            case "eq" | "lt" | "le" | "in":
                if node.op is not Op.COMPARE or event.result is None or event.result.op != "bool":
                    return False
                lasts = len(key.args) == 2 and any(a.op in ("const", "tuple", "members") for a in key.args)
                timed = len(key.args) == 3 and key.args[2] is state.epoch
                told = self.is_spelling(str(node.payload), vals[0], vals[1], key, bool(event.result.args[1]))
                return told and bool(lasts or timed) and event.keeps == COMPARISONS
        return False

    def is_harmless(self, state: State, side: Side, event: Event) -> bool:
        """Whether one side may do it alone: it has no effect, and under the assumption named it cannot raise."""
        key = event.key
        if not event.once or event.harmless not in self.listed:
            return False
        match key.op:
            case "attr":
                known = self._holds_name(side, key.args[0], str(key.args[1]))
                return event.harmless == ATTRIBUTES and known
            case "asked":
                kinds = names_in(key.args[2])
                return event.harmless == COMPARISONS and all(self.axioms[side.which].is_class(kind) for kind in kinds)
            case "eq":
                return event.harmless == COMPARISONS
            case "in":
                constants = key.args[1].op in ("tuple", "members") and all(m.op == "const" for m in key.args[1].args)
                return bool(constants) and event.harmless == (COMPARISONS if key.args[1].op == "tuple" else HASHABLE)
            case "hash":
                return event.harmless == HASHABLE
            case "lt" | "le":
                subject = next((a for a in key.args[:2] if a.op != "const"), None)
                about = state.facts.about.get(subject, ()) if subject is not None else ()
                constant = next((a for a in key.args[:2] if a.op == "const"), None)
                return constant is not None and any(f.op in ("lt", "le") and _is_alike(f, constant) for f in about)
        return False

    def _holds_name(self, side: Side, base: Term, name: str) -> bool:
        axioms = self.axioms[side.which]
        if self.look(base) == "global":
            kind = str(base.args[0])
        elif self.given is not None and base is self.given.args[0]:
            kind = str(self.given.args[1].args[0])
        else:
            return False
        return any(axioms.holds(kind, name, holder) is not None for holder in axioms.skeleton)


def names_in(kinds: Term) -> set[str]:
    return {str(k.args[0]) for k in (kinds.args if kinds.op == "tuple" else (kinds,))}


def _is_alike(fact: Term, constant: Term) -> bool:
    others = [a.value for a in fact.args[:2] if isinstance(a, Term) and a.op == "const"]
    sort = str if isinstance(constant.value, str) else int | float
    return any(isinstance(o, sort) and isinstance(constant.value, sort) for o in others)


def _leaves(term: Term) -> set[Term]:
    if term.op == "const":
        return set()
    if term.op == "arith" and term.args[0] == "Linear":
        return {leaf for part in term.args[2::2] for leaf in _leaves(part)}
    return {term}


def _number(term: Term, at: dict[Term, int]) -> int:
    if term.op == "const":
        return int(term.value)
    if term.op == "arith" and term.args[0] == "Linear":
        pairs = zip(term.args[2::2], term.args[3::2], strict=True)
        return int(term.args[1]) + sum(_number(part, at) * int(count) for part, count in pairs)
    return at[term]
