"""Rule rows: tests in a row that each add a word to one list become rows of a table and one loop over them."""

import ast
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass

from dreck.source.walking import walk
from dreck.steps.naming.predicates import awaits, has_private, locals_read, why_not
from dreck.steps.replace.tables.arms.outcomes import is_fixed
from dreck.steps.replace.tables.rows.call_rows import as_parameter
from dreck.steps.replace.tables.rows.runs import planned_runs
from dreck.steps.support.arm_comments import comments_of_arm
from dreck.steps.support.chains import comments_of, put_table
from dreck.steps.support.names.table_names import own_constant
from dreck.steps.support.names.wording import constant_name, is_free
from dreck.steps.support.names.words import words_of
from dreck.steps.support.scene import NotPlanned, Plan, Scene
from dreck.steps.support.sheet import Sheet, one_line
from dreck.steps.support.trees import Untouchable

_MOST_NAMES = 3


@dataclass(frozen=True, slots=True)
class Rule:
    """`if TEST: WORDS.append(ADDED)`."""

    line: int
    test: ast.expr
    body: list[ast.stmt]
    words: str
    added: ast.expr


def plans(scene: Scene) -> Iterator[Plan | NotPlanned]:
    """Every run of three rules or more for one list."""
    return planned_runs(scene, lambda block, at: len(_run(block, at)), lambda run: _planned(scene, run, _run(run, 0)))


def _run(block: list[ast.stmt], start: int) -> list[Rule]:
    found: list[Rule] = []
    for s in block[start:]:
        rule = _rule(s)
        if rule is None or (found and rule.words != found[0].words):
            break
        found.append(rule)
    return found


def _rule(s: ast.stmt) -> Rule | None:
    if not isinstance(s, ast.If) or s.orelse or len(s.body) != 1:
        return None
    match s.body[0]:
        case ast.Expr(
            value=ast.Call(func=ast.Attribute(value=ast.Name(id=words), attr="append"), args=[added], keywords=[])
        ):
            return Rule(s.lineno, s.test, s.body, words, added)
    return None


def _planned(scene: Scene, block: list[ast.stmt], run: list[Rule]) -> Plan:
    given = list(dict.fromkeys(name for rule in run for name in locals_read(scene, rule.test)))
    for rule in run:
        reason = why_not(rule.test) or ("it awaits" if awaits(rule.test) else "")
        if reason or has_private(rule.test):
            raise Untouchable(reason or "it reads a private name of its class")
        if not is_fixed(scene, rule.added):
            raise Untouchable(f"`{ast.unparse(rule.added)}` is worked out: only fixed words stand in rows of rules")
    if run[0].words in given or len(given) > _MOST_NAMES or not given:
        told = ", ".join(given) or "nothing"
        raise Untouchable(f"its rules are about {told}: one to {_MOST_NAMES} things make a list of rules")
    sheet = scene.sheet()
    first, last = run[0].line, block[-1].end_lineno or block[-1].lineno
    while sheet.line(first - 1).strip().startswith("#") and sheet.indent(first - 1) == sheet.indent(first):
        first -= 1
    indent, unit = sheet.indent(first), sheet.unit(scene.node)
    rows, told_beside = _rows(sheet, run, given, first - 1, unit)
    if Counter(comments_of(sheet, first, last)) - Counter(told_beside):
        raise Untouchable("comments stand between its rules; they would lose their place")
    if any(len(row) > scene.line_length for row in rows):
        raise Untouchable("a rule is too long for a row; give its condition a name first (named-predicate)")
    words = [w for w in words_of(scene.node.name.strip("_")) if w not in ("get", "find", "list", "the")]
    name = own_constant(scene, constant_name([*words[:2], "rules"], scene.all_words()))
    added, applies = _free(scene, "message" if _are_texts(run) else "found"), _free(scene, "applies")
    put_table(scene, sheet, f"{name} = (\n{''.join(f'{row}{chr(10)}' for row in rows)})\n")
    asked = as_parameter(scene, sheet, name, [], "rules") if scene.wishes.form == "parameter" else name
    lines = [
        f"for {added}, {applies} in {asked}:",
        f"{unit}if {applies}({', '.join(given)}):",
        f"{unit}{unit}{run[0].words}.append({added})",
    ]
    sheet.replace_lines(first, last, "".join(f"{indent}{line}\n" for line in lines))
    return Plan(run[0].line, f"{len(run)} rules are rows of {name}", sheet.result(), (name,))


def _rows(sheet: Sheet, run: list[Rule], given: list[str], first: int, unit: str) -> tuple[list[str], list[str]]:
    """The rows, each below what is said of its rule; and all that is said."""
    rows: list[str] = []
    told: list[str] = []
    for rule in run:
        said = comments_of_arm(sheet, rule, first)
        told += said
        rows += [f"{unit}{comment}" for comment in said]
        test = one_line(sheet.code(rule.test))
        rows.append(f"{unit}({sheet.code(rule.added)}, lambda {', '.join(given)}: {test}),")
    return rows, told


def _are_texts(run: list[Rule]) -> bool:
    return all(isinstance(rule.added, ast.Constant) and isinstance(rule.added.value, str) for rule in run)


def _free(scene: Scene, stem: str) -> str:
    taken = {n.id for n in walk(scene.node) if isinstance(n, ast.Name)} | scene.scope.params
    if not is_free(stem, taken):
        raise Untouchable(f"the name {stem} is taken in the function")
    return stem
