"""How code goes along columns: by an index, item by item, or along several at once, in loops and comprehensions."""

import ast
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from dreck.source.walking import walk
from dreck.steps.naming.predicates import statements
from dreck.steps.support.names.wording import is_free
from dreck.steps.support.scene import Scene
from dreck.steps.support.sheet import Sheet
from dreck.steps.support.trees import Untouchable


@dataclass(frozen=True, slots=True)
class Walk:
    """`for i in range(len(NAMES))`, or `for i, name in enumerate(NAMES)`."""

    loop: ast.For
    index: str
    over: ast.Name
    item: str = ""
    """What the loop calls the item of the column it goes over."""

    @property
    def line(self) -> int:
        return self.loop.lineno

    def stands_in(self, body: Sequence[ast.stmt]) -> bool:
        return self.loop in set(statements(body))

    def reads(self) -> list[ast.Subscript]:
        """The places in it where a column is read at its index."""
        inside = (n for b in self.loop.body for n in walk(b))
        return [n for n in inside if isinstance(n, ast.Subscript) and _is_read_at(n, self.index)]

    def columns(self) -> list[str]:
        return list(dict.fromkeys([self.over.id, *(ast.unparse(n.value) for n in self.reads())]))

    def understood(self) -> Iterator[ast.Name]:
        """The names of columns in it that are rewritten."""
        yield self.over
        yield from (n.value for n in self.reads() if isinstance(n.value, ast.Name))

    def check(self, scene: Scene) -> None:
        inside = (n for b in self.loop.body for n in walk(b))
        stored = {n.id for n in inside if isinstance(n, ast.Name) and not isinstance(n.ctx, ast.Load)}
        if self.item and self.item in stored:
            raise Untouchable(f"{self.item} is bound anew in line {self.line} and after")

    def over_rows(self, scene: Scene, sheet: Sheet, field_of: dict[str, str], rows: str, row: str) -> None:
        """A loop over an index becomes one over rows; the index stays where it is asked for itself."""
        row = row if is_free(row, _taken(_around(scene, self.loop))) else "row"
        inside = [n for b in self.loop.body for n in walk(b)]
        reads = [n for n in self.reads() if isinstance(n.value, ast.Name) and n.value.id in field_of]
        for n in reads:
            sheet.replace(n, f"{row}.{field_of[ast.unparse(n.value)]}")
        items = [n for n in inside if isinstance(n, ast.Name) and self.item and n.id == self.item]
        for item in items:
            sheet.replace(item, f"{row}.{field_of[self.over.id]}")
        indices = [n for n in inside if isinstance(n, ast.Name) and n.id == self.index]
        needed = len(indices) > len(reads)
        sheet.replace(self.loop.target, f"{self.index}, {row}" if needed else row)
        sheet.replace(self.loop.iter, f"enumerate({rows})" if needed else rows)


@dataclass(frozen=True, slots=True)
class Along:
    """`for name, rate in zip(NAMES, RATES)`, or `for name in NAMES`, as a loop or in a comprehension."""

    at: ast.For | ast.comprehension
    whole: ast.AST
    """The loop, or all of the comprehension."""
    items: tuple[ast.Name, ...]
    over: tuple[ast.Name, ...]

    @property
    def line(self) -> int:
        return self.items[0].lineno

    def stands_in(self, body: Sequence[ast.stmt]) -> bool:
        return any(n is self.whole for s in body for n in walk(s))

    def columns(self) -> list[str]:
        return [column.id for column in self.over]

    def understood(self) -> Iterator[ast.Name]:
        yield from self.over

    def _inside(self) -> list[ast.AST]:
        skipped = {*walk(self.at.target), *walk(self.at.iter)}
        if isinstance(self.at, ast.For):
            return [n for b in self.at.body for n in walk(b)]
        return [n for n in walk(self.whole) if n not in skipped]

    def check(self, scene: Scene) -> None:
        own, inside = {item.id for item in self.items}, set(self._inside())
        if any(isinstance(n, ast.Name) and n.id in own and not isinstance(n.ctx, ast.Load) for n in inside):
            raise Untouchable(f"what it goes along is bound anew in line {self.line} and after")
        if any(isinstance(n, ast.arg) and n.arg in own for n in inside):
            raise Untouchable(f"a function in line {self.line} and after has a parameter of that name")
        if not isinstance(self.at, ast.For):
            return
        around = (n for n in walk(_around(scene, self.at)) if n not in inside and n not in self.items)
        if any(isinstance(n, ast.Name) and n.id in own and isinstance(n.ctx, ast.Load) for n in around):
            raise Untouchable(f"what it goes along in line {self.line} is read outside of the loop")

    def over_rows(self, scene: Scene, sheet: Sheet, field_of: dict[str, str], rows: str, row: str) -> None:
        row = row if is_free(row, _taken(_around(scene, self.whole))) else "row"
        told = {item.id: field_of[column.id] for item, column in zip(self.items, self.over, strict=True)}
        for n in self._inside():
            if isinstance(n, ast.Name) and n.id in told:
                sheet.replace(n, f"{row}.{told[n.id]}")
        sheet.replace(self.at.target, row)
        sheet.replace(self.at.iter, rows)


def walks_in(tree: ast.AST) -> Iterator[Walk | Along]:
    """Every loop and comprehension that may go along a column."""
    for s in walk(tree):
        match s:
            case ast.For(orelse=[]):
                found = _by_index(s)
                if found is None and (along := _along(s)) is not None:
                    yield Along(s, s, *along)
                elif found is not None:
                    yield found
            case ast.ListComp() | ast.SetComp() | ast.DictComp() | ast.GeneratorExp():
                for part in s.generators:
                    if (along := _along(part)) is not None:
                        yield Along(part, s, *along)


def _by_index(s: ast.For) -> Walk | None:
    match s:
        case ast.For(target=ast.Name(id=index), iter=ast.Call(func=ast.Name(id="range"), args=[size])):
            match size:
                case ast.Call(func=ast.Name(id="len"), args=[ast.Name() as over], keywords=[]):
                    return Walk(s, index, over)
        case ast.For(
            target=ast.Tuple(elts=[ast.Name(id=index), ast.Name(id=item)]),
            iter=ast.Call(func=ast.Name(id="enumerate"), args=[ast.Name() as over], keywords=[]),
        ):
            return Walk(s, index, over, item)
    return None


def _along(s: ast.For | ast.comprehension) -> tuple[tuple[ast.Name, ...], tuple[ast.Name, ...]] | None:
    match s.target, s.iter:
        case ast.Name() as item, ast.Name() as over:
            return (item,), (over,)
        case ast.Tuple(elts=items), ast.Call(func=ast.Name(id="zip"), args=over):
            names = tuple(n for n in items if isinstance(n, ast.Name))
            columns = tuple(n for n in over if isinstance(n, ast.Name))
            if len(names) == len(items) == len(columns) == len(over):
                return names, columns
    return None


def _is_read_at(n: ast.AST, index: str) -> bool:
    match n:
        case ast.Subscript(value=ast.Name(), slice=ast.Name(id=at), ctx=ast.Load()):
            return at == index
    return False


def _around(scene: Scene, node: ast.AST) -> ast.AST:
    functions = [f.node for f in scene.functions if any(n is node for n in walk(f.node))]
    return functions[-1] if functions else scene.tree


def _taken(around: ast.AST) -> set[str]:
    return {n.id for n in walk(around) if isinstance(n, ast.Name)} | {
        a.arg for a in walk(around) if isinstance(a, ast.arg)
    }
