"""member-data: a switch on an enum's members that chooses a value moves onto the members."""

import ast
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from dreck.model.views.shape import leaves
from dreck.source.walking import walk
from dreck.steps.catalogue import Step
from dreck.steps.replace.families.member_amounts import is_annotated, with_amounts
from dreck.steps.replace.families.members import completed, enum_of, member_names, planned_in
from dreck.steps.replace.families.sums import Built, Sums, built_of, sums_of
from dreck.steps.replace.tables.arms.amounts import GENERAL, Amounts, amounts_of
from dreck.steps.replace.tables.arms.outcomes import is_fixed, outcome_of
from dreck.steps.replace.tables.arms.table_lines import body_lines
from dreck.steps.support.arm_comments import comments_of_arm
from dreck.steps.support.chains import Chain, Reader, chains, check_keys, comments_of, is_plain, key_code, lines_of
from dreck.steps.support.names.wording import constant_name, naming_hint
from dreck.steps.support.names.words import words_of
from dreck.steps.support.scene import Known, NotPlanned, Plan, Scene
from dreck.steps.support.sheet import Sheet
from dreck.steps.support.trees import Untouchable

_FEW = 2
"""So many members that share the default are told one by one."""
_MORE = "its arms do more than choose one value; see call-table"


def plans(scene: Scene) -> Iterator[Plan | NotPlanned]:
    """Every chain on the members of an enum of this module whose arms only choose values."""
    closed = set[int]()
    for chain in chains(scene.node, Reader(), fewest=2):
        closed.add(chain.first.lineno)
        whole, built, summed = _amounts(scene, chain)
        if summed:
            try:
                yield from with_amounts(scene, whole, summed, built)
            except Untouchable as error:
                yield NotPlanned(chain.first.lineno, str(error))
            continue
        outcomes = [outcome_of(arm.body, attributes=True) for arm in chain.arms]
        known = [o for o in outcomes if o is not None]
        if len(known) != len(outcomes) or len({o.targets for o in known}) != 1 or len(chain.subjects) != 1:
            if enum_of(scene, chain) is not None:
                yield NotPlanned(chain.first.lineno, _MORE)
            continue
        try:
            yield from _planned(scene, chain, [o.values for o in known], known[0].targets)
        except Untouchable as error:
            yield NotPlanned(chain.first.lineno, str(error))
    for chain in chains(scene.node, Reader(), fewest=2, open_end=True):
        if chain.first.lineno not in closed and enum_of(scene, chain) is not None:
            yield NotPlanned(chain.first.lineno, "it asks for other things at its end; see lookup-table and call-table")


def _amounts(scene: Scene, chain: Chain) -> tuple[Chain, Built | None, list[Sums]]:
    """What its arms add to; where its default does the same, that is the arm of all members that have none."""
    for whole in (completed(scene, chain), chain):
        built = built_of(whole)
        summed = list(built.sums) if built is not None else sums_of(whole)
        if summed:
            return whole, built, summed
    return chain, None, []


def _planned(
    scene: Scene, chain: Chain, values: list[tuple[ast.expr, ...]], targets: tuple[str, ...]
) -> Iterator[Plan]:
    """Where an annotation says that only members come, nobody is asked; where that does not hold, they are."""
    found_in = enum_of(scene, chain)
    if found_in is None:
        return
    whole = completed(scene, chain)
    last = outcome_of(chain.default, attributes=True) if chain.default is not None else None
    is_few = whole is not chain and len(whole.arms[-1].keys) <= _FEW
    if is_few and last is not None and last.targets == targets and _leads_on(found_in[1], last.values):
        chain, values = whole, [*values, last.values]
    columns = [list(column) for column in zip(*values, strict=True)]
    several = [_data(scene, found_in[0], chain, column, targets, at) for at, column in enumerate(columns)]
    if is_annotated(scene, chain, found_in[1]) and (chain.default is None or all(d.default for d in several)):
        yield _written(scene, found_in, chain, several, asking=False)
    elif _is_known(scene, chain, found_in[1]):
        subject = ast.unparse(chain.subjects[0])
        come = Known(subject, (found_in[1].name,), subject.partition(".")[0] in scene.scope.params)
        yield replace(_written(scene, found_in, chain, several, asking=False), known=come)
    else:
        plan = _written(scene, found_in, chain, several, asking=True)
        hint = f"; --kinds {found_in[1].name} says that nothing but its members comes; then nothing asks any more"
        is_said = scene.wishes.kinds or scene.wishes.only_asked
        yield plan if is_said else replace(plan, reason=f"{plan.reason}{hint}")
        return
    yield _written(scene, found_in, chain, several, asking=True)


def _is_known(scene: Scene, chain: Chain, enum: ast.ClassDef) -> bool:
    """Whether a person says that only members come: the function calls the enum by its name, and sets nothing itself of
    what it asks."""
    if scene.wishes.kinds != (enum.name,) and (scene.wishes.kinds or not scene.wishes.only_asked):
        return False
    called = all(isinstance(k, ast.Attribute) and ast.unparse(k.value) == enum.name for k in chain.keys)
    subject = ast.unparse(chain.subjects[0])
    stored = (n for n in walk(scene.node) if isinstance(getattr(n, "ctx", None), ast.Store | ast.Del))
    return called and not ("." in subject and any(ast.unparse(n) == subject for n in stored))


def _leads_on(enum: ast.ClassDef, values: tuple[ast.expr, ...]) -> bool:
    """Whether members lead to members: then each has its own, and none a default."""
    return all(isinstance(v, ast.Attribute) and ast.unparse(v.value) == enum.name for v in values)


@dataclass(frozen=True, slots=True)
class Data:
    """What the members hold: their values, or the number in which these differ, with what stands around it."""

    values: list[ast.expr]
    target: str
    """The variable that gets it; '' where it is returned."""
    default: ast.expr | None
    """What all others have, where it is as plain."""
    amounts: Amounts | None = None

    def of(self, code: str) -> str:
        """The statement that reads it."""
        left = f"{self.target} = " if self.target else "return "
        return left + (self.amounts.around(code) if self.amounts is not None else code)


def _data(scene: Scene, home: Scene, chain: Chain, values: list[ast.expr], targets: tuple[str, ...], at: int) -> Data:
    outcome = outcome_of(chain.default, attributes=True) if chain.default is not None else None
    last = outcome.values[at] if outcome is not None and outcome.targets == targets else None
    target = targets[at] if targets else ""
    if all(is_fixed(home, v) for v in values):
        return Data(values, target, last if last is not None and is_fixed(scene, last) else None)
    sheet = scene.sheet()
    found = amounts_of(sheet, [*values, last]) if last is not None and hasattr(last, "lineno") else None
    if found is not None:
        return Data(found.numbers[:-1], target, found.numbers[-1], found)
    found = amounts_of(sheet, values)
    if found is None:
        raise Untouchable(_MORE)
    return Data(found.numbers, target, None, found)


def _written(
    scene: Scene, found_in: tuple[Scene, ast.ClassDef], chain: Chain, several: list[Data], asking: bool
) -> Plan:
    home, enum = found_in
    check_keys(chain.keys)
    subject = chain.subjects[0]
    if not is_plain(subject):
        raise Untouchable("what it is about would be worked out twice; give it a name first (shared-term)")
    sheet = scene.sheet()
    there = sheet if home is scene else home.sheet()
    first, last = lines_of(sheet, chain)
    unit, inner, indent = sheet.unit(scene.node), there.indent(enum.body[0].lineno), sheet.indent(first)
    members = set(member_names(enum))
    covered = {k.attr for k in chain.keys if isinstance(k, ast.Attribute)}
    made, told, reads = list[str](), list[str](), list[str]()
    properties, tables = "", ""
    for data in several:
        name = _attribute(scene, home, enum, chain.subjects, data, made)
        table = constant_name([*words_of(name), "of", *words_of(enum.name)], scene.all_words() | home.all_words())
        default = _code(sheet, data.default)
        if default is None and not members <= covered:
            raise Untouchable(
                f"{enum.name}.{min(members - covered)} has no arm, and the default does more than choose a value"
            )
        rows, said = _rows(sheet, chain, data.values, unit, told)
        told += said
        found = f"{table}[self]" if members <= covered else f"{table}.get(self, {default})"
        properties += f"\n{inner}@property\n{inner}def {name}(self){_type(data.values)}:\n{inner}{unit}return {found}\n"
        tables += f"\n\n{table} = {{\n{rows}}}\n"
        reads.append(f"{sheet.code(subject)}.{name}")
        made += [name, table]
    lines = _lines(
        sheet, chain, several, reads, f"isinstance({sheet.code(subject)}, {enum.name})" if asking else "", unit
    )
    kept = [c for c in comments_of(sheet, first, last) if c not in told and not any(c in line for line in lines)]
    sheet.replace_lines(first, last, "".join(f"{indent}{text}\n" if text.strip() else "\n" for text in [*kept, *lines]))
    there.insert((enum.end_lineno or enum.lineno) + 1, f"{properties}{tables}")
    reason = f"{len(chain.keys)} members of {enum.name} have their {' and '.join(made[::2])}"
    return planned_in(scene, home, sheet, there, first, reason, tuple(made))


def _lines(sheet: Sheet, chain: Chain, several: list[Data], reads: list[str], asks: str, unit: str) -> list[str]:
    """What stands where the switch stood; `asks` is the test for a member, '' where nobody else comes."""
    plain = [data.of(read) for data, read in zip(several, reads, strict=True)]
    if not asks:
        return plain
    first, default = several[0], _code(sheet, several[0].default)
    if len(several) == 1 and default is not None and first.amounts is None:
        return [first.of(f"{reads[0]} if {asks} else {default}")]
    if chain.default is None:
        return [f"if {asks}:", *(f"{unit}{line}" for line in plain)]
    otherwise = [f"{unit}{line}" if line else line for line in body_lines(sheet, chain)]
    if not first.target or leaves(chain.default):
        return [f"if not {asks}:", *otherwise, *plain]
    return [f"if {asks}:", *(f"{unit}{line}" for line in plain), "else:", *otherwise]


def _code(sheet: Sheet, value: ast.expr | None) -> str | None:
    if value is None:
        return None
    return sheet.code(value) if hasattr(value, "lineno") else ast.unparse(value)


def _attribute(
    scene: Scene, home: Scene, enum: ast.ClassDef, subjects: Sequence[ast.expr], data: Data, made: list[str]
) -> str:
    wished = scene.wishes.name_for(scene.node.name)
    words = [w for w in words_of(scene.node.name.strip("_")) if w not in ("for", "of", "get")]
    own = data.target.rpartition(".")[2]
    is_next = any(ast.unparse(subject) == data.target for subject in subjects)  # `side` by `side`: say which way
    stem = own if own.isidentifier() and not is_next else "_".join(words)
    if data.amounts is not None:
        stem = f"{stem}_{data.amounts.word}" if data.amounts.word in GENERAL else data.amounts.word
    trees = (scene.tree, home.tree)
    used = {n.attr for tree in trees for n in walk(tree) if isinstance(n, ast.Attribute)} | {"name", "value", *made}
    for name in (wished, stem, f"{stem}_of_kind", f"own_{stem}"):
        if name and name not in used and name.isidentifier():
            return name
    raise Untouchable(f"{enum.name} speaks of {stem} already; give it a name with {naming_hint(scene.node.name)}")


def _rows(sheet: Sheet, chain: Chain, values: list[ast.expr], unit: str, said: list[str]) -> tuple[str, list[str]]:
    told: list[str] = []
    lines: list[str] = []
    for arm, value in zip(chain.arms, values, strict=True):
        comments = [c for c in comments_of_arm(sheet, arm, chain.first.lineno) if c not in said]
        told += comments
        lines += [f"{unit}{c}\n" for c in comments]
        lines += [f"{unit}{key_code(sheet, key)}: {sheet.code(value)},\n" for key in arm.keys]
    return "".join(lines), told


def _type(values: list[ast.expr]) -> str:
    plain = [v.operand if isinstance(v, ast.UnaryOp) and isinstance(v.op, ast.USub) else v for v in values]
    kinds = {type(v.value).__name__ if isinstance(v, ast.Constant) else "" for v in plain}
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
    asks=("hashable-key", "plain-kind", "exact-ints", "numbers-in-sums", "steady-constants"),
    by_default=False,
)
