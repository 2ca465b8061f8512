"""Arms that do the same with other values: the values become rows of a table, and it is done once."""

import ast
from collections import Counter
from dataclasses import replace

from dreck.model.views.shape import leaves
from dreck.source.copying import copied
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk
from dreck.steps.replace.tables.arms.called import given_by
from dreck.steps.replace.tables.arms.chain_lines import replace_chain
from dreck.steps.replace.tables.arms.more_asked import check_apart
from dreck.steps.replace.tables.arms.table_lines import said_of_default
from dreck.steps.replace.tables.arms.template import Hole, Template, template_of
from dreck.steps.replace.tables.rows.differing import hole_code, hole_words, is_one_value, once_for_all
from dreck.steps.support.arm_comments import comments_of_arm
from dreck.steps.support.chains import (
    Arm,
    Chain,
    check_keys,
    comments_of,
    is_asked_twice,
    key_code,
    lines_of,
    put_table,
    subject_code,
)
from dreck.steps.support.names.short_names import asked_words
from dreck.steps.support.names.table_names import table_name, table_there, three_of
from dreck.steps.support.names.words import words_of
from dreck.steps.support.scene import Plan, Scene
from dreck.steps.support.sheet import Sheet
from dreck.steps.support.trees import Untouchable, is_directive

_MOST_HOLES = 3
_FEWEST = 3
_GENERAL = frozenset({"", "value", "message", "key"})


def alike(scene: Scene, chain: Chain) -> Plan | None:
    """The plan for a chain of which most arms do the same with other values; None for any other chain."""
    plan = _of(scene, chain, ())
    if plan is not None:
        return plan
    most, others = _most_alike(chain)
    return _of(scene, replace(chain, arms=most), others) if others else None


def _most_alike(chain: Chain) -> tuple[tuple[Arm, ...], tuple[Arm, ...]]:
    """The arms of one form that most have, and the few others; none of these where they are not few."""
    forms = [_form(arm) for arm in chain.arms]
    ((most, count),) = Counter(forms).most_common(1)
    if 3 * (len(forms) - count) > len(forms):
        return chain.arms, ()
    alike, others = (
        tuple(arm for arm, form in zip(chain.arms, forms, strict=True) if (form == most) is wanted)
        for wanted in (True, False)
    )
    return alike, others


def _form(arm: Arm) -> str:
    """What it does, whatever constants it does it with."""
    made = copied(ast.Module(list(arm.body), []))
    for n in walk(made):
        if isinstance(n, ast.Constant):
            n.value = type(n.value).__name__
    return ast.dump(made)


def _of(scene: Scene, chain: Chain, others: tuple[Arm, ...]) -> Plan | None:
    check_apart(chain.arms, others)
    arms = tuple(sorted(chain.arms, key=lambda arm: (_length(arm), arm.line)))
    found = template_of(scene, [arm.body for arm in arms])
    if found is None or len(found.holes) > _MOST_HOLES or not all(map(is_asked_twice, chain.subjects)):
        return None
    if sum(len(arm.keys) for arm in arms) < _FEWEST or _keeps_values_for(scene.node, found):
        return None
    if all(_is_the_key(hole, arms) for hole in found.holes):
        raise Untouchable("each arm works with the very value that it asks for: one test with `in` says it")
    whole = _with_rest(scene, chain, arms, found) if not others else None
    plan = _planned(scene, chain, arms, whole, others, True) if whole is not None else None
    return plan or _planned(scene, chain, arms, found, others)


def _is_the_key(hole: Hole, arms: tuple[Arm, ...]) -> bool:
    """Whether a table would hold nothing but its own keys."""
    keys = [ast.dump(arm.keys[0]) if len(arm.keys) == 1 else "" for arm in arms]
    return not hole.text and [ast.dump(value) for value in hole.values] == keys


def _length(arm: Arm) -> int:
    """How many lines it takes: what is written on one line stays so."""
    return (arm.body[-1].end_lineno or 0) - arm.body[0].lineno


def _keeps_values_for(function: FunctionNode, found: Template) -> bool:
    """Whether a text for translators would come out of the place where these look for it."""
    called = [ast.unparse(n.func).rpartition(".")[2] for s in found.body for n in walk(s) if isinstance(n, ast.Call)]
    return any(name == "_" or "gettext" in name for name in called)


def _planned(
    scene: Scene,
    chain: Chain,
    arms: tuple[Arm, ...],
    found: Template,
    others: tuple[Arm, ...],
    always: bool = False,
) -> Plan | None:
    """`always`: the default is the last arm of `found`, so that it is done for whatever comes; None where that would be
    longer than a line."""
    check_keys(chain.keys)
    sheet = scene.sheet()
    first, last = lines_of(sheet, chain)
    plain = all(isinstance(subject, ast.Name) for subject in chain.subjects)
    words = hole_words(scene, found, always=always and not plain and not _begins_with_it(found))
    by_line = {arm.line: at for at, arm in enumerate(arms)}
    rows, told = _rows(scene, sheet, chain, [by_line[arm.line] for arm in chain.arms], found, first)
    if chain.default is not None and not chain.rest:
        told += said_of_default(sheet, chain, last)
    for arm in others:
        told += comments_of_arm(sheet, arm, first)
    if Counter(comments_of(sheet, first, last)) - Counter(told):
        raise Untouchable("comments stand between its arms; they would lose their place")
    table = f"{{\n{''.join(rows)}}}"
    there = table_there(scene, table)
    name = there or _table_name(scene, chain, found, words)
    subject = subject_code(sheet, chain)
    asked = f"{name}.get({subject}, {_row(sheet, found, len(arms))})" if always else f"{name}[{subject}]"
    lines = once_for_all(sheet, arms[0], found, words, asked)
    if always and any(len(text) + len(sheet.indent(first)) > scene.line_length for text in lines):
        return None
    if any(len(text) > scene.line_length for text in rows):
        raise Untouchable("a row of its table would be longer than a line; call-table makes functions of its arms")
    replace_chain(scene, sheet, chain, first, last, name, "\n".join(lines), others, leaves(found.body), always)
    if not there:
        put_table(scene, sheet, f"{name} = {table}\n")
    subjects = " and ".join(ast.unparse(s) for s in chain.subjects)
    reason = f"what {len(chain.keys)} arms do alike by {subjects} is done once, with the table {name}"
    if others:
        reason += "; one arm stays in front" if len(others) == 1 else f"; {len(others)} arms stay in front"
    return Plan(first, reason, sheet.result(), (name,))


def _row(sheet: Sheet, found: Template, at: int) -> str:
    codes = [hole_code(sheet, hole, at) for hole in found.holes]
    return codes[0] if len(codes) == 1 else f"({', '.join(codes)})"


def _begins_with_it(found: Template) -> bool:
    """Whether the value is worked out before anything else that could fail."""
    match found.body[0]:
        case ast.Return(value=value) | ast.Assign(value=value) | ast.AugAssign(target=ast.Name(), value=value):
            return is_one_value(found) and value is found.holes[0].places[0]
    return False


def _with_rest(scene: Scene, chain: Chain, arms: tuple[Arm, ...], found: Template) -> Template | None:
    """The same with the default as one more arm, where it does what they do and nothing is said of it."""
    if chain.default is None or chain.rest:
        return None
    both = template_of(scene, [*(arm.body for arm in arms), list(chain.default)])
    said = said_of_default(scene.sheet(), chain, chain.default[-1].end_lineno or 0)
    return both if both is not None and not said and len(both.holes) == len(found.holes) else None


def _rows(
    scene: Scene, sheet: Sheet, chain: Chain, order: list[int], found: Template, first: int
) -> tuple[list[str], list[str]]:
    unit = sheet.unit(scene.node)
    rows: list[str] = []
    told: list[str] = []
    for arm, at in zip(chain.arms, order, strict=True):
        said = comments_of_arm(sheet, arm, first)
        if any(map(is_directive, said)):
            raise Untouchable("a comment for a tool stands at an arm; it would lose its line")
        if comments_of(sheet, arm.body[0].lineno, (arm.body[-1].end_lineno or 0) - 1):
            raise Untouchable("comments stand inside an arm, and speak of its lines; call-table keeps them there")
        told += said
        value = _row(sheet, found, at)
        made = [f"{unit}{key_code(sheet, key)}: {value},\n" for key in arm.keys]
        if len(said) == len(made) == 1 and said[0] == sheet.comment_beside(arm.body[-1]):
            made, said = [f"{made[0].rstrip()}  {said[0]}\n"], []
        rows += [*(f"{unit}{comment}\n" for comment in said), *made]
    return rows, told


def _table_name(scene: Scene, chain: Chain, found: Template, words: dict[int, str]) -> str:
    """`ERROR_BY_STATUS`: what differs, by what; the function's own words where that says nothing."""
    subject = asked_words(scene.node, chain.subjects)
    said = next((hole.word for hole in found.holes if hole.word not in _GENERAL and len(hole.word) > 2), "")
    chosen = words_of(said) if said else three_of(given_by(scene))
    wished = ", ".join(ast.unparse(s) for s in chain.subjects)
    plain = [*chosen, "by", *subject] if subject and not set(subject) <= set(chosen) else [*chosen, "table"]
    try:
        return table_name(scene, wished, plain, chain.first.lineno)
    except Untouchable:
        own = three_of(words_of(scene.node.name.strip("_")))
        return table_name(scene, wished, [*own, *plain], chain.first.lineno)
