"""What a file itself says beats an assumption: classes that make reading or comparing do more than it seems.

`plain-attributes` and `plain-comparisons` say that reading and comparing have no effect and keep to their answer.
A class in the files looked at may say otherwise; for objects that may be of it, the assumption is taken back.
"""

import ast
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from functools import lru_cache

from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

ANY = "*"
_COMPARING: dict[str, tuple[str, ...]] = {
    "__eq__": ("eq",), "__ne__": ("eq",), "__lt__": ("order",), "__le__": ("order",), "__gt__": ("order",),
    "__ge__": ("order",), "__contains__": ("in",), "__iter__": ("in",), "__getitem__": ("in", "item"),
    "__missing__": ("item",), "get": ("get",), "__bool__": ("truth",), "__len__": ("truth",),
    "__hash__": ("hash",), "__instancecheck__": ("isinstance",), "__subclasscheck__": ("isinstance",),
    "__subclasshook__": ("isinstance",),
}  # fmt: skip
_EVERY = frozenset(what for kinds in _COMPARING.values() for what in kinds)
_FILLS_IN = "defaultdict"
_READING = frozenset({"__getattr__", "__getattribute__", "__class__", "__dict__", "__get__"})
_QUIET_DECORATORS = frozenset(
    {"builtins.staticmethod", "builtins.classmethod", "abc.abstractmethod", "contextlib.contextmanager",
     "contextlib.asynccontextmanager", "functools.lru_cache", "functools.cache", "typing.overload", "typing.override",
     "typing.final", "functools.wraps"}
)  # fmt: skip
_COMPUTED = frozenset({"builtins.property", "functools.cached_property"})


@dataclass(frozen=True, slots=True)
class TakenBack:
    """For one class, or for any class of a module: attribute names whose reading may do more, and such comparisons.

    `item` and `get` among the comparisons: reading an item, asking for one with a default.
    """

    attributes: frozenset[str]
    comparisons: frozenset[str]

    def attribute(self, name: str) -> bool:
        return name in self.attributes or ANY in self.attributes


@lru_cache(maxsize=16)
def taken_back_by(names: ModuleNames) -> TakenBack:
    """What the classes of a module and of the files linked with it take back, wherever these stand."""
    trees = (names.tree, *getattr(names, "trees", ()))
    nodes = [n for tree in trees for n in every_node(tree)]
    found = _joined(_by_class(n, names) for n in nodes if isinstance(n, ast.ClassDef))
    found = TakenBack(found.attributes | put_later(names), found.comparisons)
    fills_in = any(map(_fills_in, nodes))
    return TakenBack(found.attributes, found.comparisons | {"item"}) if fills_in else found


def having_a_say(names: ModuleNames, what: str) -> list[str]:
    """The classes of a module and of the files linked with it that take such comparisons back."""
    trees = (names.tree, *getattr(names, "trees", ()))
    kinds = [n for tree in trees for n in every_node(tree) if isinstance(n, ast.ClassDef)]
    return [n.name for n in kinds if what in _by_class(n, names).comparisons]


def _fills_in(n: ast.AST) -> bool:
    """Whether a node speaks of the dict in which reading a key it lacks puts it there."""
    match n:
        case ast.Name(id=word) | ast.Attribute(attr=word) | ast.alias(name=word):
            return word == _FILLS_IN
    return False


def taken_back_by_class(node: ast.ClassDef, names: ModuleNames) -> TakenBack:
    return _by_class(node, names)


def _joined(parts: Iterable[TakenBack]) -> TakenBack:
    found = list(parts)
    attributes = frozenset[str]().union(*(p.attributes for p in found))
    return TakenBack(attributes, frozenset[str]().union(*(p.comparisons for p in found)))


@lru_cache(maxsize=512)
def _by_class(node: ast.ClassDef, names: ModuleNames) -> TakenBack:
    attributes: set[str] = set()
    comparisons: set[str] = set()
    for s in node.body:
        match s:
            case ast.FunctionDef(name=name) | ast.AsyncFunctionDef(name=name):
                if name in _READING:
                    attributes.add(ANY)
                elif name in _COMPARING and not _is_quiet_special(s, names):
                    comparisons.update(_COMPARING[name])
                elif s.decorator_list and not _reads_quietly(s, names):
                    attributes.add(name)
            case ast.Assign() | ast.AnnAssign() | ast.AugAssign():
                bound = {n.id for n in walk(s) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}
                comparisons |= {what for name in bound & _COMPARING.keys() for what in _COMPARING[name]}
                attributes |= {ANY} if bound & _READING else set()
                if not _is_quiet_value(s.value, names):
                    attributes |= bound
            case ast.Expr(value=ast.Constant()) | ast.Pass() | ast.ClassDef(decorator_list=[]):
                continue
            case _:
                # What a class body works out may be anything.
                attributes.add(ANY)
                comparisons |= _EVERY
    if any(k.arg == "metaclass" and names.stands_for(k.value) != "abc.ABCMeta" for k in node.keywords):
        comparisons.add("isinstance")
    return TakenBack(frozenset(attributes), frozenset(comparisons))


def reads_of_class_quietly(node: ast.ClassDef, name: str, names: ModuleNames) -> bool:
    """Whether a class body gives the class itself nothing under a name that runs code when it is read."""
    for s in node.body:
        match s:
            case ast.FunctionDef(name=bound) | ast.AsyncFunctionDef(name=bound) if bound == name and s.decorator_list:
                if not (_reads_quietly(s, names) or _is_computed(s, names)):
                    return False
            case ast.Assign() | ast.AnnAssign() | ast.AugAssign():
                stored = {n.id for n in walk(s) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}
                if name in stored and not _is_quiet_value(s.value, names):
                    return False
            case ast.FunctionDef() | ast.AsyncFunctionDef() | ast.Expr(value=ast.Constant()) | ast.Pass():
                continue
            case ast.ClassDef(decorator_list=[]):
                continue
            case _:
                return False
    return True


def _is_computed(s: FunctionNode, names: ModuleNames) -> bool:
    """A property: of the class itself, reading it gives the property."""
    return all(names.stands_for(d) in _COMPUTED for d in s.decorator_list)


def _reads_quietly(s: FunctionNode, names: ModuleNames) -> bool:
    """Whether reading a decorated name of a class runs nothing, or nothing that matters."""
    told = [names.stands_for(d.func if isinstance(d, ast.Call) else d) for d in s.decorator_list]
    if all(t in _QUIET_DECORATORS for t in told):
        return True
    if all(t in _COMPUTED | {"abc.abstractmethod"} for t in told):
        return is_quiet(s.body, names)
    return all(_is_accessor(d, s.name) for d in s.decorator_list)


def _is_accessor(d: ast.expr, name: str) -> bool:
    """`@kilos.setter`: the getter stands above it, and is looked at itself."""
    return (
        isinstance(d, ast.Attribute)
        and d.attr in ("setter", "deleter")
        and isinstance(d.value, ast.Name)
        and d.value.id == name
    )


def _is_quiet_value(value: ast.expr | None, names: ModuleNames) -> bool:
    """Whether what a class body is given surely is no descriptor of the files with a will of its own.

    Literals, functions and classes, what comes from elsewhere; calls of what makes plain things. A name of the module
    that stands for an object may be anything.
    """
    for n in walk(value) if value is not None else ():
        if isinstance(n, ast.Call) and names.stands_for(n.func) not in _MAKES_PLAIN_THINGS:
            return False
        if isinstance(n, ast.Name) and not _is_no_object(n.id, names):
            return False
    return True


_MAKES_PLAIN_THINGS = frozenset(
    {"dataclasses.field", "enum.auto", "builtins.frozenset", "builtins.tuple", "builtins.list", "builtins.dict",
     "builtins.set", "re.compile", "builtins.object", "builtins.int", "builtins.str", "builtins.float"}
)  # fmt: skip


def _is_no_object(name: str, names: ModuleNames) -> bool:
    """A function, a class, an import, a builtin, a constant that is written down; not an object that is made."""
    return name in names.definitions or names.is_imported(name) or names.is_builtin(name) or name in names.tables.known


@lru_cache(maxsize=16)
def put_later(names: ModuleNames) -> frozenset[str]:
    """The attributes that something puts on a class once it is there, when that may be a descriptor."""
    found: set[str] = set()
    for tree in (names.tree, *getattr(names, "trees", ())):
        in_functions = {n for f in every_node(tree) if isinstance(f, _SHUT) for n in walk(f)}
        plain: set[ast.AST] = set()
        for n in every_node(tree):
            if isinstance(n, ast.Assign | ast.AnnAssign | ast.AugAssign) and _is_quiet_value(n.value, names):
                targets = n.targets if isinstance(n, ast.Assign) else [n.target]
                plain |= {t for target in targets for t in walk(target)}
        for n in every_node(tree):
            match n:
                case ast.Attribute(attr=name, ctx=ast.Store(), value=of) if n not in plain:
                    found |= {name} if n not in in_functions or _may_be_class(of, names) else set()
                case ast.Call(func=ast.Name(id="setattr"), args=[of, ast.Constant(value=str() as name), value]):
                    if not _is_quiet_value(value, names) and (n not in in_functions or _may_be_class(of, names)):
                        found.add(name)
    return frozenset(found)


@lru_cache(maxsize=16)
def _has_descriptors(names: ModuleNames) -> bool:
    nodes = (n for tree in (names.tree, *getattr(names, "trees", ())) for n in every_node(tree))
    return any(
        (isinstance(n, ast.FunctionDef) and n.name == "__get__")
        or (isinstance(n, ast.Call) and names.stands_for(n.func) in _COMPUTED)
        for n in nodes
    )


_SHUT = (ast.FunctionDef, ast.AsyncFunctionDef)


def _may_be_class(e: ast.expr, names: ModuleNames) -> bool:
    """Whether what gets an attribute may be a class: any but `self`, where the files have descriptors to put there."""
    if _has_descriptors(names):
        return not (isinstance(e, ast.Name) and e.id == "self")
    match e:
        case ast.Name(id=name):
            return name == "cls" or isinstance(names.definitions.get(name), ast.ClassDef)
        case ast.Attribute(attr="__class__") | ast.Call(func=ast.Name(id="type")):
            return True
    return False


# --- special methods -----------------------------------------------------------------------------------


def _is_quiet_special(s: FunctionNode, names: ModuleNames) -> bool:
    """Whether a special method keeps to what `plain-comparisons` says."""
    if s.decorator_list or not is_quiet(s.body, names):
        return False
    match s.name:
        case "__eq__":
            return _is_equality_within_a_class(s, names)
        case "__lt__" | "__le__" | "__gt__" | "__ge__":
            return all(isinstance(r.value, ast.Compare) or _is_unhandled(r.value, names) for r in _returns(s))
        case "__len__" | "__bool__" | "__contains__":
            return True
        case "__hash__" | "__iter__" | "__getitem__" | "get":
            return True
    return False


def _is_equality_within_a_class(s: FunctionNode, names: ModuleNames) -> bool:
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
        _is_unhandled(s.value, names) or (isinstance(s.value, ast.Constant) and s.value.value is False)
    )


def _is_unhandled(e: ast.expr | None, names: ModuleNames) -> bool:
    return isinstance(e, ast.Name) and names.stands_for(e) == "builtins.NotImplemented"


def _returns(s: FunctionNode) -> Iterator[ast.Return]:
    return (n for n in walk(s) if isinstance(n, ast.Return))


_QUIET_NODES = (
    ast.Return, ast.If, ast.Pass, ast.Expr, ast.Constant, ast.Name, ast.Attribute, ast.Compare, ast.BoolOp, ast.UnaryOp,
    ast.BinOp, ast.IfExp, ast.Tuple, ast.List, ast.Call, ast.expr_context, ast.cmpop, ast.boolop, ast.operator,
    ast.unaryop, ast.JoinedStr, ast.FormattedValue, ast.keyword, ast.Subscript, ast.Slice,
)  # fmt: skip
_QUIET_CALLS = frozenset(
    {"builtins.isinstance", "builtins.len", "builtins.bool", "builtins.type", "builtins.abs", "builtins.hash",
     "builtins.min", "builtins.max", "builtins.sum", "builtins.round", "builtins.int", "builtins.float", "builtins.str",
     "builtins.tuple", "builtins.iter"}
)  # fmt: skip


def is_quiet(body: list[ast.stmt], names: ModuleNames) -> bool:
    """Whether code does no more than return what it works out from what it reads."""
    for s in body:
        for n in walk(s):
            if not isinstance(n, _QUIET_NODES):
                return False
            if isinstance(n, ast.Call) and names.stands_for(n.func) not in _QUIET_CALLS:
                return False
            if isinstance(n, ast.Attribute | ast.Subscript | ast.Name) and not isinstance(n.ctx, ast.Load):
                return False
    return True
