"""row-list: lists that run side by side, or dicts with the same keys, become one of rows with named fields."""

import ast
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from dreck.source.walking import walk
from dreck.steps.catalogue import Step
from dreck.steps.replace.tables.rows.walks import Along, Walk, walks_in
from dreck.steps.support.imports import add_imports
from dreck.steps.support.names.wording import is_free
from dreck.steps.support.names.words import words_of
from dreck.steps.support.scene import NotPlanned, Plan, Scene
from dreck.steps.support.sheet import Sheet
from dreck.steps.support.trees import Untouchable

_FEWEST = 2
_PLAIN = frozenset({"str", "int", "float", "bool", "bytes"})


@dataclass(frozen=True, slots=True)
class Column:
    """One of the lists or dicts: where it is bound, and its values."""

    name: str
    bound: ast.Assign
    values: tuple[ast.expr, ...]
    keys: tuple[ast.expr, ...] = ()


def plans(scene: Scene) -> Iterator[Plan | NotPlanned]:
    """Columns that a loop of the function walks by index, or that it reads under one key."""
    seen: set[frozenset[str]] = set()
    for names, walks in [*_walked(scene), *_keyed(scene)]:
        if frozenset(names) in seen:
            continue
        seen.add(frozenset(names))
        try:
            yield _planned(scene, names, walks)
        except Untouchable as error:
            yield NotPlanned(walks[0].line if walks else scene.node.lineno, str(error))


# --- what belongs together -----------------------------------------------------------------------------


def _walked(scene: Scene) -> Iterator[tuple[list[str], list[Walk | Along]]]:
    """Columns that a loop of the function goes along, with all that goes along them in the module, too."""
    every = [w for w in walks_in(scene.tree) if len(w.columns()) > 1 or isinstance(w, Along)]
    for own in [w for w in every if w.stands_in(scene.node.body) and len(w.columns()) >= _FEWEST]:
        names, found = own.columns(), [own]
        while more := [w for w in every if w not in found and set(w.columns()) & set(names)]:
            found += more
            names = list(dict.fromkeys([*names, *(name for w in more for name in w.columns())]))
        yield names, found


def _keyed(scene: Scene) -> Iterator[tuple[list[str], list[Walk | Along]]]:
    """Dicts of the module that the function reads under one and the same key."""
    found: dict[str, list[str]] = {}
    for n in walk(scene.node):
        match n:
            case ast.Subscript(value=ast.Name(id=name), slice=key, ctx=ast.Load()) if _dict_named(scene, name):
                names = found.setdefault(ast.dump(key), [])
                names += [name] if name not in names else []
    for names in found.values():
        if len(names) >= _FEWEST:
            yield names, []


def _dict_named(scene: Scene, name: str) -> bool:
    return any(
        isinstance(s, ast.Assign) and isinstance(s.value, ast.Dict) and ast.unparse(s.targets[0]) == name
        for s in scene.tree.body
    )


def _column(scene: Scene, name: str) -> Column:
    bound = [
        s
        for s in walk(scene.tree)
        if isinstance(s, ast.Assign) and any(isinstance(t, ast.Name) and t.id == name for t in s.targets)
    ]
    if name in scene.scope.params:
        raise Untouchable(f"{name} comes from outside; who calls the function would have to pass rows")
    if len(bound) != 1 or len(bound[0].targets) != 1:
        raise Untouchable(f"{name} is bound in more than one place, or not in this module")
    match bound[0].value:
        case ast.List(elts=elts) | ast.Tuple(elts=elts) if not any(isinstance(e, ast.Starred) for e in elts):
            return Column(name, bound[0], tuple(elts))
        case ast.Dict(keys=keys, values=values) if all(isinstance(k, ast.Constant) for k in keys):
            return Column(name, bound[0], tuple(values), tuple(k for k in keys if k is not None))
    raise Untouchable(f"what {name} holds is not written out where it is bound")


# --- rows ----------------------------------------------------------------------------------------------


def _planned(scene: Scene, names: Sequence[str], walks: Sequence[Walk | Along]) -> Plan:
    columns = [_column(scene, name) for name in names]
    _check(scene, columns, walks)
    sheet = scene.sheet()
    kind, fields = _named(scene, names)
    rows = f"{kind.upper()}S" if not kind.endswith("s") else f"{kind.upper()}_LIST"
    local = columns[0].bound not in scene.tree.body
    rows = rows.lower() if local else rows
    if not is_free(rows, scene.all_words()):
        raise Untouchable(f"the name {rows} is taken; give the rows another with --name '{names[0]}=NAME'")
    unit = sheet.unit(scene.node)
    add_imports(scene, sheet, ["from typing import NamedTuple"])
    types = [_type_of(column) for column in columns]
    told = "".join(f"{unit}{field}: {type_}\n" for field, type_ in zip(fields, types, strict=True))
    head = f"class {kind}(NamedTuple):\n{told}\n\n"
    last = max(columns, key=lambda c: c.bound.lineno).bound
    indent = sheet.indent(last.lineno)
    lines = _lines(sheet, columns, kind, unit)
    brackets = "{}" if columns[0].keys else "[]" if isinstance(columns[0].bound.value, ast.List) else "()"
    made = (
        f"{rows} = {brackets[0]}\n" + "".join(f"{indent}{unit}{line},\n" for line in lines) + f"{indent}{brackets[1]}\n"
    )
    if local:
        sheet.insert(_top(scene, sheet), f"{head}")
    for column in columns:
        end = column.bound.end_lineno or column.bound.lineno
        if column.bound is not last:
            end = _blank_lines_after(sheet, column.bound.lineno, end)
        own = f"{indent}{made}" if column.bound is last else ""
        sheet.replace_lines(column.bound.lineno, end, own if local or not own else f"\n{head}{own}".lstrip("\n"))
    _read_by_name(scene, sheet, columns, fields, rows, kind.lower(), walks)
    reason = f"{', '.join(names[:-1])} and {names[-1]} are one {'table' if columns[0].keys else 'list'} of rows, {rows}"
    return Plan(scene.node.lineno, reason, sheet.result(), (kind, rows))


def _blank_lines_after(sheet: Sheet, first: int, last: int) -> int:
    """The last of the blank lines below something that goes, where blank lines, or nothing, stand above it, too."""
    above = first == 1 or not sheet.line(first - 1).strip()
    while above and not sheet.line(last + 1).strip():
        last += 1
    return last


def _top(scene: Scene, sheet: Sheet) -> int:
    line = min([scene.outermost.lineno, *(d.lineno for d in getattr(scene.outermost, "decorator_list", []))])
    while line > 1 and sheet.line(line - 1).startswith("#"):
        line -= 1
    return int(line)


def _check(scene: Scene, columns: Sequence[Column], walks: Sequence[Walk | Along]) -> None:
    sizes = {len(c.values) for c in columns}
    if len(sizes) != 1 or len({type(c.bound.value) for c in columns}) != 1:
        raise Untouchable("they are of different lengths or sorts")
    if len({tuple(map(ast.dump, c.keys)) for c in columns}) != 1:
        raise Untouchable("their keys are not the same")
    if len({c.bound in scene.tree.body for c in columns}) != 1:
        raise Untouchable("some of them belong to the module, others to the function")
    beside = scene.others.words_beside(scene.path) if scene.others is not None else frozenset()
    for column in columns:
        if column.name in beside:
            raise Untouchable(f"{column.name} is used in other files of the project")
        if scene.sheet().comments_in(scene.sheet().of(column.bound)):
            raise Untouchable(f"comments stand in {column.name}; they would lose their place")
    for one in walks:
        one.check(scene)
    allowed = set(_understood(scene, columns, walks))
    for n in walk(scene.tree):
        if isinstance(n, ast.Name) and n.id in {c.name for c in columns} and n not in allowed:
            raise Untouchable(f"{n.id} is used in another way in line {n.lineno}")


def _understood(scene: Scene, columns: Sequence[Column], walks: Sequence[Walk | Along]) -> Iterator[ast.Name]:
    """The places where a column is bound, walked, or read at an index or under a key."""
    names = {c.name for c in columns}
    for one in walks:
        yield from one.understood()
    for n in walk(scene.tree):
        match n:
            case ast.Assign(targets=[ast.Name() as target]) if target.id in names:
                yield target
            case ast.Call(func=ast.Name(id="len"), args=[ast.Name() as read], keywords=[]):
                yield read
            case ast.Subscript(value=ast.Name() as read, slice=at, ctx=ast.Load()) if not isinstance(at, ast.Slice):
                yield read
            case ast.Compare(ops=[ast.In() | ast.NotIn()], comparators=[ast.Name() as read]) if not walks:
                yield read
            case ast.For(iter=ast.Name() as read) if not walks:
                yield read


_JOINING = frozenset({"of", "by", "for", "table", "map", "dict"})
"""What `FEE_OF` and `FEE_TABLE` say of themselves, and not of what they hold."""


def _named(scene: Scene, names: Sequence[str]) -> tuple[str, list[str]]:
    """What a row is called, and its fields: by what the names have in common, and by what they have not."""
    every = [words_of(name) for name in names]
    size = next((at for at, words in enumerate(zip(*every, strict=False)) if len(set(words)) > 1), 0)
    shared = every[0][:size]
    words = [words_of(name)[len(shared) :] for name in names]
    wished = next((wish for name in names if (wish := scene.wishes.name_for(name))), "")
    kind = wished or ("".join(w.capitalize() for w in shared) if shared else "Row")
    if not is_free(kind, scene.all_words()):
        raise Untouchable(f"the name {kind} is taken; give the rows another with --name '{names[0]}=NAME'")
    words = [w[:-1] if len(w) > 1 and w[-1] in _JOINING else w for w in words]
    fields = ["_".join([*w[:-1], _one_of(w[-1])]) if w else "" for w in words]
    if not all(field.isidentifier() for field in fields) or len(set(fields)) != len(fields):
        raise Untouchable("their names do not tell what the fields are")
    return kind, fields


def _one_of(word: str) -> str:
    """A field for a column: `prices` is `price`, `fees` is `fee`; what is no plural stays."""
    if word.endswith("ies") and len(word) > 4:
        return f"{word[:-3]}y"
    if word.endswith(("ses", "xes", "shes", "ches")) and len(word) > 4:
        return word[:-2]
    return word[:-1] if word.endswith("s") and not word.endswith(("ss", "us", "is")) else word


def _type_of(column: Column) -> str:
    plain = [v.operand if isinstance(v, ast.UnaryOp) and isinstance(v.op, ast.USub) else v for v in column.values]
    kinds = {type(v.value).__name__ if isinstance(v, ast.Constant) else "" for v in plain}
    kinds = {"float"} if kinds == {"int", "float"} else kinds
    return kinds.pop() if len(kinds) == 1 and kinds <= _PLAIN else "object"


def _lines(sheet: Sheet, columns: Sequence[Column], kind: str, unit: str) -> list[str]:
    lines = []
    for at in range(len(columns[0].values)):
        row = f"{kind}({', '.join(sheet.code(c.values[at]) for c in columns)})"
        lines.append(f"{sheet.code(columns[0].keys[at])}: {row}" if columns[0].keys else row)
    return lines


def _read_by_name(
    scene: Scene,
    sheet: Sheet,
    columns: Sequence[Column],
    fields: Sequence[str],
    rows: str,
    row: str,
    walks: Sequence[Walk | Along],
) -> None:
    field_of = {c.name: field for c, field in zip(columns, fields, strict=True)}
    loops = [one.at if isinstance(one, Along) else one.loop for one in walks]
    done = {n for one in walks if isinstance(one, Walk) for n in one.reads()}
    for one in walks:
        one.over_rows(scene, sheet, field_of, rows, row)
    going = {n for loop in loops for n in walk(loop.iter)}
    for n in walk(scene.tree):
        match n:
            case ast.Call(func=ast.Name(id="len"), args=[ast.Name(id=name) as read]) if name in field_of:
                if n not in going:
                    sheet.replace(read, rows)
            case ast.Subscript(value=ast.Name(id=name) as read, ctx=ast.Load()) if name in field_of and n not in done:
                sheet.replace(n, f"{rows}[{sheet.code(n.slice)}].{field_of[name]}")
            case ast.Compare(comparators=[ast.Name(id=name) as read]) | ast.For(iter=ast.Name(id=name) as read):
                if name in field_of and not walks:
                    sheet.replace(read, rows)


STEP = Step(
    name="row-list",
    group="replace",
    order=285,
    summary="Lists that run side by side, or dicts with the same keys, become one of rows with named fields.",
    why="What belongs together stands in one row; no index can slip, and a field has a name.",
    when_not="When the lists come from outside, or are used apart.",
    before="""\
BIN_NAMES = ["glass", "paper"]
BIN_PRICES = [3, 5]


def labels(kilos):
    found = []
    for i in range(len(BIN_NAMES)):
        if BIN_PRICES[i] * kilos > 100:
            found.append(BIN_NAMES[i])
    return found
""",
    after="""\
from typing import NamedTuple


class Bin(NamedTuple):
    name: str
    price: int


BINS = [
    Bin("glass", 3),
    Bin("paper", 5),
]


def labels(kilos):
    found = []
    for row in BINS:
        if row.price * kilos > 100:
            found.append(row.name)
    return found
""",
    traps=(
        "Lists of different lengths: the shorter one would have raised.",
        "A list that is used elsewhere, too, cannot go.",
    ),
    plans=plans,
    by_default=False,
)
