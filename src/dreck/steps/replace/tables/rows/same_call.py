"""Arms that do the same thing with another constant: the constants become a table, and it is done once."""

import ast
from collections import Counter
from collections.abc import Iterator

from dreck.steps.replace.tables.arms.amounts import Amounts, amounts_of
from dreck.steps.replace.tables.arms.chain_lines import replace_chain
from dreck.steps.replace.tables.arms.meant_for import does_more
from dreck.steps.replace.tables.arms.outcomes import outcome_of
from dreck.steps.replace.tables.arms.table_lines import said_of_default
from dreck.steps.replace.tables.rows.alike_arms import alike
from dreck.steps.support.arm_comments import comments_of_arm
from dreck.steps.support.chains import (
    Chain,
    check_keys,
    comments_of,
    is_asked_twice,
    key_code,
    lines_of,
    put_table,
    subject_code,
)
from dreck.steps.support.names.table_names import table_name, three_of
from dreck.steps.support.names.words import thing_name, words_of
from dreck.steps.support.scene import NotPlanned, Plan, Scene
from dreck.steps.support.sheet import Sheet
from dreck.steps.support.trees import Untouchable


def doing(scene: Scene, chain: Chain) -> Iterator[Plan | NotPlanned]:
    """A chain whose arms do something: the same with other constants, or what is no choice of a value."""
    if all(outcome_of(arm.body, attributes=True) is not None for arm in chain.arms):
        return
    try:
        plan = _same_call(scene, chain) or alike(scene, chain)
    except Untouchable as error:
        yield NotPlanned(chain.first.lineno, str(error))
    else:
        yield plan or does_more(chain.first.lineno, chain.arms)


def _same_call(scene: Scene, chain: Chain) -> Plan | None:
    """The plan for a chain whose arms make one call that differs in one constant; None for any other chain."""
    calls = [arm.body[0].value for arm in chain.arms if len(arm.body) == 1 and isinstance(arm.body[0], ast.Expr)]
    if len(calls) != len(chain.arms) or not all(isinstance(call, ast.Call) for call in calls):
        return None
    sheet = scene.sheet()
    amounts = amounts_of(sheet, calls) or amounts_of(sheet, calls, (str,))
    if amounts is None or not all(map(is_asked_twice, chain.subjects)):
        return None
    told = [ast.dump(number) for number in amounts.numbers]
    if told == [ast.dump(arm.keys[0]) if len(arm.keys) == 1 else "" for arm in chain.arms]:
        raise Untouchable("each arm works with the very value that it asks for: one test with `in` says it")
    if _rest(sheet, chain) and not all(isinstance(subject, ast.Name) for subject in chain.subjects):
        return alike(scene, chain)  # what is asked first stays so
    return _planned(scene, sheet, chain, amounts)


def _planned(scene: Scene, sheet: Sheet, chain: Chain, amounts: Amounts) -> Plan:
    check_keys(chain.keys)
    first, last = lines_of(sheet, chain)
    told: list[str] = []
    rows: list[str] = []
    unit = sheet.unit(scene.node)
    for arm, constant in zip(chain.arms, amounts.numbers, strict=True):
        said = comments_of_arm(sheet, arm, first)
        told += said
        rows += [f"{unit}{comment}\n" for comment in said]
        rows += [f"{unit}{key_code(sheet, key)}: {sheet.code(constant)},\n" for key in arm.keys]
    if chain.default is not None and not chain.rest:
        told += said_of_default(sheet, chain, last)
    if Counter(comments_of(sheet, first, last)) - Counter(told):
        raise Untouchable("comments stand between its arms; they would lose their place")
    subjects = [ast.unparse(s) for s in chain.subjects]
    subject = [w for s in chain.subjects for w in words_of(thing_name(s))]
    plain = [*words_of(amounts.word), "by", *subject]
    try:
        name = table_name(scene, ", ".join(subjects), plain, first)
    except Untouchable:
        own = three_of(words_of(scene.node.name.strip("_")))
        name = table_name(scene, ", ".join(subjects), [*own, *plain], first)
    asked, value = subject_code(sheet, chain), _rest(sheet, chain)
    call = amounts.around(f"{name}.get({asked}, {value})" if value else f"{name}[{asked}]")
    if value and len(call) + len(sheet.indent(first)) > scene.line_length:
        value, call = "", amounts.around(f"{name}[{asked}]")
    replace_chain(scene, sheet, chain, first, last, name, call, always=bool(value))
    put_table(scene, sheet, f"{name} = {{\n{''.join(rows)}}}\n")
    reason = f"{len(chain.keys)} constants by {' and '.join(subjects)} are the table {name}"
    return Plan(first, reason, sheet.result(), (name,))


def _rest(sheet: Sheet, chain: Chain) -> str:
    """The constant with which the default makes the call of the arms; '' where it does something else or is told of."""
    match chain.default:
        case [ast.Expr(value=ast.Call() as call)] if not chain.rest:
            first = chain.arms[0].body[0]
            assert isinstance(first, ast.Expr)
            both = amounts_of(sheet, [first.value, call]) or amounts_of(sheet, [first.value, call], (str,))
            said = said_of_default(sheet, chain, call.end_lineno or 0)
            return sheet.code(both.numbers[1]) if both is not None and not said else ""
    return ""
