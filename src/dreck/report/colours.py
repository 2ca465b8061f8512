"""Lines of Python as pieces of one colour each, with what is another on the other side marked."""

import re
from collections.abc import Sequence
from difflib import SequenceMatcher

from pygments.lexers.python import PythonLexer
from pygments.token import Comment, Keyword, Name, Number, Operator, String, _TokenType

_KINDS: tuple[tuple[_TokenType, str], ...] = (
    (Comment, "comment"),
    (Keyword, "keyword"),
    (Operator.Word, "keyword"),
    (String, "text"),
    (Number, "number"),
    (Name.Function, "name"),
    (Name.Class, "name"),
)
_WORD = re.compile(r"\w+|\s+|.")

Piece = tuple[str, str, bool]
"""A run of characters, what they are (`keyword`, `text`, `comment`, `number`, `name`, or nothing), if it is marked."""


def pieces(lines: Sequence[str], marked: Sequence[Sequence[tuple[int, int]]]) -> list[list[Piece]]:
    """For each line its pieces in order; `marked` gives for each line the columns from-to that are to stand out."""
    kinds = _kinds(lines)
    return [_cut(line, kinds[i], marked[i]) for i, line in enumerate(lines)]


def _kinds(lines: Sequence[str]) -> list[list[str]]:
    """For each character of each line what it is."""
    found: list[list[str]] = [[]]
    lexer = PythonLexer(stripnl=False, ensurenl=False)
    for kind, text in lexer.get_tokens("\n".join(lines)):
        name = next((name for known, name in _KINDS if kind in known), "")
        for at, part in enumerate(text.split("\n")):
            if at:
                found.append([])
            found[-1] += [name] * len(part)
    return found


def _cut(line: str, kinds: list[str], marked: Sequence[tuple[int, int]]) -> list[Piece]:
    found: list[Piece] = []
    for at, character in enumerate(line):
        kind = kinds[at] if at < len(kinds) else ""
        stands_out = any(start <= at < end for start, end in marked)
        if found and found[-1][1:] == (kind, stands_out):
            found[-1] = (found[-1][0] + character, kind, stands_out)
        else:
            found.append((character, kind, stands_out))
    return found


def changed_columns(old: str, new: str) -> tuple[list[tuple[int, int]], list[tuple[int, int]]]:
    """Where two lines differ, word by word, in each of them; the indent does not count."""
    sides = [[m.span() for m in _WORD.finditer(line)] for line in (old, new)]
    words = [[line[a:b] for a, b in spans] for line, spans in zip((old, new), sides, strict=True)]
    found: tuple[list[tuple[int, int]], list[tuple[int, int]]] = ([], [])
    for tag, a, b, c, d in SequenceMatcher(None, words[0], words[1], autojunk=False).get_opcodes():
        for side, (first, last) in enumerate(((a, b), (c, d))):
            spans = [
                span
                for span, word in zip(sides[side][first:last], words[side][first:last], strict=True)
                if word.strip()
            ]
            if tag != "equal" and spans:
                found[side].append((spans[0][0], spans[-1][1]))
    return found
