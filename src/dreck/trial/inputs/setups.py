"""Set-ups: what objects of a class hold once their constructor has run, as inputs to start from.

An object made up attribute by attribute may be in a state no program ever sees. Where a constructor runs
through with arguments made for it, what it leaves is the most plausible state there is.
"""

import ast
import contextlib
import dataclasses
import enum
import inspect
import io
import itertools
import typing
from collections import deque
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from dreck.source.functions import FunctionNode
from dreck.trial.inputs.asked.usage import Usages
from dreck.trial.inputs.candidates import Candidates, SetUp
from dreck.trial.inputs.lacking import Lacking
from dreck.trial.inputs.recipes import Make
from dreck.trial.playing.world import World
from dreck.trial.running.describe import Describer, state_of
from dreck.trial.running.loading.load import Version
from dreck.trial.sandbox.cage import Cage, TimeUp
from dreck.trial.surely import is_a, is_class

_TRIES = 60
_SECONDS = 0.05
_CLASSES = 8
_NO_USE = (BaseException, type, enum.Enum)


def find_set_ups(text: str, versions: Sequence[Version], candidates: Candidates, cage: Cage) -> None:
    """Lets `candidates` know of each class whose constructor runs through in every version and leaves the same.

    Asked for are the class whose method is tried, those derived from it, and those the code names; `text` is the
    module of the first version.
    """
    candidates.lacking = Lacking.of(ast.parse(text))
    trees = candidates.lacking.classes
    spaces = [version.namespace for version in versions]
    if versions[0].node.name in ("__init__", "__new__"):
        return
    for name in itertools.islice(_asked_for(versions[0], candidates), _CLASSES):
        kind = spaces[0].get(name)
        if isinstance(kind, type) and _is_set_up(kind) and name not in candidates.set_ups:
            found = _Finding(kind, _constructor(kind, trees), candidates, spaces, cage).found()
            if found is not None:
                candidates.set_ups[kind.__qualname__] = found


def numbers_set_up(candidates: Candidates) -> frozenset[tuple[str, str]]:
    """The attributes that a constructor leaves as numbers, with the name of its class."""
    whole = ((how.kind, name, others) for how in candidates.set_ups.values() for name, others in how.attributes)
    return frozenset((kind, name) for kind, name, others in whole if others and type(others[0].what) in (int, float))


def _asked_for(version: Version, candidates: Candidates) -> Iterator[str]:
    names = [name for usage in candidates.usages.by_path.values() for name in usage.classes]
    names += [kind.__name__ for hint in candidates.types.values() for kind in _classes_in(hint)]
    if version.owner is not None:
        owner = version.owner
        own = version.namespace.items()
        below = [n for n, k in own if is_class(k) and k is not owner and owner in getattr(k, "__mro__", ())]
        names = [owner.__name__, *sorted(below)[:4], *names]
    return iter(dict.fromkeys(names))


def _classes_in(hint: Any) -> Iterator[type]:
    """The classes that an annotation speaks of, as `list[Load] | None` does of `Load`."""
    if isinstance(hint, type):
        yield hint
    for part in typing.get_args(hint):
        yield from _classes_in(part)


def _is_set_up(kind: type) -> bool:
    plain = vars(object)
    own = any(getattr(kind, name) is not plain[name] for name in ("__init__", "__new__"))
    return (
        own and not dataclasses.is_dataclass(kind) and not issubclass(kind, _NO_USE) and kind.__module__ != "builtins"
    )


def _constructor(kind: type, trees: Mapping[str, ast.ClassDef]) -> FunctionNode | None:
    """The code of the constructor that counts, when the module has it."""
    home = next((b for b in kind.__mro__ if {"__init__", "__new__"} & vars(b).keys()), kind)
    tree = trees.get(home.__name__)
    written = [n for n in tree.body if isinstance(n, ast.FunctionDef)] if tree is not None else []
    return next((n for n in written if n.name in ("__init__", "__new__")), None)


@dataclasses.dataclass(slots=True)
class _Finding:
    """The search for arguments that the constructor of one class takes."""

    kind: type
    node: FunctionNode | None
    candidates: Candidates
    spaces: list[dict[str, Any]]
    cage: Cage

    def found(self) -> SetUp | None:
        try:
            parameters = list(inspect.signature(self.kind).parameters.values())
        except (TypeError, ValueError):
            return None
        by_position = (inspect.Parameter.POSITIONAL_ONLY, inspect.Parameter.POSITIONAL_OR_KEYWORD)
        needed = tuple(p.name for p in parameters if p.default is p.empty and p.kind in by_position)
        optional = tuple(p.name for p in parameters if p.default is not p.empty and p.kind not in by_position[:1])
        own = [n for n in ("__new__", "__init__") if getattr(self.kind, n) is not vars(object)[n]]
        whole = own == ["__new__"]
        used = self._used(needed + optional)
        types = self._types(own, needed + optional)
        draft = SetUp(self.kind.__qualname__, needed, optional, (), (), whole, used, types)
        self.candidates.offer(self.kind.__qualname__, draft)
        for makes in self._combined(needed):
            states = [self._state(draft, makes, space) for space in self.spaces]
            if None in states:
                continue
            again = [self._state(draft, makes, space) for space in self.spaces]
            told = [Describer().of(state) for state in (*states, *again)]
            if any(one != told[0] for one in told):
                return None  # what it leaves depends on more than its arguments
            attributes = tuple((name, _others(value)) for name, value in (states[0] or {}).items())
            return dataclasses.replace(draft, first=makes, attributes=attributes)
        return None

    def _used(self, names: tuple[str, ...]) -> tuple[tuple[str, Any], ...]:
        if self.node is None:
            return ()
        usages = Usages()
        usages.add(self.node)
        return tuple((name, usages.at(name)) for name in names)

    def _types(self, own: list[str], names: tuple[str, ...]) -> tuple[tuple[str, Any], ...]:
        try:
            told = typing.get_type_hints(getattr(self.kind, own[0]))
        except Exception:
            return ()
        plain = {name: told[name] for name in names if name in told and _is_plain(told[name])}
        kept = ((f".{attribute}", plain[name]) for attribute, name in self._kept() if name in plain)
        return (*plain.items(), *kept)

    def _kept(self) -> Iterator[tuple[str, str]]:
        """`self.kilos = kilos`: attributes that are arguments, and by which name."""
        for s in self.node.body if self.node is not None else []:
            match s:
                case ast.Assign(
                    targets=[ast.Attribute(value=ast.Name(id="self"), attr=attribute)], value=ast.Name(id=name)
                ):
                    yield attribute, name

    def _combined(self, needed: tuple[str, ...]) -> Iterator[tuple[Make, ...]]:
        """All first choices, then every parameter changed alone, then everything."""
        options = [list(self._options(name)) for name in needed]
        first = tuple(makes[0] for makes in options)
        alone = ((*first[:i], make, *first[i + 1 :]) for i, makes in enumerate(options) for make in makes[1:])
        return itertools.islice(itertools.chain([first], alone, itertools.product(*options)), _TRIES)

    def _options(self, name: str) -> Iterator[Make]:
        """What may be given for one parameter, most plausible first."""
        yield from self.candidates.at(f"{self.kind.__qualname__}({name})")[:6]
        yield from (Make("value", v) for v in ("text", 3, None, b"text"))
        yield from (Make("list", 0), Make("stand-in"))

    def _state(self, draft: SetUp, makes: tuple[Make, ...], space: dict[str, Any]) -> dict[str, Any] | None:
        """What the constructor leaves; None when it does not run through, or does more than set up."""
        path = self.kind.__qualname__
        world = World(self.candidates, {f"{path}({n})": m for n, m in zip(draft.needed, makes, strict=True)}, space)
        self.cage.told.clear()
        before, output = _globals(space), io.StringIO()
        try:
            with self.cage.timed(_SECONDS), contextlib.redirect_stdout(output), contextlib.redirect_stderr(output):
                made = world.set_up(path, space[self.kind.__name__], draft)
        except (TimeUp, Exception, SystemExit):
            return None
        seen = self.cage.told or world.log or output.getvalue() or _globals(space) != before
        return None if seen else state_of(made)


def _is_plain(kind: Any) -> bool:
    """Whether a type is made of built-in ones: each world knows it by itself."""
    parts = typing.get_args(kind)
    if parts:
        return all(part is Ellipsis or _is_plain(part) for part in parts)
    return kind is None or (isinstance(kind, type) and kind.__module__ in ("builtins", "datetime", "decimal"))


def _globals(space: dict[str, Any]) -> Any:
    """The plain values and containers of a module, described."""
    plain = (bool, int, float, str, bytes, list, dict, set, tuple, type(None))
    return Describer().of({n: v for n, v in space.items() if is_a(v, *plain) and not n.startswith("__")})


def _others(value: Any) -> tuple[Make, ...]:
    """What else of its kind may stand where a constructor has put `value`."""
    match value:
        case bool():
            return (Make("value", not value),)
        case int() | float():
            return tuple(Make("value", v) for v in (value, 0, 1, 3))
        case str():
            return tuple(Make("value", v) for v in ("text", ""))
        case bytes():
            return tuple(Make("value", v) for v in (b"text", b""))
        case bytearray():
            return (Make("value", bytearray(b"text")),)
        case list():
            return Make("list", 2), Make("list", 1), Make("list", 0)
        case dict():
            return (Make("dict"),)
        case set():
            return (Make("set", 2),)
        case deque():
            return (Make("value", deque(["text", 3])),)
    return ()
