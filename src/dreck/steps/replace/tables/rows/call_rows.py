"""Call rows: the same call again and again with other constants becomes rows of a table and one loop over them."""

import ast
from collections.abc import Iterator, Sequence

from dreck.source.functions import FunctionNode
from dreck.source.walking import walk
from dreck.steps.replace.tables.rows.runs import planned_runs
from dreck.steps.support.chains import comments_of, put_table
from dreck.steps.support.names.table_names import own_constant
from dreck.steps.support.names.wording import constant_name, is_free
from dreck.steps.support.names.words import words_of
from dreck.steps.support.scene import NotPlanned, Plan, Scene
from dreck.steps.support.sheet import Range, Sheet
from dreck.steps.support.trees import Untouchable


def plans(scene: Scene) -> Iterator[Plan | NotPlanned]:
    """Runs of three statements or more that are one call, or add one call's value, with other constants each."""
    return planned_runs(scene, lambda block, at: len(_run(block, at)), lambda run: _planned(scene, run))


def call_of(s: ast.stmt) -> ast.Call | None:
    match s:
        case ast.Expr(value=ast.Call() as call) | ast.AugAssign(target=ast.Name(), value=ast.Call() as call):
            return call
    return None


def _run(block: Sequence[ast.stmt], start: int) -> list[ast.stmt]:
    found: list[ast.stmt] = []
    for s in block[start:]:
        if call_of(s) is None or (found and _shape(s) != _shape(found[0])):
            break
        found.append(s)
    return found


def _shape(s: ast.stmt) -> tuple[str, ...]:
    call = call_of(s)
    assert call is not None
    head = f"{ast.dump(s.target)} {type(s.op).__name__}" if isinstance(s, ast.AugAssign) else ""
    return (head, ast.dump(call.func), str(len(call.args)), *(str(k.arg) for k in call.keywords))


def _planned(scene: Scene, run: list[ast.stmt]) -> Plan:
    calls = [call for s in run if (call := call_of(s)) is not None]
    parts = [[*call.args, *(k.value for k in call.keywords)] for call in calls]
    differing = [i for i in range(len(parts[0])) if len({ast.dump(p[i]) for p in parts}) > 1]
    if not differing:
        raise Untouchable("the same call again and again with the same arguments")
    others = [row[i] for row in parts for i in differing]
    if any(isinstance(part, ast.Starred) or not _is_constant(part) for part in others):
        raise Untouchable("what differs between the calls is worked out; only constants can stand in rows")
    sheet = scene.sheet()
    first, last = run[0].lineno, run[-1].end_lineno or run[-1].lineno
    indent = sheet.indent(first)
    if len(indent.encode()) != run[0].col_offset or comments_of(sheet, first, last):
        raise Untouchable("comments stand between the calls, or they share a line with something else")
    columns = _columns(scene, calls[0], differing)
    name = own_constant(scene, constant_name([*words_of(_called(calls[0])), "rows"], scene.all_words()))
    unit = sheet.unit(scene.node)
    rows = "".join(f"{unit}{_row(sheet, row, differing)},\n" for row in parts)
    put_table(scene, sheet, f"{name} = (\n{rows})\n")
    line = _looped(sheet, run[0], calls[0], differing, columns)
    asked = (
        as_parameter(scene, sheet, name, [[row[i] for i in differing] for row in parts])
        if scene.wishes.form == "parameter"
        else name
    )
    head = f"for {', '.join(columns)} in {asked}:"
    sheet.replace_lines(first, last, f"{indent}{head}\n{indent}{unit}{line}\n")
    return Plan(first, f"{len(run)} calls of {_called(calls[0])} are rows of {name}", sheet.result(), (name,))


def as_parameter(
    scene: Scene, sheet: Sheet, table: str, rows: Sequence[Sequence[ast.expr]], called: str = "rows"
) -> str:
    """Other rows may be passed in; who passes none gets the table."""
    spec = scene.node.args
    taken = {n.id for n in walk(scene.node) if isinstance(n, ast.Name)} | scene.scope.params
    own = next((n for n in (called, table.strip("_").lower()) if is_free(n, taken)), "")
    if (
        not own
        or spec.vararg
        or spec.kwarg
        or spec.kwonlyargs
        or scene.function.nested
        or getattr(scene.node, "type_params", None)
    ):
        raise Untouchable("its parameters leave no plain place for the rows; without --as parameter they are a table")
    annotated = any(a.annotation is not None for a in (*spec.posonlyargs, *spec.args))
    typed = _type_of(rows) if annotated and rows else ""
    told = f"{own}: {typed} = {table}" if typed else f"{own}={table}"
    given = [*spec.posonlyargs, *spec.args]
    if given:
        last = sheet.in_parentheses(spec.defaults[-1]).end if spec.defaults else sheet.of(given[-1]).end
        sheet.replace(Range(last, last), f", {told}")
        return own
    at = sheet.text.index("(", sheet.line_start(scene.node.lineno)) + 1
    sheet.replace(Range(at, at), told)
    return own


def _type_of(rows: Sequence[Sequence[ast.expr]]) -> str:
    """`tuple[tuple[str, int], ...]` where each column holds values of one type; else ''."""
    columns = [
        {type(e.value).__name__ if isinstance(e, ast.Constant) else "" for e in column}
        for column in zip(*rows, strict=True)
    ]
    if any(len(kinds) > 1 or "" in kinds for kinds in columns):
        return ""
    names = [kinds.pop() for kinds in columns]
    return f"tuple[{names[0]}, ...]" if len(names) == 1 else f"tuple[tuple[{', '.join(names)}], ...]"


def _is_constant(e: ast.expr) -> bool:
    match e:
        case ast.Constant() | ast.UnaryOp(op=ast.USub(), operand=ast.Constant()):
            return True
        case ast.Tuple(elts=elts):
            return all(map(_is_constant, elts))
    return False


def _called(call: ast.Call) -> str:
    return ast.unparse(call.func).rpartition(".")[2].strip("_")


def _row(sheet: Sheet, row: Sequence[ast.expr], differing: Sequence[int]) -> str:
    codes = [sheet.code(row[i]) for i in differing]
    return codes[0] if len(codes) == 1 else f"({', '.join(codes)})"


def _columns(scene: Scene, call: ast.Call, differing: Sequence[int]) -> list[str]:
    """What the parameters are called that differ; by what the function is, or by numbers."""
    names: list[str | None] = [None for _ in call.args]
    names += [k.arg for k in call.keywords]
    known = scene.names.definitions.get(call.func.id) if isinstance(call.func, ast.Name) else None
    if isinstance(known, FunctionNode):
        own = [a.arg for a in (*known.args.posonlyargs, *known.args.args)]
        names[: len(call.args)] = [*own, *names][: len(call.args)]
    taken = {n.id for n in walk(scene.node) if isinstance(n, ast.Name)} | scene.scope.params
    found = [names[i] for i in differing]
    if all(name and name not in taken for name in found):
        return [name for name in found if name]
    if any(name is None for name in found):
        raise Untouchable(f"what {_called(call)} calls its parameters is not known here; name them with keywords first")
    return [f"{name}_" if name in taken else str(name) for name in found]


def _looped(sheet: Sheet, s: ast.stmt, call: ast.Call, differing: Sequence[int], columns: Sequence[str]) -> str:
    names = dict(zip(differing, columns, strict=True))
    parts = [names.get(i) or sheet.code(a) for i, a in enumerate(call.args)]
    for i, k in enumerate(call.keywords, len(call.args)):
        parts.append(f"{k.arg}={names.get(i) or sheet.code(k.value)}")
    told = f"{sheet.code(call.func)}({', '.join(parts)})"
    if isinstance(s, ast.AugAssign):
        lead = sheet.text[sheet.of(s.target).start : sheet.of(call).start]
        return f"{lead}{told}"
    return told
