"""Loops along constant tables by way of an index, `range(len(NAMES))`, `enumerate(NAMES)`, `zip(NAMES, FEES)`: in each
round it is known which row is meant (library reference, 2: `enumerate`, `range`, `zip`)."""

import ast
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from dreck.model.ir.naming import Naming
from dreck.model.names.scopes import assigned_in
from dreck.source.walking import walk


class WalkedRows(Naming):
    """The lowering of what goes along tables by their places."""

    of_the_module: Callable[[str], ast.expr | None]

    def walked_rows(self, s: ast.For) -> list[ast.expr] | None:
        """The rows of such a loop; None when it is none."""
        match s.iter:
            case ast.Call(func=ast.Name(id="range"), args=[ast.Call(func=ast.Name(id="len"), args=[over], keywords=[])],
                          keywords=[]) if self._are_builtins("range", "len"):  # fmt: skip
                rows = self._walked(over)
                return [ast.Constant(at) for at in range(len(rows))] if rows is not None else None
            case ast.Call(func=ast.Name(id="enumerate"), args=[over], keywords=[]) if self.means_builtin("enumerate"):
                rows = self._walked(over)
                if rows is None:
                    return None
                return [ast.Tuple([ast.Constant(at), row], ast.Load()) for at, row in enumerate(rows)]
            case ast.Call(func=ast.Name(id="zip"), args=[_, _, *_] as several, keywords=[]) if self._are_builtins(
                "zip"
            ):
                columns = [rows for over in several if (rows := self._walked(over)) is not None]
                if len(columns) < len(several):
                    return None
                return [ast.Tuple(list(parts), ast.Load()) for parts in zip(*columns, strict=False)]
        return None

    def _are_builtins(self, *names: str) -> bool:
        return all(map(self.means_builtin, names))

    def _walked(self, e: ast.expr) -> list[ast.expr] | None:
        if not isinstance(e, ast.Name) or e.id in self.kept or e.id in self.local_tables:
            return None
        table = self.of_the_module(e.id)
        return list(table.elts) if isinstance(table, ast.Tuple | ast.List) else None

    def index_of(self, s: ast.For) -> str:
        """The variable that says which row it is, all the way through a round; '' where there is none."""
        match s.iter, s.target:
            case ast.Call(func=ast.Name(id="range")), ast.Name(id=name):
                found = name
            case ast.Call(func=ast.Name(id="enumerate")), ast.Tuple(elts=[ast.Name(id=name), _]):
                found = name
            case _:
                return ""
        scope, bound = self.scope, [n.id for n in walk(s.target) if isinstance(n, ast.Name)]
        if bound.count(found) > 1:
            return ""
        plain = found in scope.local - scope.captured - scope.deleted - scope.shared
        return found if plain and found not in assigned_in(s.body) else ""

    @contextmanager
    def at_row(self, index: str, at: int) -> Iterator[None]:
        """While one round is lowered."""
        before = self.indices
        self.indices = {**before, index: at} if index else before
        try:
            yield
        finally:
            self.indices = before

    def row_at(self, table: ast.expr | None, key: ast.expr) -> ast.expr | None:
        """The row that a variable means in this round."""
        at = self.indices.get(key.id) if isinstance(key, ast.Name) else None
        rows = table.elts if isinstance(table, ast.Tuple | ast.List) else []
        return rows[at] if at is not None and at < len(rows) else None
