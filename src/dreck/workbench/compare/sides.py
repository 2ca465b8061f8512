"""The two sides of a comparison: a module's text, where it stands, the function meant, and what stands around it."""

import ast
import inspect
import textwrap
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

from dreck.errors import BadTarget, DreckError
from dreck.model.names.linking import LinkedNames
from dreck.model.names.scopes import bound_names
from dreck.proof.surroundings.module_diff import Module
from dreck.proof.surroundings.resting import assigned_of, held_by, made_of
from dreck.source.files import read
from dreck.source.functions import Function, FunctionNode, functions_in, instance_owner, parse
from dreck.source.targets import Target
from dreck.trial.running.renaming import other_names, renamed
from dreck.workbench.judging.judge import Candidate


@dataclass(frozen=True, slots=True)
class Text:
    """One side of a comparison: a module's text, the path it stands at, and the function meant, if one is."""

    path: Path
    text: str
    name: str | None = None


@dataclass(frozen=True, slots=True)
class Side:
    text: Text
    tree: ast.Module
    names: LinkedNames
    functions: dict[str, Function]
    assigned: dict[str, set[str]]
    """For names assigned at the top of the module, the names that are read there."""
    made: dict[str, set[str]]
    """For all names bound or changed there, the words that are read."""
    held: dict[str, set[str]]
    """For attributes, what they are set to anywhere."""

    @classmethod
    def of(cls, text: Text) -> "Side":
        tree = parse(text.text, text.path)
        functions = {f.name: f for f in functions_in(tree, text.text)}
        return cls(
            text,
            tree,
            LinkedNames(tree, text.path, neighbour),
            functions,
            assigned_of(tree),
            made_of(tree),
            held_by(tree),
        )

    @property
    def module(self) -> Module:
        return Module(self.tree, self.names, frozenset(self.functions))

    def led_to(self, names: set[str]) -> set[str]:
        """`names` and all that the module's assignments to them read: the functions in a table, its class of rows."""
        found: set[str] = set()
        pending = list(names)
        while pending:
            name = pending.pop()
            if name not in found:
                found.add(name)
                pending += self.assigned.get(name, ())
        return found

    def within(self, name: str | None) -> list[str]:
        if name is None:
            return list(self.functions)
        return [f.name for f in Target(self.text.path, name).chosen(self.functions.values())]

    def pairs(self, name: str, other: "Side", other_name: str) -> list[tuple[str, str]]:
        theirs = set(other.within(other_name))
        matched = [(n, other_name + n[len(name) :]) for n in self.within(name)]
        return [pair for pair in matched if pair[1] in theirs]

    def candidate(self, name: str, like: FunctionNode | None = None) -> Candidate:
        """A function to be judged; with `like`, its parameters are matched by position with those of `like`."""
        f = self.functions[name]
        names = other_names(like, f.node) if like is not None else {}
        around = [o for o in self.functions.values() if o is not f and o.start <= f.start and f.end <= o.end]
        enclosing = frozenset[str]().union(*(bound_names(o.node) for o in around)) if f.nested else frozenset[str]()
        node = renamed(f.node, names) if names else f.node
        aliases = tuple(names.items())
        owner, home = instance_owner(f), f.owner.name if f.owner is not None else ""
        return Candidate(
            self.text.path, lambda: self.text.text, name, node, self.names, enclosing, aliases, owner, home
        )


def neighbour(path: Path) -> ast.Module | None:
    """The tree of a file beside one that is judged; None when it cannot be had."""
    try:
        return _parsed(path, path.stat().st_mtime_ns)
    except (DreckError, OSError):
        return None


@lru_cache(maxsize=512)
def _parsed(path: Path, changed: int) -> ast.Module:
    return parse(read(path).text, path)


def named_alike(old: Text, new: Text) -> tuple[Text, Text]:
    """Two texts with one function each are meant to be compared, whatever the functions are called."""
    if old.name or new.name:
        return old, new
    mine, theirs = ([f for f in functions_in(parse(t.text, t.path), t.text) if not f.nested] for t in (old, new))
    if len(mine) == len(theirs) == 1 and mine[0].name != theirs[0].name:
        return Text(old.path, old.text, mine[0].name), Text(new.path, new.text, theirs[0].name)
    return old, new


def text_of(side: str | Path | Callable[..., Any]) -> Text:
    if callable(side):
        return _live(side)
    if isinstance(side, str) and "\n" in side:
        return Text(Path("<text>"), textwrap.dedent(side))
    return read_text(side)


def read_text(spec: str | Path) -> Text:
    """A target as one side of a comparison. Raises BadTarget, also for a folder."""
    place, mark, name = str(spec).partition("::")
    if mark and not name:
        raise BadTarget(f"{spec}: a name is wanted after '::', as in {place}::function")
    path = Path(place)
    return Text(path, read(path).text, name or None)


def _live(function: Callable[..., Any]) -> Text:
    """A live function: its own module's text, with the function by its dotted name; or its own source alone."""
    function = inspect.unwrap(getattr(function, "__func__", function))
    if function.__name__ == "<lambda>":
        raise BadTarget("a lambda has no name to be compared by; write it as a def")
    try:
        source = textwrap.dedent(inspect.getsource(function))
        path = Path(inspect.getsourcefile(function) or "<text>")
    except (OSError, TypeError):
        raise BadTarget(f"{function!r}: its source cannot be found; compare source texts instead") from None
    name = function.__qualname__
    if "<" in name:
        return Text(Path("<text>"), source, function.__name__)
    return Text(path, read(path).text, name)
