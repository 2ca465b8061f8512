"""call-table: a chain whose arms do things becomes a table of functions."""

import ast
from collections import Counter
from collections.abc import Iterator
from dataclasses import replace

from dreck.model.views.shape import leaves
from dreck.steps.catalogue import Step
from dreck.steps.naming.blocks import (
    Block,
    own_statements,
    yields,
)
from dreck.steps.replace.open_ends import with_open_ends
from dreck.steps.replace.tables import lookup_table
from dreck.steps.replace.tables.arms.actions import deed_of
from dreck.steps.replace.tables.arms.chain_lines import asked_once, check_outside, replace_chain
from dreck.steps.replace.tables.arms.long_rows import are_broken
from dreck.steps.replace.tables.arms.made_functions import first_with_comments, of_new_functions
from dreck.steps.replace.tables.arms.meant_for import class_ladders
from dreck.steps.replace.tables.arms.method_calls import MethodCalls, method_calls, put_methods
from dreck.steps.replace.tables.arms.odd_cases import odd_cases
from dreck.steps.replace.tables.arms.outcomes import is_fixed, outcome_of
from dreck.steps.replace.tables.arms.untold import with_untold
from dreck.steps.replace.tables.rows.fitting_rows import fitting_rows
from dreck.steps.support.arm_comments import comments_of_arm
from dreck.steps.support.chains import (
    Arm,
    Chain,
    Reader,
    chains,
    check_keys,
    comments_of,
    key_code,
    lines_of,
    put_table,
    subject_code,
)
from dreck.steps.support.names.agents import agent_of
from dreck.steps.support.names.short_names import asked_words
from dreck.steps.support.names.table_names import table_name, three_of
from dreck.steps.support.scene import NotPlanned, Plan, Scene
from dreck.steps.support.sheet import Sheet
from dreck.steps.support.trees import Untouchable, is_directive

_FEWEST = 3


def plans(scene: Scene) -> Iterator[Plan | NotPlanned]:
    """Every chain of three arms or more that does something in them."""
    return with_untold(scene, with_open_ends(scene, _found_in))


def _found_in(scene: Scene) -> Iterator[Plan | NotPlanned]:
    for whole in chains(scene.node, Reader(), fewest=2, open_end=True, tails=True):
        if len(whole.keys) < _FEWEST:
            continue
        chain, others = _apart(whole)
        calls = method_calls(chain.arms)
        if _same_calls(scene, chain) is None and calls is None and _chooses(scene, whole):
            yield NotPlanned(whole.first.lineno, "its arms only choose values; lookup-table makes a table of them")
            continue
        try:
            yield _planned(scene, chain, others, calls)
        except Untouchable as error:
            yield NotPlanned(whole.first.lineno, str(error))
    yield from class_ladders(scene)
    yield from fitting_rows(scene, calling=True)
    yield from odd_cases(scene)


def _chooses(scene: Scene, chain: Chain) -> bool:
    """Whether its arms come to values, or give them to the same variables or attributes, and have room in a table."""
    chosen = [outcome_of(arm.body, attributes=True) for arm in chain.arms]
    if None in chosen or len({o.targets for o in chosen if o is not None}) != 1:
        return False
    every = [v for o in chosen if o is not None and len(o.values) > 1 for v in o.values]
    if not all(is_fixed(scene, v) for v in every):
        return False  # several that are worked out: functions tell them as well as rows do
    tables = (plan for plan in lookup_table.plans(scene) if isinstance(plan, Plan))
    return any(p.line == chain.first.lineno and not are_broken(scene.text, p.text) for p in tables)


def _apart(chain: Chain) -> tuple[Chain, tuple[Arm, ...]]:
    """The chain without the few arms that leave otherwise than the others do, and these."""
    told = [_way_out(arm) for arm in chain.arms]
    most = Counter(way for way in told if way in ("returns", "goes on")).most_common(1)
    fitting = [way in (most[0][0], "raises") if most else True for way in told]
    arms = tuple(arm for arm, fits in zip(chain.arms, fitting, strict=True) if fits)
    others = tuple(arm for arm, fits in zip(chain.arms, fitting, strict=True) if not fits)
    if sum(len(arm.keys) for arm in arms) < _FEWEST or 2 * len(others) > len(arms):
        return chain, ()
    return replace(chain, arms=arms), others


def _way_out(arm: Arm) -> str:
    """How a function made of the arm would come back to its caller; '' where none could be made of it."""
    block = Block(arm.body, arm.body[0], False, (), False)
    if own_statements(arm.body, ast.Continue) or own_statements(arm.body, ast.Break) or yields(block):
        return ""
    if own_statements(arm.body, ast.Return):
        return "returns" if leaves(arm.body) else ""
    return "raises" if leaves(arm.body) else "goes on"


def _planned(scene: Scene, chain: Chain, others: tuple[Arm, ...], calls: MethodCalls | None) -> Plan:
    check_keys([key for arm in (*chain.arms, *others) for key in arm.keys])
    check_outside(scene, chain.keys)
    chain, sheet = asked_once(scene, chain), scene.sheet()
    first, last = lines_of(sheet, chain)
    existing = _same_calls(scene, chain)
    if existing is not None:
        return _of_functions(scene, sheet, chain, others, first, last, existing)
    if calls is not None:
        return _of_methods(scene, sheet, chain, others, first, last, calls)
    return of_new_functions(scene, sheet, chain, others, first, last, lambda: _table_name(scene, chain))


# --- functions that exist ------------------------------------------------------------------------------


def _same_calls(scene: Scene, chain: Chain) -> tuple[list[str], str, bool] | None:
    """The functions the arms call with the same arguments, these, and whether the result is returned."""
    calls: list[ast.Call] = []
    returned: set[bool] = set()
    for arm in chain.arms:
        match arm.body:
            case [ast.Return(value=ast.Call(func=ast.Name()) as call)]:
                returned.add(True)
            case [ast.Expr(value=ast.Call(func=ast.Name()) as call)]:
                returned.add(False)
            case _:
                return None
        calls.append(call)
    given = {ast.dump(ast.Tuple([*c.args, *(k.value for k in c.keywords)], ast.Load())) for c in calls}
    given |= {str([k.arg for k in c.keywords]) for c in calls}
    names = [c.func.id for c in calls if isinstance(c.func, ast.Name)]
    if len(given) != 2 or len(returned) != 1 or any(n not in scene.names.definitions for n in names):
        return None
    arguments = ast.unparse(calls[0])
    return names, arguments[arguments.index("(") :], returned.pop()


def _of_functions(
    scene: Scene,
    sheet: Sheet,
    chain: Chain,
    others: tuple[Arm, ...],
    first: int,
    last: int,
    existing: tuple[list[str], str, bool],
) -> Plan:
    names, arguments, returned = existing
    name = _table_name(scene, chain)
    if comments_of(sheet, first, last):
        raise Untouchable("comments stand between its arms; they would lose their place")
    rows = [
        f"{sheet.unit(scene.node)}{key_code(sheet, key)}: {function},\n"
        for arm, function in zip(chain.arms, names, strict=True)
        for key in arm.keys
    ]
    asked = f"{name}[{subject_code(sheet, chain)}]{arguments}"
    replace_chain(scene, sheet, chain, first, last, name, f"return {asked}" if returned else asked, others)
    put_table(scene, sheet, f"{name} = {{\n{''.join(rows)}}}\n")
    return Plan(first, f"{len(chain.keys)} actions are the table {name}", sheet.result(), (name,))


def _of_methods(
    scene: Scene, sheet: Sheet, chain: Chain, others: tuple[Arm, ...], first: int, last: int, calls: MethodCalls
) -> Plan:
    told: list[str] = []
    rows: list[str] = []
    for arm, method in zip(chain.arms, calls.methods, strict=True):
        said = comments_of_arm(sheet, arm, first)
        if any(map(is_directive, said)):
            raise Untouchable("a comment for a tool stands at an arm; it would lose its line")
        told += said
        rows += [f"{comment}\n" for comment in said]
        rows += [f"{key_code(sheet, key)}: {sheet.code(method)},\n" for key in arm.keys]
    if chain.default is not None and not chain.rest:
        told += comments_of(sheet, first_with_comments(sheet, chain.default), last)
    if Counter(comments_of(sheet, first, last)) - Counter(told):
        raise Untouchable("comments stand between its arms; they would lose their place")
    name = put_methods(scene, sheet, calls.receiver, chain.subjects, "".join(rows), first)
    asked = calls.asked(sheet, f"{name}[{subject_code(sheet, chain)}]")
    replace_chain(scene, sheet, chain, first, last, name, asked, others)
    return Plan(first, f"{len(chain.keys)} methods are the table {name}", sheet.result(), (name,))


_HANDING = frozenset({"get", "create", "make", "build", "find"})
"""Verbs of a function that hands out what it chooses: the table holds just that."""


def _table_name(scene: Scene, chain: Chain) -> str:
    words = deed_of(scene.node.name)
    handed = words[1:] if words[:1] and words[0] in _HANDING else []
    words = three_of(handed or agent_of(words) or words)
    subject = asked_words(scene.node, chain.subjects)
    words = [*words, "by", *subject] if not set(subject) <= set(words) else [*words, "actions"]
    return table_name(scene, ", ".join(ast.unparse(s) for s in chain.subjects), words, chain.first.lineno)


STEP = Step(
    name="call-table",
    group="replace",
    order=215,
    summary="A chain whose arms do things becomes a table of functions.",
    why="Each action has a name and can be read and tested alone; a new kind is a new row.",
    when_not="When the arms share half their variables, or there are only two.",
    before="""\
def take_in(kind, load, bins):
    if kind == "glass":
        bins.crush(load)
        bins.count += 1
    elif kind == "paper":
        bins.press(load)
    elif kind == "metal":
        bins.magnet(load)
        bins.count += 2
    else:
        raise ValueError(kind)
""",
    after="""\
def take_in(kind, load, bins):
    if kind not in TAKE_IN_BY_KIND:
        raise ValueError(kind)
    TAKE_IN_BY_KIND[kind](load, bins)


def take_glass(load, bins):
    bins.crush(load)
    bins.count += 1


def take_paper(load, bins):
    bins.press(load)


def take_metal(load, bins):
    bins.magnet(load)
    bins.count += 2


TAKE_IN_BY_KIND = {
    "glass": take_glass,
    "paper": take_paper,
    "metal": take_metal,
}
""",
    traps=(
        "A name some arms change has to come back from all of them.",
        "A lambda in a loop sees the last value of the loop's variable; functions with parameters do not.",
        "A function of a class in a table is fixed: subclasses cannot override it any more. Methods of one object go"
        " into a table of the function's own, which reads them from that object.",
    ),
    plans=plans,
    asks=("hashable-key", "plain-kind", "steady-constants"),
    by_default=False,
)
