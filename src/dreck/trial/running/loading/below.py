"""A class below the one whose method is tried, which brings methods of its own: `self.fee()` is not `Bin.fee(self)`."""

import ast
import enum
from collections.abc import Container
from typing import Any

from dreck.source.functions import FunctionNode
from dreck.source.walking import walk
from dreck.trial.surely import is_class

BELOW = "a class below with methods of its own"


def asked_otherwise(old: FunctionNode, new: FunctionNode) -> frozenset[str]:
    """Methods and values that both versions ask for, one on the object itself and the other on a class."""
    mine, theirs = _receivers(old), _receivers(new)
    forms = ("self", "super()", "cls")
    return frozenset(
        n for n in mine.keys() & theirs.keys() if any((form in mine[n]) != (form in theirs[n]) for form in forms)
    )


def itself_otherwise(old: FunctionNode, new: FunctionNode, owner: str) -> bool:
    """Whether one version speaks of the class of the object, or the class it was called on, and the other does not."""
    return _speaks_of_class(old, owner) != _speaks_of_class(new, owner)


def _speaks_of_class(function: FunctionNode, owner: str) -> set[str]:
    """How it says which class: `cls`, `type(self)`, `self.__class__`, `__class__` or the name of the class."""
    found = set[str]()
    for n in walk(function):
        match n:
            case ast.Name(id="cls" | "__class__" as name):
                found.add(name)
            case ast.Name(id=name) if name == owner:
                found.add(name)
            case ast.Call(func=ast.Name(id="type"), args=[_]) | ast.Attribute(attr="__class__"):
                found.add("type")
    return found


def _receivers(function: FunctionNode) -> dict[str, set[str]]:
    found: dict[str, set[str]] = {}
    for n in walk(function):
        if isinstance(n, ast.Attribute) and isinstance(n.ctx, ast.Load):
            found.setdefault(n.attr, set()).add(ast.unparse(n.value))
    return found


def names_in(space: dict[str, Any]) -> frozenset[str]:
    """The names of a module, and of the members of its enums: `Stage.SORTED`."""
    enums = [(name, kind) for name, kind in space.items() if is_class(kind) and issubclass(kind, enum.Enum)]
    return frozenset(space) | {f"{name}.{member}" for name, kind in enums for member in kind.__members__}


def below_in_both(owner: type, space: dict[str, Any], there: Container[str]) -> dict[str, type]:
    """The classes of a module that derive from `owner`, by name, where the other version has something of that name:
    an object of a class that only one has could not be given to both."""
    kinds = {n: k for n, k in space.items() if is_class(k) and k is not owner and n in there}
    return {n: k for n, k in kinds.items() if owner in getattr(k, "__mro__", ())}


def class_below(owner: type, names: frozenset[str], itself: bool = False) -> type | None:
    """A class that derives from `owner` and answers `names` itself, and has another class between `owner` and its
    bases that does; None where none can be made unnoticed. `itself`: also one that only is another class."""
    plain = type(owner).__name__ in ("type", "ABCMeta") and type(owner).__module__ in ("builtins", "abc")
    hooked = any("__init_subclass__" in vars(k) for k in owner.__mro__ if k is not object)
    mine = [
        n for n in sorted(names) if callable(getattr(owner, n, None)) or _other(getattr(owner, n, None)) is not None
    ]
    if not plain or hooked or not (mine or itself) or getattr(owner, "__final__", False):
        return None
    try:
        beside = {n: _own(owner, n, "beside") for n in mine if _is_above(owner, n)}
        between = type(owner)("Between", owner.__bases__, beside)
        own = {n: _own(owner, n, "below") for n in mine if n in vars(owner)}
        name = f"{owner.__name__}Below" if itself else owner.__name__
        return type(owner)(name, (owner, between), {"__module__": owner.__module__, **own})
    except Exception:
        return None


def _is_above(owner: type, name: str) -> bool:
    return any(name in vars(base) for base in owner.__mro__[1:])


def _own(owner: type, name: str, where: str) -> Any:
    value = _other(getattr(owner, name))
    if value is not None:
        return value

    def answer(self: Any, *args: Any, **kwargs: Any) -> str:
        return f"what a class {where} answers for {name}"

    return answer


def _other(value: Any) -> Any:
    """Another value of the same kind; None where none is known."""
    match value:
        case bool():
            return not value
        case int() | float() | complex():
            return value + 1
        case str():
            return f"{value} below"
        case list() | tuple() | dict() | set() | frozenset():
            return type(value)() if value else None
    return None
