"""What stands in a module and a run may change: containers, objects and classes of its own, what functions carry."""

import copy
import dis
import enum
import itertools
import threading
import types
from collections import Counter, OrderedDict, defaultdict, deque
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from functools import partial
from typing import Any

from dreck.trial.playing.changes import another
from dreck.trial.playing.world import World
from dreck.trial.running.content import held_by
from dreck.trial.running.describe import Describer
from dreck.trial.running.held import is_small, put_content
from dreck.trial.surely import is_a, is_class

_PLAIN = (int, str, float, bytes, list, dict, set, tuple, type(None), bytearray, deque, types.SimpleNamespace,
          threading.local)  # fmt: skip
_COUNTED = (itertools.count, itertools.cycle)
_LIKE_DICT = (Counter, OrderedDict, defaultdict)
_MOST_UNNAMED = 20
_DEEP = 3
"""Lists in lists in lists are put back; no deeper."""
_MOST_CODE = 60
_MOST_PARTS = 12


def names_reached(code: types.CodeType, namespace: dict[str, Any]) -> set[str]:
    """Names of the module that a function, or one of the module's own that it leads to, reads."""
    methods: dict[str, list[types.CodeType]] = {}
    for value in namespace.values():
        if _is_own_class(value, namespace):
            for name, method in vars(value).items():
                if type(method) is types.FunctionType:
                    methods.setdefault(name, []).append(method.__code__)
    names: set[str] = set()
    unnamed = [c for name, codes in sorted(methods.items()) if name.startswith("__") for c in codes][:_MOST_UNNAMED]
    pending, seen = [*unnamed, code], {code, *unnamed}  # Python itself calls them
    while pending and len(seen) <= _MOST_CODE:
        one = pending.pop()
        names.update(one.co_names)
        led = [c for c in one.co_consts if type(c) is types.CodeType]
        for name in one.co_names:
            value = namespace.get(name)
            led += [value.__code__] if type(value) is types.FunctionType else []
            led += methods.get(name, [])
        for found in led:
            if found not in seen:
                seen.add(found)
                pending.append(found)
    return names


def names_kept(code: types.CodeType, owner: type | None, namespace: dict[str, Any]) -> list[str]:
    """The names of the module of which it is looked at after each run what they stand for."""
    names = names_reached(code, namespace)
    own = owner.__name__ if owner is not None else ""
    names |= {own} if own and namespace.get(own) is owner else set()
    return sorted({*names_made(code, namespace), *(name for name in names if may_change(name, namespace))})


def names_made(code: types.CodeType, namespace: dict[str, Any]) -> set[str]:
    """Names that a function, one inside it or one of the module's that it names binds there (`global`), and that the
    module has not yet."""
    found, pending, seen = set[str](), [code], {code}
    while pending and len(seen) <= _MOST_CODE:
        one = pending.pop()
        found |= {i.argval for i in dis.get_instructions(one) if i.opname == "STORE_GLOBAL"} - namespace.keys()
        named = [namespace.get(name) for name in one.co_names]
        led = [c for c in one.co_consts if type(c) is types.CodeType]
        led += [f.__code__ for f in named if type(f) is types.FunctionType]
        pending += [c for c in led if c not in seen]
        seen.update(led)
    return found


def may_change(name: str, namespace: dict[str, Any]) -> bool:
    """Whether `name` stands for something whose content is looked at after each run."""
    if name.startswith("__") or name not in namespace:
        return False
    value = namespace[name]
    if is_a(value, *_PLAIN, *_COUNTED) or _is_own_class(value, namespace):
        return True
    if type(value) is types.FunctionType:
        return value.__module__ == namespace.get("__name__")
    return _is_own(value, namespace)


def state_of(value: Any) -> Any:
    """Everything about it that a run may have changed, described; () for a function or class that holds nothing."""
    if is_class(value):
        data = dict(_data_of(value))
        return ("class", value.__qualname__, Describer().of(data)) if data else ()
    if type(value) is types.FunctionType:
        carried = {name: part for name, part in vars(value).items() if name != "__wrapped__"}
        return ("function", value.__qualname__, Describer().of(carried)) if carried else ()
    if is_a(value, *_COUNTED):
        return (type(value).__qualname__, repr(value) if type(value) is itertools.count else "")
    return Describer().of(value)


def put_anew(before: dict[str, Any], namespace: dict[str, Any]) -> list[str]:
    """Names that stand for another container than before: whoever has taken the first one over does not see it."""
    kinds = (list, dict, set, deque, bytearray)
    there = [name for name, value in before.items() if is_a(value, *kinds)]
    return [n for n in there if namespace.get(n) is not before[n] and is_a(namespace.get(n), *kinds)]


def parts_kept(values: Iterable[Any]) -> list[Any]:
    """Lists and the like inside of what a module keeps: whoever was given them holds them, whatever is kept later."""
    found: list[Any] = []
    for value in values:
        if is_class(value):
            parts = [part for _, part in _data_of(value)]
        elif type(value) in (list, dict, *_LIKE_DICT):
            parts = list(value if type(value) is list else value.values())
        else:
            parts = list(held_by(value).values())
        found += itertools.islice((part for part in parts if is_a(part, list, dict, set, bytearray)), _MOST_PARTS)
    return found[:_MOST_PARTS]


@contextmanager
def keeping(namespace: dict[str, Any], names: set[str]) -> Iterator[None]:
    """Afterwards the names stand for what they stood for, and hold what they held."""
    before = {name: namespace[name] for name in names if name in namespace}
    contents = [put for value in before.values() if (put := putting_back(value)) is not None]
    try:
        yield
    finally:
        namespace.update(before)
        for name in names - before.keys():
            namespace.pop(name, None)
        for put in contents:
            put()


def putting_back(value: Any, deep: int = _DEEP) -> Callable[[], None] | None:
    """Puts the content of something back as it is now; None when that cannot be done."""
    if is_small(value):
        return _put_with_parts(partial(put_content, value, copy.copy(value)), value, deep)
    if type(value) in (*_LIKE_DICT, deque, bytearray):
        return partial(_refill, value, copy.copy(value))
    if is_class(value):
        data = dict(_data_of(value))
        return _put_with_parts(partial(_set_on_class, value, data), data, deep)
    carried = getattr(value, "__dict__", None) if not is_a(value, types.ModuleType) else None
    if type(carried) is not dict:
        return None
    return _put_with_parts(partial(put_content, carried, dict(carried)), carried, deep)


def _put_with_parts(back: Callable[[], None], whole: Any, deep: int) -> Callable[[], None]:
    """Puts back what it holds as well, lists in lists and so on."""
    parts = whole.values() if type(whole) is dict else whole if type(whole) is list else ()
    backs = [
        back,
        *(b for part in parts if deep and is_small(part) and (b := putting_back(part, deep - 1)) is not None),
    ]
    return partial(_all, backs)


def _all(backs: list[Callable[[], None]]) -> None:
    for back in backs:
        back()


def fill(value: Any, name: str, world: World) -> None:
    """A container that somebody fills, empties or puts in another order holds what the input says."""
    if value:
        match world.answer(f"{name} holds", (_AS_IT_IS, "nothing", "one more, the last ones first")):
            case "nothing":
                value.clear()
            case "one more, the last ones first":
                _put_otherwise(value)
    elif type(value) is list:
        value.extend(world.at(f"{name}[{at}]") for at in range(world.answer(f"len({name})", (0, 2))))


_AS_IT_IS = "what it did"


def _put_otherwise(value: Any) -> None:
    """The last comes first, and there is one more: with another value where that is plain, else the first once more."""
    if type(value) is list:
        value[:] = [*reversed(value), another(value[0])]
    elif type(value) is set:
        value.add(another(next(iter(value))))
    else:
        held = list(value.items())
        key, part = held[0]
        value.clear()
        value.update([*reversed(held), (another(key), part)])


def beside(value: Any) -> Any:
    """Another plain value of the same class; anything else as it is."""
    return value + 1 if type(value) in (int, float) else f"{value}." if type(value) is str else value


def _refill(value: Any, content: Any) -> None:
    value.clear()
    (value.update if is_a(value, dict) else value.extend)(content)


def _is_own_class(value: Any, namespace: dict[str, Any]) -> bool:
    try:
        own = is_class(value) and value.__module__ == namespace.get("__name__")
    except Exception:  # its metaclass has something to say
        return False
    return own and not issubclass(value, tuple | enum.Enum)


def _is_own(value: Any, namespace: dict[str, Any]) -> bool:
    """Whether it is an object of one of the module's own classes."""
    return _is_own_class(type(value), namespace)


def _data_of(kind: type) -> Iterator[tuple[str, Any]]:
    """What a class holds besides its methods."""
    for name, value in vars(kind).items():
        if not (name.startswith("__") and name.endswith("__")) and not hasattr(type(value), "__get__"):
            yield name, value


def _set_on_class(kind: type, before: dict[str, Any]) -> None:
    for name in [n for n, _ in _data_of(kind) if n not in before]:
        type.__delattr__(kind, name)
    for name, value in before.items():
        if vars(kind).get(name) is not value:
            type.__setattr__(kind, name, value)
