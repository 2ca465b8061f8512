"""What arms of a chain differ in: how a row has it, what it is called, and the lines that stand once for all."""

import ast
from collections.abc import Collection
from typing import Protocol

from dreck.source.walking import walk
from dreck.steps.replace.tables.arms.table_lines import value_code
from dreck.steps.replace.tables.arms.template import Hole, Template, each_place, f_string
from dreck.steps.support.names.wording import is_free
from dreck.steps.support.scene import Scene
from dreck.steps.support.sheet import Sheet, dedented
from dreck.steps.support.trees import Untouchable


def hole_code(sheet: Sheet, hole: Hole, at: int) -> str:
    value = hole.values[at]
    if not hole.text:
        return value_code(sheet, value)
    code = repr(value.value)  # type: ignore[attr-defined]
    return f'"{code[1:-1]}"' if code.startswith("'") and '"' not in code and "\\" not in code else code


def hole_words(scene: Scene, found: Template, given: Collection[str] = (), always: bool = False) -> dict[int, str]:
    """What each hole is called in the lines, where it needs a name (or `always`): not as anything the function knows,
    nor as `given`. Raises Untouchable where there is no good name."""
    taken = {n.id for n in walk(scene.node) if isinstance(n, ast.Name)} | scene.scope.params | {scene.node.name, *given}
    words: dict[int, str] = {}
    if is_one_value(found) and not always:
        return words
    for hole in found.holes:
        word = hole.word if hole.word not in ("", "value") else _by_kind(hole)
        tries = (word, f"its_{word}") if word else ()
        name = next((w for w in tries if w.isidentifier() and is_free(w, taken) and w not in words.values()), "")
        if not name or f"its_{name}" in words.values() or name.removeprefix("its_") in words.values():
            told = ", ".join(ast.unparse(v) for v in hole.values)
            raise Untouchable(f"no good name was found for what its arms differ in ({told}); see call-table")
        words[id(hole)] = name
        taken.add(name)
    return words


def is_one_value(found: Template) -> bool:
    """Whether the row itself can stand in the place of what differs."""
    return len(found.holes) == 1 and len(found.holes[0].places) == 1 and not found.holes[0].text


def _by_kind(hole: Hole) -> str:
    """What values are, where nothing says what they are for: texts, amounts."""
    kinds = {type(v.value) for v in hole.values if isinstance(v, ast.Constant)}
    if not all(isinstance(v, ast.Constant) for v in hole.values):
        return ""
    return "text" if kinds == {str} else "amount" if kinds <= {int, float} else "flag" if kinds == {bool} else ""


class Doing(Protocol):
    """An arm, or a band: what it does."""

    @property
    def body(self) -> list[ast.stmt]: ...


def once_for_all(sheet: Sheet, arm: Doing, found: Template, words: dict[int, str], asked: str) -> list[str]:
    """What all arms do, once: with the row itself in the place of a single value, else with the values of the row.

    `asked` is what gives the row; without it the values have their names already.
    """
    direct = is_one_value(found) and not words
    edits = [(place, asked if direct else words[id(hole)]) for place, hole in each_place(found)]
    edits += [(node, f_string(node, holes, words)) for node, holes in found.written]
    start, end, indent = _lines_of(sheet, arm)
    whole = sheet.text[start:end]
    for node, code in sorted(edits, key=lambda edit: -sheet.of(edit[0]).start):
        place = sheet.of(node)
        whole = whole[: place.start - start] + code + whole[place.end - start :]
    lines = [_bare(text) for text in dedented(whole, indent)]
    if direct or not asked:
        return lines
    return [f"{', '.join(words[id(hole)] for hole in found.holes)} = {asked}", *lines]


def _lines_of(sheet: Sheet, arm: Doing) -> tuple[int, int, str]:
    """Where the text of an arm begins and ends, and its indentation; of one on the line of its test the rest of that.
    Raises Untouchable when it begins there and goes on below."""
    first, last = arm.body[0], arm.body[-1]
    indent, line = sheet.indent(first.lineno), last.end_lineno or 0
    if len(indent.encode()) == first.col_offset:
        return sheet.line_start(first.lineno), sheet.line_start(line + 1), indent
    if len(arm.body) > 1 or first.lineno != line:
        raise Untouchable("an arm stands on the line of its test")
    place = sheet.of(first)
    return place.start, place.end, ""


def _bare(text: str) -> str:
    """A line without the comment behind it, which went to its row."""
    code, mark, _ = text.partition("  #")
    return code.rstrip() if mark and code.count('"') % 2 == 0 and code.count("'") % 2 == 0 else text
