"""Imports that a rewritten module needs, below those it has."""

import ast
import re
import sys
from collections.abc import Callable, Sequence

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
    if sheet.line(line).strip() and not any(_OF_ALL.match(sheet.line(n)) for n in range(1, line)):
        # what is said right above a statement is said of it
        line = next(n for n in range(1, line + 1) if n == line or not _HOW_IT_IS_READ.match(sheet.line(n)))
    sheet.insert(line, f"{code}\n\n\n")


_HOW_IT_IS_READ = re.compile(r"#!|#.*coding[:=]")
_OF_ALL = re.compile(r"#.*(copyright|\(c\)|spdx|license|author)", re.I)
"""Comments that speak of the whole file."""


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
    """Puts an import from the standard library among those there are, in their order, or above all others."""
    new = ast.parse(code).body[0]
    if not top or not _of_library(new):
        return False
    known = [s for s in top if _of_library(s)]
    if not known:
        return _above_all_others(sheet, top, code)
    order = next((order for order in _ORDERS if _in_order(known, order)), None)
    before = [s for s in known if order is None or order(s) < order(new)]
    if before:
        sheet.insert(_line_below(before[-1]), f"{code}\n")
    elif known[0].col_offset == 0:
        sheet.insert(known[0].lineno, f"{code}\n")
    return bool(before) or known[0].col_offset == 0


def _above_all_others(sheet: Sheet, top: Sequence[ast.stmt], code: str) -> bool:
    """Puts an import into a block of its own above the imports that there are, below those from `__future__`."""
    others = [s for s in top if not _of_future(s)]
    if not others:
        sheet.insert(_line_below(top[-1]), f"\n{code}\n")
        return True
    first = others[0]
    above = sheet.line(first.lineno - 1).strip() if first.lineno > 1 else ""
    if first.col_offset or above.startswith("#") or (above and others[0] is top[0]):
        return False
    sheet.insert(first.lineno, f"{code}\n\n")
    return True


def _line_below(s: ast.stmt) -> int:
    return (s.end_lineno or s.lineno) + 1


def _in_order(known: Sequence[ast.stmt], order: Callable[[ast.stmt], tuple[bool, str]]) -> bool:
    return [order(s) for s in known] == sorted(map(order, known))


def _of_future(s: ast.stmt) -> bool:
    return isinstance(s, ast.ImportFrom) and s.module == "__future__"


def _of_library(s: ast.stmt) -> bool:
    match s:
        case ast.Import(names=[ast.alias(name=name)]) | ast.ImportFrom(module=str() as name, level=0):
            return name != "__future__" and name.partition(".")[0] in sys.stdlib_module_names
    return False


def _by_kind(s: ast.stmt) -> tuple[bool, str]:
    """`import re` before `from abc import ABC`."""
    return isinstance(s, ast.ImportFrom), _module_of(s)


def _by_module(s: ast.stmt) -> tuple[bool, str]:
    """`from abc import ABC` before `import re`."""
    return False, _module_of(s)


def _module_of(s: ast.stmt) -> str:
    match s:
        case ast.Import(names=[ast.alias(name=name), *_]) | ast.ImportFrom(module=str() as name):
            return name.lower()
    return ""


_ORDERS = (_by_kind, _by_module)
"""In which imports stand where people sort them."""


def _imports_at_top(tree: ast.Module) -> list[ast.stmt]:
    """The imports before anything is defined."""
    found: list[ast.stmt] = []
    for s in tree.body:
        if isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
            break
        if isinstance(s, ast.Import | ast.ImportFrom):
            found.append(s)
    return found
