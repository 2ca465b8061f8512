"""Objects of a class made up attribute by attribute: their methods are real, what they hold is decided by path."""

import dis
import enum
import inspect
import types
from functools import lru_cache
from typing import Any

from dreck.trial.inputs.abstract import to_be_overridden
from dreck.trial.inputs.candidates import SetUp
from dreck.trial.inputs.recipes import general
from dreck.trial.playing.around import Around
from dreck.trial.playing.standins import StandIn
from dreck.trial.surely import is_class

_MISSING = object()
_PLAIN_VALUES = (bool, int, float, str, bytes, type(None))


def partial(world: Around, path: str, kind: type) -> Any:
    """An object of class `kind` whose methods are real and whose attributes are decided by path.

    What its constructor would have set is offered as it leaves it. Methods that are there to be overridden
    are decided by path, too. A class that makes its objects whole is asked for one.
    """
    how = world.candidates.set_ups.get(kind.__qualname__)
    world.kinds[path] = kind
    if how is not None:
        world.candidates.offer(path, how)
        if how.whole:
            try:
                return world.set_up(path, kind, how)
            except Exception:
                return StandIn(world, path)

    own = getattr(kind, "__getattr__", None)
    held = frozenset[str]().union(*(_stored_by(base) for base in kind.__mro__[:-1])) if own is not None else frozenset()
    decided = to_be_overridden(kind)
    asking: list[str] = []

    def missing(self: Any, name: str) -> Any:
        if name.startswith("__"):  # private names come mangled; only Python itself asks for others
            raise AttributeError(name)
        if own is None and isinstance(inspect.getattr_static(kind, name, None), property) and name not in decided:
            raise AttributeError(name)  # it is a property that says so
        if own is None:
            world.candidates.read(f"{path}.{name}", kind)
        if own is None or name in held or asking:  # what it looks at itself is decided by path
            return world.read(f"{path}.{name}")
        asking.append(name)
        try:
            return own(self, name)
        finally:
            asking.pop()

    try:
        body: dict[str, Any] = {
            "__getattr__": missing,
            "_dreck_path": path,
            "_dreck_world": world,
            "__del__": _nothing,
            "__module__": kind.__module__,
            "__qualname__": kind.__qualname__,
        }
        body |= {name: _decided(name) for name in decided}
        body |= {"__slots__": ()} if _has_slots_alone(kind) else {}
        meta: Any = type(kind)
        twin = meta(f"Below{kind.__name__}", (kind,), body)  # by its own name nobody takes it for the class itself
        made = _blank(twin)
        _set_hidden(made, world, path, kind)
        if how is not None and "__dict__" in world.candidates.usages.known(general(path)).attributes:
            _set_all(made, world, path, how)
        return made
    except Exception:
        return StandIn(world, path)


def _blank(twin: Any) -> Any:
    if issubclass(twin, BaseException):
        kind = next(k for k in twin.__mro__ if k.__module__ == "builtins")
        return kind.__new__(twin)  # of the built-in layout, not yet set up
    try:
        return object.__new__(twin)
    except TypeError:
        return twin.__new__(twin)


def _set_hidden(made: Any, world: Around, path: str, kind: type) -> None:
    """Attributes that the class has a value for, too: nobody would ask for them by path."""
    usages, start = world.candidates.usages.by_path, f"{general(path)}."
    how = world.candidates.set_ups.get(kind.__qualname__)
    left = {name for name, _ in how.attributes} if how is not None else set()
    for name in [p[len(start) :] for p in usages if p.startswith(start)]:
        found = inspect.getattr_static(kind, name, _MISSING) if name.isidentifier() else _MISSING
        if not isinstance(found, (*_PLAIN_VALUES, enum.Enum)) or _is_of_others(name, kind, world.namespace):
            continue
        if name not in left:
            world.candidates.offer_as_it_is(f"{path}.{name}")
        if world.chosen(f"{path}.{name}").kind != "as it is" and not _has_slots_alone(kind):
            try:
                object.__setattr__(made, name, world.at(f"{path}.{name}"))
            except Exception:
                setattr(type(made), name, _Raising(world, f"{path}.{name}"))


def _set_all(made: Any, world: Around, path: str, how: SetUp) -> None:
    """All that the constructor leaves, where code asks for what an object holds and not for one thing of it."""
    for name, _ in how.attributes:
        try:
            object.__setattr__(made, name, world.at(f"{path}.{name}"))
        except Exception:  # it may be there or not; here it is not
            continue


class _Raising:
    """An attribute that raises when it is read, until it is set."""

    def __init__(self, world: Around, path: str) -> None:
        self._world, self._path = world, path

    def __get__(self, made: Any, kind: type | None = None) -> Any:
        return self._world.at(self._path)


def _has_slots_alone(kind: type) -> bool:
    """Whether its objects can be given only what it declares; one that declares nothing is for others to add to."""
    declared = [vars(base).get("__slots__", ()) for base in kind.__mro__]
    return kind.__dictoffset__ == 0 and any(declared) and not issubclass(kind, tuple | int | str | bytes)


def _is_of_others(name: str, kind: type, namespace: dict[str, Any]) -> bool:
    """Whether the module's code sets an attribute only in other classes: here it is what the class says."""
    own = any(name in _stored_by(base) for base in kind.__mro__[:-1])
    if own or any(name in _stored(f.__code__) for f in namespace.values() if type(f) is types.FunctionType):
        return False
    return any(name in _stored_by(other) for other in namespace.values() if is_class(other))


@lru_cache(maxsize=256)
def _stored_by(kind: type) -> frozenset[str]:
    functions = [getattr(f, "__func__", f) for f in vars(kind).values()]
    codes = [f.__code__ for f in functions if isinstance(f, types.FunctionType)]
    return frozenset[str]().union(*(_stored(code) for code in codes))


@lru_cache(maxsize=1024)
def _stored(code: types.CodeType) -> frozenset[str]:
    found = {i.argval for i in dis.get_instructions(code) if i.opname == "STORE_ATTR"}
    inner = [c for c in code.co_consts if isinstance(c, types.CodeType)]
    return frozenset(found).union(*(_stored(c) for c in inner))


def _nothing(self: Any) -> None:
    """Classes that close themselves when they are forgotten would do it while others are looked at."""


def _decided(name: str) -> Any:
    return property(lambda self: type(self).__getattr__(self, name))
