"""Layout: what a step leaves at another indent is laid out again, the way the common formatters do.

A statement that was wrapped because it stood too deep is joined where it fits now, a test that has become too long
is wrapped, a run of new guards is set off by a blank line. Only what the step has moved or made is touched.
"""

import ast
import io
import itertools
import re
import tokenize
from collections import Counter
from collections.abc import Callable, Iterator
from functools import lru_cache

from dreck.model.names.nodes import every_node, once_per_tree
from dreck.model.views.shape import leaves
from dreck.source.functions import FunctionNode
from dreck.source.lines import indent_of, split_lines
from dreck.source.walking import walk

_OPENING, _CLOSING = "([{", ")]}"
_PLAIN = ast.Expr | ast.Assign | ast.AugAssign | ast.AnnAssign | ast.Return | ast.Raise | ast.Assert | ast.Delete
_HEADED = ast.If | ast.While | ast.For | ast.With
_FOLLOWS = 3
"""So many lines behind a run of guards make a paragraph of their own."""


def laid_out(old: str, new: str, line_length: int) -> str:
    """`new`, a function's lines as a step leaves them, laid out again; `old` is how they stood before."""
    return _same_tree(new, lambda: _Layout(old, new, line_length).lines_fitted())


def set_off(old: str, new: str) -> str:
    """`new` with a blank line behind each run of guards that `old` had not, when a paragraph follows it.

    Only in a function that has blank lines between its statements.
    """
    return _same_tree(new, lambda: _Layout(old, new, 0).guards_set_off())


def _same_tree(text: str, change: Callable[[], str]) -> str:
    try:
        made = change()
        if made == text:
            return text
        return made if ast.dump(_parsed(made)) == ast.dump(_parsed(text)) else text
    except (SyntaxError, tokenize.TokenError, ValueError, IndexError):
        return text


@lru_cache(maxsize=4)
def _parsed(text: str) -> ast.Module:
    return ast.parse(f"if True:\n{text}" if indent_of(split_lines(text)[0]) else text)


@once_per_tree
def _statements(tree: ast.Module) -> tuple[ast.stmt, ...]:
    """Those that are laid out: plain ones, and heads of others."""
    return tuple(n for n in every_node(tree) if isinstance(n, (_PLAIN, _HEADED)))


class _Layout:
    """One function before and after a step; lines are counted as its tree counts them."""

    def __init__(self, old: str, new: str, line_length: int) -> None:
        self._limit = line_length
        self._before, self._after = _parsed(old), _parsed(new)
        lines = split_lines(new)
        self._newline = lines[0][len(lines[0].rstrip("\r\n")) :] or "\n"
        offset = 1 if indent_of(lines[0]) else 0
        self._lines = [""] * offset + [line.rstrip("\r\n") for line in lines]
        self._offset = offset
        self._old_lines = {line.strip() for line in split_lines(old)}
        self._old, self._new = old, new
        self._ends_open = not new.endswith(("\n", "\r"))

    def lines_fitted(self) -> str:
        joined = list(self._joined())
        carried = self._carried({first for first, _, _ in joined})
        return self._with([*joined, *self._wrapped(), *carried, *self._blank_twice()])

    def guards_set_off(self) -> str:
        return self._with([*self._set_off()] if self._has_blank_lines() else [])

    def _has_blank_lines(self) -> bool:
        """Whether blank lines stand between statements of the function as it was."""
        function = next(n for n in walk(self._before) if isinstance(n, FunctionNode))
        body = function.body[1:] if ast.get_docstring(function) is not None else function.body
        lines = [""] * self._offset + split_lines(self._old)
        return bool(body) and any(not line.strip() for line in lines[body[0].lineno - 1 : function.end_lineno])

    def _with(self, changes: list[tuple[int, int, list[str]]]) -> str:
        """The lines, changed from the last to the first, so that the places of those above stay what they are."""
        if not changes:
            return self._new
        changes = sorted(changes, key=lambda c: (-c[0], -c[1]))
        upper = len(self._lines) + 1
        for first, last, lines in changes:
            if last < upper:
                self._lines[first - 1 : last] = lines
                upper = first
        told = self._newline.join(self._lines[self._offset :])
        return told if self._ends_open else told + self._newline

    # --- joining -----------------------------------------------------------------------------------

    def _joined(self) -> Iterator[tuple[int, int, list[str]]]:
        """Statements and tests over several lines that stood deeper before, and fit on one line now."""
        stood: dict[str, int] = {}
        for node in _statements(self._before):
            if _is_wrapped(node):
                mark = _mark(node)
                stood[mark] = max(stood.get(mark, 0), node.col_offset)
        for node in _statements(self._after):
            first, last = node.lineno, self._end(node)
            lines = self._lines[first - 1 : last]
            if isinstance(node, ast.If) and self._lost_its_comment(lines):
                yield first, last, [indent_of(lines[0]) + _without_parentheses(_on_one_line(lines) or "")]
                continue
            depth = stood.get(_mark(node), 0) if last > first and stood else 0
            if depth <= node.col_offset:
                continue
            line = _on_one_line(lines)
            shorter = _without_parentheses(line) if line is not None else ""
            wide = len(indent_of(lines[0])) + len(shorter)
            if shorter and wide <= self._limit < wide + depth - node.col_offset:
                yield first, last, [indent_of(lines[0]) + shorter]
            else:
                yield from self._parts_joined(first, lines, depth - node.col_offset)

    def _parts_joined(self, first: int, lines: list[str], less: int) -> Iterator[tuple[int, int, list[str]]]:
        """What stands alone between brackets inside of a statement, and fits beside them now."""
        for at, (head, inner, last) in enumerate(zip(lines, lines[1:], lines[2:], strict=False)):
            part = _on_one_line([head, inner, last])
            opens = inner.rstrip().endswith((",", *_OPENING)) or not last.strip().startswith(tuple(_CLOSING))
            wide = len(indent_of(head)) + len(part or "")
            if part is not None and not opens and wide <= self._limit < wide + less:
                yield first + at, first + at + 2, [indent_of(head) + part]

    def _lost_its_comment(self, lines: list[str]) -> bool:
        """Whether a test stands in parentheses on a line of its own for a comment that has moved elsewhere."""
        if len(lines) != 3 or lines[0].strip() != "if (" or lines[2].strip() != "):":
            return False
        line = _on_one_line(lines)
        stood = [line.strip() for line in split_lines(self._old)]
        beside = [after for inner, after in itertools.pairwise(stood) if inner == lines[1].strip()]
        has_moved = bool(beside) and all(re.match(r"\):\s*#", after) for after in beside)
        return has_moved and line is not None and len(indent_of(lines[0])) + len(line) - 2 <= self._limit

    def _end(self, node: ast.stmt) -> int:
        if isinstance(node, _HEADED):
            line = _head(node)[-1].end_lineno or node.lineno
            while not self._lines[line - 1].rstrip().endswith(":") and line < node.body[0].lineno:
                line += 1
            return line
        return node.end_lineno or node.lineno

    # --- carrying along ----------------------------------------------------------------------------

    def _carried(self, joined: set[int]) -> Iterator[tuple[int, int, list[str]]]:
        """Lines behind a backslash, which go with the statement they belong to."""
        stood: dict[str, ast.stmt] = {}
        for node in _statements(self._before):
            if _is_wrapped(node):
                stood.setdefault(_mark(node), node)
        were = [""] * self._offset + [line.rstrip("\r\n") for line in split_lines(self._old)]
        within = _within_texts(self._new, self._offset) if stood else set()
        for node in _statements(self._after):
            old = stood.get(_mark(node)) if _is_wrapped(node) else None
            if old is None or node.lineno in joined or old.col_offset == node.col_offset:
                continue
            for line in range(node.lineno + 1, self._end(node) + 1):
                text, was = self._lines[line - 1], were[old.lineno + line - node.lineno - 1]
                follows = self._lines[line - 2].rstrip().endswith("\\")
                if follows and line not in within and text == was and "\t" not in indent_of(text):
                    wide = len(indent_of(text)) + node.col_offset - old.col_offset
                    yield line, line, [" " * max(0, wide) + text.lstrip()]

    # --- wrapping ----------------------------------------------------------------------------------

    def _wrapped(self) -> Iterator[tuple[int, int, list[str]]]:
        """Tests made of several that a step has made too long for the line."""
        for node in _statements(self._after):
            match node:
                case ast.If(test=ast.BoolOp() as test) | ast.While(test=ast.BoolOp() as test):
                    pass
                case ast.Return(value=ast.BoolOp() as test):
                    pass
                case _:
                    continue
            line = self._lines[node.lineno - 1]
            is_new = line.strip() not in self._old_lines
            if len(line) > self._limit and is_new and test.end_lineno == node.lineno:
                lines = _over_lines(line, "and" if isinstance(test.op, ast.And) else "or")
                if lines is not None:
                    yield node.lineno, node.lineno, lines

    # --- blank lines -------------------------------------------------------------------------------

    def _blank_twice(self) -> Iterator[tuple[int, int, list[str]]]:
        """The second of two blank lines between which a statement has gone, in a function that had no such pair."""
        if not _twice_blank(self._old, 0):
            yield from ((at, at, []) for at in _twice_blank(self._new, self._offset))

    def _set_off(self) -> Iterator[tuple[int, int, list[str]]]:
        """A blank line behind the last of a run of guards of which one is new, when a paragraph follows."""
        known = Counter(ast.dump(n.test) for n in walk(self._before) if isinstance(n, ast.If) and _is_guard(n))
        for node in walk(self._after):
            for body in (getattr(node, field, None) for field in ("body", "orelse", "finalbody")):
                if isinstance(body, list):
                    yield from self._behind_guards(body, known)

    def _behind_guards(self, body: list[ast.stmt], known: Counter[str]) -> Iterator[tuple[int, int, list[str]]]:
        is_new = False
        for guard, following in itertools.pairwise(body):
            if not (isinstance(guard, ast.If) and _is_guard(guard)):
                is_new = False
                continue
            is_new |= not known[ast.dump(guard.test)]
            behind = guard.end_lineno or guard.lineno
            ends_run = not (isinstance(following, ast.If) and _is_guard(following))
            count = (body[-1].end_lineno or 0) - following.lineno + 1
            stands_alone = not any(line.strip() for line in self._lines[behind + 1 : behind + 2])
            if is_new and ends_run and count >= _FOLLOWS and self._lines[behind].strip() and not stands_alone:
                yield behind, behind, [self._lines[behind - 1], ""]


def _is_guard(s: ast.If) -> bool:
    return not s.orelse and leaves(s.body)


def _is_wrapped(node: ast.stmt) -> bool:
    """Whether a statement, or the head of one, stands on several lines."""
    last = node.body[0].lineno - 1 if isinstance(node, _HEADED) else node.end_lineno or node.lineno
    return last > node.lineno


def _mark(node: ast.stmt) -> str:
    return " ".join(map(ast.dump, _head(node))) if isinstance(node, _HEADED) else ast.dump(node)


def _head(node: _HEADED) -> list[ast.expr]:
    """What stands between the first word of a statement and the block in it."""
    match node:
        case ast.For(target=target, iter=over):
            return [target, over]
        case ast.With(items=items):
            return [e for item in items for e in (item.context_expr, item.optional_vars) if e is not None]
        case ast.If(test=test) | ast.While(test=test):
            return [test]


def _on_one_line(lines: list[str]) -> str | None:
    """A wrapped statement on one line; None where comments, texts or a trailing comma keep it as it is."""
    text = "\n".join(lines)
    hugs = all(line.rstrip().endswith(tuple(_OPENING)) for line in lines[:1])
    if (
        not hugs
        or "#" in text
        or '"""' in text
        or "'''" in text
        or "\\\n" in text
        or re.search(r",\s*\n\s*[)\]}]", text)
    ):
        return None
    made = lines[0].strip()
    for line in lines[1:]:
        part = line.strip()
        glued = made.endswith(tuple(_OPENING)) or part.startswith(tuple(_CLOSING))
        made += part if glued else f" {part}"
    return made


def _without_parentheses(line: str) -> str:
    """A line without parentheses that only were there to wrap it."""
    found = re.fullmatch(r"(return |if |elif |while |[\w.\[\]'\", ]+ = )\((.*)\)(:?)", line)
    if found is None or not _is_balanced(found[2]) or "," in found[2].replace(", ", "") or ":=" in found[2]:
        return line
    bare = f"{found[1]}{found[2]}{found[3]}"
    body = {"if ": " pass", "elif ": " pass", "while ": " pass"}.get(found[1], "")
    try:
        pair = [ast.dump(ast.parse(_alone(text + body))) for text in (line, bare)]
    except SyntaxError:
        return line
    return bare if pair[0] == pair[1] else line


def _alone(code: str) -> str:
    """A line as a module of its own."""
    code = code.removeprefix("el") if code.startswith("elif ") else code
    return f"def f():\n    {code}"


def _is_balanced(text: str) -> bool:
    depth = 0
    for letter in text:
        depth += (letter in _OPENING) - (letter in _CLOSING)
        if depth < 0:
            return False
    return depth == 0


def _over_lines(line: str, operator: str) -> list[str] | None:
    """`if a and b:` over several lines, one operand a line, in parentheses."""
    indent = indent_of(line)
    code = line.strip()
    head, _, rest = code.partition(" ")
    tail = ":" if code.endswith(":") else ""
    if "#" in code or (rest.startswith("(") and _is_balanced(rest[1:-1])):
        return None
    whole = rest.removesuffix(":")
    cuts = [start for start, word in _operators(whole) if word == operator]
    if not cuts:
        return None
    parts = [whole[a:b].strip() for a, b in zip([0, *cuts], [*cuts, len(whole)], strict=True)]
    return [f"{indent}{head} (", *(f"{indent}    {part}" for part in parts), f"{indent}){tail}"]


def _operators(code: str) -> Iterator[tuple[int, str]]:
    """Where `and` and `or` stand outside of any bracket."""
    depth = 0
    for token in tokenize.generate_tokens(io.StringIO(code).readline):
        if token.type == tokenize.OP:
            depth += (token.string in _OPENING) - (token.string in _CLOSING)
        if token.type == tokenize.NAME and token.string in ("and", "or") and not depth:
            yield token.start[1], token.string


def _twice_blank(text: str, offset: int) -> list[int]:
    """The lines that are blank as those above them are, inside of no string."""
    lines = split_lines(text)
    twice = [at for at in range(2, len(lines) + 1) if not lines[at - 2].strip() and not lines[at - 1].strip()]
    within = _within_texts(text, 0) if twice else set()
    return [at + offset for at in twice if at not in within]


def _within_texts(text: str, offset: int) -> set[int]:
    """The lines that begin inside of a string."""
    found: set[int] = set()
    opened: list[int] = []
    for token in tokenize.generate_tokens(io.StringIO(text).readline):
        name = tokenize.tok_name[token.type]
        if name == "STRING":
            found.update(range(token.start[0] + 1 + offset, token.end[0] + 1 + offset))
        elif name.endswith("STRING_START"):
            opened.append(token.start[0])
        elif name.endswith("STRING_END") and opened:
            found.update(range(opened.pop() + 1 + offset, token.end[0] + 1 + offset))
    return found
