"""`!=` as the opposite of `==`, whatever `==` does: of all objects of classes of the files (language reference, 3.3.1).

`object.__ne__` asks `__eq__` and turns its answer round. A class with an `__eq__` of its own that derives from one with
an `__ne__` (`str`, `dict`, `tuple`) does something else; so does one with an `__ne__` that does more than that.
"""

import ast
import builtins
from collections.abc import Sequence
from functools import lru_cache
from importlib import import_module

from dreck.model.names.bindings import bound_by, statements_of
from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node
from dreck.proof.classes.above import above
from dreck.source.walking import walk

_WORDS = ("__eq__", "__ne__")
_WITHOUT = frozenset({"enum.Enum", "collections.abc.Mapping", "collections.abc.MutableMapping",
                      "collections.abc.Sequence", "collections.abc.MutableSequence", "collections.abc.Hashable",
                      "collections.abc.Sized", "collections.abc.Iterable", "collections.abc.Callable"})  # fmt: skip
"""Classes of the library that have no `__ne__` of their own."""


@lru_cache(maxsize=16)
def inverts_equality(names: ModuleNames) -> bool:
    """Whether `x != y` is `not x == y` for whatever the files define; what they do not define is taken to be so."""
    trees = (names.tree, *names.trees)
    if any(_is_put_there(n) or _makes_a_class(n) for tree in trees for n in every_node(tree)):
        return False
    classes = [n for tree in trees for n in every_node(tree) if isinstance(n, ast.ClassDef)]
    defined = [s for kind in classes for s in statements_of(kind.body) if "__ne__" in bound_by(s)]
    every = [n for tree in trees for n in every_node(tree) if getattr(n, "name", "") == "__ne__"]
    if len(defined) != len(every) or not all(map(_turns_round, defined)):
        return False
    if defined and any(
        isinstance(n, ast.Name) and n.id == "NotImplemented" for tree in trees for n in every_node(tree)
    ):
        return False  # one declines, the other's `__ne__` asks the first one once more
    equal = sum(getattr(n, "name", "") == "__eq__" for tree in trees for n in every_node(tree))
    if equal != sum(getattr(s, "name", "") == "__eq__" for kind in classes for s in kind.body):
        return False  # one stands under a condition
    return all(_derives_plainly(kind, names) for kind in classes if id(kind) in _with_equality(names))


@lru_cache(maxsize=16)
def equality_is_a_bool(names: ModuleNames) -> bool:
    """Whether what each `__eq__` of the files gives back is an outcome: of a comparison, a test, what Python tests."""
    return _give_bools(frozenset({"__eq__"}), names)


@lru_cache(maxsize=16)
def comparing_gives_bools(names: ModuleNames) -> bool:
    """The same of all comparisons."""
    return _give_bools(frozenset({*_WORDS, "__lt__", "__le__", "__gt__", "__ge__"}), names)


def _give_bools(words: frozenset[str], names: ModuleNames) -> bool:
    for tree in (names.tree, *names.trees):
        for n in every_node(tree):
            if isinstance(n, ast.ClassDef):
                bound = [s for s in statements_of(n.body) if words & set(bound_by(s))]
                if not all(isinstance(s, ast.FunctionDef) and _gives_bools(s) for s in bound):
                    return False
            elif _is_put_there(n, words | {*_WORDS}):
                return False
    return True


def _gives_bools(s: ast.FunctionDef) -> bool:
    nodes = list(walk(s))
    if s.decorator_list or any(isinstance(n, ast.Yield | ast.YieldFrom | ast.Lambda) for n in nodes):
        return False
    if any(isinstance(n, ast.FunctionDef | ast.AsyncFunctionDef) for n in nodes[1:]):
        return False
    return all(_is_bool(n.value) for n in nodes if isinstance(n, ast.Return))


def _is_bool(e: ast.expr | None) -> bool:
    match e:
        case ast.Compare() | ast.UnaryOp(op=ast.Not()) | ast.Constant(value=bool()) | ast.Name(id="NotImplemented"):
            return True
        case ast.BoolOp(values=values):
            return all(map(_is_bool, values))
        case ast.Call(func=ast.Name(id="isinstance" | "issubclass" | "all" | "any" | "bool" | "hasattr" | "callable")):
            return True
        case ast.Call(func=ast.Attribute(attr="__eq__")):
            return True
    return False


def hides_inequality(kind: ast.ClassDef, names: ModuleNames) -> bool:
    """Whether a class has an `__eq__` and, from a class of Python's own, an `__ne__` that knows nothing of it."""
    if any("__ne__" in bound_by(s) for s in statements_of(kind.body)):
        return False
    return id(kind) in _with_equality(names) and any(map(_has_its_own, above(kind, names)))


@lru_cache(maxsize=16)
def _with_equality(names: ModuleNames) -> set[int]:
    """The classes that have an `__eq__` from the files, by their identity."""
    trees = (names.tree, *names.trees)
    classes = [n for tree in trees for n in every_node(tree) if isinstance(n, ast.ClassDef)]
    own = {one.name for one in classes if _says_what_is_equal(one)}
    return below(own, classes)


def _says_what_is_equal(kind: ast.ClassDef) -> bool:
    """By a method, or as the decorator of a record makes one."""
    records = [d.func if isinstance(d, ast.Call) else d for d in kind.decorator_list]
    last = {d.attr if isinstance(d, ast.Attribute) else getattr(d, "id", "") for d in records}
    return "dataclass" in last or any("__eq__" in bound_by(s) for s in statements_of(kind.body))


def _makes_a_class(n: ast.AST) -> bool:
    """`type("Gate", (Base,), {})`: a class that stands nowhere; and what may put anything onto one."""
    match n:
        case ast.Call(func=ast.Name(id="type"), args=[_, _, *_]):
            return True
        case ast.Call(func=ast.Name(id="setattr") | ast.Attribute(attr="__setattr__"), args=[_, *rest]):
            return not any(isinstance(e, ast.Constant) for e in rest[:-1])  # under a name that is worked out
        case ast.Name(id=word) | ast.Attribute(attr=word):
            return word in ("new_class", "make_dataclass", "exec", "eval")
    return False


def _is_put_there(n: ast.AST, words: frozenset[str] = frozenset(_WORDS)) -> bool:
    """Whether one of the methods is set in another way than by a class body, or spoken of as a text."""
    match n:
        case ast.Attribute(attr=word, ctx=ast.Store() | ast.Del()) | ast.Constant(value=str() as word):
            return word in words
        case ast.alias(name=word, asname=other):
            return word in words or other in words
    return False


def _turns_round(s: ast.stmt) -> bool:
    """`def __ne__(self, other): return not self == other`."""
    if not isinstance(s, ast.FunctionDef) or s.decorator_list or len(s.args.args) != 2 or s.args.defaults:
        return False
    mine, other = (a.arg for a in s.args.args)
    body = [b for b in s.body if not (isinstance(b, ast.Expr) and isinstance(b.value, ast.Constant))]
    return [ast.unparse(b) for b in body] == [f"return not {mine} == {other}"]


def below(own: set[str], classes: Sequence[ast.ClassDef]) -> set[int]:
    """Those of the classes, by their identity, that are of these names or derive from such."""
    found = set(own)
    grown = bool(own)
    while grown:
        more = {kind.name for kind in classes if kind.name not in found and found & set(map(last_of, kind.bases))}
        found |= more
        grown = bool(more)
    return {id(kind) for kind in classes if kind.name in found}


def last_of(base: ast.expr) -> str:
    opened = base.value if isinstance(base, ast.Subscript) else base
    return opened.attr if isinstance(opened, ast.Attribute) else getattr(opened, "id", "")


def _derives_plainly(kind: ast.ClassDef, names: ModuleNames) -> bool:
    return all(source in _WITHOUT or _is_plain_builtin(source) for source in above(kind, names))


def _has_its_own(source: str) -> bool:
    """Whether a class of Python's own surely has an `__ne__` that is not the one of every object."""
    module, _, name = source.rpartition(".")
    if source == "typing.NamedTuple":
        return True
    kind = getattr(import_module(module), name, None) if module in _LOOKED_INTO else None
    return isinstance(kind, type) and not _is_of_every_object(kind) and source != "collections.Counter"


_LOOKED_INTO = frozenset({"builtins", "collections", "decimal", "datetime", "enum", "fractions", "pathlib"})


def _is_plain_builtin(source: str) -> bool:
    module, _, name = source.rpartition(".")
    return module == "builtins" and _is_of_every_object(getattr(builtins, name, None))


def _is_of_every_object(kind: object) -> bool:
    """Whether the `__ne__` of a class is that of `object`."""
    special: object = getattr(kind, "__ne__", None)
    return special is vars(object)["__ne__"]
