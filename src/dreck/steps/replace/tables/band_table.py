"""band-table: a ladder of limits becomes a table of bands; a ladder per key becomes one table of rows."""

import ast
from collections.abc import Iterator, Sequence
from pathlib import Path

from dreck.model.views.shape import leaves
from dreck.source.walking import walk
from dreck.steps.catalogue import Step
from dreck.steps.naming.predicates import locals_read
from dreck.steps.replace.tables.arms.amounts import amounts_of
from dreck.steps.replace.tables.arms.outcomes import is_fixed, outcome_of
from dreck.steps.replace.tables.arms.table_lines import body_lines
from dreck.steps.replace.tables.arms.template import Template, template_of
from dreck.steps.replace.tables.rows.differing import is_one_value, once_for_all
from dreck.steps.replace.tables.rows.ladders import Ladder, per_key, single
from dreck.steps.replace.tables.rows.table_files import table_file
from dreck.steps.support.arm_comments import comments_of_arm
from dreck.steps.support.chains import comments_of, is_plain, lines_of, put_table
from dreck.steps.support.imports import add_imports
from dreck.steps.support.names.wording import is_free
from dreck.steps.support.names.words import thing_name, words_of
from dreck.steps.support.scene import NotPlanned, Plan, Scene
from dreck.steps.support.sheet import Sheet, reindented
from dreck.steps.support.trees import Untouchable

_FIELD = {"Lt": "below", "LtE": "up_to", "Gt": "above", "GtE": "at_least"}
_SIGN = {"Lt": "<", "LtE": "<=", "Gt": ">", "GtE": ">="}
_MIRRORED_SIGN = {"Gt": "<", "GtE": "<="}


def plans(scene: Scene) -> Iterator[Plan | NotPlanned]:
    """Every ladder of the function: first those that go per key, then the single ones."""
    for ladder in [*per_key(scene), *single(scene)]:
        if isinstance(ladder, NotPlanned):
            yield ladder
            continue
        try:
            yield _planned(scene, ladder)
        except Untouchable as error:
            yield NotPlanned(ladder.chain.first.lineno, str(error))


# --- writing the table ---------------------------------------------------------------------------------


def _planned(scene: Scene, ladder: Ladder) -> Plan:
    chain = ladder.chain
    outcomes = [outcome_of(band.body) for band in ladder.bands]
    known = [o for o in outcomes if o is not None]
    alike = _done_alike(scene, ladder) if not known else None
    if alike is None and (len(known) != len(outcomes) or len({o.targets for o in known}) != 1):
        odd = next((b for b, o in zip(ladder.bands, outcomes, strict=True) if o is None), ladder.bands[-1])
        why = f"its bands do more than choose a value (line {odd.line})"
        raise Untouchable(f"{why}; cut what they do first (named-block)")
    shapes = {tuple(op for op, _ in band.limits) for band in ladder.bands if band.limits}
    if len(shapes) != 1:
        raise Untouchable(_of_several_sorts(ladder))
    (shape,) = shapes
    if not is_plain(ladder.subject) or (ladder.key is not None and not is_plain(ladder.key)):
        raise Untouchable("what is compared would be worked out for each band; give it a name first (shared-term)")
    targets = known[0].targets if alike is None else tuple(_assigned(ladder.bands[0].body))
    if any(isinstance(n, ast.Name) and n.id in targets for n in walk(ladder.subject)):
        raise Untouchable("what is compared is assigned by its bands")
    columns = [list(column) for column in zip(*(o.values for o in known), strict=True)]
    columns = columns if alike is None else [alike.holes[0].values]
    sheet = scene.sheet()
    fixed = all(is_fixed(scene, v) for column in columns for v in column)
    if not fixed and len(columns) > 1:
        why = f"its bands choose {len(columns)} values that are worked out"
        raise Untouchable(f"{why}; choose each alone (split-choice)")
    amounts = None if fixed else amounts_of(sheet, columns[0])
    if amounts is not None:
        columns, fixed = [amounts.numbers], True
    given = tuple(dict.fromkeys(n for v in columns[0] for n in locals_read(scene, v))) if not fixed else ()
    if not fixed and any(isinstance(n, ast.Await | ast.Yield | ast.NamedExpr) for v in columns[0] for n in walk(v)):
        raise Untouchable("a value awaits, yields or binds a name")
    first, last = lines_of(sheet, chain)
    stem, name = _names(scene, ladder)
    row = _row_name(scene, name)
    names = [amounts.word] if amounts is not None else _value_names(scene, targets, fixed)
    names = names if alike is None else _value_names(scene, (_word_of(alike),), fixed)
    fields = _fields(ladder, shape, names, columns, fixed)
    unit = sheet.unit(scene.node)
    rows, told = _rows(sheet, ladder, stem, columns, fixed, given, unit)
    kept = [c for c in comments_of(sheet, first, last) if c not in told]
    asked = [f"{row}.{value}" if fixed else f"{row}.{value}({', '.join(given)})" for value in names]
    found = [amounts.around(asked[0])] if amounts is not None else asked
    done = once_for_all(sheet, ladder.bands[0], alike, {}, asked[0]) if alike is not None else []
    lines = _asking(scene, sheet, ladder, shape, name, row, targets, found, done)
    indent = sheet.indent(first)
    said = "".join(f"{indent}{c}\n" for c in kept if not any(c in line for line in lines))
    sheet.replace_lines(first, last, said + "".join(f"{indent}{text}\n" if text.strip() else "\n" for text in lines))
    doc = f'{unit}"""One band of {_subject_words(ladder)}."""\n\n'
    declared = "".join(f"{unit}{field}: {kind}\n" for field, kind in fields)
    head = f"class {stem}(NamedTuple):\n{doc}{declared}\n\n"
    others: dict[Path, str] = {}
    if scene.wishes.table_file:
        if not fixed or told:
            raise Untouchable("values that are worked out, and comments, cannot be kept in a file of rows")
        kept_rows = _plain_rows(ladder, columns, len(shape))
        made = table_file(scene, name, [field for field, _ in fields], kept_rows, unit)
        _imports(scene, sheet, fields, made.imports)
        read = f'{made.reader}(Path(__file__).with_name("{made.path.name}"))'
        put_table(scene, sheet, f"{head}{made.code}\n\n{name} = tuple({stem}(*row) for row in {read})\n")
        others[made.path] = made.text
    else:
        _imports(scene, sheet, fields)
        put_table(scene, sheet, f"{head}{name} = (\n{rows})\n")
    told_of = f" per {ast.unparse(ladder.key)}" if ladder.key is not None else ""
    reason = f"{len(ladder.bands)} bands of {ast.unparse(ladder.subject)}{told_of} are the table {name}"
    return Plan(first, reason, sheet.result(), (name, stem), others=others)


def _done_alike(scene: Scene, ladder: Ladder) -> Template | None:
    """What all bands do with another constant each: `score += 3`, `log.add("dry")`."""
    found = template_of(scene, [band.body for band in ladder.bands], least=1)
    if found is None or not is_one_value(found) or not all(isinstance(v, ast.Constant) for v in found.holes[0].values):
        return None
    odd = (ast.Break, ast.Continue, ast.Yield, ast.YieldFrom, ast.Await)
    return None if any(isinstance(n, odd) for s in found.body for n in walk(s)) else found


def _word_of(found: Template) -> str:
    """What the constant is called: after what it is added to or handed over as; a part of a display is neither."""
    hole = found.holes[0]
    inside = (n for s in found.body for n in walk(s) if isinstance(n, ast.List | ast.Tuple | ast.Dict | ast.Set))
    return "value" if any(part is hole.places[0] for n in inside for part in walk(n)) else hole.word


def _assigned(body: Sequence[ast.stmt]) -> Iterator[str]:
    stored = (n for s in body for n in walk(s) if isinstance(n, ast.Name) and not isinstance(n.ctx, ast.Load))
    yield from (n.id for n in stored)


def _of_several_sorts(ladder: Ladder) -> str:
    """Which test asks otherwise than the first, and what to do about it."""
    asked = [(band, tuple(op for op, _ in band.limits)) for band in ladder.bands if band.limits]
    first, signs = asked[0]
    odd, others = next((band, ops) for band, ops in asked if ops != signs)
    told = [" and ".join(f"`{_SIGN[op]}`" for op in ops) for ops in (signs, others)]
    return f"line {first.line} asks {told[0]} and line {odd.line} {told[1]}; let all ask alike, or leave them a ladder"


def _plain_rows(ladder: Ladder, columns: list[list[ast.expr]], width: int) -> list[list[ast.expr | None]]:
    found: list[list[ast.expr | None]] = []
    for band, *values in zip(ladder.bands, *columns, strict=True):
        limits: list[ast.expr | None] = [limit for _, limit in band.limits] or [None] * width
        found.append([*([band.key] if band.key is not None else []), *limits, *values])
    return found


def _subject_words(ladder: Ladder) -> str:
    return " ".join(words_of(thing_name(ladder.subject))) or "values"


def _names(scene: Scene, ladder: Ladder) -> tuple[str, str]:
    """The row's class and the table: `KilosBand`, `KILOS_BANDS`."""
    wished = scene.wishes.name_for(ast.unparse(ladder.subject))
    taken = scene.all_words()
    if wished and wished in taken:
        raise Untouchable(f"the name '{wished}' is taken already")
    words = words_of(thing_name(ladder.subject)) or ["value"]
    asked = [w for w in words_of(scene.node.name.strip("_")) if w not in ("band", "for", "of", "get")]
    for stem in (words, asked, [*asked, *words]):
        kind = "".join(w.capitalize() for w in (*stem, "band"))
        table = wished or "_".join([*stem, "bands"]).upper()
        if is_free(kind, taken) and is_free(table, taken):
            return kind, table
    raise Untouchable("no free names for the table were found; give one with --name")


def _row_name(scene: Scene, name: str) -> str:
    return next(n for n in ("band", "row", "one_band", "found_band") if n not in scene.scope.local)


def _value_names(scene: Scene, targets: tuple[str, ...], fixed: bool) -> list[str]:
    used = {"key", "below", "up_to", "above", "at_least"}
    if not fixed:
        return ["work_out"]
    if len(targets) > 1 and used & set(targets):
        raise Untouchable(f"{min(used & set(targets))} is what a limit is called; give the variable another name first")
    if targets and targets[0] not in used:
        return [*targets]
    last = words_of(scene.node.name.strip("_"))[-1:]
    name = last[0] if last and last[0] not in ("band", "bands", *used) else "value"
    return [name if name.isidentifier() and is_free(name, ()) else "value"]


def _fields(
    ladder: Ladder, shape: Sequence[str], names: list[str], columns: list[list[ast.expr]], fixed: bool
) -> list[tuple[str, str]]:
    found: list[tuple[str, str]] = []
    if ladder.key is not None:
        found.append((_key_field(ladder), _type([b.key for b in ladder.bands if b.key is not None])))
    open_end = any(not band.limits for band in ladder.bands)
    for i, op in enumerate(shape):
        kinds = _type([band.limits[i][1] for band in ladder.bands if band.limits])
        found.append((_FIELD[op], f"{kinds} | None" if open_end else kinds))
    kinds_of = [_type(column) if fixed else "Callable[..., object]" for column in columns]
    return [*found, *zip(names, kinds_of, strict=True)]


def _key_field(ladder: Ladder) -> str:
    assert ladder.key is not None
    name = thing_name(ladder.key)
    return name if name.isidentifier() and name not in _FIELD.values() else "key"


def _type(values: Sequence[ast.expr]) -> str:
    kinds = {type(_literal(v)).__name__ for v in values}
    if kinds <= {"int", "float"} and "float" in kinds:
        return "float"
    known = kinds <= {"str", "int", "float", "bool", "bytes"}
    return " | ".join(sorted(kinds)) if known and len(kinds) <= 2 else "object"


def _literal(e: ast.expr) -> object:
    try:
        return ast.literal_eval(e)
    except (ValueError, TypeError, SyntaxError):
        return e


def _rows(
    sheet: Sheet,
    ladder: Ladder,
    stem: str,
    columns: list[list[ast.expr]],
    fixed: bool,
    given: tuple[str, ...],
    unit: str,
) -> tuple[str, list[str]]:
    told: list[str] = []
    lines: list[str] = []
    width = max(len(band.limits) for band in ladder.bands)
    head = f"lambda {', '.join(given)}: " if given else "lambda: "
    for band, *values in zip(ladder.bands, *columns, strict=True):
        said = comments_of_arm(sheet, band, ladder.bands[0].line)
        comments = [c for c in said if c not in told]
        told += comments
        lines += [f"{unit}{comment}\n" for comment in comments]
        limits = [sheet.code(limit) for _, limit in band.limits] or ["None"] * width
        codes = [" ".join(line.strip() for line in sheet.value(value).splitlines()) for value in values]
        made = [code if fixed else f"{head}{code}" for code in codes]
        parts = [*([sheet.code(band.key)] if band.key is not None else []), *limits, *made]
        lines.append(f"{unit}{stem}({', '.join(parts)}),\n")
    return "".join(lines), told


def _asking(
    scene: Scene,
    sheet: Sheet,
    ladder: Ladder,
    shape: Sequence[str],
    name: str,
    row: str,
    targets: tuple[str, ...],
    found: list[str],
    done: list[str],
) -> list[str]:
    """The loop that stands where the ladder stood; `done`: what all bands do, where they choose no value."""
    unit, subject = sheet.unit(scene.node), sheet.code(ladder.subject)
    if len(shape) == 2:
        test = (
            f"{row}.{_FIELD[shape[0]]} {_MIRRORED_SIGN[shape[0]]} {subject} {_SIGN[shape[1]]} {row}.{_FIELD[shape[1]]}"
        )
    else:
        test = f"{subject} {_SIGN[shape[0]]} {row}.{_FIELD[shape[0]]}"
    if ladder.key is not None:
        test = f"({row}.{_FIELD[shape[0]]} is None or {test})"
        test = f"{sheet.code(ladder.key)} == {row}.{_key_field(ladder)} and {test}"
    lines = [f"for {row} in {name}:", f"{unit}if {test}:"]
    default = ladder.chain.default
    if done and leaves(ladder.bands[0].body):
        lines += reindented(done, unit * 2)
        return [*lines, *(body_lines(sheet, ladder.chain) if default is not None else [])]
    if not targets and not done:
        lines.append(f"{unit}{unit}return {', '.join(found)}")
        return [*lines, *(body_lines(sheet, ladder.chain) if default is not None else [])]
    chosen = [f"{target} = {code}" for target, code in zip(targets, found, strict=True)] if not done else []
    lines += reindented(done or chosen, unit * 2)
    lines.append(f"{unit}{unit}break")
    if default is not None:
        lines += ["else:", *(f"{unit}{text}" if text else text for text in body_lines(sheet, ladder.chain))]
    return lines


def _imports(scene: Scene, sheet: Sheet, fields: Sequence[tuple[str, str]], further: Sequence[str] = ()) -> None:
    """`NamedTuple`, and `Callable` where values are worked out, are imported."""
    wanted = ["from typing import NamedTuple"]
    if any("Callable" in kind for _, kind in fields):
        wanted.insert(0, "from collections.abc import Callable")
    add_imports(scene, sheet, [*further, *wanted])


STEP = Step(
    name="band-table",
    group="replace",
    order=220,
    summary="A ladder of limits becomes a table of bands, also per key.",
    why="The limits stand in a column and can be read, checked and changed without reading code.",
    when_not="For two bands, or when the bands do different things.",
    before="""\
def letter(kilos):
    if kilos < 100:
        return "A"
    elif kilos < 500:
        return "B"
    elif kilos < 2000:
        return "C"
    return "D"
""",
    after="""\
from typing import NamedTuple


class KilosBand(NamedTuple):
    \"\"\"One band of kilos.\"\"\"

    below: int
    letter: str


KILOS_BANDS = (
    KilosBand(100, "A"),
    KilosBand(500, "B"),
    KilosBand(2000, "C"),
)


def letter(kilos):
    for band in KILOS_BANDS:
        if kilos < band.below:
            return band.letter
    return "D"
""",
    traps=(
        "`<` in one rung and `<=` in the next are not one column.",
        "NaN is below nothing and ends in the default, as it did.",
        "Rows per key need a last one without a limit, or the next key's rows are asked.",
    ),
    plans=plans,
    by_default=False,
)
