"""What objects of the standard library hold, as plain parts: two of them that hold the same cannot be told apart."""

import array
import collections
import contextlib
import functools
import hashlib
import io
import itertools
import operator
import random
import re
import sys
import threading
import types
import weakref
from collections.abc import Callable
from typing import Any

_PLAIN_HEAD = object.__basicsize__
_POINTER = 8
_TOLD_BY_REPR = frozenset({"datetime", "decimal", "fractions", "ipaddress", "uuid", "zoneinfo"})
"""Modules whose objects say all of what they are when they are written out."""
_TOLD_AS_WELL = (range, type(None), type(...), type(NotImplemented), itertools.count, complex, types.BuiltinMethodType)
_LOCKS = (type(threading.Lock()), type(threading.RLock()))


def _of_buffer(value: Any) -> dict[str, Any]:
    return {"closed": True} if value.closed else {"content": value.getvalue(), "at": value.tell()}


def _read(*names: str) -> Callable[[Any], dict[str, Any]]:
    """These attributes of it."""
    return lambda value: {name: getattr(value, name) for name in names}


def _of_operator(value: Any) -> dict[str, Any]:
    return {"of": value.__reduce__()[1]}


def _as_list(value: Any) -> dict[str, Any]:
    return {"of": list(value)}


_PARTS: dict[Any, Callable[[Any], dict[str, Any]]] = {
    collections.deque: lambda v: {"items": list(v), "maxlen": v.maxlen},
    functools.partial: _read("func", "args", "keywords"),
    io.StringIO: _of_buffer,
    io.BytesIO: _of_buffer,
    threading.local: lambda v: {"of this thread": dict(vars(v))},
    memoryview: lambda v: {"format": v.format, "shape": v.shape, "content": v.tobytes(), "readonly": v.readonly},
    re.Pattern: _read("pattern", "flags"),
    re.Match: _read("re", "string", "regs", "pos", "endpos"),
    array.array: lambda v: {"typecode": v.typecode, "items": v.tolist()},
    types.MappingProxyType: lambda v: {"of": dict(v)},
    type({}.keys()): _as_list,
    type({}.values()): _as_list,
    type({}.items()): _as_list,
    operator.itemgetter: _of_operator,
    operator.attrgetter: _of_operator,
    operator.methodcaller: _of_operator,
    property: _read("fget", "fset", "fdel"),
    staticmethod: _read("__func__"),
    classmethod: _read("__func__"),
    slice: _read("start", "stop", "step"),
    weakref.ref: lambda v: {"to": v()},
    type(hashlib.sha256()): lambda v: {"name": v.name, "digest": v.digest()},
    random.Random: lambda v: {"state": random.Random.getstate(v)},
}


_ASIDE = (AttributeError, NameError)
"""What Python itself puts beside the message of these is for whoever reads a traceback."""


def named(thing: Any) -> str:
    """The name of a class or function, behind its module where Python's library has it: there two may have one name."""
    name = str(getattr(thing, "__qualname__", getattr(thing, "__name__", "?")))
    home = getattr(thing, "__module__", None)
    if not isinstance(home, str) or home == "builtins" or home.partition(".")[0] not in sys.stdlib_module_names:
        return name
    return f"{home}{OF_MODULE}{name}"


OF_MODULE = "\0"
"""Between a module and the name of something in it: no text that is written out holds it."""


def beside_args(error: BaseException) -> dict[str, Any]:
    """What built-in exceptions keep that is none of their arguments: the file of an OSError, the name of a module."""
    found: dict[str, Any] = {}
    for kind in type(error).__mro__:
        if kind.__module__ != "builtins" or kind in (BaseException, *_ASIDE):
            continue
        for name in [n for n, slot in vars(kind).items() if isinstance(slot, _SLOTS) and not n.startswith("__")]:
            with contextlib.suppress(Exception):
                value = vars(kind)[name].__get__(error)
                if value is not None and not any(value is given for given in error.args):
                    found.setdefault(name, value)
    return found


_SLOTS = (types.MemberDescriptorType, types.GetSetDescriptorType)


def held_by(value: Any) -> dict[Any, Any]:
    """The attributes of an object, where its `__dict__` is the ordinary one; it is not asked itself."""
    try:
        held = object.__getattribute__(value, "__dict__")
    except Exception:
        return {}
    return held if isinstance(held, dict) else {}


def in_slots(value: Any) -> dict[str, Any]:
    """What an object holds in its slots, by the names under which they are asked for."""
    found: dict[str, Any] = {}
    for kind in type(value).__mro__:
        slots = kind.__dict__.get("__slots__", ())
        for slot in [slots] if isinstance(slots, str) else slots:
            is_private = slot.startswith("__") and not slot.endswith("__")
            name = f"_{kind.__name__.lstrip('_')}{slot}" if is_private else slot
            with contextlib.suppress(AttributeError):
                found[name] = object.__getattribute__(value, name)
    return found


def content_of(value: Any) -> dict[str, Any] | None:
    """The parts of an object of a class known here, or below one, by name; None for all others."""
    for kind in type(value).__mro__:
        if kind in _PARTS:
            with contextlib.suppress(Exception):
                return _PARTS[kind](value)
            return None
    return _as_copied(value) if _is_more_than_attributes(value) else None


def _as_copied(value: Any) -> dict[str, Any] | None:
    """What an object says a copy of it has to be made of; None when it cannot be copied."""
    try:
        told = value.__reduce_ex__(4)
    except Exception:
        return None
    if not isinstance(told, tuple):
        return None
    made_by, args, *others = told
    lazily = {name: list(part) for name, part in zip(("items", "pairs"), others[1:3], strict=False) if part is not None}
    return {
        "made by": named(made_by),
        "of": args,
        "state": others[0] if others else None,
        **lazily,
    }


def hides_something(value: Any) -> bool:
    """Whether an object keeps something where neither its attributes nor what it is written as show it."""
    return _is_more_than_attributes(value) and content_of(value) is None


def _is_more_than_attributes(value: Any) -> bool:
    kind = type(value)
    if any(parent.__module__ in _TOLD_BY_REPR or parent in (*_TOLD_AS_WELL, *_LOCKS) for parent in kind.__mro__):
        return False
    slots = sum(_count(vars(parent).get("__slots__", ())) for parent in kind.__mro__)
    pointers = slots + (kind.__dictoffset__ > 0) + (kind.__weakrefoffset__ > 0)
    return bool(kind.__itemsize__) or kind.__basicsize__ > _PLAIN_HEAD + _POINTER * pointers


def _count(slots: Any) -> int:
    return 1 if isinstance(slots, str) else len([s for s in slots if s not in ("__dict__", "__weakref__")])
