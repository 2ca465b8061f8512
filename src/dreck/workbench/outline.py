"""outline: what a function decides, every way through as a row; holes, overlaps, tests that are already decided."""

import ast
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from dreck.errors import BadTarget, DreckError
from dreck.model.names.families import Families
from dreck.model.views.decided import Known
from dreck.model.views.switches import Arm, Span, Switch, switches, tables_of
from dreck.model.views.ways import Way, Ways, ways_through
from dreck.source.files import read
from dreck.source.functions import Function, FunctionNode, functions_in, parse
from dreck.source.targets import Target

if TYPE_CHECKING:
    import pandas


@dataclass(frozen=True, slots=True)
class Note:
    """Something worth knowing: `kind` is `hole`, `overlap`, `decided`, `same exit` or `impossible`."""

    kind: str
    line: int
    text: str


@dataclass(frozen=True, slots=True)
class Outline:
    """One function: its `signature` with what it returns and raises, its tables of ways, and notes on them."""

    function: str
    line: int
    signature: str
    tables: tuple[Ways, ...]
    notes: tuple[Note, ...]

    def as_json(self) -> dict[str, Any]:
        """The form documented in docs/json.md."""
        return {
            "function": self.function,
            "line": self.line,
            "signature": self.signature,
            "tables": [_table_json(table) for table in self.tables],
            "notes": [{"kind": n.kind, "line": n.line, "text": n.text} for n in self.notes],
        }

    def rows(self) -> list[dict[str, Any]]:
        """One dictionary a way: a column for each condition, then `acts`, `exit` and `line`."""
        return [
            {"function": self.function, "table": table.title, **dict(way.asked), **_ending(way)}
            for table in self.tables
            for way in table.ways
        ]

    def to_frame(self) -> "pandas.DataFrame":
        """The rows as a pandas DataFrame; a condition that is not asked is missing. Needs the extra `frames`."""
        try:
            import pandas
        except ImportError:
            raise DreckError("to_frame() needs pandas: install dreck[frames]") from None
        return pandas.DataFrame(self.rows())


def _ending(way: Way) -> dict[str, Any]:
    return {"acts": "; ".join(way.acts), "exit": way.exit, "line": way.line}


def _table_json(table: Ways) -> dict[str, Any]:
    return {
        "title": table.title,
        "conditions": list(table.conditions),
        "ways": [{"asked": dict(w.asked), "acts": list(w.acts), "exit": w.exit, "line": w.line} for w in table.ways],
        "count": table.count,
        "impossible": table.impossible,
    }


def outline(target: str | Path, through: str = "") -> Outline:
    """The outline of the one function `target` names; of a file with one function only, of that.

    With `through`, a condition as Python code, only the ways on which it may hold at the start.
    Raises BadTarget, BadSource, or DreckError when `through` is no expression.
    """
    found = outlines(target, through)
    if len(found) != 1:
        raise BadTarget(f"{target}: name one of its {len(found)} functions, as in {target}::function")
    return found[0]


def outlines(target: str | Path, through: str = "") -> list[Outline]:
    """The outlines of all functions `target` names."""
    place, mark, name = str(target).partition("::")
    if mark and not name:
        raise BadTarget(f"{target}: a name is wanted after '::', as in {place}::function")
    path = Path(place)
    text = read(path).text
    tree = parse(text, path)
    functions = [
        f for f in Target(path, name or None).chosen(functions_in(tree, text)) if not f.nested or f.name == name
    ]
    families = Families.of([*_neighbours(path, tree), tree])
    given = _condition(through) if through else None
    return [_outlined(path, f, tree, families, given) for f in functions]


def _condition(through: str) -> ast.expr:
    try:
        return ast.parse(through.strip(), mode="eval").body
    except SyntaxError as error:
        raise DreckError(f"--through '{through}': is no Python expression: {error.msg}") from None


def _neighbours(path: Path, tree: ast.Module) -> Iterator[ast.Module]:
    """Modules beside this one that it imports from: enums and classes often live there."""
    for node in ast.walk(tree):
        if not isinstance(node, ast.ImportFrom) or not node.module:
            continue
        file = path.parent / f"{node.module.rpartition('.')[2]}.py"
        if not file.exists() or file == path:
            continue
        try:
            yield parse(read(file).text, file)
        except DreckError:
            continue


def _outlined(path: Path, f: Function, tree: ast.Module, families: Families, given: ast.expr | None) -> Outline:
    tables = tuple(ways_through(f.node, given))
    notes = [
        *_switch_notes(f.node, tree, families, tables),
        *(Note("decided", line, f"is always {outcome} here") for _, _, line, outcome, _ in Known(f.node).settled()),
        *_same_exits(f.node),
    ]
    impossible = sum(table.impossible for table in tables)
    if impossible and given is None:
        notes.append(Note("impossible", f.node.lineno, f"{impossible} ways contradict themselves and are left out"))
    notes.sort(key=lambda note: note.line)
    return Outline(f"{path}::{f.name}", f.node.lineno, _signature(f.node, tables), tables, tuple(notes))


# --- notes -------------------------------------------------------------------------------------------


def _switch_notes(
    function: FunctionNode, tree: ast.Module, families: Families, tables: tuple[Ways, ...]
) -> Iterator[Note]:
    for switch in switches(function, tables_of(tree)):
        if switch.form != "scattered":
            yield from _overlaps(switch, families)
        if not switch.default:
            yield from _holes(switch, families, tables)


def _holes(switch: Switch, families: Families, tables: tuple[Ways, ...]) -> Iterator[Note]:
    then = _then(switch, tables)
    if switch.by == "range":
        for gap in _gaps(switch.arms):
            yield Note("hole", switch.line, f"{gap.told(switch.subject)}: no branch{then}")
        return
    missing = missing_kinds(switch, families)
    if missing is None:
        told = "any other class" if switch.by == "type" else "any other value"
        yield Note("hole", switch.line, f"{switch.subject} of {told}: no branch{then}")
    elif missing:
        yield Note("hole", switch.line, f"{switch.subject} = {', '.join(missing)}: no branch{then}")


def missing_kinds(switch: Switch, families: Families) -> list[str] | None:
    """Kinds of the same enum or class family that no arm takes; None when it is not known which there are."""
    taken = set(switch.kinds)
    enum = families.enum_of(taken)
    if enum is not None:
        return [f"{enum}.{member}" for member in families.members[enum] if f"{enum}.{member}" not in taken]
    if not (switch.by == "type" and taken <= families.bases.keys()):
        return None
    roots = {families.root(kind) for kind in taken}
    if len(roots) == 1:
        leaves = families.leaves(next(iter(roots)))
        return [name for name in leaves if not families.ancestors(name) & taken]
    return None


def _gaps(arms: tuple[Arm, ...]) -> list[Span]:
    left = [Span()]
    for arm in arms:
        if arm.span is not None and arm.exact:
            left = [part for span in left for part in span.without(arm.span)]
    return left


def _overlaps(switch: Switch, families: Families) -> Iterator[Note]:
    left, taken = [Span()], dict[str, int]()
    for arm in switch.arms:
        if switch.by == "range" and arm.span is not None:
            if not any(not span.meet(arm.span).is_empty for span in left):
                yield Note(
                    "overlap", arm.line, f"{arm.span.told(switch.subject)} is all taken by branches above: never runs"
                )
            if arm.exact:
                left = [part for span in left for part in span.without(arm.span)]
            continue
        for kind in arm.kinds:
            before = next((t for t in families.ancestors(kind) if t in taken), None)
            if before is not None:
                why = "" if before == kind else f", as a {before}"
                yield Note("overlap", arm.line, f"{kind} is taken at line {taken[before]} already{why}: never runs")
        if arm.exact:
            taken |= {kind: arm.line for kind in arm.kinds if kind not in taken}


def _then(switch: Switch, tables: tuple[Ways, ...]) -> str:
    """What happens to what no branch takes, where one row of a table tells."""
    for table in tables:
        for way in table.ways:
            about = [(code, o) for code, o in way.asked if switch.subject in code and o is not None]
            if len(about) >= len(switch.arms) and not any(outcome for _, outcome in about):
                return f"; then: {way.exit}"
    return ""


def _same_exits(function: FunctionNode) -> Iterator[Note]:
    lines: dict[str, list[int]] = {}
    for node in ast.walk(function):
        if isinstance(node, ast.Return | ast.Raise) and not _is_bare(node):
            lines.setdefault(ast.unparse(node), []).append(node.lineno)
    for code, found in lines.items():
        if len(found) > 1:
            *first, last = sorted(found)
            who = "both" if len(found) == 2 else "all"
            yield Note("same exit", first[0], f"lines {', '.join(map(str, first))} and {last} {who} say `{_cut(code)}`")


def _is_bare(node: ast.Return | ast.Raise) -> bool:
    return (node.value if isinstance(node, ast.Return) else node.exc) is None


def _signature(function: FunctionNode, tables: tuple[Ways, ...]) -> str:
    returned = dict.fromkeys(w.exit.removeprefix("return ") for w in tables[0].ways if w.exit.startswith("return"))
    ends = any(w.exit.startswith("falls") for w in tables[0].ways)
    leaving = [way.exit.removeprefix("raise").strip() for t in tables for way in t.ways if way.exit.startswith("raise")]
    raised = dict.fromkeys(code.partition("(")[0] or "again" for code in leaving)
    values = [*returned, *(["None"] if ends and "None" not in returned else [])]
    gives = " | ".join(_cut(v) for v in values[:6]) + (" | ..." if len(values) > 6 else "")
    tail = f"; raises {', '.join(raised)}" if raised else ""
    return f"{function.name}({ast.unparse(function.args)}) -> {gives or '?'}{tail}"


def _cut(code: str) -> str:
    return code if len(code) <= 40 else code[:37] + "..."
