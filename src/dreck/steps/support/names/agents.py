"""What does something, by its verb: what parses is a parser. Tables of functions are called after these."""

from collections.abc import Sequence

from dreck.steps.support.names.vocabulary import SMALL

_REGULAR = {
    "er": (
        *("convert", "format", "build", "load", "render", "print", "sort", "fetch", "transform", "extract", "dump"),
        *("export", "import", "unpack", "pack", "send", "compil", "pars", "handl", "mak", "writ", "read", "encod"),
        *("decod", "serializ", "normaliz", "tokeniz", "resolv", "check", "load", "deserializ", "wrapp"),
    ),
    "or": ("validat", "calculat", "visit", "evaluat", "select", "generat", "translat", "inspect", "collect"),
}
_VERBS = {
    stem + ending: f"{stem}{agent}" for agent, stems in _REGULAR.items() for stem in stems for ending in ("", "e")
}
_OTHERS = {
    **{"run": "action", "do": "action", "act": "action", "execute": "action", "perform": "action"},
    **{"compute": "calculator", "dispatch": "handler", "process": "handler", "react": "handler", "wrap": "wrapper"},
}
_LEADING_ON = frozenset({"with", "by", "from", "at", "on", "off", "up", "out", "over", "through", "as", "all"})


def agent_of(deed: Sequence[str]) -> list[str]:
    """`converter` for `convert`, `line parser` for `parse line`; [] where English has no such word for it."""
    verb, *thing = deed or [""]
    agent = _OTHERS.get(verb) or _VERBS.get(verb, "")
    if not agent or len(thing) > 1 or any(w in SMALL or w in _LEADING_ON or len(w) < 3 for w in thing):
        return []
    return [*thing, agent]
