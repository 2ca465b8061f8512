"""Whether `!=` asks `==` and turns the answer round: read once more, from what is said of the two methods at all."""

import ast
import builtins
from functools import lru_cache
from importlib import import_module

from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node, once_per_tree
from dreck.proof.classes.above import above, roots_of
from dreck.source.walking import walk

_HAVING_NONE = {
    "enum.Enum",
    *(f"collections.abc.{name}" for name in ("Mapping", "MutableMapping", "Sequence", "MutableSequence", "Hashable")),
    *(f"collections.abc.{name}" for name in ("Sized", "Iterable", "Callable")),
}


@lru_cache(maxsize=16)
def asks_equality(names: ModuleNames) -> bool:
    trees = [names.tree, *names.trees]
    said = sum(len(_saying(tree).get("__ne__", ())) for tree in trees)
    calls = sum(not _is_a_call_or_method(n) for tree in trees for n in _saying(tree).get("__eq__", ()))
    bodies = [
        (kind, s) for tree in trees for kind in every_node(tree) if isinstance(kind, ast.ClassDef) for s in kind.body
    ]
    forms = sum(_is_the_form(s) for _, s in bodies)
    called = [n for tree in trees for n in every_node(tree) if isinstance(n, ast.Call) and n.args[1:]]
    made = any(_last(n.func) in _MAKING or _names_it_anew(n) for n in called)
    made = made or any(word in _saying(tree) for tree in trees for word in ("exec", "eval"))
    declines = any("NotImplemented" in _saying(tree) for tree in trees)
    if calls or said != forms or made or (forms and declines):
        return False
    equal = _with_equality(trees)
    inside = [s for tree in trees for s in every_node(tree) if getattr(s, "name", "") == "__eq__"]
    if len(inside) != sum(getattr(s, "name", "") == "__eq__" for _, s in bodies):
        return False
    if not equal:
        return True
    kinds = [kind for tree in trees for kind in every_node(tree) if isinstance(kind, ast.ClassDef)]
    below = _below(equal, kinds)
    return all(_has_none(source) for k in kinds if k.name in below for source in above(k, names))


def _names_it_anew(call: ast.Call) -> bool:
    """`setattr(kind, name, value)`, where the name does not stand there."""
    sets = _last(call.func) in ("setattr", "__setattr__")
    return sets and all(not isinstance(e, ast.Constant) for e in call.args[:-1])


_MAKING = ("type", "new_class", "make_dataclass")


def is_unequal_by_itself(kind: ast.ClassDef, names: ModuleNames) -> bool:
    """Whether `!=` of a class is said by one of Python's own above it, though `==` is said by the files."""
    if any(_said("__ne__", s) or _said("__ne__", t) for s in kind.body for t in getattr(s, "targets", [])):
        return False
    if any(_said("__ne__", s) for s in kind.body):
        return False
    return kind.name in _named_equal(names) and any(_says_unequal(source) for source in above(kind, names))


def those_of(kind: ast.ClassDef, names: ModuleNames) -> list[ast.ClassDef]:
    """A class with all that may derive from it, told by their names."""
    kinds = [n for tree in (names.tree, *names.trees) for n in every_node(tree) if isinstance(n, ast.ClassDef)]
    below = _below({kind.name}, kinds)
    return [k for k in kinds if k.name in below]


def has_equality_of_pythons(kind: ast.ClassDef, names: ModuleNames) -> bool:
    """Whether a class, or one below it, may have an `__eq__` that no file says."""
    sources = {source for k in those_of(kind, names) for source in roots_of(k, names)}
    return bool(sources - {"builtins.object", "abc.ABC", "abc.ABCMeta", "typing.Generic"})


@lru_cache(maxsize=16)
def _named_equal(names: ModuleNames) -> set[str]:
    trees = [names.tree, *names.trees]
    return _below(_with_equality(trees), [k for tree in trees for k in every_node(tree) if isinstance(k, ast.ClassDef)])


@lru_cache(maxsize=16)
def equality_gives_bools(names: ModuleNames) -> bool:
    """Whether each `__eq__` of the files gives back nothing but outcomes of comparisons and tests."""
    methods = [n for tree in (names.tree, *names.trees) for n in _saying(tree).get("__eq__", ())]
    written = [n for n in methods if not (isinstance(n, ast.Attribute) and isinstance(n.ctx, ast.Load))]
    return all(isinstance(n, ast.FunctionDef) and not n.decorator_list and _gives_bools(n) for n in written)


@lru_cache(maxsize=16)
def comparisons_give_bools(names: ModuleNames) -> bool:
    """The same of every method by which the files have a say in a comparison."""
    words = {"__ne__", "__lt__", "__le__", "__gt__", "__ge__"}
    said = [n for tree in (names.tree, *names.trees) for word in words for n in _saying(tree).get(word, ())]
    written = [n for n in said if not (isinstance(n, ast.Attribute) and isinstance(n.ctx, ast.Load))]
    fine = all(isinstance(n, ast.FunctionDef) and not n.decorator_list and _gives_bools(n) for n in written)
    return fine and equality_gives_bools(names)


def _gives_bools(method: ast.FunctionDef) -> bool:
    inner = [n for n in walk(method) if n is not method and isinstance(n, (ast.FunctionDef, ast.AsyncFunctionDef))]
    given = [n.value for n in walk(method) if isinstance(n, ast.Return)]
    lazy = any(isinstance(n, (ast.Yield, ast.YieldFrom)) for n in walk(method))
    return not inner and not lazy and all(e is not None and _is_an_outcome(e) for e in given)


def _is_an_outcome(e: ast.expr) -> bool:
    if isinstance(e, ast.BoolOp):
        return all(_is_an_outcome(part) for part in e.values)
    if isinstance(e, ast.UnaryOp):
        return isinstance(e.op, ast.Not)
    if isinstance(e, ast.Constant):
        return isinstance(e.value, bool)
    if isinstance(e, ast.Call):
        return _last(e.func) in {"isinstance", "issubclass", "all", "any", "bool", "hasattr", "callable", "__eq__"}
    return isinstance(e, ast.Compare) or (isinstance(e, ast.Name) and e.id == "NotImplemented")


def _says_unequal(source: str) -> bool:
    module, _, name = source.rpartition(".")
    if module not in ("builtins", "collections", "decimal", "datetime", "enum", "fractions", "pathlib"):
        return source == "typing.NamedTuple"
    kind = getattr(import_module(module), name, None)
    return isinstance(kind, type) and "__ne__" in _bound_above(kind) and source != "collections.Counter"


def _with_equality(trees: list[ast.Module]) -> set[str]:
    """The names of classes whose body has an `__eq__` or that are made records of."""
    found: set[str] = set()
    for kind in (n for tree in trees for n in every_node(tree) if isinstance(n, ast.ClassDef)):
        records = {_last(d.func if isinstance(d, ast.Call) else d) for d in kind.decorator_list}
        inside = [n for s in kind.body for n in (s, *getattr(s, "targets", []), *getattr(s, "body", []))]
        if "dataclass" in records or any(_said("__eq__", n) for n in inside):
            found.add(kind.name)
    return found


def _below(names: set[str], kinds: list[ast.ClassDef]) -> set[str]:
    found = set(names)
    grown = bool(found)
    while grown:
        more = {k.name for k in kinds if k.name not in found and any(_last(b) in found for b in k.bases)}
        found |= more
        grown = bool(more)
    return found


_FIELDS = ("name", "id", "attr", "value", "asname", "arg")


def _said(word: str, n: ast.AST) -> bool:
    return any(getattr(n, field, None) == word for field in _FIELDS)


@once_per_tree
def _saying(tree: ast.Module) -> dict[str, list[ast.AST]]:
    """The nodes of a file that say the name of a special method, or another word that counts here, by that name."""
    found: dict[str, list[ast.AST]] = {}
    for n in every_node(tree):
        told = (getattr(n, field, None) for field in _FIELDS)
        for word in {w for w in told if isinstance(w, str) and (w.startswith("__") or w in _TELLING)}:
            found.setdefault(word, []).append(n)
    return found


_TELLING = frozenset({"exec", "eval", "NotImplemented"})


def _is_a_call_or_method(n: ast.AST) -> bool:
    """`dict.__eq__(self, other)`, read; `def __eq__`."""
    reads = isinstance(n, ast.Attribute) and isinstance(n.ctx, ast.Load)
    return reads or isinstance(n, ast.FunctionDef)


def _is_the_form(s: ast.stmt) -> bool:
    if not isinstance(s, ast.FunctionDef) or s.name != "__ne__" or s.decorator_list:
        return False
    given = [a.arg for a in s.args.args]
    said = [part for part in s.body if not isinstance(getattr(part, "value", None), ast.Constant)]
    asked = [getattr(getattr(part, "value", None), "operand", None) for part in said]
    match said, asked:
        case [ast.Return(value=ast.UnaryOp(op=ast.Not()))], [
            ast.Compare(left=ast.Name(id=left), ops=[ast.Eq()], comparators=[ast.Name(id=right)])
        ]:
            return [left, right] == given
    return False


def _last(base: ast.expr) -> str:
    """The last part of a name, `Mapping` of `abc.Mapping[str, int]`."""
    opened = base.value if isinstance(base, ast.Subscript) else base
    return opened.attr if isinstance(opened, ast.Attribute) else getattr(opened, "id", "")


def _has_none(source: str) -> bool:
    module, _, name = source.rpartition(".")
    plain = module == "builtins" and "__ne__" not in _bound_above(getattr(builtins, name, None))
    return plain or source in _HAVING_NONE


def _bound_above(kind: object) -> set[str]:
    """What a class of Python's own and those above it bind, `object` left out."""
    if not isinstance(kind, type):
        return {"__ne__"}
    return {word for one in kind.__mro__ if one is not object for word in vars(one)}
