"""The lines that stand where a chain stood once there is a table: what is asked, what is done, and the default."""

from dreck.model.views.shape import leaves
from dreck.steps.replace.tables.arms.in_front import in_front
from dreck.steps.replace.tables.arms.table_lines import as_tail, body_lines, is_ladder
from dreck.steps.support.chains import Arm, Chain, subject_code
from dreck.steps.support.scene import Scene
from dreck.steps.support.sheet import Sheet, reindented


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
) -> None:
    """The lines that stand where the chain stood: what is not in the table first. `call` may be of several lines."""
    key, indent, unit = subject_code(sheet, chain), sheet.indent(first), sheet.unit(scene.node)
    asked = f"({key})" if len(chain.subjects) > 1 else key
    calls, leaving = call.splitlines(), leaving or call.startswith("return")
    if chain.default is None:
        lines = [f"if {asked} in {name}:", *reindented(calls, unit)]
    else:
        otherwise = body_lines(sheet, chain)
        if is_ladder(chain.default, otherwise) and not leaving:
            lines = [f"if {asked} in {name}:", *reindented(calls, unit), f"el{otherwise[0]}", *otherwise[1:]]
        elif leaves(chain.default) and not (is_ladder(chain.default, otherwise) or (chain.rest and len(calls) > 1)):
            lines = [f"if {asked} not in {name}:", *reindented(otherwise, unit), *calls]
        elif leaving:
            lines = [f"if {asked} in {name}:", *reindented(calls, unit), *otherwise]
        else:
            lines = [f"if {asked} in {name}:", *reindented(calls, unit), "else:", *reindented(otherwise, unit)]
    lines = as_tail(sheet, first, in_front(sheet, others, lines, unit), unit)
    sheet.replace_lines(first, last, "".join(f"{indent}{text}\n" if text.strip() else "\n" for text in lines))
