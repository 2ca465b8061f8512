"""Ladders that another step takes: said where somebody asks for a table of them."""

import ast
from collections.abc import Iterator, Sequence

from dreck.source.walking import walk
from dreck.steps.replace.tables.arms.outcomes import outcome_of
from dreck.steps.support.chains import Arm
from dreck.steps.support.scene import NotPlanned, Scene

_FEWEST = 3


def does_more(line: int, arms: Sequence[Arm]) -> NotPlanned:
    """The answer where some arms of a ladder do more than choose a value."""
    doing = [arm for arm in arms if outcome_of(arm.body, attributes=True) is None]
    told = f"{len(doing)} of its {len(arms)} arms {'does' if len(doing) == 1 else 'do'} more than choose one value"
    return NotPlanned(line, f"{told} (line {doing[0].body[0].lineno}); call-table makes functions of them")


def class_ladders(scene: Scene) -> Iterator[NotPlanned]:
    """Ladders that ask one thing for its class."""
    inner = {id(n.orelse[0]) for n in walk(scene.node) if isinstance(n, ast.If) and len(n.orelse) == 1}
    for node in walk(scene.node):
        if not isinstance(node, ast.If) or id(node) in inner:
            continue
        asked = list(_asked_for_class(node))
        if len(asked) >= _FEWEST and len(set(asked)) == 1:
            reason = f"it asks {asked[0]} for its class; polymorphic-methods or type-registry take such a ladder"
            yield NotPlanned(node.lineno, reason)


def _asked_for_class(ladder: ast.If) -> Iterator[str]:
    node: ast.stmt | None = ladder
    while isinstance(node, ast.If):
        match node.test:
            case ast.Call(func=ast.Name(id="isinstance"), args=[subject, _]):
                yield ast.unparse(subject)
            case _:
                return
        node = node.orelse[0] if len(node.orelse) == 1 else None
