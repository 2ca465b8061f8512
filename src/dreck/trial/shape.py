"""What classes and values of a module are once it has been executed, part by part, in texts that can be compared.

A function that is called tells what it does; that a class has lost `__lt__`, or an enum has one member more, only the
class itself tells.
"""

import ast
import dataclasses
import enum
import functools
import inspect
import logging
import re
from collections.abc import Callable, Iterator
from datetime import date, time, timedelta
from decimal import Decimal
from pathlib import Path, PurePath
from types import BuiltinFunctionType, FunctionType, MappingProxyType, ModuleType
from typing import Any

from dreck.trial.running.loading.imports import CannotRun, executed, project_of, whole_project
from dreck.trial.running.loading.installed import import_installed
from dreck.trial.sandbox.cage import Cage
from dreck.trial.sandbox.determinism import Still
from dreck.trial.surely import is_a, is_class

_OF_PYTHON = frozenset(
    f"__{name}__"
    for name in (
        *("module", "dict", "weakref", "doc", "annotations", "annotate", "annotate_func", "annotations_cache"),
        *("firstlineno", "static_attributes", "qualname", "parameters", "orig_bases", "type_params", "classcell"),
        *("dataclass_fields", "dataclass_params", "abstractmethods", "classdictcell", "new_member"),
    )
) | {"_abc_impl"}
"""What Python itself puts into every class, or another part tells."""
_CHANGING = (list, dict, set, bytearray)
_OF_ENUMS = frozenset({"_missing_", "_generate_next_value_"})
_ABOVE = "the list of classes above"
_METACLASS = "its metaclass"
_DEEPEST = 6
_MOST = 400
_LONGEST = 80
_BEFORE = 25

Parts = dict[str, str | None]


def shapes(request: dict[str, Any], announce: Callable[[int], None], skipped: frozenset[int]) -> dict[str, Any]:
    """Answers a request for the shapes of names at the top of a module: for each that is there, its parts.

    None as a part means that nobody can tell. Raises CannotRun when the module cannot be executed.
    """
    cage, still = Cage(frozenset(request["open"])), Still()
    side = request["old"]
    path = Path(side["path"])
    cage.wall([whole_project(path)], request.get("cage", ""))
    import_installed(path, side["text"], project_of(path))
    cage.close()
    still.hold(side["text"])
    module = executed(side["path"], ast.parse(side["text"]), {}, False)
    there = module.__dict__
    if cage.told:
        raise CannotRun(f"the cage lets its module do nothing to the world (refused: {cage.told[0]})")
    asked = [name for name in request["names"] if name in there]
    return {"shapes": {name: shape_of(name, there, module.__name__) for name in asked}}


def shape_of(name: str, there: dict[str, Any], module: str) -> Parts:
    """The parts of a class of `module`, or of any other value there: what it is, and what else is the very same."""
    value = there[name]
    if is_class(value):
        return _of_class(value, module)
    found: Parts = {"its value": told(value)}
    if is_a(value, *_CHANGING):
        known = sorted(other for other, one in there.items() if one is value and other != name)
        found |= {f"that it is the very object `{other}`": "so" for other in known}
    return found


def told(value: Any, depth: int = 0, seen: dict[int, int] | None = None) -> str | None:
    """The same text for the same value, in each process; None where there is none. What may change and comes again in
    it is told as the same."""
    kind, seen = type(value), {} if seen is None else seen
    if is_a(value, *_CHANGING):
        if id(value) in seen:
            return f"the same as number {seen[id(value)]}"
        seen[id(value)] = len(seen)
    if value is None or value is ... or kind in (bool, int, float, complex, str, bytes, Decimal, date, time, timedelta):
        return repr(value)
    if kind in (list, tuple, set, frozenset, dict):
        return _of_several(value, depth, seen) if depth < _DEEPEST and len(value) <= _MOST else None
    if is_a(value, enum.Enum):
        return f"{kind.__qualname__}.{value.name}"
    if is_class(value):
        return f"the class {value.__qualname__}"
    if kind is FunctionType and "<lambda>" not in value.__qualname__:
        return f"the function {value.__qualname__}"
    if kind is BuiltinFunctionType and is_a(value.__self__, ModuleType):
        return f"the function {value.__qualname__}"
    if kind is ModuleType:
        return f"the module {value.__name__}"
    if kind is re.Pattern:
        return f"{value.pattern!r} with flags {value.flags}"
    if is_a(value, logging.Logger):
        return f"the logger {value.name}"
    if kind is MappingProxyType:
        return _of_several(dict(value), depth, seen)
    if is_a(value, PurePath) or kind.__module__ in ("types", "typing"):
        return _without_place(repr(value))
    if dataclasses.is_dataclass(value) and depth < _DEEPEST:
        parts = {f.name: told(getattr(value, f.name, None), depth + 1, seen) for f in dataclasses.fields(value)}
        return None if None in parts.values() else f"{kind.__qualname__}({parts})"
    return None


def _without_place(text: str) -> str | None:
    return None if " at 0x" in text else text


def _of_several(value: Any, depth: int, seen: dict[int, int]) -> str | None:
    keys = [told(key, depth + 1, seen) for key in value]
    values = [told(held, depth + 1, seen) for held in value.values()] if type(value) is dict else []
    if None in keys or None in values:
        return None
    known = [key for key in keys if key is not None]
    match value:
        case dict():
            return f"{{{', '.join(f'{key}: {held}' for key, held in zip(known, values, strict=True))}}}"
        case list():
            return f"[{', '.join(known)}]"
        case tuple():
            return f"({', '.join(known)}{',' * (len(known) == 1)})"
    return f"{type(value).__name__} of {', '.join(sorted(known)) or 'nothing'}"


def _of_class(kind: type, module: str) -> Parts:
    mine = [k for k in kind.__mro__ if k.__module__ == module]
    above = ", ".join(_known_as(k, module) for k in kind.__mro__[1:])
    found: Parts = {_METACLASS: type(kind).__qualname__, _ABOVE: above}
    found["the list of abstract methods"] = ", ".join(sorted(getattr(kind, "__abstractmethods__", ())))
    for name in sorted({n for k in kind.__mro__ if k is not object for n in vars(k)} - _OF_PYTHON):
        part = _of_name(kind, name, mine, module)
        if part is not None:
            found[part[0]] = part[1]
    if is_a(kind, enum.EnumMeta):
        members = dict[str, Any](kind.__members__)  # type: ignore[attr-defined]
        found["the list of members"] = ", ".join(members)
        values = ((name, m.name, told(m.value)) for name, m in members.items())
        found |= {f"the member {name}": value and f"{of}: {value}" for name, of, value in values}
    if dataclasses.is_dataclass(kind):
        found["what is asked of the data class"] = repr(kind.__dataclass_params__)  # type: ignore[attr-defined]
        found["the list of fields"] = ", ".join(field.name for field in dataclasses.fields(kind))
        found |= {f"the field {field.name}": _of_field(field) for field in dataclasses.fields(kind)}
    return found


def _known_as(kind: type, module: str) -> str:
    return kind.__qualname__ if kind.__module__ in (module, "builtins") else f"{kind.__module__}.{kind.__qualname__}"


def _of_name(kind: type, name: str, mine: list[type], module: str) -> tuple[str, str | None] | None:
    """What a class has under a name: as a part, or None where that says nothing of its own."""
    owner = next(k for k in kind.__mro__ if name in vars(k))
    value = vars(owner)[name]
    special = name.startswith("__") and name.endswith("__")
    if name == "__slots__" and owner not in mine:
        return None
    if special:
        return f"`{name}`", _of_special(value) if owner in mine else f"that of {_known_as(owner, module)}"
    if owner not in mine:
        return None
    if is_a(kind, enum.EnumMeta) and (name in dict[str, Any](kind.__members__) or name.endswith("_")):  # type: ignore[attr-defined]
        return (f"`{name}`", "a function") if name in _OF_ENUMS else None
    return f"the attribute `{name}`", _of_attribute(value)


def _of_special(value: Any) -> str | None:
    if not _is_function(value):
        return told(value)
    plain = inspect.unwrap(getattr(value, "__func__", value))
    code = getattr(plain, "__code__", None)
    if code is None or not code.co_filename.startswith("<"):
        return "a function"
    return f"made for it, for {_parameters(plain)}"


def _parameters(function: Any) -> str:
    """The parameters as callers see them, without what is said of their classes."""
    bare = inspect.Parameter.empty
    given = inspect.signature(function).parameters.values()
    shown = ((p, "" if p.default is bare else f"={told(p.default) or '...'}") for p in given)
    return ", ".join(f"{p.name}{default}{' by name' if p.kind is p.KEYWORD_ONLY else ''}" for p, default in shown)


def _of_attribute(value: Any) -> str | None:
    if is_a(value, property):
        return f"a property, {'that can be set' if value.fset else 'to be read'}"
    if _is_function(value):
        return f"a {type(value).__name__}"
    if type(value).__name__ in ("member_descriptor", "getset_descriptor"):
        return "a slot"
    if is_class(value):
        return f"the class {value.__name__}"
    return told(value)


def _is_function(value: Any) -> bool:
    return is_a(value, FunctionType, staticmethod, classmethod, functools.cached_property, functools.partialmethod)


def _of_field(field: "dataclasses.Field[Any]") -> str | None:
    missing = dataclasses.MISSING
    default = "none" if field.default is missing else told(field.default)
    maker = "none" if field.default_factory is missing else told(field.default_factory)
    if default is None or maker is None:
        return None
    flags = [n for n in ("init", "repr", "hash", "compare", "kw_only") if getattr(field, n)]
    return f"default {default}, factory {maker}, {' '.join(flags)}"


def differences(old: Parts, new: Parts, written_alike: frozenset[str]) -> Iterator[str]:
    """In which parts two shapes differ, as one reads it; what the new one has more as plain attributes is no
    difference. Of what is `written_alike` nobody need tell."""
    for part in sorted(old.keys() | new.keys()):
        if part not in new:
            yield f"{part} is in the old version only"
        elif part not in old:
            if not part.startswith("the attribute") or "`__getattr__`" in old:
                yield f"{part} is in the new version only"
        elif old[part] is None or new[part] is None:
            if part.partition("`")[2].rstrip("`") in written_alike:
                continue
            yield f"nobody can tell whether {part} is the same"
        elif old[part] != new[part] and not _is_harmless(part, old[part], new[part]):
            was, now = _where_they_part(old[part] or "nothing", new[part] or "nothing")
            yield f"{part} was {was}, is {now}"


def _where_they_part(one: str, other: str) -> tuple[str, str]:
    """Both texts, of long ones what stands where they part."""
    same = next((i for i, (a, b) in enumerate(zip(one, other, strict=False)) if a != b), min(len(one), len(other)))
    begin = max(0, same - _BEFORE) if max(len(one), len(other)) > _LONGEST else 0

    def shown(text: str) -> str:
        part = text[begin : begin + _LONGEST]
        return f"{'...' if begin else ''}{part}{'...' if begin + _LONGEST < len(text) else ''}"

    return shown(one), shown(other)


def _is_harmless(part: str, old: str | None, new: str | None) -> bool:
    """Whether classes have come between those that were above, in their order; such as may have abstract methods."""
    if part == _METACLASS:
        return (old, new) == ("type", "ABCMeta")
    later = iter((new or "").split(", "))
    return part == _ABOVE and all(kind in later for kind in (old or "").split(", "))
