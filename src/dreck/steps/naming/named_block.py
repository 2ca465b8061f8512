"""named-block: a run of statements becomes a function: the lines that are named, or the cuts that pay best."""

import ast
import shlex
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from dreck.model.views.measures import measure
from dreck.source.functions import functions_in, instance_owner, parse
from dreck.steps.catalogue import Step
from dreck.steps.naming.answers import answers_of
from dreck.steps.naming.blocks import (
    Block,
    are_movable,
    block_lines,
    check_parts,
    in_order,
    lines_without_indent,
    passed,
    waits,
    yields,
)
from dreck.steps.naming.cuts import Cut, best_cuts, block_of_lines
from dreck.steps.naming.exits import Exits, exits_of
from dreck.steps.naming.predicates import Helper, method_line, put_helper, written
from dreck.steps.naming.same_block import Same, same_blocks
from dreck.steps.support.arm_comments import said_of_block
from dreck.steps.support.names.results import by_result
from dreck.steps.support.names.table_names import own_style
from dreck.steps.support.names.wording import is_free
from dreck.steps.support.names.words import words_of
from dreck.steps.support.scene import NotPlanned, Plan, Scene
from dreck.steps.support.sheet import Range, Sheet
from dreck.steps.support.trees import Untouchable

_OFFERED = 3


def plans(scene: Scene) -> Iterator[Plan | NotPlanned]:
    """The lines named with the target, else the best cuts of the function."""
    if scene.wishes.lines is not None:
        yield from _asked(scene, *scene.wishes.lines)
        return
    for cut in best_cuts(scene, _OFFERED):
        yield from _attempt(scene, cut.block, cut)


def _asked(scene: Scene, first: int, last: int) -> Iterator[Plan | NotPlanned]:
    block = block_of_lines(scene.node, first, last)
    if block is None:
        if _is_of_its_like(scene, first, last):
            return
        yield NotPlanned(first, f"lines {first} to {last} hold no whole statements of {scene.function.name}")
        return
    yield from _attempt(scene, block, None)


def _is_of_its_like(scene: Scene, first: int, last: int) -> bool:
    """Whether another function of the same name, or one around it, holds the lines: the target means that one."""
    name = scene.function.name.partition("#")[0]
    found = [(f.name.partition("#")[0], f.node) for f in functions_in(scene.tree, scene.text)]
    alike = [node for other, node in found if f"{name}.".startswith(f"{other}.")]
    return any(n is not scene.node and n.lineno <= first and last <= (n.end_lineno or 0) for n in alike)


def _attempt(scene: Scene, block: Block, cut: Cut | None) -> Iterator[Plan | NotPlanned]:
    line = block.body[0].lineno
    try:
        yield _planned(scene, block, cut)
    except Untouchable as error:
        size = (block.body[-1].end_lineno or line) - line + 1
        yield NotPlanned(line, f"{error} (lines {line} to {line + size - 1}, a function of {size} lines)")
    except _Nameless as place:
        yield NotPlanned(line, str(place), place.code)


class _Nameless(Exception):
    """Nothing is missing but a name."""

    def __init__(self, code: str, told: str) -> None:
        super().__init__(told)
        self.code = code


# --- one block -----------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class _Helped:
    """The new function: what it is given and gives back, and how its exits are told to its caller."""

    name: str
    parameters: tuple[str, ...]
    own: str
    results: tuple[str, ...]
    exits: Exits


def _planned(scene: Scene, block: Block, cut: Cut | None) -> Plan:
    check_parts(scene, block, False)
    given, results = passed(scene, block)
    exits = exits_of(scene, block, tuple(results))
    own = scene.node.args.args[0].arg if instance_owner(scene.function) and scene.node.args.args else ""
    same = same_blocks(scene, block) if not exits.leaves else Same((), (), ())
    if own in same.parameters:  # there it is another's block: it would be called of that object
        same = Same((), (), ())
    is_method = bool(own) and own in given
    rest = in_order(scene, [g for g in given if not (is_method and g == own)])
    rest = [g for g in rest if g not in same.gone]
    parameters = ((own,) if is_method else ()) + (*rest, *same.parameters)
    is_whole = len(results) == 1 and results[0] not in given and not exits.leaves
    name = _name(scene, block, results[0] if is_whole else "")
    helped = _Helped(name, parameters, own if is_method else "", () if exits.ends else tuple(results), exits)
    sheet = scene.sheet()
    unit = sheet.unit(scene.node)
    first, last = block_lines(sheet, block)
    home = sheet.indent(scene.node.lineno) if is_method else ""
    code = _written(scene, block, helped, same, home, unit, (first, last))
    own_given = tuple(same.here) if same.parameters else ()
    _replace(sheet, block, helped, (*rest, *own_given), (first, last), unit, scene.line_length)
    for other, terms in zip(same.blocks, same.terms, strict=True):
        _replace(sheet, other, helped, (*rest, *terms), block_lines(sheet, other), unit, scene.line_length)
    if is_method:
        sheet.insert(method_line(scene, first), f"\n{code}")
    else:
        put_helper(scene, sheet, code, first)
    told = f"lines {first} to {last} are called {name}"
    wished = scene.wishes.lines
    if wished is not None and (wished[0] > first or wished[1] < last):
        told += f" (grown to whole statements from {wished[0]} to {wished[1]})"
    if same.blocks:
        told += f", as in {len(same.blocks)} more place{'s' if len(same.blocks) > 1 else ''}"
    text = sheet.result()
    told += _what_it_brings(scene, name, text) if cut is not None else ""
    return Plan(first, told, text, (name,), last=last)


def _what_it_brings(scene: Scene, name: str, text: str) -> str:
    """The tangle of the function before, and of both after; a cut that only moves a heap is told as such."""
    after = {f.name: measure(f.node).tangle for f in functions_in(parse(text, scene.path), text)}
    own = after.get(scene.function.name, 0)
    helper = sum(tangle for other, tangle in after.items() if other.rpartition(".")[2] == name)
    before = measure(scene.node).tangle
    told = f"; tangle {before} becomes {own} and {helper} in the new function"
    return told if own + helper < before else f"{told}: no less in all, told in two parts"


def _written(
    scene: Scene, block: Block, helped: _Helped, same: Same, home: str, unit: str, lines: tuple[int, int]
) -> str:
    sheet = scene.sheet()
    if _follows_a_test(sheet, block):
        sheet.replace(_else_of(sheet, block), "")
    for leaving, code in helped.exits.edits:
        sheet.replace(leaving, code)
    for term, parameter in same.edits:
        sheet.replace(term, parameter)
    answered = _answered_at_once(scene, block, helped, lines)
    for s in answered:
        sheet.replace(Range(sheet.of(s).start, sheet.in_parentheses(s.value).start), "return ")
    changed = Sheet(sheet.result())
    added = len(changed.text.splitlines()) - len(scene.text.splitlines())
    body = lines_without_indent(changed, block, lines[0], lines[1] + added)
    last = [helped.exits.goes_on] if helped.exits.goes_on else []
    returned = [f"return {', '.join(helped.results)}"] if helped.results and not answered else []
    last = last or returned
    typed = "" if last or helped.results or helped.exits.leaves else "None"
    if helped.exits.ends and scene.node.returns is not None:
        typed = ast.unparse(scene.node.returns)
    elif yields(block):
        typed = ""
    elif helped.exits.tells_truth and not helped.results:
        typed = "bool"
    helper = Helper(helped.name, helped.parameters, (*body, *last), waits(block))
    return written(scene, helper, home, unit, typed)


def _answered_at_once(scene: Scene, block: Block, helped: _Helped, lines: tuple[int, int]) -> list[ast.Assign]:
    """Where the block gives its one result its last value: the new function answers that as it is."""
    if len(helped.results) != 1 or helped.exits.leaves or helped.exits.goes_on:
        return []
    name = helped.results[0]
    said_below = lines[1] > (block.body[-1].end_lineno or 0)
    found = [] if said_below or name in scene.scope.captured else answers_of(block.body, name) or []
    return found if are_movable(scene.sheet(), found) else []


def _replace(
    sheet: Sheet, block: Block, helped: _Helped, given: Sequence[str], lines: tuple[int, int], unit: str, width: int
) -> None:
    own = helped.own
    call = f"{own}.{helped.name}({', '.join(given)})" if own else f"{helped.name}({', '.join(given)})"
    if yields(block):
        if waits(block):
            raise Untouchable("it yields and awaits")
        call = f"yield from {call}"
    elif waits(block):
        call = f"await {call}"
    told = helped.exits.asked(call, helped.results)
    indent = sheet.indent(block.body[0].lineno)
    room = width - len(f"{indent}{unit if _follows_a_test(sheet, block) else ''}".expandtabs(4))
    told = [part for line in told for part in _fitting(line, call, given, room, unit)]
    if _follows_a_test(sheet, block):
        told = ["else:", *(f"\t\t{line}" for line in told)]
    sheet.replace_lines(*lines, "".join(f"{indent}{line}\n" for line in told).replace("\t\t", unit))


def _fitting(line: str, call: str, given: Sequence[str], room: int, unit: str) -> list[str]:
    """A line that is too long for its call, with the arguments on lines of their own."""
    if len(line.replace("\t\t", unit)) <= room or call not in line or not given:
        return [line]
    head, _, tail = line.partition(call)
    args = ", ".join(given)
    opening, closing = call[: call.rindex(f"({args})") + 1], f"){tail}"
    if len(unit) + len(args) <= room:
        return [f"{head}{opening}", f"\t\t{args}", closing]
    return [f"{head}{opening}", *(f"\t\t{one}," for one in given), closing]


def _follows_a_test(sheet: Sheet, block: Block) -> bool:
    """Whether it begins with an `elif`, which is an `if` that stands in an `else` alone."""
    first = sheet.of(block.body[0]).start
    return sheet.text[first : first + len("elif")] == "elif"


def _else_of(sheet: Sheet, block: Block) -> Range:
    first = sheet.of(block.body[0]).start
    return Range(first, first + len("el"))


# --- a name --------------------------------------------------------------------------------------------


def _name(scene: Scene, block: Block, result: str) -> str:
    """By the comment above it, by the one thing it does or comes to; a name that is wished for is put in later."""
    taken = scene.all_words()
    if scene.wishes.alone:
        if not is_free(scene.wishes.alone, taken):
            raise Untouchable(f"the name '{scene.wishes.alone}' is taken already")
        return scene.wishes.alone
    for words in (*_suggestions(scene, block), *by_result(block.body, result, scene.tree)):
        name = "_".join(words)
        for tried in (f"_{name}", own_style(scene, name)):
            if name.isidentifier() and is_free(tried, taken):
                return tried
    first, last = block.body[0].lineno, block.body[-1].end_lineno or 0
    target = f"{scene.path}::{scene.function.name}:{first}-{last}"
    typed = f"dreck untangle {shlex.quote(target)} --step named-block --name NAME"
    raise _Nameless(f"lines {first} to {last}", f"no good name was found for lines {first} to {last}; type: {typed}")


def _suggestions(scene: Scene, block: Block) -> Iterator[list[str]]:
    yield from said_of_block(scene.sheet(), block.body[0].lineno, block.body[-1].end_lineno or 0)
    match block.body:
        case [ast.For(target=ast.Name(id=name), iter=ast.Name() | ast.Attribute()) as loop] if len(name) > 2:
            called = [s.value.func for s in loop.body if isinstance(s, ast.Expr) and isinstance(s.value, ast.Call)]
            verbs = [words_of(f.attr)[0] for f in called if isinstance(f, ast.Attribute) and words_of(f.attr)]
            if len(verbs) == 1 and len(loop.body) == 1:
                yield [verbs[0], *words_of(ast.unparse(loop.iter).rpartition(".")[2])]


STEP = Step(
    name="named-block",
    group="name",
    order=135,
    summary="A run of statements becomes a function of its own, wherever it stands.",
    why="The function tells its story in fewer lines, and what was cut out is read under its own name.",
    when_not="When the cut only moves the heap: much goes in, much comes out.",
    before="""\
def book(loads, log, fees):
    total = 0
    for load in loads:
        if load.kilos > 0 and not load.void:
            # weigh the load
            net = load.gross - load.tare
            if net > 900:
                log.note(load)
                net = 900
            if load.wet:
                net -= 20
            total += net * fees.rate
    return total
""",
    after="""\
def book(loads, log, fees):
    total = 0
    for load in loads:
        if load.kilos > 0 and not load.void:
            net = _weigh_load(log, load)
            total += net * fees.rate
    return total


def _weigh_load(log, load):
    # weigh the load
    net = load.gross - load.tare
    if net > 900:
        log.note(load)
        net = 900
    if load.wet:
        net -= 20
    return net
""",
    traps=(
        "A name the block changes and the code after it reads has to come back.",
        "A `return`, `continue` or `break` inside it has to be told to the caller.",
        "A lambda inside it sees the variables of the function it was made in.",
    ),
    plans=plans,
    by_default=False,
)
