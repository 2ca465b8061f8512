"""outline: what a function decides, every way through as a row; holes, overlaps, tests that are already decided."""

import ast
import builtins
import difflib
import re
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

from dreck.errors import BadSource, BadTarget, DreckError
from dreck.model.names.families import Families
from dreck.model.views.decided import Known
from dreck.model.views.switches import Arm, Span, Switch, switches, tables_of
from dreck.model.views.walking import ways_through
from dreck.model.views.ways import Way, Ways
from dreck.source.files import read
from dreck.source.functions import Function, FunctionNode, functions_in, parse
from dreck.source.targets import Target, resolve
from dreck.source.walking import walk
from dreck.workbench import workers
from dreck.workbench.engine.collector import calm
from dreck.workbench.queries.outlined import Example, Kept, Note, Outline, digest_of, key_of_file
from dreck.workbench.store.cache import Cache
from dreck.workbench.store.config import config_for

if TYPE_CHECKING:
    from concurrent.futures import Executor

_ENOUGH_FOR_TWO = 40
"""Fewer files are not worth another process."""


def outline(target: str | Path, through: str = "", examples: bool = False) -> Outline:
    """The outline of the one function `target` names; of a file with one function only, of that.

    With `through`, a condition as Python code, only the ways on which it may hold at the start. With `examples`, a
    real input beside each row, found by running the function in the cage.
    Raises BadTarget, BadSource, or DreckError when `through` is no expression or names what is not there.
    """
    found = outlines(target, through, examples)
    if len(found) != 1:
        raise BadTarget(f"{target}: name one of its {len(found)} functions, as in {target}::function")
    return found[0]


def outlines(
    target: str | Path,
    through: str = "",
    examples: bool = False,
    jobs: int = 1,
    executor: "Executor | None" = None,
    cache: bool = True,
) -> list[Outline]:
    """The outlines of all functions `target` names: a function, a class, a file or a folder.

    Of whole files, with `jobs` several processes share the work; with an `executor` of your own (any
    `concurrent.futures.Executor`) it does, where its workers see the same files. What is known of a text and of those
    beside it from before is not worked out again, unless `cache` is false.
    """
    given = _condition(through) if through else None
    places, in_folder = list(resolve(target)), Path(str(target)).is_dir()
    if examples or any(place.name is not None for place in places):
        found = [_outlined(*one, given, examples) for place in places for one in _chosen(place, given, in_folder)]
    else:
        found = [one for there in _of_files(places, through, in_folder, jobs, executor, cache) for one in there]
    if not found and given is not None:
        raise DreckError(f"--through '{through}': {_unknown(target, given)}")
    return found


def _of_files(
    places: list[Target], through: str, in_folder: bool, jobs: int, executor: "Executor | None", wanted: bool
) -> Iterator[list[Outline]]:
    """The outlines of whole files, in their order: known from before, or worked out now."""
    cache = Cache.opened(wanted)
    try:
        kept = Kept(cache, through)
        known = [kept.of(place.path) for place in places]
        left = [(place, through, in_folder) for place, one in zip(places, known, strict=True) if one is None]
        made = _worked_out(left, jobs, executor)
        for one in known:
            if one is None:
                key, found, beside = next(made)
                kept.put(key, found, beside)
            yield found if one is None else one
    finally:
        cache.close()


_Work = tuple[Target, str, bool]
_Made = tuple[str, list[Outline], dict[str, str]]
"""Under what the outlines of a file are kept ('': not at all), the outlines, and what the files beside it held that
they rest on, or would if they were there."""


def _worked_out(work: list[_Work], jobs: int, executor: "Executor | None") -> Iterator[_Made]:
    if executor is not None:
        yield from executor.map(_in_file, work)
    elif jobs < 2 or len(work) < _ENOUGH_FOR_TWO:
        yield from map(_in_file, work)
    else:
        with workers.pool(jobs) as pool:
            yield from pool.map(_in_file, work, chunksize=4)


def _in_file(work: _Work) -> _Made:
    place, through, in_folder = work
    given = _condition(through) if through else None
    beside: dict[str, str] = {}
    before = key_of_file(place.path, through)
    with calm():
        try:
            found = [_outlined(*one, given, False) for one in _chosen(place, given, False, beside)]
        except BadSource:
            if not in_folder:
                raise
            return "", [], {}
    return before if before == key_of_file(place.path, through) else "", found, beside


_Chosen = tuple[Path, str, Function, ast.Module, Families]


def _chosen(
    target: Target, given: ast.expr | None, one_of_many: bool, beside: dict[str, str] | None = None
) -> Iterator[_Chosen]:
    """The functions of one file that are meant, and that know the names of the condition given.

    What the files `beside` it hold that are looked into is noted there.
    """
    try:
        text = read(target.path).text
        tree = parse(text, target.path)
    except BadSource:
        if one_of_many:
            return
        raise
    families = families_of(target.path, tree, beside)
    for f in target.chosen(functions_in(tree, text)) if not one_of_many else functions_in(tree, text):
        is_meant = not f.nested or f.name == target.name
        if is_meant and (given is None or names_in(given) <= _names_known(f.node, tree)):
            yield target.path, text, f, tree, families


def names_in(code: ast.AST) -> set[str]:
    return {n.id for n in walk(code) if isinstance(n, ast.Name)}


def _names_known(function: FunctionNode, tree: ast.Module) -> set[str]:
    known = {n.arg for n in walk(function) if isinstance(n, ast.arg)} | names_in(function)
    return known | {name for s in tree.body for name in _bound_by(s)} | set(dir(builtins))


def _bound_by(s: ast.stmt) -> Iterator[str]:
    """The names a statement of a module binds."""
    match s:
        case ast.FunctionDef(name=name) | ast.AsyncFunctionDef(name=name) | ast.ClassDef(name=name):
            yield name
        case ast.Import(names=names) | ast.ImportFrom(names=names):
            yield from ((alias.asname or alias.name).partition(".")[0] for alias in names)
        case _:
            yield from (n.id for n in walk(s) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store))


def _unknown(target: str | Path, given: ast.expr) -> str:
    known: set[str] = set()
    for place in resolve(target):
        for _, _, f, tree, _ in _chosen(place, None, Path(str(target)).is_dir()):
            known |= _names_known(f.node, tree)
    missing = min(names_in(given) - known, default=min(names_in(given), default=""))
    near = difflib.get_close_matches(missing, sorted(known - set(dir(builtins))), 1)
    return f"there is no '{missing}' in it" + (f"; did you mean '{near[0]}'?" if near else "")


def _condition(through: str) -> ast.expr:
    try:
        return ast.parse(through.strip(), mode="eval").body
    except SyntaxError as error:
        raise DreckError(f"--through '{through}': is no Python expression: {error.msg}") from None


def _neighbours(path: Path, tree: ast.Module, beside: dict[str, str]) -> Iterator[ast.Module]:
    """Modules beside this one that it imports from: enums and classes often live there."""
    for node in walk(tree):
        if not isinstance(node, ast.ImportFrom) or not node.module:
            continue
        file = path.parent / f"{node.module.rpartition('.')[2]}.py"
        if file == path:
            continue
        beside[file.name] = digest_of(file)
        if not file.exists():
            continue
        try:
            yield parse(read(file).text, file)
        except DreckError:
            continue


def _outlined(
    path: Path, text: str, f: Function, tree: ast.Module, families: Families, given: ast.expr | None, examples: bool
) -> Outline:
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
    found, problem = _examples(path, text, f, tables[0]) if examples else ((), "")
    signature = _signature(f.node, tables)
    return Outline(f"{path}::{f.name}", f.node.lineno, signature, tables, tuple(notes), found, problem)


def _examples(path: Path, text: str, f: Function, table: Ways) -> tuple[tuple[tuple[int, Example], ...], str]:
    """A real input for each row of the first table, where a trial has found one; or why there are none."""
    from dreck.trial.server import ask_child  # few outlines ask for examples

    side = {"path": str(path.absolute()), "text": text, "name": f.name}
    answer = ask_child({"work": "dreck.trial.alone:rows", "old": side, "open": [], "cage": config_for(path).cage})
    if "error" in answer:
        return (), answer["error"]
    found: dict[int, Example] = {}
    for told in answer["rows"]:
        falls_into = [i for i, way in enumerate(table.ways) if _is_on(way, told)]
        if len(falls_into) == 1:
            found.setdefault(falls_into[0], Example(told["input"], told["result"]))
    return tuple(sorted(found.items())), "" if found else "no input was found that shows which row it falls into"


def _is_on(way: Way, told: dict[str, Any]) -> bool:
    """Whether an input that was tried is on this way."""
    outcomes = {(line, column): outcome for line, column, outcome in told["trail"]}
    asked = zip(way.places, way.asked, strict=False)
    return _ends_so(way.exit, told["result"]) and all(
        outcome is None or outcomes.get(place) is outcome for place, (_, outcome) in asked
    )


def _ends_so(exit_: str, result: str) -> bool:
    """Whether what came back is what the way ends with, and not an error of an act on the way."""
    raised = re.match(r"raise ([\w.]+)", exit_)
    if raised is None:
        return result.startswith("raises" if exit_.startswith("raise") else "returns")
    name = raised[1].rpartition(".")[2]
    return result.startswith(f"raises {name}" if name[:1].isupper() else "raises")


# --- notes -------------------------------------------------------------------------------------------


def families_of(path: Path, tree: ast.Module, beside: dict[str, str] | None = None) -> Families:
    """The enums and classes of a module and of those beside it that it imports from."""
    return Families.of([*_neighbours(path, tree, {} if beside is None else beside), tree])


def notes_about(function: FunctionNode, tree: ast.Module, families: Families) -> list[Note]:
    """Holes and overlaps of the switches in a function."""
    return list(_switch_notes(function, tree, families, tuple(ways_through(function, None))))


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
    for node in walk(function):
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
