"""Sums of whole numbers in one form: `kilos - 3`, `kilos + -3` and `-3 + kilos` are one term, `kilos + 0` is `kilos`.

Only for values that are surely whole numbers: floats have a negative zero and round, and text is added, too. `x + 0`
is `x` unless that may be a bool by itself, as what is annotated as an int may (`exact-ints` rules that out).
"""

from collections.abc import Callable, Sequence

from dreck.model.ir.terms import Term, Terms

LINEAR = "Linear"
NOTHING: frozenset[str] = frozenset()
NUMBERS = frozenset({"int", "bool"})
_LARGEST = 1 << 64

Sum = tuple[dict[Term, int], int]
"""How often each term is in a sum, and the number that is added."""


Kinds = Callable[[Term], frozenset[str]]
"""The built-in types one of which a value surely has."""


def whole_number(terms: Terms, operator: str, values: Sequence[Term], kinds: Kinds, exact: bool) -> Term | None:
    """The term for an operation on whole numbers in its one form; None when it is no sum of them."""
    if any(not kinds(value) or not kinds(value) <= {"int", "bool"} for value in values):
        return None
    parts = [_as_sum(value) for value in values]
    match operator, parts:
        case "USub", [one]:
            found: Sum | None = _scaled(one, -1)
        case "Add", [one, other]:
            found = _added(one, other)
        case "Sub", [one, other]:
            found = _added(one, _scaled(other, -1))
        case "Mult", [one, other]:
            found = _product(one, other)
        case _:
            return None
    return _term(terms, found, kinds, exact) if found is not None and _is_small(found) else None


def _as_sum(term: Term) -> Sum:
    if term.op == "const":
        return {}, int(term.value)
    if term.op == "arith" and term.args[0] == LINEAR:
        _, number, *pairs = term.args
        counts: dict[Term, int] = {}
        for part, count in zip(pairs[::2], pairs[1::2], strict=True):
            counts[part] = counts.get(part, 0) + count
        return counts, number
    return {term: 1}, 0


def _scaled(one: Sum, by: int) -> Sum:
    return ({term: count * by for term, count in one[0].items()} if by else {}), one[1] * by


def _added(one: Sum, other: Sum) -> Sum:
    counts = dict(one[0])
    for term, count in other[0].items():
        counts[term] = counts.get(term, 0) + count
    return {term: count for term, count in counts.items() if count}, one[1] + other[1]


def _product(one: Sum, other: Sum) -> Sum | None:
    if not one[0]:
        return _scaled(other, one[1])
    return _scaled(one, other[1]) if not other[0] else None


def _is_small(found: Sum) -> bool:
    return all(abs(number) < _LARGEST for number in (*found[0].values(), found[1]))


def _term(terms: Terms, found: Sum, kinds: Kinds, exact: bool) -> Term:
    counts, number = found
    if not counts:
        return terms.const(number)
    alone = next(iter(counts))
    surely = kinds(alone) == {"int"} or (exact and alone.op == "param" and "int" in kinds(alone))
    if number == 0 and list(counts.values()) == [1] and surely:
        return alone
    pairs = [part for term in sorted(counts, key=lambda t: t.number) for part in (term, counts[term])]
    return terms.make("arith", LINEAR, number, *pairs)


def arithmetic_kinds(operator: str, kinds: list[frozenset[str]]) -> frozenset[str]:
    """The types an operation between known scalar types may give; empty when that is not sure."""
    if not kinds or any(not k or not k <= {"int", "bool", "float", "str"} for k in kinds):
        return NOTHING
    every = NOTHING.union(*kinds)
    if "str" in every:
        return frozenset({"str"}) if operator == "Add" and every == {"str"} else NOTHING
    if operator in ("USub", "UAdd"):
        return frozenset({"int"}) if every <= NUMBERS else NOTHING
    if operator in ("Add", "Sub", "Mult", "FloorDiv", "Mod"):
        if every <= NUMBERS:
            return frozenset({"int"})
        return frozenset({"float"}) if any(k == {"float"} for k in kinds) else frozenset({"int", "float"})
    return frozenset({"float"}) if operator == "Div" else NOTHING
