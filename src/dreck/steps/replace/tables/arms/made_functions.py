"""Functions made of the arms of a chain, and the table that holds them: methods where an arm works on its object."""

import ast
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass

from dreck.model.names.scopes import assigned_in
from dreck.model.views.shape import leaves
from dreck.source.functions import instance_owner
from dreck.source.walking import walk
from dreck.steps.naming.blocks import (
    Block,
    answering_text,
    block_lines,
    block_text,
    check_block,
    check_handed,
    in_order,
    own_statements,
    passed_together,
    shortened,
    waits,
    yields,
)
from dreck.steps.naming.predicates import Helper, method_line, put_all, written
from dreck.steps.replace.summed import Summed, summed
from dreck.steps.replace.tables.arms.actions import function_name, merged
from dreck.steps.replace.tables.arms.chain_lines import call_lines, replace_chain
from dreck.steps.replace.tables.arms.method_calls import put_methods
from dreck.steps.support.arm_comments import comments_above
from dreck.steps.support.chains import Arm, Chain, comments_of, key_code, subject_code
from dreck.steps.support.scene import Plan, Scene
from dreck.steps.support.sheet import Sheet
from dreck.steps.support.trees import Untouchable, is_directive

_FEWEST = 3


@dataclass(frozen=True, slots=True)
class _Way:
    """How what is made of the arms is called, what it hands back, and what follows an arm that goes on."""

    own: str
    """The object whose methods they are; '' for functions of the module."""
    given: tuple[str, ...]
    results: tuple[str, ...]
    returning: bool
    waiting: bool
    tail: str | None
    total: Summed | None = None
    """What the arms add to, when what is made of them gives what is added."""

    @property
    def back(self) -> str:
        return f"return {', '.join(self.results)}" if self.results else "return"


@dataclass(frozen=True, slots=True)
class _Made:
    """What was made of the arms: names, definitions, the lines of the table, and the comments that moved there."""

    names: tuple[str, ...]
    codes: tuple[str, ...]
    rows: tuple[str, ...]
    told: tuple[str, ...]


def of_new_functions(
    scene: Scene, sheet: Sheet, chain: Chain, others: tuple[Arm, ...], first: int, last: int, naming: Callable[[], str]
) -> Plan:
    """Each arm as a function, the chain as a table of them; `naming` names one of the module. Raises Untouchable."""
    if len(chain.arms) < _FEWEST:
        raise Untouchable("two arms are told apart faster by a test than by a table of functions")
    chain, alike = merged(sheet, chain)
    blocks = [Block(arm.body, chain.first, False, (), False) for arm in chain.arms]
    way = _way_of(scene, chain, blocks)
    name = "" if way.own else naming()
    made = _made(scene, sheet, chain, alike, blocks, way, name, first)
    kept = [*(Counter(_comments_between(sheet, chain, others, first, last)) - Counter(made.told))]
    if kept:
        raise Untouchable(f"the comment '{kept[0]}' stands between its arms; it would lose its place")
    rows = "\n".join(made.rows)
    table = name or put_methods(scene, sheet, ast.Name(way.own), chain.subjects, rows, first)
    asked = _call(scene, sheet, chain, way, table, first)
    replace_chain(scene, sheet, chain, first, last, table, asked, others)
    if way.own:
        sheet.insert(method_line(scene), "".join(f"\n{code}" for code in made.codes))
    else:
        unit = sheet.unit(scene.node)
        rows = "".join(f"{unit}{row}\n" for row in made.rows)
        put_all(scene, sheet, [*made.codes, f"{table} = {{\n{rows}}}\n"])
    sort = "methods" if way.own else "functions"
    reason = f"{len(chain.keys)} actions are {sort} of their own, in the table {table}"
    if others:
        apart = "an arm that leaves" if len(others) == 1 else f"{len(others)} arms that leave"
        reason += f"; {apart} otherwise in front"
    return Plan(first, reason, sheet.result(), (table, *made.names))


def _way_of(scene: Scene, chain: Chain, blocks: list[Block]) -> _Way:
    spec = scene.node.args
    first = [*spec.posonlyargs, *spec.args][:1] if instance_owner(scene.function) else []
    own = next((p.arg for p in first if any(_speaks_of(p.arg, block) for block in blocks)), "")
    for block in blocks:
        check_block(scene, block, out_of_class=not own)
        if yields(block):
            raise Untouchable("an arm yields; what is made of it would be a generator of its own")
        if own_statements(block.body, ast.Continue):
            raise Untouchable("an arm continues the loop around it")
    leaving = {leaves(block.body) for block in blocks}
    returning = any(own_statements(block.body, ast.Return) for block in blocks)
    if _ends_with_nothing(scene, chain, blocks):
        returning = False  # what is returned is what the function gives anyway
    tail = _what_follows(scene, chain) if returning and leaving != {True} else None
    if returning and leaving != {True} and tail is None:
        raise Untouchable("some arms return and others go on; cut off what follows first (named-block)")
    given, results = passed_together(scene, blocks)
    given = [g for g in in_order(scene, given) if g != own]
    check_handed(given, results)
    if len(results) > 1 and all(len(assigned_in(block.body) & set(results)) < len(results) for block in blocks):
        raise Untouchable(
            f"no arm sets all of {', '.join(results)}, and each function would be handed them and hand them back; "
            "keep them in one dict or on one object first"
        )
    total = summed(blocks, results) if not any(map(waits, blocks)) else None
    handed = tuple(g for g in given if total is None or g != total.name)
    return _Way(own, handed, tuple(results), returning, any(map(waits, blocks)), tail, total)


def _made(
    scene: Scene,
    sheet: Sheet,
    chain: Chain,
    alike: dict[int, tuple[ast.expr, ...]],
    blocks: list[Block],
    way: _Way,
    name: str,
    first: int,
) -> _Made:
    home, unit = sheet.indent(scene.node.lineno) if way.own else "", sheet.unit(scene.node)
    taken = scene.all_words() | {name}
    names: list[str] = []
    codes: list[str] = []
    rows: list[str] = []
    told: list[str] = []
    for arm, block in zip(chain.arms, blocks, strict=True):
        function = function_name(scene, arm.keys[:1] if arm.line not in alike else alike[arm.line], taken, arm)
        taken.add(function)
        names.append(function)
        handed = (way.own, *way.given) if way.own else way.given
        helper = Helper(function, handed, tuple(_body(scene, sheet, block, way)), is_async=way.waiting)
        codes.append(written(scene, helper, home, unit, _returns(scene, way)))
        above = [comment for comment in comments_above(sheet, arm, first) if not is_directive(comment)]
        told += above
        held = f"{way.own}.{function}" if way.own else function
        rows += [*above, *(f"{key_code(sheet, key)}: {held}," for key in arm.keys)]
    return _Made(tuple(names), tuple(codes), tuple(rows), tuple(told))


def _body(scene: Scene, sheet: Sheet, block: Block, way: _Way) -> list[str]:
    """The lines of what is made of one arm."""
    place = block_lines(sheet, block)
    if way.total is not None:
        given = way.total.giving(block_text(scene, block, *place, way.back))
        if given is None:
            raise Untouchable("what an arm adds is not written as the last thing it does")
        return given
    answering = answering_text(scene, block, *place, way.results[0]) if len(way.results) == 1 else None
    body = answering if answering is not None else block_text(scene, block, *place, way.back)
    if answering is None and (way.results or way.tail) and not leaves(block.body):
        body = shortened([*body, way.tail or way.back], scene.line_length)
    if body[-1:] == ["return"] and len(body) > 1:
        body.pop()  # it ends there anyway
    return [line for line in body if line != "pass" or body[-1] == line]


def _call(scene: Scene, sheet: Sheet, chain: Chain, way: _Way, table: str, first: int) -> str:
    """What stands where the chain stood: what the table holds is called."""
    unit = sheet.unit(scene.node)
    call = f"{'await ' if way.waiting else ''}{table}[{subject_code(sheet, chain)}]"
    giving = f"{way.total.name} {way.total.sign}" if way.total is not None else f"{', '.join(way.results)} ="
    head = f"return {call}" if way.returning else f"{giving} {call}" if way.results else call
    deeper = "" if chain.default is not None and leaves(chain.default) else unit
    return call_lines(head, way.given, scene.line_length - len(f"{sheet.indent(first)}{deeper}".expandtabs(4)), unit)


def _speaks_of(own: str, block: Block) -> bool:
    """Whether it works on the object whose method it stands in: what is made of it is a method, too."""
    return any(isinstance(n, ast.Name) and n.id == own for s in block.body for n in walk(s))


def _what_follows(scene: Scene, chain: Chain) -> str | None:
    """The plain answer that follows a chain at the end of its function: arms that go on come to it, and give it."""
    if chain.block is not scene.node.body:
        return None
    match chain.block[chain.end :]:
        case []:
            return "return None"
        case [ast.Return(value=None | ast.Constant()) as last]:
            return ast.unparse(last) if last.value is not None else "return None"
    return None


def _ends_with_nothing(scene: Scene, chain: Chain, blocks: list[Block]) -> bool:
    """Whether the function ends with the chain, and neither an arm nor the default returns anything."""
    last = chain.block is scene.node.body and chain.end == len(chain.block)
    given = [r for block in (*(b.body for b in blocks), chain.default or []) for r in own_statements(block, ast.Return)]
    return last and all(r.value is None for r in given)  # type: ignore[attr-defined]


def _returns(scene: Scene, way: _Way) -> str:
    if way.returning and scene.node.returns is not None:
        return ast.unparse(scene.node.returns)
    return "" if way.results or way.returning else "None"


def _comments_between(sheet: Sheet, chain: Chain, others: tuple[Arm, ...], first: int, last: int) -> list[str]:
    """Comments that are in no arm and not in the default."""
    inside: list[str] = []
    for arm in (*chain.arms, *others):
        block = Block(arm.body, chain.first, False, (), False)
        inside += comments_of(sheet, *block_lines(sheet, block))
    if chain.default is not None:
        start = first_with_comments(sheet, chain.default)
        inside += comments_of(sheet, start, chain.default[-1].end_lineno or start)
    left = list(comments_of(sheet, first, last))
    for comment in inside:
        if comment in left:
            left.remove(comment)
    return left


def first_with_comments(sheet: Sheet, block: list[ast.stmt]) -> int:
    """The line a block begins on, with the comments above its first statement."""
    start = block[0].lineno
    while sheet.line(start - 1).strip().startswith("#"):
        start -= 1
    return start
