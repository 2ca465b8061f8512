"""Random pairs of functions that go through what stands there, `for x in (a, b)`, and the same written out by hand."""

import random
from typing import Any

_DISPLAYS = (
    "(a, b)",
    "[a, b]",
    "(a, b, c)",
    "(b, a)",
    "(a, 3, b)",
    "(a, a)",
    "(a, b, k)",
    "(a, u)",
    "(a, x)",
    "(k, b)",
    "(p.n, p.m)",
    "(u, p.q)",
    "(p.q, u)",
    "[p.n, a]",
    "(p.m, p.m)",
    "(b, p.m, p.n)",
    "(a.real, b.imag)",
)
_INSIDE = (
    "log(x)", "log((x, b))", "b = 5", "a = x", "k += 1", "del b", "own()", "if x == 1:\n    continue",
    "if x == 2:\n    break", "if x:\n    return x", "x = 4", "with held(7) as b:\n    log(x)", "(b := x)", "fail(x)",
    "try:\n    fail(x)\nexcept ValueError as b:\n    pass", "for y in (a, b):\n    log((x, y))", "import sys as b",
    "match x:\n    case 1:\n        log(1)\n    case b:\n        log(b)", "b, k = k, x", "note(x)",
    "p.m = 9", "p.m = x", "p.put(x)", "for y in (p.n, p.m):\n    log((x, y))", "for y in (p.m, p.n):\n    p.m = y",
)  # fmt: skip
_ASKED = (
    "any({test} for x in {rows})", "all({test} for x in {rows})", "next((x for x in {rows} if {test}), k)",
    "next((x for x in {rows} if {test}))", "any({test} for b in {rows})", "next((x for x in {rows} if {test}), 7)",
    "next((x for x in {rows} if {test}), 7)", "next((x for x in {rows} if {test}), (b := 8))",
    "next((x for x in {rows} if {test}), asked(9))",
)  # fmt: skip
_TESTS = ("x", "x > k", "x == b", "asked(x)", "not x", "fail(x)", "x in (a, 2)", "(k := x)")
_BEFORE = (
    "",
    "",
    "if k > 1:\n    u = 2",
    "if k > 1:\n    u = 2",
    "u = k",
    "def own():\n    nonlocal b\n    b = 8",
    "a = k",
    "own = lambda: b",
)
_HEADS = ("", "", "def any(rows):\n    return list(rows)\n", "def next(rows, *more):\n    return more\n")


def pair(pick: random.Random) -> tuple[str, str]:
    """The text of a module with `f(a, b, c, k, own)`, and that of one that may do the same."""
    before, rows, head = pick.choice(_BEFORE), pick.choice(_DISPLAYS), pick.choice(_HEADS)
    around = pick.random() < 0.2
    if pick.random() < 0.35:
        test = pick.choice(_TESTS)
        old = f"told = {pick.choice(_ASKED).format(test=test, rows=rows)}"
        new = _asked_out(old, test, rows, pick)
        if pick.random() < 0.4:  # with something worked out before, which has to be kept meanwhile
            around = pick.choice(
                ("asked(k) == ({})", "asked(k) == ({})", "[asked(k), {}]", "own(), {}", "(asked(k), asked(c), {})")
            )
            first, last = (
                around.rpartition("{}")[0],
                pick.choice((around, around, around.replace("asked(k)", rows[1:-1].split(", ")[-1]))),
            )
            told = last.format("told").replace("asked(k)", "w", 1).replace("own()", "w", 1).replace("asked(c)", "v")
            old = f"told = {around.format(old.removeprefix('told = '))}"
            held = [
                f"{name} = {call}"
                for name, call in (("w", "asked(k)"), ("w", "own()"), ("v", "asked(c)"))
                if call in first
            ]
            new = "\n".join([*held, new, f"told = {told}"])
    else:
        body = "\n".join(pick.choice(_INSIDE) for _ in range(pick.choice((1, 1, 2))))
        if pick.random() < 0.1:
            rows, body = "(p.n, p.m)", "p.m += 3\nfor y in (p.n, p.m):\n    log((x, y))"
        otherwise = "log('done')" if pick.random() < 0.3 else ""
        paired = pick.random() < 0.4  # rows of a number and what stood there before
        body = f"log((i, x))\n{body}" if paired else body
        loop = f"for i, x in {_in_pairs(rows)}" if paired else f"for x in {rows}"
        old = f"{loop}:\n{_indented(body)}" + (f"\nelse:\n    {otherwise}" if otherwise else "")
        new = _written_out(body, otherwise, rows, pick, paired)
    if around:
        old, new = (f"for k in (1, 2):\n{_indented(text)}\n    c = k" for text in (old, new))
    back = pick.choice(("return a, b, c, k", "return b", "return k", "return x", "return told"))
    lines = ([before, text, back] for text in (old, new))
    mine, theirs = (
        f"{head}{_MODULE}def f(a, b, c, k, own):\n{_indented(chr(10).join(filter(None, ls)))}\n" for ls in lines
    )
    return mine, theirs


HELD = """\
class held:
    def __init__(self, x):
        self.x = x
    def __enter__(self):
        return self.x
    def __exit__(self, *told):
        seen.append("left")
"""
"""A class whose objects are used in a `with`."""
_MODULE = (
    """\
g = 0
seen = []
def log(x):
    seen.append(x)
def asked(x):
    seen.append(x)
    return x
def note(x):
    global g
    g = x
def fail(x):
    if x == 2:
        raise ValueError(x)
class Box:
    def __init__(self):
        self.n = 2
        self.m = 1
    def put(self, x):
        self.m = x
p = Box()
"""
    + HELD
)


def _names(rows: str, pick: random.Random) -> list[str]:
    """What stands in a display; now and then in another order, with one of them left out, or in another's place."""
    names = [name.strip() for name in rows[1:-1].split(",")]
    if pick.random() < 0.12:
        pick.shuffle(names)
    elif pick.random() < 0.08:
        names.pop()
    elif pick.random() < 0.1:
        names[pick.randrange(len(names))] = pick.choice(names)
    return names


def _in_pairs(rows: str) -> str:
    """`((0, a), (1, b))` for `(a, b)`."""
    told = ", ".join(f"({at}, {name.strip()})" for at, name in enumerate(rows[1:-1].split(",")))
    return f"{rows[0]}{told}{rows[-1]}"


def _written_out(body: str, otherwise: str, rows: str, pick: random.Random, paired: bool = False) -> str:
    names = _names(rows, pick)
    numbers = list(range(len(names)))
    first = [] if pick.random() < 0.6 else [f"{name}" for name in names]  # what has no value is seen at once
    leaves = "continue" in body or "break" in body
    rounds = []
    if pick.random() < 0.4:
        first = [f"h{at} = {name}" for at, name in enumerate(names)]
        first = first[:: pick.choice((1, 1, 1, -1))]  # read in another order now and then
        names = [f"h{at}" for at in range(len(names))]
    for number, name in zip(numbers, names, strict=True):
        told = f"i = {number}\nx = {name}\n{body}" if paired else f"x = {name}\n{body}"
        rounds.append(f"for _ in (0,):\n{_indented(told)}" if leaves else told)
    return "\n".join([*first, *rounds, *([otherwise] if otherwise and pick.random() > 0.1 else [])])


def _asked_out(asked: str, test: str, rows: str, pick: random.Random) -> str:
    names = _names(rows, pick)
    word = asked.removeprefix("told = ").partition("(")[0]
    made = [test.replace("x", name) if test != "fail(x)" else f"fail({name})" for name in names]
    if word in ("any", "all"):
        last = (word == "all") is not (pick.random() < 0.1)
        ways = (f"True if {t} else " if word == "any" else f"False if not ({t}) else " for t in made)
        return f"told = {''.join(ways)}{last}"
    default = asked.rpartition("), ")[2][:-1] if "), " in asked else "None"
    ways = "".join(f"{name} if {t} else " for name, t in zip(names, made, strict=True))
    if pick.random() < 0.4:  # worked out first, as Python does, what stands there read before it or after
        lines = [f"({', '.join(names)})", f"d = {default}"][:: pick.choice((1, -1))]
        return "\n".join([*lines[pick.choice((0, 0, 1)) :], f"told = {ways}d"])
    return f"told = {ways}{default}"


def _indented(text: str) -> str:
    return "\n".join(f"    {line}" for line in text.split("\n"))


def difference(old: dict[str, Any], new: dict[str, Any]) -> Any:
    """Arguments that the two are not the same for; None when there are none among these."""
    for given in ((1, 2, 3, 0), (0, 0, 0, 1), (2, 1, 0, 2), (3, 3, 2, 1), (0, 5, 1, 7)):
        seen = [_seen(space, given) for space in (old, new)]
        if seen[0] != seen[1]:
            return given, seen
    return None


def _seen(space: dict[str, Any], given: tuple[int, ...]) -> Any:
    seen = space["seen"]
    seen.clear()
    space["p"].__init__()
    try:
        found: Any = repr(space["f"](*given, lambda: space["log"]("own")))
    except Exception as error:
        found = type(error).__name__, str(error) if isinstance(error, ValueError) else ""
    return found, [repr(part)[:60] for part in seen], space["g"], dict(vars(space["p"]))
