"""What classes of the files do where code merely reads, compares or counts: the names behind which more may happen.

A special method or a property is quiet when its own code is, and when all that it leads to is: an `__eq__` that reads
a property which counts its readers counts them, too.
"""

import ast
from collections.abc import Iterator
from functools import lru_cache

from dreck.model.names.bindings import bindings_of
from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node
from dreck.proof.classes.bodies import bound_in_body, statements_in
from dreck.proof.classes.put_later import put_later, specials_put
from dreck.proof.classes.say.equality import says_no_to_constants
from dreck.proof.classes.say.inverting import comparing_gives_bools
from dreck.proof.classes.say.quiet import COMPUTED, QUIET_DECORATORS, asks_hash, is_quiet, is_quiet_value
from dreck.proof.classes.say.used_up import is_used_up
from dreck.proof.classes.shaping import shaped
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

CONSTANT = "eq constant"
"""Comparing with a number, a text, `None`: what most `__eq__` answer before they do anything."""
_ORDER = frozenset({"__lt__", "__le__", "__gt__", "__ge__"})
_TRUTH = frozenset({"__bool__", "__len__"})
_ROUNDS = frozenset({"__iter__", "__getitem__", "__next__", "__len__", "__length_hint__"})
_TOLD = frozenset({"__str__", "__repr__", "__format__"})
_NUMBERS = frozenset(
    f"__{side}{name}__"
    for side in ("", "r")
    for name in ("add", "sub", "mul", "truediv", "floordiv", "mod", "divmod", "pow", "lshift", "rshift", "and", "or",
                 "xor", "matmul")
) | {"__neg__", "__pos__", "__invert__", "__abs__", "__round__", "__int__", "__float__", "__index__", "__trunc__",
     "__complex__", "__ceil__", "__floor__"}  # fmt: skip
_LOOKED_UP = frozenset({"__getattr__", "__getattribute__"})
_LOOKING_UP = _LOOKED_UP | {"__class__", "__dict__"}
"""Those of descriptors are told by the names that they are put under."""
_ASKED_FOR_CLASS = frozenset({"__instancecheck__", "__subclasscheck__", "__subclasshook__", "__class__"})
_BY_OPERATOR: dict[type[ast.cmpop], frozenset[str]] = {
    ast.Eq: frozenset({"__eq__", "__ne__"}), ast.NotEq: frozenset({"__eq__", "__ne__"}),
    ast.Lt: _ORDER, ast.LtE: _ORDER, ast.Gt: _ORDER, ast.GtE: _ORDER,
    ast.In: frozenset({"__contains__", "__eq__", "__hash__"}) | _ROUNDS,
    ast.NotIn: frozenset({"__contains__", "__eq__", "__hash__"}) | _ROUNDS,
}  # fmt: skip
_BY_CALL: dict[str, frozenset[str]] = {
    "isinstance": _ASKED_FOR_CLASS, "len": frozenset({"__len__"}), "bool": _TRUTH, "type": frozenset(),
    "hash": frozenset({"__hash__"}), "abs": _NUMBERS, "round": _NUMBERS, "int": _NUMBERS | {"__str__"},
    "float": _NUMBERS | {"__str__"}, "str": _TOLD, "tuple": _ROUNDS, "iter": _ROUNDS,
    "repr": _TOLD, "min": _ROUNDS | _ORDER, "max": _ROUNDS | _ORDER, "sum": _ROUNDS | _NUMBERS, "id": frozenset(),
}  # fmt: skip
_SPECIAL = frozenset[str]().union(*_BY_OPERATOR.values(), *_BY_CALL.values(), _TOLD, {"__missing__", "__set_name__"})


USES_UP = "goes through what may be an iterator"
FILLS_IN = "reads what may fill itself in"


def leads_to(s: FunctionNode, names: ModuleNames) -> frozenset[str]:
    """The attributes and special methods that quiet code may come to, and whether it may use up an iterator."""
    nodes = [n for b in s.body for n in walk(b)]
    found = frozenset(name for n in nodes for name in _reached_by(n))
    if any(map(_compares, nodes)) and not comparing_gives_bools(names):
        found |= _TRUTH
    gone_through = (e for n in nodes for e in _gone_through(n))
    return found | {USES_UP} if any(is_used_up(e, s, names) for e in gone_through) else found


def _gone_through(n: ast.AST) -> Iterator[ast.expr]:
    match n:
        case ast.Call(func=ast.Name(id="tuple" | "iter" | "sum" | "min" | "max"), args=[one, *more]):
            yield from [one] if not more or n.func.id == "sum" else []  # type: ignore[attr-defined]
        case ast.Compare(ops=ops, comparators=others):
            yield from (e for op, e in zip(ops, others, strict=True) if isinstance(op, ast.In | ast.NotIn))


def _reached_by(n: ast.AST) -> Iterator[str]:
    match n:
        case ast.Attribute(attr=name):
            yield name
            yield from _LOOKING_UP
        case ast.Compare(left=left, ops=ops, comparators=others):
            for op, one, other in zip(ops, [left, *others], others, strict=False):
                equal = isinstance(op, ast.Eq | ast.NotEq)
                constant = equal and any(isinstance(e, ast.Constant) for e in (one, other))
                yield from {CONSTANT} if constant else _BY_OPERATOR.get(type(op), ())
        case ast.BoolOp() | ast.If() | ast.IfExp() | ast.UnaryOp(op=ast.Not()):
            yield from _TRUTH
        case ast.BinOp(op=ast.Mod()):
            yield from _SPECIAL  # it may write into a text
        case ast.BinOp() | ast.UnaryOp():
            yield from _NUMBERS
        case ast.Subscript():
            yield FILLS_IN
            yield from ("__getitem__", "__missing__", "__index__", "__hash__", "__eq__")
        case ast.JoinedStr():
            yield from _TOLD
        case ast.Call(func=ast.Name(id=called)):
            yield from _BY_CALL.get(called, _SPECIAL)
        case ast.Call() if asks_hash(n):
            yield "__hash__"
        case ast.Call():
            yield from _SPECIAL


def _compares(n: ast.AST) -> bool:
    """Whether something may be asked for its truth that comes of a comparison: of parts, of keys, in a chain."""
    ordering = isinstance(n, ast.Call) and getattr(n.func, "id", "") in ("min", "max")
    return ordering or isinstance(n, ast.Compare | ast.Subscript)


@lru_cache(maxsize=16)
def wilful(names: ModuleNames) -> frozenset[str]:
    """The attributes and special methods of classes of the files that may do what can be noticed."""
    put = specials_put(names) & (_SPECIAL | _LOOKED_UP)
    found = {USES_UP, *put_later(names), *shaped(names), *put, *(word for name in put for word in _constant(name))}
    if any(map(fills_in, (n for tree in (names.tree, *getattr(names, "trees", ())) for n in every_node(tree)))):
        found.add(FILLS_IN)
    quiet: list[tuple[str, bool, frozenset[str]]] = []
    for node in _classes(names):
        for s in statements_in(node):
            if not isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef):
                found |= _bound_otherwise(s, names, bound_in_body(node))
                continue
            if not (s.name in _SPECIAL or s.name in _LOOKING_UP or _is_run_when_read(s, names)):
                continue
            if not (s.name in _SPECIAL or _is_answered_by_its_body(s, names)):
                found.add(s.name)
                continue
            firm = s.name in ("__eq__", "__ne__") and says_no_to_constants(s, node, names)
            if s.name in _LOOKING_UP or not is_quiet(s.body, names):
                found |= {s.name} if firm else {s.name, *_constant(s.name)}
            else:
                quiet.append((s.name, firm, leads_to(s, names)))
    while True:
        more = {n for name, firm, reached in quiet if reached & found for n in (name, *_constant("" if firm else name))}
        if more <= found:
            return frozenset(found)
        found |= more


def loud_in(node: ast.ClassDef, names: ModuleNames) -> set[str]:
    """The names under which a class has something that does more than to work out an answer."""
    found: set[str] = set()
    for s in statements_in(node):
        if not isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef):
            found |= _bound_otherwise(s, names, bound_in_body(node))
        elif not is_quiet(s.body, names) or not _is_answered_by_its_body(s, names):
            found.add(s.name)
    return found


def _is_run_when_read(s: FunctionNode, names: ModuleNames) -> bool:
    """A property, or what a decorator makes of it that nobody knows."""
    told = [names.stands_for(d.func if isinstance(d, ast.Call) else d) for d in s.decorator_list]
    return any(t not in QUIET_DECORATORS for t in told)


def _is_answered_by_its_body(s: FunctionNode, names: ModuleNames) -> bool:
    """A property, and nothing that another decorator makes."""
    told = [names.stands_for(d.func if isinstance(d, ast.Call) else d) for d in s.decorator_list]
    accessor = any(isinstance(d, ast.Attribute) and d.attr in ("setter", "deleter") for d in s.decorator_list)
    return accessor or all(t in QUIET_DECORATORS | COMPUTED for t in told)


def _constant(name: str) -> tuple[str, ...]:
    return (CONSTANT,) if name in ("__eq__", "__ne__") else ()


def fills_in(n: ast.AST) -> bool:
    """Whether a node speaks of the dict in which reading a key it lacks puts it there."""
    match n:
        case ast.Name(id=word) | ast.Attribute(attr=word) | ast.alias(name=word):
            return word == "defaultdict"
    return False


def _classes(names: ModuleNames) -> Iterator[ast.ClassDef]:
    for tree in (names.tree, *getattr(names, "trees", ())):
        yield from (n for n in every_node(tree) if isinstance(n, ast.ClassDef))


def _bound_otherwise(s: ast.stmt, names: ModuleNames, own: frozenset[str]) -> set[str]:
    """The names that a statement of a class body binds to something of which nothing is known here."""
    match s:
        case ast.Assign(value=value) | ast.AnnAssign(value=value) | ast.AugAssign(value=value):
            stored = {n.id for n in walk(s) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}
            found = {name for name in stored & _SPECIAL if not is_handed_on(name, value, names)}
            found |= set() if is_quiet_value(value, names, own) else stored
            return found | {CONSTANT} if {"__eq__", "__ne__"} & found else found
        case ast.Expr(value=ast.Constant()) | ast.Pass() | ast.ClassDef():
            return set()
        case ast.Import(names=aliases) | ast.ImportFrom(names=aliases):
            return {alias.asname or alias.name.partition(".")[0] for alias in aliases}
    return {*_SPECIAL, *_LOOKING_UP, CONSTANT}


def is_handed_on(name: str, value: ast.expr | None, names: ModuleNames) -> bool:
    """`__hash__ = None`, `__eq__ = object.__eq__`: what a class without a say in it has; `__hash__ = Load.__hash__`."""
    match value:
        case ast.Constant(value=None):
            return name == "__hash__"
        case ast.Attribute(value=ast.Name(id=of), attr=attr) if attr == name:
            known = [bindings_of(tree) for tree in (names.tree, *names.trees)]
            if any(k.stars or k.dynamic or of in k.rebound for k in known):
                return False
            bound = [s for k in known for s in k.of.get(of, [])]
            if not bound:
                return of == "object" or (name == "__hash__" and of in _WITH_A_HASH)
            written = sum(isinstance(s, ast.ClassDef) for s in bound)
            once = written == 1 and all(isinstance(s, ast.ClassDef | ast.ImportFrom) for s in bound)
            return name == "__hash__" and once  # what that does is asked where it stands
    return False


_WITH_A_HASH = ("str", "int", "tuple", "bytes", "float", "frozenset")
