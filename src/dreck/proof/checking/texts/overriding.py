"""Classes of the files that make reading or comparing do more than that, read once more from the plain tree.

The prover keeps a summary for each class; here each question is put anew: does the body of this class give this
attribute, or this special method, code of its own that could be noticed?
"""

import ast
from collections.abc import Container
from dataclasses import dataclass
from functools import lru_cache

from dreck.model.names.bindings import bindings_of
from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node
from dreck.proof.checking.texts.inverting import comparisons_give_bools, is_unequal_by_itself
from dreck.proof.checking.texts.noticed import comes_to, declines_constants, is_tame, parts_of
from dreck.proof.checking.texts.shaping import may_get, names_given
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

SPECIALS: dict[str, frozenset[str]] = {
    "eq": frozenset({"__eq__", "__ne__"}),
    "eq constant": frozenset({"__eq__", "__ne__"}),
    "order": frozenset({"__lt__", "__le__", "__gt__", "__ge__"}),
    "in": frozenset({"__contains__", "__iter__", "__getitem__"}),
    "truth": frozenset({"__bool__", "__len__"}),
    "hash": frozenset({"__hash__"}),
    "isinstance": frozenset({"__instancecheck__", "__subclasscheck__", "__subclasshook__"}),
}
"""The special methods by which a class has a say in a comparison."""
_LOOKING_UP = frozenset({"__getattr__", "__getattribute__", "__class__", "__dict__", "__get__"})
_HARMLESS_CALLS = frozenset(
    {"isinstance", "len", "bool", "type", "abs", "hash", "min", "max", "sum", "round", "int", "float", "str", "tuple",
     "iter", "id", "repr"}
)  # fmt: skip
_PLAIN_WRAPPERS = frozenset(
    {"staticmethod", "classmethod", "abstractmethod", "contextmanager", "asynccontextmanager", "lru_cache", "cache",
     "overload", "override", "final", "wraps", "setter", "deleter"}
)  # fmt: skip
_PLAIN_MAKERS = frozenset(
    {"field", "auto", "frozenset", "tuple", "list", "dict", "set", "compile", "object", "int", "str", "float"}
)
_SHUT = (ast.FunctionDef, ast.AsyncFunctionDef, ast.Lambda)


@dataclass(frozen=True, slots=True)
class _Body:
    """A class: whether it is clear what its body binds, and the statements by the names they bind."""

    node: ast.ClassDef
    tree: ast.Module
    is_tame: bool
    bound: dict[str, list[ast.stmt]]


@lru_cache(maxsize=512)
def overriding(names: ModuleNames, what: str) -> tuple[ast.ClassDef, ...]:
    """The classes, wherever they stand, that override a kind of comparison (a key of `SPECIALS`) or an attribute."""
    found = _overrides_special if what in SPECIALS else _overrides_attribute
    return tuple(body.node for body in _classes(names) if found(body, what, names))


@lru_cache(maxsize=64)
def puts_special(names: ModuleNames, what: str) -> bool:
    """Whether a special method that has a say in a comparison is put on a class later, or spoken of as a text."""
    words = SPECIALS.get(what, frozenset())
    return any(may_get(names, word) for word in words) or says_special(names, what)


def says_special(names: ModuleNames, what: str) -> bool:
    """Whether such a method is set or taken away by its name, or its name stands there as a text."""
    words = SPECIALS.get(what, frozenset())
    told = (n for tree in _trees(names) for n in every_node(tree))
    return any(getattr(n, "value", None) in words if isinstance(n, ast.Constant) else _is_put(n, words) for n in told)


def _is_put(n: ast.AST, words: frozenset[str]) -> bool:
    if isinstance(n, ast.keyword):
        return n.arg in words  # `dict(__eq__=loud)`, of which a class is made
    return isinstance(n, ast.Attribute) and n.attr in words and not isinstance(n.ctx, ast.Load)


def reads_itself(node: ast.ClassDef, name: str, names: ModuleNames) -> bool:
    """Whether the class object, asked for an attribute, gives it without running code of this body."""
    if not all(map(is_tame, parts_of(node.body))):
        return False
    for s in _bindings_of(node).get(name, ()):
        told = [_last_name(d) for d in s.decorator_list] if isinstance(s, _SHUT[:2]) else []
        if not _is_plain_value(s, names, _bindings_of(node)) or not set(told) <= _PLAIN_WRAPPERS | {
            "property",
            "cached_property",
        }:
            return False
    return True


def _overrides_attribute(body: _Body, name: str, names: ModuleNames) -> bool:
    if not body.is_tame or any(body.bound.get(n) for n in _LOOKING_UP):
        return True
    return any(not _is_plain_to_read(s, names, body.bound) for s in body.bound.get(name, ()))


def _overrides_special(body: _Body, what: str, names: ModuleNames) -> bool:
    if not body.is_tame:
        return True
    metaclasses = [k.value for k in body.node.keywords if k.arg == "metaclass"]
    if what == "isinstance" and metaclasses:
        return any(_last_name(e) != "ABCMeta" for e in metaclasses)
    if what in ("eq", "eq constant") and is_unequal_by_itself(body.node, names):
        return True
    firm = what not in ("eq", "order") or comparisons_give_bools(names)
    for special in SPECIALS[what]:
        for s in body.bound.get(special, ()):
            if _is_taken_from(s, special, names):
                continue
            if not isinstance(s, ast.FunctionDef) or s.decorator_list:
                return True
            if what == "eq constant":
                if not declines_constants(s, body.node, body.tree, names):
                    return True
            elif not (firm and _keeps_to(s, special)) or _leads_to_loud(s, names):
                return True
    return False


def _is_taken_from(s: ast.stmt, special: str, names: ModuleNames) -> bool:
    """`__hash__ = None`, `__eq__ = object.__eq__`; `__hash__ = Load.__hash__`, which is asked where it stands."""
    value = getattr(s, "value", None)
    told = "" if value is None else ast.unparse(value)
    of, _, attribute = told.rpartition(".")
    if told == "None" or attribute != special or special not in _TAKEN:
        return told == "None" and special == "__hash__"
    meant = [(known, known.of.get(of, [])) for known in map(bindings_of, _trees(names))]
    if any(known.stars or known.dynamic or of in known.rebound for known, _ in meant):
        return False
    bound = [type(b) for _, found in meant for b in found]
    if bound:
        return special == "__hash__" and set(bound) <= {ast.ClassDef, ast.ImportFrom} and bound.count(ast.ClassDef) == 1
    return of == "object" or (special == "__hash__" and of in _BUILTINS)


_TAKEN = ("__eq__", "__ne__", "__hash__")
_BUILTINS = ("str", "int", "tuple", "bytes", "float", "frozenset")
_KINDS = {
    **{special: what for what, specials in SPECIALS.items() for special in specials if what != "eq constant"},
    "__missing__": "item", "__index__": "index", "__next__": "in",
    "__str__": "told", "__repr__": "told", "__format__": "told",
    "__getattr__": "lookup", "__getattribute__": "lookup", "__class__": "lookup",
    "__dict__": "lookup",
}  # fmt: skip
"""By special method what leads to it; those that are not here are the numbers' own."""


def _kind_of(name: str) -> str:
    if name in _KINDS or not (name.startswith("__") and name.endswith("__")):
        return _KINDS.get(name, f".{name}")
    return "number"


@lru_cache(maxsize=16)
def _loud(names: ModuleNames) -> frozenset[str] | None:
    """The attributes (`.name`) and kinds of special methods behind which something may be noticed; None: any."""
    found = (
        {f".{name}" for name in _put_late(names) if is_put_on_a_class(names, str(name))}
        | {"anything"}
        | _filling_in(names)
    )
    given = names_given(names)
    if given is None:
        return None
    found |= {f".{name}" for name in given} | {_kind_of(name) for name in given if name.startswith("__")}
    quiet: list[tuple[set[str], set[str]]] = []
    for body in _classes(names):
        if not body.is_tame:
            return None
        for name, statements in body.bound.items():
            for s in statements:
                told = {_kind_of(name), f".{name}"}
                if _kind_of(name) == "truth" and not comparisons_give_bools(names):
                    told.add("compared")
                if name in ("__eq__", "__ne__") and not (
                    isinstance(s, ast.FunctionDef) and declines_constants(s, body.node, body.tree, names)
                ):
                    told.add("constant")
                if name in _TAKEN and _is_taken_from(s, name, names):
                    continue
                if not isinstance(s, _SHUT[:2]):
                    found |= told if name.startswith("__") or not _is_plain_value(s, names, body.bound) else set()
                elif _kind_of(name) == "lookup":
                    found |= told
                elif _kind_of(name)[0] != "." or not {_last_name(d) for d in s.decorator_list} <= _PLAIN_WRAPPERS:
                    if name in _NOT_ASKED:
                        continue
                    made = {_last_name(d) for d in s.decorator_list} - _PLAIN_WRAPPERS - {"property", "cached_property"}
                    if all(map(_only_answers, s.body)) and not made:
                        quiet.append((told, comes_to(s, _trees(names))))
                    else:
                        found |= told
    while True:
        more = {name for told, reached in quiet if reached & found for name in told}
        if more <= found:
            return frozenset(found)
        found |= more


def _filling_in(names: ModuleNames) -> set[str]:
    """`item`, where the files speak of dicts that fill themselves in when they are read."""
    nodes = (n for tree in _trees(names) for n in every_node(tree))
    spoken = ({getattr(n, "id", ""), getattr(n, "attr", ""), getattr(n, "name", "")} for n in nodes)
    return {"item"} if any("defaultdict" in words for words in spoken) else set()


_NOT_ASKED = frozenset({"__init__", "__new__", "__post_init__", "__setattr__", "__delattr__", "__call__", "__enter__",
                        "__exit__", "__aenter__", "__aexit__", "__del__", "__setitem__", "__delitem__", "__set__",
                        "__init_subclass__", "__class_getitem__", "__getstate__", "__setstate__", "__reduce__",
                        "__reduce_ex__", "__copy__", "__deepcopy__", "__reversed__", "__await__", "__aiter__",
                        "__anext__", "__dir__", "__sizeof__", "__fspath__", "__bytes__", "__set_name__", "__slots__",
                        "__getnewargs__", "__getnewargs_ex__", "__prepare__", "__iadd__", "__isub__", "__imul__",
                        "__ior__", "__iand__", "__ixor__", "__itruediv__", "__ifloordiv__", "__imod__", "__ipow__",
                        "__get__", "__delete__", "__mro_entries__", "__doc__", "__module__",
                        "__annotations__"})  # fmt: skip
"""What code that reads, compares and counts does not come to."""


def _leads_to_loud(s: FunctionNode, names: ModuleNames) -> bool:
    loud = _loud(names)
    return loud is None or not loud.isdisjoint(comes_to(s, _trees(names)))


def _bindings_of(node: ast.ClassDef) -> dict[str, list[ast.stmt]]:
    """The statements of a class body by each name that they bind."""
    found: dict[str, list[ast.stmt]] = {}
    for s in parts_of(node.body):
        if isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef):
            found.setdefault(s.name, []).append(s)
        elif isinstance(s, ast.Import | ast.ImportFrom):
            for alias in s.names:
                found.setdefault(alias.asname or alias.name.partition(".")[0], []).append(s)
        else:
            stored = (n.id for n in walk(s) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store))
            for name in dict.fromkeys(stored):
                found.setdefault(name, []).append(s)
    return found


def _is_plain_to_read(s: ast.stmt, names: ModuleNames, own: Container[str]) -> bool:
    """Whether reading from an object what the statement binds runs nothing that can be noticed."""
    if not isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef):
        return _is_plain_value(s, names, own)
    told = {_last_name(d) for d in s.decorator_list}
    if told & {"property", "cached_property"}:
        plain = told <= {"property", "cached_property", "abstractmethod"} and all(map(_only_answers, s.body))
        return plain and not _leads_to_loud(s, names)
    return told <= _PLAIN_WRAPPERS


def _is_plain_value(s: ast.stmt, names: ModuleNames, own: Container[str]) -> bool:
    if isinstance(s, ast.Import | ast.ImportFrom):
        return False
    value = getattr(s, "value", None)
    return value is None or _holds_no_object(value, names, own)


def _holds_no_object(value: ast.expr, names: ModuleNames, own: Container[str] = ()) -> bool:
    """Whether nothing in an expression is an object that the file has made: such a one may be a descriptor.

    The `own` names of a class body are what that binds to them.
    """
    for n in walk(value):
        if isinstance(n, ast.Call) and not (_last_name(n.func) in _PLAIN_MAKERS and names.stands_for(n.func)):
            return False
        if isinstance(n, ast.Name) and (n.id in own or (n.id not in names.tables.known and names.may_be_made(n.id))):
            return False
    return True


def is_put_on_a_class(names: ModuleNames, name: str) -> bool:
    """Whether an object may be put on a class under that name after it was made."""
    if may_get(names, name) or any(may_get(names, word) for word in _LOOKING_UP):
        return True
    return any(not in_function or _stands_for_class(on, names) for on, in_function in _put_late(names).get(name, ()))


@lru_cache(maxsize=16)
def _put_late(names: ModuleNames) -> dict[object, list[tuple[ast.expr, bool]]]:
    """By name, on what objects that may be descriptors are put, and whether a function does it."""
    found: dict[object, list[tuple[ast.expr, bool]]] = {}
    for tree in _trees(names):
        inside = {n for f in every_node(tree) if isinstance(f, _SHUT[:2]) for n in walk(f)}
        given: dict[ast.AST, ast.expr | None] = {}
        for n in every_node(tree):
            if isinstance(n, ast.Assign | ast.AnnAssign | ast.AugAssign):
                given |= dict.fromkeys(n.targets if isinstance(n, ast.Assign) else [n.target], n.value)
        for n in every_node(tree):
            if isinstance(n, ast.Attribute) and isinstance(n.ctx, ast.Store):
                value = given.get(n)
                if value is None or not _holds_no_object(value, names):
                    found.setdefault(n.attr, []).append((n.value, n in inside))
            elif isinstance(n, ast.Call) and _last_name(n.func) == "setattr":
                match n.args:
                    case [on, ast.Constant(value=name), value] if not _holds_no_object(value, names):
                        found.setdefault(name, []).append((on, n in inside))
    return found


def _stands_for_class(e: ast.expr, names: ModuleNames) -> bool:
    if _make_descriptors(names):
        return getattr(e, "id", "") != "self"
    if isinstance(e, ast.Name):
        return e.id == "cls" or isinstance(names.definitions.get(e.id), ast.ClassDef)
    asked = isinstance(e, ast.Call) and _last_name(e) == "type"
    return asked or (isinstance(e, ast.Attribute) and e.attr == "__class__")


@lru_cache(maxsize=16)
def _make_descriptors(names: ModuleNames) -> bool:
    return any(_makes_descriptor(n) for tree in _trees(names) for n in every_node(tree))


@lru_cache(maxsize=16)
def _classes(names: ModuleNames) -> tuple[_Body, ...]:
    found = ((n, tree) for tree in _trees(names) for n in every_node(tree) if isinstance(n, ast.ClassDef))
    return tuple(_Body(n, tree, all(map(is_tame, parts_of(n.body))), _bindings_of(n)) for n, tree in found)


def _trees(names: ModuleNames) -> tuple[ast.Module, ...]:
    return names.tree, *getattr(names, "trees", ()), *getattr(names, "others", ())


def _makes_descriptor(n: ast.AST) -> bool:
    """A class with `__get__`, or `property(…)` as a call."""
    if isinstance(n, ast.Call):
        return _last_name(n.func) in ("property", "cached_property")
    return isinstance(n, ast.FunctionDef) and n.name == "__get__"


def _keeps_to(s: FunctionNode, special: str) -> bool:
    """Whether a special method only answers, and answers as the assumption says."""
    if not all(map(_only_answers, s.body)):
        return False
    answers = [n.value for n in walk(s) if isinstance(n, ast.Return)]
    if special == "__eq__":
        asked = any(isinstance(n, ast.Call) and _last_name(n.func) == "isinstance" for n in walk(s))
        return asked and all(_is_truth(a) or _declines(a) for a in answers)
    if special in SPECIALS["order"]:
        return all(isinstance(a, ast.Compare) or _declines(a) for a in answers)
    return special != "__ne__" and special not in SPECIALS["isinstance"]


def _only_answers(s: ast.stmt) -> bool:
    """Returns and tests, of reads, comparisons and harmless calls; it changes nothing and raises nothing itself."""
    match s:
        case ast.Return(value=value):
            return value is None or _only_reads(value)
        case ast.Assign(targets=[ast.Name()], value=value):
            return _only_reads(value)
        case ast.If(test=test, body=body, orelse=orelse):
            return _only_reads(test) and all(map(_only_answers, [*body, *orelse]))
        case ast.Expr(value=value):
            return _only_reads(value)
    return isinstance(s, ast.Pass)


def _only_reads(e: ast.expr) -> bool:
    for n in walk(e):
        named = isinstance(n, ast.Call) and isinstance(n.func, ast.Name) and n.func.id in _HARMLESS_CALLS
        if isinstance(n, ast.Call) and not (named or ast.unparse(n).endswith(".__hash__()")):
            return False
        if isinstance(n, ast.Call) and ast.unparse(n.func) == "type" and len(n.args) != 1:
            return False
        if isinstance(n, ast.NamedExpr | ast.Await | ast.Yield | ast.YieldFrom | ast.comprehension | ast.Lambda):
            return False
    return True


def _is_truth(e: ast.expr | None) -> bool:
    match e:
        case ast.Compare() | ast.Constant(value=False):
            return True
        case ast.Call(func=ast.Name(id="isinstance")):
            return True
        case ast.BoolOp(op=ast.And(), values=values):
            return all(map(_is_truth, values))
    return False


def _declines(e: ast.expr | None) -> bool:
    return isinstance(e, ast.Name) and e.id == "NotImplemented"


def _last_name(e: ast.expr) -> str:
    told = e.func if isinstance(e, ast.Call) else e
    return told.attr if isinstance(told, ast.Attribute) else told.id if isinstance(told, ast.Name) else ""
