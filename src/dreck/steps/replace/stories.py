"""Stories: what a function comes to when the answers to some tests are known, as lines, comments kept."""

import ast
import copy
from collections.abc import Callable, Iterator
from dataclasses import dataclass

from dreck.model.views.shape import leaves
from dreck.source.walking import walk
from dreck.steps.naming.predicates import first_line
from dreck.steps.support.raw import RAW
from dreck.steps.support.sheet import Sheet, one_line
from dreck.steps.support.trees import Untouchable

Answer = Callable[[ast.expr], bool | None]
"""What a test that stands alone comes to, None when that is not known."""


@dataclass(slots=True)
class Teller:
    """Tells a block as it is once the known tests are answered."""

    sheet: Sheet
    answer: Answer
    unit: str
    keep_empty: bool = True
    """Whether a test stays that decides nothing any more, because asking it may fail."""

    def chunks(self, body: list[ast.stmt], depth: int) -> list[list[str]]:
        """One list of lines for each statement that is left, indented by `depth` units."""
        found: list[list[str]] = []
        for s in body:
            told = self._statement(s, depth)
            if told:
                found += told
            if told and self._left(s):
                break
        return found

    def lines(self, body: list[ast.stmt], depth: int) -> list[str]:
        """All lines of a block, with the comments at its end."""
        return [line for chunk in self._whole(body, depth) for line in chunk]

    def _whole(self, body: list[ast.stmt], depth: int) -> list[list[str]]:
        found = self.chunks(body, depth)
        below = self._comments_below(body) if body and not any(map(self._left, body[:-1])) else []
        return [*found[:-1], [*found[-1], *(f"{self.unit * depth}{text}" for text in below)]] if found else found

    def _left(self, s: ast.stmt) -> bool:
        """Whether nothing after `s` runs, its known tests answered."""
        if isinstance(s, ast.If):
            known = self._known(s.test)
            if known is not None:
                return any(self._left(inner) for inner in (s.body if known else s.orelse))
            return bool(s.orelse) and all(any(self._left(n) for n in part) for part in (s.body, s.orelse))
        return leaves([s])

    def _known(self, test: ast.expr) -> bool | None:
        folded = fold(test, self.answer)
        return folded.value if isinstance(folded, ast.Constant) and isinstance(folded.value, bool) else None

    # --- statements --------------------------------------------------------------------------------

    def _statement(self, s: ast.stmt, depth: int) -> list[list[str]]:
        above = [f"{self.unit * depth}{text}" for text in self._comments_above(s)]
        if isinstance(s, ast.While) and self._known(s.test) is False:
            return self.chunks(s.orelse, depth)
        match s:
            case ast.If():
                return self._if(s, depth, above)
            case ast.For() | ast.AsyncFor() | ast.While() | ast.With() | ast.AsyncWith() | ast.Try() | ast.Match():
                return [[*above, *self._compound(s, depth)]]
        if isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef) and self._asks(s):
            raise Untouchable("a function inside it asks, too")
        return [[*above, *self._simple(s, depth)]]

    def _if(self, s: ast.If, depth: int, above: list[str]) -> list[list[str]]:
        known = self._known(s.test)
        if known is not None:
            chosen = s.body if known else s.orelse
            said = [f"{self.unit * depth}{text}" for text in self._beside(s.lineno)]
            inner = self._whole(chosen, depth)
            lead = [*above, *said]
            if inner and lead:
                inner[0] = [*lead, *inner[0]]
            return inner
        if not self.keep_empty and not self.lines(s.body, 0) and not self.lines(s.orelse, 0):
            return []
        return [[*above, *self._ladder(s, depth, "if")]]

    def _ladder(self, s: ast.If, depth: int, word: str) -> list[str]:
        pad = self.unit * depth
        beside = self._beside(s.lineno)
        told = f"  {beside[0]}" if beside else ""
        lines = [f"{pad}{word} {self._test(s.test)}:{told}"]
        body = self.lines(s.body, depth + 1)
        lines += body or [f"{pad}{self.unit}pass"]
        rest = s.orelse
        if not rest:
            return lines
        if len(rest) == 1 and isinstance(rest[0], ast.If):
            arm = rest[0]
            known = self._known(arm.test)
            if known is None:
                said = [f"{self.unit * depth}{text}" for text in self._comments_above(arm)]
                return [*lines, *said, *self._ladder(arm, depth, "elif")]
            rest = arm.body if known else arm.orelse
            if len(rest) == 1 and isinstance(rest[0], ast.If) and not known and self._known(rest[0].test) is None:
                return [*lines, *self._ladder(rest[0], depth, "elif")]
        otherwise = self.lines(rest, depth + 1)
        return [*lines, f"{pad}else:", *otherwise] if otherwise else lines

    def _compound(self, s: ast.stmt, depth: int) -> list[str]:
        pad = self.unit * depth
        lines = self._header(s, depth)
        if isinstance(s, ast.Match):
            for case in s.cases:
                lines += self._raw(case.pattern.lineno, case.body[0].lineno - 1, depth + 1, case.body)
                lines += self.lines(case.body, depth + 2) or [f"{pad}{self.unit * 2}pass"]
            return lines
        lines += self.lines(s.body, depth + 1) or [f"{pad}{self.unit}pass"]  # type: ignore[attr-defined]
        for handler in getattr(s, "handlers", []):
            lines += self._raw(handler.lineno, handler.body[0].lineno - 1, depth, handler.body)
            lines += self.lines(handler.body, depth + 1) or [f"{pad}{self.unit}pass"]
        for word, part in (("else", getattr(s, "orelse", [])), ("finally", getattr(s, "finalbody", []))):
            told = self.lines(part, depth + 1)
            if told or (word == "finally" and part):
                lines += [f"{pad}{word}:", *(told or [f"{pad}{self.unit}pass"])]
        return lines

    def _header(self, s: ast.stmt, depth: int) -> list[str]:
        body = s.cases[0].body if isinstance(s, ast.Match) else s.body  # type: ignore[attr-defined]
        first_inner = s.cases[0].pattern.lineno if isinstance(s, ast.Match) else body[0].lineno
        if isinstance(s, ast.While) and self._asks(s.test):
            return [f"{self.unit * depth}while {self._test(s.test)}:"]
        own = [e for e in ast.iter_child_nodes(s) if isinstance(e, ast.expr | ast.withitem)]
        if any(self._asks(e) for e in own):
            raise Untouchable("the head of a loop or a with asks")
        return self._raw(s.lineno, first_inner - 1, depth, body)

    def _raw(self, first: int, last: int, depth: int, body: list[ast.stmt]) -> list[str]:
        """Lines as they stand, comments above the block's first statement left to it."""
        if last < first:
            raise Untouchable("a block stands on the line of its head")
        while last > first and self.sheet.line(last).strip().startswith("#"):
            last -= 1
        indent = self.sheet.indent(first)
        return [f"{self.unit * depth}{self._line(n).removeprefix(indent)}" for n in range(first, last + 1)]

    def _simple(self, s: ast.stmt, depth: int) -> list[str]:
        first = first_line(s)
        last = s.end_lineno or s.lineno
        if self._asks(s):
            made = _FoldValues(self.answer).visit(copy.deepcopy(s))
            beside = self._beside(last)
            told = f"  {beside[0]}" if beside else ""
            return [
                f"{self.unit * depth}{line}"
                for line in (_quoted(ast.unparse(made), self.sheet.code(s)) + told).splitlines()
            ]
        indent = self.sheet.indent(first)
        if len(indent.encode()) != (s.col_offset if first == s.lineno else len(indent.encode())):
            beside = self._beside(last)
            told = f"  {beside[0]}" if beside else ""
            return [f"{self.unit * depth}{self.sheet.code(s)}{told}"]
        pad = self.unit * depth
        inside = self.sheet.lines_inside_texts(first, last)
        return [
            f"{RAW}{self._line(n)}" if n in inside else f"{pad}{self._line(n).removeprefix(indent)}"
            for n in range(first, last + 1)
        ]

    def _line(self, number: int) -> str:
        return self.sheet.line(number).rstrip("\r\n")

    # --- tests -------------------------------------------------------------------------------------

    def _asks(self, node: ast.AST) -> bool:
        return any(isinstance(n, ast.expr) and self.answer(n) is not None for n in walk(node))

    def _test(self, test: ast.expr) -> str:
        if self._asks(test):
            return _quoted(ast.unparse(fold(test, self.answer)), self.sheet.code(test))
        code = self.sheet.code(self.sheet.in_parentheses(test))
        several = len(code.splitlines()) > 1
        return code if "#" in code else one_line(self.sheet.code(test) if several else code)

    # --- comments ----------------------------------------------------------------------------------

    def _comments_above(self, s: ast.stmt) -> list[str]:
        first = first_line(s)
        found: list[str] = []
        if s.lineno == first and len(self.sheet.indent(first).encode()) != s.col_offset:
            return found  # it stands behind something else on its line, which has said it
        indent = self.sheet.indent(first)
        while first > 1 and self._is_comment(first - 1) and self.sheet.indent(first - 1) == indent:
            first -= 1
            found.insert(0, self.sheet.line(first).strip())
        return found

    def _comments_below(self, body: list[ast.stmt]) -> list[str]:
        """Comments at the end of a block, as deep as its statements."""
        indent = self.sheet.indent(first_line(body[0]))
        ends = body[-1].end_lineno or body[-1].lineno
        found = [n for n in self.sheet.comments_below(ends, indent) if self.sheet.indent(n) == indent]
        return [self.sheet.line(n).strip() for n in found]

    def _is_comment(self, number: int) -> bool:
        return self.sheet.line(number).strip().startswith("#")

    def _beside(self, line: int) -> list[str]:
        own = self.sheet.line(line).strip()
        here = [t.string for t in self.sheet.tokens if t.start[0] == line and t.string.startswith("#")]
        return [text for text in here if text != own]


def _quoted(made: str, was: str) -> str:
    """`ast.unparse` writes single quotes; double ones where the code had those."""
    return made.replace("'", '"') if '"' in was and "'" not in was else made


def dead_lines(body: list[ast.stmt], answer: Answer) -> list[tuple[int, int]]:
    """The lines, from first to last, that never run when the answers are known."""
    found: list[tuple[int, int]] = []
    for s in body:
        match s:
            case ast.If(test=test):
                known = fold(test, answer)
                decided = known.value if isinstance(known, ast.Constant) and isinstance(known.value, bool) else None
                for part, lives in ((s.body, decided is not False), (s.orelse, decided is not True)):
                    if part and not lives:
                        found.append((part[0].lineno, part[-1].end_lineno or part[-1].lineno))
                    elif part:
                        found += dead_lines(part, answer)
            case ast.For() | ast.While() | ast.With() | ast.Try():
                for block in (s.body, getattr(s, "orelse", []), getattr(s, "finalbody", [])):
                    found += dead_lines(block, answer)
    return found


# --- folding -------------------------------------------------------------------------------------------


def fold(test: ast.expr, answer: Answer) -> ast.expr:
    """A test with the known answers put in and what follows from them worked out."""
    known = answer(test)
    if known is not None:
        return ast.Constant(known)
    match test:
        case ast.UnaryOp(op=ast.Not(), operand=operand):
            inner = fold(operand, answer)
            if isinstance(inner, ast.Constant) and isinstance(inner.value, bool):
                return ast.Constant(not inner.value)
            return ast.UnaryOp(ast.Not(), inner)
        case ast.BoolOp(op=op, values=values):
            return _folded(op, [fold(value, answer) for value in values])
        case ast.IfExp(test=asked, body=body, orelse=orelse):
            chosen = fold(asked, answer)
            if isinstance(chosen, ast.Constant) and isinstance(chosen.value, bool):
                return fold(body if chosen.value else orelse, answer)
            return ast.IfExp(chosen, fold(body, answer), fold(orelse, answer))
    return test


def _folded(op: ast.boolop, values: list[ast.expr]) -> ast.expr:
    ends = isinstance(op, ast.Or)
    left: list[ast.expr] = []
    for value in values:
        if isinstance(value, ast.Constant) and isinstance(value.value, bool):
            if value.value is ends:
                return ast.Constant(ends)
            continue
        left.append(value)
    if not left:
        return ast.Constant(not ends)
    return left[0] if len(left) == 1 else ast.BoolOp(op, left)


class _FoldValues(ast.NodeTransformer):
    """Puts known answers into a statement's own expressions, where their values count and not only their truth."""

    def __init__(self, answer: Answer) -> None:
        self.answer = answer

    def visit_IfExp(self, node: ast.IfExp) -> ast.expr:
        chosen = fold(node.test, self.answer)
        if isinstance(chosen, ast.Constant) and isinstance(chosen.value, bool):
            return self.visit(node.body if chosen.value else node.orelse)  # type: ignore[no-any-return]
        self.generic_visit(node)
        node.test = chosen
        return node

    def generic_visit(self, node: ast.AST) -> ast.AST:
        if isinstance(node, ast.expr):
            known = self.answer(node)
            if known is not None:
                return ast.Constant(known)
        return super().generic_visit(node)

    def visit_BoolOp(self, node: ast.BoolOp) -> ast.expr:
        self.generic_visit(node)
        ends = isinstance(node.op, ast.Or)
        values = list(node.values)
        while len(values) > 1 and isinstance(values[0], ast.Constant) and isinstance(values[0].value, bool):
            if values[0].value is ends:
                return values[0]
            values.pop(0)
        return values[0] if len(values) == 1 else ast.BoolOp(node.op, values)


def plain_terms(node: ast.AST) -> Iterator[ast.expr]:
    """Every name and attribute of a name in a piece of code."""
    for n in walk(node):
        if isinstance(n, ast.Name | ast.Attribute) and isinstance(n.ctx, ast.Load):
            yield n
