"""Lines of a table and of what asks it: a value as it is written in a row, a default as it stands."""

import ast

from dreck.source.walking import walk
from dreck.steps.support.chains import Chain, comments_of
from dreck.steps.support.scene import Scene
from dreck.steps.support.sheet import Sheet, one_line, reindented
from dreck.steps.support.trees import Untouchable


def value_code(sheet: Sheet, value: ast.expr) -> str:
    first, last = value.lineno, value.end_lineno or value.lineno
    if sheet.lines_inside_texts(first, last):
        raise Untouchable(f"a text over several lines stands in it (line {first})")
    return one_line(sheet.value(value))


def is_ladder(default: list[ast.stmt], lines: list[str]) -> bool:
    """Whether a default, in its lines, is no more than tests of its own, with nothing said above them."""
    return len(default) == 1 and isinstance(default[0], ast.If) and lines[0].startswith("if ")


def as_tail(sheet: Sheet, first: int, lines: list[str], unit: str) -> list[str]:
    """Lines for what begins at `first`: where that is an `elif`, they go on with its ladder, or stand in its `else`."""
    if not sheet.line(first).lstrip().startswith("elif"):
        return lines
    if lines[0].startswith("if ") and all(text.startswith((unit, "el")) for text in lines[1:] if text):
        return [f"el{lines[0]}", *lines[1:]]
    return ["else:", *reindented(lines, unit)]


def body_lines(sheet: Sheet, chain: Chain) -> list[str]:
    """The lines of the default, comments above them included, without their indentation."""
    assert chain.default is not None
    first, last = chain.default[0].lineno, chain.default[-1].end_lineno or chain.default[-1].lineno
    indent = sheet.indent(first)
    if len(indent.encode()) != chain.default[0].col_offset:
        raise Untouchable("its default stands on the line of its else")
    while sheet.line(first - 1).strip().startswith("#") and sheet.indent(first - 1) == indent:
        first -= 1
    lines = [sheet.line(n).rstrip("\r\n").removeprefix(indent) for n in range(first, last + 1)]
    asked = chain.default[0].lineno - first
    lines[asked] = lines[asked].removeprefix("el") if lines[asked].startswith("elif") else lines[asked]
    return [*said_at_else(sheet, chain.default[0]), *lines]


def said_of_default(sheet: Sheet, chain: Chain, last: int) -> list[str]:
    """The comments that `body_lines` takes along, and those within the default, down to the line `last`."""
    assert chain.default is not None
    line = chain.default[0].lineno
    while sheet.line(line - 1).strip().startswith("#"):
        line -= 1
    return [*said_at_else(sheet, chain.default[0]), *comments_of(sheet, line, last)]


def said_at_else(sheet: Sheet, first: ast.stmt) -> list[str]:
    """The comments beside the `else:` of a statement that comes first there, and above it, as deep as it stands."""
    line, inner = first.lineno - 1, sheet.indent(first.lineno)
    while sheet.line(line).strip().startswith("#") and sheet.indent(line) == inner:
        line -= 1
    if not sheet.line(line).strip().startswith("else:"):
        return []
    indent, found = sheet.indent(line), comments_of(sheet, line, line)
    while sheet.line(line - 1).strip().startswith("#") and sheet.indent(line - 1) == indent:
        line -= 1
        found.insert(0, sheet.line(line).strip())
    return found


def drop_dead_default(scene: Scene, sheet: Sheet, chain: Chain, targets: tuple[str, ...], asking: list[str]) -> None:
    """A constant given to the variable just before goes where the line behind it gives the variable a value in any
    case, and nobody can see it in between."""
    before = chain.block[chain.start - 1] if chain.start else None
    match before:
        case ast.Assign(targets=[ast.Name(id=name)], value=ast.Constant()) if targets == (name,) and len(asking) == 1:
            pass
        case _:
            return
    line, caught = before.lineno, (ast.Try, ast.TryStar, ast.With, ast.AsyncWith)
    alone = sheet.line(line).strip() == sheet.code(before) and before.end_lineno == line
    read = sum(isinstance(n, ast.Name) and n.id == name for n in walk(ast.parse(asking[0]))) if alone else 2
    if read == 1 and name not in scene.scope.captured and not any(isinstance(n, caught) for n in walk(scene.node)):
        sheet.replace_lines(line, line, "")
