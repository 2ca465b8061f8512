"""Common lines: what several branches of a function say in the same words becomes one small function.

No step of its own: `regroup` uses it where it keeps the stories short.
"""

import ast
from collections.abc import Iterator
from dataclasses import dataclass, replace

from dreck.model.views.shape import leaves
from dreck.source.functions import instance_owner
from dreck.steps.naming.blocks import (
    Block,
    block_lines,
    block_text,
    check_block,
    in_order,
    own_statements,
    passed,
    shortened,
    waits,
    yields,
)
from dreck.steps.naming.predicates import Helper, method_line, put_helper, written
from dreck.steps.support.chains import all_blocks
from dreck.steps.support.names.table_names import own_style
from dreck.steps.support.names.wording import is_free
from dreck.steps.support.scene import Scene
from dreck.steps.support.sheet import Sheet
from dreck.steps.support.trees import Untouchable

_FEWEST = 4
"""Lines that have to stand more than once before they are worth a function."""
_HELPERS = 3


@dataclass(frozen=True, slots=True)
class Run:
    """Statements in a row, with the lines they stand on, comments above them included."""

    body: list[ast.stmt]
    first: int
    last: int
    text: tuple[str, ...]

    @property
    def size(self) -> int:
        return self.last - self.first + 1


def shared_out(scene: Scene) -> tuple[Scene, tuple[str, ...]]:
    """The scene with lines that stand more than once in the function told once, and the names of the functions made."""
    made: list[str] = []
    for _ in range(_HELPERS):
        found = _taken_out(scene)
        if found is None:
            break
        text, name = found
        scene = scene.with_text(text)
        made.append(name)
    return scene, tuple(made)


def _taken_out(scene: Scene) -> tuple[str, str] | None:
    for same in _repeated(scene):
        try:
            return _helped(scene, same)
        except Untouchable:
            continue
    return None


def _repeated(scene: Scene) -> Iterator[list[Run]]:
    """Runs of statements that stand in several places in the same words, those that save most lines first."""
    sheet = scene.sheet()
    by_text: dict[tuple[str, ...], list[Run]] = {}
    for block in all_blocks(scene.node.body):
        for start in range(len(block)):
            for end in range(start + 1, len(block) + 1):
                run = _run(sheet, block[start:end])
                if run is not None and run.size >= _FEWEST:
                    by_text.setdefault(run.text, []).append(run)
    several = [apart for runs in by_text.values() if len(apart := _apart(runs)) > 1]
    saved = [(_saved(runs), runs) for runs in several]
    yield from (runs for lines, runs in sorted(saved, key=lambda pair: -pair[0]) if lines > 1)


def _run(sheet: Sheet, body: list[ast.stmt]) -> Run | None:
    try:
        first, last = block_lines(sheet, Block(body, body[0], False, (), False))
    except Untouchable:
        return None
    indent = sheet.indent(body[0].lineno)
    return Run(body, first, last, tuple(sheet.line(n).rstrip().removeprefix(indent) for n in range(first, last + 1)))


def _apart(runs: list[Run]) -> list[Run]:
    found: list[Run] = []
    for run in sorted(runs, key=lambda run: run.first):
        if not found or found[-1].last < run.first:
            found.append(run)
    return found


def _saved(runs: list[Run]) -> int:
    """Lines that are less when they stand once, in a function with a head and blank lines around it."""
    return runs[0].size * len(runs) - (runs[0].size + 4) - len(runs)


def _helped(scene: Scene, same: list[Run]) -> tuple[str, str]:
    sheet = scene.sheet()
    together = Block([s for run in same for s in run.body], same[0].body[0], False, (), False)
    block = replace(together, body=same[0].body)
    check_block(scene, together)
    if own_statements(together.body, ast.Continue) or waits(together) or yields(together):
        raise Untouchable("it waits, yields or leaves a loop")
    returns = bool(own_statements(block.body, ast.Return))
    if returns and not leaves(block.body):
        raise Untouchable("it returns on some ways and goes on on others")
    given, results = passed(scene, together)
    own = scene.node.args.args[0].arg if instance_owner(scene.function) and scene.node.args.args else ""
    is_method = bool(own) and own in given
    rest = in_order(scene, [g for g in given if g != own or not is_method])
    parameters = (own, *rest) if is_method else tuple(rest)
    name = _name(scene)
    unit = sheet.unit(scene.node)
    home = sheet.indent(scene.node.lineno) if is_method else ""
    back = f"return {', '.join(results)}"
    inner = block_text(scene, block, same[0].first, same[0].last, back)
    typed = ast.unparse(scene.node.returns) if returns and scene.node.returns is not None else ""
    helper = Helper(name, parameters, tuple(shortened([*inner, back], scene.line_length) if results else inner))
    code = written(scene, helper, home, unit, typed or ("" if results else "None"))
    call = f"{own}.{name}({', '.join(rest)})" if is_method else f"{name}({', '.join(parameters)})"
    call = f"return {call}" if returns else f"{', '.join(results)} = {call}" if results else call
    for run in same:
        sheet.replace_lines(run.first, run.last, f"{sheet.indent(run.body[0].lineno)}{call}\n")
    if is_method:
        sheet.insert(method_line(scene), f"\n{code}")
    else:
        put_helper(scene, sheet, code)
    return sheet.result(), name


def _name(scene: Scene) -> str:
    taken = scene.all_words()
    stem = scene.node.name.strip("_")
    for name in (f"common_{stem}", f"more_common_{stem}", f"most_common_{stem}"):
        if is_free(own_style(scene, name), taken):
            return own_style(scene, name)
    raise Untouchable("no free name for lines that several kinds share was found")
