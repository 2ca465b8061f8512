"""Members of plain enums that both versions define alike."""

import ast
import re
from dataclasses import dataclass
from functools import lru_cache

from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node, once_per_tree
from dreck.model.narrowing import Member
from dreck.proof.classes.put_later import specials_put
from dreck.proof.classes.table import ClassTable
from dreck.source.walking import walk


@dataclass(frozen=True, slots=True)
class Enums:
    table: ClassTable
    other: ClassTable

    def member(self, enum: str, name: str) -> Member | None:
        """A member of an enum that both versions define alike; None for everything else."""
        mine = members_of(self.table, enum)
        return Member(enum, name) if mine is not None and name in mine and self._are_alike(enum) else None

    def is_valued(self, enum: str, name: str) -> bool:
        """Whether it is a member of an enum over whole numbers or texts, which both versions define alike."""
        mine = valued_members(self.table, enum)
        return mine is not None and name in mine and mine == valued_members(self.other, enum)

    def names(self, enum: str) -> list[str]:
        """The names of all members of an enum that both versions define alike."""
        return list(members_of(self.table, enum) or {}) if self._are_alike(enum) else []

    def is_enum(self, kind: str) -> bool:
        """Whether a class derives from `enum.Enum` alone, however plain it is otherwise."""
        return _is_enum(self.table, kind)

    def may_be_put(self, kind: str) -> bool:
        """Whether it is an enum, and something may put another thing in the place of a member."""
        return self.is_enum(kind) and _sets_past_classes(self.table.names)

    def _are_alike(self, enum: str) -> bool:
        mine = members_of(self.table, enum)
        return mine is not None and mine == members_of(self.other, enum)

    def is_valued_or_plain(self, kind: str) -> bool:
        """Whether it is an enum whose members nothing can put anew."""
        mine = members_of(self.table, kind, _KEYED)
        return mine is not None or valued_members(self.table, kind, _KEYED) is not None

    def has_distinct_constants(self, kind: str) -> bool:
        """Whether the constants of a class, members or not, are plainly different ones."""
        if self.is_valued_or_plain(kind):
            return True
        if _sets_past_classes(self.table.names) or _word_of(kind) in _handed_on(self.table.names):
            return False
        if not self.table.is_understood(kind) or self.table.order(kind) != (kind,):
            return False
        node = self.table.classes[kind]
        values = [s.value for s in node.body if isinstance(s, ast.Assign | ast.AnnAssign)]
        known = [v.value for v in values if isinstance(v, ast.Constant)]
        alone = all(len(statements) == 1 for statements in self.table.bound_in(kind).values())
        return not node.decorator_list and alone and len(known) == len(values) == len(set(known))


_NO_MEMBERS = frozenset(
    {"builtins.property", "builtins.staticmethod", "builtins.classmethod", "functools.cached_property", "enum.property"}
)
"""Decorators that make no member of a function."""


_KEYED = frozenset({"__eq__", "__ne__", "__hash__"})
"""What says where a table finds a member."""
_COMPARING = _KEYED | {"__bool__", "__len__"}
"""That, and how it compares: put on any class, it may be that of an enum."""


def members_of(table: ClassTable, kind: str, saying: frozenset[str] = _COMPARING) -> dict[str, str] | None:
    """The members of a class that derives from `enum.Enum` alone, with their values as code; None for the less plain,
    and where anything may put one of the methods `saying` on it.

    Names with an underscore before them mean something to `enum` itself, so a class that has one is no plain enum.
    """
    return _members(table, kind, saying) if _is_enum(table, kind) else None


def valued_members(table: ClassTable, kind: str, saying: frozenset[str] = _COMPARING) -> dict[str, str] | None:
    """The members of an enum over whole numbers or texts, with their values as code; None for the less plain.

    Such a member is one object, and equal to more than itself: to what its value is equal to.
    """
    node = table.classes.get(kind)
    over = _OVER.get(tuple(table.names.stands_for(b) for b in node.bases)) if node is not None else None
    found = _members(table, kind, saying, _SHOWING) if over is not None else None
    if found is None or over is None:
        return None
    return found if all(type(ast.literal_eval(value)) in over for value in found.values()) else None


_OVER: dict[tuple[str, ...], tuple[type, ...]] = {
    ("enum.IntEnum",): (int, tuple),
    ("builtins.int", "enum.Enum"): (int,),
    ("enum.StrEnum",): (str,),
    ("builtins.str", "enum.Enum"): (str,),
}
"""By the bases, what the values may be as they are written; the pair that stands for `auto()` is a number alone."""
_SHOWING = frozenset({"__str__", "__repr__", "__format__"})


def _members(
    table: ClassTable, kind: str, saying: frozenset[str], special: frozenset[str] = frozenset()
) -> dict[str, str] | None:
    node = table.classes[kind]
    if not {table.names.stands_for(d) for d in node.decorator_list} <= {"enum.unique"}:
        return None
    if not table.has_plain_body(kind) or node.keywords or kind in _made_by_hand(table.names):
        return None
    if _sets_past_classes(table.names) or _word_of(kind) in _handed_on(table.names):
        return None
    if specials_put(table.names) & saying:
        return None
    found: dict[str, object] = {}
    autos = 0
    for name, statements in table.bound_in(kind).items():
        if (name.startswith("_") and name not in special) or len(statements) > 1:
            return None
        match statements[0]:
            case ast.Assign(targets=[ast.Name()], value=ast.Constant(value=value)) if name not in special:
                found[name] = value
            case ast.Assign(
                targets=[ast.Name()], value=ast.UnaryOp(op=ast.USub(), operand=ast.Constant(value=int() as value))
            ) if name not in special:
                found[name] = -value
            case ast.Assign(targets=[ast.Name()], value=ast.Call(func=called, args=[], keywords=[])) if (
                name not in special
            ):
                if table.names.stands_for(called) != "enum.auto":
                    return None
                autos += 1
                found[name] = ("auto", autos)
            case ast.FunctionDef(decorator_list=told) if {table.names.stands_for(d) for d in told} <= _NO_MEMBERS:
                continue
            case _:
                return None
    distinct = len(set(found.values())) == len(found) and autos in (0, len(found))
    return {name: repr(value) for name, value in found.items()} if distinct else None


def _is_enum(table: ClassTable, kind: str) -> bool:
    node = table.classes.get(kind)
    return node is not None and [table.names.stands_for(b) for b in node.bases] == ["enum.Enum"]


@lru_cache(maxsize=16)
def _made_by_hand(names: ModuleNames) -> frozenset[str]:
    """The classes of which the files make objects past what makes them: `object.__new__(Kind)`."""
    found = set[str]()
    for tree in (names.tree, *names.trees, *names.others):
        for n in every_node(tree):
            match n:
                case ast.Call(func=ast.Attribute(attr="__new__"), args=[ast.Name(id=kind), *_]):
                    found.add(kind)
    return frozenset(found)


@lru_cache(maxsize=16)
def _sets_past_classes(names: ModuleNames) -> bool:
    """Whether something in the files may put another thing in the place of a member, which `enum` itself refuses:
    what `type` sets attributes by, or `type` itself, is handed on; an object is given another class."""
    return any(map(_may_set_past, (names.tree, *names.trees, *names.others)))


@once_per_tree
def _may_set_past(tree: ast.Module) -> bool:
    quiet = _said_of_types(tree)
    return any(n not in quiet and _reaches_setting(n) for n in every_node(tree))


_SETTERS = frozenset({"__setattr__", "__delattr__"})
_OF_ENUMS = frozenset({"EnumMeta", "EnumType"})
_INTO_MEMORY = frozenset({"gc", "ctypes"})
"""Modules by which one comes to what objects are made of."""
_LOOKING = frozenset({"isinstance", "issubclass", "map", "filter", "cast", "getattr", "hasattr", "zip", "sorted"})


def _is_class_of_class(e: ast.expr) -> bool:
    match e:
        case ast.Call(func=ast.Name(id="type"), args=[of]) | ast.Attribute(value=of, attr="__class__"):
            return _is_class_of(of)
    return False


def _is_class_of(e: ast.expr) -> bool:
    match e:
        case ast.Call(func=ast.Name(id="type"), args=[_]) | ast.Attribute(attr="__class__"):
            return True
    return False


@lru_cache(maxsize=16)
def _handed_on(names: ModuleNames) -> frozenset[str]:
    """What is handed to a call with something else behind it, as one that sets attributes wants it."""
    calls = (n for t in (names.tree, *names.trees, *names.others) for n in every_node(t) if isinstance(n, ast.Call))
    several = (c for c in calls if len(c.args) > 1 and not (isinstance(c.func, ast.Name) and c.func.id in _LOOKING))
    return frozenset(_last_word(c.args[0]) for c in several)


def _word_of(kind: str) -> str:
    return re.split(r"\W", kind)[-1]


def _reaches_setting(n: ast.AST) -> bool:
    match n:
        case ast.Import(names=told) if any(a.name.partition(".")[0] in _INTO_MEMORY for a in told):
            return True
        case ast.ImportFrom(module=str() as module) if module.partition(".")[0] in _INTO_MEMORY:
            return True
        case ast.Call(func=ast.Name(id="getattr"), args=[of, name, *_]) if not isinstance(name, ast.Constant):
            return _last_word(of) == "type" or _is_class_of_class(of)
        case ast.Attribute(value=of, attr="__class__", ctx=ast.Store()):
            return not (isinstance(of, ast.Name) and of.id == "self")
        case ast.Attribute(value=ast.Name(id="builtins"), attr="type"):
            return True
        case ast.Attribute(attr=word):
            return word in _SETTERS | _OF_ENUMS
        case ast.Name(id=word, ctx=ast.Load()):
            return word in _OF_ENUMS | {"type"}
        case ast.alias(name=word, asname=str()):
            return word in _OF_ENUMS | {"type"}
        case ast.Constant(value=str() as text):
            return text.rpartition(".")[2] in _SETTERS
    return False


def _said_of_types(tree: ast.Module) -> set[ast.AST]:
    """`type` where it is called, or asked about: in `type(x)`, `isinstance(x, type)`, `x is type`, `x: type[T]`; where
    it is another name of a function; and what sets an attribute of an object alone: `object.__setattr__`."""
    found = set[ast.AST]()
    taken = any(_binds(n, "object") for n in every_node(tree))
    for n in every_node(tree):
        match n:
            case ast.Call(func=ast.Name(id="isinstance" | "issubclass" | "map"), args=args):
                found |= {n.func, *(part for a in args for part in _within_tuple(a))}
            case ast.Call(func=ast.Name() as called, keywords=keywords):
                found |= {called, *(k.value for k in keywords if k.arg == "key")}
            case ast.Call(func=ast.Attribute(attr="__setattr__" | "__delattr__" as word) as called, args=args):
                if len(args) == (2 if word == "__setattr__" else 1) and not any(map(_is_starred, args)):
                    found.add(called)  # of a class it is the one that sets on its objects, and wants one of these, too
            case ast.Compare(left=left, comparators=others):
                found |= {e for e in (left, *others) if isinstance(e, ast.Name)}
            case ast.ClassDef(bases=bases):
                found |= {e for e in bases if _last_word(e) not in _SETTERS}
            case ast.arg(annotation=told) | ast.AnnAssign(annotation=told) if told is not None:
                found |= {e for e in walk(told) if isinstance(e, ast.Name)}
            case ast.FunctionDef(returns=told) | ast.AsyncFunctionDef(returns=told) if told is not None:
                found |= {e for e in walk(told) if isinstance(e, ast.Name)}
            case ast.Subscript(value=ast.Name(id="type") as told):
                found.add(told)
            case ast.Attribute(value=of, attr="__setattr__" | "__delattr__", ctx=ast.Load()) if (
                isinstance(of, ast.Name) and of.id == "object" and not taken
            ) or (isinstance(of, ast.Call) and isinstance(of.func, ast.Name) and of.func.id == "super" and not of.args):
                found.add(n)
        if isinstance(n, ast.FunctionDef | ast.AsyncFunctionDef) and any(_binds(m, "type") for m in walk(n)):
            found |= {m for s in n.body for m in walk(s) if isinstance(m, ast.Name) and m.id == "type"}
    return found


def _is_starred(e: ast.expr) -> bool:
    return isinstance(e, ast.Starred)


def _binds(n: ast.AST, name: str) -> bool:
    match n:
        case ast.Name(id=word, ctx=ast.Store() | ast.Del()) | ast.arg(arg=word):
            return word == name
        case ast.alias(name=word, asname=other):
            return (other or word) == name
        case ast.FunctionDef(name=word) | ast.AsyncFunctionDef(name=word) | ast.ClassDef(name=word):
            return word == name
    return False


def _last_word(e: ast.expr) -> str:
    return e.id if isinstance(e, ast.Name) else getattr(e, "attr", "")


def _within_tuple(e: ast.expr) -> list[ast.expr]:
    return e.elts if isinstance(e, ast.Tuple) else [e]
