"""Tests in a row that differ in constants alone, with what they decide: rows of a table, and one loop over them."""

import ast
from collections import Counter
from collections.abc import Iterator, Sequence

from dreck.model.views.shape import is_straight, leaves
from dreck.source.walking import walk
from dreck.steps.replace.tables.arms.called import answer_word, given_by
from dreck.steps.replace.tables.arms.template import Hole, Template, template_of
from dreck.steps.replace.tables.rows.call_rows import as_parameter
from dreck.steps.replace.tables.rows.differing import Doing, hole_code, once_for_all
from dreck.steps.replace.tables.rows.runs import planned_runs
from dreck.steps.support.arm_comments import comments_of_arm
from dreck.steps.support.chains import comments_of, put_table
from dreck.steps.support.names.parameters import UNNAMED, what_it_is
from dreck.steps.support.names.table_names import own_constant, three_of
from dreck.steps.support.names.wording import constant_name, is_free, naming_hint
from dreck.steps.support.names.words import words_of
from dreck.steps.support.scene import NotPlanned, Plan, Scene
from dreck.steps.support.trees import Untouchable, is_directive

_MOST_HOLES = 4
_LIMITS: dict[type[ast.cmpop], str] = {ast.GtE: "at_least", ast.Gt: "above", ast.LtE: "at_most", ast.Lt: "below"}
_TURNED: dict[type[ast.cmpop], str] = {ast.GtE: "at_most", ast.Gt: "below", ast.LtE: "at_least", ast.Lt: "above"}
_SHORTEST = 3
_CHANGES: dict[type[ast.operator], str] = {ast.Add: "added", ast.Sub: "taken_off", ast.Mult: "factor"}


def plans(scene: Scene) -> Iterator[Plan | NotPlanned]:
    """Every run of three such tests or more."""
    return planned_runs(scene, lambda block, at: len(_run(scene, block, at)), lambda run: _planned(scene, run))


def _run(scene: Scene, block: Sequence[ast.stmt], start: int) -> list[ast.If]:
    found: list[ast.If] = []
    for s in block[start:]:
        if not _may_stand_in_a_row(s) or (found and _template(scene, [found[0], s]) is None):
            break
        found.append(s)  # type: ignore[arg-type]
    while len(found) > 1 and _template(scene, found) is None:
        del found[-max(1, len(found) // 4) :]
    return found


def _may_stand_in_a_row(s: ast.stmt) -> bool:
    """An `if` without an else that does plain things, and none of them to a loop around it."""
    return (
        isinstance(s, ast.If)
        and not s.orelse
        and is_straight(s.body)
        and not any(isinstance(n, ast.Break | ast.Continue) for n in s.body)
    )


def _template(scene: Scene, run: Sequence[ast.stmt]) -> Template | None:
    found = template_of(scene, [[s] for s in run])
    if found is None or len(found.holes) > _MOST_HOLES or found.written:
        return None
    own = {id(place) for hole in found.holes for place in hole.places}
    asks = isinstance(run[0], ast.If) and any(id(n) in own for n in walk(run[0].test))
    return found if asks else None


def _planned(scene: Scene, block: list[ast.stmt]) -> Plan:
    run = [s for s in block if isinstance(s, ast.If)]
    found = _template(scene, run)
    if found is None:
        raise Untouchable("its tests differ in more than constants")
    if _asks_one_value(run[0], found) and leaves(run[0].body):
        raise Untouchable("its tests ask what one value is equal to; lookup-table or call-table makes a table of them")
    sheet = scene.sheet()
    first, last = run[0].lineno, run[-1].end_lineno or run[-1].lineno
    while sheet.line(first - 1).strip().startswith("#") and sheet.indent(first - 1) == sheet.indent(first):
        first -= 1
    indent, unit = sheet.indent(run[0].lineno), sheet.unit(scene.node)
    if len(indent.encode()) != run[0].col_offset:
        raise Untouchable("it stands on the line of another statement")
    columns = _columns(scene, run[0], found)
    rows: list[str] = []
    told: list[str] = []
    for at, s in enumerate(run):
        said = comments_of_arm(sheet, _Arm(s), first - 1)
        if any(map(is_directive, said)):
            raise Untouchable("a comment for a tool stands at one of them; it would lose its line")
        told += said
        values = [hole_code(sheet, hole, at) for hole in found.holes]
        rows += [f"{unit}{comment}" for comment in said]
        row = ", ".join(values)
        rows.append(f"{unit}{row if len(values) == 1 else f'({row})'},")
    if Counter(comments_of(sheet, first, last)) - Counter(told):
        raise Untouchable("comments stand inside of them; they would lose their place")
    if any(len(row.expandtabs(4)) > scene.line_length for row in rows):
        raise Untouchable("a row of its table would be longer than a line")
    name = own_constant(scene, constant_name([*three_of(given_by(scene)), "rows"], scene.all_words()))
    put_table(scene, sheet, f"{name} = {_display(scene, name, rows, len(found.holes))}\n")
    given = [[hole.values[at] for hole in found.holes] for at in range(len(run))]
    asked = as_parameter(scene, sheet, name, given) if scene.wishes.form == "parameter" else name
    words = {id(hole): word for hole, word in zip(found.holes, columns, strict=True)}
    lines = [line for line in once_for_all(sheet, _Arm(run[0], whole=True), found, words, "") if line.strip()]
    head = f"for {', '.join(columns)} in {asked}:"
    code = "".join(f"{indent}{line}\n" for line in [head, *(f"{unit}{line}" for line in lines)])
    sheet.replace_lines(first, last, code)
    return Plan(run[0].lineno, f"{len(run)} tests and what they decide are rows of {name}", sheet.result(), (name,))


def _asks_one_value(s: ast.If, found: Template) -> bool:
    """`kind == "glass"`, and nothing else in the test differs: a table by that value says it."""
    own = [place for hole in found.holes for place in hole.places if any(n is place for n in walk(s.test))]
    match s.test:
        case ast.Compare(ops=[ast.Eq() | ast.Is()], comparators=[right]) if own == [right]:
            return True
    return False


def _display(scene: Scene, name: str, rows: Sequence[str], columns: int) -> str:
    """The rows, on one line where they are single values and there is room."""
    at_once = f"({' '.join(row.strip() for row in rows).removesuffix(',')})"
    if columns == 1 and "#" not in at_once and len(f"{name} = {at_once}") <= scene.line_length:
        return at_once
    return f"(\n{''.join(f'{row}{chr(10)}' for row in rows)})"


class _Arm(Doing):
    """One of the tests, as an arm of a chain is seen."""

    def __init__(self, s: ast.If, whole: bool = False) -> None:
        self._line = s.lineno
        self._body: list[ast.stmt] = [s] if whole else s.body

    @property
    def line(self) -> int:
        return self._line

    @property
    def body(self) -> list[ast.stmt]:
        return self._body


def _columns(scene: Scene, s: ast.If, found: Template) -> list[str]:
    """What each column of the rows is called. Raises Untouchable where there is no good name."""
    taken = {n.id for n in walk(scene.node) if isinstance(n, ast.Name)} | scene.scope.params | {scene.node.name}
    names: list[str] = []
    for hole in found.holes:
        wished = scene.wishes.name_for(ast.unparse(hole.values[0]))
        word = wished or _word(scene, s, hole)
        tries = (word, f"its_{word}") if word and not wished else (word,)
        name = next((w for w in tries if w.isidentifier() and is_free(w, {*taken, *names})), "")
        if not name:
            told = ", ".join(ast.unparse(v) for v in hole.values)
            hint = naming_hint(ast.unparse(hole.values[0]))
            raise Untouchable(f"no good name was found for what they differ in ({told}); give it one with {hint}")
        names.append(name)
    return names


def _word(scene: Scene, s: ast.If, hole: Hole) -> str:
    """What a column is called by where its values stand; where they stand for several things, by what they are."""
    words = {_word_at(scene, s, hole, place) for place in hole.places}
    if len(words) == 1:
        return words.pop()
    if words == {"part", "key"}:
        return "key"
    kinds = {type(v.value) if isinstance(v, ast.Constant) else None for v in hole.values}
    return "number" if kinds <= {int, float} else "word" if kinds == {str} else ""


def _word_at(scene: Scene, s: ast.If, hole: Hole, place: ast.expr) -> str:
    """A limit, a key, what is added; what it is assigned to or handed over as."""
    for n in walk(s):
        match n:
            case ast.Compare(left=left, ops=[op], comparators=[right]) if right is place:
                return _LIMITS.get(type(op), "wanted")
            case ast.Compare(left=left, ops=[op], comparators=[right]) if left is place:
                return "part" if isinstance(op, ast.In | ast.NotIn) else _TURNED.get(type(op), "wanted")
            case ast.AugAssign(op=op, value=value) if value is place:
                return _CHANGES.get(type(op), "")
            case ast.Assign(targets=[target], value=value) if value is place:
                known = _last_word(target)
                return known if len(known) >= _SHORTEST else "value"
            case ast.Return(value=value) if value is place:
                return answer_word(scene)
    known = what_it_is(scene, s, place)
    if known != UNNAMED:
        return known
    return hole.word if hole.word not in ("", "value") else _by_kind(hole)


def _last_word(target: ast.expr) -> str:
    """What a variable or an attribute is called; '' for anything else."""
    match target:
        case ast.Name(id=name) | ast.Attribute(attr=name):
            return "_".join(words_of(name))
    return ""


def _by_kind(hole: Hole) -> str:
    """Sentences are messages."""
    texts = [v.value for v in hole.values if isinstance(v, ast.Constant) and isinstance(v.value, str)]
    return "message" if len(texts) == len(hole.values) and any(" " in text for text in texts) else ""
