"""What code reads of its module and of others, by name, and whoever it calls may set: names, attributes, contents."""

import ast
import sys
import types
from collections import Counter, OrderedDict, defaultdict
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager, suppress
from contextvars import ContextVar, Token
from enum import Enum, EnumMeta
from functools import lru_cache, partial
from itertools import islice
from typing import Any

from dreck.source.walking import walk
from dreck.trial.playing.changes import another, changed
from dreck.trial.playing.world import World

_MOST = 40
_PLAIN = (bool, int, float, str)
_CONTAINERS = (list, dict, set, OrderedDict, defaultdict, Counter)
_FEW = 3
_FAR = 1000
"""So much more a number becomes: whatever is held against it lies between the two."""
_AS_EVER = frozenset({"math", "cmath", "string", "errno", "stat", "token", "builtins"})
"""Modules of the library that hold nothing but constants."""
_OF_THE_SYSTEM = frozenset({"maxsize", "byteorder", "version", "hexversion", "platform", "name"})
_HEAP = 1 << 9
"""Set for classes that are made by a `class` statement (C API, Py_TPFLAGS_HEAPTYPE): attributes can be set there."""

_Change = partial[Callable[[], None]]
"""Puts another value somewhere, and gives what puts the one back that was there."""


class Settable:
    """Places that a function and the ones beside it read; names in capitals are constants."""

    def __init__(self, functions: Iterable[ast.AST], namespace: dict[str, Any]) -> None:
        self.known = frozenset(_known(namespace))
        """What there is in the module: each name with `*`, each attribute of its classes."""
        self._namespace = namespace
        self.chains = frozenset(chain for function in functions for chain in _read_in(function))
        """What is read, part by part: `("yard", "gate", "open")`."""
        self._places = self._found(sorted(self.chains))

    def _found(self, chains: list[tuple[str, ...]]) -> dict[tuple[str, ...], _Change]:
        namespace = self._namespace
        found = ((chain, _change_at(namespace, chain)) for chain in chains if _may_vary(chain[-1]))
        every = {chain: change for chain, change in found if change is not None}
        whole = {chain: _own(change.args[0]) for chain, change in every.items() if change.func is _object_changed}
        alone = [(chain, change) for chain, change in every.items() if chain[-1] not in whole.get(chain[:-1], ())]
        return dict(alone[:_MOST])  # what is changed with the object it belongs to is not changed back

    def keep(self, known: frozenset[tuple[str, str]], chains: frozenset[tuple[str, ...]] = frozenset()) -> None:
        """Takes in what the other version reads, and leaves what it has not: nobody who calls it knows of that."""
        if not chains <= self.chains:
            self.chains |= chains
            self._places = self._found(sorted(self.chains))
        self._places = {
            chain: change
            for chain, change in self._places.items()
            if (chain[0], "*") in known or (len(chain) > 1 and chain[:2] in known)
        }

    @contextmanager
    def given(self, world: World) -> Iterator[None]:
        """As long as the block lasts calls that change objects change these, too; afterwards all is as before."""
        before: list[Callable[[], None]] = []
        world.beyond.append(partial(self._change, before))
        try:
            yield
        finally:
            for put_back in reversed(before):
                put_back()

    def _change(self, before: list[Callable[[], None]]) -> None:
        for change in self._places.values():
            with suppress(AttributeError, TypeError):  # what cannot be set stays
                before.append(change())


@lru_cache(maxsize=1024)
def _read_in(function: ast.AST) -> tuple[tuple[str, ...], ...]:
    """Names, and attributes of what they name, where they are read: `("yard", "gate", "open")`."""
    every = (_chain(n) for n in walk(function) if isinstance(getattr(n, "ctx", None), ast.Load))
    return tuple({chain for chain in every if chain})


def _chain(e: ast.AST) -> tuple[str, ...]:
    match e:
        case ast.Name(id=name):
            return (name,)
        case ast.Attribute(value=base, attr=name):
            before = _chain(base)
            return (*before, name) if before else ()
    return ()


def _may_vary(name: str) -> bool:
    return not name.startswith("__") and not name.isupper() and name not in _OF_THE_SYSTEM


def _known(namespace: dict[str, Any]) -> Iterator[tuple[str, str]]:
    for base, value in namespace.items():
        if isinstance(value, type):
            yield from ((base, name) for kind in value.__mro__ for name in vars(kind) if _may_vary(name))
        else:
            yield base, "*"


# --- one place -----------------------------------------------------------------------------------------


def _change_at(namespace: dict[str, Any], chain: tuple[str, ...]) -> _Change | None:
    """What changes what stands there; None where nobody can, or nobody would."""
    first, *attributes = chain
    holder: Any = None
    value = namespace.get(first)
    for name in attributes:
        holder, value = value, _held(value, name)
    if type(value) in _CONTAINERS:
        return None if holder is sys else partial(_content_changed, value)  # imports go by way of what it holds
    if isinstance(value, ContextVar):
        return partial(_set_in_context, value)
    if type(value) not in _PLAIN:
        return partial(_object_changed, value) if _is_of_a_project(value) else None
    return partial(_attribute_changed, holder, chain[-1]) if attributes else partial(_name_changed, namespace, first)


def _held(holder: Any, name: str) -> Any:
    """What a module, a class or an object has under a name without running anything; None where that is not data."""
    match holder:
        case types.ModuleType():
            return vars(holder).get(name) if holder.__name__ not in _AS_EVER else None
        case EnumMeta() | Enum():
            return None
        case type():
            home = next((k for k in holder.__mro__ if name in vars(k)), None)
            return vars(home)[name] if home is not None and home.__flags__ & _HEAP else None
    own = _own(holder)
    return own[name] if name in own else next((vars(k)[name] for k in type(holder).__mro__ if name in vars(k)), None)


def _own(holder: Any) -> dict[str, Any]:
    try:
        found = object.__getattribute__(holder, "__dict__")
    except (AttributeError, TypeError):
        return {}
    return found if isinstance(found, dict) else {}


def _other(value: Any, more: int = _FAR) -> Any:
    return value + more if type(value) in (int, float) else another(value)


def _name_changed(namespace: dict[str, Any], name: str) -> Callable[[], None]:
    value = namespace[name]
    namespace[name] = _other(value)
    return partial(namespace.__setitem__, name, value)


def _attribute_changed(holder: Any, name: str, more: int = _FAR) -> Callable[[], None]:
    if isinstance(holder, type):
        holder = next(k for k in holder.__mro__ if name in vars(k))
    if isinstance(holder, types.ModuleType):
        return _name_changed(vars(holder), name)
    if isinstance(holder, type):
        value = vars(holder)[name]
        type.__setattr__(holder, name, _other(value))
        return partial(type.__setattr__, holder, name, value)
    own, value = _own(holder), _held(holder, name)
    put_back = partial(object.__setattr__, holder, name, value) if name in own else partial(_let_go, holder, name)
    object.__setattr__(holder, name, _other(value, more))
    return put_back


def _let_go(holder: Any, name: str) -> None:
    with suppress(AttributeError):
        object.__delattr__(holder, name)


def _is_of_a_project(value: Any) -> bool:
    """Whether it is an object of a class that is no part of Python or of its library."""
    home = type(value).__module__.partition(".")[0]
    return home not in _LIBRARY and not isinstance(value, type | Enum) and bool(_own(value))


_LIBRARY = sys.stdlib_module_names | {"builtins", "dreck"}


def _object_changed(value: Any) -> Callable[[], None]:
    """What an object has for its own: its methods may read all of it."""
    own = {n: v for n, v in list(_own(value).items())[:_MOST] if isinstance(n, str) and _may_vary(n)}
    changes: list[_Change] = [partial(_content_changed, v) for v in own.values() if type(v) in _CONTAINERS]
    for name in [n for n, v in own.items() if type(v) in _PLAIN]:
        # What is held against one another parts: where contents grow, numbers fall, and every other one does.
        changes.append(partial(_attribute_changed, value, name, -_FAR if len(changes) % 2 else _FAR))
    return _undone([change() for change in changes])


def _content_changed(value: Any) -> Callable[[], None]:
    before = value.copy()
    items = list(islice(before.values() if isinstance(before, dict) else before, _FEW))
    inside = [_object_changed(item) for item in items if _is_of_a_project(item)]
    changed(value)
    return _undone([*inside, partial(_put_back, value, before)])


def _undone(before: list[Callable[[], None]]) -> Callable[[], None]:
    def put_back() -> None:
        for one in reversed(before):
            one()

    return put_back


def _put_back(value: Any, before: Any) -> None:
    value.clear()
    (value.extend if isinstance(value, list) else value.update)(before)


def _set_in_context(variable: ContextVar[Any]) -> Callable[[], None]:
    value = variable.get(None)
    token = variable.set(_other(value) if type(value) in _PLAIN else "text later")
    return partial(_reset, variable, token)


def _reset(variable: ContextVar[Any], token: Token[Any]) -> None:
    with suppress(ValueError):  # it was set in a context of its own, which is gone
        variable.reset(token)
