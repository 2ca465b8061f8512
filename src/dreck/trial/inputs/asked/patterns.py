"""What patterns of a `match` ask: of the subject, and of what it holds."""

import ast
from collections.abc import Callable, Iterator

from dreck.trial.inputs.asked.uses import Usage, class_name, constants

_OWN_VALUE = frozenset(
    {"bool", "bytearray", "bytes", "dict", "float", "frozenset", "int", "list", "set", "str", "tuple"}
)
"""Built-in classes whose one positional pattern is matched with the whole (language reference 8.6.4.10)."""


def by_part(s: ast.Match) -> Iterator[tuple[ast.expr, list[ast.match_case]]]:
    """What a match asks for, each with the cases that ask for it: of a display of several, every one by itself."""
    yield s.subject, s.cases
    parts = s.subject.elts if isinstance(s.subject, ast.Tuple) else []
    found = [p.patterns for case in s.cases for p in _sequences(case.pattern) if len(p.patterns) == len(parts)]
    for part, asked in zip(parts, zip(*found, strict=True), strict=False):
        yield part, [ast.match_case(one, None, []) for one in asked if not isinstance(one, ast.MatchStar)]


def _sequences(pattern: ast.pattern) -> Iterator[ast.MatchSequence]:
    match pattern:
        case ast.MatchSequence():
            yield pattern
        case ast.MatchOr(patterns=patterns):
            for one in patterns:
                yield from _sequences(one)
        case ast.MatchAs(pattern=ast.pattern() as inner):
            yield from _sequences(inner)


def note_pattern(at: Callable[[str], Usage], path: str, pattern: ast.pattern) -> None:
    """Notes what `pattern` asks of what stands at `path`; `at` gives the usage of a path."""
    match pattern:
        case ast.MatchValue(value=value):
            at(path).constants.extend(constants(value))
            at(path).compared = True
        case ast.MatchSingleton(value=None):
            at(path).tested_none = True
        case ast.MatchSingleton(value=truth):
            at(path).constants.append(truth)
        case ast.MatchAs(pattern=ast.pattern() as inner):
            note_pattern(at, path, inner)
        case ast.MatchOr(patterns=patterns):
            for one in patterns:
                note_pattern(at, path, one)
        case ast.MatchSequence(patterns=patterns):
            _of_sequence(at, path, patterns)
        case ast.MatchMapping(keys=keys, patterns=patterns):
            at(path).keyed_in_pattern = True
            for key, inner in zip(keys, patterns, strict=True):
                if isinstance(key, ast.Constant):
                    at(path).keys.append(key.value)
                    note_pattern(at, f"{path}[{key.value!r}]", inner)
        case ast.MatchClass(cls=cls):
            _of_class(at, path, class_name(cls), pattern)


def _of_sequence(at: Callable[[str], Usage], path: str, patterns: list[ast.pattern]) -> None:
    plain = [p for p in patterns if not isinstance(p, ast.MatchStar)]
    usage = at(path)
    usage.spread_in_pattern = True
    usage.sizes.append(-len(plain))
    if len(plain) < len(patterns):
        usage.sizes.append(len(plain))
    for position, inner in enumerate(plain):
        note_pattern(at, f"{path}[]", inner)
        note_pattern(at, f"{path}#{position}", inner)


def _of_class(at: Callable[[str], Usage], path: str, name: str | None, pattern: ast.MatchClass) -> None:
    if name is not None:
        at(path).classes.append(name)
    for inner in pattern.patterns:
        if name in _OWN_VALUE:
            note_pattern(at, path, inner)
    for attribute, inner in zip(pattern.kwd_attrs, pattern.kwd_patterns, strict=True):
        at(path).attributes.add(attribute)
        note_pattern(at, f"{path}.{attribute}", inner)
