"""Which answers the conditions of the proof have come to: its modules are loaded with each of them watched.

`watch()` before anything of `dreck.proof` is imported; `MET` then fills with (place, truth).
"""

import ast
import builtins
import contextlib
import importlib.machinery
import sys
from collections.abc import Sequence
from importlib.abc import MetaPathFinder
from importlib.machinery import ModuleSpec, PathFinder, SourceFileLoader
from pathlib import Path
from types import CodeType, ModuleType
from typing import Any

ROOM = str(Path(__file__).parents[2] / "src" / "dreck" / "proof")
MET: set[tuple[tuple[str, int], bool]] = set()
PLACES: dict[tuple[str, int], str] = {}
_ASKED = "__dreck_answer__"


class _Watching(ast.NodeTransformer):
    """Each test, each operand and each comparison that is returned, put into a call that notes its truth."""

    def __init__(self, module: str) -> None:
        self.module, self.count = module, 0

    def _noted(self, e: ast.expr) -> ast.expr:
        self.count += 1
        PLACES[self.module, self.count] = f"{self.module}:{e.lineno}: {ast.unparse(e)[:80]}"
        call = ast.Call(ast.Name(_ASKED, ast.Load()), [ast.Constant((self.module, self.count)), e], [])
        return ast.copy_location(call, e)

    def visit_If(self, node: Any) -> Any:
        self.generic_visit(node)
        node.test = self._noted(node.test)
        return node

    visit_While = visit_IfExp = visit_If

    def visit_BoolOp(self, node: ast.BoolOp) -> ast.BoolOp:
        self.generic_visit(node)
        node.values = [self._noted(v) for v in node.values]
        return node

    def visit_comprehension(self, node: ast.comprehension) -> ast.comprehension:
        self.generic_visit(node)
        node.ifs = [self._noted(v) for v in node.ifs]
        return node

    def visit_match_case(self, node: ast.match_case) -> ast.match_case:
        self.generic_visit(node)
        if node.guard is not None:
            node.guard = self._noted(node.guard)
        entered = ast.copy_location(ast.Constant(True), node.body[0])
        node.body.insert(0, ast.copy_location(ast.Expr(self._noted(entered)), node.body[0]))
        return node

    def visit_Return(self, node: ast.Return) -> ast.Return:
        self.generic_visit(node)
        if isinstance(node.value, ast.Compare | ast.UnaryOp | ast.Call):
            node.value = self._noted(node.value)
        return node


class _Loader(SourceFileLoader):
    def get_code(self, fullname: str) -> CodeType:
        tree = ast.parse(Path(self.path).read_text())
        watching = _Watching(self.path[len(ROOM) + 1 :])
        return compile(ast.fix_missing_locations(watching.visit(tree)), self.path, "exec", dont_inherit=True)


class _Finder(MetaPathFinder):
    def find_spec(
        self, fullname: str, path: Sequence[str] | None, target: ModuleType | None = None
    ) -> ModuleSpec | None:
        if not fullname.startswith("dreck.proof"):
            return None
        spec = PathFinder.find_spec(fullname, path)
        if (
            spec is not None
            and spec.origin is not None
            and isinstance(spec.loader, importlib.machinery.SourceFileLoader)
        ):
            spec.loader = _Loader(fullname, spec.origin)
        return spec


def watch() -> None:
    """From now on the modules of the proof are watched as they are imported."""

    def note(place: tuple[str, int], value: object) -> object:
        with contextlib.suppress(Exception):  # a formula of the solver is neither true nor false
            MET.add((place, bool(value)))
        return value

    setattr(builtins, _ASKED, note)
    sys.meta_path.insert(0, _Finder())
