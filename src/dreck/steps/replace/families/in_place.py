"""Where a function does nothing but choose by the class of its first parameter, it becomes the generic function itself:
no other stands in front of it."""

import ast
from collections.abc import Iterable

from dreck.source.walking import walk
from dreck.steps.naming.predicates import first_line
from dreck.steps.replace.families.kinds import Moved
from dreck.steps.support.chains import Chain
from dreck.steps.support.scene import Scene
from dreck.steps.support.sheet import Sheet

_CALLS = ("return {}", "{}")


def is_alone(scene: Scene, chain: Chain, subject: str) -> bool:
    """Whether the chain is all of the function, and everybody hands it what it asks about by position."""
    node, spec = scene.node, scene.node.args
    plain = [*spec.args] and not (spec.posonlyargs or spec.kwonlyargs or spec.vararg or spec.kwarg or spec.defaults)
    if node not in scene.tree.body or not isinstance(node, ast.FunctionDef) or node.decorator_list or not plain:
        return False
    if scene.wishes.name_for(node.name):
        return False  # a name for the one that stands beside it
    body = node.body[1:] if ast.get_docstring(node, clean=False) is not None else node.body
    if chain.block is not node.body or body[0] is not chain.first or spec.args[0].arg != subject:
        return False
    return not _is_assigned(node, subject) and all(_by_position(calls) for calls in _calls(scene))


def ends_it(scene: Scene, sheet: Sheet, parts: Moved, start: int) -> bool:
    """Whether the function does no more than its arms do, which begin at line `start` and give what it gives.

    A comment that stays above them would speak of what is done for other classes.
    """
    said = sheet.line(start - 1).strip().startswith("#")
    return parts.call in _CALLS and parts.last >= (scene.node.end_lineno or 0) and not said


NOTHING = '"""Nothing is done for objects of other classes."""'


def put_generic(scene: Scene, sheet: Sheet, default: list[str], start: int, last: int) -> None:
    """The function with what is done for all other classes as its body, where the chain stood."""
    indent = sheet.indent(start)
    documented = ast.get_docstring(scene.node, clean=False) is not None
    lines = ([] if documented else ["return None"]) if default == [NOTHING] else default
    sheet.replace_lines(start, last, "".join(f"{indent}{line}\n" if line else "\n" for line in lines))
    sheet.insert(first_line(scene.node), "@singledispatch\n")


def _is_assigned(node: ast.FunctionDef, name: str) -> bool:
    return any(isinstance(n, ast.Name) and n.id == name and not isinstance(n.ctx, ast.Load) for n in walk(node))


def _calls(scene: Scene) -> Iterable[list[ast.Call]]:
    """The calls of the function, file by file."""
    name = scene.node.name
    beside = scene.others.importing(scene.path) if scene.others is not None else ()
    for tree in (scene.tree, *(tree for _, _, tree in beside)):
        yield [
            n
            for n in walk(tree)
            if isinstance(n, ast.Call) and name in (getattr(n.func, "id", ""), getattr(n.func, "attr", ""))
        ]


def _by_position(calls: list[ast.Call]) -> bool:
    return all(call.args and not isinstance(call.args[0], ast.Starred) for call in calls)
