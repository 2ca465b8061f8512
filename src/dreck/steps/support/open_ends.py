"""Open ends: a ladder whose last arm is for all kinds but some (`elif kind != "glass":`), spelt out as arms."""

import ast
from collections.abc import Callable, Iterator
from dataclasses import replace

from dreck.source.functions import functions_in, parse
from dreck.source.walking import walk
from dreck.steps.support.chains import Reader
from dreck.steps.support.scene import NotPlanned, Plan, Scene
from dreck.steps.support.sheet import Sheet

_OPPOSITES: dict[type[ast.cmpop], type[ast.cmpop]] = {ast.NotEq: ast.Eq, ast.IsNot: ast.Is, ast.NotIn: ast.In}


def with_open_ends(
    scene: Scene, plans: Callable[[Scene], Iterator[Plan | NotPlanned]]
) -> Iterator[Plan | NotPlanned]:
    """What is planned for the function; where nothing is, what is planned once such arms are spelt out."""
    refused: list[NotPlanned] = []
    any_plan = False
    for found in plans(scene):
        any_plan = any_plan or isinstance(found, Plan)
        if any_plan:
            yield found
        elif isinstance(found, NotPlanned):
            refused.append(found)
    spelt = None if any_plan else spelt_out(scene)
    more = [found for found in plans(spelt) if isinstance(found, Plan)] if spelt is not None else []
    yield from more or refused


def spelt_out(scene: Scene) -> Scene | None:
    """The function with `elif kind == "glass": pass` and an `else` for the last arm of each such ladder; None where
    there is none."""
    sheet = scene.sheet()
    found = [(last, opposite) for last, opposite in _open_ends(scene.node) if _stands_alone(sheet, last)]
    for last, opposite in found:
        _spell(sheet, scene, last, opposite)
    if not found:
        return None
    text = sheet.result()
    tree = parse(text, scene.path)
    functions = functions_in(tree, text)
    function = next(f for f in functions if f.name == scene.function.name)
    return replace(scene, text=text, tree=tree, functions=functions, function=function)


def _open_ends(function: ast.AST) -> Iterator[tuple[ast.If, ast.Compare]]:
    """The last arms, each with the test that holds where its own does not."""
    read = Reader()
    for s in walk(function):
        asked = read(s.test) if isinstance(s, ast.If) else None
        if asked is None or not isinstance(s, ast.If):
            continue
        match s.orelse:
            case [ast.If(test=ast.Compare(left=left, ops=[op], comparators=[right]), orelse=[]) as last]:
                if type(op) not in _OPPOSITES:
                    continue
                opposite = ast.Compare(left, [_OPPOSITES[type(op)]()], [right])
                other = read(opposite)
                if other is not None and [*map(ast.dump, other[0])] == [*map(ast.dump, asked[0])]:
                    yield last, opposite


def _stands_alone(sheet: Sheet, last: ast.If) -> bool:
    """Whether nothing but the test stands on the line of its head."""
    ends = last.test.end_lineno or last.test.lineno
    return ends < last.body[0].lineno and sheet.line(ends).split("#")[0].rstrip() == sheet.line(ends).rstrip()


def _spell(sheet: Sheet, scene: Scene, last: ast.If, opposite: ast.Compare) -> None:
    assert isinstance(last.test, ast.Compare)
    left, right = sheet.code(last.test.left), sheet.code(last.test.comparators[0])
    word = next(told for kind, told in _WORDS.items() if isinstance(opposite.ops[0], kind))
    pad, unit = sheet.indent(last.lineno), sheet.unit(scene.node)
    sheet.replace(sheet.in_parentheses(last.test), f"{left} {word} {right}")
    sheet.insert((last.test.end_lineno or last.test.lineno) + 1, f"{pad}{unit}pass\n{pad}else:\n")


_WORDS: dict[type[ast.cmpop], str] = {ast.Eq: "==", ast.Is: "is", ast.In: "in"}
