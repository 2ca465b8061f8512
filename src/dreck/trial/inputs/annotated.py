"""Candidates by what an annotation says: values of the type, chosen after the use that the code makes of them."""

import builtins
import contextlib
import datetime
import enum
import inspect
import typing
from collections import Counter, deque
from typing import Any

from dreck.trial.inputs.abstract import to_be_overridden
from dreck.trial.inputs.asked.texts import OF_DIGITS
from dreck.trial.inputs.asked.uses import Usage
from dreck.trial.inputs.kin import derives, with_a_say_below
from dreck.trial.inputs.library import (
    WRITTEN_NUMBERS,
    is_path,
    kinds_of,
    near_parts,
    of_library,
    paths_of,
)
from dreck.trial.inputs.near import (
    MISSING,
    between,
    is_below,
    is_of_keys,
    sums_of_flags,
)
from dreck.trial.inputs.plain import BELOW, HUGE, PLAIN, TOO_LARGE, TOO_LONG, of_numpy
from dreck.trial.inputs.recipes import Make
from dreck.trial.inputs.textual import Textual, as_octets, as_text
from dreck.trial.surely import is_class

_OF_ITS_USE = frozenset({"Hashable", "Awaitable", "Coroutine", "AsyncIterator", "AsyncIterable", "AsyncGenerator"})
_CONTAINERS = frozenset({list, set, frozenset, tuple, dict})
_UNHASHABLE = frozenset({"list", "dict", "set", "deque"})
_PLAIN_MAPPINGS = frozenset({"dict", "Mapping", "MutableMapping"})
_MOST_CLASSES = 6
_PYTHONS = ("builtins", "datetime", "decimal")


_MAKES_NOTHING = (int, float, str, list, dict, set, tuple)


def _filled_by(args: tuple[Any, ...]) -> type | None:
    """What makes the values of a mapping of which only their type is known."""
    kind = typing.get_origin(args[1]) or args[1] if len(args) > 1 else None
    return kind if kind in _MAKES_NOTHING else None


def _is_the_one(name: str, known: Any) -> bool:
    """Whether a name stands for the class of Python that is called so: nothing else is called so in the module."""
    return known is MISSING or (isinstance(known, type) and known.__module__ in _PYTHONS and known.__name__ == name)


class Typed(Textual):
    """Candidates of which the type is known."""

    types: dict[str, Any]

    def _of_usage(self, u: Usage, name: str) -> list[Make]:
        """Where the annotation says nothing, or next to nothing."""
        raise NotImplementedError

    def _of_methods(self, u: Usage, name: str, is_text: bool = False) -> list[Make]:
        """By the methods that are asked of it."""
        raise NotImplementedError

    def _of_type(self, kind: Any, u: Usage, name: str) -> list[Make]:
        origin, args = typing.get_origin(kind), typing.get_args(kind)
        if origin is typing.Union or type(kind).__name__ == "UnionType":
            return [m for arg in args for m in self._of_type(arg, u, name)]
        told = getattr(kind, "__supertype__", None) or getattr(kind, "__value__", None)
        if told is not None and not isinstance(kind, type):  # `NewType`, `type Load = ...`
            return self._of_type(told, u, name)
        if origin is typing.Literal:
            return [Make("value", a) for a in args]
        if kind is None or kind is type(None):
            return [Make("value", None)]
        if isinstance(kind, typing.TypeVar) and (known := kind.__constraints__ or (kind.__bound__,))[0] is not None:
            return [m for one in known for m in self._of_type(one, u, name)]
        if kind in (typing.Any, object) or isinstance(kind, typing.TypeVar):
            return self._of_usage(u, name)
        base = getattr(origin or kind, "real", None) if type(kind).__name__ == "Held" else origin or kind
        if not isinstance(base, type):
            return [Make("stand-in")]
        return self._of_class(base, args, u, name)

    def _of_class(self, kind: type, args: tuple[Any, ...], u: Usage, name: str) -> list[Make]:
        return self._of_kind(kind, args, u, name) + [
            Make("instance", n) for n in with_a_say_below(kind, self.namespace)
        ]

    def _of_kind(self, kind: type, args: tuple[Any, ...], u: Usage, name: str) -> list[Make]:
        near = [m for c in u.constants for m in self._around(c, True)]
        if kind in PLAIN and kind is not dict:
            return self._of_plain(kind, near, u, name)
        if is_path(kind):
            return paths_of(kind, [c for c in (*u.contains, *self.usages.constants) if isinstance(c, str)])
        if issubclass(kind, enum.Enum):
            return self._members(kind)
        if kind.__module__ == "numpy":
            return of_numpy(kind, near)
        if kind is type:
            return [Make("named", n) for n in self._classes_below(args[0] if args else object)] or [Make("stand-in")]
        if args and kind is deque:
            self.types.setdefault(f"{name}[]", args[0])
        if made := of_library(kind, [m.what for m in near if m.kind == "value"], u):
            return made
        if kind in _CONTAINERS or is_of_keys(kind) or kind.__module__ == "collections.abc":
            return self._of_abstract(kind, args, u, name)
        return [Make("stand-in")] if kind.__module__ == "builtins" else self._of_own(kind, u, name)

    def _of_plain(self, kind: type, near: list[Make], u: Usage, name: str) -> list[Make]:
        """Values of a plain type: those near what the code names, then those that any code is tried with."""
        fits = [m for m in near if m.kind == "named" or type(m.what) is kind]
        if kind is str:
            fits += self._as_texts(u, name)
        elif kind in (bytes, bytearray):
            fits += as_octets(self._of_class(str, (), as_text(u), name), kind)
        elif kind is float:
            fits += [Make("value", float(m.what)) for m in near if type(m.what) is int] + between(u.constants)
        elif kind is datetime.timedelta:
            fits += self._spans(u)
        fits += near_parts(kind, u, self.usages.constants)
        plain = [v for v in PLAIN[kind] if not (self.usages.grows and v in (HUGE, TOO_LARGE))]
        plain += [TOO_LONG] if kind is int and u.formatted and not self.usages.grows else []
        return fits + [Make("value", v) for v in plain] + self._odd_ones(kind.__name__, u)

    def _as_texts(self, u: Usage, name: str) -> list[Make]:
        written = WRITTEN_NUMBERS if u.converted else ()
        matched = [text for pattern in u.patterns for text in self._matched(pattern)]
        fits = [Make("value", text) for text in (*u.texts, *self.words)] + ([Make("json")] if u.is_json else [])
        fits += [Make("value", text) for text in (*written, *matched)]
        inside = self.usages.by_path.get(f"{name}[]")
        fits += [Make("value", text) for text in OF_DIGITS] if inside is not None and inside.converted else []
        used = [u, *filter(None, [inside])]
        return fits + [m for asked in used for m in self._of_methods(asked, name, True) if isinstance(m.what, str)]

    def _members(self, kind: type[enum.Enum]) -> list[Make]:
        if not self._found(kind):
            return [Make("value", m) for m in kind]
        one = [Make("named", f"{kind.__qualname__}.{m.name}") for m in kind]
        return one + [Make("flags", (kind.__qualname__, names)) for names in sums_of_flags(kind)]

    def _of_abstract(self, kind: type, args: tuple[Any, ...], u: Usage, name: str) -> list[Make]:
        """Containers, and what an abstract class of the library asks for."""
        if kind.__name__ == "Callable":
            return [Make("stand-in")]
        if kind.__name__ not in _OF_ITS_USE:
            return self._of_container(kind, args, u, name)
        found = [m for m in self._of_usage(u, name) if m.kind not in _UNHASHABLE or kind.__name__ != "Hashable"]
        return [*found, Make("value", 3), Make("value", "text"), Make("tuple", 2)]

    def _of_own(self, kind: type, u: Usage, name: str) -> list[Make]:
        """Objects of a class of the project, and of those below it."""
        self._learn_fields(kind, name)
        family = [n for n in self._family([*u.classes, kind.__qualname__]) if n != kind.__name__]
        return [Make("class", kind), *(Make("instance", n) for n in family if is_below(self._lookup(n), kind))]

    def _of_container(self, kind: type, args: tuple[Any, ...], u: Usage, name: str) -> list[Make]:
        if is_of_keys(kind):
            args = (args[0], int) if kind is Counter and len(args) == 1 else args
            if len(args) == 2:
                self.types.setdefault(f"{name}{{}}", args[0])
                self.types.setdefault(f"{name}[*]", args[1])
                self.types.setdefault(f"{name}[]", args[1])
            return (
                [Make("dict")]
                if kind.__name__ in _PLAIN_MAPPINGS or typing.is_typeddict(kind)
                else [Make("below dict", (kind, _filled_by(args)))]
            )
        if args and args[0] is not Ellipsis:
            self.types.setdefault(f"{name}[]", args[0])
            self._types_by_position(kind, args, name)
        if kind.__name__ in ("Iterator", "Generator"):
            return [*(Make("iterator", n) for n in (2, 1, 0, 3)), *(m for m in self._lists(u) if m.kind == "failing")]
        shape = "tuple" if kind is tuple else "set" if kind in (set, frozenset) else "list"
        if shape == "tuple" and args and args[-1] is not Ellipsis:
            return [Make("tuple", len(args))]
        known = self._lists(u)
        made = [Make(shape, m.what) for m in known if m.kind == "list"]
        if kind.__name__ == "Iterable":
            made += [Make("iterator", 2), Make("iterator", 3), *(m for m in known if m.kind == "failing")]
        if kind.__name__ in ("Iterable", "Collection", "Sequence"):
            made.insert(3, Make("tuple", 2))
        return made

    def _types_by_position(self, kind: type, args: tuple[Any, ...], name: str) -> None:
        if kind is tuple and args[-1] is not Ellipsis:
            for position, arg in enumerate(args):
                self.types.setdefault(f"{name}#{position}", arg)

    def _classes_below(self, base: Any) -> list[str]:
        """Names of classes that may stand for `type[base]`: those of the module, and built-in ones."""
        own = [n for n, k in self.namespace.items() if is_class(k) and (base is object or is_below(k, base))]
        return list(dict.fromkeys([*own[:_MOST_CLASSES], *kinds_of(base)]))

    def _found(self, kind: type) -> bool:
        return self._lookup(kind.__qualname__) is kind

    def _learn_fields(self, kind: type, name: str) -> None:
        try:
            hints = typing.get_type_hints(kind)
        except Exception:
            return
        for field, hint in hints.items():
            self.types.setdefault(f"{name}.{field}", hint)
        for method in to_be_overridden(kind):
            self._learn_answer(f"{name}.{method}", inspect.getattr_static(kind, method))

    def _learn_answer(self, name: str, method: Any) -> None:
        """What a method that is only there to be overridden gives, or a property is, says its annotation."""
        function = method.fget if isinstance(method, property) else method
        with contextlib.suppress(Exception):
            told = typing.get_type_hints(function)["return"]
            self.types.setdefault(name if isinstance(method, property) else f"{name}()", told)

    def _family(self, kinds: list[str]) -> list[str]:
        """The classes asked for, as far as the old version knows them, those that derive from them, and those above."""
        known = [k for k in kinds if self._lookup(k) is not MISSING or hasattr(builtins, k)]
        own = [(name, found) for name, found in self.namespace.items() if is_class(found)]
        below = [
            name
            for kind in known
            if isinstance(base := self._lookup(kind), type)
            for name, found in own
            if base is not object and found is not base and derives(found, base) and name not in known
        ]
        plain = [getattr(builtins, kind) for kind in known if self._lookup(kind) is MISSING]
        below += [n for kind in plain if isinstance(kind, type) for n in with_a_say_below(kind, self.namespace)]
        asked = [made for kind in known if isinstance(made := self._lookup(kind), type)]
        bases = {base for made in asked for base in made.__mro__[1:]}
        above = [name for name, kind in own if kind in bases and kind.__module__ == self.namespace.get("__name__")]
        return list(dict.fromkeys([*known, *below[:6], *above[:2]]))

    def _odd_ones(self, name: str, u: Usage) -> list[Make]:
        """Where the code looks at types: values of classes below the one asked for."""
        truths = [Make("value", True), Make("value", False)] if name == "int" and "bool" in u.classes else []
        if not u.exact and not u.kind_asked and name not in u.classes:
            return truths
        last = name.rpartition(".")[2]
        below = [Make("below", last)] if last in BELOW and _is_the_one(last, self._lookup(name)) else []
        return [Make("value", True), *truths[1:], *below] if name == "int" else below
