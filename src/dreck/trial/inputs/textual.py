"""Texts and octets that may stand where the code looks into them: pieces it names, put together and changed."""

import dataclasses
from collections.abc import Iterable
from typing import Any

from dreck.trial.inputs.asked.texts import odd_cases
from dreck.trial.inputs.asked.uses import Usage
from dreck.trial.inputs.near import Near
from dreck.trial.inputs.recipes import Make

_CASES = frozenset({"lower", "upper", "casefold", "title", "capitalize", "swapcase"})
_OF_DIGITS = frozenset({"isdigit", "isdecimal", "isnumeric", "isalnum"})
_OF_LINES = frozenset({"splitlines", "split"})
_STRIPS = frozenset({"strip", "lstrip", "rstrip", "split"})
_TAKES_APART = frozenset({"split", "rsplit", "partition", "rpartition"})
_OCTETS = (bytes, bytearray)
_MOST_OCTETS = 60
_ODD_DIGITS = ("²", "½", "٣")
_LONGEST = 40
_MOST_FITTING = 12


class Textual(Near):
    """Candidates that are texts."""

    words: tuple[str, ...] = ()
    """Texts made of the keys of the module's tables that the code looks into."""

    def _texts(self, u: Usage, name: str) -> list[Make]:
        """By the methods that are asked of a text, and what they are given."""
        texts = [c for c in u.contains if isinstance(c, str)]
        made: list[Make] = []
        made += [Make("value", v) for t in texts for v in (t, t + "x", "x" + t, f"x{t}y", t + t)]
        made += [Make("value", f"{a}x{b}") for a in texts for b in texts if a != b]
        made += [Make("value", text) for text in self._twice_named(texts, name)]
        made += [Make("value", f"x{t}y{t}z") for t in texts]
        if u.methods & _CASES:
            cased = dict.fromkeys([*texts[:4], *(c for c in u.constants if isinstance(c, str)), *self.words[:4]])
            made += [Make("value", v) for t in cased for v in (t.swapcase(), t.title(), t[:1] + t[1:].upper())]
            made += [Make("value", v) for t in cased for v in odd_cases(t)]
            made += [Make("value", v) for t in texts[:3] for v in (f"Ab{t}", f"{t}Ab")]
            made += [Make("value", v) for v in ("ß1", "ß12")]  # a letter that becomes two
        if "count" in u.methods:
            made += [Make("value", t * n) for t in texts[:2] for n in range(3, 8)]
        if u.methods & _STRIPS:
            made += [Make("value", v) for t in texts[:4] for v in (f"\t{t}", f"{t}\n", f" {t} ")]
        made += [Make("value", text) for text in (*self._with_numbers(texts), *self.words)]
        made += [Make("value", v) for v in ("text", "", "12", "A b", " ", "é", *self._more_parts(texts, name))]
        made += [Make("value", text) for text in self._of_that_length(u)]
        if u.methods & _OF_DIGITS:
            made += [Make("value", v) for v in _ODD_DIGITS]
            made += [Make("value", v.rjust(n, "1")) for n in _lengths(u) for v in ("2", *_ODD_DIGITS)]
        if "zfill" in u.methods:
            made += [Make("value", v) for v in ("-1", "+12")]
        if u.methods & _OF_LINES:
            made += [Make("value", v) for v in ("a\nb", "a\r\nb\n", "a\x0bb", "a\x85b")]
        if u.methods & _TAKES_APART:
            made += [Make("value", v) for t in texts[:2] for w in self.words[:6] for v in (f"x{t}{w}", f"{w}{t}x")]
        return made

    def _of_that_length(self, u: Usage) -> list[str]:
        """Texts as long as is asked for, with what the code names at their beginning or at their end."""
        named = dict.fromkeys(c for c in (*u.contains, *self.usages.constants) if isinstance(c, str) and c)
        shorter = dict.fromkeys([*named, *(c[:-1] for c in named if len(c) > 1)])
        fits = [(part, n) for n in _lengths(u) for part in shorter if len(part) < n][:_MOST_FITTING]
        return [text for part, n in fits for text in (part.ljust(n, "1"), part.ljust(n, "x"), part.rjust(n, "1"))]


def _lengths(u: Usage) -> list[int]:
    """Of texts: what their length is compared with."""
    return [n for n in dict.fromkeys(u.sizes) if 1 < n < _LONGEST][:2]


def says_octets(u: Usage) -> bool:
    """Whether the code compares with octets, or looks for them."""
    return any(isinstance(c, _OCTETS) for c in (*u.constants, *u.contains))


def as_text(u: Usage) -> Usage:
    """The same use of a text instead of octets: each octet is the character of that number."""
    return dataclasses.replace(u, constants=_decoded(u.constants), contains=_decoded(u.contains), is_json=False)


def as_octets(makes: Iterable[Make], kind: Any) -> list[Make]:
    """The texts among `makes` that are octets as well."""
    texts = [m.what for m in makes if m.kind == "value" and type(m.what) is str and m.what.isascii()]
    return [Make("value", kind(text.encode())) for text in dict.fromkeys(texts)][:_MOST_OCTETS]


def _decoded(values: list[Any]) -> list[Any]:
    return [v.decode("latin-1") if isinstance(v, _OCTETS) else v for v in values]
