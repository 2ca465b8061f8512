"""Texts in a form the code asks for: changed a piece at a time, with pieces the code itself names."""

import random
from collections.abc import Iterable, Iterator, Mapping
from typing import Any

_ALWAYS = ("a", "1", " ", "é", "\n", "\udce9")
_LONGEST = 12
_MOST = 60


def pieces(constants: Iterable[Any], namespace: Mapping[str, Any]) -> tuple[str, ...]:
    """Strings a function compares with or looks for, and those its module keeps; the function's own first."""
    found = dict.fromkeys(text for text in constants if isinstance(text, str) and 0 < len(text) <= _LONGEST)
    own = dict(found)
    for text in own:
        found |= dict.fromkeys(c for c in text if not c.isalnum())
    found |= dict.fromkeys(_ALWAYS)
    for text in _kept(namespace):
        if len(found) >= _MOST:
            break
        found.setdefault(text)
    return tuple(found)


def _kept(namespace: Mapping[str, Any]) -> Iterator[str]:
    for name, value in namespace.items():
        if name.startswith("__"):
            continue
        if isinstance(value, str):
            yield from ([value] if len(value) <= 3 else [c for c in value if not c.isalnum()][:8])
        elif isinstance(value, set | frozenset | tuple | list | dict) and len(value) < 40:
            yield from sorted(v for v in value if isinstance(v, str) and 0 < len(v) <= 3)


def mutated(text: str, known: tuple[str, ...], pick: random.Random) -> str:
    """`text` with one to three pieces put in, taken out, repeated or exchanged."""
    for _ in range(pick.choice((1, 1, 2, 3))):
        at = pick.randint(0, len(text))
        to = min(len(text), at + pick.choice((0, 1, 1, 2)))
        match pick.choice(("put", "put", "take", "repeat", "exchange")):
            case "put":
                text = text[:at] + pick.choice(known) + text[at:]
            case "take":
                text = text[:at] + text[to:]
            case "repeat":
                text = text[:to] + text[at:]
            case "exchange":
                text = text[:at] + pick.choice(known) + text[to:]
    return text[:200]
