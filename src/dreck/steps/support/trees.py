"""Trees: one function as LibCST, and edits of its blocks that keep every comment and space."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, TypeAlias

from dreck.model.views.shape import Path
from dreck.source.lines import indent_of
from dreck.source.lossless import cst

Stmt: TypeAlias = Any
"""A statement: a LibCST line or compound statement, whose common fields its base class does not declare."""

_WRAPPER = "if True:"
_DIRECTIVE = re.compile(
    r"#\s*(?:[a-z][\w.-]*:\s*[\w=,.\[\]*-]+(?: [\w=,.\[\]*-]+)?\s*$"
    r"|[a-z]\w*\[[^\]]*\]\s*$|no(?!ne$|t$|w$|te$|on$|op$|rmal$|thing$|body$|where$)[a-z]{2,6}(?::|\s*$))"
)
"""`# word: what it is told`, `# word[what]`, `# noword`: the forms in which comments speak to a tool."""


class Untouchable(Exception):
    """A place Dreck leaves alone because of how it is written; the message says why."""


class BetterNot(Untouchable):
    """The step could be taken, and would not make the code clearer; told only to a person who asked for it."""


@dataclass(frozen=True)
class Tree:
    """A function's text as a LibCST module; `wrapped` when it stands indented and needed a line around it."""

    module: cst.Module
    wrapped: bool

    @classmethod
    def parse(cls, segment: str) -> Tree:
        """The tree of a function's lines. Raises Untouchable when LibCST cannot parse them."""
        wrapped = bool(indent_of(segment.splitlines()[0]))
        newline = "\r\n" if "\r\n" in segment else "\n"
        text = f"{_WRAPPER}{newline}{segment}" if wrapped else segment
        try:
            module = cst.parse_module(text)
        except cst.ParserSyntaxError as error:
            raise Untouchable(f"LibCST cannot parse it: {error.message}") from None
        return cls(_with_own_unit(module) if wrapped else module, wrapped)

    @cached_property
    def code(self) -> str:
        """The lines of the function, as they are to stand in the file."""
        code = self.module.code
        return code.split("\n", 1)[1] if self.wrapped else code

    def function(self) -> cst.FunctionDef:
        node: Stmt = self.module.body[0]
        if self.wrapped:
            assert isinstance(node, cst.If)
            node = node.body.body[0]
        if not isinstance(node, cst.FunctionDef):
            raise Untouchable("no function stands there")
        return node

    def block(self, path: Path) -> cst.IndentedBlock:
        """The block at `path`."""
        found: list[cst.IndentedBlock] = []

        def note(block: cst.IndentedBlock) -> cst.IndentedBlock:
            found.append(block)
            return block

        self.edit(path, note)
        return found[0]

    def edit(self, path: Path, change: Callable[[cst.IndentedBlock], cst.IndentedBlock]) -> Tree:
        """The tree with the block at `path` replaced by what `change` makes of it."""
        function = self.function()
        return self._with(function.with_changes(body=_edit(function.body, path, change)))

    def _with(self, function: cst.FunctionDef) -> Tree:
        if not self.wrapped:
            return Tree(self.module.with_changes(body=[function, *self.module.body[1:]]), False)
        outer = self.module.body[0]
        assert isinstance(outer, cst.If)
        suite = outer.body.with_changes(body=[function, *outer.body.body[1:]])
        return Tree(self.module.with_changes(body=[outer.with_changes(body=suite), *self.module.body[1:]]), True)


def _edit(
    suite: cst.BaseSuite, path: Path, change: Callable[[cst.IndentedBlock], cst.IndentedBlock]
) -> cst.IndentedBlock:
    block = as_block(suite)
    if any(isinstance(s, cst.SimpleStatementLine) and len(s.body) > 1 for s in block.body):
        raise Untouchable("several statements stand on one line")
    if not path:
        return change(block)
    (index, field, which), rest = path[0], path[1:]
    statement = block.body[index]
    edited = _edit_statement(statement, field, which, rest, change)
    return block.with_changes(body=[*block.body[:index], edited, *block.body[index + 1 :]])


def _edit_statement(
    s: Stmt,
    field: str,
    which: int,
    rest: Path,
    change: Callable[[cst.IndentedBlock], cst.IndentedBlock],
) -> Stmt:
    match field:
        case "body":
            return s.with_changes(body=_edit(s.body, rest, change))
        case "handlers":
            handler = s.handlers[which]
            handlers = list(s.handlers)
            handlers[which] = handler.with_changes(body=_edit(handler.body, rest, change))
            return s.with_changes(handlers=handlers)
        case "cases":
            case_ = s.cases[which]
            cases = list(s.cases)
            cases[which] = case_.with_changes(body=_edit(case_.body, rest, change))
            return s.with_changes(cases=cases)
        case "finalbody":
            last = s.finalbody
            return s.with_changes(finalbody=last.with_changes(body=_edit(last.body, rest, change)))
    orelse = s.orelse
    if isinstance(orelse, cst.If):
        if not rest:
            raise Untouchable("an elif is part of its chain")
        (_, inner, number), further = rest[0], rest[1:]
        return s.with_changes(orelse=_edit_statement(orelse, inner, number, further, change))
    return s.with_changes(orelse=orelse.with_changes(body=_edit(orelse.body, rest, change)))


def as_block(suite: cst.BaseSuite) -> cst.IndentedBlock:
    """`suite` as an indented block; `if a: return` on one line becomes two."""
    if isinstance(suite, cst.IndentedBlock):
        return suite
    assert isinstance(suite, cst.SimpleStatementSuite)
    bare = [s.with_changes(semicolon=cst.MaybeSentinel.DEFAULT) for s in suite.body]
    lines = [cst.SimpleStatementLine(body=[s]) for s in bare]
    lines[-1] = lines[-1].with_changes(trailing_whitespace=suite.trailing_whitespace)
    return cst.IndentedBlock(body=lines)


def comment_lines(space: cst.TrailingWhitespace) -> list[cst.EmptyLine]:
    """The comment behind a `:` as a line of its own. Raises Untouchable for one that speaks to a tool."""
    if space.comment is None:
        return []
    if is_directive(space.comment.value):
        raise Untouchable(f"the comment '{space.comment.value}' speaks to a tool about the line it stands on")
    return [cst.EmptyLine(comment=space.comment, newline=space.newline)]


def is_directive(comment: str) -> bool:
    """Whether a comment speaks to a tool about the line it stands on."""
    return any(_DIRECTIVE.match(f"#{part}") for part in comment.strip().lstrip("#").split("#"))


def unwrapped(block: cst.IndentedBlock, before: Sequence[cst.EmptyLine] = ()) -> list[Stmt]:
    """The statements of a block, to stand one level up: `before` and its header's comment above the first.

    Comments at the block's end must be placed by the caller (`block.footer`).
    """
    others: list[Stmt] = list(block.body)
    first = others.pop(0)
    lines = _one_blank([*before, *comment_lines(block.header)], first.leading_lines)
    if is_bare_pass(first) and not others and not has_comment(lines):
        return []
    return [first.with_changes(leading_lines=lines), *others]


def _one_blank(above: Sequence[cst.EmptyLine], own: Sequence[cst.EmptyLine]) -> list[cst.EmptyLine]:
    """Lines that meet above a statement: where a blank one ends the first and begins the others, one is enough."""
    meet = above and own and above[-1].comment is None and own[0].comment is None
    return [*above, *own[1:]] if meet else [*above, *own]


def is_bare_pass(statement: Stmt) -> bool:
    """Whether a statement is `pass` and nothing is said beside it."""
    match statement:
        case cst.SimpleStatementLine(body=[cst.Pass()]):
            return statement.trailing_whitespace.comment is None
    return False


def with_exit(block: cst.IndentedBlock, code: str) -> cst.IndentedBlock:
    """`block` with an exit at its end; a lone `pass` becomes the exit and keeps its comments."""
    leaving = exit_line(code)
    match block.body:
        case [cst.SimpleStatementLine(body=[cst.Pass()]) as only]:
            return block.with_changes(body=[only.with_changes(body=leaving.body)])
    return ended(block, leaving)


def ended(block: cst.IndentedBlock, leaving: Stmt) -> cst.IndentedBlock:
    """`block` with `leaving` at its end; comments that stood there stand above it."""
    told = [line for line in block.footer if line.comment is not None]
    blank = [line for line in block.footer if line.comment is None]
    made = with_leading(leaving, [*told, *leaving.leading_lines])
    return block.with_changes(body=[*block.body, made], footer=blank)


def spliced(
    block: cst.IndentedBlock,
    index: int,
    replacement: Sequence[Stmt],
    dropped: int = 1,
    footer: Sequence[cst.EmptyLine] = (),
) -> cst.IndentedBlock:
    """`block` with `dropped` statements from `index` replaced; `footer` comments go below the replacement."""
    after: list[Stmt] = list(block.body[index + dropped :])
    tail = list(block.footer)
    if footer and after:
        after[0] = with_leading(after[0], [*footer, *after[0].leading_lines])
    elif footer:
        tail = [*footer, *tail]
    return block.with_changes(body=[*block.body[:index], *replacement, *after], footer=tail)


def with_leading(statement: Stmt, lines: Sequence[cst.EmptyLine]) -> Stmt:
    return statement.with_changes(leading_lines=list(lines))


def has_comment(lines: Sequence[cst.EmptyLine]) -> bool:
    return any(line.comment is not None for line in lines)


def exit_line(code: str) -> cst.SimpleStatementLine:
    """`return`, `return` of a constant, `continue` or `break` on a line of its own."""
    made: dict[str, cst.BaseSmallStatement] = {
        "return": cst.Return(),
        "continue": cst.Continue(),
        "break": cst.Break(),
    }
    value = code.removeprefix("return ")
    small = made[code] if code in made else cst.Return(cst.parse_expression(value))
    return cst.SimpleStatementLine(body=[small])


def edit_chain(block: cst.IndentedBlock, index: int, change: Callable[[cst.If], Stmt]) -> cst.IndentedBlock:
    """`block` with its `if` statement at `index` replaced by what `change` makes of it."""
    statement = block.body[index]
    if not isinstance(statement, cst.If):
        raise Untouchable("no plain if stands there")
    return block.with_changes(body=[*block.body[:index], change(statement), *block.body[index + 1 :]])


def with_footer_at_end(chain: cst.If, footer: Sequence[cst.EmptyLine]) -> cst.If:
    """`chain` with comments added at the end of its last branch."""
    if not footer:
        return chain
    match chain.orelse:
        case cst.If() as arm:
            return chain.with_changes(orelse=with_footer_at_end(arm, footer))
        case cst.Else() as last:
            block = as_block(last.body)
            full = block.with_changes(footer=[*block.footer, *footer])
            return chain.with_changes(orelse=last.with_changes(body=full))
    block = as_block(chain.body)
    return chain.with_changes(body=block.with_changes(footer=[*block.footer, *footer]))


def only_statement(suite: cst.BaseSuite) -> Stmt | None:
    """The one statement of a suite of which nothing else is said; None when there are more, or comments."""
    block = as_block(suite)
    if len(block.body) != 1 or block.header.comment is not None or has_comment(block.footer):
        return None
    statement: Stmt = block.body[0]
    if has_comment(statement.leading_lines):
        return None
    match statement:
        case cst.SimpleStatementLine(body=[small]) if statement.trailing_whitespace.comment is None:
            return small
    return None


def width(tree: Tree, path: Path, text: str) -> int:
    """How wide `text` is as a line in the block at `path`."""
    depth = len(path) + 1 + tree.wrapped
    return depth * 4 + max(len(line) for line in text.splitlines() or [""])


def code_of(node: cst.CSTNode) -> str:
    """The text of a node alone."""
    return cst.Module(body=[]).code_for_node(node)


def grouped(test: cst.BaseExpression, operator: type) -> cst.BaseExpression:
    """`test` as an operand of `and` or `or`: in parentheses where it binds looser, or for a reader's sake."""
    loose = cst.IfExp | cst.Lambda | cst.NamedExpr
    mixed = isinstance(test, cst.BooleanOperation) and type(test.operator) is not operator
    if (mixed or isinstance(test, loose)) and not test.lpar:
        return test.with_changes(lpar=[cst.LeftParen()], rpar=[cst.RightParen()])
    return test


def _with_own_unit(module: cst.Module) -> cst.Module:
    """The module with what is made anew in it indented as the function itself does: LibCST takes the first indent it
    meets for that of all, and a function inside of another begins at twice of it."""
    outer: Any = module.body[0]
    function: Any = outer.body.body[0]
    body = getattr(function, "body", None)
    if not isinstance(body, cst.IndentedBlock) or body.indent in (None, module.default_indent):
        return module
    from dreck.source.transformers import Spelled

    kept: Any = module.visit(Spelled(module.default_indent))
    return kept.with_changes(default_indent=body.indent)  # type: ignore[no-any-return]
