"""Examples people have written: calls in a docstring and in the project's own tests, as inputs to start from."""

import ast
import contextlib
import re
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

from dreck.source.copying import copied
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk
from dreck.trial.inputs.recipes import Make

_EXAMPLE = re.compile(r"^ *>>> .*(?:\n *\.\.\. .*)*", re.MULTILINE)
_MOST = 24
_FILES = 400
_LARGEST = 400_000
_MADE = "Made by `dreck"
"""Files that were made of a trial's own inputs say nothing new."""
_TABLES = ("parametrize",)

Row = dict[str, ast.expr]
Calls = dict[str, list[tuple[ast.Call, Row]]]

_READ: dict[Path, tuple[int, Calls]] = {}
"""What stands in the files of tests that were read, by their names; of each, when it was written."""


def examples_of(function: FunctionNode, parameters: list[str], root: Path) -> list[dict[str, Make]]:
    """The choices that play the calls found in the function's docstring and in the tests below `root`.

    Only calls whose arguments are literals are taken, or names that a table of a test gives a literal.
    """
    found: dict[str, dict[str, Make]] = {}
    for call, row in _calls(function, root):
        choice = _choice(call, row, [p for p in parameters if p not in ("self", "cls")])
        if choice:
            found.setdefault(repr(sorted(choice.items())), choice)
        if len(found) >= _MOST:
            break
    return list(found.values())


def remember(name: str, root: Path) -> None:
    """Reads the tests that speak of a function, so that what is forked from here on finds them read."""
    called = re.compile(rf"\b{re.escape(name)}\s*\(")
    for path in _test_files(root):
        with contextlib.suppress(OSError, ValueError, SyntaxError, RecursionError, MemoryError):
            about = path.stat()
            if about.st_size <= _LARGEST and called.search(text := path.read_text(encoding="utf-8")):
                _written_in(path, about.st_mtime_ns, text)


def _calls(function: FunctionNode, root: Path) -> Iterator[tuple[ast.Call, Row]]:
    for call in _calls_in(_docstring_code(function)).get(function.name, ()):
        yield call, {}
    remember(function.name, root)
    for path in _test_files(root):
        _, calls = _READ.get(path, (0, {}))
        yield from calls.get(function.name, ())


def _written_in(path: Path, when: int, text: str) -> None:
    if _READ.get(path, (None,))[0] == when:
        return
    while len(_READ) >= _FILES:
        del _READ[next(iter(_READ))]
    _READ[path] = when, {}
    _READ[path] = when, _calls_of_tests(ast.parse(text if _MADE not in text[:400] else ""))


def _docstring_code(function: FunctionNode) -> ast.Module:
    """What is typed at the prompt in the examples of a docstring."""
    body: list[ast.stmt] = []
    for example in _EXAMPLE.findall(ast.get_docstring(function) or ""):
        typed = "\n".join(line.strip()[4:] for line in example.splitlines())
        try:
            body += ast.parse(typed).body
        except (SyntaxError, ValueError):
            continue
    return ast.Module(body, [])


def _test_files(root: Path) -> Iterator[Path]:
    """Files that look like tests, beside the project's modules or in folders of their own."""
    seen = 0
    for folder in dict.fromkeys((root / "tests", root / "test", root)):
        for path in sorted(folder.glob("test_*.py" if folder == root else "**/test_*.py")):
            seen += 1
            if seen > _FILES:
                return
            yield path


def _calls_in(tree: ast.AST) -> dict[str, list[ast.Call]]:
    """The calls in a piece of code, by the name of what is called."""
    found: dict[str, list[ast.Call]] = {}
    for node in walk(tree):
        match node:
            case ast.Call(func=ast.Name(id=called) | ast.Attribute(attr=called)):
                found.setdefault(called, []).append(node)
    return found


def _calls_of_tests(tree: ast.Module) -> Calls:
    found: Calls = {}
    for test in (n for n in walk(tree) if isinstance(n, FunctionNode)):
        calls = _calls_in(test)
        rows = list(_rows(test)) if calls else []
        for name, written in calls.items():
            found.setdefault(name, []).extend((call, row) for call in written for row in rows or [{}])
    return found


def _rows(test: FunctionNode) -> Iterator[Row]:
    """What each line of a test's table gives to its parameters."""
    for decorator in test.decorator_list:
        match decorator:
            case ast.Call(
                func=ast.Attribute(attr=attr), args=[named, ast.List(elts=lines) | ast.Tuple(elts=lines), *_]
            ):
                names = _names(named) if attr in _TABLES else []
                for line in lines:
                    values = _values(line, len(names))
                    if len(values) == len(names):
                        yield dict(zip(names, values, strict=True))


def _names(named: ast.expr) -> list[str]:
    match named:
        case ast.Constant(value=str() as text):
            return [name.strip() for name in text.split(",")]
        case ast.Tuple(elts=parts) | ast.List(elts=parts):
            return [part.value for part in parts if isinstance(part, ast.Constant) and isinstance(part.value, str)]
    return []


def _values(line: ast.expr, count: int) -> list[ast.expr]:
    match line:
        case ast.Call(func=ast.Attribute(attr="param"), args=args):
            return args
        case ast.Tuple(elts=parts) | ast.List(elts=parts) if count > 1:
            return parts
    return [line] if count == 1 else []


def _choice(call: ast.Call, row: Mapping[str, ast.expr], parameters: list[str]) -> dict[str, Make]:
    given: dict[str, ast.expr] = dict(zip(parameters, call.args, strict=False))
    given |= {k.arg: k.value for k in call.keywords if k.arg in parameters}
    found: dict[str, Make] = {}
    for name, code in given.items():
        value = _literal(_FilledIn(row).visit(copied(code)))
        if value is None:
            return {}
        found[name] = value
        found[f"{name} given"] = Make("value", True)
    return found


class _FilledIn(ast.NodeTransformer):
    """Puts what a line of a table gives where its name stands."""

    def __init__(self, row: Mapping[str, ast.expr]) -> None:
        self._row = row

    def visit_Name(self, node: ast.Name) -> ast.expr:
        return self._row.get(node.id, node)


def _literal(code: ast.expr) -> Make | None:
    try:
        value: Any = ast.literal_eval(code)
    except (ValueError, TypeError, SyntaxError, MemoryError, RecursionError):
        return None
    return Make("value", value)
