"""The lines that stand where a chain stood once there is a table: what is asked, what is done, and the default."""

import ast
from collections.abc import Sequence
from dataclasses import replace

from dreck.model.views.shape import leaves
from dreck.source.walking import walk
from dreck.steps.naming.predicates import locals_read
from dreck.steps.replace.tables.arms.in_front import in_front
from dreck.steps.replace.tables.arms.table_lines import as_tail, body_lines, is_ladder
from dreck.steps.support.chains import Arm, Chain, is_asked_twice, subject_code
from dreck.steps.support.names.wording import is_free
from dreck.steps.support.names.words import thing_name, words_of
from dreck.steps.support.scene import Scene
from dreck.steps.support.sheet import Sheet, one_line, reindented
from dreck.steps.support.trees import Untouchable

_SHORTEST = 3


def call_lines(head: str, given: Sequence[str], room: int, unit: str) -> str:
    """`head(given)` on one line where there is room for it; else its arguments on one of their own, or on several."""
    whole = ", ".join(given)
    if len(head) + len(whole) + 2 <= room or not given:
        return f"{head}({whole})"
    if len(unit) + len(whole) <= room:
        return f"{head}(\n{unit}{whole}\n)"
    return "".join([f"{head}(\n", *(f"{unit}{one},\n" for one in given), ")"])


def replace_chain(
    scene: Scene,
    sheet: Sheet,
    chain: Chain,
    first: int,
    last: int,
    name: str,
    call: str,
    others: tuple[Arm, ...] = (),
    leaving: bool = False,
    always: bool = False,
) -> None:
    """The lines that stand where the chain stood: what is not in the table first. `call` may be of several lines;
    `always`: it is done for what is not in the table, too."""
    key, indent, unit = subject_code(sheet, chain), sheet.indent(first), sheet.unit(scene.node)
    asked = f"({key})" if len(chain.subjects) > 1 else key
    calls, leaving = call.splitlines(), leaving or call.startswith("return")
    if always:
        lines = calls
    elif chain.default is None:
        lines = [f"if {asked} in {name}:", *reindented(calls, unit)]
    else:
        otherwise = body_lines(sheet, chain)
        goes_on = any(not leaves(arm.body) for arm in others)  # then all of it stands in one ladder
        if is_ladder(chain.default, otherwise) and not leaving:
            lines = [f"if {asked} in {name}:", *reindented(calls, unit), f"el{otherwise[0]}", *otherwise[1:]]
        elif goes_on and not leaving and not chain.rest:
            lines = [f"if {asked} in {name}:", *reindented(calls, unit), "else:", *reindented(otherwise, unit)]
        elif leaves(chain.default) and not (is_ladder(chain.default, otherwise) or (chain.rest and len(calls) > 1)):
            lines = [f"if {asked} not in {name}:", *reindented(otherwise, unit), *calls]
        elif leaving:
            lines = [f"if {asked} in {name}:", *reindented(calls, unit), *otherwise]
        else:
            lines = [f"if {asked} in {name}:", *reindented(calls, unit), "else:", *reindented(otherwise, unit)]
    lines = [chain.lead, *lines] if chain.lead else lines
    lines = as_tail(sheet, first, in_front(sheet, chain, others, lines, unit), unit)
    sheet.replace_lines(first, last, "".join(f"{indent}{text}\n" if text.strip() else "\n" for text in lines))


def check_outside(scene: Scene, keys: Sequence[ast.expr]) -> None:
    """Raises Untouchable where keys read what the function alone knows: a table stands outside of it."""
    read = next((name for key in keys for name in locals_read(scene, key)), "")
    if read:
        raise Untouchable(f"its keys read {read}, which the function alone knows; a table stands outside of it")


_ONCE = (ast.Await, ast.Yield, ast.YieldFrom, ast.NamedExpr)


def asked_once(scene: Scene, chain: Chain) -> Chain:
    """The chain on a name for its subject, where that is more than a plain place. Raises Untouchable without a name."""
    if all(map(is_asked_twice, chain.subjects)):
        return chain
    subject, sheet = chain.subjects[0], scene.sheet()
    stems = ["_".join(words_of(thing_name(subject))), "key", "asked"]
    name = next((stem for stem in stems if len(stem) >= _SHORTEST and is_free(stem, scene.all_words())), "")
    if len(chain.subjects) > 1 or not name or any(isinstance(n, _ONCE) for n in walk(subject)):
        raise Untouchable("what is looked up would be worked out twice; give it a name first (shared-term)")
    code = sheet.code(subject) if hasattr(subject, "lineno") else ast.unparse(subject)
    return replace(chain, subjects=(ast.Name(name, ast.Load()),), lead=f"{name} = {one_line(code)}")
