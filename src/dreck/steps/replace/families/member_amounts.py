"""Amounts of members: a switch on an enum whose arms add to the same things makes the amounts the members' data.

A second switch that does the very opposite shares the data of the first.
"""

import ast
from collections.abc import Iterator
from dataclasses import dataclass, replace

from dreck.source.walking import walk
from dreck.steps.naming.predicates import annotations
from dreck.steps.replace.families.members import enum_of, member_names, planned_in
from dreck.steps.replace.families.sums import Built, Code, Sums, added, amount_of, written
from dreck.steps.replace.tables.arms.table_lines import body_lines
from dreck.steps.support.chains import Chain, check_keys, comments_of, is_plain, lines_of
from dreck.steps.support.names.wording import constant_name, naming_hint
from dreck.steps.support.names.words import words_of
from dreck.steps.support.scene import Plan, Scene
from dreck.steps.support.sheet import Sheet
from dreck.steps.support.trees import Untouchable


def with_amounts(scene: Scene, chain: Chain, several: list[Sums], built: Built | None = None) -> Iterator[Plan]:
    """Arms that add to the same things or take from them: the amounts are data of the members. With `built` the sums
    are parts of the one thing that every arm returns. Where an annotation says that only members come, nobody is
    asked whether it is one; where that does not hold, they are."""
    found_in = enum_of(scene, chain)
    if found_in is None:
        return
    if _says_who_comes(scene, chain, found_in[1]):
        plain = _planned(scene, chain, several, built, found_in, asks=False)
        yield replace(plain, only_if_proved=built is None)
    yield _planned(scene, chain, several, built, found_in, asks=True)


def _says_who_comes(scene: Scene, chain: Chain, enum: ast.ClassDef) -> bool:
    """Whether the switch is on a parameter annotated with the enum, and has an arm for each of its members."""
    covered = {k.attr for k in chain.keys if isinstance(k, ast.Attribute)}
    is_told = chain.default is None or chain.default is chain.arms[-1].body
    return is_annotated(scene, chain, enum) and set(member_names(enum)) <= covered and is_told


def is_annotated(scene: Scene, chain: Chain, enum: ast.ClassDef) -> bool:
    """Whether the switch is on a parameter annotated with the enum."""
    subject = chain.subjects[0]
    told = annotations(scene).get(subject.id, "") if isinstance(subject, ast.Name) else ""
    return told.strip("'\"") == enum.name


def _planned(
    scene: Scene,
    chain: Chain,
    several: list[Sums],
    built: Built | None,
    found_in: tuple[Scene, ast.ClassDef],
    asks: bool,
) -> Plan:
    home, enum = found_in
    check_keys(chain.keys)
    subject = chain.subjects[0]
    if not is_plain(subject):
        raise Untouchable("what it is about would be worked out for each thing; give it a name first (shared-term)")
    sheet = scene.sheet()
    there = sheet if home is scene else home.sheet()
    first, last = lines_of(sheet, chain)
    rest = _left_alone(chain, several, set(member_names(enum)))
    data = [_datum(home, enum, chain, sums) for sums in several]
    made: list[str] = []
    told: list[str] = []
    properties: list[str] = []
    tables: list[str] = []
    for at, (sums, datum) in enumerate(zip(several, data, strict=True)):
        if not datum.is_new:
            continue
        name, table = _names(scene, home, enum, sums, made)
        data[at] = replace(datum, name=name)
        properties.append(_property(there, sheet.unit(scene.node), enum, name, table, datum))
        rows, said = _rows(sheet, chain, enum, datum, sheet.unit(scene.node), told)
        told += said
        tables.append(f"\n{table} = {{\n{rows}}}\n")
        made += [name, table]
    subject_code = sheet.code(subject)
    write = added if built is not None else written
    lines = [
        write(sums, f"{subject_code}.{datum.name}", datum.is_opposite, _Code(sheet))
        for sums, datum in zip(several, data, strict=True)
    ]
    lines = [built.written(lines)] if built is not None else lines
    if asks:
        asked = f"isinstance({subject_code}, {enum.name})"
        lines = _guarded(sheet, chain, lines, asked, rest, sheet.unit(scene.node))
    kept = [c for c in comments_of(sheet, first, last) if c not in told and not any(c in line for line in lines)]
    indent = sheet.indent(first)
    sheet.replace_lines(first, last, "".join(f"{indent}{t}\n" if t.strip() else "\n" for t in [*kept, *lines]))
    if made:
        there.insert((enum.end_lineno or enum.lineno) + 1, "".join(f"\n{code}" for code in properties + tables))
    shared = f"it works with what the members of {enum.name} have already"
    reason = f"{len(chain.keys)} members of {enum.name} have their {' and '.join(made[::2])}" if made else shared
    plan = planned_in(scene, home, sheet, there, first, reason, tuple(made))
    neutral = any(number == 0 for datum in data for number in datum.numbers.values())
    return replace(plan, remedy=_NEUTRAL if neutral else "")


_NEUTRAL = "0 is added where nothing was: annotations have to say that what it is added to is a number (`x: int`)"


@dataclass(frozen=True, slots=True)
class Datum:
    """What each member adds, and the property that gives it, or its opposite; '' when there is none yet."""

    name: str
    numbers: dict[str, int | float]
    is_opposite: bool

    @property
    def is_new(self) -> bool:
        return not self.name


def _datum(home: Scene, enum: ast.ClassDef, chain: Chain, sums: Sums) -> Datum:
    given = {
        key.attr: number
        for arm, number in zip(chain.arms, sums.numbers, strict=True)
        for key in arm.keys
        if isinstance(key, ast.Attribute)
    }
    every = {member: given.get(member, 0) for member in member_names(enum)}
    known = _known_amounts(home, enum, every)
    if known is not None:
        return Datum(known[0], every, known[1])
    return Datum("", every, all(number <= 0 for number in every.values()))


def _guarded(sheet: Sheet, chain: Chain, lines: list[str], asks: str, rest: bool, unit: str) -> list[str]:
    """The lines, for members only: strangers go where they went."""
    inner = [f"{unit}{line}" for line in lines]
    otherwise = [f"{unit}{line}" if line else line for line in body_lines(sheet, chain)] if rest else []
    if rest and lines[-1].startswith("return "):
        return [f"if not {asks}:", *otherwise, *lines]
    return [f"if {asks}:", *inner, *(["else:", *otherwise] if rest else [])]


class _Code(Code):
    """Expressions as the sheet has them."""

    def __init__(self, sheet: Sheet) -> None:
        self.sheet = sheet

    def __call__(self, e: ast.expr | None) -> str:
        return self.sheet.code(e) if e is not None else ""


def _left_alone(chain: Chain, several: list[Sums], members: set[str]) -> bool:
    """Whether the default is for strangers only; raises Untouchable when it is for members, too, and does more."""
    covered = {k.attr for k in chain.keys if isinstance(k, ast.Attribute)}
    if chain.default is None:
        if any(sums.target is None for sums in several) and not members <= covered:
            raise Untouchable(f"{min(members - covered)} has no arm, and what follows is another story")
        return False
    if not members <= covered:
        raise Untouchable(f"{min(members - covered)} has no arm, and falls to the default")
    return True


def _known_amounts(scene: Scene, enum: ast.ClassDef, every: dict[str, int | float]) -> tuple[str, bool] | None:
    """A property of the members that gives these very amounts, or their opposites."""
    for s in enum.body:
        match s:
            case ast.FunctionDef(
                name=name, body=[*_, ast.Return(value=ast.Subscript(value=ast.Name(id=table), slice=ast.Name()))]
            ):
                rows = scene.names.tables.known.get(table)
                had = _numbers(rows) if isinstance(rows, ast.Dict) else {}
                if had == every and any(every.values()):
                    return name, False
                if had == {m: -n for m, n in every.items()}:
                    return name, True
    return None


def _numbers(table: ast.Dict) -> dict[str, int | float]:
    found: dict[str, int | float] = {}
    for key, value in zip(table.keys, table.values, strict=True):
        amount = amount_of(ast.BinOp(ast.Constant(0), ast.Add(), value))
        if isinstance(key, ast.Attribute) and amount.factor is None:
            found[key.attr] = amount.number
    return found


def _names(scene: Scene, home: Scene, enum: ast.ClassDef, sums: Sums, taken: list[str]) -> tuple[str, str]:
    """The name of a property and that of its table."""
    name = _amount_name(scene, home, enum, sums, taken)
    words = scene.all_words() | home.all_words() | set(taken)
    return name, constant_name([*words_of(name), "of", *words_of(enum.name)], words)


def _property(there: Sheet, unit: str, enum: ast.ClassDef, name: str, table: str, datum: Datum) -> str:
    inner = there.indent(enum.body[0].lineno)
    typed = "float" if any(isinstance(n, float) for n in datum.numbers.values()) else "int"
    return f"{inner}@property\n{inner}def {name}(self) -> {typed}:\n{inner}{unit}return {table}[self]\n"


def _amount_name(scene: Scene, home: Scene, enum: ast.ClassDef, sums: Sums, taken: list[str]) -> str:
    target = sums.target
    key = ast.unparse(target) if target is not None else scene.node.name
    wished = scene.wishes.name_for(key)
    base = target if target is not None else sums.base
    word = base.attr if isinstance(base, ast.Attribute) else base.id if isinstance(base, ast.Name) else ""
    stem = "_".join(words_of(word.strip("_"))) or "_".join(words_of(scene.node.name))
    trees = (scene.tree, home.tree)
    used = {n.attr for tree in trees for n in walk(tree) if isinstance(n, ast.Attribute)}
    used |= {"name", "value", *taken}
    for name in (wished, f"{stem}_change", f"{stem}_amount", f"{stem}_of_kind"):
        if name and name not in used and name.isidentifier():
            return name
    raise Untouchable(f"{enum.name} speaks of {stem} already; give it a name with {naming_hint(key)}")


def _rows(
    sheet: Sheet, chain: Chain, enum: ast.ClassDef, datum: Datum, unit: str, had: list[str]
) -> tuple[str, list[str]]:
    """The rows, amounts positive where all are negative; the comments of the arms go with the first table."""
    said: dict[str, list[str]] = {}
    for arm in chain.arms:
        comments = comments_of(sheet, arm.line, arm.body[-1].end_lineno or arm.line)
        key = arm.keys[0]
        if isinstance(key, ast.Attribute):
            said[key.attr] = [c for c in comments if c not in had]
    lines = []
    for member, number in datum.numbers.items():
        lines += [f"{unit}{c}\n" for c in said.get(member, ())]
        lines.append(f"{unit}{enum.name}.{member}: {-number if datum.is_opposite and number else number},\n")
    return "".join(lines), [c for comments in said.values() for c in comments]
