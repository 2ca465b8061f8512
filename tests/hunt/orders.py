"""Random modules whose statements stand in another order: some bind names of others, ask for them, or do without."""

import random

_ALWAYS = ["LIMIT = 3\n", "def other(kilos):\n    return fee(kilos) + 1\n"]
_FEE = "def fee(kilos):\n    if kilos > 3:\n        return LIMIT\n    else:\n        return 1\n"
_AGAIN = (
    "def fee(kilos):\n    if kilos > 3:\n        return LIMIT\n    return 1\n",
    "def fee(kilos):\n    return LIMIT if kilos > 3 else 1\n",
    "def fee(kilos):\n    if not kilos > 3:\n        return 1\n    return LIMIT\n",
)
_BINDING = [
    'def put(f=None):\n    globals()["{name}"] = {value}\n    return f\n',
    "def put(f=None):\n    global {name}\n    {name} = {value}\n    return f\n",
    'def put(f=None):\n    if "{name}" not in globals():\n        globals()["late"] = 5\n    return f\n',
    "def put(f=None):\n    return f\n",
]
_ACTS = [
    "put()\n",
    "made = put(4)\n",
    "@put\ndef extra(kilos):\n    return kilos\n",
    "class Gate:\n    made = put(4)\n",
    "def wait(kilos=put(4)):\n    return kilos\n",
    "class Base:\n    def __init_subclass__(cls):\n        put()\n\nclass Below(Base):\n    pass\n",
    'globals()["{name}"] = {value}\n',
    "for {name} in ({value},):\n    pass\n",
    "try:\n    early = fee(4)\nexcept NameError:\n    early = 0\n",
    "early = fee(4)\n",
    'known = "{name}" in globals()\n',
    "names = sorted(n for n in dir() if n in ('fee', 'other', 'LIMIT'))\n",
    "if put():\n    LIMIT = 6\n",
]
_VALUES = {"LIMIT": "7", "fee": "(lambda kilos: 9)", "other": "(lambda kilos: 8)"}
_READING = "def read(kilos):\n    return [globals().get(n) for n in ('early', 'known', 'names', 'late')]\n"


_SCALE = (
    "class Scale:\n    def weigh(self):\n        return 1\n\n    def tare(self):\n        return 2\n",
    "class Scale:\n    def tare(self):\n        return 2\n\n    def weigh(self):\n        return 1\n",
    "class Scale:\n    def weigh(self):\n        return 1\n\n    def tare(self):\n        return 2\n\n"
    "    def _more(self):\n        return 3\n",
)
_LOOKING = (
    "[globals()[n] for n in ('LIM' + 'IT', 'MOST')]",
    "[n for n in globals() if n in ('Scale', 'LIMIT', 'MOST', 'fee')]",
    "[n for n in vars(Scale) if not n.endswith('__')]",
    "[n for n in dir(Scale()) if not n.endswith('__')]",
    "[n for n in Scale.__dict__ if n[:1] == '_']",
    "sorted(vars(Scale()))",
    "Scale().weigh() + MOST",
    "str(fee.__annotations__)",
    "str(getattr(fee, '__anno' + 'tations__', 0))",
    "kilos + 1",
)

_FUTURE = "from __future__ import annotations\n"


def pair(pick: random.Random) -> tuple[str, str]:
    """Two modules with the same statements; in the second some stand elsewhere, and `fee` is written otherwise."""
    name = pick.choice(list(_VALUES))
    filled = {"name": name, "value": _VALUES[name]}
    parts = [*_ALWAYS, _FEE, _READING, pick.choice(_BINDING).format(**filled)]
    parts += [act.format(**filled) for act in pick.sample(_ACTS, pick.randint(1, 3))]
    scale, most = _SCALE[0], "MOST = 5\n"
    look = f"def look(kilos):\n    return {pick.choice(_LOOKING)}\n"
    parts += [scale, most, look]
    pick.shuffle(parts)
    other = {scale: pick.choice((scale, *_SCALE)), most: pick.choice((most, most, most, "MOST = 6\n"))}
    moved = [other.get(part, part) for part in parts]
    for _ in range(pick.randint(0, 2)):
        moved.insert(pick.randrange(len(moved)), moved.pop(pick.randrange(len(moved))))
    again = pick.choice(_AGAIN)
    old, new = "\n".join(parts), "\n".join(again if part == _FEE else part for part in moved)
    if pick.random() < 0.15:  # the same statements, their annotations worked out in one of them only
        few = [
            *_ALWAYS,
            _FEE,
            parts[-1] if pick.random() < 0.3 else "",
            scale,
            most,
            look,
            _READING.replace("globals()", "{}"),
        ]
        told = "\n".join(few).replace("def fee(kilos)", f"def fee(kilos: {pick.choice(('int', 'Late'))})")
        heads = pick.choice((("", _FUTURE), (_FUTURE, ""), (_FUTURE, _FUTURE)))
        return heads[0] + told, heads[1] + told.replace("if kilos > 3:", "if not kilos <= 3:")
    return old, new
