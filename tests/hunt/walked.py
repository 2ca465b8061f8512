"""Random pairs of functions that go along tables of the module by their places, and the same written out by hand."""

import random
from typing import Any

from tests.hunt.displays import HELD

_HEADS = (
    *['NAMES = ["glass", "paper"]\nFEES = [3, 2]\n'] * 6,
    'NAMES = ("glass", "paper")\nFEES = (3, 2)\n',
    'NAMES = ["glass", "paper"]\nFEES = [3, 2, 9]\n',
    'NAMES = ["glass", "paper", "metal"]\nFEES = (3, 2)\n',
)
_AFTERWARDS = (
    *[""] * 10,
    'def put():\n    NAMES.append("late")\n',
    'def put(names=NAMES):\n    names.insert(0, "late")\n',
    'KNOWN = NAMES\ndef put():\n    KNOWN.insert(0, "late")\n',
    'def put():\n    global NAMES\n    NAMES = ["late"]\n',
    'def put():\n    globals()["NAMES"] = ["late"]\n',
    'NAMES = ["late", "later"]\n',
    "def range(size):\n    return [1, 0]\n",
    "def len(rows):\n    return 1\n",
    *["def enumerate(rows):\n    return [(1, rows[0])]\n"] * 2,
    *["def zip(rows, *more):\n    return [(7, 8)]\n"] * 2,
)
_LOOPS = (
    ("for i in range(len(NAMES))", "i = {at}"),
    ("for i, x in enumerate(NAMES)", "i, x = {at}, {name}"),
    ("for x, y in zip(NAMES, FEES)", "x, y = {name}, {fee}"),
    ("for i, (x, y) in enumerate(zip(NAMES, FEES))", "i, x, y = {at}, {name}, {fee}"),
    ("for i in range(len(FEES))", "i = {at}"),
    ("for i, i in enumerate(NAMES)", "i = {name}"),
    ("for i, x in enumerate(NAMES, 1)", "i, x = {at}, {name}"),
    ("for i in range(1, len(NAMES))", "i = {at}"),
)
_BEFORE = (*[""] * 4, "i = 1\nlog(NAMES[i])", "i = k\nlog(NAMES[i])", "x = k")
_INSIDE = (
    *["log(NAMES[i])"] * 3, "log((i, FEES[i]))", "log((NAMES[i], FEES[i]))", "k = FEES[i]", "log((x, y))", "log(x)",
    "i = 0\nlog(NAMES[i])", "i -= 1\nlog(NAMES[i])", "put()", "put()\nlog(NAMES[i])", "if i == 1:\n    break", "if i:\n    continue\nlog(0)",
    "for j in (0, 1):\n    log((j, NAMES[i]))", "for i in (0,):\n    log(i)", "for _ in a:\n    log(NAMES[i])",
    'log(any(NAMES[i] == "glass" for i in (0, 1)))', "log([NAMES[i] for i in (1, 0)])", "log([NAMES[i] for _ in (1, 0)])",
    "try:\n    fail(i)\nexcept ValueError as i:\n    pass", "try:\n    fail(i)\nexcept ValueError:\n    log(NAMES[i])",
    "del i", "(i := 1)\nlog(NAMES[i])", "while k > 0:\n    k -= 1\n    log(NAMES[i])", "if k > 1:\n    return NAMES[i]",
    "own = lambda: i\nlog(own())", "def own():\n    nonlocal i\n    i = 0\nown()\nlog(NAMES[i])", "NAMES[i] and log(i)", "log(NAMES[k])",
    "if i == k:\n    for _ in a:\n        log(NAMES[i])\n    return k", "if i == k:\n    for _ in a:\n        log(NAMES[i])\n    break",
    "log(NAMES[-1])", "log(NAMES[i:])", "with held(0) as i:\n    log(NAMES[i])",
    "match a:\n    case [i, *_]:\n        log(i)\n    case _:\n        log(NAMES[i])", "import sys as i\nlog(1)",
)  # fmt: skip
_MODULE = (
    """\
seen = []
def log(x):
    seen.append(x)
def put():
    pass
def fail(x):
    if x == 1:
        raise ValueError(x)
"""
    + HELD
)


def pair(pick: random.Random) -> tuple[str, str]:
    """The text of a module with `f(a, k)`, and that of one that may do the same."""
    while True:
        texts = _drawn(pick)
        try:
            for text in texts:
                compile(text, "y.py", "exec")
        except SyntaxError:
            continue
        return texts


def _drawn(pick: random.Random) -> tuple[str, str]:
    head, after = pick.choice(_HEADS), pick.choice(_AFTERWARDS)
    loop, bound = pick.choice(_LOOPS)
    body = "\n".join(pick.choice(_INSIDE) for _ in range(pick.choice((1, 1, 2))))
    otherwise = pick.choice(("", "", "", "log('done')", "log(NAMES[i])"))
    old = f"{loop}:\n{_indented(body)}" + (f"\nelse:\n    {otherwise}" if otherwise else "")
    new = "\n".join([*_rounds(head, bound, body, pick), *([otherwise] if otherwise else [])])
    back = pick.choice(("return k", "return i", "return NAMES[i]", "return x", ""))
    first = pick.choice(_BEFORE)
    told = first.replace("NAMES[i]", "'glass'") if pick.random() < 0.5 else first
    texts = ("\n".join(filter(None, (before, text, back))) for before, text in ((first, old), (told, new)))
    mine, theirs = (f"{_MODULE}{head}{after}def f(a, k):\n{_indented(text)}\n" for text in texts)
    return mine, theirs


def _rounds(head: str, bound: str, body: str, pick: random.Random) -> list[str]:
    """The rounds one by one; now and then one is left out, comes at another place, or reads another row."""
    space: dict[str, Any] = {}
    exec(head, space)
    names, fees = list(space["NAMES"]), list(space["FEES"])
    size = len(fees) if pick.random() < 0.3 else len(names)
    order = list(range(size))
    if pick.random() < 0.1:
        pick.shuffle(order)
    elif pick.random() < 0.1:
        order.pop(pick.randrange(size))
    rounds = []
    for at in order:
        row = at if pick.random() < 0.95 else 0
        name, fee = (repr(rows[min(row, len(rows) - 1)]) for rows in (names, fees))
        told = f"{bound.format(at=at, name=name, fee=fee)}\n{body}"
        if pick.random() < 0.7:
            told = told.replace("NAMES[i]", name).replace("FEES[i]", fee)
        leaves = "continue" in body or "break" in body
        rounds.append(f"for _ in (0,):\n{_indented(told)}" if leaves else told)
    return rounds


def _indented(text: str) -> str:
    return "\n".join(f"    {line}" for line in text.splitlines())


def difference(old: dict[str, Any], new: dict[str, Any]) -> Any:
    """An input for which the two do not do the same, with what each does; None when there is none among a few."""
    for given in (([], 0), ([1], 2), ([2, 0], 1), ("xy", 3)):
        for before in ("", "put()"):
            told = [_outcome(space, given, before) for space in (old, new)]
            if told[0] != told[1]:
                return given, before, *told
    return None


def _outcome(space: dict[str, Any], given: tuple[Any, ...], before: str) -> Any:
    space["seen"].clear()
    kept = [(name, list(space[name])) for name in ("NAMES", "FEES")]
    objects = {name: space[name] for name, _ in kept}
    try:
        exec(before, space)
        found: Any = repr(space["f"](*given))
    except Exception as error:
        found = type(error).__name__
    for name, held in kept:
        space[name] = objects[name]
        if isinstance(objects[name], list):
            objects[name][:] = held
    return found, list(space["seen"])
