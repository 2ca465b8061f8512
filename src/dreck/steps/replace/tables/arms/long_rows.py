"""Rows of a table that do not fit into a line: broken where brackets open and close, as formatters do it."""

import ast

from dreck.steps.support.trees import Untouchable

TOO_LONG = "a value is too long for a row; call-table makes a function of it"
_MOST_GIVEN = 30
"""So many characters may say what a row over several lines is given."""


def are_broken(before: str, after: str) -> bool:
    """Whether rows among the lines that came to a text go over several lines."""
    fresh = set(after.splitlines()) - set(before.splitlines())
    return any(": " in line and line.endswith(("(", "[", "{")) and not line.endswith("= {") for line in fresh)


def fitting(row: str, unit: str, width: int, longest: int = 0) -> str:
    """A row (`"glass": Fee(3, 4),`, in a line of its own) as it fits into `width`. Raises Untouchable if it does not.

    `unit`: one level of indentation. `longest`: the longest line of what the rows come from; what cannot be broken may
    stay as long as that.
    """
    if len(row) <= width or "#" in row:
        return row
    indent = row[: len(row) - len(row.lstrip())]
    told = f"{{{row.strip()}}}"
    display = ast.parse(told, mode="eval").body
    item = display.values[0] if isinstance(display, ast.Dict) else display
    body = item.body if isinstance(item, ast.Lambda) else item
    if isinstance(item, ast.Lambda) and len(ast.unparse(item.args)) > _MOST_GIVEN:
        raise Untouchable(TOO_LONG)  # more would be said of what it is given than of what it answers
    start, parts, end = _parts(told, body)
    lead = f"{indent}{told[1 : _at(told, body.lineno, body.col_offset)]}"
    if len(f"{lead}{start}") > width:
        start, parts, end = "(", [_code(told, body)], ")"
    head = f"{lead}{start}"
    together = f"{indent}{unit}{', '.join(parts)}"
    lines = [together] if len(together) <= width else [f"{indent}{unit}{part}," for part in parts]
    if len(parts) == 1 and (start == "(" or isinstance(body, ast.Call)):
        lines = [together]  # no comma of its own: what stands in the parentheses would be a tuple, or a lone generator
    broken = "\n".join([head, *lines, f"{indent}{end},"])
    if any(len(line) > max(width, longest) for line in (head, *lines)) or not _is_same(broken, display):
        raise Untouchable(TOO_LONG)
    return broken


def _is_same(broken: str, display: ast.expr) -> bool:
    try:
        return ast.dump(ast.parse(f"{{{broken}}}", mode="eval").body) == ast.dump(display)
    except SyntaxError:
        return False


def _parts(text: str, body: ast.expr) -> tuple[str, list[str], str]:
    """What opens, what stands inside, what closes."""
    code = _code(text, body)
    match body:
        case ast.Call(func=func, args=[ast.GeneratorExp() as every], keywords=[]) if code.endswith(")"):
            return f"{_code(text, func)}(", [_code(text, every)[1:-1]], ")"
        case ast.Call(func=func, args=args, keywords=options) if args or options:
            start = f"{_code(text, func)}("
            if code.startswith(start):
                named = [f"{k.arg}={_code(text, k.value)}" if k.arg else f"**{_code(text, k.value)}" for k in options]
                return start, [*(_code(text, a) for a in args), *named], ")"
        case ast.Tuple(elts=[_, _, *_] as elts) | ast.List(elts=[_, *_] as elts) | ast.Set(elts=[_, *_] as elts):
            return code[0], [_code(text, e) for e in elts], code[-1]
        case ast.Dict(keys=[_, *_] as keys, values=values) if all(keys):
            pairs = [f"{_code(text, k)}: {_code(text, v)}" for k, v in zip(keys, values, strict=True) if k is not None]
            return "{", pairs, "}"
    return "(", [code], ")"


def _code(text: str, e: ast.expr) -> str:
    return ast.get_source_segment(text, e) or ast.unparse(e)


def _at(text: str, line: int, column: int) -> int:
    assert line == 1
    return len(text.encode()[:column].decode())
