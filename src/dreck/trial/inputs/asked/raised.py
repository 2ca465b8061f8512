"""What code elsewhere may raise here, as far as it makes a difference: what handlers wait for and ask of it."""

import ast
import itertools
from collections.abc import Iterator

from dreck.source.walking import walk
from dreck.trial.inputs.asked.uses import (
    BARE,
    BELOW_IT,
    BOTH,
    GROUP,
    WITH_NUMBER,
    Named,
    class_name,
    constants,
    made_with,
)

_MOST_BOTH = 3
_MOST_ASKED = 8
_ANY = frozenset(["Exception", "BaseException"])
BEYOND = "BaseException"
"""What no handler of `Exception` takes, and a clean-up sees: as an interruption is, or the end of a task."""


class Raised:
    """The exceptions that handlers name, and whether something is done on the way out, whatever is raised."""

    def __init__(self) -> None:
        super().__init__()
        self.caught: list[str] = []
        """Exceptions that handlers name: calls on stand-ins may raise them."""
        self.odd_errors: list[str] = []
        """Exceptions like these, made in other ways, where a handler looks at its exception."""
        self.cleans_up = False
        self.read_safely = False
        """Whether some attribute is read with an answer for the case that it is not there."""

    @property
    def raised(self) -> list[str]:
        """What may be raised, in the order of the handlers."""
        plain = [name for name in self.caught if not name.startswith(GROUP)]
        both = [BOTH.join(pair) for pair in itertools.islice(itertools.combinations(plain, 2), _MOST_BOTH)]
        beyond = [BEYOND] if self.cleans_up or _ANY & set(plain) else []
        beyond += ["Exception"] if plain and not _ANY & set(plain) else []  # one that nobody waits for
        found = [*(self.caught or (["Exception"] if self.cleans_up else [])), *both, *self.odd_errors, *beyond]
        return list(dict.fromkeys(found))

    def note_errors(self, node: ast.AST) -> None:
        """Notes what one statement waits for."""
        match node:
            case ast.ExceptHandler(type=kinds, name=name):
                names = _names(kinds)
                self._caught(names)
                if name is not None and _is_named(node, name):
                    asked = [n for n in _classes_asked(node, name) if n not in names]
                    values = itertools.islice(dict.fromkeys(_values_asked(node, name)), _MOST_ASKED)
                    self._odd(
                        [
                            *asked,
                            *(f"{BELOW_IT}{kind}" for kind in asked),
                            *(made_with(value, path, kind) for path, value in values for kind in names[:2]),
                        ]
                    )
                    self._odd([f"{how}{kind}" for kind in names for how in (BELOW_IT, BARE, WITH_NUMBER)])
            case ast.Call(func=ast.Name(id="hasattr")) | ast.Call(func=ast.Name(id="getattr"), args=[_, _, _]):
                self.read_safely = True
            case ast.GeneratorExp() if any(isinstance(n, ast.Call) for n in walk(node)):
                self._caught(["StopIteration"])  # it leaves a generator as a RuntimeError (PEP 479)
            case ast.TryStar(handlers=handlers):
                self._caught([f"{GROUP}{name}" for h in handlers if h.type is not None for name in _names(h.type)])
            case ast.With(items=items) | ast.AsyncWith(items=items):
                self.cleans_up = True
                self._caught([name for item in items for name in _handed(item.context_expr)])
            case ast.Try(finalbody=[_, *_]):
                self.cleans_up = True

    def join_errors(self, other: "Raised") -> None:
        """What a function that is called waits for is waited for here."""
        self._caught(other.caught)
        self._odd(other.odd_errors)
        self.cleans_up |= other.cleans_up
        self.read_safely |= other.read_safely

    def _caught(self, names: list[str]) -> None:
        self.caught += [name for name in dict.fromkeys(names) if name not in self.caught]

    def _odd(self, errors: list[str]) -> None:
        """What a handler asks of its exception may be its class, or what it was made with."""
        self.odd_errors += [error for error in errors if error not in self.odd_errors]


def _names(kinds: ast.expr | None) -> list[str]:
    if kinds is None:
        return ["Exception"]
    parts = kinds.elts if isinstance(kinds, ast.Tuple) else [kinds]
    return [name for kind in parts if (name := class_name(kind)) is not None]


def _handed(manager: ast.expr) -> list[str]:
    """What a context manager is handed that may be exceptions, as `suppress(KeyError)` is."""
    args = manager.args if isinstance(manager, ast.Call) else []
    return [name for arg in args for name in _names(arg) if name.rpartition(".")[2][:1].isupper()]


def _is_named(node: ast.AST, name: str) -> bool:
    return any(isinstance(part, ast.Name) and part.id == name for part in walk(node))


def _classes_asked(handler: ast.ExceptHandler, name: str) -> Iterator[str]:
    """The classes a handler asks whether its exception is of: `isinstance(e, K)`, `type(e) is K`, `case K():`."""
    for node in walk(handler):
        match node:
            case ast.Call(func=ast.Name(id="isinstance"), args=[ast.Name(id=asked), kinds]) if asked == name:
                yield from _names(kinds)
            case ast.Compare(left=ast.Call(func=ast.Name(id="type"), args=[ast.Name(id=asked)]), comparators=others):
                yield from (n for kinds in others if asked == name for n in _names(kinds))
            case ast.Match(subject=ast.Name(id=asked), cases=cases) if asked == name:
                patterns = [part for case in cases for part in walk(case.pattern)]
                yield from (n for p in patterns if isinstance(p, ast.MatchClass) for n in _names(p.cls))


def _values_asked(handler: ast.ExceptHandler, name: str) -> Iterator[tuple[str, str]]:
    """What a handler compares its exception with, or a part of it: the part, as it is read, and the constant."""
    for node in walk(handler):
        if not isinstance(node, ast.Compare):
            continue
        sides = [node.left, *node.comparators]
        of_it = [side for side in sides if _is_named(side, name)]
        for side in of_it:
            path = (class_name(side) or "").partition(".")[2]
            values = [v for other in sides if other is not side for v in constants(other)]
            values += [v + 1 if isinstance(v, int) else f"x{v}x" for v in values if isinstance(v, int | str)]
            yield from ((path, v.name if isinstance(v, Named) else repr(v)) for v in values if v is not None)
