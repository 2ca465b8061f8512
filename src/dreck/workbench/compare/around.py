"""What a function, and those it leads to, ask of all that a module or a class holds, where that is not the same."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass

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


def what_is_asked(
    sides: tuple[Side, Side], name: str, leads_to: Callable[[str], Iterable[str]], doubted: bool
) -> Around:
    """What `name` asks for beyond the names that it says.

    Where all that one module holds more are private functions, it is not enough that a function it leads to comes to
    the module (`private-names`, unless `doubted`): something has to list what it holds.
    """
    trees = sides[0].tree, sides[1].tree
    held, members = held_apart(*trees), members_apart(*trees)
    private = held and not doubted and held_apart_by_private(*trees)
    opened = held and any(imports_itself(side.tree, side.text.path) for side in sides)
    if opened and not private:
        return Around("its module imports itself, and the two do not hold the same")
    listed, own, called = "", own_words(sides[0].tree), _called(sides)
    for function in _led_to(name, leads_to) if held or members else ():
        one = sides[0].functions[function]
        into = looks_into(one.node, one.owner, own)
        around = looks_around(one.node, own, called) if held else ""
        listed = listed or (into if private else "")
        if private and function != name:  # what it does itself may be just to look for such a name
            opened, around = opened or bool(around), lists_a_module(one.node, own)
        if around or (members and into):
            return Around(f"it asks for {around or into}, and the two modules do not hold the same")
    if opened and listed:
        return Around(f"it asks for {listed}, and the two modules do not hold the same")
    return Around(rests_on_privacy=private and opened)


def _called(sides: tuple[Side, Side]) -> frozenset[str]:
    """The words that may stand in the name by which the module is imported: its file's, and those of its folders."""
    found = {"__main__", "__mp_main__"}
    for side in sides:
        path = side.text.path.absolute()
        found |= {path.stem, path.parent.name}
        found |= {folder.name for folder in path.parents if (folder / "__init__.py").exists()}
    return frozenset(found)


def _led_to(name: str, leads_to: Callable[[str], Iterable[str]]) -> Iterable[str]:
    known, pending = {name}, [name]
    while pending:
        function = pending.pop()
        yield function
        further = set(leads_to(function)) - known
        known |= further
        pending += further
