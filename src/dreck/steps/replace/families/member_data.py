"""member-data: a switch on an enum's members that chooses a value moves onto the members."""

import ast
from collections.abc import Iterator

from dreck.source.walking import walk
from dreck.steps.catalogue import Step
from dreck.steps.replace.families.member_amounts import with_amounts
from dreck.steps.replace.families.members import enum_of, member_names, planned_in
from dreck.steps.replace.families.sums import built_of, sums_of
from dreck.steps.replace.tables.arms.outcomes import is_fixed, outcome_of
from dreck.steps.replace.tables.arms.table_lines import body_lines
from dreck.steps.support.arm_comments import comments_of_arm
from dreck.steps.support.chains import Chain, Reader, chains, check_keys, comments_of, is_plain, key_code, lines_of
from dreck.steps.support.scene import NotPlanned, Plan, Scene
from dreck.steps.support.sheet import Sheet
from dreck.steps.support.trees import Untouchable
from dreck.steps.support.wording import constant_name, naming_hint
from dreck.steps.support.words import words_of

_MORE = "its arms do more than choose one value; see call-table"


def plans(scene: Scene) -> Iterator[Plan | NotPlanned]:
    """Every chain on the members of an enum of this module whose arms only choose values."""
    closed = set[int]()
    for chain in chains(scene.node, Reader(), fewest=2):
        closed.add(chain.first.lineno)
        built = built_of(chain)
        summed = list(built.sums) if built is not None else sums_of(chain)
        if summed:
            try:
                yield from with_amounts(scene, chain, summed, built)
            except Untouchable as error:
                yield NotPlanned(chain.first.lineno, str(error))
            continue
        outcomes = [outcome_of(arm.body) for arm in chain.arms]
        known = [o for o in outcomes if o is not None]
        if len(known) != len(outcomes) or len({o.targets for o in known}) != 1 or len(chain.subjects) != 1:
            if enum_of(scene, chain) is not None:
                yield NotPlanned(chain.first.lineno, _MORE)
            continue
        try:
            found = _planned(scene, chain, [o.values for o in known], known[0].targets)
            if found is not None:
                yield found
        except Untouchable as error:
            yield NotPlanned(chain.first.lineno, str(error))
    for chain in chains(scene.node, Reader(), fewest=2, open_end=True):
        if chain.first.lineno not in closed and enum_of(scene, chain) is not None:
            yield NotPlanned(chain.first.lineno, "it asks for other things at its end; see lookup-table and call-table")


def _planned(
    scene: Scene, chain: Chain, values: list[tuple[ast.expr, ...]], targets: tuple[str, ...]
) -> Plan | NotPlanned | None:
    found_in = enum_of(scene, chain)
    if found_in is None:
        return None
    home, enum = found_in
    check_keys(chain.keys)
    if len(targets) > 1:
        raise Untouchable(f"its arms choose {len(targets)} values at once; lookup-table makes a row of them")
    if not all(is_fixed(home, v) for part in values for v in part):
        raise Untouchable(_MORE)
    subject = chain.subjects[0]
    if not is_plain(subject):
        raise Untouchable("what it is about would be worked out twice; give it a name first (shared-term)")
    sheet = scene.sheet()
    there = sheet if home is scene else home.sheet()
    first, last = lines_of(sheet, chain)
    unit = sheet.unit(scene.node)
    name = _attribute(scene, home, enum, targets)
    table = constant_name([*words_of(name), "of", *words_of(enum.name)], scene.all_words() | home.all_words())
    default = _fixed_default(scene, chain, targets)
    members = set(member_names(enum))
    covered = {k.attr for k in chain.keys if isinstance(k, ast.Attribute)}
    if default is None and not members <= covered:
        raise Untouchable(
            f"{enum.name}.{min(members - covered)} has no arm, and the default does more than choose a value"
        )
    rows, told = _rows(sheet, chain, values, unit)
    kept = [c for c in comments_of(sheet, first, last) if c not in told]
    subject_code = sheet.code(subject)
    left = f"{targets[0]} = " if targets else "return "
    asks = f"isinstance({subject_code}, {enum.name})"
    indent = sheet.indent(first)
    if default is not None:
        lines = [f"{left}{subject_code}.{name} if {asks} else {default}"]
    elif chain.default is None:
        lines = [f"if {asks}:", f"{unit}{left}{subject_code}.{name}"]
    else:
        lines = [
            f"if not {asks}:",
            *(f"{unit}{t}" if t else t for t in body_lines(sheet, chain)),
            f"{left}{subject_code}.{name}",
        ]
    kept = [c for c in kept if not any(c in line for line in lines)]
    sheet.replace_lines(first, last, "".join(f"{indent}{text}\n" if text.strip() else "\n" for text in [*kept, *lines]))
    found = f"{table}[self]" if members <= covered else f"{table}.get(self, {default})"
    inner = there.indent(enum.body[0].lineno)
    typed = _type(values)
    code = f"{inner}@property\n{inner}def {name}(self){typed}:\n{inner}{unit}return {found}\n"
    there.insert((enum.end_lineno or enum.lineno) + 1, f"\n{code}\n\n{table} = {{\n{rows}}}\n")
    told_of = f"{len(chain.keys)} members of {enum.name} have their {name}"
    return planned_in(scene, home, sheet, there, first, told_of, (name, table))


def _attribute(scene: Scene, home: Scene, enum: ast.ClassDef, targets: tuple[str, ...]) -> str:
    wished = scene.wishes.name_for(scene.node.name)
    stem = (
        targets[0]
        if targets
        else "_".join(w for w in words_of(scene.node.name.strip("_")) if w not in ("for", "of", "get"))
    )
    trees = (scene.tree, home.tree)
    used = {n.attr for tree in trees for n in walk(tree) if isinstance(n, ast.Attribute)} | {"name", "value"}
    for name in (wished, stem, f"{stem}_of_kind", f"own_{stem}"):
        if name and name not in used and name.isidentifier():
            return name
    raise Untouchable(f"{enum.name} speaks of {stem} already; give it a name with {naming_hint(scene.node.name)}")


def _fixed_default(scene: Scene, chain: Chain, targets: tuple[str, ...]) -> str | None:
    if chain.default is None:
        return None
    outcome = outcome_of(chain.default)
    if outcome is None or outcome.targets != targets or not is_fixed(scene, outcome.values[0]):
        return None
    return (
        ast.unparse(outcome.values[0])
        if not hasattr(outcome.values[0], "lineno")
        else scene.sheet().code(outcome.values[0])
    )


def _rows(sheet: Sheet, chain: Chain, values: list[tuple[ast.expr, ...]], unit: str) -> tuple[str, list[str]]:
    told: list[str] = []
    lines: list[str] = []
    for arm, (value,) in zip(chain.arms, values, strict=True):
        comments = comments_of_arm(sheet, arm, chain.first.lineno)
        told += comments
        lines += [f"{unit}{c}\n" for c in comments]
        lines += [f"{unit}{key_code(sheet, key)}: {sheet.code(value)},\n" for key in arm.keys]
    return "".join(lines), told


def _type(values: list[tuple[ast.expr, ...]]) -> str:
    kinds = {type(v.value).__name__ if isinstance(v, ast.Constant) else "" for part in values for v in part}
    return f" -> {kinds.pop()}" if len(kinds) == 1 and kinds <= {"str", "int", "float", "bool"} else ""


STEP = Step(
    name="member-data",
    group="replace",
    order=212,
    summary="A switch on an enum's members that chooses a value or an amount moves onto the members.",
    why="What belongs to a member is asked of the member, and every place gets the same answer.",
    when_not="When the value belongs to the place that asks, not to the member.",
    before="""\
from enum import Enum


class Material(Enum):
    GLASS = "glass"
    PAPER = "paper"
    METAL = "metal"


def line_for(load):
    if load.material == Material.GLASS:
        return "crusher"
    elif load.material == Material.PAPER:
        return "press"
    elif load.material == Material.METAL:
        return "magnet"
    raise ValueError(load.material)
""",
    after="""\
from enum import Enum


class Material(Enum):
    GLASS = "glass"
    PAPER = "paper"
    METAL = "metal"

    @property
    def line(self) -> str:
        return LINE_OF_MATERIAL[self]


LINE_OF_MATERIAL = {
    Material.GLASS: "crusher",
    Material.PAPER: "press",
    Material.METAL: "magnet",
}


def line_for(load):
    if not isinstance(load.material, Material):
        raise ValueError(load.material)
    return load.material.line
""",
    traps=(
        "A value that is no member reached the default: it still does.",
        "A member without an arm has to come to what the default was.",
        "Adding 0 where nothing was added changes a float's -0.0, and dies of a text.",
        "A switch that does the opposite shares the data: `+= datum` here, `-= datum` there.",
    ),
    plans=plans,
    asks=("hashable-key", "exact-ints", "steady-constants"),
    by_default=False,
)
