"""Open ends of ladders, spelt out: a last arm that is for all kinds but some (`elif kind != "glass":`), and arms that
come to the plain return behind the ladder, where others return."""

import ast
from collections.abc import Callable, Iterator

from dreck.model.views.shape import leaves
from dreck.source.walking import walk
from dreck.steps.naming.blocks import own_statements
from dreck.steps.support.chains import Reader
from dreck.steps.support.scene import NotPlanned, Plan, Scene
from dreck.steps.support.sheet import Sheet

_OPPOSITES: dict[type[ast.cmpop], type[ast.cmpop]] = {ast.NotEq: ast.Eq, ast.IsNot: ast.Is, ast.NotIn: ast.In}


def with_open_ends(scene: Scene, plans: Callable[[Scene], Iterator[Plan | NotPlanned]]) -> Iterator[Plan | NotPlanned]:
    """What is planned for the function; where nothing is, what is planned once such ends are spelt out."""
    refused: list[NotPlanned] = []
    any_plan = False
    for found in plans(scene):
        any_plan = any_plan or isinstance(found, Plan)
        if any_plan:
            yield found
        elif isinstance(found, NotPlanned):
            refused.append(found)
    for spelt in () if any_plan else (_all_others(scene), _plain_returns(scene)):
        more = [found for found in plans(spelt) if isinstance(found, Plan)] if spelt is not None else []
        if more:
            yield from more
            return
    yield from refused


def _all_others(scene: Scene) -> Scene | None:
    """The function with `elif kind == "glass": pass` and an `else` for the last arm of each such ladder; None where
    there is none."""
    sheet = scene.sheet()
    found = [(last, opposite) for last, opposite in _open_ends(scene.node) if _stands_alone(sheet, last)]
    for last, opposite in found:
        _spell(sheet, scene, last, opposite)
    return scene.with_text(sheet.result()) if found else None


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


# --- arms that come to the return behind ---------------------------------------------------------------


def _plain_returns(scene: Scene) -> Scene | None:
    """The function with the plain return behind its last ladder in each arm that comes to it; None where no arm returns
    on its own, or more than that return stands behind."""
    body = scene.node.body
    behind = body[-1] if isinstance(body[-1], ast.Return) else None
    ladder = body[-2] if behind is not None and len(body) > 1 else body[-1]
    if not isinstance(ladder, ast.If) or (behind is not None and not _is_plain(behind.value)):
        return None
    sheet = scene.sheet()
    arms, is_whole = _arms_of(ladder)
    open_ = [arm for arm in arms if not leaves(arm)]
    if len(open_) == len(arms) or not open_ or not any(own_statements(arm, ast.Return) for arm in arms):
        return None
    if any(len(sheet.indent(arm[0].lineno).encode()) != arm[0].col_offset for arm in open_):
        return None
    told = "return None" if behind is None else sheet.code(behind)
    for arm in open_:
        indent, ends = sheet.indent(arm[0].lineno), arm[-1].end_lineno or arm[-1].lineno
        below = sheet.comments_below(ends, indent)
        sheet.insert(max([ends, *below]) + 1, f"{indent}{told}\n")
    if is_whole and behind is not None:
        if sheet.comment_beside(behind) or sheet.line(behind.lineno - 1).strip().startswith("#"):
            return None
        sheet.remove_lines(behind.lineno, behind.end_lineno or behind.lineno)
    return scene.with_text(sheet.result())


def _is_plain(value: ast.expr | None) -> bool:
    return value is None or isinstance(value, ast.Constant)


def _arms_of(s: ast.If) -> tuple[list[list[ast.stmt]], bool]:
    """The bodies of a ladder's arms, and whether an `else` is the last of them."""
    found = [s.body]
    while len(s.orelse) == 1 and isinstance(s.orelse[0], ast.If):
        s = s.orelse[0]
        found.append(s.body)
    return ([*found, s.orelse], True) if s.orelse else (found, False)
