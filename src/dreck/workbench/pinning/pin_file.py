"""The pytest file of pins: plain Python, a table where cases are plain, a function of its own for each other."""

import ast
import re
import sys
from collections.abc import Iterable

from dreck.trial.case import HELPERS, Case, exact_repr, quoted

_WIDE = 100


def pin_file(
    stem: str,
    module: str,
    functions: Iterable[tuple[str, tuple[Case, ...]]],
    import_from: str,
    title: str = "",
    left_out: Iterable[tuple[str, str]] = (),
) -> str:
    """The text of the file, for cases by function of the module `module`, whose file is called `stem`.

    `import_from` is a folder to put on the path, relative to the file's; often none. `left_out` are functions that
    could not be pinned, each with the reason: the file says so at its top.
    """
    blocks: list[str] = []
    cases: list[Case] = []
    for function, own in functions:
        cases += own
        blocks += _blocks(function, own, stem)
    told = f"What {module} does today: one case for each way through that matters."
    title = title or f"{told} Made by `dreck pin`; yours to edit."
    not_pinned = "\n".join(f"    {name}: {_docstring(why)}" for name, why in left_out)
    title = f'"""{title}\n\nNot pinned:\n{not_pinned}\n"""' if not_pinned else f'"""{title}"""'
    helpers = [HELPERS[name] for name in sorted({h for c in cases for h in c.helpers})]
    head = "\n".join([title, "", *_imports(module, cases, stem, import_from)]) + "\n"
    return "\n\n".join([head, *helpers, *blocks])


def _imports(module: str, cases: list[Case], stem: str, import_from: str) -> list[str]:
    """The import lines in groups: the standard library, pytest and other packages, the module itself."""
    needed = {line for case in cases for line in case.imports}
    if import_from:
        needed |= {"import sys", "from pathlib import Path"}
    if any(_needs_pytest(cases)):
        needed.add("import pytest")
    top, _, _ = module.partition(".")
    standard: list[str] = []
    others: list[str] = []
    mine: list[str] = []
    for line in _sorted_imports(needed):
        home = line.split()[1].partition(".")[0]
        is_mine = home == top or (import_from and home not in ("pytest", "numpy"))
        (standard if home in sys.stdlib_module_names else mine if is_mine else others).append(line)
    own = sorted({name for case in cases for name in case.own}, key=_constants_first)
    if any(case.globals for case in cases):
        home, _, last = module.rpartition(".")
        mine.append(f"from {home} import {last}" if home else f"import {module}")
    if own:
        mine.append(_import(module, own))
    if import_from:
        inside = "" if import_from == "." else f" / {quoted(import_from)}"
        mine = [f"sys.path.insert(0, str(Path(__file__).parent{inside}))", "", *mine]
    groups = [group for group in (standard, others, mine) if group]
    return [line for i, group in enumerate(groups) for line in ([""] if i else []) + group]


def _sorted_imports(lines: set[str]) -> list[str]:
    """One line a module, `import x` before `from x import …`, as formatters order them."""
    merged: dict[str, set[str]] = {}
    for line in lines:
        if line.startswith("from "):
            home, _, names = line[5:].partition(" import ")
            merged.setdefault(home, set()).update(name.strip() for name in names.split(","))
    plain = sorted(line for line in lines if line.startswith("import "))
    return plain + [_import(home, names) for home, names in sorted(merged.items())]


def _import(home: str, names: Iterable[str]) -> str:
    """One line, or one line a name where that would be too long."""
    names = sorted(names, key=_constants_first)
    line = f"from {home} import {', '.join(names)}"
    return line if len(line) <= 88 else "\n".join([f"from {home} import (", *(f"    {n}," for n in names), ")"])


def _constants_first(name: str) -> tuple[int, str]:
    return (1 if name[:1].isupper() else 2, name)


def _needs_pytest(cases: list[Case]) -> Iterable[bool]:
    return (case.is_plain or case.raises is not None for case in cases)


def _blocks(function: str, cases: tuple[Case, ...], stem: str) -> list[str]:
    name = re.sub(r"[\W_]+", "_", function).strip("_").lower()
    tables: dict[tuple[bool, str, tuple[str, ...]], list[Case]] = {}
    own: list[Case] = []
    for case in cases:
        if case.is_plain:
            key = (case.raises is not None, case.call, tuple(n for n, _ in case.arguments))
            tables.setdefault(key, []).append(case)
        else:
            own.append(case)
    own += [rows[0] for rows in tables.values() if len(rows) == 1]
    tables = {key: rows for key, rows in tables.items() if len(rows) > 1}
    blocks: list[str] = []
    taken: set[str] = set()
    for (raises, _, arguments), rows in sorted(tables.items(), key=lambda item: item[0][0]):
        title = _free(f"test_{name}{'_raises' if raises else ''}", taken)
        blocks.append(_raising(title, rows, arguments) if raises else _table(title, rows, arguments))
    for case in own:
        slug = re.sub(r"[\W_]+", "_", _in_words(case.way)).strip("_").lower()[:56].strip("_")
        blocks.append(_alone(_free(f"test_{name}_{slug}", taken), case, stem))
    return blocks


_WORDS = {">=": " from ", "<=": " up to ", "==": " is ", "!=": " is not ", "<": " below ", ">": " above "}


def _in_words(way: str) -> str:
    return re.sub("|".join(_WORDS), lambda found: _WORDS[found[0]], way)


def _free(name: str, taken: set[str]) -> str:
    number, free = 2, name
    while free in taken:
        free, number = f"{name}_{number}", number + 1
    taken.add(free)
    return free


def _table(title: str, rows: list[Case], arguments: tuple[str, ...]) -> str:
    expected = _apart("expected", arguments)
    results = [row.expected or "" for row in rows]
    body = [f"    result = {rows[0].call}", f"    assert result == {expected}"]
    if any(exact_repr(r) for r in results):
        body.append(f"    assert repr(result) == repr({expected})")
    elif len({_kind(r) for r in results}) > 1 or _kind(results[0]) not in ("str", "other"):
        body.append(f"    assert type(result) is type({expected})")
    if all(r in ("None", "True", "False") for r in results):
        body = [f"    assert {rows[0].call} is {expected}"]
    elif len(body) == 2:
        body = [f"    assert {rows[0].call} == {expected}"]
    lines = [_param([source for _, source in row.arguments] + [row.expected or ""], row.way) for row in rows]
    return _parametrized(title, (*arguments, expected), lines, body)


def _kind(source: str) -> str:
    if source in ("True", "False"):
        return "bool"
    if re.fullmatch(r"-?\d+", source):
        return "int"
    if re.fullmatch(r"-?[\d.]+(e[+-]?\d+)?", source):
        return "float"
    return "str" if source[:1] in "'\"" else "other"


def _raising(title: str, rows: list[Case], arguments: tuple[str, ...]) -> str:
    kind, args = _apart("error", arguments), _apart("args", arguments)
    told = any(row.raises and row.raises[1] for row in rows)
    lines, body = [], [f"    with pytest.raises({kind}) as raised:", f"        {rows[0].call}"]
    body.append(f"    assert type(raised.value) is {kind}")
    for row in rows:
        assert row.raises is not None
        values = [source for _, source in row.arguments] + [row.raises[0]]
        lines.append(_param(values + ([row.raises[1] or "None"] if told else []), row.way))
    if told:
        silent = any(not (row.raises and row.raises[1]) for row in rows)
        body.append(f"    assert {f'{args} is None or ' if silent else ''}raised.value.args == {args}")
    return _parametrized(title, (*arguments, kind, *([args] if told else [])), lines, body)


def _apart(name: str, arguments: tuple[str, ...]) -> str:
    return f"{name}_" if name in arguments else name


def _parametrized(title: str, names: tuple[str, ...], rows: list[str], body: list[str]) -> str:
    told = ", ".join(f'"{name}"' for name in names)
    names_told = f"({told})" if len(names) > 1 else told
    head = ["@pytest.mark.parametrize(", f"    {names_told},", "    ["]
    return "\n".join([*head, *rows, "    ],", ")", f"def {title}({', '.join(names)}):", *body]) + "\n"


def _param(values: list[str], way: str) -> str:
    line = f"        pytest.param({', '.join(values)}, id={_quoted(way)}),"
    if len(line) <= _WIDE:
        return line
    parts = [f"            {laid_out(value, 12)}," for value in values]
    return "\n".join(["        pytest.param(", *parts, f"            id={_quoted(way)},", "        ),"])


def _quoted(text: str) -> str:
    return f'"{text}"' if '"' not in text and "\\" not in text else repr(text)


def _alone(title: str, case: Case, stem: str) -> str:
    fixtures = [name for name, wanted in (("capsys", case.output is not None), ("monkeypatch", case.globals)) if wanted]
    lines = [f"def {title}({', '.join(fixtures)}):", f'    """{_docstring(case.way)}"""']
    return "\n".join([*lines, *(f"    {_wrapped(line)}" for line in case.lines(stem))]) + "\n"


def _wrapped(line: str) -> str:
    """A long line of a test, its expression over several lines, as formatters break it."""
    found = re.match(r"( *)((?:assert \S+ == )|(?:[\w.]+ = ))(.+)", line, re.DOTALL)
    if len(line) + 4 <= _WIDE or found is None:
        return line
    return f"{found[1]}{found[2]}{laid_out(found[3], 4 + len(found[1]), len(found[2]))}"


def laid_out(source: str, indent: int, before: int = 0) -> str:
    """An expression that stands `indent` columns in, `before` characters after that, broken where it is too long."""
    if indent + before + len(source) + 1 <= _WIDE:
        return source
    tree = ast.parse(source, mode="eval").body
    match tree:
        case ast.Call(func=func, args=args, keywords=keywords):
            opening, closing = f"{_of(source, func)}(", ")"
            parts = [("", a) for a in args] + [(f"{k.arg}=", k.value) for k in keywords]
        case ast.List(elts=items) | ast.Set(elts=items) | ast.Tuple(elts=items):
            opening, closing = source[0], source[-1]
            parts = [("", item) for item in items]
        case ast.Dict(keys=keys, values=values):
            opening, closing = "{", "}"
            parts = [(f"{_of(source, k)}: ", v) for k, v in zip(keys, values, strict=True) if k is not None]
        case _:
            return source
    inner = " " * (indent + 4)
    lines = [f"{inner}{name}{laid_out(_of(source, part), indent + 4, len(name))}," for name, part in parts]
    return "\n".join([opening, *lines, " " * indent + closing])


def _of(source: str, node: ast.expr) -> str:
    return ast.get_source_segment(source, node) or ast.unparse(node)


def _docstring(way: str) -> str:
    told = way.replace("\\", "\\\\").replace('"""', "'''")
    return f"{told} " if told.endswith('"') else told
