"""Loops over rows that stand there, written out: what is asked in them is asked of each row."""

import ast

from dreck.source.copying import copied
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk
from dreck.workbench.judging.candidates import Candidate

_MOST_ROWS = 60


def written_out(c: Candidate) -> ast.AST:
    """The function with the bodies of its loops over fixed rows once for each row, with what the row holds."""
    local = _local_rows(c.node)
    loops = any(isinstance(n, ast.For) and _rows(n.iter, c, local) for n in walk(c.node))
    return _Unrolling(c, local).visit(copied(c.node)) if loops else c.node


def _local_rows(function: FunctionNode) -> dict[str, ast.expr]:
    """Displays that a function gives a name once and for all."""
    bound = [n.id for n in walk(function) if isinstance(n, ast.Name) and not isinstance(n.ctx, ast.Load)]
    found: dict[str, ast.expr] = {}
    for s in walk(function):
        match s:
            case ast.Assign(targets=[ast.Name(id=name)], value=ast.Tuple() | ast.List() as rows):
                if bound.count(name) == 1:
                    found[name] = rows
    return found


def _rows(e: ast.expr, c: Candidate, local: dict[str, ast.expr]) -> list[ast.expr]:
    held = (local.get(e.id) or c.names.tables.get(e.id)) if isinstance(e, ast.Name) else e
    rows = held.elts if isinstance(held, ast.Tuple | ast.List) else []
    return rows if len(rows) <= _MOST_ROWS else []


class _Unrolling(ast.NodeTransformer):
    def __init__(self, c: Candidate, local: dict[str, ast.expr]) -> None:
        self._c, self._local = c, local

    def visit_For(self, node: ast.For) -> ast.AST:
        self.generic_visit(node)
        rows = _rows(node.iter, self._c, self._local)
        held = [_bound(node.target, row) for row in rows]
        if not rows or any(names is None for names in held):
            return node
        body = [_Put(names).visit(copied(s)) for names in held if names is not None for s in node.body]
        return ast.If(ast.Constant(True), body, node.orelse)


def _bound(target: ast.expr, row: ast.expr) -> dict[str, ast.expr] | None:
    """What the names of a loop stand for in one round; None where that is not told."""
    match target, row:
        case ast.Name(id=name), _:
            return {name: row}
        case ast.Tuple(elts=parts), ast.Tuple(elts=values) if len(parts) == len(values):
            inner = [_bound(part, value) for part, value in zip(parts, values, strict=True)]
            return {k: v for names in inner for k, v in (names or {}).items()} if None not in inner else None
    return None


class _Put(ast.NodeTransformer):
    def __init__(self, names: dict[str, ast.expr]) -> None:
        self._names = names

    def visit_Name(self, node: ast.Name) -> ast.AST:
        return self._names.get(node.id, node) if isinstance(node.ctx, ast.Load) else node
