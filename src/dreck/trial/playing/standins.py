"""Stand-ins: objects made up to play an argument. What they are asked is decided by path, once, for both versions."""

from collections.abc import Generator, Iterable, Iterator
from typing import Any

from dreck.trial.playing.addresses import without_places
from dreck.trial.playing.around import Around

_LARGE = 10**15
_GONE = object()
"""Where an item has been deleted."""


class StandIn:
    """Answers every question by asking its world what stands at `path.question`; calls on it are recorded."""

    def __init__(self, world: Around, path: str) -> None:
        object.__setattr__(self, "_dreck_world", world)
        object.__setattr__(self, "_dreck_path", path)
        object.__setattr__(self, "_dreck_items", {})
        object.__setattr__(self, "_dreck_keys", {})
        object.__setattr__(self, "_dreck_given", [])

    def __getattr__(self, name: str) -> Any:
        if name.startswith("__") and not self._dreck_world.is_asked(self._dreck_path, name):
            raise AttributeError(name)
        if name == "get" and self._dreck_world.is_mapping(self._dreck_path):
            return self._dreck_get
        world, path = self._dreck_world, self._dreck_path
        world.candidates.read(f"{path}.{name}", world.kinds.get(path))
        return world.read(f"{path}.{name}", keep=self)

    def __setattr__(self, name: str, value: Any) -> None:
        self._dreck_world.record("set", f"{self._dreck_path}.{name}", value)
        object.__setattr__(self, name, value)

    def __delattr__(self, name: str) -> None:
        self._dreck_world.record("delete", f"{self._dreck_path}.{name}")
        self.__dict__.pop(name, None)

    def __call__(self, *args: Any, **kwargs: Any) -> Any:
        return self._dreck_world.called(self._dreck_path, args, kwargs)

    # --- items: what was set is there, what was deleted is not -------------------------------------

    def __getitem__(self, key: Any) -> Any:
        self._dreck_world.may_raise(f"{self._dreck_path}[...] raises")
        return self._dreck_item(key)

    def _dreck_item(self, key: Any) -> Any:
        items, name = self._dreck_items, _key(key)
        if name in items:
            if items[name] is _GONE:
                raise KeyError(key)
            return items[name]
        if self._dreck_is_mapping() and key not in self:
            raise KeyError(key)
        return self._dreck_world.at(f"{self._dreck_path}[{name}]", keep=self)

    def __setitem__(self, key: Any, value: Any) -> None:
        self._dreck_world.record("set", f"{self._dreck_path}[{_key(key)}]", value)
        self._dreck_items[_key(key)] = value
        self._dreck_keys[_key(key)] = key

    def __delitem__(self, key: Any) -> None:
        self._dreck_world.may_raise(f"{self._dreck_path}[...] raises")
        self._dreck_world.record("delete", f"{self._dreck_path}[{_key(key)}]")
        self._dreck_items[_key(key)] = _GONE

    def __contains__(self, item: Any) -> bool:
        items, name = self._dreck_items, _key(item)
        if isinstance(item, StandIn) and name.startswith(f"{self._dreck_path}[") and name not in items:
            return items.get(name[len(self._dreck_path) + 1 : -1]) is not _GONE
        if self._dreck_is_mapping() and name in items:
            return items[name] is not _GONE
        if not self._dreck_is_mapping() and _is_among(item, items.values()):
            return True
        return _is_among(item, self._dreck_given) or self._dreck_holds(name)

    def _dreck_is_mapping(self) -> bool:
        return bool(self._dreck_world.is_mapping(self._dreck_path))

    def _dreck_holds(self, name: str) -> bool:
        return bool(self._dreck_world.answer(f"{name} in {self._dreck_path}", (False, True)))

    def _dreck_get(self, key: Any, default: Any = None) -> Any:
        return self._dreck_item(key) if key in self else default

    def __iter__(self) -> Generator[Any, Any, Any]:
        for item in self._dreck_one_by_one():
            self._dreck_given.append(item)
            sent = yield item
            if sent is not None:
                self._dreck_world.record("send", self._dreck_path, sent)
        self._dreck_world.may_raise(f"{self._dreck_path} ends with")
        return self._dreck_world.at(f"{self._dreck_path} returns")

    def _dreck_one_by_one(self) -> Iterator[Any]:
        if not self._dreck_is_mapping():
            yield from (self._dreck_item(number) for number in range(len(self)))
            return
        there = [self._dreck_world.at(f"{self._dreck_path}[{n}]", keep=self) for n in range(self._dreck_size())]
        names = {_key(key): key for key in there} | self._dreck_keys
        yield from (key for name, key in names.items() if self._dreck_items.get(name) is not _GONE)

    def _dreck_size(self) -> int:
        """How much there is in it from the start: not nothing when it is true, and nothing when it is not."""
        return int(self._dreck_world.answer(f"len({self._dreck_path})", (1, 2, 3))) if self._dreck_truth() else 0

    def _dreck_truth(self) -> bool:
        world = self._dreck_world
        return bool(world.answer(world.patience.truth(self._dreck_path), (True, False)))

    def __len__(self) -> int:
        if self._dreck_items and self._dreck_is_mapping():
            return sum(1 for _ in self._dreck_one_by_one())
        return self._dreck_size()

    def __bool__(self) -> bool:
        if self._dreck_items and self._dreck_is_mapping():
            return len(self) > 0
        return self._dreck_truth()

    def __hash__(self) -> int:
        return hash(self._dreck_path)

    def __eq__(self, other: object) -> bool:
        if isinstance(other, StandIn):
            is_same = bool(self._dreck_path == other._dreck_path)
            if not is_same:
                self._dreck_world.met.add((self._dreck_path, other._dreck_path))
            return is_same
        self._dreck_world.hint(self._dreck_path, other)
        return False

    def __lt__(self, other: Any) -> bool:
        return bool(self._number(other) < _plain(other))

    def __le__(self, other: Any) -> bool:
        return bool(self._number(other) <= _plain(other))

    def __gt__(self, other: Any) -> bool:
        return bool(self._number(other) > _plain(other))

    def __ge__(self, other: Any) -> bool:
        return bool(self._number(other) >= _plain(other))

    def _number(self, other: Any = 0) -> Any:
        self._dreck_world.hint(self._dreck_path, other)
        return 3 if isinstance(other, int | float | StandIn) else "m"

    def __int__(self) -> int:
        self._dreck_world.hint(self._dreck_path, 0)
        return 3

    __index__ = __int__

    def __float__(self) -> float:
        return float(int(self))

    def __repr__(self) -> str:
        return f"<{self._dreck_path}>"

    def __enter__(self) -> Any:
        return self._dreck_world.called(f"{self._dreck_path}.__enter__", (), {})

    def __exit__(self, *exc: Any) -> bool:
        """True where it swallows the error that leaves with it, as a suppressing context manager does."""
        self._dreck_world.record("leave", self._dreck_path, exc[0] and exc[0].__name__)
        if exc[0] is None or not issubclass(exc[0], Exception):
            return False
        return bool(self._dreck_world.answer(f"{self._dreck_path} swallows it", (False, True)))

    async def __aenter__(self) -> Any:
        return self.__enter__()

    async def __aexit__(self, *exc: Any) -> bool:
        return self.__exit__(*exc)

    def __await__(self) -> Any:
        self._dreck_world.record("await", self._dreck_path)
        return self._dreck_world.at(f"{self._dreck_path}.await", keep=self)
        yield

    async def __aiter__(self) -> Any:
        for item in self:
            yield item

    def __copy__(self) -> "StandIn":
        return self

    def __deepcopy__(self, memo: Any) -> "StandIn":
        return self


def _arithmetic(name: str) -> None:
    def forward(self: StandIn, other: Any) -> Any:
        import operator

        return getattr(operator, name)(self._number(other), _plain(other))

    def backward(self: StandIn, other: Any) -> Any:
        import operator

        return getattr(operator, name)(_plain(other), self._number(other))

    setattr(StandIn, f"__{name}__", forward)
    setattr(StandIn, f"__r{name}__", backward)


for _name in ("add", "sub", "mul", "truediv", "floordiv", "mod", "pow"):
    _arithmetic(_name)


def _is_among(item: Any, others: Iterable[Any]) -> bool:
    return any(item is other or item == other for other in others if other is not _GONE)


def _plain(value: Any) -> Any:
    return value._number() if isinstance(value, StandIn) else value


def _key(key: Any) -> str:
    """The name of an item: keys that are equal, whatever their classes, find the same."""
    if isinstance(key, StandIn):
        return str(key._dreck_path)
    if isinstance(key, str) and type(key).__hash__ is str.__hash__:
        return str.__repr__(key)
    if isinstance(key, int | float) and key == key and abs(key) < _LARGE and key == int(key):
        return repr(int(key))
    return without_places(repr(key))
