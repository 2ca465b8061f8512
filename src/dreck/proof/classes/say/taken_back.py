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
from dreck.proof.classes.bodies import bound_in_body, statements_in
from dreck.proof.classes.put_later import put_later, specials_put
from dreck.proof.classes.say.equality import is_equality_within_a_class, is_unhandled, says_no_to_constants
from dreck.proof.classes.say.inverting import comparing_gives_bools, hides_inequality
from dreck.proof.classes.say.quiet import COMPUTED, QUIET_DECORATORS, is_quiet, is_quiet_value
from dreck.proof.classes.say.wilful import CONSTANT, fills_in, is_handed_on, leads_to, wilful
from dreck.proof.classes.shaping import ANYTHING, shaped
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

ANY = "*"
_COMPARING: dict[str, tuple[str, ...]] = {
    "__eq__": ("eq", CONSTANT), "__ne__": ("eq", CONSTANT), "__lt__": ("order",), "__le__": ("order",),
    "__gt__": ("order",), "__ge__": ("order",), "__contains__": ("in",), "__iter__": ("in",),
    "__getitem__": ("in", "item"), "__missing__": ("item",), "get": ("get",),
    "__bool__": ("truth",), "__len__": ("truth",),
    "__hash__": ("hash",), "__instancecheck__": ("isinstance",), "__subclasscheck__": ("isinstance",),
    "__subclasshook__": ("isinstance",),
}  # fmt: skip
_EVERY = frozenset(what for kinds in _COMPARING.values() for what in kinds)
_LOOKED_UP = frozenset({"__getattr__", "__getattribute__", "__get__"})
_READING = frozenset({"__getattr__", "__getattribute__", "__class__", "__dict__", "__get__"})


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
    found = _joined([found, put_on_any(names)])
    filling = any(map(fills_in, nodes))
    return TakenBack(found.attributes, found.comparisons | {"item"}) if filling else found


@lru_cache(maxsize=16)
def put_on_any(names: ModuleNames) -> TakenBack:
    """What special methods take back that are put on a class once it is there: on which one is not known."""
    given = shaped(names)
    put = specials_put(names) | given
    comparisons = frozenset(what for word in put & _COMPARING.keys() for what in _COMPARING[word])
    if ANYTHING in given:
        return TakenBack(frozenset({ANY}), _EVERY)
    return TakenBack(frozenset({ANY}) if put & _LOOKED_UP else given, comparisons)


def having_a_say(names: ModuleNames, what: str) -> list[str]:
    """The classes of a module and of the files linked with it that take such comparisons back."""
    trees = (names.tree, *getattr(names, "trees", ()))
    kinds = [n for tree in trees for n in every_node(tree) if isinstance(n, ast.ClassDef)]
    return [n.name for n in kinds if what in _by_class(n, names).comparisons]


def running_code_for(names: ModuleNames, attribute: str) -> list[str]:
    """The classes of a module and of the files linked with it that may run code when an attribute is read."""
    trees = (names.tree, *getattr(names, "trees", ()))
    kinds = [n for tree in trees for n in every_node(tree) if isinstance(n, ast.ClassDef)]
    return [n.name for n in kinds if _by_class(n, names).attribute(attribute)]


def taken_back_by_classes(nodes: Iterable[ast.ClassDef], names: ModuleNames) -> TakenBack:
    """What these classes take back, with what is put on any class later."""
    found = _joined([put_on_any(names), *(_by_class(node, names) for node in nodes)])
    return TakenBack(found.attributes | put_later(names), found.comparisons)


def _joined(parts: Iterable[TakenBack]) -> TakenBack:
    found = list(parts)
    attributes = frozenset[str]().union(*(p.attributes for p in found))
    return TakenBack(attributes, frozenset[str]().union(*(p.comparisons for p in found)))


@lru_cache(maxsize=512)
def _by_class(node: ast.ClassDef, names: ModuleNames) -> TakenBack:
    attributes: set[str] = set()
    comparisons: set[str] = set()
    own = bound_in_body(node)
    for s in statements_in(node):
        match s:
            case ast.FunctionDef(name=name) | ast.AsyncFunctionDef(name=name):
                if name in _READING:
                    attributes.add(ANY)
                elif name in _COMPARING and _is_quiet_special(s, names):
                    if name == "__eq__" and not says_no_to_constants(s, node, names):
                        comparisons.add(CONSTANT)
                elif name in _COMPARING:
                    firm = says_no_to_constants(s, node, names)
                    comparisons.update(what for what in _COMPARING[name] if not (firm and what == CONSTANT))
                elif s.decorator_list and not _reads_quietly(s, names):
                    attributes.add(name)
            case ast.Assign() | ast.AnnAssign() | ast.AugAssign():
                bound = {n.id for n in walk(s) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}
                told = {name for name in bound & _COMPARING.keys() if not is_handed_on(name, s.value, names)}
                comparisons |= {what for name in told for what in _COMPARING[name]}
                attributes |= {ANY} if bound & _READING else set()
                if not is_quiet_value(s.value, names, own):
                    attributes |= bound
            case ast.Expr(value=ast.Constant()) | ast.Pass() | ast.ClassDef(decorator_list=[]):
                continue
            case ast.Import(names=aliases) | ast.ImportFrom(names=aliases):
                bound = {alias.asname or alias.name.partition(".")[0] for alias in aliases}
                comparisons |= {what for name in bound & _COMPARING.keys() for what in _COMPARING[name]}
                attributes |= {ANY} if bound & _READING or "*" in bound else bound
            case _:
                # What a class body works out may be anything.
                attributes.add(ANY)
                comparisons |= _EVERY
    if hides_inequality(node, names):
        comparisons |= {"eq", CONSTANT}
    if any(k.arg == "metaclass" and names.stands_for(k.value) != "abc.ABCMeta" for k in node.keywords):
        comparisons.add("isinstance")
    return TakenBack(frozenset(attributes), frozenset(comparisons))


def reads_of_class_quietly(node: ast.ClassDef, name: str, names: ModuleNames) -> bool:
    """Whether a class body gives the class itself nothing under a name that runs code when it is read."""
    own = bound_in_body(node)
    for s in statements_in(node):
        match s:
            case ast.FunctionDef(name=bound) | ast.AsyncFunctionDef(name=bound) if bound == name and s.decorator_list:
                if not (_reads_quietly(s, names) or _is_computed(s, names)):
                    return False
            case ast.Assign() | ast.AnnAssign() | ast.AugAssign():
                stored = {n.id for n in walk(s) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}
                if name in stored and not is_quiet_value(s.value, names, own):
                    return False
            case ast.FunctionDef() | ast.AsyncFunctionDef() | ast.Expr(value=ast.Constant()) | ast.Pass():
                continue
            case ast.ClassDef(decorator_list=[]):
                continue
            case ast.Import(names=aliases) | ast.ImportFrom(names=aliases):
                if {name, "*"} & {alias.asname or alias.name.partition(".")[0] for alias in aliases}:
                    return False
            case _:
                return False
    return True


def _is_computed(s: FunctionNode, names: ModuleNames) -> bool:
    """A property: of the class itself, reading it gives the property."""
    return all(names.stands_for(d) in COMPUTED for d in s.decorator_list)


def _reads_quietly(s: FunctionNode, names: ModuleNames) -> bool:
    """Whether reading a decorated name of a class runs nothing, or nothing that matters."""
    told = [names.stands_for(d.func if isinstance(d, ast.Call) else d) for d in s.decorator_list]
    if all(t in QUIET_DECORATORS for t in told):
        return True
    if all(t in COMPUTED | {"abc.abstractmethod"} for t in told):
        return is_quiet(s.body, names) and leads_to(s, names).isdisjoint(wilful(names))
    return all(_is_accessor(d, s.name) for d in s.decorator_list)


def _is_accessor(d: ast.expr, name: str) -> bool:
    """`@kilos.setter`: the getter stands above it, and is looked at itself."""
    return (
        isinstance(d, ast.Attribute)
        and d.attr in ("setter", "deleter")
        and isinstance(d.value, ast.Name)
        and d.value.id == name
    )


def _is_quiet_special(s: FunctionNode, names: ModuleNames) -> bool:
    """Whether a special method keeps to what `plain-comparisons` says."""
    if s.decorator_list or not is_quiet(s.body, names) or leads_to(s, names) & wilful(names):
        return False
    match s.name:
        case "__eq__":
            return is_equality_within_a_class(s, names) and comparing_gives_bools(names)
        case "__lt__" | "__le__" | "__gt__" | "__ge__":
            return comparing_gives_bools(names) and all(
                isinstance(r.value, ast.Compare) or is_unhandled(r.value, names) for r in _returns(s)
            )
        case "__len__" | "__bool__" | "__contains__":
            return True
        case "__hash__" | "__iter__" | "__getitem__" | "get":
            return True
    return False


def _returns(s: FunctionNode) -> Iterator[ast.Return]:
    return (n for n in walk(s) if isinstance(n, ast.Return))
