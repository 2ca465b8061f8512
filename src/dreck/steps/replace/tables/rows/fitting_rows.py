"""Fitting rows: a ladder of one test with another constant each becomes rows of constants, and one loop.

Part of `lookup-table` and `call-table`: no dict finds what begins with its keys or holds them, so the rows are asked in
their order, and the first that fits is taken.
"""

import ast
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass

from dreck.model.views.shape import leaves
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk
from dreck.steps.naming.blocks import own_statements
from dreck.steps.replace.tables.arms.called import answer_word, given_by
from dreck.steps.replace.tables.arms.method_calls import MethodCalls, method_calls
from dreck.steps.replace.tables.arms.table_lines import as_tail, body_lines
from dreck.steps.replace.tables.arms.template import Hole, Template, template_of
from dreck.steps.replace.tables.rows.asked_alike import AskedAlike
from dreck.steps.replace.tables.rows.differing import hole_code, hole_words, once_for_all
from dreck.steps.support.arm_comments import comments_of_arm
from dreck.steps.support.chains import Arm, Chain, chains, comments_of, key_code, lines_of, put_table
from dreck.steps.support.names.table_names import table_name, three_of
from dreck.steps.support.names.wording import is_free
from dreck.steps.support.names.words import thing_name, words_of
from dreck.steps.support.scene import NotPlanned, Plan, Scene
from dreck.steps.support.sheet import Sheet, one_line, reindented
from dreck.steps.support.trees import Untouchable, is_directive

_FEWEST = 3
_MOST_HOLES = 3


@dataclass(frozen=True, slots=True)
class _Ladder:
    """The chain, the word for its constants, and what its arms do alike: `calls` of methods, or `body`."""

    chain: Chain
    word: str
    calls: MethodCalls | None
    body: Template | None


def fitting_rows(scene: Scene, calling: bool) -> Iterator[Plan | NotPlanned]:
    """Every such ladder whose arms choose values or do one thing with other values; with `calling`, whose arms call
    another function or method each."""
    reader = AskedAlike(scene)
    for whole in chains(scene.node, reader, fewest=2, open_end=True, tails=True):
        if len(whole.keys) < _FEWEST:
            continue
        chain = max(_runs(whole, scene), key=lambda run: len(run.keys), default=whole)
        try:
            ladder = _read(scene, reader, chain)
            if _is_calling(ladder) != calling:
                other, told = ("lookup-table", "choose") if calling else ("call-table", "call functions")
                raise Untouchable(f"its arms {told}; {other} makes rows of them")
            yield _planned(scene, reader, ladder)
        except Untouchable as error:
            yield NotPlanned(chain.first.lineno, str(error))


def _runs(chain: Chain, scene: Scene) -> Iterator[Chain]:
    """The runs of arms that do alike, from each arm on as long as they do; what follows them is their default."""
    places = list(_places(chain))
    if len(places) != len(chain.arms):
        return
    at = 0
    while at < len(places):
        end = at + 1
        while end < len(places) and _are_alike(scene, (chain.arms[at], chain.arms[end])) and _goes_on(places, at, end):
            end += 1
        if not _are_alike(scene, chain.arms[at:end]):  # one by one they are, but not all of them at once
            end = at + 1
        if sum(len(arm.keys) for arm in chain.arms[at:end]) >= _FEWEST and end - at > 1:
            if (at, end) == (0, len(places)):
                yield chain
            else:
                block, start, _ = places[at]
                last, _, node = places[end - 1]
                is_ladder = places[end - 1][1] == 0 and last is not block
                stop = start + 1 if is_ladder or end - at == 1 or places[at + 1][0] is not block else start + end - at
                yield Chain(block, start, stop, chain.subjects, chain.arms[at:end], node.orelse or None)
        at = end


def _places(chain: Chain) -> Iterator[tuple[list[ast.stmt], int, ast.If]]:
    """For each arm the block it stands in, where there, and the `if`; an `elif` is all of a block of its own."""
    for start in range(chain.start, chain.end):
        block, at, s = chain.block, start, chain.block[start]
        while isinstance(s, ast.If) and any(arm.test is s.test for arm in chain.arms):
            yield block, at, s
            block, at = s.orelse, 0
            s = s.orelse[0] if len(s.orelse) == 1 else ast.Pass()


def _goes_on(places: list[tuple[list[ast.stmt], int, ast.If]], first: int, at: int) -> bool:
    """Whether an arm belongs to the ladder that began with `first`, or stands behind it as all before it do."""
    chained = places[at][0] is places[at - 1][2].orelse
    if at - first == 1:
        return chained or (places[at][0] is places[first][0] and not places[first][2].orelse)
    return chained == (places[first + 1][0] is places[first][2].orelse) and (chained or not places[at - 1][2].orelse)


def _are_alike(scene: Scene, arms: tuple[Arm, ...]) -> bool:
    bodies = [arm.body for arm in arms]
    if method_calls(arms) is not None or len({"".join(map(ast.dump, body)) for body in bodies}) == 1:
        return True
    body = template_of(scene, bodies, least=1)
    return body is not None and len(body.holes) <= _MOST_HOLES


def _read(scene: Scene, reader: AskedAlike, chain: Chain) -> _Ladder:
    test = chain.arms[0].test
    asked = reader.asked(_first_part(test)) if test is not None else None
    word = (asked.word if asked is not None else "") or _word_within(scene, test)
    for arm in chain.arms:
        if own_statements(arm.body, ast.Continue) or own_statements(arm.body, ast.Break):
            raise Untouchable("an arm leaves a round of the loop around it; that of the rows would be left instead")
    calls = method_calls(chain.arms)
    if calls is not None:
        return _Ladder(chain, word, calls, None)
    bodies = [arm.body for arm in chain.arms]
    if len({"".join(map(ast.dump, body)) for body in bodies}) == 1:
        return _Ladder(chain, word, None, Template(list(bodies[0])))
    body = template_of(scene, bodies, least=1)
    if body is None or len(body.holes) > _MOST_HOLES:
        raise Untouchable(
            "its tests are one test with other constants, and its arms differ in more than values;"
            " cut what each does into a function first (named-block)"
        )
    return _Ladder(chain, word, None, body)


def _first_part(test: ast.expr) -> ast.expr:
    """The first operand of an `or`."""
    return test.values[0] if isinstance(test, ast.BoolOp) and isinstance(test.op, ast.Or) else test


def _word_within(scene: Scene, test: ast.expr | None) -> str:
    """What is looked for in something is called: a part of a text, else a key."""
    within = _first_part(test) if test is not None else None
    within = within.operand if isinstance(within, ast.UnaryOp) else within
    if not isinstance(within, ast.Compare):
        return "asked"
    container = within.comparators[0]
    spec = scene.node.args
    told = {a.arg: ast.unparse(a.annotation) for a in (*spec.posonlyargs, *spec.args, *spec.kwonlyargs) if a.annotation}
    annotated = told.get(container.id, "") if isinstance(container, ast.Name) else ""
    called = words_of(thing_name(container))[-1:]
    return "part" if annotated == "str" or (not annotated and called and called[0] in _TEXTS) else "key"


_TEXTS = frozenset(
    {"name", "text", "line", "path", "url", "uri", "word", "title", "message", "msg", "output", "string", "stdout",
     "stderr", "filename"}
)  # fmt: skip


def _is_calling(ladder: _Ladder) -> bool:
    return ladder.calls is not None or any(_is_called(hole, ladder.body) for hole in _holes(ladder))


def _holes(ladder: _Ladder) -> list[Hole]:
    return ladder.body.holes if ladder.body is not None else []


def _is_called(hole: Hole, body: Template | None) -> bool:
    """Whether it is functions that the arms differ in."""
    raised = [s.exc for s in (body.body if body else []) if isinstance(s, ast.Raise)]
    inside = (n for s in (body.body if body else []) for n in walk(s))
    called = [n.func for n in inside if isinstance(n, ast.Call) and n not in raised]
    return any(place is func for place in hole.places for func in called)


def _planned(scene: Scene, reader: AskedAlike, ladder: _Ladder) -> Plan:
    chain, sheet = ladder.chain, scene.sheet()
    first, last = lines_of(sheet, chain)
    taken = {n.id for n in walk(scene.node) if isinstance(n, ast.Name)} | scene.scope.params | {scene.node.name}
    asked = next((w for w in (ladder.word, f"its_{ladder.word}") if is_free(w, taken)), "")
    if not asked:
        raise Untouchable(f"the names {ladder.word} and its_{ladder.word} are taken in the function")
    body = ladder.body
    if ladder.calls is not None:
        held = [_free("action", {*taken, asked})]
        lines = [ladder.calls.asked(sheet, held[0])]
    else:
        assert body is not None
        target = _target_of_all(scene.node, ladder)
        words = {id(body.holes[0]): target} if target else _words(scene, ladder, asked)
        held = [words[id(hole)] for hole in body.holes]
        lines = [] if target else once_for_all(sheet, chain.arms[0], body, words, "")
        held = [word for word in held if word != asked]  # what is asked for itself stands in the row already
    told, rows = _rows(scene, sheet, ladder, first)
    if chain.default is not None and not chain.rest:
        told += comments_of(sheet, _first_said(sheet, chain.default[0].lineno), last)
    if Counter(comments_of(sheet, first, last)) - Counter(told):
        raise Untouchable("comments stand between its arms; they would lose their place")
    unit, indent = sheet.unit(scene.node), sheet.indent(first)
    if any(len(f"{unit}{row}") > scene.line_length and "#" not in row for row in rows):
        raise Untouchable("a row of its table would be longer than a line; cut what its arms do first (named-block)")
    head, name = [f"for {asked}, action in (", *(f"{unit}{row}" for row in rows), "):"], ""
    if ladder.calls is None:
        name = _table_name(scene, ladder, held)
        put_table(scene, sheet, f"{name} = {_written(scene, name, rows, unit)}\n")
        head = [f"for {', '.join([asked, *held])} in {name}:"]
    test = _test(sheet, reader, chain.arms[0], asked)
    looped = as_tail(sheet, first, _looped(sheet, chain, head, test, lines, unit), unit)
    sheet.replace_lines(first, last, "".join(f"{indent}{line}\n" if line.strip() else "\n" for line in looped))
    where = f" of {name}" if name else ""
    return Plan(
        first,
        f"{len(chain.keys)} tests of one form are rows{where}, asked in their order",
        sheet.result(),
        (name,) if name else (),
    )


def _target_of_all(function: FunctionNode, ladder: _Ladder) -> str:
    """The variable that is all that the arms and the default assign, and that no test reads, where nobody sees it in
    between: the loop itself can bind it; else ''."""
    chain, body = ladder.chain, ladder.body
    match (body.body if body is not None else []), chain.default:
        case (
            [ast.Assign(targets=[ast.Name(id=name)], value=value)],
            [ast.Assign(targets=[ast.Name(id=other)], value=ast.Constant() | ast.Name())],
        ) if name == other and [place for hole in _holes(ladder) for place in hole.places] == [value]:
            read = {n.id for arm in chain.arms if arm.test for n in walk(arm.test) if isinstance(n, ast.Name)}
            caught = any(isinstance(n, ast.Try | ast.TryStar | ast.With | ast.AsyncWith) for n in walk(function))
            return name if name not in read and not caught else ""
    return ""


def _free(word: str, taken: set[str]) -> str:
    if not is_free(word, taken):
        raise Untouchable(f"the name {word} is taken in the function")
    return word


def _words(scene: Scene, ladder: _Ladder, asked: str) -> dict[int, str]:
    """What the values of a row are called in the loop: after what they are for, or after what the function gives."""
    body = ladder.body
    assert body is not None
    for hole in body.holes:
        if _is_called(hole, body):
            hole.word = "action"
        elif part := next(filter(None, (_part_of(place, body) for place in hole.places)), ""):
            hole.word = part
        elif hole.word in ("", "value") and isinstance(body.body[0], ast.Raise) and _are_texts(hole):
            hole.word = "message"
        elif hole.word in ("", "value") and len(body.holes) == 1 and isinstance(body.body[0], ast.Return):
            hole.word = answer_word(scene)
    own = [hole for hole in body.holes if _is_the_key(hole, ladder.chain)]
    others = Template(body.body, [hole for hole in body.holes if hole not in own], body.written)
    words = hole_words(scene, others, (asked,), always=True) if others.holes else {}
    return words | {id(hole): asked for hole in own}


def _is_the_key(hole: Hole, chain: Chain) -> bool:
    """Whether each arm works with the very constant that it asks for."""
    keys = [ast.dump(arm.keys[0]) if len(arm.keys) == 1 else "" for arm in chain.arms]
    return not hole.text and [ast.dump(value) for value in hole.values] == keys


def _are_texts(hole: Hole) -> bool:
    return all(isinstance(v, ast.Constant) and isinstance(v.value, str) for v in hole.values)


def _part_of(place: ast.expr, body: Template) -> str:
    """What a value that is worked with is called: a factor, where a slice ends."""
    for n in (n for s in body.body for n in walk(s)):
        match n:
            case ast.Slice(lower=lower, upper=upper) if place in (lower, upper):
                return "start" if place is lower else "end"
            case ast.BinOp(op=op, left=left, right=right) if place in (left, right):
                return "factor" if isinstance(op, ast.Mult) else "divisor" if isinstance(op, ast.Div) else "amount"
    return ""


def _rows(scene: Scene, sheet: Sheet, ladder: _Ladder, first: int) -> tuple[list[str], list[str]]:
    """The comments told beside rows, and the rows."""
    told: list[str] = []
    rows: list[str] = []
    unit = sheet.unit(scene.node)
    for at, arm in enumerate(ladder.chain.arms):
        said = comments_of_arm(sheet, arm, first)
        if any(map(is_directive, said)):
            raise Untouchable("a comment for a tool stands at an arm; it would lose its line")
        if comments_of(sheet, arm.body[0].lineno, (arm.body[-1].end_lineno or 0) - 1):
            raise Untouchable("comments stand inside an arm, and speak of its lines; cut them first (named-block)")
        if arm.test is not None and comments_of(sheet, arm.test.lineno, (arm.test.end_lineno or 0) - 1):
            raise Untouchable("a comment stands inside a test; it would lose its line")
        if sheet.lines_inside_texts(arm.line, arm.body[-1].end_lineno or arm.line):
            raise Untouchable(f"a text over several lines stands in it (line {arm.line})")
        told += said
        beside = sheet.comment_beside(arm.body[-1])
        if ladder.calls is not None:
            values = [sheet.code(ladder.calls.methods[at])]
        else:
            values = [hole_code(sheet, hole, at) for hole in _holes(ladder) if not _is_the_key(hole, ladder.chain)]
        codes = [one_line(key_code(sheet, key)) for key in arm.keys]
        made = [f"({', '.join([code, *values])})," if values else f"{code}," for code in codes]
        trailed = len(made) == 1 and said == [beside] and len(f"{made[0]}  {beside}") < scene.line_length - len(unit)
        rows += [f"{made[0]}  {beside}"] if trailed else [*said, *made]
    return told, rows


def _first_said(sheet: Sheet, line: int) -> int:
    while sheet.line(line - 1).strip().startswith("#"):
        line -= 1
    return line


def _test(sheet: Sheet, reader: AskedAlike, arm: Arm, word: str) -> str:
    """The test of one row: that of the first arm, on the row's constant."""
    assert arm.test is not None
    test = _first_part(arm.test) if len(arm.keys) > 1 else arm.test
    asked = reader.asked(test)
    assert asked is not None
    whole, hole = (
        sheet.in_parentheses(test) if test is not arm.test else sheet.of(test),
        sheet.in_parentheses(asked.hole),
    )
    return one_line(sheet.text[whole.start : hole.start] + word + sheet.text[hole.end : whole.end])


def _looped(sheet: Sheet, chain: Chain, head: list[str], test: str, body: list[str], unit: str) -> list[str]:
    """The loop over the rows, and the default behind it, or as its `else`."""
    leaving = all(leaves(arm.body) for arm in chain.arms)
    within = [*body, *([] if leaving else ["break"])]
    lines = [*head, f"{unit}if {test}:", *reindented(within, unit * 2)]
    if chain.default is None:
        return lines
    otherwise = body_lines(sheet, chain)
    return [*lines, *otherwise] if leaving else [*lines, "else:", *reindented(otherwise, unit)]


def _assigned(ladder: _Ladder) -> str:
    """The variable or attribute that all arms give another value."""
    match ladder.body.body if ladder.body is not None else []:
        case [ast.Assign(targets=[ast.Name(id=name) | ast.Attribute(attr=name)])]:
            return name.strip("_")
    return ""


def _written(scene: Scene, name: str, rows: list[str], unit: str) -> str:
    """The table: bare constants on one line where there is room."""
    at_once = f"({' '.join(rows).rstrip(',')})"
    plain = not any(row.startswith(("(", "#")) for row in rows)
    if plain and len(f"{name} = {at_once}") <= scene.line_length:
        return at_once
    return f"(\n{''.join(f'{unit}{row}{chr(10)}' for row in rows)})"


def _table_name(scene: Scene, ladder: _Ladder, held: list[str]) -> str:
    """`KIND_BY_PREFIX`: what is chosen, by what; `REFUSED_PATTERNS` where nothing is chosen but to leave."""
    own = three_of([w for w in given_by(scene) if w not in ("is", "has")])
    if not held:
        words = [*own, f"{ladder.word}s" if ladder.word != "key" else "keys"]
    else:
        chosen = words_of(_assigned(ladder) or held[0].removeprefix("its_"))
        chosen = own if chosen in (["action"], ["text"], ["amount"], ["flag"]) and own else chosen
        words = [*chosen, "by", ladder.word] if ladder.word not in chosen else [*chosen, "rows"]
    return table_name(
        scene, ast.unparse(ladder.chain.arms[0].test or ladder.chain.keys[0]), words, ladder.chain.first.lineno
    )
