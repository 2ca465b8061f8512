"""Renaming what Dreck has named: in the module, in those that import it, in its pins."""

import ast
import builtins
from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path

from dreck.errors import DreckError
from dreck.source.functions import parse
from dreck.source.walking import walk
from dreck.steps.support.scene import Others
from dreck.workbench.compare.compare import judge_rewrite
from dreck.workbench.compare.sides import Text
from dreck.workbench.engine.renaming_locals import renamed_local
from dreck.workbench.engine.reshape import Bench, Change, Reshaped, with_name
from dreck.workbench.engine.stage import project_files
from dreck.workbench.results import Taken
from dreck.workbench.store.journal import Journal
from dreck.workbench.store.place import relative

STEP = "rename"


def renamed_where_made(bench: Bench, done: Reshaped, functions: Sequence[str]) -> Reshaped:
    """`--name old=new`, where `old` is a name that Dreck made in this file earlier: it is renamed everywhere.

    So is a local variable or a parameter, where one function is meant. Raises DreckError when the new name is taken.
    """
    made_now = {name for change in done.changes for name in change.taken.made}
    given = {old: new for old, new in bench.wishes.names.items() if old.isidentifier() and old != new}
    wishes = {old: new for old, new in given.items() if new not in made_now}
    known = _made_before(bench.file.path)
    outer = min(functions, key=len, default="")
    is_one = bool(outer) and all(name == outer or name.startswith(f"{outer}.") for name in functions)
    for old in sorted(wishes.keys() - known - made_now):
        local = renamed_local(bench, done.text, outer, old, wishes[old]) if is_one else None
        if local is None:
            what = "no local of it either" if is_one else "for a local a function is to be named: path.py::f"
            raise DreckError(f"{bench.file.path}: '{old}' is no name that Dreck made here, and {what}")
        done.changes.append(local)
        done.text = local.after
    for old in wishes.keys() & (known - made_now):
        change = _renaming(bench, done.text, old, wishes[old])
        if change is None:
            continue
        done.changes.append(change)
        done.text = change.after
    return done


def naming_steps(names: Mapping[str, str]) -> list[str]:
    """The steps that give names to such code, when nobody says which: conditions, bare values; none to rename."""
    found: list[str] = []
    for code in names:
        try:
            e = ast.parse(code.strip(), mode="eval").body
        except SyntaxError:
            raise DreckError(f"--name '{code}={names[code]}': '{code}' is no expression in Python") from None
        if isinstance(e, ast.Constant | ast.UnaryOp) and not isinstance(getattr(e, "op", None), ast.Not):
            found.append("named-constant")
        elif not isinstance(e, ast.Name):
            found.append("named-predicate")
    return list(dict.fromkeys(found))


def _made_before(path: Path) -> set[str]:
    journal = Journal.of(path)
    here = journal.root / relative(journal.root, path)
    parts = [part for record in journal.records() for part in record.parts if part.path == here]
    return {name for part in parts for entry in part.entries for name in entry.made}


def _renaming(bench: Bench, text: str, old: str, new: str) -> Change | None:
    path = bench.file.path
    tree = parse(text, path)
    if new in _words(tree) or hasattr(builtins, new):
        raise DreckError(f"{path}: '{new}' is taken already; choose another name for '{old}'")
    after = with_name(text, old, new)
    if after == text:
        return None
    function = next((n.name for n in walk(tree) if isinstance(n, ast.FunctionDef) and old in _words(n)), "")
    verdict = judge_rewrite(
        Text(path, text), Text(path, after), replace(bench.wanted), removed=(*_functions_named(tree, old),)
    )
    if not verdict and verdict.status == "differs":
        raise DreckError(f"{path}: with '{new}' for '{old}' it would not do the same: {verdict}")
    others = {}
    for other, before, _ in Others(project_files(path)).importing(path):
        changed = with_name(before, old, new)
        if changed != before:
            others[other] = (before, changed)
    return Change(function, Taken(STEP, 1, f"{old} is called {new}", verdict, (new,)), text, after, others)


def _functions_named(tree: ast.Module, name: str) -> list[str]:
    found = []
    for s in tree.body:
        if isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef) and s.name == name:
            found.append(name)
        if isinstance(s, ast.ClassDef):
            found += [f"{s.name}.{name}" for m in s.body if isinstance(m, ast.FunctionDef) and m.name == name]
            found += [f"{name}.{m.name}" for m in s.body if isinstance(m, ast.FunctionDef) and s.name == name]
    return found


def _words(tree: ast.AST) -> set[str]:
    return {
        word
        for n in walk(tree)
        for word in (
            getattr(n, "id", None),
            getattr(n, "attr", None),
            getattr(n, "name", None),
            getattr(n, "arg", None),
        )
        if isinstance(word, str)
    }
