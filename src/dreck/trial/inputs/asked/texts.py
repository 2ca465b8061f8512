"""Texts in a form the code asks for: changed a piece at a time, with pieces the code itself names."""

import ast
import itertools
import random
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any

from dreck.source.walking import walk
from dreck.trial.inputs.asked.uses import constants
from dreck.trial.surely import is_a

_ALWAYS = ("a", "1", " ", "é", "\n", "\udce9")
_LONGEST = 12
_MOST = 60
_KEYS = 12
_MOST_PARTS = 6
_ODD_NUMBERS = ("-3", "0", "", "2.5")
OF_DIGITS = ("7", "59", "186", "4907", "79927398713", "000")
"""Texts each sign of which may be read as a number."""


def pieces(constants: Sequence[Any], namespace: Mapping[str, Any]) -> tuple[str, ...]:
    """Strings a function compares with or looks for, and those its module keeps; the function's own first."""
    found = dict.fromkeys(text for text in constants if isinstance(text, str) and 0 < len(text) <= _LONGEST)
    own = dict(found)
    for text in own:
        found |= dict.fromkeys(c for c in text if not c.isalnum())
    numbers = [n for n in constants if type(n) is int and 0 <= n < 10**6]
    found |= dict.fromkeys(str(n + d) for n in numbers[:6] for d in (0, 1))
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
        if is_a(value, str):
            yield from ([value] if len(value) <= 3 else [c for c in value if not c.isalnum()][:8])
        elif is_a(value, set, frozenset, tuple, list, dict) and len(value) < 40:
            yield from sorted(v for v in value if isinstance(v, str) and 0 < len(v) <= 3)


def table_words(
    functions: Iterable[ast.AST], namespace: Mapping[str, Any], owner: type | None = None
) -> tuple[str, ...]:
    """Texts made of the keys of the tables that the code names, of the module or of the class it belongs to: each
    key, and two of them on end."""
    nodes = [n for f in functions for n in walk(f)]
    found = [namespace.get(name) for name in sorted({n.id for n in nodes if isinstance(n, ast.Name)})]
    found += [_of_class(owner, name) for name in sorted({n.attr for n in nodes if isinstance(n, ast.Attribute)})]
    tables: list[Any] = [value for value in found if is_a(value, dict, set, frozenset, tuple, list)]
    keyed = (k for table in tables for k in (sorted(table, key=repr) if is_a(table, set, frozenset) else table))
    texts = (k.decode("latin-1") if is_a(k, bytes) else k for k in keyed)
    keys = list(dict.fromkeys(k for k in texts if is_a(k, str) and k))[:_KEYS]
    short = [k for k in keys if len(k) <= 2][:4]
    return (*keys, *(a + b for a in short for b in short), *("".join(p) for p in itertools.permutations(short[:3])))


def _of_class(owner: type | None, name: str) -> Any:
    return next((vars(kind)[name] for kind in getattr(owner, "__mro__", ()) if name in vars(kind)), None)


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


def signs_between(call: ast.AST) -> list[str]:
    """The texts at which a call takes a text apart, where it names them."""
    match call:
        case ast.Call(func=ast.Attribute(attr="split" | "rsplit" | "partition" | "rpartition"), args=[sign, *_]):
            return [s for s in constants(sign) if isinstance(s, str)]
        case ast.Call(func=ast.Attribute(attr="split" | "rsplit"), args=[]):
            return [" "]
    return []


def of_parts(sign: str, parts: int) -> list[str]:
    """Texts of so many parts: of numbers, of words, and of numbers one of which is an odd one."""
    plain = [str(i + 1) for i in range(parts)]
    odd = [n for n in _ODD_NUMBERS if sign not in n] if 0 < parts <= _MOST_PARTS else []
    mixed = [sign.join((*plain[:i], n, *plain[i + 1 :])) for n in odd for i in range(parts)]
    return [sign.join(plain), sign.join(["text"] * parts), *mixed]


def odd_cases(text: str) -> list[str]:
    """Texts that `lower`, `upper` and `casefold` do not treat alike, and one of which may make `text` of them."""
    low = text.lower()
    made = [low.replace(part, odd, 1) for part, odd in _ODD_CASES if part in low]
    return [*made, *(odd.upper() for odd in made)]


_ODD_CASES = (("ss", "\u00df"), ("k", "\u212a"), ("s", "\u017f"), ("i", "\u0130"), ("fi", "\ufb01"))
"""Small letters and others that become them: sharp s, the sign of kelvin, long s, dotted I, a ligature."""
