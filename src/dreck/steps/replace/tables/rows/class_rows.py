"""Class rows: a chain of `isinstance` that chooses a value becomes rows of a class and its value, and one loop.

Part of `lookup-table`: no dict finds what derives from its keys, so the rows are asked in their order.
"""

import ast
from collections.abc import Iterator

from dreck.source.walking import walk
from dreck.steps.replace.families.kinds import type_chains
from dreck.steps.replace.tables.arms.outcomes import Outcome, is_fixed, outcome_of
from dreck.steps.replace.tables.arms.table_lines import body_lines, value_code
from dreck.steps.support.chains import Arm, Chain, comments_of, key_code, lines_of, put_table
from dreck.steps.support.names.table_names import table_name
from dreck.steps.support.names.wording import is_free
from dreck.steps.support.names.words import words_of
from dreck.steps.support.scene import NotPlanned, Plan, Scene
from dreck.steps.support.sheet import Sheet, reindented
from dreck.steps.support.trees import Untouchable

_FEWEST = 3
_SHORTEST = 3
_SMALL_WORDS = frozenset({"get", "for", "of", "the", "find"})


def class_rows(scene: Scene) -> Iterator[Plan | NotPlanned]:
    """Every chain of the function on the class of a value whose arms only choose a fixed value."""
    for chain, exact in type_chains(scene, _FEWEST, nothing=True):
        outcomes = [o for arm in chain.arms if (o := outcome_of(arm.body)) is not None]
        alike = len({o.targets for o in outcomes}) == 1 and len(outcomes) == len(chain.arms)
        if exact or not alike or not all(is_fixed(scene, v) for o in outcomes for v in o.values):
            continue
        try:
            yield _planned(scene, chain, outcomes)
        except Untouchable as error:
            yield NotPlanned(chain.first.lineno, str(error))


def _planned(scene: Scene, chain: Chain, outcomes: list[Outcome]) -> Plan:
    targets = outcomes[0].targets
    if len(targets) > 1:
        raise Untouchable("it chooses several values by class; give each its own chain first (split-choice)")
    sheet = scene.sheet()
    first, last = lines_of(sheet, chain)
    if comments_of(sheet, first, last):
        raise Untouchable("comments stand in it, which the rows would leave behind; type-registry keeps them")
    subject = ast.unparse(chain.subjects[0])
    told = targets[0] if targets and len(targets[0]) >= _SHORTEST else scene.node.name.strip("_")
    chosen = [w for w in words_of(told) if w not in _SMALL_WORDS]
    name = table_name(scene, subject, [*chosen[:3], "by", "class"], first)
    kind, found = _loop_names(
        {n.id for n in walk(scene.node) if isinstance(n, ast.Name)} | scene.scope.params, chosen, scene.node.name
    )
    unit, indent = sheet.unit(scene.node), sheet.indent(first)
    lines = _asking(
        sheet, chain, (f"for {kind}, {found} in {name}:", f"if isinstance({subject}, {kind}):"), found, unit
    )
    if targets:
        lines = [text.replace(f"return {found}", f"{targets[0]} = {found}", 1) for text in lines]
    sheet.replace_lines(first, last, "".join(f"{indent}{text}\n" if text else "\n" for text in lines))
    rows = [f"{unit}({_class_code(sheet, arms)}, {value}),\n" for arms, value in _alike(sheet, chain, outcomes)]
    put_table(scene, sheet, f"{name} = (\n{''.join(rows)})\n")
    return Plan(
        chain.first.lineno, f"{len(rows)} values by the class of {subject} are rows of {name}", sheet.result(), (name,)
    )


def _asking(sheet: Sheet, chain: Chain, head: tuple[str, str], found: str, unit: str) -> list[str]:
    """The loop over the rows, and the default behind it or as its `else`."""
    returns = isinstance(chain.arms[0].body[-1], ast.Return)
    leave = [f"{unit * 2}return {found}"] if returns else [f"{unit * 2}return {found}", f"{unit * 2}break"]
    lines = [head[0], f"{unit}{head[1]}", *leave]
    if chain.default is None:
        return lines
    otherwise = body_lines(sheet, chain)
    return [*lines, *otherwise] if returns else [*lines, "else:", *reindented(otherwise, unit)]


def _alike(sheet: Sheet, chain: Chain, outcomes: list[Outcome]) -> list[tuple[list[Arm], str]]:
    """Arms that follow one another and choose the same are one row."""
    found: list[tuple[list[Arm], str]] = []
    for arm, outcome in zip(chain.arms, outcomes, strict=True):
        value = value_code(sheet, outcome.values[0])
        if found and found[-1][1] == value:
            found[-1][0].append(arm)
        else:
            found.append(([arm], value))
    return found


def _class_code(sheet: Sheet, arms: list[Arm]) -> str:
    codes = [key_code(sheet, key) for arm in arms for key in arm.keys]
    return codes[0] if len(codes) == 1 else f"({', '.join(codes)})"


def _loop_names(taken: set[str], chosen: list[str], named: str) -> tuple[str, str]:
    """What a class and its value are called in the loop; not as the function is, which is `named`."""
    word = chosen[-1] if chosen else "value"
    values = (word if len(chosen) > 1 or word != named else "", f"its_{word}", "its_value", "found_value")
    found = next((n for n in values if n and is_free(n, taken)), "")
    kind = next((n for n in ("kind", "cls", "row_kind", "asked_kind") if n != found and is_free(n, taken)), "")
    if not kind or not found:
        raise Untouchable("the names its loop would use are taken")
    return kind, found
