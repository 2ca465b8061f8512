"""What classes and values of a module are once it has been executed, part by part, in texts that can be compared.

A function that is called tells what it does; that a class has lost `__lt__`, or an enum has one member more, only the
class itself tells.
"""

import ast
import enum
import functools
import inspect
import logging
import re
from collections.abc import Callable
from dataclasses import MISSING, dataclass, field, fields, is_dataclass
from datetime import date, time, timedelta
from decimal import Decimal
from pathlib import PurePath
from types import BuiltinFunctionType, FunctionType, MappingProxyType, ModuleType
from typing import Any

from dreck.trial.alone import caged
from dreck.trial.running.loading.imports import CannotRun, executed
from dreck.trial.shape_diff import ABOVE, METACLASS, Parts
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
_PLAIN = frozenset({bool, int, float, complex, str, bytes, Decimal, date, time, timedelta})
_OF_ENUMS = frozenset({"_missing_", "_generate_next_value_"})
_DEEPEST = 6
_MOST = 400


def shapes(request: dict[str, Any], announce: Callable[[int], None], skipped: frozenset[int]) -> dict[str, Any]:
    """Answers a request for the shapes of names at the top of a module: for each that is there, its parts.

    None as a part means that nobody can tell. Raises CannotRun when the module cannot be executed.
    """
    cage, _ = caged(request)
    side = request["old"]
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
        return _OfClass(module).parts(value)
    found: Parts = {"its value": Telling(module).of(value)}
    if is_a(value, *_CHANGING):
        known = sorted(other for other, one in there.items() if one is value and other != name)
        found |= {f"that it is the very object `{other}`": "so" for other in known}
    return found


@dataclass(slots=True)
class Telling:
    """Values of a module in texts: the same text for the same value, in each process; None where there is none.

    What may change and comes again in a value is told as the same.
    """

    module: str
    seen: dict[int, int] = field(default_factory=dict)

    def of(self, value: Any, depth: int = 0) -> str | None:
        kind = type(value)
        if is_a(value, *_CHANGING):
            if id(value) in self.seen:
                return f"the same as number {self.seen[id(value)]}"
            self.seen[id(value)] = len(self.seen)
        if value is None or value is ... or kind in _PLAIN:
            return repr(value)
        if kind in (list, tuple, set, frozenset, dict):
            return self._of_several(value, depth) if depth < _DEEPEST and len(value) <= _MOST else None
        if is_a(value, enum.Enum):
            return f"{self.name(kind)}.{value.name}"
        if is_class(value):
            return f"the class {self.name(value)}"
        if kind is FunctionType or (kind is BuiltinFunctionType and is_a(value.__self__, ModuleType)):
            return None if "<" in value.__qualname__ else f"the function {self.name(value)}"
        return self._of_library(value, depth)

    def name(self, thing: Any) -> str:
        """The name of a class or function, with its module unless that is the one at hand."""
        return thing.__qualname__ if thing.__module__ == self.module or thing is object else _whole_name(thing)

    def _of_library(self, value: Any, depth: int) -> str | None:
        kind = type(value)
        if kind is ModuleType:
            return f"the module {value.__name__}"
        if kind is re.Pattern:
            return f"{value.pattern!r} with flags {value.flags}"
        if is_a(value, logging.Logger):
            return f"the logger {value.name}"
        if kind is MappingProxyType:
            return self._of_several(dict(value), depth)
        if is_a(value, PurePath) or kind.__module__ in ("types", "typing"):
            return None if " at 0x" in repr(value) else repr(value)
        if is_dataclass(value) and depth < _DEEPEST:
            parts = {f.name: self.of(getattr(value, f.name, None), depth + 1) for f in fields(value)}
            return None if None in parts.values() else f"{self.name(kind)}({parts})"
        return None

    def _of_several(self, value: Any, depth: int) -> str | None:
        keys = [self.of(key, depth + 1) for key in value]
        values = [self.of(held, depth + 1) for held in value.values()] if type(value) is dict else []
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


def _whole_name(thing: Any) -> str:
    return f"{thing.__module__}.{thing.__qualname__}"


@dataclass(slots=True)
class _OfClass:
    """The parts of the classes of one module."""

    module: str

    def parts(self, kind: type) -> Parts:
        telling = Telling(self.module)
        found: Parts = {METACLASS: telling.name(type(kind)), ABOVE: ", ".join(map(telling.name, kind.__mro__[1:]))}
        found["the list of abstract methods"] = ", ".join(sorted(getattr(kind, "__abstractmethods__", ())))
        for name in sorted({n for k in kind.__mro__ if k is not object for n in vars(k)} - _OF_PYTHON):
            found |= self._under(kind, name)
        if is_a(kind, enum.EnumMeta):
            members = _members(kind)
            found["the list of members"] = ", ".join(members)
            values = ((name, m.name, telling.of(m.value)) for name, m in members.items())
            found |= {f"the member {name}": value and f"{of}: {value}" for name, of, value in values}
        if is_dataclass(kind):
            found["what is asked of the data class"] = repr(kind.__dataclass_params__)  # type: ignore[attr-defined]
            found["the list of fields"] = ", ".join(each.name for each in fields(kind))
            found |= {f"the field {each.name}": self._of_field(each) for each in fields(kind)}
        return found

    def _under(self, kind: type, name: str) -> Parts:
        """What a class has under a name, where that says something of its own."""
        owner = next(k for k in kind.__mro__ if name in vars(k))
        value, is_own = vars(owner)[name], owner.__module__ == self.module
        if name.startswith("__") and name.endswith("__"):
            if not is_own:
                return {} if name == "__slots__" else {f"`{name}`": f"that of {_whole_name(owner)}"}
            return {f"`{name}`": self._of_function(value, owner, name) or Telling(self.module).of(value)}
        if not is_own:
            return {}
        if is_a(kind, enum.EnumMeta) and (name in _members(kind) or name.endswith("_")):
            return {f"`{name}`": self._of_function(value, owner, name)} if name in _OF_ENUMS else {}
        if is_class(value) and value.__qualname__ == f"{owner.__qualname__}.{name}":
            inner = self.parts(value) if value.__qualname__.count(".") < _DEEPEST else {"all of it": None}
            return {f"the attribute `{name}`": "a class"} | {f"{part}, in {name}": told for part, told in inner.items()}
        return {f"the attribute `{name}`": self._of_attribute(value, owner, name)}

    def _of_attribute(self, value: Any, owner: type, name: str) -> str | None:
        if is_a(value, property):
            parts = [self._of_function(f, owner, name) or "another" for f in (value.fget, value.fset) if f is not None]
            return None if "another" in parts else f"a property, {' and '.join(parts)}"
        if type(value).__name__ in ("member_descriptor", "getset_descriptor"):
            return "a slot"
        return self._of_function(value, owner, name) or Telling(self.module).of(value)

    def _of_function(self, value: Any, owner: type, name: str) -> str | None:
        """A function that stands in the class under that name (its own verdict tells what it does), or was made for it
        by a library; None for any other."""
        if not is_a(value, FunctionType, staticmethod, classmethod, functools.cached_property):
            return None
        plain = inspect.unwrap(getattr(value, "func", getattr(value, "__func__", value)))
        code = getattr(plain, "__code__", None)
        if code is not None and code.co_filename.startswith("<"):
            return f"made for it, for {self._parameters(plain)}"
        stands_there = getattr(plain, "__qualname__", "") == f"{owner.__qualname__}.{name}"
        is_of_enum = getattr(plain, "__module__", "") == "enum"
        if code is None or not (stands_there or is_of_enum):
            return None
        return "a function" if is_a(value, FunctionType) else f"a function in a {type(value).__name__}"

    def _parameters(self, function: Any) -> str:
        """The parameters as callers see them, without what is said of their classes."""
        bare, telling = inspect.Parameter.empty, Telling(self.module)
        given = inspect.signature(function).parameters.values()
        shown = ((p, "" if p.default is bare else f"={telling.of(p.default) or '...'}") for p in given)
        return ", ".join(f"{p.name}{default}{' by name' if p.kind is p.KEYWORD_ONLY else ''}" for p, default in shown)

    def _of_field(self, each: Any) -> str | None:
        telling = Telling(self.module)
        default = "none" if each.default is MISSING else telling.of(each.default)
        maker = "none" if each.default_factory is MISSING else telling.of(each.default_factory)
        if default is None or maker is None:
            return None
        flags = [n for n in ("init", "repr", "hash", "compare", "kw_only") if getattr(each, n)]
        return f"default {default}, factory {maker}, {' '.join(flags)}"


def _members(kind: Any) -> dict[str, Any]:
    return dict(kind.__members__)
