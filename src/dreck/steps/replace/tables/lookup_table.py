"""lookup-table: a chain that chooses a value by a key becomes a table."""

import ast
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import replace
from pathlib import Path

from dreck.source.walking import walk
from dreck.steps.catalogue import Step
from dreck.steps.naming.predicates import locals_read
from dreck.steps.replace.tables.arms.amounts import Amounts, amounts_of
from dreck.steps.replace.tables.arms.around import cores, lines_around
from dreck.steps.replace.tables.arms.called import words_for_table
from dreck.steps.replace.tables.arms.chain_lines import asked_once, check_outside
from dreck.steps.replace.tables.arms.in_front import in_front
from dreck.steps.replace.tables.arms.long_rows import fitting
from dreck.steps.replace.tables.arms.method_calls import method_calls
from dreck.steps.replace.tables.arms.more_asked import WithMore, asks_for_more, check_apart
from dreck.steps.replace.tables.arms.odd_cases import odd_cases
from dreck.steps.replace.tables.arms.outcomes import Outcome, is_fixed, outcome_of, worked_out_later
from dreck.steps.replace.tables.arms.table_lines import as_tail, body_lines, drop_dead_default, is_ladder, value_code
from dreck.steps.replace.tables.arms.untold import with_untold
from dreck.steps.replace.tables.rows.class_rows import class_rows
from dreck.steps.replace.tables.rows.fitting_rows import fitting_rows
from dreck.steps.replace.tables.rows.same_call import doing
from dreck.steps.replace.tables.rows.table_files import table_file
from dreck.steps.support.arm_comments import comments_of_arm
from dreck.steps.support.chains import (
    Arm,
    Chain,
    chains,
    comments_of,
    key_code,
    lines_of,
    put_table,
    subject_code,
)
from dreck.steps.support.imports import add_imports
from dreck.steps.support.names.short_names import asked_words
from dreck.steps.support.names.table_names import table_name, table_there
from dreck.steps.support.names.wording import is_free
from dreck.steps.support.scene import NotPlanned, Plan, Scene
from dreck.steps.support.sheet import Sheet, reindented
from dreck.steps.support.trees import Untouchable

_FEWEST = 3
_VALUE = frozenset({"str", "int", "float", "bool", "bytes"})


def plans(scene: Scene) -> Iterator[Plan | NotPlanned]:
    """Every chain of the function whose arms only choose values."""
    return with_untold(scene, _found_in(scene))


def _found_in(scene: Scene) -> Iterator[Plan | NotPlanned]:
    for chain in chains(scene.node, WithMore(), fewest=2, open_end=True, tails=True):
        if sum(len(arm.keys) for arm in chain.arms) < _FEWEST:
            continue
        around, arms = cores(chain.arms)
        choosing, others = _apart(replace(chain, arms=arms))
        if around and others:
            yield from doing(scene, chain)
            continue
        if len(choosing) < 2 or sum(len(arm.keys) for arm in choosing) < _FEWEST or 2 * len(others) > len(choosing):
            yield from doing(scene, chain)
            continue
        outcomes = [outcome_of(arm.body, attributes=True) for arm in choosing]
        calls = method_calls(choosing)
        if calls is not None:
            reason = f"its arms call methods of {ast.unparse(calls.receiver)}: call-table makes a table of them"
            yield NotPlanned(chain.first.lineno, reason)
            continue
        try:
            lines = lines_around(scene.sheet(), around, chain.arms)
            told = [o for o in outcomes if o is not None]
            yield _planned(scene, replace(chain, arms=choosing), told, others, lines)
        except Untouchable as error:
            yield NotPlanned(chain.first.lineno, str(error))
    yield from class_rows(scene)
    yield from fitting_rows(scene, calling=False)
    yield from odd_cases(scene)


def _apart(chain: Chain) -> tuple[tuple[Arm, ...], tuple[Arm, ...]]:
    """The arms that only choose a value, for the same targets as most do, and those that do something else."""
    outcomes = [outcome_of(arm.body, attributes=True) for arm in chain.arms]
    told = Counter(o.targets for o in outcomes if o is not None)
    if not told:
        return (), chain.arms
    ((most, _),) = told.most_common(1)
    choosing = [
        o is not None and o.targets == most and not asks_for_more(arm)
        for o, arm in zip(outcomes, chain.arms, strict=True)
    ]
    return (
        tuple(arm for arm, chooses in zip(chain.arms, choosing, strict=True) if chooses),
        tuple(arm for arm, chooses in zip(chain.arms, choosing, strict=True) if not chooses),
    )


def _planned(
    scene: Scene,
    chain: Chain,
    outcomes: list[Outcome],
    others: Sequence[Arm],
    around: tuple[list[str], list[str]],
) -> Plan | NotPlanned:
    line = chain.first.lineno
    check_apart(chain.arms, others)
    check_outside(scene, chain.keys)
    targets = outcomes[0].targets
    fixed = all(is_fixed(scene, v) for o in outcomes for v in o.values)
    if not fixed and any(_reads_one_of(targets, o) for o in outcomes):
        raise Untouchable("one of the values that it chooses is made of another")
    sheet, default = scene.sheet(), ""
    amounts = None if fixed else _amounts(sheet, chain, outcomes)
    if amounts is not None:
        default = sheet.code(amounts.numbers[-1]) if len(amounts.numbers) > len(outcomes) else ""
        outcomes, fixed = [Outcome(targets, (number,)) for number in amounts.numbers[: len(outcomes)]], True
    first, last = lines_of(sheet, chain)
    given = () if fixed else _needed(scene, outcomes)
    asked_for = ", ".join(ast.unparse(s) for s in chain.subjects)
    unit = sheet.unit(scene.node)
    told, rows = _rows(scene, sheet, chain, outcomes, given, fixed)
    words = words_for_table(scene, chain, targets, amounts.word if amounts else "", works_out=not fixed)
    wished = scene.wishes.name_for(asked_for) or scene.wishes.table_file
    there = "" if wished else table_there(scene, f"{{\n{rows}}}", words)
    name = there or table_name(scene, asked_for, words, line)
    indent = sheet.indent(first)
    if fixed and amounts is None:
        default = _default(scene, sheet, chain, targets) or ""
    at_once = _at_once(scene, chain, sheet, name, default, amounts) if around == ([], []) else ()
    at_once = at_once if _has_room(scene, indent, targets, at_once) else ()
    chain = chain if at_once else asked_once(scene, chain)
    found = _found(scene, chain, sheet, name, "" if fixed else f"({', '.join(given)})", amounts)
    asking = _asking(scene, sheet, chain, targets, name, found, at_once, around)
    drop_dead_default(scene, sheet, chain, targets if at_once else (), asking)
    asking = [chain.lead, *asking] if chain.lead else asking
    lines = as_tail(sheet, first, in_front(sheet, chain, others, asking, unit), unit)
    longest = max(len(sheet.line(n)) for n in range(first, last + 1))
    rows = "".join(f"{fitting(row, unit, scene.line_length, longest)}\n" for row in rows.splitlines())
    kept = [c for c in comments_of(sheet, first, last) if c not in told]
    kept = _without(kept, [text for text in lines if "#" in text])
    above = [f"{indent}{c}\n" for c in kept]
    sheet.replace_lines(first, last, "".join([*above, *(f"{indent}{text}\n" if text else "\n" for text in lines)]))
    typed = _typed(scene, chain, outcomes) if fixed and _is_typed(scene) else ""
    beside: dict[Path, str] = {}
    if scene.wishes.table_file:
        beside = _put_file(scene, sheet, chain, outcomes, name, targets, fixed)
    elif not there:
        put_table(scene, sheet, f"{name}{typed} = {{\n{rows}}}\n")
    count = len(chain.keys)
    reason = f"{count} values by {' and '.join(ast.unparse(s) for s in chain.subjects)} are the table {name}"
    if others:
        reason += (
            f"; {'an arm that does' if len(others) == 1 else f'{len(others)} arms that do'} or asks for more in front"
        )
    return Plan(line, reason, sheet.result(), (name,), others=beside)


def _put_file(
    scene: Scene, sheet: Sheet, chain: Chain, outcomes: list[Outcome], name: str, targets: tuple[str, ...], fixed: bool
) -> dict[Path, str]:
    """The rows go to a file, and what reads it stands where the table would."""
    if not fixed or len(chain.subjects) > 1 or len(outcomes[0].values) > 1:
        raise Untouchable("only plain values by one key can be kept in a file")
    if comments_of(sheet, chain.first.lineno, chain.last.end_lineno or 0):
        raise Untouchable("comments stand in it, which a file of rows cannot hold")
    subject = "_".join(asked_words(scene.node, chain.subjects[:1])) or "key"
    chosen = targets[0].rpartition(".")[2] if targets else "value"
    rows = [(key, o.values[0]) for arm, o in zip(chain.arms, outcomes, strict=True) for key in arm.keys]
    made = table_file(scene, name, (subject, chosen), rows, sheet.unit(scene.node))
    add_imports(scene, sheet, made.imports)
    asked = f'Path(__file__).with_name("{made.path.name}")'
    put_table(scene, sheet, f"{made.code}\n\n{name} = dict({made.reader}({asked}))\n")
    return {made.path: made.text}


def _without(comments: list[str], lines: list[str]) -> list[str]:
    return [c for c in comments if not any(c in text for text in lines)]


def _is_typed(scene: Scene) -> bool:
    spec = scene.node.args
    return scene.node.returns is not None or any(a.annotation for a in (*spec.args, *spec.kwonlyargs))


def _typed(scene: Scene, chain: Chain, outcomes: list[Outcome]) -> str:
    """`: dict[str, int]` where the types are plain to see."""
    keys = {type(k.value).__name__ if isinstance(k, ast.Constant) else "" for k in chain.keys}
    values = {type(v.value).__name__ if isinstance(v, ast.Constant) else "" for o in outcomes for v in o.values}
    if len(keys) == len(values) == 1 and keys | values <= _VALUE and len(outcomes[0].values) == 1:
        return f": dict[{keys.pop()}, {values.pop()}]"
    return ""


def _reads_one_of(targets: tuple[str, ...], outcome: Outcome) -> bool:
    read = {ast.unparse(n) for v in outcome.values for n in walk(v) if isinstance(n, ast.Name | ast.Attribute)}
    return len(targets) > 1 and not read.isdisjoint(targets)


def _needed(scene: Scene, outcomes: list[Outcome]) -> tuple[str, ...]:
    """What the values that have to be worked out read of the function."""
    names = [n for o in outcomes for v in o.values for n in locals_read(scene, v)]
    for o in outcomes:
        for v in o.values:
            if isinstance(v, ast.Name) and v.id in names:
                raise Untouchable(f"{v.id} is a name of the function itself: a table outside would only hand it back")
            if any(isinstance(n, ast.Await | ast.Yield | ast.YieldFrom | ast.NamedExpr) for n in walk(v)):
                raise Untouchable("a value awaits, yields or binds a name")
            if any(isinstance(n, ast.Name) and n.id in ("super", "__class__", "locals") for n in walk(v)):
                raise Untouchable("a value depends on the function it stands in")
            if any(
                isinstance(n, ast.Attribute) and n.attr.startswith("__") and not n.attr.endswith("__") for n in walk(v)
            ):
                raise Untouchable("a value reads a private name of its class")
    return tuple(dict.fromkeys(names))


# --- rows ----------------------------------------------------------------------------------------------


def _rows(
    scene: Scene, sheet: Sheet, chain: Chain, outcomes: list[Outcome], given: tuple[str, ...], fixed: bool
) -> tuple[list[str], str]:
    """The comments told beside rows, and the rows in the order of the arms."""
    unit = sheet.unit(scene.node)
    told: list[str] = []
    lines: list[str] = []
    for arm, outcome in zip(chain.arms, outcomes, strict=True):
        comments = comments_of_arm(sheet, arm, lines_of(sheet, chain)[0])
        told += comments
        codes = [value_code(sheet, v) for v in outcome.values]
        value = codes[0] if len(codes) == 1 else f"({', '.join(codes)})"
        made = value if fixed else worked_out_later(scene, outcome.values, value, given)
        made_rows = [f"{unit}{key_code(sheet, key)}: {made}," for key in arm.keys]
        beside = sheet.comment_beside(arm.body[-1])
        trailed = f"{made_rows[0]}  {beside}"
        if beside and len(made_rows) == 1 and len(trailed) <= max(79, len(sheet.line(arm.line))):
            comments.remove(beside)
            made_rows = [trailed]
        lines += [f"{unit}{comment}\n" for comment in comments]
        lines += [f"{row}\n" for row in made_rows]
    return told, "".join(lines)


# --- asking the table ----------------------------------------------------------------------------------


def _amounts(sheet: Sheet, chain: Chain, outcomes: list[Outcome]) -> Amounts | None:
    """The numbers in which the values differ; that of the default is the last where it is worked out as they are."""
    values = [o.values[0] for o in outcomes]
    default = outcome_of(chain.default) if chain.default is not None else None
    if default is not None and default.targets == outcomes[0].targets:
        found = amounts_of(sheet, [*values, default.values[0]])
        if found is not None:
            return found
    return amounts_of(sheet, values) or amounts_of(sheet, values, (str,))


def _found(scene: Scene, chain: Chain, sheet: Sheet, name: str, call: str, amounts: Amounts | None) -> tuple[str, ...]:
    """What the table has for the key, put to use: in a line of its own first, where other code would run before."""
    code = f"{name}[{subject_code(sheet, chain)}]{call}"
    if amounts is None:
        return (code,)
    if amounts.is_late and is_free(amounts.word, scene.all_words()):
        return (f"{amounts.word} = {code}", amounts.around(amounts.word))
    return (amounts.around(code),)


def _at_once(
    scene: Scene, chain: Chain, sheet: Sheet, name: str, default: str, amounts: Amounts | None
) -> tuple[str, ...]:
    """The table asked with a default, in one line or two; none where nothing could be worked out beforehand."""
    if not default:
        return ()
    key = subject_code(sheet, chain)
    asked = f"({key})" if len(chain.subjects) > 1 else key
    code = f"{name}.get({asked})" if default == "None" else f"{name}.get({asked}, {default})"
    if amounts is None:
        return (code,)
    if all(isinstance(subject, ast.Name) for subject in chain.subjects) or amounts.word in scene.all_words():
        return (amounts.around(code),)
    return (f"{amounts.word} = {code}", amounts.around(amounts.word))  # the key is read before anything else, as it was


def _asking(
    scene: Scene,
    sheet: Sheet,
    chain: Chain,
    targets: tuple[str, ...],
    name: str,
    found: tuple[str, ...],
    at_once: tuple[str, ...],
    around: tuple[list[str], list[str]],
) -> list[str]:
    """The lines that stand where the chain stood; `around`: what all arms do before and behind it."""
    key = subject_code(sheet, chain)
    asked = f"({key})" if len(chain.subjects) > 1 else key
    left = f"{', '.join(_as_written(sheet, chain, targets))} = " if targets else "return "
    if at_once:
        return [*at_once[:-1], f"{left}{at_once[-1]}"]
    lines = [*around[0], *found[:-1], f"{left}{found[-1]}", *around[1]]
    unit = sheet.unit(scene.node)
    if chain.default is None:
        return [f"if {asked} in {name}:", *reindented(lines, unit)]
    otherwise = body_lines(sheet, chain)
    if is_ladder(chain.default, otherwise):
        word = "" if targets == () else "el"
        return [f"if {asked} in {name}:", *reindented(lines, unit), f"{word}{otherwise[0]}", *otherwise[1:]]
    if isinstance(chain.default[-1], ast.Raise | ast.Return) or targets == ():
        return [f"if {asked} not in {name}:", *reindented(otherwise, unit), *lines]
    return [f"if {asked} in {name}:", *reindented(lines, unit), "else:", *reindented(otherwise, unit)]


def _has_room(scene: Scene, indent: str, targets: tuple[str, ...], at_once: tuple[str, ...]) -> bool:
    """Whether what stands for a whole chain of several targets fits on its line."""
    line = f"{indent}{', '.join(targets)} = {''.join(at_once[-1:])}"
    return len(targets) < 2 or len(line.expandtabs(4)) <= scene.line_length


def _as_written(sheet: Sheet, chain: Chain, targets: tuple[str, ...]) -> list[str]:
    """The targets as the first arm has them."""
    places = [t for s in chain.arms[0].body if isinstance(s, ast.Assign) for t in s.targets]
    written = {ast.unparse(t): sheet.code(t) for t in places}
    return [written.get(target, target) for target in targets]


def _default(scene: Scene, sheet: Sheet, chain: Chain, targets: tuple[str, ...]) -> str | None:
    """The default as an expression that may be worked out beforehand; None when there is no such thing."""
    if chain.default is None and not _bound_before(scene, chain, targets):
        return None
    if chain.default is None:
        return targets[0] if len(targets) == 1 else None  # several would only be assigned to themselves
    outcome = outcome_of(chain.default)
    if outcome is None or outcome.targets != targets:
        return None
    if not all(is_fixed(scene, v) or isinstance(v, ast.Name) for v in outcome.values):
        return None
    codes = [value_code(sheet, v) for v in outcome.values]
    return codes[0] if len(codes) == 1 else f"({', '.join(codes)})"


def _bound_before(scene: Scene, chain: Chain, targets: tuple[str, ...]) -> bool:
    """Whether what the chain assigns has a value already, as far as the lines above it tell."""
    early = {
        n.id
        for n in walk(scene.node)
        if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store) and n.lineno < chain.first.lineno
    }
    return set(targets) <= early | scene.scope.params


STEP = Step(
    name="lookup-table",
    group="replace",
    order=210,
    summary="A chain that chooses a value by a key becomes a table.",
    why="What belongs together stands in a row; a new kind is a new row and no new code.",
    when_not="For two or three arms, or when the arms will soon do more than choose a value.",
    before="""\
def line_for(kind):
    if kind == "glass":
        return "crusher"
    elif kind == "paper":
        return "press"
    elif kind in ("metal", "cans"):
        return "magnet"
    else:
        return "hand"
""",
    after="""\
LINE_BY_KIND = {
    "glass": "crusher",
    "paper": "press",
    "metal": "magnet",
    "cans": "magnet",
}


def line_for(kind):
    return LINE_BY_KIND.get(kind, "hand")
""",
    traps=(
        "A key that cannot be hashed raises in a table and only compares unequal in a chain (`hashable-key`).",
        "`True`, `1` and `1.0` are one key; NaN is found in a table and equal to nothing.",
        "A list in a table is one list for everybody; worked-out values stay functions.",
        "The default of `.get` is worked out before anything is looked up.",
        "No dict finds what begins with its keys or holds them: rows for such tests are asked in their order.",
    ),
    plans=plans,
    asks=("hashable-key", "plain-kind", "steady-constants"),
    by_default=False,
)
