"""Functions in a text: their names, their lines, and a text with one of them replaced."""

import ast
import re
import sys
from bisect import bisect_left
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import TypeAlias

from dreck.errors import BadSource
from dreck.source.guest import no_warnings
from dreck.source.lines import indent_of, split_lines

FunctionNode: TypeAlias = ast.FunctionDef | ast.AsyncFunctionDef
_Scope: TypeAlias = FunctionNode | ast.ClassDef


@dataclass(frozen=True, slots=True)
class Function:
    """A function as it stands in a text.

    `name` is dotted (`Class.method`, `outer.inner`); a second one of the same name is `name#2`.
    `start` and `end` are line numbers from 1, both included; decorators belong to it, and so do comments
    at its end that are indented deeper than its `def`.
    """

    name: str
    node: FunctionNode
    start: int
    end: int
    owner: ast.ClassDef | None = None
    nested: bool = False


def instance_owner(function: Function) -> str:
    """The class whose instance a method gets as its first parameter; '' for everything else."""
    if function.owner is None or function.nested or function.name.count(".") != 1:
        return ""
    bound = any(
        isinstance(d, ast.Name) and d.id in ("staticmethod", "classmethod") for d in function.node.decorator_list
    )
    return "" if bound or function.node.name in ("__new__", "__class_getitem__") else function.owner.name


def parse(text: str, path: Path | str = "<text>") -> ast.Module:
    """`ast.parse` that keeps quiet about odd escapes and raises BadSource with the place."""
    try:
        with no_warnings.held():
            return ast.parse(text)
    except SyntaxError as error:
        raise BadSource(f"{path}:{error.lineno or 1}: {_wrong(text, error)}") from None
    except (ValueError, RecursionError, MemoryError) as error:
        raise BadSource(f"{path}: not Python that can be parsed: {error}") from None


_OURS = f"{sys.version_info.major}.{sys.version_info.minor}"
_NEWER = re.compile(
    r"^\s*type \w+.*=|^\s*(async )?def \w+\[|^\s*class \w+\[|^\s*except\*? [\w.]+, [\w.]+.*:|\b[tT][rR]?[\"']"
)
"""What later versions of Python have: type parameters, `type` statements, `except A, B:`, t-strings."""


def _wrong(text: str, error: SyntaxError) -> str:
    """What is wrong; for code that may be written for a later Python than the one that runs, what to do about it."""
    lines = text.splitlines()[max(0, (error.lineno or 1) - 2) : (error.lineno or 1) + 1]
    if "f-string" in (error.msg or "") or any(map(_NEWER.search, lines)):
        told = f"not valid for Python {_OURS}, on which Dreck runs ({error.msg})"
        return f"{told}; run Dreck with the Python your code is for"
    return f"not Python: {error.msg}"


def functions_in(tree: ast.Module, text: str) -> list[Function]:
    """Every function of a module in the order it stands, methods and nested ones included."""
    lines = split_lines(text)
    seen: Counter[str] = Counter()
    found = []
    said = [number for number, line in enumerate(lines, 1) if "def" in line or "class" in line]
    work = _Collecting(said)
    work.block(tree.body, "", None, False)
    for name, node, owner, nested in work.found:
        seen[name] += 1
        unique = name if seen[name] == 1 else f"{name}#{seen[name]}"
        first = min([node.lineno, *(d.lineno for d in node.decorator_list)]) if node.decorator_list else node.lineno
        end = _with_trailing_comments(lines, lines[node.lineno - 1], node.end_lineno or node.lineno)
        found.append(Function(unique, node, first, end, owner, nested))
    return found


@dataclass(slots=True)
class _Collecting:
    """Functions by name, outer ones first. `said` are the lines that may define something: others are not gone into."""

    said: list[int]
    found: list[tuple[str, FunctionNode, ast.ClassDef | None, bool]] = field(default_factory=list)

    def block(self, body: list[ast.stmt], prefix: str, owner: ast.ClassDef | None, nested: bool) -> None:
        for node in body:
            if type(node) in PLAIN:
                continue
            if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
                self.found.append((prefix + node.name, node, owner, nested))
                if self._defines(node.body[0].lineno, node.end_lineno):
                    self.block(node.body, f"{prefix}{node.name}.", None, True)
            elif isinstance(node, ast.ClassDef):
                self.block(node.body, f"{prefix}{node.name}.", node, nested)
            elif self._defines(node.lineno, node.end_lineno):
                for block in blocks_of(node):
                    self.block(block, prefix, owner, nested)

    def _defines(self, first: int, last: int | None) -> bool:
        at = bisect_left(self.said, first)
        return at < len(self.said) and (last is None or self.said[at] <= last)


PLAIN = frozenset(
    {ast.Expr, ast.Assign, ast.AugAssign, ast.AnnAssign, ast.Return, ast.Raise, ast.Import, ast.ImportFrom, ast.Pass,
     ast.Continue, ast.Break, ast.Delete, ast.Assert, ast.Global, ast.Nonlocal}
)  # fmt: skip
"""Statements that hold no others."""


def blocks_of(node: ast.stmt) -> Iterator[list[ast.stmt]]:
    """The statement lists inside a compound statement, in the order they stand."""
    if type(node) in PLAIN:
        return
    match node:
        case ast.If() | ast.For() | ast.AsyncFor() | ast.While():
            yield node.body
            yield node.orelse
        case ast.With() | ast.AsyncWith() | ast.FunctionDef() | ast.AsyncFunctionDef() | ast.ClassDef():
            yield node.body
        case ast.Try() | ast.TryStar():
            yield node.body
            yield from (handler.body for handler in node.handlers)
            yield node.orelse
            yield node.finalbody
        case ast.Match():
            yield from (case.body for case in node.cases)


def _with_trailing_comments(lines: list[str], def_line: str, end: int) -> int:
    for number in range(end, len(lines)):
        line = lines[number].strip()
        if line and (not line.startswith("#") or _depth(lines[number]) <= _depth(def_line)):
            break
        if line:
            end = number + 1
    return end


def _depth(line: str) -> int:
    return len(indent_of(line).expandtabs(8))


def segment(text: str, function: Function) -> str:
    """The lines of one function, as they stand in `text`."""
    return "".join(split_lines(text)[function.start - 1 : function.end])


def splice(text: str, function: Function, replacement: str) -> str:
    """`text` with the lines of one function replaced; every other byte stays."""
    lines = split_lines(text)
    ends_file = function.end == len(lines)
    if ends_file and not lines[-1].endswith(("\n", "\r")):
        replacement = replacement.rstrip("\r\n")
    elif replacement and not replacement.endswith(("\n", "\r")):
        last = lines[function.end - 1]
        replacement += last[len(last.rstrip("\r\n")) :]
    return "".join([*lines[: function.start - 1], replacement, *lines[function.end :]])
