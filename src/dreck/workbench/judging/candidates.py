"""One version of a function, as it is judged."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from dreck.model.names.modules import ModuleNames
from dreck.source.functions import FunctionNode


@dataclass(frozen=True, slots=True)
class Candidate:
    """One version of a function: where its module stands, the whole module's text, its name and its code.

    `text` is a call, since only a trial needs the whole module.
    """

    path: Path
    text: Callable[[], str]
    name: str
    node: FunctionNode
    names: ModuleNames
    enclosing: frozenset[str] = frozenset()
    aliases: tuple[tuple[str, str], ...] = ()
    """Parameters that stand under another name in `node` than in the text."""
    owner: str = ""
    """The class whose method it is, when its first parameter is an instance of it."""
    home: str = ""
    """The class it stands in."""
