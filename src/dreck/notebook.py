"""How results look in a notebook: tables and coloured diffs as HTML. Attached to the classes when `dreck` is used."""

from collections.abc import Callable, Iterable
from html import escape
from typing import Any

_COLOURS = {"+": "#2f7fb8", "-": "#c46a00", "@": "#777777"}
_MOST = 50


def attach(kind: type) -> None:
    """Gives a class of results its form in a notebook, if it has one."""
    made = _FORMS.get(kind.__name__)
    if made is not None and not hasattr(kind, "_repr_html_"):
        kind._repr_html_ = made  # type: ignore[attr-defined]


def _table(names: Iterable[str], rows: Iterable[Iterable[Any]]) -> str:
    head = "".join(f"<th style='text-align:left'>{escape(name)}</th>" for name in names)
    body = "".join(
        f"<tr>{''.join(f'<td style=text-align:left>{escape(str(cell))}</td>' for cell in row)}</tr>" for row in rows
    )
    return f"<table><thead><tr>{head}</tr></thead><tbody>{body}</tbody></table>"


def _diff(text: str) -> str:
    lines = (
        f"<span style='color:{_COLOURS.get(line[:1], 'inherit')}'>{escape(line)}</span>" for line in text.splitlines()
    )
    return f"<pre style='line-height:1.3'>{'<br>'.join(lines)}</pre>"


def _survey(found: Any) -> str:
    names = ("tangle", "depth", "ways", "longest_test", "lines", "function")
    rows = [[getattr(row, name) for name in names] for row in found.rows[:_MOST]]
    more = len(found.rows) - len(rows)
    return _table(names, rows) + (f"<p>and {more} more functions</p>" if more > 0 else "")


def _outline(found: Any) -> str:
    parts = [f"<p><b>{escape(found.signature)}</b></p>"]
    for table in found.tables:
        names = [*table.conditions, "what happens", "exit"]
        rows = [
            [*(_MARK[dict(way.asked).get(code, "")] for code in table.conditions), "; ".join(way.acts), way.exit]
            for way in table.ways[:_MOST]
        ]
        parts += [f"<p>in {escape(table.title)}</p>" if table.title else "", _table(names, rows)]
    parts += [f"<p>{escape(note.kind)}, line {note.line}: {escape(note.text)}</p>" for note in found.notes]
    return "".join(parts)


_MARK = {True: "yes", False: "no", None: "any", "": "\u00b7"}


def _result(found: Any) -> str:
    rows = [
        (f"{f.path}::{f.name}", s.step, s.line, s.verdict.status, ", ".join(s.verdict.assumptions), s.reason)
        for f in found.functions
        for s in f.steps
    ]
    if not rows:
        return "<p>nothing to straighten</p>"
    return _table(("function", "step", "line", "verdict", "assuming", "why"), rows) + _diff(found.diff)


def _verdict(found: Any) -> str:
    pairs = found.functions or (("", found),)
    rows = []
    for name, one in pairs:
        told = one.difference
        differs = f"{told.input}: old {told.old}; new {told.new}" if told is not None else one.reason or ""
        rows.append((name, one.status, ", ".join(one.assumptions), differs))
    return _table(("function", "verdict", "assuming", "what differs, or why it is not better"), rows)


def _census(found: Any) -> str:
    parts = []
    for group in found.groups:
        names = [group.discriminant, *(f"{place.function}:{place.line}" for place in group.places)]
        parts.append(_table(names, [[kind, *cells] for kind, cells in zip(group.kinds, group.cells, strict=True)]))
    return "".join(parts) or "<p>no switches</p>"


def _pins(found: Any) -> str:
    rows = [(f.function, len(f.cases), f"{f.outcomes[0]} of {f.outcomes[1]}", f.problem) for f in found.functions]
    return _table(("function", "cases", "outcomes reached", "not pinned"), rows) + f"<pre>{escape(found.text)}</pre>"


def _offers(found: Any) -> str:
    rows = [
        (
            ", ".join(o.steps),
            f"{o.function}, line {o.line}",
            f"{o.before.tangle} \u2192 {o.after.tangle}",
            o.verdict,
            ", ".join(o.needs),
            o.command,
        )
        for o in found.offers[:_MOST]
    ]
    return _table(("step", "function", "tangle", "verdict", "needs", "type"), rows)


_FORMS: dict[str, Callable[[Any], str]] = {
    "Survey": _survey,
    "Outline": _outline,
    "Result": _result,
    "Verdict": _verdict,
    "Census": _census,
    "Pins": _pins,
    "Offers": _offers,
}
