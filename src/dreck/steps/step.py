"""What a step is: its places, its rewrites, its settings, and what it says of itself."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Literal

from dreck.model.views.shape import Path
from dreck.source.functions import FunctionNode

if TYPE_CHECKING:
    from dreck.steps.support.scene import NotPlanned, Plan, Scene
    from dreck.steps.support.trees import Tree


@dataclass(frozen=True, slots=True)
class Site:
    """A place where a step applies: a block of the function, a statement in it, and why.

    `kind` is the step's own word for the form found, `exit` the exit it needs there.
    """

    path: Path
    index: int
    line: int
    reason: str
    kind: str = ""
    exit: str = ""
    finishes: bool = False
    """It ends what stands there half done: taken without a gain in what can be measured."""


@dataclass(frozen=True, slots=True)
class Rewrite:
    """One way of carrying out a step. With `only_if_proved`, a trial is not evidence enough for it."""

    tree: Tree
    only_if_proved: bool = False


@dataclass(frozen=True, slots=True)
class Setting:
    """What a step lets a person set: its name, what it is for, its value where nobody sets it."""

    name: str
    help: str
    default: str = ""


@dataclass(frozen=True, slots=True)
class Options:
    """What a step may need to know: assumptions allowed, the project's line length, what a person has set."""

    assume: frozenset[str] = frozenset()
    line_length: int = 88
    settings: Mapping[str, str] = field(default_factory=dict)

    def setting(self, name: str, default: str = "") -> str:
        """The value of a setting; `default` where nobody has set it."""
        return self.settings.get(name, default)


@dataclass(frozen=True, slots=True)
class Step:
    """One kind of rewrite.

    `find` looks at the `ast` of a function for places, cheaply; `apply` carries a place out on its tree and
    gives the ways to do it, best first. `order` says when it is tried: clutter first, sharing last.
    """

    name: str
    group: str
    order: int
    summary: str
    why: str
    when_not: str
    before: str
    after: str
    traps: tuple[str, ...]
    find: Callable[[FunctionNode], Iterable[Site]] = lambda function: ()
    apply: Callable[[Tree, Site, Options], Iterable[Rewrite]] = lambda tree, site, options: ()
    plans: Callable[[Scene], Iterable[Plan | NotPlanned]] | None = None
    """Of a step that reaches beyond one function, instead of `find` and `apply`: what it would do, best first."""
    when_named: Callable[[FunctionNode], Iterable[Site]] = lambda function: ()
    """Further places, which only somebody who names the step means."""
    needs: Literal["", "if", "else"] = ""
    """What a function must have for `find` to find anything; where it has not, nobody asks."""
    asks: tuple[str, ...] = ()
    """Assumptions that naming the step asks for: it cannot be what it is without them."""
    by_default: bool = True
    typed: str = ""
    """What has to be typed beside the step's name to get its example."""
    settings: tuple[Setting, ...] = ()
    """What a person may set, by `--set NAME=VALUE`."""
