"""Mishaps: what a TypeError or AttributeError of a run says of the values that should have come in."""

import re
from typing import Any

from dreck.trial.inputs.recipes import Make

_NUMBER = (Make("value", 3), Make("value", 0))
_TEXT = (Make("value", "text"), Make("value", ""))
_BYTES = (Make("value", b"text"), Make("value", b""))
_ITEMS = (Make("list", 2), Make("list", 0))
_OBJECT = (Make("stand-in"),)
_WANTED: dict[str, tuple[Make, ...]] = {
    **dict.fromkeys(("str", "string", "os.PathLike", "path"), _TEXT),
    **dict.fromkeys(("bytes", "bytes-like", "buffer"), _BYTES),
    **dict.fromkeys(("int", "integer", "number"), _NUMBER),
    **dict.fromkeys(("float", "real"), (Make("value", 2.5), *_NUMBER)),
    **dict.fromkeys(("list", "iterable", "sequence"), _ITEMS),
    **dict.fromkeys(("dict", "mapping"), (Make("dict"),)),
    "tuple": (Make("tuple", 2),),
}
_MADE_UP = re.compile(r"\bStandIn\b")
_ASKED = re.compile(
    r"expected (?:an? )?(?P<a>[\w.-]+)|must be (?:an? )?(?P<b>[\w.-]+)|an? (?P<c>bytes-like|[\w.]+) object is required"
    r"|an? (?P<d>[\w-]+) is required|can only concatenate (?P<e>\w+)|interpreted as an (?P<f>integer)"
    r"|argument should be (?:an? )?(?P<g>[\w-]+)"
)
_UNFIT = re.compile(
    r"'(?P<kind>\w+)' object (?:has no attribute|is not (?:callable|iterable|subscriptable)|does not support)"
    r"|argument of type '(?P<other>\w+)' is not"
)
_NOT_THAT = re.compile(
    r'can only concatenate (?P<a>\w+) \(not "(?P<of_a>\w+)"\)|expected (?P<b>\w+) instance, (?P<of_b>\w+) found'
    r"|must be (?:an? )?(?P<c>\w+),? not '?(?P<of_c>\w+)|requires (?P<d>string) as left operand, not (?P<of_d>\w+)"
)


def learned(error: Any) -> tuple[str, tuple[Make, ...]]:
    """Of a described exception: the class of value that will not do, and what is wanted in its place.

    Forms: `("StandIn", ...)` for objects made up, `("", ())` when nothing is to be learned.
    """
    match error:
        case ("TypeError" | "AttributeError", ("tuple", (("str", str() as told), *_), *_), *_):
            return _of_words(told)
    return "", ()


def _of_words(told: str) -> tuple[str, tuple[Make, ...]]:
    if _MADE_UP.search(told):
        asked = _ASKED.search(told)
        word = next((w for w in asked.groups() if w), "") if asked is not None else ""
        return "StandIn", _WANTED.get(word, (*_TEXT, *_NUMBER, *_ITEMS))
    instead = _NOT_THAT.search(told)
    if instead is not None:
        wanted, kind = (w for w in instead.groups() if w)
        return kind, _WANTED.get(wanted, ())
    unfit = _UNFIT.search(told)
    if unfit is None:
        return "", ()
    kind = unfit["kind"] or unfit["other"]
    if "iterable" in told or "subscriptable" in told or unfit["other"]:
        return kind, (*_ITEMS, Make("dict"), *_TEXT, *_OBJECT)
    return kind, _OBJECT
