"""Imports that a rewritten module needs, below those it has."""

import ast
import sys
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
    missing = [code for code in missing if not _beside_its_like(sheet, top, code)]
    if not missing:
        return
    missing = [code for code in missing if not _in_its_order(sheet, top, code)]
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


def _beside_its_like(sheet: Sheet, top: Sequence[ast.stmt], code: str) -> bool:
    """Puts a name beside others that are imported from the same module on one line, in their order."""
    match ast.parse(code).body:
        case [ast.ImportFrom(module=module, names=[ast.alias(name=name, asname=None)], level=0)]:
            pass
        case _:
            return False
    for s in top:
        if not isinstance(s, ast.ImportFrom) or s.module != module or s.level or s.end_lineno != s.lineno:
            continue
        names = [a.name for a in s.names]
        line = sheet.line(s.lineno)
        plain = s.col_offset == 0 and all(a.asname is None and a.name != "*" for a in s.names)
        wanted = f"from {module} import {', '.join(names)}"
        if plain and line.rstrip() == wanted:
            in_order = (
                sorted([*names, name], key=str.lower) if names == sorted(names, key=str.lower) else [*names, name]
            )
            sheet.replace_lines(s.lineno, s.lineno, f"from {module} import {', '.join(in_order)}\n")
            return True
    return False


def _in_its_order(sheet: Sheet, top: Sequence[ast.stmt], code: str) -> bool:
    """Puts an import from the standard library among those there are, where other imports follow these."""
    known = [s for s in top if _of_library(s)]
    if not known or known[-1] is top[-1] or not _of_library(ast.parse(code).body[0]):
        return False
    before = [s for s in known if _sorted_by(s) < _sorted_by(ast.parse(code).body[0])]
    line = (before[-1].end_lineno or before[-1].lineno) + 1 if before else known[0].lineno
    sheet.insert(line, f"{code}\n")
    return True


def _of_library(s: ast.stmt) -> bool:
    match s:
        case ast.Import(names=[ast.alias(name=name)]) | ast.ImportFrom(module=str() as name, level=0):
            return name != "__future__" and name.partition(".")[0] in sys.stdlib_module_names
    return False


def _sorted_by(s: ast.stmt) -> tuple[bool, str]:
    match s:
        case ast.Import(names=[ast.alias(name=name), *_]):
            return False, name
        case ast.ImportFrom(module=str() as name):
            return True, name
    return True, ""


def _imports_at_top(tree: ast.Module) -> list[ast.stmt]:
    """The imports before anything is defined."""
    found: list[ast.stmt] = []
    for s in tree.body:
        if isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
            break
        if isinstance(s, ast.Import | ast.ImportFrom):
            found.append(s)
    return found
