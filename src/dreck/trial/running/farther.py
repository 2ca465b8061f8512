"""What stands in other modules of the project, and a run may change by way of what the function calls there."""

import sys
import types
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from dreck.trial.running.kept import may_change, putting_back, state_of
from dreck.trial.running.loading.imports import project_of
from dreck.trial.surely import is_a, is_class

_MOST_CODE = 60
_MOST_PARTS = 200
"""What holds more is described too slowly, and is seldom changed by one call."""
_MOST_TOLD = 2_000
"""An object that holds the whole program is not told run by run."""
_FIXED = (int, str, float, bytes, bool, type(None))


class Farther:
    """The places in other modules of the project that a function leads to: `fees.PAID`, an object that is imported."""

    def __init__(self, code: types.CodeType, namespace: dict[str, Any], path: str) -> None:
        self._project = project_of(Path(path)) if path else None
        self._own = namespace
        self._at_first: dict[str, Any] = {}
        found = self._found(code) if self._project is not None else ()
        self._places = [(space, name) for space, name in found if _is_short(state_of(space[name]))]

    def state(self) -> Iterator[tuple[str, Any]]:
        """What each of them holds that did not hold it before the run, described, by the module and the name."""
        now = self._described()
        yield from ((name, told) for name, told in now.items() if told != self._at_first.get(name))

    def _described(self) -> dict[str, Any]:
        return {f"{s.get('__name__')}.{name}": state_of(s[name]) for s, name in self._places if name in s}

    @contextmanager
    def put_back(self) -> Iterator[None]:
        """Whatever a run does to them, they stand afterwards as they did."""
        before = [(space, name, space[name]) for space, name in self._places if name in space]
        self._at_first = self._described()
        contents = [put for _, _, value in before if (put := putting_back(value)) is not None]
        try:
            yield
        finally:
            for space, name, value in before:
                space[name] = value
            for put in contents:
                put()

    def _found(self, code: types.CodeType) -> Iterator[tuple[dict[str, Any], str]]:
        pending, seen, told = [(code, self._own)], {code}, set[tuple[int, str]]()
        while pending and len(seen) <= _MOST_CODE:
            one, space = pending.pop()
            inner = [(c, space) for c in one.co_consts if type(c) is types.CodeType]
            for where, name in self._named(one, space):
                value = where[name]
                inner += self._led_to(value, one.co_names)
                if (id(where), name) not in told and self._may_change(where, name):
                    told.add((id(where), name))
                    yield where, name
            for c, its in inner:
                if c not in seen:
                    seen.add(c)
                    pending.append((c, its))

    def _named(self, code: types.CodeType, space: dict[str, Any]) -> Iterator[tuple[dict[str, Any], str]]:
        """The names of modules that code says, those of a module that it names included."""
        for name in code.co_names:
            if name in space:
                yield space, name
                if is_a(space[name], types.ModuleType) and self._is_of_project(space[name]):
                    yield from ((vars(space[name]), other) for other in code.co_names if other in vars(space[name]))

    def _led_to(self, value: Any, words: tuple[str, ...]) -> list[tuple[types.CodeType, dict[str, Any]]]:
        if type(value) is types.FunctionType:
            own = [(value.__code__, value.__globals__)] if self._are_of_project(value.__globals__) else []
            return [*own, *self._led_to(_registered(value), words)]
        if type(value) in (dict, list, tuple):
            held = [*value.values()] if type(value) is dict else [*value]
            return [found for inner in held[:_MOST_PARTS] for found in self._of_row(inner, words)]
        kind = value if is_class(value) else type(value)
        if not self._is_kind_of_project(kind):
            return []
        methods = [(n, m) for k in kind.__mro__ if self._is_kind_of_project(k) for n, m in vars(k).items()]
        return [
            (m.__code__, m.__globals__)
            for n, m in methods
            if type(m) is types.FunctionType and (n in words or n.startswith("__"))
        ]

    def _of_row(self, row: Any, words: tuple[str, ...]) -> list[tuple[types.CodeType, dict[str, Any]]]:
        """The functions in a row of a table."""
        parts = row if type(row) is tuple else (row,)
        return [found for part in parts if type(part) is types.FunctionType for found in self._led_to(part, words)]

    def names(self) -> list[tuple[str, str]]:
        """The places by the module and the name, '' for the module of the function itself."""
        return [("" if s is self._own else str(s.get("__name__")), name) for s, name in self._places]

    def look_at(self, names: Iterable[tuple[str, str]]) -> None:
        """Looks at what the other version leads to, as well, as far as it is there."""
        told = set(self.names())
        for module, name in names:
            there = sys.modules.get(module)
            space = self._own if not module else vars(there) if there is not None else {}
            if name in space and (module, name) not in told and _is_short(state_of(space[name])):
                self._places.append((space, name))

    def _may_change(self, space: dict[str, Any], name: str) -> bool:
        """Whether it is looked at: not what the module of the function itself holds of its own."""
        value = space[name]
        if name.startswith("__") or (is_a(value, list, dict, set) and len(value) > _MOST_PARTS):
            return False
        kind = value if is_class(value) else type(value)
        if self._is_kind_of_project(kind) and kind.__module__ != self._own.get("__name__"):
            return putting_back(value) is not None
        own = space is self._own or not may_change(name, space)
        return not own and (is_a(value, *_FIXED) or putting_back(value) is not None)

    def _is_kind_of_project(self, kind: Any) -> bool:
        try:
            module = sys.modules.get(kind.__module__)
        except Exception:  # its metaclass has something to say
            return False
        return module is not None and self._is_of_project(module)

    def _are_of_project(self, space: dict[str, Any]) -> bool:
        module = sys.modules.get(str(space.get("__name__")))
        return space is self._own or (module is not None and vars(module) is space and self._is_of_project(module))

    def _is_of_project(self, module: types.ModuleType) -> bool:
        file = vars(module).get("__file__")
        if not isinstance(file, str) or self._project is None or not Path(file).is_relative_to(self._project):
            return False
        first = str(vars(module).get("__name__")).partition(".")[0]
        beside = first == str(self._own.get("__name__")).partition(".")[0]
        return beside or not {"site-packages", "dist-packages"} & {*Path(file).parts}


def _registered(function: types.FunctionType) -> list[Any]:
    """The functions that a generic function has for classes."""
    known = vars(function).get("registry")
    return list(known.values()) if type(known) is types.MappingProxyType else []


def _is_short(told: Any) -> bool:
    """Whether a description has no more parts than can be told run by run."""
    pending, count = [told], 0
    while pending and count <= _MOST_TOLD:
        part = pending.pop()
        count += 1
        if isinstance(part, tuple | list):
            pending += part
    return count <= _MOST_TOLD
