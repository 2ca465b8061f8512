"""One thing asked with one key after the other, where each answer is worked out in a way of its own."""

import ast
import builtins
from collections.abc import Iterator
from dataclasses import dataclass

from dreck.model.names.scopes import scope_of
from dreck.source.walking import walk
from dreck.steps.replace.probes import free_name, listed_name
from dreck.steps.replace.tables.arms.amounts import amounts_of
from dreck.steps.support.chains import all_blocks, comments_of, put_table
from dreck.steps.support.scene import NotPlanned, Plan, Scene
from dreck.steps.support.trees import Untouchable

_FEWEST = 2


@dataclass(frozen=True, slots=True)
class Answering:
    """`m = match("a+", line)`, `if m: return (m.group(), 3)`, again and again, with other texts and other answers."""

    block: list[ast.stmt]
    start: int
    end: int
    ways: tuple[ast.expr, ...]
    name: str
    test: ast.expr
    answers: tuple[ast.expr, ...]


def answering_plans(scene: Scene) -> Iterator[Plan | NotPlanned]:
    """Every row of two such questions or more."""
    for block in all_blocks(scene.node.body):
        at = 0
        while at < len(block):
            found = _answering(block, at)
            if found is None or len(found.ways) < _FEWEST:
                at += 1
                continue
            at = found.end
            try:
                yield _planned(scene, found)
            except Untouchable as error:
                yield NotPlanned(block[found.start].lineno, str(error))


def _answering(block: list[ast.stmt], start: int) -> Answering | None:
    at, ways, answers = start, list[ast.expr](), list[ast.expr]()
    name, test = "", None
    while at + 1 < len(block):
        match block[at : at + 2]:
            case [
                ast.Assign(targets=[ast.Name(id=own)], value=ast.Call() as way),
                ast.If(test=asked, body=[ast.Return(value=ast.expr() as answer)], orelse=[]),
            ] if not isinstance(answer, ast.Name | ast.Constant) and _names(asked) == {own}:
                if ways and (own != name or test is None or ast.dump(asked) != ast.dump(test)):
                    break
                name, test = own, asked
                ways.append(way)
                answers.append(answer)
                at += 2
            case _:
                break
    return Answering(block, start, at, tuple(ways), name, test, tuple(answers)) if test is not None else None


def _names(e: ast.AST) -> set[str]:
    return {n.id for n in walk(e) if isinstance(n, ast.Name)}


def _planned(scene: Scene, found: Answering) -> Plan:
    sheet = scene.sheet()
    first, last = found.block[found.start].lineno, found.block[found.end - 1].end_lineno or 0
    indent, unit = sheet.indent(first), sheet.unit(scene.node)
    if len(indent.encode()) != found.block[found.start].col_offset:
        raise Untouchable("it stands on the line of another statement")
    if comments_of(sheet, first, last):
        raise Untouchable("comments stand between its questions; they would lose their place")
    asked = amounts_of(sheet, found.ways, (str, int, float))
    if asked is None:
        raise Untouchable("they ask in several ways and work their answers out; make a function of each (named-block)")
    for answer in found.answers:
        _check_movable(scene, answer, found.name)
    if any(n.id == found.name for s in found.block[found.end :] for n in walk(s) if isinstance(n, ast.Name)):
        raise Untouchable(f"{found.name} is read behind them")
    table = listed_name(scene)
    of_patterns = any(word in asked.before for word in ("match(", "search("))
    key, made = free_name(scene, "pattern" if of_patterns else "key"), free_name(scene, "answer")
    rows = [
        f"{unit}({sheet.code(text)}, lambda {found.name}: {sheet.value(answer)}),"
        for text, answer in zip(asked.numbers, found.answers, strict=True)
    ]
    if any(len(row) > scene.line_length or "\n" in row for row in rows):
        raise Untouchable("an answer is too long for a row of a table; make a function of it first (named-block)")
    lines = [
        f"for {key}, {made} in {table}:",
        f"{unit}{found.name} = {asked.around(key)}",
        f"{unit}if {sheet.code(found.test)}:",
        f"{unit}{unit}return {made}({found.name})",
    ]
    sheet.replace_lines(first, last, "".join(f"{indent}{line}\n" for line in lines))
    put_table(scene, sheet, f"{table} = (\n{''.join(f'{row}{chr(10)}' for row in rows)})\n")
    told = f"{len(rows)} questions and their answers are the rows of {table}"
    return Plan(first, told, sheet.result(), (table,))


def _check_movable(scene: Scene, answer: ast.expr, name: str) -> None:
    """Raises Untouchable for an answer that works with more than was found."""
    if any(isinstance(n, ast.Await | ast.Yield | ast.YieldFrom | ast.NamedExpr | ast.Lambda) for n in walk(answer)):
        raise Untouchable(f"the answer `{ast.unparse(answer)}` does more than read what was found")
    own = scope_of(scene.node)
    others = (_names(answer) - {name}) & (own.local | own.params)
    if others:
        told = f"the answer `{ast.unparse(answer)}` works with {min(others)}, too"
        raise Untouchable(f"{told}; make a function of it first (named-block)")
    unknown = [n for n in _names(answer) - {name} if not hasattr(builtins, n) and scene.names.kind(n) == "unknown"]
    if unknown:
        raise Untouchable(f"where {unknown[0]} comes from is not known")
