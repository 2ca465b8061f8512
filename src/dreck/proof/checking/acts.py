"""What the checker accepts of a single act: the value it gives, the event it is, that it is done alone.

Each method answers whether a result the prover came to is one that Python's rules and the named assumptions allow.
"""

from dataclasses import dataclass

from dreck.model.ir.operations import Op
from dreck.model.ir.terms import Term
from dreck.model.narrowing import Member
from dreck.proof.assumptions import ATTRIBUTES, COMPARISONS, CONSTANTS, FAMILIES, HASHABLE, ITEMS, QUIET, STEADY
from dreck.proof.checking.texts.nested import has_unseen_below, sets_classes
from dreck.proof.checking.texts.registered import CheckedRegistries
from dreck.proof.checking.values import is_constant, names_in
from dreck.proof.conditions import is_constant_display, is_fixed_display
from dreck.proof.state import Event, Side, State, no_stop_under

_QUIET = {Op.FUNCTION, Op.NEW, Op.SUPER}
"""What moves no time by itself."""
_ASKED = {"attr", "item", "got", "gvar", "eq", "lt", "le", "in", "truth", "asked", "len", "worked", "free"}
"""What a test made of reads, comparisons and arithmetic comes to."""
_CANNOT_RAISE = {Op.FUNCTION, Op.NEW}
_OBSERVED: dict[str, set[Op]] = {
    "attr": {Op.ATTRIBUTE},
    "item": {Op.ITEM},
    "got": {Op.CALL},
    "bound?": {Op.BOUND},
    "gvar": {Op.GLOBAL},
    "free": {Op.FREE},
    "cell": {Op.CELL},
    "catches": {Op.CATCHES},
    "hash": {Op.HASHED},
    "still": {Op.SETTLED},
    "len": {Op.CALL},
    "truth": {Op.BRANCH, Op.CALL},
    "asked": {Op.CALL, Op.PATTERN_CLASS},
    "worked": {Op.BINARY, Op.UNARY},
    "arith": {Op.BINARY, Op.UNARY, Op.IN_PLACE},
    "formatted": {Op.FORMAT},
    "eq": {Op.COMPARE},
    "lt": {Op.COMPARE},
    "le": {Op.COMPARE},
    "in": {Op.COMPARE},
}
"""What may be observed without effect, by the nodes that do it."""


@dataclass(slots=True)
class CheckedActs(CheckedRegistries):
    """Whether an act comes to what the prover says."""

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
                    return value is make("global", name) and self.axioms[side.which].stays(name)
                return value is make("gvar", name, state.epoch) and (kind == "varying" or value in state.done)
            case Op.FREE | Op.CELL:
                return value is make(str(node.op.value), node.payload, state.epoch) and value in state.done
            case Op.TUPLE | Op.SLICE:
                return value is make(str(node.op.value), *vals)
            case Op.JOINED:
                return value is not None and self.is_joined(vals, value)
            case Op.PART:
                if self.look(vals[0]) == "tuple":
                    return value is vals[0].args[node.payload]
                return value is make("part", node.payload, vals[0])
            case Op.MAYBE_PART:
                return value is make("maybe", make("part", f"walrus {node.payload}", vals[0]))
            case Op.UNPACK:
                return self._unpacks(side, vals[0], value)
            case Op.ATTRIBUTE:
                return value is not None and self.attribute(state, side, vals[0], str(node.payload), value)
            case Op.ITEM:
                return self._item(state, vals, value)
            case Op.COMPARE:
                return value is not None and self.compared(state, side, str(node.payload), vals[0], vals[1], value)
            case Op.CALL | Op.ROW:
                return value is not None and self._called(state, side, vals, value)
            case Op.PATTERN_CLASS:
                return value is not None and self._instance(state, side, "isinstance", vals[0], vals[1], value)
            case Op.BINARY | Op.UNARY if value is make("worked", node.payload, *vals, state.epoch):
                return value in state.done and (QUIET in self.listed or not self.again)
            case Op.BINARY | Op.IN_PLACE | Op.UNARY:
                return value is not None and self.worked_out(state, str(node.payload), vals, value)
            case Op.FORMAT:
                made = len(vals) == 1 and value is not None and self.is_formatted(node.payload, vals[0], value)
                return made and (value in state.lasting or not self.again or not self.may_be_too_long(vals[0]))
            case Op.HASHED:
                if make("hash", vals[0]) in state.lasting:
                    return True
                return self.is_scalar(vals[0]) or self.look(vals[0]) in ("const", "type", "global")
            case Op.SETTLED:
                return make("still", node.payload) in state.lasting
            case Op.APART:
                owner, words = node.payload
                return self.axioms[side.which].are_apart(owner, words, FAMILIES in self.listed)
            case Op.LEFT:
                told = no_stop_under(vals[0])
                return value is (vals[0] if told and told in self.listed else make("left", vals[0]))
            case Op.CATCHES:
                test = make("catches", *vals)
                return value is make("bool", test, True) and test in state.lasting
        return False

    def _unpacks(self, side: Side, whole: Term, value: Term | None) -> bool:
        size, star = side.node.payload
        if value is None or value.op != "tuple" or star is not None or len(value.args) != size:
            return False
        if self.look(whole) == "record":
            return whole.args[1:] == value.args and self.axioms[side.which].classes.records.is_named_tuple(
                whole.args[0]
            )
        return value is whole

    def _item(self, state: State, vals: tuple[Term, ...], value: Term | None) -> bool:
        """An item that was read before, under a constant key, since anything may have changed."""
        if value is self.make("item", *vals) and is_constant(vals[1]):
            named = STEADY in self.listed or not self.again
            return named and value in state.lasting and self.is_steady(f"[{vals[1].value!r}]")
        assumed = ITEMS in self.listed or not self.again
        return assumed and value is self.make("item", *vals, state.epoch) and value in state.done

    def _called(self, state: State, side: Side, vals: tuple[Term, ...], value: Term) -> bool:
        node, make = side.node, self.make
        function, *given = vals
        builtin = str(function.args[0]) if self.look(function) == "global" else ""
        if value.op == "record" and node.op in (Op.CALL, Op.ROW):
            return builtin == value.args[0] and self._holds(side, given, value)
        if value.op == "later" and node.op is Op.CALL:
            if value.args[1].op == "registered":
                return self.is_chosen(state, side, vals, value)
            return value is make("later", node.payload, *vals)
        if value.op == "got" and node.op is Op.CALL and self.look(function) == "attr":
            assumed = ITEMS in self.listed or not self.again
            return assumed and value is make("got", function.args[0], *given, state.epoch) and value in state.done
        if node.op is Op.ROW or not all(a.is_builtin(builtin) for a in self.axioms):
            return False
        match builtin, given:
            case "isinstance" | "issubclass", [of, kinds]:
                return self._instance(state, side, builtin, of, kinds, value)
            case "callable", [of]:
                return value is make("bool", make("callable", of, state.epoch), True)
            case "type", [of]:
                steady = FAMILIES in self.listed and not any(sets_classes(a.names) for a in self.axioms)
                return steady and value is make("type", of)
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
        return [kept[n] for n in names if n in kept] == list(value.args[1:])

    def _instance(self, state: State, side: Side, name: str, of: Term, kinds: Term, value: Term) -> bool:
        if value.op != "bool" or value.args[0].op != name or value.args[1] is not True:
            return False
        if any(sets_classes(a.names) for a in self.axioms):
            return False
        subject, meant = value.args[0].args
        asked = [self.make("asked", name, of, k) for k in (kinds, meant)]
        done = any(a in state.done or a in state.lasting for a in asked)
        if subject is not of or not done:
            return False
        return self._means(side, name, kinds, meant)

    def _means(self, side: Side, name: str, kinds: Term, meant: Term) -> bool:
        """The same classes; or a base that only one version has stands for those below it that both have."""
        if meant is kinds or FAMILIES not in self.listed or name != "isinstance":
            return meant is kinds
        skeleton, other = self.axioms[side.which].skeleton, self.axioms[1 - side.which].names
        asked = names_in(kinds)
        own = {kind for kind in asked if kind in skeleton and other.kind(kind) == "unknown"}
        if any(has_unseen_below(self.axioms[side.which].names, kind) for kind in own):
            return False
        bases = tuple(skeleton[kind] for kind in own)
        below = {n for n, kind in skeleton.items() if issubclass(kind, bases) and other.kind(n) != "unknown"}
        return names_in(meant) == (asked - own) | below

    # --- events ------------------------------------------------------------------------------------

    def does(self, state: State, side: Side, vals: tuple[Term, ...], event: Event) -> bool:
        """Whether an event tells what the node does with its values, and owns up to what it may do."""
        node = side.node
        if not event.raises and node.op not in _CANNOT_RAISE:
            return False
        if event.ends is not (node.op in (Op.NEXT, Op.ASYNC_NEXT)):
            return False
        if event.opposite:
            return self.is_unequal(side, vals, event)
        if node.op is Op.BRANCH and vals[0].op == "opposite":
            vals = vals[0].args
        if event.key is self.make(node.op, node.payload, *vals):
            return event.moves_time or node.op in _QUIET or (node.op is Op.CALL and self.only_grows(side))
        if event.moves_time:
            return self._told_otherwise(state, side, vals, event)
        return event.once and self._observes(state, side, vals, event)

    def _told_otherwise(self, state: State, side: Side, vals: tuple[Term, ...], event: Event) -> bool:
        key, node = event.key, side.node
        match key.op:
            case "ask":
                how = (node.payload,) if node.op is Op.BRANCH and node.payload is not None else ()
                asked = node.op is Op.BRANCH or (node.op is Op.CALL and self._is_call_of("bool", vals))
                return asked and key.args == (vals[-1], *how)
            case "hash":
                return node.op is Op.HASHED and key.args[0] is vals[0]
            case "asked":
                return self._asks_class(side, vals, key) and event.real_bool
            case "property":
                holder, name, base = key.args
                right = node.op is Op.ATTRIBUTE and name == node.payload and base is vals[0]
                return right and self.has_method(state, side, base, holder, name, "property")
            case Op.CALL:
                return self.is_chosen(state, side, vals, key)
        return False

    def _observes(self, state: State, side: Side, vals: tuple[Term, ...], event: Event) -> bool:
        """An act that changes nothing, under an assumption that is accepted."""
        key, node, make = event.key, side.node, self.make
        if node.op not in _OBSERVED.get(key.op, ()) or (event.keeps and event.keeps not in self.allowed):
            return False
        match key.op:
            case "attr":
                right = key is make("attr", vals[0], node.payload, state.epoch)
                if key is make("attr", vals[0], node.payload):
                    right = event.keeps == STEADY and self.is_steady(str(node.payload))
                plain = right and self.reads_plainly(state, vals[0], str(node.payload))
                return plain and event.keeps in (ATTRIBUTES, STEADY) and event.result is key
            case "item":
                right = key is make("item", *vals, state.epoch)
                if key is make("item", *vals) and is_constant(vals[1]):
                    right = event.keeps == STEADY and self.is_steady(f"[{vals[1].value!r}]")
                plain = right and is_constant(vals[1]) and self._reads_only("__getitem__")
                return plain and event.keeps in (ITEMS, STEADY) and event.result is key
            case "got":
                whole = key is make("got", vals[0].args[0], *vals[1:], state.epoch) and node.payload[1] == ()
                asked = self.look(vals[0]) == "attr" and vals[0].args[1] == "get" and all(map(is_constant, vals[1:]))
                right = whole and asked and node.payload[0] in (("",), ("", ""))
                return right and event.keeps == ITEMS and event.result is key and self._reads_only("__getitem__", "get")
            case "bound?":
                return key is make("bound?", vals[0])
            case "gvar" | "free" | "cell":
                name = node.payload[1] if node.op is Op.GLOBAL else node.payload
                return key is make(key.op, name, state.epoch) and event.result is key
            case "catches":
                return key is make("catches", *vals) and event.result is make("bool", key, True)
            case "hash":
                what = "eq constant" if node.payload else "eq"
                hashed = not event.harmless or self.compares_plainly(state, "hash", vals[0])
                alone = hashed and self.compares_plainly(state, what, vals[0], looked_up=True)
                return alone and key.args[0] is vals[0] and event.keeps == HASHABLE
            case "still":
                return key is make("still", node.payload) and event.keeps == CONSTANTS
            case "len":
                plain = self.compares_plainly(state, "truth", vals[-1]) and event.keeps == COMPARISONS
                return (
                    plain
                    and self._is_call_of("len", vals)
                    and key is make("len", vals[1], state.epoch)
                    and event.result is key
                )
            case "truth":
                right = key is make("truth", vals[-1], state.epoch)
                right = right and (node.op is Op.BRANCH or self._is_call_of("bool", vals))
                return right and event.keeps == COMPARISONS and self.compares_plainly(state, "truth", vals[-1])
            case "asked":
                name, of, kinds = key.args
                answer = make("bool", make(name, of, kinds), True)
                right = event.keeps == COMPARISONS and event.result is answer
                return right and self._asks_class(side, vals, key) and self.asks_plainly(side, kinds)
            case "worked":
                right = key is make("worked", node.payload, *vals, state.epoch)
                return right and event.keeps == QUIET and event.result is key
            case "arith":
                kinds_known = all(self.kinds(v) for v in vals)
                return key is make("arith", node.payload, *vals) and kinds_known and event.result is key
            case "formatted":
                return len(vals) == 1 and self.is_formatted(node.payload, vals[0], key) and event.result is key
            case "eq" | "lt" | "le" | "in":
                if event.result is None or event.result.op != "bool":
                    return False
                lasts = len(key.args) == 2 and any(a.op in ("const", "valued", "tuple", "members") for a in key.args)
                timed = len(key.args) == 3 and key.args[2] is state.epoch
                told = self.is_spelling(str(node.payload), vals[0], vals[1], key, bool(event.result.args[1]))
                plain = told and self._compares_plainly(state, key, *vals[:2])
                return plain and bool(lasts or timed) and event.keeps == COMPARISONS
        return False

    def _is_call_of(self, builtin: str, vals: tuple[Term, ...], most: int = 1) -> bool:
        function, *given = vals
        named = function is self.make("global", builtin) and all(a.is_builtin(builtin) for a in self.axioms)
        return named and len(given) == most

    def _asks_class(self, side: Side, vals: tuple[Term, ...], key: Term) -> bool:
        """Whether a node asks what the key says: `isinstance` or `issubclass`, or a class in a pattern."""
        name, of, kinds = key.args
        asks = name == "isinstance" if side.node.op is Op.PATTERN_CLASS else self._is_call_of(name, vals, 2)
        known = asks and name in ("isinstance", "issubclass")
        return known and of is vals[-2] and self._means(side, name, vals[-1], kinds)

    def _compares_plainly(self, state: State, key: Term, left: Term, right: Term) -> bool:
        match key.op:
            case "eq":
                return self.compares_plainly(state, _asked(left, right), left, right)
            case "in":
                plain = is_constant_display(right) and all(map(_is_of_builtins, right.args))
                what = "eq constant" if plain else "eq"
                among = right.args if is_fixed_display(right) else ()
                both = self.compares_plainly(state, "hash", left) and self.compares_plainly(state, "in", right)
                return both and self.compares_plainly(state, what, left, *among)
        return self.compares_plainly(state, "order", left, right)

    def _reads_only(self, *methods: str) -> bool:
        return all(axioms.reads_only(*methods, "__missing__") for axioms in self.axioms)

    def is_harmless(self, state: State, side: Side, event: Event) -> bool:
        """Whether one side may do it alone: it has no effect, and under the assumption named it cannot raise."""
        key = event.key
        if not event.once or event.harmless not in self.listed:
            return False
        if event.harmless == QUIET:
            there = key.op != "gvar" or self.axioms[side.which].binds(str(key.args[0]))
            there &= key.op != "attr" or not self.lacks(side, key.args[0], str(key.args[1]))
            source = side.node.source
            return there and key.op in _ASKED and source is not None and self.stands_in_a_test(source)
        match key.op:
            case "attr":
                known = self.holds_name(side, key.args[0], str(key.args[1]))
                return event.harmless == ATTRIBUTES and known
            case "asked":
                kinds = sorted(names_in(key.args[2]))
                return event.harmless == COMPARISONS and all(self.axioms[side.which].is_class(kind) for kind in kinds)
            case "eq":
                return event.harmless == COMPARISONS
            case "in":
                among = key.args[1]
                return is_fixed_display(among) and event.harmless == (COMPARISONS if among.op == "tuple" else HASHABLE)
            case "hash":
                return event.harmless == HASHABLE
            case "still":
                return event.harmless == CONSTANTS
            case "lt" | "le":
                subject = next((a for a in key.args[:2] if a.op != "const"), None)
                about = state.facts.about.get(subject, ()) if subject is not None else ()
                constant = next((a for a in key.args[:2] if a.op == "const"), None)
                return constant is not None and any(f.op in ("lt", "le") and _is_alike(f, constant) for f in about)
        return False


def _asked(*values: Term) -> str:
    """Whether a value is compared with numbers, texts and `None` alone, or with anything."""
    return "eq constant" if any(map(_is_of_builtins, values)) else "eq"


def _is_of_builtins(value: Term) -> bool:
    return value.op == "const" and not isinstance(value.value, Member)


def _is_alike(fact: Term, constant: Term) -> bool:
    others = [a.value for a in fact.args[:2] if isinstance(a, Term) and a.op == "const"]
    sort = str if isinstance(constant.value, str) else int | float
    return any(isinstance(o, sort) and isinstance(constant.value, sort) for o in others)
