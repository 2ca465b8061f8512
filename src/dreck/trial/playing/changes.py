"""Objects changed behind the back of the code that holds them, as whoever else knows them might."""

import copy
from collections.abc import Callable
from enum import Enum
from functools import partial
from types import ModuleType
from typing import Any

_STAYS = (tuple, frozenset, type, Enum, ModuleType)
"""What is not changed: it cannot be, or it is one for all runs, and a member of an enum is found by its name."""


def changed(value: Any, steady: frozenset[str] = frozenset()) -> None:
    """Changes what `value` holds, in place: one more item, another value, other attributes; `steady` ones stay."""
    match value:
        case list():
            value.append(value[0] if value else 1)
        case dict():
            for key in [k for k in list(value)[:1] if f"[{k!r}]" not in steady]:
                value[key] = another(value[key])
            value["key later"] = 1
        case set():
            value.add("text later")
        case _ if not isinstance(value, _STAYS) and hasattr(value, "__dict__"):
            _attributes(value, steady)


def equal_to(value: Any) -> Any:
    """Another object that equals `value`; the keys of a mapping stand in another order."""
    if type(value) is dict:
        return dict(reversed(value.items()))
    return copy.copy(value)


def _attributes(value: Any, steady: frozenset[str]) -> None:
    for name, held in (_of_its_class(value) | vars(value)).items():
        if name.startswith("_dreck_") or name in steady:
            continue
        if isinstance(held, list | dict | set):
            changed(held)
        else:
            object.__setattr__(value, name, another(held))


def _of_its_class(value: Any) -> dict[str, Any]:
    """Plain attributes that its class has for it, and that it may get for its own; names in capitals are constants."""
    every = {n: v for k in reversed(type(value).__mro__[:-1]) if k.__flags__ & _HEAP for n, v in vars(k).items()}
    return {n: v for n, v in every.items() if isinstance(v, _PLAIN) and not n.startswith("__") and not n.isupper()}


_HEAP = 1 << 9
"""Set for classes that are made by a `class` statement (C API, Py_TPFLAGS_HEAPTYPE)."""


def parts_of(value: Any) -> list[tuple[str, str, Callable[[Any], None]]]:
    """The parts of a real object: how each is asked for, its name among what may be steady, what puts another there."""
    match value:
        case dict():
            return [(f"[{k!r}]", f"[{k!r}]", partial(value.__setitem__, k)) for k in list(value)[:_MOST_PARTS]]
        case list():
            return [(f"[{i}]", f"[{i!r}]", partial(value.__setitem__, i)) for i in range(min(len(value), 3))]
        case _ if isinstance(value, _STAYS):
            return []
    own = getattr(value, "__dict__", {})
    plain = {n: v for k in type(value).__mro__[:-1] for n, v in vars(k).items() if isinstance(v, _PLAIN)}
    names = [n for n in {**own, **plain} if isinstance(n, str) and not n.startswith(("_dreck_", "__"))]
    return [(f".{n}", n, partial(object.__setattr__, value, n)) for n in names[:_MOST_PARTS]]


_MOST_PARTS = 12
_PLAIN = (bool, int, float, str)


def another(value: Any) -> Any:
    """Another value of the same kind, where that is plain."""
    match value:
        case bool():
            return not value
        case int() | float():
            return value + 1
        case str():
            return value + "x"
    return value
