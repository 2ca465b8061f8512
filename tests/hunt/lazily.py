"""Random pairs of functions in which rows are worked out later, or at once, and a variable they read is set meanwhile."""

import random
from typing import Any

_ROWS = (
    "(k * x for x in xs)", "(k for x in xs if x > k)", "((lambda: k) for x in xs)", "((k for y in xs) for x in xs)",
    "(x for x in (k, 2, *xs))",
)  # fmt: skip
_CALLS = (
    "any({rows})", "all({rows})", "sum({rows})", "list({rows})", "tuple({rows})", "sorted({rows})", "max({rows})",
    "next({rows})", "next({rows}, 7)", "set({rows})", "','.join(str(i)[:9] for i in {rows})", "sum((), {rows})",
    "b','.join(str(i)[:9].encode() for i in {rows})", "own.join(str(i)[:9] for i in {rows})",
    "next(iter(()), {rows})", "sum({rows}, {rows})", "zip({rows}, (1, 2))", "iter({rows})", "{rows}",
    "enumerate({rows})", "map(abs, {rows})", "filter(None, {rows})", "max(xs, key=lambda x: x * k)",
    "sorted(xs, key=lambda x: x * k)", "map(lambda x: x * k, xs)", "max((), default={rows})", "any({rows}, (k := 4))",
    "sum((k * x for x in xs), (k := 4))", "dict(enumerate({rows}))", "(lambda: sum({rows}))", "own({rows})",
)  # fmt: skip
_SET = ("k = 5", "k = k + 1", "k += x", "del k", "xs = (9,)", "k = told", "k, xs = 3, (4, 5)", "k = own(k)")
_HEADS = ("", "", "def any(rows):\n    return rows\n", "def next(rows, *more):\n    return rows\n")


def pair(pick: random.Random) -> tuple[str, str]:
    """The text of a module with `f(xs, k, own)`, and that of one that may do the same."""
    head = pick.choice(_HEADS)
    call = pick.choice(_CALLS).format(rows=pick.choice(_ROWS))
    lines = [f"told = {call}", pick.choice(_SET), *([pick.choice(_SET)] if pick.random() < 0.3 else [])]
    back = pick.choice(("return told", "return told, k", "return own(told), k", "return k"))
    old = [*lines, back]
    new = list(old)
    if ":=" in call and pick.random() < 0.7:  # the name is bound behind the call, or before it
        new[pick.choice((0, 1)) : 1] = ["k = 4"] if pick.random() < 0.5 else []
        new = [line.replace("(k := 4)", "4") for line in (new if "k = 4" in new else [*new[:1], "k = 4", *new[1:]])]
        return _module(head, old), _module(head, new)
    match pick.randrange(5):
        case 0:
            del new[pick.randrange(1, len(lines))]
        case 1:
            at = pick.randrange(len(lines) - 1)
            new[at], new[at + 1] = new[at + 1], new[at]
        case 2:
            part, used = _cut(new[1 : len(lines)])
            return _module(head, old), _module(f"{head}{part}", [new[0], used, back])
        case 3:
            return _module(head, old), _module(f"{head}def _made(xs, k, own):\n    return {call}\n",
                                               ["told = _made(xs, k, own)", *new[1:]])  # fmt: skip
        case _:
            new[1:1] = [pick.choice(_SET)]
    return _module(head, old), _module(head, new)


def _cut(lines: list[str]) -> tuple[str, str]:
    body = "".join(f"    {line}\n" for line in lines)
    return f"def _set(xs, k, told, own, x=1):\n{body}    return xs, k\n", "xs, k = _set(xs, k, told, own)"


def _module(head: str, lines: list[str]) -> str:
    return f"{head}def f(xs, k, own, x=1):\n" + "".join(f"    {line}\n" for line in lines)


def difference(old: dict[str, Any], new: dict[str, Any]) -> Any:
    """Arguments that the two are not the same for; None when there are none among these."""
    for xs in ((), (1,), (3, 1, 2), [4, 4]):
        for k in (0, 1, 3):
            for own in (tuple, _kept):
                seen = [_seen(space["f"], xs, k, own) for space in (old, new)]
                if seen[0] != seen[1]:
                    return xs, k, own.__name__, seen
    return None


def _kept(value: Any) -> Any:
    return value


def _seen(f: Any, xs: Any, k: int, own: Any) -> Any:
    try:
        return _written(f(xs, k, own))
    except Exception as error:
        return type(error).__name__


def _written(value: Any) -> Any:
    """A value as it can be told, what is lazy gone through to its end."""
    if callable(value):
        return "called", _written(value())
    if isinstance(value, int | float | str | None):
        return type(value).__name__, value
    try:
        return type(value).__name__, [_written(part) for part in value]
    except (NameError, TypeError) as error:
        return type(error).__name__
