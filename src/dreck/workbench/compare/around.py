"""What a function, and those it leads to, ask of all that a module or a class holds, where that is not the same."""

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from functools import cached_property

from dreck.proof.surroundings.looked_around import (
    held_apart,
    held_apart_by_private,
    imports_itself,
    lists_a_module,
    looks_around,
    looks_into,
    members_apart,
    own_words,
)
from dreck.workbench.compare.sides import Side


@dataclass(frozen=True, slots=True)
class Around:
    """Why the two cannot be taken for the same; whether they can only where nobody asks for private names."""

    reason: str = ""
    rests_on_privacy: bool = False


@dataclass(frozen=True, slots=True)
class _Asks:
    """What one function asks for itself: all that something holds, its module, a list of what that holds."""

    into: str
    around: str
    lists: str


class Asking:
    """What functions of one file ask for beyond the names that they say.

    Where all that one module holds more are private functions, it is not enough that a function it leads to comes to
    the module (`private-names`, unless `doubted`): something has to list what it holds.
    """

    def __init__(self, sides: tuple[Side, Side], leads_to: Callable[[str], Iterable[str]], doubted: bool) -> None:
        trees = sides[0].tree, sides[1].tree
        self._sides = sides
        self._leads_to = leads_to
        self._held, self._members = held_apart(*trees), members_apart(*trees)
        self._private = self._held and not doubted and held_apart_by_private(*trees)
        self._opened = self._held and any(imports_itself(side.tree, side.text.path) for side in sides)
        self._own, self._called = own_words(trees[0]), _called(sides)
        self._told: dict[str, Around] = {}

    def of(self, name: str) -> Around:
        """What `name`, or a function that it leads to, asks for."""
        if name not in self._told:
            self._told[name] = self._found(name)
        return self._told[name]

    def _found(self, name: str) -> Around:
        if self._opened and not self._private:
            return Around("its module imports itself, and the two do not hold the same")
        asks = self._asks.get(name)
        if asks is None:
            return Around()  # the two hold the same
        told = asks.around or (asks.into if self._members else "") or self._elsewhere(name)
        opened = self._opened or bool(self._private and self._by_others("around", name))
        if not told and self._private and opened:
            told = asks.into or self._by_others("into", name)
        if told:
            return Around(f"it asks for {told}, and the two modules do not hold the same")
        return Around(rests_on_privacy=self._private and opened)

    def _elsewhere(self, name: str) -> str:
        """What others ask for that it leads to; for private functions alone something has to list what is held."""
        told = self._by_others("lists" if self._private else "around", name)
        return told or (self._by_others("into", name) if self._members else "")

    def _by_others(self, what: str, name: str) -> str:
        """What another function that `name` leads to asks for in this way; '' when none does."""
        leading = self._leading[what]
        if name in leading and getattr(self._asks[name], what):  # it may lead to itself alone
            others = (getattr(self._asks[f], what) for f in self._led_to(name) if f != name)
            return next(filter(None, others), "")
        return leading.get(name, "")

    @cached_property
    def _asks(self) -> dict[str, _Asks]:
        """Of each function what it asks for itself; nothing where the two modules hold the same."""
        found = {}
        for name, one in self._sides[0].functions.items() if self._held or self._members else ():
            around = looks_around(one.node, self._own, self._called) if self._held else ""
            lists = lists_a_module(one.node, self._own) if self._private else ""
            found[name] = _Asks(looks_into(one.node, one.owner, self._own), around, lists)
        return found

    @cached_property
    def _leading(self) -> dict[str, dict[str, str]]:
        """By the way of asking, the functions that ask so or lead to one that does, with what it asks for."""
        found = {what: {n: told for n, asks in self._asks.items() if (told := getattr(asks, what))} for what in _WAYS}
        callers: dict[str, list[str]] = {}
        for name in self._asks if any(found.values()) else ():
            for called in self._leads_to(name):
                callers.setdefault(called, []).append(name)
        for known in found.values():
            pending = list(known)
            while pending:
                one = pending.pop()
                further = [name for name in callers.get(one, ()) if name not in known]
                known |= dict.fromkeys(further, known[one])
                pending += further
        return found

    def _led_to(self, name: str) -> Iterator[str]:
        known, pending = {name}, [name]
        while pending:
            function = pending.pop()
            yield function
            further = {called for called in self._leads_to(function) if called in self._asks} - known
            known |= further
            pending += further


_WAYS = ("into", "around", "lists")


def _called(sides: tuple[Side, Side]) -> frozenset[str]:
    """The words that may stand in the name by which the module is imported: its file's, and those of its folders."""
    found = {"__main__", "__mp_main__"}
    for side in sides:
        path = side.text.path.absolute()
        found |= {path.stem, path.parent.name}
        found |= {folder.name for folder in path.parents if (folder / "__init__.py").exists()}
    return frozenset(found)
