"""A sheet: the text of a module with edits noted on it, each at the place of a piece of its `ast`.

What is not edited stays byte for byte, comments and blanks included. Steps that reach beyond one function
work on a sheet; those within one function work on its LibCST tree.
"""

import ast
import bisect
import io
import token
import tokenize
from collections.abc import Iterable
from dataclasses import dataclass, field
from functools import lru_cache

from dreck.source.lines import indent_of, split_lines
from dreck.steps.support.trees import Untouchable

_OPENING = frozenset("([{")
_TEXT_BEGINS = frozenset(n for n, word in token.tok_name.items() if word in ("FSTRING_START", "TSTRING_START"))
_TEXT_ENDS = frozenset(n for n, word in token.tok_name.items() if word in ("FSTRING_END", "TSTRING_END"))
"""From Python 3.12 on the parts of an f-string are tokens of their own."""


@dataclass(frozen=True, slots=True)
class Range:
    """From one offset in a text to another."""

    start: int
    end: int


@dataclass(slots=True)
class Sheet:
    """A text and the edits noted on it; `result` carries them out."""

    text: str
    _edits: list[tuple[int, int, str]] = field(default_factory=list)
    _lines: list[str] = field(default_factory=list)
    _starts: list[int] = field(default_factory=list)
    _of_code: tuple[list[tokenize.TokenInfo], list[int]] | None = None

    def __post_init__(self) -> None:
        self._lines = split_lines(self.text)
        at = 0
        for line in self._lines:
            self._starts.append(at)
            at += len(line)
        self._starts.append(at)

    @property
    def newline(self) -> str:
        return "\r\n" if "\r\n" in self.text else "\n"

    # --- places ------------------------------------------------------------------------------------

    def of(self, node: ast.AST) -> Range:
        """Where a node stands."""
        n = node
        return Range(
            self._offset(n.lineno, n.col_offset),  # type: ignore[attr-defined]
            self._offset(n.end_lineno, n.end_col_offset),  # type: ignore[attr-defined]
        )

    def _offset(self, line: int, column: int) -> int:
        """`ast` counts columns in bytes of UTF-8."""
        text = self._lines[line - 1]
        if not text.isascii():
            column = len(text.encode()[:column].decode())
        return self._starts[line - 1] + column

    def code(self, place: Range | ast.AST) -> str:
        place = self.of(place) if isinstance(place, ast.AST) else place
        return self.text[place.start : place.end]

    def value(self, e: ast.expr) -> str:
        """An expression as it is written, so that it can stand among others: a tuple has its parentheses."""
        code = self.code(e)
        return f"({code})" if isinstance(e, ast.Tuple) and _is_bare(code) else code

    def line_start(self, line: int) -> int:
        """Where line `line` (from 1) begins; of the line behind the last, where the text ends."""
        return self._starts[min(line - 1, len(self._starts) - 1)]

    def line(self, number: int) -> str:
        return self._lines[number - 1]

    def indent(self, line: int) -> str:
        return indent_of(self._lines[line - 1])

    def unit(self, function: ast.AST) -> str:
        """What one level more is indented by, as the body of `function` shows."""
        body = function.body[0]  # type: ignore[attr-defined]
        outer, inner = self.indent(function.lineno), self.indent(body.lineno)  # type: ignore[attr-defined]
        return inner[len(outer) :] if inner.startswith(outer) and inner != outer else "    "

    def in_parentheses(self, node: ast.AST) -> Range:
        """Where an expression stands with the parentheses around it that only group, comments in them included."""
        place = self.of(node)
        tokens, starts = self._code()
        while True:
            first = bisect.bisect_left(starts, place.start)
            before = [t for t in tokens[max(0, first - 4) : first] if self._at(t.end) <= place.start][-2:]
            last = bisect.bisect_left(starts, place.end)
            after = tokens[last] if last < len(tokens) else None
            if not before or after is None or before[-1].string != "(" or after.string != ")":
                return place
            if len(before) == 2 and _is_called(before[0]):
                return place
            place = Range(self._at(before[-1].start), self._at(after.end))

    def lines_inside_texts(self, first: int, last: int) -> set[int]:
        """Of the lines from `first` to `last` those that begin inside a text: indenting them would change it."""
        if first == last:
            return set()
        found: set[int] = set()
        begun: list[int] = []
        for t in self.tokens:
            if t.type == tokenize.STRING:
                found |= set(range(t.start[0] + 1, t.end[0] + 1))
            elif t.type in _TEXT_BEGINS:
                begun.append(t.start[0])
            elif t.type in _TEXT_ENDS and begun:
                found |= set(range(begun.pop() + 1, t.end[0] + 1))
        return found & set(range(first, last + 1))

    def comment_beside(self, node: ast.stmt) -> str:
        """The comment on the line on which a statement ends; '' when there is none."""
        return next((t.string for t in self.tokens if t.type == tokenize.COMMENT and t.start[0] == node.end_lineno), "")

    def comments_below(self, line: int, indent: str) -> list[int]:
        """The lines of comments below a line, up to the next code, that stand as deep as `indent` or deeper."""
        found: list[int] = []
        for number in range(line + 1, len(self.text.splitlines()) + 1):
            words = self.line(number).strip()
            if words and not (words.startswith("#") and self.indent(number).startswith(indent)):
                break
            found += [number] if words else []
        return found

    @property
    def tokens(self) -> tuple[tokenize.TokenInfo, ...]:
        try:
            return _tokens(self.text)
        except (tokenize.TokenError, SyntaxError):
            raise Untouchable("the text cannot be told apart token by token") from None

    def _code(self) -> tuple[list[tokenize.TokenInfo], list[int]]:
        """The tokens that are no comments and no bare ends of lines, and where each begins."""
        if self._of_code is None:
            found = [t for t in self.tokens if t.type not in (tokenize.COMMENT, tokenize.NL)]
            self._of_code = found, [self._at(t.start) for t in found]
        return self._of_code

    def _at(self, position: tuple[int, int]) -> int:
        return self._starts[position[0] - 1] + position[1]

    def comments_in(self, place: Range) -> list[tokenize.TokenInfo]:
        return [
            t
            for t in self.tokens
            if t.type == tokenize.COMMENT and place.start <= self._at(t.start) and self._at(t.end) <= place.end
        ]

    # --- edits -------------------------------------------------------------------------------------

    def replace(self, place: Range | ast.AST, code: str) -> None:
        place = self.of(place) if isinstance(place, ast.AST) else place
        self._edits.append((place.start, place.end, code))

    def insert(self, line: int, code: str) -> None:
        """Puts whole lines before line `line`."""
        at = self.line_start(line)
        if at == len(self.text) and self.text and not self.text.endswith(("\n", "\r")):
            code = "\n" + code.rstrip("\n")
        self._edits.append((at, at, code))

    def remove_lines(self, first: int, last: int) -> None:
        self._edits.append((self.line_start(first), self.line_start(last + 1), ""))

    def replace_lines(self, first: int, last: int, code: str) -> None:
        self._edits.append((self.line_start(first), self.line_start(last + 1), code))

    def result(self) -> str:
        """The text with every edit carried out. Raises Untouchable when two of them overlap."""
        parts: list[str] = []
        at = 0
        for start, end, code in sorted(self._edits, key=lambda edit: (edit[0], edit[1])):
            if start < at:
                raise Untouchable("two places to be edited overlap")
            parts += [self.text[at:start], code.replace("\n", self.newline) if self.newline != "\n" else code]
            at = end
        return "".join([*parts, self.text[at:]])


def _is_called(token: tokenize.TokenInfo) -> bool:
    """Whether a `(` behind this token is a call's, a subscript's or a definition's."""
    import keyword

    if token.type == tokenize.NAME:
        return not keyword.iskeyword(token.string)
    return token.string in (")", "]", "}") or token.type == tokenize.STRING


@lru_cache(maxsize=4)
def _tokens(text: str) -> tuple[tokenize.TokenInfo, ...]:
    return tuple(tokenize.generate_tokens(io.StringIO(text, newline="").readline))


def dedented(code: str, indent: str) -> list[str]:
    """The lines of a piece of code that began behind `indent`, without it."""
    lines = split_lines(code)
    return [line.rstrip("\r\n").removeprefix(indent) for line in lines]


def _is_bare(code: str) -> bool:
    """Whether a tuple stands without parentheses of its own: `(kilos << 6) + 1, fee`, `(kilos), (fee)`."""
    if not (code.startswith("(") and code.endswith(")")):
        return True
    try:
        ast.parse(f"[{code[1:-1]}]")
    except SyntaxError:
        return True
    return False


def one_line(code: str) -> str:
    """Code of several lines on one, with no blank inside of a bracket; not for code with comments or long texts."""
    found = ""
    for line in (line.strip().removesuffix("\\").rstrip() for line in code.splitlines()):
        joined = not found or found.endswith(("(", "[", "{")) or line.startswith((")", "]", "}"))
        found += line if joined else f" {line}"
    return found


def reindented(lines: Iterable[str], indent: str) -> list[str]:
    return [f"{indent}{line}" if line.strip() else line for line in lines]
