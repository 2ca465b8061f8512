"""Imports that a rewritten module needs, below those it has."""

import ast
from collections.abc import Sequence

from dreck.steps.support.scene import Scene
from dreck.steps.support.sheet import Sheet


def add_imports(scene: Scene, sheet: Sheet, codes: Sequence[str]) -> None:
    """Imports the module does not have yet, below those it has, or below its docstring."""
    top = _imports_at_top(scene.tree)
    have = {a.asname or a.name for s in top if isinstance(s, ast.Import | ast.ImportFrom) for a in s.names}
    missing = [code for code in codes if code.rpartition(" ")[2] not in have]
    if not missing:
        return
    code = "\n".join(missing)
    if top:
        sheet.insert((top[-1].end_lineno or top[-1].lineno) + 1, f"{code}\n")
        return
    first = scene.tree.body[0]
    if isinstance(first, ast.Expr) and isinstance(first.value, ast.Constant) and isinstance(first.value.value, str):
        sheet.insert((first.end_lineno or 1) + 1, f"\n{code}\n")
        return
    line = 1
    while line <= len(scene.text.splitlines()) and sheet.line(line).startswith("#"):
        line += 1
    sheet.insert(line, f"{code}\n\n\n")


def _imports_at_top(tree: ast.Module) -> list[ast.stmt]:
    """The imports before anything is defined."""
    found: list[ast.stmt] = []
    for s in tree.body:
        if isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
            break
        if isinstance(s, ast.Import | ast.ImportFrom):
            found.append(s)
    return found
