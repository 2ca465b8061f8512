"""Bounds: what a comparison with a limit, or with both ends of a text, is called."""

import ast

from dreck.steps.support.names.words import last_of, words_of

_UPPER = frozenset({"max", "maximum", "most", "limit", "highest", "longest", "largest", "upper"})
_LOWER = frozenset({"min", "minimum", "least", "lowest", "shortest", "smallest", "lower"})
_TIMES: dict[type[ast.cmpop], frozenset[str]] = {
    ast.Lt: frozenset({"start", "begin", "beginning", "earliest", "opening"}),
    ast.Gt: frozenset({"end", "stop", "finish", "latest", "deadline", "closing", "expiry"}),
}
"""Where something begins and ends: what a thing before it, or after it, is asked about."""
_ENDS = {
    ("'", "'"): ["quoted"],
    ('"', '"'): ["quoted"],
    ("`", "`"): ["quoted"],
    ("(", ")"): ["parenthesized"],
    ("[", "]"): ["bracketed"],
    ("{", "}"): ["braced"],
    ("__", "__"): ["dunder"],
}


def beyond(op: ast.cmpop, limit: ast.expr) -> list[str]:
    """`exceeds_max_kilos` for `kilos > MAX_KILOS`, `before_start` for `day < start`: how a thing lies to a limit that
    is called one; else []."""
    words = words_of(last_of(limit).strip("_"))
    if 1 <= len(words) <= 2 and words[0] in _TIMES.get(type(op), ()) and all(len(w) > 2 for w in words):
        return ["before" if isinstance(op, ast.Lt) else "after", *words]
    if len(words) < 2 or any(len(w) < 3 for w in words):
        return []
    match op:
        case ast.Gt() if set(words) & _UPPER:
            return ["exceeds", *words]
        case ast.GtE() if set(words) & _UPPER:
            return ["reaches", *words]
        case ast.LtE() if set(words) & _UPPER:
            return ["within", *words]
        case ast.Lt() if set(words) & _LOWER:
            return ["below", *words]
    return []


def enclosed(values: list[ast.expr]) -> list[str]:
    """`is_quoted` for a text that starts and ends with quotes; [] for anything else."""
    match values:
        case [
            ast.Call(
                func=ast.Attribute(value=one, attr="startswith"), args=[ast.Constant(value=str() as first)], keywords=[]
            ),
            ast.Call(
                func=ast.Attribute(value=other, attr="endswith"), args=[ast.Constant(value=str() as last)], keywords=[]
            ),
        ] if ast.dump(one) == ast.dump(other):
            return _ENDS.get((first, last), [])
    return []
