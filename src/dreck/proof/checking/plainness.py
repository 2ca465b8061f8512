"""Whether the files leave reading and comparing as plain as the assumptions say, for the values at hand."""

import ast
from collections import deque
from dataclasses import dataclass
from functools import lru_cache

from dreck.model.ir.operations import Op
from dreck.model.ir.terms import Term
from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node
from dreck.proof.assumptions import COMPARISONS, FAMILIES, PLAIN
from dreck.proof.checking.axioms import Axioms
from dreck.proof.checking.tests import CheckedTests
from dreck.proof.checking.texts.binding import gives_it_back
from dreck.proof.checking.texts.inverting import asks_equality, equality_gives_bools
from dreck.proof.checking.texts.nested import may_be_below, sets_classes
from dreck.proof.checking.texts.of_builtins import below
from dreck.proof.checking.texts.overriding import is_put_on_a_class, overriding, puts_special, reads_itself
from dreck.proof.checking.texts.shaping import answers_by_itself
from dreck.proof.checking.values import names_in
from dreck.proof.conditions import is_a_member
from dreck.proof.state import Event, Side, State
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

_TESTS = (ast.Compare, ast.Match)
_CONSTRUCTORS = ("__init__", "__new__", "__post_init__", "__setstate__")
_VALUES = {"const", "valued", "tuple", "members", "bool", "len", "arith"}


@dataclass(slots=True)
class CheckedPlainness(CheckedTests):
    """What the classes of the files take back from the assumptions."""

    def reads_plainly(self, state: State, base: Term, name: str) -> bool:
        return all(self._reads_plainly(state, a, base, name) for a in self.axioms)

    def _reads_plainly(self, state: State, axioms: Axioms, base: Term, name: str) -> bool:
        names = axioms.names
        known = str(base.args[0]) if base.op == "global" else ""
        if _is_module_of_others(names, known) and not sets_classes(names):
            return True
        if known in names.tables.known:  # a display of constants
            return True
        is_function = isinstance(names.definitions.get(known), FunctionNode) and not names.may_be_made(known)
        if is_put_on_a_class(names, name) and self.look(base) not in _VALUES - {"valued"} and not is_function:
            return False
        if known in axioms.classes.table.classes:
            kinds = axioms.skeleton[known].__mro__ if known in axioms.skeleton else ()
            nodes = [axioms.classes.table.classes[k.__name__] for k in kinds if k.__name__ in axioms.skeleton]
            if not nodes:  # a base from elsewhere, of which the files say nothing
                node = axioms.classes.table.classes[known]
                told = {n.id for b in node.bases for n in walk(b) if isinstance(n, ast.Name)}
                if node.keywords or told & axioms.classes.table.classes.keys():
                    return False
                if not all(map(gives_it_back, node.decorator_list)):
                    return self._is_of_others(state, axioms, base, name)  # it may be anything
                nodes = [node]
            return all(reads_itself(node, name, names) for node in nodes)
        if names.is_imported(known) and answers_by_itself(names, name):
            return False
        if known and not names.may_be_made(known):
            return True
        return self._is_of_others(state, axioms, base, name)

    def compares_plainly(self, state: State, what: str, *values: Term, looked_up: bool = False) -> bool:
        constant = what == "eq" and any(v.op in ("const", "valued") or self._is_of_an_import(v) for v in values)
        asked = looked_up or constant or what in ("eq constant", "hash")
        if asked and PLAIN in self.listed and not (any(map(is_a_member, values)) and self._members_may_say()):
            return True
        for axioms in self.axioms:
            put = puts_special(axioms.names, what)
            if put and not all(self.look(value) in _VALUES or self.kinds(value) for value in values):
                return False
            if not overriding(axioms.names, what):
                continue
            for value in values:
                plain = self.look(value) in _VALUES or bool(self.kinds(value))
                if not plain and not self._is_of_others(state, axioms, value, what):
                    return False
        return True

    def _members_may_say(self) -> bool:
        return any(puts_special(axioms.names, what) for axioms in self.axioms for what in ("eq", "hash"))

    def _is_of_an_import(self, value: Term) -> bool:
        """A name in capitals of a class or module that only an import gives."""
        if value.op != "attr" or value.args[0].op != "global" or not str(value.args[1]).isupper():
            return False
        of = str(value.args[0].args[0])
        imported = all(a.names.is_imported(of) for a in self.axioms)
        return imported and not any(a.names.canonical(of) in a.classes.table.classes for a in self.axioms)

    def is_unequal(self, side: Side, vals: tuple[Term, ...], event: Event) -> bool:
        """`!=`, told as the opposite of what `==` comes to: every class asks `==`, and truth is asked plainly."""
        told = side.node.op is Op.COMPARE and side.node.payload == "NotEq" and COMPARISONS in self.listed
        right = told and event.key is self.make(Op.COMPARE, "Eq", *vals) and event.moves_time and event.result is None
        alone = right and not (event.once or event.stays or event.real_bool or event.harmless or event.keeps)
        plain = all(not overriding(a.names, "truth") or equality_gives_bools(a.names) for a in self.axioms)
        return alone and plain and all(asks_equality(axioms.names) for axioms in self.axioms)

    def is_steady(self, place: str) -> bool:
        """Whether a test compares what stands there (`kind`, `['kind']`), and only constructors of the files set it."""
        asked = any(place in _told(n) for function in self.tests for n in walk(function) if isinstance(n, _TESTS))
        return asked and not any(is_set_late(tree, place) for tree in self.trees)

    def asks_plainly(self, side: Side, kinds: Term) -> bool:
        if all(self.axioms[side.which].is_class(kind) for kind in sorted(names_in(kinds))):
            return True
        return not any(overriding(axioms.names, "isinstance") for axioms in self.axioms)

    def _is_of_others(self, state: State, axioms: Axioms, value: Term, what: str) -> bool:
        """Whether a value is of classes that neither override it themselves nor above or below."""
        wilful = overriding(axioms.names, what)
        if not wilful:
            return True
        kinds = self.classes_of(state, value) if FAMILIES in self.listed else set()
        known = {**axioms.skeleton}
        for kind in sorted(kinds - known.keys()):
            if kind in axioms.classes.table.classes or not axioms.is_class(kind):
                return False
        if below(axioms.names, wilful, {kind for kind in kinds - known.keys() if axioms.is_builtin(kind)}):
            return False
        tables = axioms.classes.table.classes
        seen = [tables[name] for name in known]
        words = {kind.rpartition(".")[2] for kind in kinds}
        if any(node not in seen and may_be_below(axioms.names, node.bases, words) for node in wilful):
            return False
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


def _told(test: ast.AST) -> list[str]:
    sides = [test.left, *test.comparators] if isinstance(test, ast.Compare) else [getattr(test, "subject", test)]
    return [_place(side) for side in sides]


def _place(e: ast.AST) -> str:
    if isinstance(e, ast.Attribute):
        return e.attr
    return f"[{e.slice.value!r}]" if isinstance(e, ast.Subscript) and isinstance(e.slice, ast.Constant) else ""


def is_set_late(tree: ast.Module, place: str) -> bool:
    """Whether anything but a constructor may set or delete it, under its name or under one that is worked out."""
    made = {n for f in every_node(tree) if isinstance(f, ast.FunctionDef) and f.name in _CONSTRUCTORS for n in walk(f)}
    return any(
        _may_set_item(n, place) if place.startswith("[") else _may_set(n, place, n in made) for n in every_node(tree)
    )


def _may_set(n: ast.AST, name: str, in_constructor: bool) -> bool:
    if isinstance(n, ast.Attribute):
        by_hand = n.attr in ("__dict__", "__setattr__", "__delattr__", "setattr", "delattr")
        again = n.attr in _CONSTRUCTORS and not in_constructor
        return by_hand or again or (n.attr == name and not isinstance(n.ctx, ast.Load) and not in_constructor)
    if isinstance(n, ast.ClassDef):
        return any(getattr(s, "name", "") == name for s in n.body)
    return isinstance(n, ast.Name) and n.id in ("setattr", "delattr", "vars", "exec", "eval", "setitem", "delitem")


def _may_set_item(n: ast.AST, place: str) -> bool:
    if isinstance(n, ast.Subscript):
        return isinstance(n.ctx, ast.Del) or (isinstance(n.ctx, ast.Store) and _place(n) in ("", place))
    if isinstance(n, ast.AugAssign):
        return isinstance(n.op, ast.BitOr | ast.Mult) and not isinstance(n.target, ast.Subscript)
    if isinstance(n, ast.Name):
        return n.id in ("exec", "eval", "setitem", "delitem")
    return isinstance(n, ast.Attribute) and n.attr in _MUTATORS


_MUTATORS = {
    *(name for kind in (dict, list, deque) for name in dir(kind) if not name.startswith("__")),
    *("__setitem__", "__delitem__", "__ior__", "setitem", "delitem"),
} - {"append", "extend", "copy", "count", "index", "get", "items", "keys", "values", "fromkeys", "maxlen"}
"""All that these have, but for what leaves items that are there where they are."""


@lru_cache(maxsize=256)
def _is_module_of_others(names: ModuleNames, word: str) -> bool:
    """Whether a name is that of a module that is not the project's: `import warnings`, and nothing else has it."""
    if not word or not names.is_bound_once(word):
        return False
    told = [a for s in names.tree.body if isinstance(s, ast.Import) for a in s.names]
    named = [a.name for a in told if (a.asname or a.name.partition(".")[0]) == word]
    return bool(named) and not any(map(names.is_of_project, [*named, word]))
