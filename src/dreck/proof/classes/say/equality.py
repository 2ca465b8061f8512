"""Equality as classes of the files say it: which of them ask for a class first, before they look into anything."""

import ast
from collections import Counter
from dataclasses import dataclass
from functools import lru_cache

from dreck.model.names.bindings import bindings_of
from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node, once_per_tree
from dreck.proof.classes.above import roots_of
from dreck.proof.classes.bodies import statements_in
from dreck.proof.classes.say.asked import gives_it_back, is_asked_plainly
from dreck.proof.classes.say.inverting import below
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk


def is_equality_within_a_class(s: FunctionNode, names: ModuleNames) -> bool:
    """Equal only to objects of a class that is asked for first, by comparing their attributes.

    So it is false for every constant, raises nothing, and is transitive as far as the attributes' own `==` is.
    """
    if len(s.args.args) != 2:
        return False
    other = s.args.args[1].arg
    body = [b for b in s.body if not (isinstance(b, ast.Expr) and isinstance(b.value, ast.Constant))]
    match body:
        case [ast.Return(value=ast.BoolOp(op=ast.And(), values=[first, *rest]))]:
            return _asks_class(first, other, names) and all(isinstance(r, ast.Compare) for r in rest)
        case [ast.If(test=ast.UnaryOp(op=ast.Not(), operand=first), body=[left], orelse=[]), ast.Return(value=last)]:
            return _asks_class(first, other, names) and _gives_up(left, names) and _is_conjunction(last)
        case [ast.If(test=first, body=[ast.Return(value=last)], orelse=[]), left]:
            return _asks_class(first, other, names) and _gives_up(left, names) and _is_conjunction(last)
    return False


def says_no_to_constants(s: FunctionNode, node: ast.ClassDef, names: ModuleNames) -> bool:
    """Whether an `__eq__` or `__ne__` of a class is done with a number, a text or `None` before it looks at it.

    It asks first for a class of the file that none of these is of, and answers that it is not equal where it is not.
    """
    tree = _tree_of(node, names)
    if tree is None or s.decorator_list or len(s.args.args) != 2 or s.args.vararg or s.args.kwonlyargs or s.args.kwarg:
        return False
    if _binds_a_word(s):
        return False
    words = [a.arg for a in s.args.args]
    asked = _Asked(tree, node, names, words[0], words[1], not _may_lie_about_classes(names), _declines(names))
    body = [b for b in s.body if not (isinstance(b, ast.Expr) and isinstance(b.value, ast.Constant))]
    if s.name == "__ne__":
        return asked.turns_equality_round(body) or (asked.answers(body, True) and _is_no_value(node, names))
    return s.name == "__eq__" and asked.answers(body, False)


_SAID = ("isinstance", "type", "NotImplemented")


def _binds_a_word(s: FunctionNode) -> bool:
    """Whether a function gives one of these another meaning for itself; what its class binds it does not see."""
    bound = (n.arg if isinstance(n, ast.arg) else getattr(n, "id", "") for n in walk(s) if not _is_read(n))
    return any(word in _SAID for word in bound) or any(isinstance(n, ast.Import | ast.ImportFrom) for n in walk(s))


def _is_read(n: ast.AST) -> bool:
    return isinstance(n, ast.Name) and isinstance(n.ctx, ast.Load)


def _tree_of(node: ast.ClassDef, names: ModuleNames) -> ast.Module | None:
    trees = (names.tree, *getattr(names, "trees", ()))
    return next((tree for tree in trees if node in _classes_at_top(tree).values()), None)


@once_per_tree
def _classes_at_top(tree: ast.Module) -> dict[str, ast.ClassDef]:
    """The classes at the top of a file whose names mean nothing else there."""
    bound: Counter[str] = Counter()
    last_star = 0
    for n in every_node(tree):
        match n:
            case ast.Name(id=name, ctx=ast.Store() | ast.Del()) | ast.ExceptHandler(name=str() as name):
                bound[name] += 1
            case ast.FunctionDef(name=name) | ast.AsyncFunctionDef(name=name) | ast.ClassDef(name=name):
                bound[name] += 1
            case ast.arg(arg=name) | ast.MatchAs(name=str() as name) | ast.MatchStar(name=str() as name):
                bound[name] += 1
            case ast.alias(name="*"):
                last_star = max(last_star, n.lineno)
            case ast.alias(name=name, asname=other):
                bound[other or name.partition(".")[0]] += 1
    known = bindings_of(tree)
    if known.dynamic or any(word in known.of or word in known.rebound for word in _SAID):
        return {}
    classes = [s for s in tree.body if isinstance(s, ast.ClassDef) and s.lineno > last_star]
    alone = {s.name: s for s in classes if bound[s.name] == 1 and s.name not in known.rebound}
    return {name: s for name, s in alone.items() if all(gives_it_back(d, known) for d in s.decorator_list)}


@lru_cache(maxsize=16)
def _may_lie_about_classes(names: ModuleNames) -> bool:
    """Whether anything in the files gives `__class__` another meaning for an object."""
    for tree in (names.tree, *getattr(names, "trees", ())):
        for n in every_node(tree):
            match n:
                case ast.FunctionDef(name=name) | ast.Constant(value=str() as name) | ast.alias(name=name):
                    pass
                case (
                    ast.Attribute(attr=name, ctx=ast.Store() | ast.Del())
                    | ast.Name(id=name, ctx=ast.Store() | ast.Del())
                ):
                    pass
                case _:
                    continue
            if name in ("__class__", "__getattribute__"):
                return True
    return False


@lru_cache(maxsize=16)
def _declines(names: ModuleNames) -> bool:
    """Whether an `__eq__` of the files answers that it cannot say."""
    trees = (names.tree, *names.trees)
    equal = [n for tree in trees for n in every_node(tree) if isinstance(n, ast.FunctionDef) and n.name == "__eq__"]
    return any(isinstance(n, ast.Name) and n.id == "NotImplemented" for s in equal for n in walk(s))


def _is_no_value(node: ast.ClassDef, names: ModuleNames) -> bool:
    """Whether neither a class nor one below it derives from one of Python's own that says what is equal."""
    return all(roots_of(kind, names) <= _WITHOUT_EQUALITY for kind in _with_those_below(node, names))


def _with_those_below(node: ast.ClassDef, names: ModuleNames) -> list[ast.ClassDef]:
    """A class of the files and those that may derive from it, by their names."""
    trees = (names.tree, *names.trees)
    classes = [n for tree in trees for n in every_node(tree) if isinstance(n, ast.ClassDef)]
    mine = below({node.name}, classes)
    return [kind for kind in classes if id(kind) in mine]


_WITHOUT_EQUALITY = frozenset({"builtins.object", "abc.ABC", "abc.ABCMeta", "typing.Generic"})


def _source(e: ast.expr, tree: ast.Module) -> str:
    """Where a base comes from that is imported once, by its own name, or is a builtin; '' for what is not known."""
    known = bindings_of(tree)
    match e:
        case ast.Subscript(value=inner):
            return _source(inner, tree)
        case ast.Name(id=name):
            match known.of.get(name, []):
                case []:
                    return "" if known.stars or known.dynamic or name in known.rebound else name
                case [ast.ImportFrom(module=str() as module, level=0, names=aliases)] if name not in known.rebound:
                    return next((f"{module}.{a.name}" for a in aliases if (a.asname or a.name) == name), "")
        case ast.Attribute():
            code = ast.unparse(e)
            match known.of.get(code.partition(".")[0], []):
                case [ast.Import(names=aliases)] if all(a.asname is None for a in aliases):
                    return code
    return ""


@dataclass(frozen=True, slots=True)
class _Asked:
    """An `__eq__`: the file and class it stands in, what it calls its object and the other."""

    tree: ast.Module
    node: ast.ClassDef
    names: ModuleNames
    own: str
    other: str
    by_attribute: bool
    """Whether `x.__class__` is the class of `x`."""
    may_decline: bool
    """Whether an `__eq__` of the files, perhaps of a class below this one, answers `NotImplemented`."""

    def answers(self, body: list[ast.stmt], outcome: bool) -> bool:
        """Whether statements answer a constant with `outcome`, or that they cannot say, and look into nothing."""
        match body:
            case [ast.Return(value=ast.expr() as value), *_]:
                return self._is_answer(value, outcome)
            case [ast.If(test=test, body=inner, orelse=orelse), *rest]:
                if self._is_surely(test, False):
                    return self.answers([*orelse, *rest], outcome)
                if self._is_surely(test, True):
                    return self.answers([*inner, *rest], outcome)
                return self._is_bool(test) and all(self.answers([*way, *rest], outcome) for way in (inner, orelse))
        return False

    def turns_equality_round(self, body: list[ast.stmt]) -> bool:
        """`return not self == other`, also by way of `self.__eq__(other)` where that answers with bools alone."""
        match body:
            case [ast.Return(value=ast.UnaryOp(op=ast.Not(), operand=asked))]:
                pass
            case _:
                return False
        match asked:
            case ast.Compare(left=ast.Name(id=left), ops=[ast.Eq()], comparators=[ast.Name(id=right)]):
                return (left, right) == (self.own, self.other)
            case ast.Call(func=ast.Attribute(value=ast.Name(id=left), attr="__eq__"), args=[ast.Name(id=right)]):
                told = [
                    s for s in statements_in(self.node) if isinstance(s, ast.FunctionDef) and s.name == "__eq__"
                ]
                return (left, right) == (self.own, self.other) and len(told) == 1 and not self.may_decline
        return False

    def _is_answer(self, value: ast.expr, outcome: bool) -> bool:
        match value:
            case ast.Constant(value=bool() as said):
                return said is outcome
            case ast.Name(id="NotImplemented"):
                return not outcome
            case ast.BoolOp(values=[first, *_]):
                return self._is_surely(value, outcome) and self._is_bool(first)
        return self._is_surely(value, outcome)

    def _is_surely(self, test: ast.expr, outcome: bool) -> bool:
        """Whether a test comes out so for a constant, by the class that it asks for."""
        match test:
            case ast.UnaryOp(op=ast.Not(), operand=operand):
                return self._is_surely(operand, not outcome)
            case ast.BoolOp(op=ast.And(), values=values) if not outcome:
                return self._ends_early(values, False)
            case ast.BoolOp(op=ast.Or(), values=values) if outcome:
                return self._ends_early(values, True)
            case ast.Call(func=ast.Name(id="isinstance"), args=[ast.Name(id=asked), kinds], keywords=[]):
                return not outcome and asked == self.other and all(map(self._is_firm, _each(kinds)))
            case ast.Compare(left=ast.Name(id=left), ops=[ast.Is()], comparators=[ast.Name(id=right)]):
                return not outcome and {left, right} == {self.own, self.other}
            case ast.Compare(left=left, ops=[ast.Is() | ast.Eq()], comparators=[right]):
                return not outcome and self._are_both_classes(left, right)
            case ast.Compare(left=left, ops=[ast.IsNot() | ast.NotEq()], comparators=[right]):
                return outcome and self._are_both_classes(left, right)
        return False

    def _ends_early(self, values: list[ast.expr], outcome: bool) -> bool:
        """Whether one of several operands is surely so, and those before it are asked for identity alone."""
        for value in values:
            if self._is_surely(value, outcome):
                return True
            if not self._is_bool(value):
                return False
        return False

    def _is_bool(self, e: ast.expr) -> bool:
        match e:
            case ast.Compare(left=ast.Name(), ops=[ast.Is() | ast.IsNot()], comparators=[ast.Name() | ast.Constant()]):
                return True
        return self._is_surely(e, False) or self._is_surely(e, True)

    def _are_both_classes(self, left: ast.expr, right: ast.expr) -> bool:
        """`type(self)` and `type(other)`, either way round and either way spelt."""
        return {self._class_of(left), self._class_of(right)} == {self.own, self.other}

    def _class_of(self, e: ast.expr) -> str:
        """`x` for `type(x)` and `x.__class__`; '' for anything else."""
        match e:
            case ast.Call(func=ast.Name(id="type"), args=[ast.Name(id=of)], keywords=[]):
                return of
            case ast.Attribute(value=ast.Name(id=of), attr="__class__") if self.by_attribute:
                return of
        return ""

    def _is_firm(self, kind: ast.expr) -> bool:
        """Whether no constant is of a class: nothing is told to be of it that does not derive from it."""
        if self._class_of(kind) == self.own:  # or of one below
            return all(is_asked_plainly(one, self.names) for one in _with_those_below(self.node, self.names))
        if isinstance(kind, ast.Name) and kind.id in (self.own, self.other):
            return False
        found = _classes_at_top(self.tree).get(kind.id) if isinstance(kind, ast.Name) else None
        if found is not None:
            return is_asked_plainly(found, self.names)
        return _source(kind, self.tree) in _OF_NO_CONSTANT


_OF_NO_CONSTANT = frozenset(
    {"list", "dict", "set", "bytearray", "datetime.date", "datetime.time", "datetime.datetime", "datetime.timedelta",
     "decimal.Decimal", "fractions.Fraction", "pathlib.Path", "pathlib.PurePath", "uuid.UUID"}
)  # fmt: skip
"""Classes of Python's own of which no number, no text and not `None` is."""


def _each(kinds: ast.expr) -> list[ast.expr]:
    return kinds.elts if isinstance(kinds, ast.Tuple) else [kinds]


def _is_conjunction(e: ast.expr | None) -> bool:
    if isinstance(e, ast.BoolOp):
        return isinstance(e.op, ast.And) and all(isinstance(v, ast.Compare) for v in e.values)
    return isinstance(e, ast.Compare)


def _asks_class(e: ast.expr, other: str, names: ModuleNames) -> bool:
    match e:
        case ast.Call(func=called, args=[ast.Name(id=asked), kind], keywords=[]):
            plain = isinstance(kind, ast.Name) and not names.is_builtin(kind.id)
            return names.stands_for(called) == "builtins.isinstance" and asked == other and plain
    return False


def _gives_up(s: ast.stmt, names: ModuleNames) -> bool:
    return isinstance(s, ast.Return) and (
        is_unhandled(s.value, names) or (isinstance(s.value, ast.Constant) and s.value.value is False)
    )


def is_unhandled(e: ast.expr | None, names: ModuleNames) -> bool:
    return isinstance(e, ast.Name) and names.stands_for(e) == "builtins.NotImplemented"
