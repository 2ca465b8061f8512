"""Random pairs of modules in which a table holds functions of the library, and something may put others in their place.

How the library's module is reached, how what is in it is set, and where that stands are drawn apart.
"""

import random

_NAMES = ("rgb_to_hls", "rgb_to_hsv", "rgb_to_yiq")
_IMPORTS = (
    *[("import colorsys", "colorsys")] * 6, ("import colorsys as told", "told"),
    ("try:\n    import colorsys\nexcept ImportError:\n    colorsys = None", "colorsys"),
)  # fmt: skip
_REACHED = (
    "{m}", "sys.modules['colorsys']", "__import__('colorsys')", "importlib.import_module('colorsys')", "other",
    "globals()['{m}']", "(lambda: {m})()", "[{m}][0]", "sys.modules.get('color' + 'sys')",
)  # fmt: skip
_SET = (
    "{at}.{n} = spoilt", "setattr({at}, '{n}', spoilt)", "setattr({at}, 'rgb_to_' + '{n}'[7:], spoilt)",
    "{at}.__dict__['{n}'] = spoilt", "vars({at}).update({n}=spoilt)", "vars({at}).update({{'{n}': spoilt}})",
    "{at}.{n}, kept = spoilt, 1", "for {at}.{n} in (spoilt,):\n    pass", "del {at}.{n}", "put({at})", "own({at})", "own({at})",
    "[setattr({at}, name, spoilt) for name in ('{n}',)]", "object.__setattr__({at}, '{n}', spoilt)",
    "mock.patch('colorsys.{n}', spoilt).start()", "mock.patch.object({at}, '{n}', spoilt).start()",
    "mock.patch.dict({at}.__dict__, {n}=spoilt).start()", "exec(\"{at}.{n} = spoilt\".replace('\\n', ''))",
    "{at}.{n} = {at}.{n}", "pass", "pass", "kept = {at}.{n}", "{m} = spoilt",
)  # fmt: skip
_HEAD = """\
import importlib
import sys
from unittest import mock
def spoilt(*given):
    return 'spoilt'
def put(module):
    module.rgb_to_hls = spoilt
"""


def pair(pick: random.Random) -> tuple[str, str]:
    """The text of a module with `f(kind)` and `change(own)`, and that of one whose `f` asks a table."""
    imported, m = pick.choice(_IMPORTS)
    names = pick.sample(_NAMES, 2)
    at = pick.choice(_REACHED).format(m=m)
    change = pick.choice(_SET).format(at=at, n=pick.choice(names), m=m)
    head = _HEAD if "mock" in change else _HEAD.replace("from unittest import mock\n", "")
    head = head if "put(" in change else head[: head.index("def put")]
    alias = f"other = {m}\n" if at == "other" else ""
    ladder = "".join(f"    if kind == {name[7:]!r}:\n        return {m}.{name}(0.1, 0.5, 0.2)\n" for name in names)
    old = f"def f(kind):\n{ladder}    return None\n"
    rows = [(name[7:], name) for name in names]
    if pick.random() < 0.15:
        rows[1] = (rows[1][0], rows[0][1])  # a slip
    table = "TURNED = {" + ", ".join(f"{kind!r}: {m}.{name}" for kind, name in rows) + "}\n"
    new = "def f(kind):\n    if kind not in TURNED:\n        return None\n    return TURNED[kind](0.1, 0.5, 0.2)\n"
    where, late = pick.choice(("change", "change", "top", "class")), pick.random() < 0.5
    told, before, behind = _placed(where, late, change, m)
    parts = [head, f"{imported}\n", alias, before]
    return "".join([*parts, old, behind, told]), "".join([*parts, table, new, behind, told])


def _placed(where: str, late: bool, change: str, m: str) -> tuple[str, str, str]:
    """What `change(own)` is, and what stands before and behind the table."""
    lines = "".join(f"    {line}\n" for line in change.splitlines())
    if where == "change":
        rebinds = f"    global {m}\n" if change.startswith(f"{m} =") else ""
        return f"def change(own):\n{rebinds}{lines}", "", ""
    code = f"class Kept:\n{lines}" if where == "class" else f"{change}\n"
    return "def change(own):\n    pass\n", *(("", code) if late else (code, ""))
